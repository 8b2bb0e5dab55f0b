import { z } from 'zod';
import { endpoints } from './endpoints.js';
import type { Endpoint } from './endpoint.js';
import { API_PROBLEMS, type ApiProblemCode } from './problems.js';

type Json = Record<string, unknown>;

const ALWAYS: readonly ApiProblemCode[] = ['invalid-input', 'internal'];
const SECURITY: Readonly<Record<Endpoint['access'], Json[]>> = {
  anybody: [],
  person: [{ token: [] }, { cookie: [] }],
  visitor: [{ visitor: [] }],
};

function schema(type: z.ZodType): Json {
  const { $schema: _dropped, ...rest } = z.toJSONSchema(type, {
    unrepresentable: 'any',
    io: 'input',
    reused: 'inline',
    cycles: 'ref',
  });
  return rest;
}

/** Schemas that refer to themselves bring `$defs`; they move to the components, where references can reach them. */
function hoist(found: Json, name: string, components: Json): Json {
  const { $defs = {}, ...rest } = found as { $defs?: Json };
  const text = JSON.stringify({ rest, $defs }).replaceAll('"#/$defs/', `"#/components/schemas/${name}.`);
  const moved = JSON.parse(text) as { rest: Json; $defs: Json };
  for (const [key, value] of Object.entries(moved.$defs)) components[`${name}.${key}`] = value;
  return moved.rest;
}

function parameters(e: Endpoint, where: 'path' | 'query', name: string, components: Json): Json[] {
  const type = where === 'path' ? e.params : e.query;
  if (!type) return [];
  const found = hoist(schema(type), `${name}-${where}`, components) as { properties?: Record<string, Json>; required?: string[] };
  return Object.entries(found.properties ?? {}).map(([key, value]) => ({
    name: key,
    in: where,
    required: where === 'path' || (found.required?.includes(key) ?? false),
    schema: value,
  }));
}

function fileContent(types: readonly string[]): Json {
  return Object.fromEntries(types.map((t) => [t, { schema: { type: 'string', format: 'binary' } }]));
}

function answers(e: Endpoint, name: string, components: Json): Json {
  const good: Json = e.stream
    ? { description: 'Server-sent events', content: { 'text/event-stream': { schema: { type: 'string' } } } }
    : {
        description: e.about,
        ...(e.download ? { content: fileContent(e.download) } : {}),
        ...(e.reply ? { content: { 'application/json': { schema: hoist(schema(e.reply), `${name}-reply`, components) } } } : {}),
      };
  const codes = [
    ...new Set([
      ...(e.problems ?? []),
      ...(e.access === 'person' ? (['not-signed-in'] as const) : []),
      ...(e.params ? (['not-found'] as const) : []),
      ...ALWAYS,
    ]),
  ];
  const byStatus: Json = { [String(e.status ?? 200)]: good };
  for (const status of new Set(codes.map((c) => API_PROBLEMS[c].status))) {
    const named = codes.filter((c) => API_PROBLEMS[c].status === status);
    byStatus[String(status)] = {
      description: named.map((c) => `${c}: ${API_PROBLEMS[c].title}`).join('; '),
      content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/ProblemDetails' } } },
    };
  }
  return byStatus;
}

const PROBLEM_SCHEMA: Json = {
  type: 'object',
  description: 'Problem details (RFC 9457)',
  required: ['type', 'title', 'status', 'detail', 'code'],
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string', description: 'what happened and what to do' },
    code: { type: 'string', enum: Object.keys(API_PROBLEMS) },
    errors: {
      type: 'array',
      items: {
        type: 'object',
        properties: { pointer: { type: 'string' }, detail: { type: 'string' }, code: { type: 'string' } },
      },
    },
  },
};

/** The OpenAPI 3.1 document of the API. */
export function openApiDocument(version: string): Json {
  const components: Json = { ProblemDetails: PROBLEM_SCHEMA };
  const paths: Record<string, Json> = {};
  for (const [name, e] of Object.entries(endpoints) as [string, Endpoint][]) {
    const path = e.path.replace(/:(\w+)/g, '{$1}');
    const upload = e.upload ? { requestBody: { required: true, content: fileContent(e.upload) } } : {};
    const body = e.body
      ? {
          requestBody: {
            required: true,
            content: { 'application/json': { schema: hoist(schema(e.body), `${name}-body`, components) } },
          },
        }
      : upload;
    (paths[path] ??= {})[e.method.toLowerCase()] = {
      operationId: name,
      summary: e.about,
      security: SECURITY[e.access],
      parameters: [...parameters(e, 'path', name, components), ...parameters(e, 'query', name, components)],
      ...body,
      responses: answers(e, name, components),
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Primrose', version, description: 'Build, try and release conversation bots.' },
    paths,
    components: {
      schemas: components,
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer', description: 'an API token' },
        cookie: { type: 'apiKey', in: 'cookie', name: 'primrose_session' },
        visitor: { type: 'http', scheme: 'bearer', description: 'a visitor key, as `openChat` gave it' },
      },
    },
  };
}
