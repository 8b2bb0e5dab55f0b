import type { BotDocument } from '../document/schema.js';
import { typeName, type TypeDeclaration, type Value } from '../document/shapes.js';
import { fitsType } from '../document/variables.js';
import { readEntity } from '../understanding/answers.js';

/** The fields that a model is to give, and the bot whose entities they may be of. */
export interface AnswerFields {
  readonly gives: Readonly<Record<string, TypeDeclaration>>;
  readonly document: BotDocument;
}

const JSON_TYPES: Readonly<Record<string, Value>> = {
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
  const about = typeof declaration === 'object' ? (declaration.about ?? declaration.name) : undefined;
  const values = document.entities?.[type]?.values;
  if (!values) {
    const plain = (JSON_TYPES[type] ?? { type: 'string' }) as Readonly<Record<string, Value>>;
    return {
      ...plain,
      ...(optional ? { type: [plain['type'] ?? 'string', 'null'] } : {}),
      ...(about ? { description: about } : {}),
    };
  }
  const words = Object.entries(values).map(([id, w]) => `${id}: ${(Array.isArray(w) ? w : Object.values(w).flat()).join(', ')}`);
  return {
    enum: [...Object.keys(values), ...(optional ? [null] : [])],
    description: [about, words.join('; ')].filter(Boolean).join('. '),
  };
}

export type ReadModelAnswer =
  { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly field: string; readonly reason: string };

/**
 * Reads a model's answer as the fields that were asked for: with or without a code fence around it, a listed value by its
 * id or its words. Fields that nobody asked for are left out.
 */
export function readModelAnswer(text: string, { gives, document }: AnswerFields, language: string): ReadModelAnswer {
  const parsed = parseObject(text);
  if (!parsed) return { ok: false, field: '', reason: 'it is no JSON object' };
  const value: Record<string, Value> = {};
  for (const [name, declaration] of Object.entries(gives)) {
    const type = typeName(declaration);
    const given = parsed[name] ?? null;
    const read = given === '' && type.endsWith('?') ? null : listed(given, type.replace(/\?$/, ''), document, language);
    if (read === null && !type.endsWith('?')) return { ok: false, field: name, reason: 'it is missing' };
    if (!fitsType(document, declaration, read))
      return { ok: false, field: name, reason: `${JSON.stringify(given).slice(0, 60)} is no ${type.replace(/\?$/, '')}` };
    value[name] = read;
  }
  return { ok: true, value };
}

function parseObject(text: string): Readonly<Record<string, Value>> | undefined {
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
