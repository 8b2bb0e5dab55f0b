import type { BotDocument } from '../../document/schema.js';
import { isTable, typeName, type TypeDeclaration, type Value } from '../../document/shapes.js';
import { answerSchema, readDeclared } from '../model-answer.js';

/*
 * What a tool takes: how a model is shown a parameter, and how what it wrote is read. A parameter is declared with a type of
 * ours, or by a JSON Schema where the tool is somebody else's.
 */

export type ReadParam = { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly reason: string };

/** A parameter that a model fills in. */
export interface Param {
  readonly name: string;
  readonly needed: boolean;
  readonly schema: Value;
  /** Our name for its kind of value; undefined where it is somebody else's. */
  readonly type: string | undefined;
  readonly read: (value: Value, language: string) => ReadParam;
}

/** A parameter of a type of ours. */
export function typedParam(document: BotDocument, name: string, declaration: TypeDeclaration, about: string | undefined): Param {
  const described = about === undefined ? declaration : { ...asObject(declaration), about };
  const type = typeName(declaration);
  const shown = answerSchema({ gives: { [name]: described }, document });
  const properties = isTable(shown) && isTable(shown['properties']) ? shown['properties'] : {};
  return {
    name,
    needed: !type.endsWith('?') && !(typeof declaration === 'object' && declaration.value !== undefined),
    schema: properties[name] ?? {},
    type: type.replace(/\?$/, ''),
    read: (value, language) => readDeclared(document, declaration, value, language),
  };
}

function asObject(declaration: TypeDeclaration): Exclude<TypeDeclaration, string> {
  return typeof declaration === 'string' ? { type: declaration } : declaration;
}

/** The parameters of a JSON Schema of an object. */
export function schemaParams(takes: Value | undefined, abouts: Readonly<Record<string, string>>): Param[] {
  if (!isTable(takes) || !isTable(takes['properties'])) return [];
  const required = Array.isArray(takes['required']) ? (takes['required'] as readonly Value[]) : [];
  return Object.entries(takes['properties']).map(([name, schema]): Param => {
    const about = abouts[name];
    return {
      name,
      needed: required.includes(name),
      schema: about !== undefined && isTable(schema) ? { ...schema, description: about } : schema,
      type: undefined,
      read: (value) => {
        const reason = misfit(schema, value);
        return reason === undefined ? { ok: true, value } : { ok: false, reason };
      },
    };
  });
}

const TYPES: Readonly<Record<string, (v: Value) => boolean>> = {
  string: (v) => typeof v === 'string',
  number: (v) => typeof v === 'number',
  integer: (v) => typeof v === 'number' && Number.isInteger(v),
  boolean: (v) => typeof v === 'boolean',
  array: (v) => Array.isArray(v),
  object: (v) => isTable(v),
  null: (v) => v === null,
};
const DEEPEST = 8;

/** Why a value does not fit a JSON Schema, as far as its types, lists and required fields say; undefined where it does. */
function misfit(schema: Value, value: Value, depth = 0): string | undefined {
  if (!isTable(schema) || depth > DEEPEST) return undefined;
  const { type, properties, items } = schema;
  const types = (Array.isArray(type) ? (type as readonly Value[]) : [type]).filter((t): t is string => typeof t === 'string');
  if (types.length > 0 && !types.some((t) => TYPES[t]?.(value) ?? true))
    return `${JSON.stringify(value).slice(0, 60)} is no ${types.join(' or ')}`;
  const listed = schema['enum'];
  if (Array.isArray(listed) && !(listed as readonly Value[]).some((v) => JSON.stringify(v) === JSON.stringify(value)))
    return `${JSON.stringify(value).slice(0, 60)} is none of ${JSON.stringify(listed).slice(0, 200)}`;
  if (Array.isArray(value) && items !== undefined) {
    for (const item of value as readonly Value[]) {
      const reason = misfit(items, item, depth + 1);
      if (reason !== undefined) return reason;
    }
  }
  if (!isTable(value) || !isTable(properties)) return undefined;
  const required = Array.isArray(schema['required']) ? (schema['required'] as readonly Value[]) : [];
  const missing = required.find((key): key is string => typeof key === 'string' && !(key in value));
  if (missing !== undefined) return `"${missing}" is missing in it`;
  for (const [key, inner] of Object.entries(properties)) {
    const held = value[key];
    const reason = held === undefined ? undefined : misfit(inner, held, depth + 1);
    if (reason !== undefined) return `${key}: ${reason}`;
  }
  return undefined;
}

/** The JSON Schema of all parameters that a model fills in. */
export function paramsSchema(params: readonly Param[]): Value {
  return {
    type: 'object',
    properties: Object.fromEntries(params.map((p) => [p.name, p.schema])),
    required: params.filter((p) => p.needed).map((p) => p.name),
    additionalProperties: false,
  };
}

export type ReadCall =
  { readonly ok: true; readonly values: Readonly<Record<string, Value>> } | { readonly ok: false; readonly reason: string };

/** What is wrong with a call in so many words at most. */
const LONGEST_REASON = 600;

/** Reads what a model wrote for the parameters of a tool; all that is wrong in it is told at once. */
export function readCall(params: readonly Param[], written: string, language: string): ReadCall {
  const given = parsed(written);
  if (!given) return { ok: false, reason: 'the parameters are no JSON object' };
  const wrong: string[] = [];
  const values: Record<string, Value> = {};
  for (const param of params) {
    const value = given[param.name] ?? null;
    if (value === null || value === '') {
      if (param.needed) wrong.push(`"${param.name}" is missing`);
      continue;
    }
    const read = param.read(value, language);
    if (read.ok) values[param.name] = read.value;
    else wrong.push(`"${param.name}": ${read.reason}`);
  }
  const known = new Set(params.map((p) => p.name));
  for (const name of Object.keys(given)) if (!known.has(name)) wrong.push(`there is no parameter "${name.slice(0, 60)}"`);
  return wrong.length === 0 ? { ok: true, values } : { ok: false, reason: wrong.join('; ').slice(0, LONGEST_REASON) };
}

function parsed(written: string): Readonly<Record<string, Value>> | undefined {
  if (written.trim() === '') return {};
  try {
    const read: unknown = JSON.parse(written);
    return read !== null && typeof read === 'object' && !Array.isArray(read) ? (read as Record<string, Value>) : undefined;
  } catch {
    return undefined;
  }
}
