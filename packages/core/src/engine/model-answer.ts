import type { BotDocument } from '../document/schema.js';
import { isTable, typeName, type TypeDeclaration, type TypeObject, type Value } from '../document/shapes.js';
import { fitsType } from '../document/variables.js';
import { readEntity } from '../understanding/answers.js';

/** The fields that a model is to give, and the bot whose entities they may be of. */
export interface AnswerFields {
  readonly gives: Readonly<Record<string, TypeDeclaration>>;
  readonly document: BotDocument;
}

const JSON_TYPES: Readonly<Record<string, Readonly<Record<string, Value>>>> = {
  text: { type: 'string' },
  number: { type: 'number' },
  yes_no: { type: 'boolean' },
  date: { type: 'string', format: 'date' },
  time: { type: 'string', description: 'HH:MM' },
  email: { type: 'string', format: 'email' },
  phone: { type: 'string' },
  list: { type: 'array' },
  object: { type: 'object' },
};

/** All fields of an answer together, at every depth, are no more; objects stand in each other no deeper. */
export const MOST_FIELDS = 60;
export const DEEPEST_FIELD = 6;

/** How many fields declarations have, at every depth; those deeper than any answer may be count as too many. */
export function countFields(gives: Readonly<Record<string, TypeDeclaration>>, depth = 1): number {
  if (depth > DEEPEST_FIELD) return MOST_FIELDS + 1;
  return Object.values(gives).reduce<number>(
    (sum, d) => sum + 1 + (fieldsOf(d) ? countFields(fieldsOf(d) ?? {}, depth + 1) : 0),
    0,
  );
}

const fieldsOf = (d: TypeDeclaration): Readonly<Record<string, TypeDeclaration>> | undefined =>
  typeof d === 'string' ? undefined : d.fields;

/** The JSON Schema (2020-12) of the fields; one whose type ends in `?` may be null. */
export function answerSchema({ gives, document }: AnswerFields): Value {
  return {
    type: 'object',
    properties: Object.fromEntries(Object.entries(gives).map(([name, type]) => [name, fieldSchema(type, document)])),
    required: Object.keys(gives),
    additionalProperties: false,
  };
}

function fieldSchema(declaration: TypeDeclaration, document: BotDocument): Value {
  const type = typeName(declaration).replace(/\?$/, '');
  const optional = typeName(declaration).endsWith('?');
  const {
    fields,
    one_of: among,
    of,
    example,
    ...rest
  } = typeof declaration === 'string' ? ({} as Partial<TypeObject>) : declaration;
  const about = rest.about ?? rest.name;
  const values = document.entities?.[type]?.values;
  const told = (description: readonly (string | undefined)[]) => {
    const words = description.filter((d) => d !== undefined && d !== '').join('. ');
    return { ...(words === '' ? {} : { description: words }), ...(example === undefined ? {} : { examples: [example] }) };
  };
  if (among) return { enum: [...among, ...(optional ? [null] : [])], ...told([about]) };
  if (values) {
    const words = Object.entries(values).map(
      ([id, w]) => `${id}: ${(Array.isArray(w) ? w : Object.values(w).flat()).join(', ')}`,
    );
    return { enum: [...Object.keys(values), ...(optional ? [null] : [])], ...told([about, words.join('; ')]) };
  }
  const { description, ...plain } = JSON_TYPES[type] ?? { type: 'string' };
  const object = fields && (answerSchema({ gives: fields, document }) as Readonly<Record<string, Value>>);
  const inner = object && type === 'object' ? object : {};
  const items = type !== 'list' ? undefined : (object ?? (of === undefined ? undefined : fieldSchema(of, document)));
  return {
    ...plain,
    ...inner,
    ...(items === undefined ? {} : { items }),
    ...(optional ? { type: [plain['type'] ?? 'string', 'null'] } : {}),
    ...told([about, typeof description === 'string' && about === undefined ? description : undefined]),
  };
}

export type ReadModelAnswer =
  { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly field: string; readonly reason: string };

/**
 * Reads a model's answer as the fields that were asked for: with or without a code fence around it, a listed value by its
 * id or its words. Fields that nobody asked for are left out. A field that does not fit is named by its path: `items[2].price`.
 */
export function readModelAnswer(text: string, { gives, document }: AnswerFields, language: string): ReadModelAnswer {
  const parsed = parseObject(text);
  if (!parsed) return { ok: false, field: '', reason: 'it is no JSON object' };
  return readFields(document, gives, parsed, language, '');
}

function readFields(
  document: BotDocument,
  gives: Readonly<Record<string, TypeDeclaration>>,
  given: Readonly<Record<string, Value>>,
  language: string,
  path: string,
): ReadModelAnswer {
  const value: Record<string, Value> = {};
  for (const [name, declaration] of Object.entries(gives)) {
    const at = path === '' ? name : `${path}.${name}`;
    const read = readAt(document, declaration, given[name] ?? null, language, at);
    if (!read.ok) return read;
    value[name] = read.value;
  }
  return { ok: true, value };
}

/** Reads a value of any declared type, nested ones as well; what does not fit is named by its path. */
export function readDeclared(document: BotDocument, declaration: TypeDeclaration, given: Value, language: string) {
  const read = readAt(document, declaration, given, language, '');
  if (read.ok) return read;
  const at = read.field.replace(/^\./, '');
  return { ok: false as const, reason: at === '' ? read.reason : `${at}: ${read.reason}` };
}

function readAt(
  document: BotDocument,
  declaration: TypeDeclaration,
  given: Value,
  language: string,
  path: string,
): ReadModelAnswer {
  const type = typeName(declaration);
  const bare = type.replace(/\?$/, '');
  const { fields, of } = typeof declaration === 'string' ? ({} as Partial<TypeObject>) : declaration;
  if (bare === 'object' && fields && isTable(given)) return readFields(document, fields, given, language, path);
  if (bare === 'list' && Array.isArray(given) && (fields || of)) {
    const items: Value[] = [];
    for (const [i, item] of (given as readonly Value[]).entries()) {
      const read = readAt(document, fields ? { type: 'object', fields } : (of ?? 'any'), item, language, `${path}[${i}]`);
      if (!read.ok) return read;
      items.push(read.value);
    }
    return { ok: true, value: items };
  }
  const read = readField(document, declaration, given, language);
  return read.ok ? read : { ok: false, field: path, reason: read.reason };
}

/** Reads one value that a model gave for a declared type: a listed value by its id or its words, a number from figures. */
function readField(
  document: BotDocument,
  declaration: TypeDeclaration,
  given: Value,
  language: string,
): { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly reason: string } {
  const type = typeName(declaration);
  const bare = type.replace(/\?$/, '');
  const among = typeof declaration === 'string' ? undefined : declaration.one_of;
  const loose =
    among && typeof given === 'string' ? (among.find((a) => a.toLowerCase() === given.trim().toLowerCase()) ?? given) : given;
  const read = given === '' && type.endsWith('?') ? null : listed(loose, bare, document, language);
  if (read === null && !type.endsWith('?')) return { ok: false, reason: 'it is missing' };
  if (fitsType(document, declaration, read)) return { ok: true, value: read };
  const shown = JSON.stringify(given).slice(0, 60);
  return { ok: false, reason: among ? `${shown} is none of ${among.join(', ').slice(0, 200)}` : `${shown} is no ${bare}` };
}

/** The object in a text, with or without a code fence around it; undefined where it is none. */
export function parseObject(text: string): Readonly<Record<string, Value>> | undefined {
  const bare = text.trim().replace(/^```[a-z]*\s*|\s*```$/g, '');
  try {
    const parsed: unknown = JSON.parse(bare);
    return parsed !== null && typeof parsed === 'object' && !Array.isArray(parsed)
      ? (parsed as Record<string, Value>)
      : undefined;
  } catch {
    return undefined;
  }
}

/** A value of a list entity by its id, however the model wrote it. */
function listed(value: Value, type: string, document: BotDocument, language: string): Value {
  const values = document.entities?.[type]?.values;
  if (!values || typeof value !== 'string' || Object.hasOwn(values, value)) return value;
  const options = Object.entries(values).map(([id, words]) => ({
    id,
    words: [id, ...(Array.isArray(words) ? words : [...(words[language] ?? []), ...Object.values(words).flat()])],
  }));
  return readEntity(value, options)?.value ?? value;
}
