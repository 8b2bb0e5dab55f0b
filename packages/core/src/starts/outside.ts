import type { BotDocument } from '../document/schema.js';
import { typeName, type TypeDeclaration, type Value } from '../document/shapes.js';
import type { StartOf } from '../document/starts.js';
import { answerSchema } from '../engine/model-answer.js';

/** What somebody outside needs to use a hook or a call. */
export interface OutsideSheet {
  /** Markdown. */
  readonly sheet: string;
  /** A command that works as it stands, but for the secret. */
  readonly curl: string;
  /** OpenAPI 3.1. */
  readonly openapi: Readonly<Record<string, unknown>>;
}

export interface Described {
  readonly document: BotDocument;
  readonly name: string;
  readonly start: StartOf<'hook'> | StartOf<'call'>;
  /** Where it comes in, whole. */
  readonly address: string;
}

type Declared = Readonly<Record<string, TypeDeclaration>>;

/** A value of a type, for an example. */
function example(document: BotDocument, type: TypeDeclaration): Value {
  const name = typeName(type).replace(/\?$/, '');
  if (typeof type === 'object' && type.value !== undefined) return type.value;
  const usual: Readonly<Record<string, Value>> = {
    number: 1,
    yes_no: true,
    date: '2026-05-14',
    time: '09:30',
    email: 'ida@example.com',
    phone: '+353 86 000 0000',
    list: [],
    object: {},
  };
  return usual[name] ?? Object.keys(document.entities?.[name]?.values ?? {})[0] ?? 'text';
}

const aboutOf = (type: TypeDeclaration): string => (typeof type === 'object' ? (type.about ?? type.name ?? '') : '');
const mayMiss = (type: TypeDeclaration): boolean =>
  typeName(type).endsWith('?') || (typeof type === 'object' && type.value !== undefined);

function schemaOf(document: BotDocument, declared: Declared, needed: boolean): Record<string, unknown> {
  if (Object.keys(declared).length === 0) return { type: 'object' };
  const { additionalProperties: _closed, ...schema } = answerSchema({ gives: declared, document }) as Record<string, unknown>;
  const required = Object.entries(declared).flatMap(([name, type]) => (mayMiss(type) ? [] : [name]));
  return { ...schema, required: needed ? required : [] };
}

/** The names that a mapping reads of the body, for an example of what is sent. */
function bodyExample({ document, start }: Described): Value {
  const takes = document.flows[start.flow]?.takes ?? {};
  if (start.by === 'call' || start.given === undefined)
    return Object.fromEntries(Object.entries(takes).map(([name, type]) => [name, example(document, type)]));
  const sample = Object.values(document.samples ?? {}).find((s) => 'came' in s && document.starts?.[s.came] === start);
  return sample && 'came' in sample ? sample.body : { text: 'what there is to tell' };
}

const SECURED: Readonly<Record<string, string>> = {
  token: 'Show the token that you were given: `authorization: Bearer TOKEN`.',
  signature: 'Sign the body with the secret that you were given: its HMAC-SHA-256, in hex or base64, in the header',
  none: 'Nothing shows who you are: keep the address to yourself.',
};

/** The sheet for somebody outside who has a flow begun, with a working command and an OpenAPI description. */
export function outsideSheet(described: Described): OutsideSheet {
  const { document, name, start, address } = described;
  const flow = document.flows[start.flow];
  const title = flow?.title ?? start.flow;
  const secured = start.by === 'call' ? 'token' : (start.secured ?? 'none');
  const waits = start.by === 'call' || start.answers === 'given-back';
  const body = bodyExample(described);
  const curl = curlOf(start, address, secured, body);
  const takes = flow?.takes ?? {};
  const gives = flow?.gives ?? {};
  const sheet = [
    `# ${title}`,
    ...((start.about ?? flow?.about) ? [start.about ?? flow?.about ?? ''] : []),
    `Send a POST to \`${address}\`. ${secured === 'signature' ? `${SECURED['signature']} \`${start.by === 'hook' ? (start.header ?? 'x-signature') : ''}\`.` : SECURED[secured]}`,
    '```sh\n' + curl + '\n```',
    ...(start.by === 'call' || start.given === undefined ? [`## What it takes\n${fieldsList(takes, 'needed')}`] : []),
    waits
      ? `## What it gives\nThe answer has status 200 and \`gave\`:\n\n${fieldsList(gives, 'always')}\n\nWhere it is not over in time the answer has status 202 and the \`run\`; ask \`GET ${address}/runs/RUN\` for it.`
      : '## The answer\nStatus 202 and the `run` that begins. It is stored before you are told so.',
    '## Once, however often\nSend an `idempotency-key` header with a text of your own, such as the number of your message: the same key begins one run, and a repeat is told which.',
    '## When it does not go\nEvery error is JSON with a `detail` that says what to do: 401 not known, 409 switched off or not released, 413 too large, 422 something does not fit, 429 too many, 500 the run failed.',
    ...(start.by === 'call'
      ? [
          '## As it happens\nWith `accept: text/event-stream` the answer is a stream of events: `begun`, the `words` of a model that writes aloud, then `over` with what it gave.',
        ]
      : []),
  ].join('\n\n');
  return { sheet, curl, openapi: openApiOf(described, { title, secured, waits, takes, gives, name }) };
}

function fieldsList(declared: Declared, sure: 'needed' | 'always'): string {
  const fields = Object.entries(declared).map(([name, type]) => {
    const about = aboutOf(type);
    const kind = `${typeName(type).replace(/\?$/, '')}, ${mayMiss(type) ? 'may be left out' : sure}`;
    return `- \`${name}\` (${kind})${about ? `: ${about}` : ''}`;
  });
  return fields.length === 0 ? 'Nothing.' : fields.join('\n');
}

const quoted = (text: string): string => `'${text.replaceAll("'", "'\\''")}'`;

function curlOf(start: Described['start'], address: string, secured: string, body: Value): string {
  const form = start.by === 'hook' ? (start.body ?? 'json') : 'json';
  const text = form === 'json' ? JSON.stringify(body) : typeof body === 'string' ? body : 'text=what+there+is+to+tell';
  const types = { json: 'application/json', form: 'application/x-www-form-urlencoded', text: 'text/plain' };
  const header = start.by === 'hook' ? (start.header ?? 'x-signature') : '';
  const shown =
    secured === 'token'
      ? [`-H 'authorization: Bearer TOKEN'`]
      : secured === 'signature'
        ? [`-H "${header}: $(printf %s "$BODY" | openssl dgst -sha256 -hmac "$SECRET" -r | cut -d' ' -f1)"`]
        : [];
  const data = secured === 'signature' ? '--data-binary "$BODY"' : `--data-binary ${quoted(text)}`;
  const before = secured === 'signature' ? `SECRET=… BODY=${quoted(text)}\n` : '';
  return `${before}curl -X POST ${quoted(address)} \\\n  -H 'content-type: ${types[form]}' ${[...shown, data].map((p) => `\\\n  ${p}`).join(' ')}`;
}

function openApiOf(
  { document, start, address }: Described,
  of: { title: string; secured: string; waits: boolean; takes: Declared; gives: Declared; name: string },
): Record<string, unknown> {
  const url = new URL(address);
  const form = start.by === 'hook' ? (start.body ?? 'json') : 'json';
  const types = { json: 'application/json', form: 'application/x-www-form-urlencoded', text: 'text/plain' };
  const mapped = start.by === 'hook' && start.given !== undefined;
  const answer = (status: string, gave: boolean) => ({
    description: status === '200' ? 'It is over; what it gave' : 'It is stored and begins, or goes on',
    content: {
      'application/json': {
        schema: {
          type: 'object',
          properties: {
            run: { type: 'string' },
            repeat: { type: 'boolean' },
            outcome: { type: 'string' },
            ...(gave ? { gave: schemaOf(document, of.gives, false) } : {}),
          },
        },
      },
    },
  });
  const secured = of.secured === 'token' ? { token: { type: 'http', scheme: 'bearer' } } : {};
  return {
    openapi: '3.1.0',
    info: { title: of.title, version: '1', ...(start.about === undefined ? {} : { description: start.about }) },
    servers: [{ url: url.origin }],
    components: { securitySchemes: secured },
    paths: {
      [url.pathname]: {
        post: {
          operationId: of.name,
          ...(of.secured === 'token' ? { security: [{ token: [] }] } : {}),
          parameters: [{ name: 'idempotency-key', in: 'header', required: false, schema: { type: 'string', maxLength: 500 } }],
          requestBody: {
            required: true,
            content: {
              [types[form]]: { schema: mapped ? {} : form === 'text' ? { type: 'string' } : schemaOf(document, of.takes, true) },
            },
          },
          responses: { ...(of.waits ? { '200': answer('200', true) } : {}), '202': answer('202', false) },
        },
      },
    },
  };
}
