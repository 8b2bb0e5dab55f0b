import { z } from 'zod';
import type { Endpoint } from './endpoint.js';
import { endpoints } from './endpoints.js';

interface Schema {
  readonly type?: string | readonly string[];
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
  readonly items?: Schema;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly additionalProperties?: Schema | boolean;
  readonly propertyNames?: Schema;
}

const DEEPEST = 2;

/** A schema as one writes a value of it: `{ "id": text, "text"?: text }`. */
function written(schema: Schema, depth = 0): string {
  const choices = schema.anyOf ?? schema.oneOf;
  if (choices) return [...new Set(choices.map((c) => written(c, depth)))].join(' or ');
  if (schema.const !== undefined) return JSON.stringify(schema.const);
  if (schema.enum) return schema.enum.map((v) => JSON.stringify(v)).join(' or ');
  const { properties } = schema;
  if (properties && depth < DEEPEST) {
    const fields = Object.entries(properties).map(
      ([name, of]) => `"${name}"${schema.required?.includes(name) ? '' : '?'}: ${written(of, depth + 1)}`,
    );
    return `{ ${fields.join(', ')} }`;
  }
  switch (schema.type) {
    case 'string':
      return 'text';
    case 'integer':
      return 'whole number';
    case 'number':
    case 'boolean':
    case 'null':
      return schema.type;
    case 'array':
      return `[${schema.items ? written(schema.items, depth + 1) : 'any'}]`;
    case 'object': {
      const of = schema.additionalProperties;
      const names = schema.propertyNames?.enum;
      if (names && typeof of === 'object')
        return `{ ${names.map((n) => `"${String(n)}"?`).join(', ')}: ${written(of, depth + 1)} }`;
      return typeof of === 'object' && Object.keys(of).length > 0 && depth < DEEPEST
        ? `{ name: ${written(of, depth + 1)} }`
        : 'object';
    }
    default:
      return 'any';
  }
}

/** Every body that a request of the API may have, as lines of a table in Markdown: what is sent where. */
export function requestBodies(): string {
  const rows = (Object.entries(endpoints) as [string, Endpoint][]).flatMap(([, e]) => {
    if (e.upload) return [`| \`${e.method} ${e.path}\` | a file: ${e.upload.map((t) => `\`${t}\``).join(' or ')} |`];
    if (!e.body) return [];
    const schema = z.toJSONSchema(e.body, { unrepresentable: 'any', io: 'input' }) as Schema;
    return [`| \`${e.method} ${e.path}\` | \`${written(schema).replaceAll('|', '\\|')}\` |`];
  });
  return ['| request | body |', '|---|---|', ...rows].join('\n');
}
