import { parseDocument } from 'yaml';
import { DEEPEST_FIELD, MOST_FIELDS } from '../engine/model-answer.js';
import { NAME_PATTERN, type TypeDeclaration, type TypeObject, type Value } from '../document/shapes.js';

/*
 * Fields from an example: what a model is to give is guessed from one object such as it should be, to be corrected by people.
 */

export type FieldsFromExample =
  | { readonly ok: true; readonly fields: Readonly<Record<string, TypeDeclaration>> }
  | { readonly ok: false; readonly reason: string };

const EXAMPLE_SIZE = 100_000;
const MOST_ALIASES = 50;
/** An example of a field is kept where it is short. */
const SHORT_EXAMPLE = 200;

/** Reads an example, JSON or YAML, and guesses the fields that it has: their types, whether they may be empty, and what they are. */
export function fieldsFromExample(text: string): FieldsFromExample {
  if (text.trim() === '')
    return { ok: false, reason: 'The example is empty. Paste one object, such as {"boat": "Wrackline", "seats": 4}.' };
  if (text.length > EXAMPLE_SIZE)
    return {
      ok: false,
      reason: `The example has ${text.length} characters; at most ${EXAMPLE_SIZE} are read. Paste one object and not all of them.`,
    };
  let read: unknown;
  try {
    const parsed = parseDocument(text);
    if (parsed.errors.length > 0)
      return { ok: false, reason: `The example cannot be read: ${(parsed.errors[0]?.message ?? '').split('\n')[0]}.` };
    read = parsed.toJS({ maxAliasCount: MOST_ALIASES });
  } catch (error) {
    return { ok: false, reason: `The example cannot be read: ${error instanceof Error ? error.message : String(error)}.` };
  }
  const one: unknown = Array.isArray(read) && read.length > 0 ? read[0] : read;
  if (one === null || typeof one !== 'object' || Array.isArray(one))
    return { ok: false, reason: 'The example is no object. Paste one with names and values, such as {"boat": "Wrackline"}.' };
  const reading = new Reading();
  const fields = reading.fields(Array.isArray(read) ? (read as unknown[]) : [one], 1);
  return reading.problem === undefined ? { ok: true, fields } : { ok: false, reason: reading.problem };
}

class Reading {
  problem: string | undefined;
  #count = 0;
  readonly #above = new Set<unknown>();

  /** The fields of objects that are all of one shape; one that is missing in some of them may be empty. */
  fields(objects: readonly unknown[], depth: number): Record<string, TypeDeclaration> {
    const fields: Record<string, TypeDeclaration> = {};
    const plain = objects.filter((o): o is Record<string, unknown> => o !== null && typeof o === 'object' && !Array.isArray(o));
    const refers = plain.some((o) => this.#above.has(o));
    if (refers) this.problem ??= 'The example refers to itself, so it never ends. Write it out once, without references.';
    else if (depth > DEEPEST_FIELD)
      this.problem ??= `The example is nested more than ${DEEPEST_FIELD} deep. Take out the inner parts, or ask for them as text.`;
    if (this.problem !== undefined) return fields;
    plain.forEach((o) => this.#above.add(o));
    for (const key of new Set(plain.flatMap((o) => Object.keys(o)))) {
      const values = plain.map((o) => (Object.hasOwn(o, key) ? o[key] : undefined));
      const name = freeName(nameFor(key), fields);
      this.#count++;
      if (this.#count > MOST_FIELDS)
        this.problem ??= `The example has more than ${MOST_FIELDS} fields. A model fills in a few well: keep those that are used.`;
      if (this.problem !== undefined) break;
      fields[name] = this.#field(key, values, depth);
    }
    plain.forEach((o) => this.#above.delete(o));
    return fields;
  }

  #field(key: string, values: readonly unknown[], depth: number): TypeDeclaration {
    const there = values.filter((v) => v !== undefined && v !== null);
    const optional = there.length < values.length ? '?' : '';
    const about = wordsOf(key);
    const [first] = there;
    if (Array.isArray(first)) {
      const items = there.flatMap((v) => (Array.isArray(v) ? (v as unknown[]) : []));
      return { type: `list${optional}`, about, ...this.#items(items, depth) };
    }
    if (first !== null && typeof first === 'object')
      return { type: `object${optional}`, about, fields: this.fields(there, depth + 1) };
    const type = there.length === 0 ? 'text?' : `${typeOf(first)}${optional}`;
    const short = typeof first !== 'string' || first.length <= SHORT_EXAMPLE;
    return { type, about, ...(first === undefined || !short ? {} : { example: first as Value }) };
  }

  #items(items: readonly unknown[], depth: number): Pick<TypeObject, 'of' | 'fields'> {
    const [first] = items;
    if (first === undefined) return {};
    if (Array.isArray(first)) return { of: 'list' };
    if (first !== null && typeof first === 'object') return { fields: this.fields(items, depth + 1) };
    return { of: typeOf(first) };
  }
}

function typeOf(value: unknown): string {
  if (typeof value === 'number') return 'number';
  if (typeof value === 'boolean') return 'yes_no';
  if (typeof value !== 'string') return 'text';
  if (/^\d{4}-\d{2}-\d{2}$/.test(value)) return 'date';
  if (/^\d{1,2}:\d{2}$/.test(value)) return 'time';
  if (/^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(value)) return 'email';
  if (/^\+\d[\d ]{6,18}$/.test(value)) return 'phone';
  return 'text';
}

/** A key as a name of ours: `totalPrice` and `Total price` are `total_price`. */
function nameFor(key: string): string {
  const made = key
    .normalize('NFKD')
    .replace(/\p{M}+/gu, '')
    .replace(/([a-z0-9])([A-Z])/g, '$1_$2')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^_+|_+$/g, '')
    .slice(0, 60);
  const begun = /^[a-z]/.test(made) ? made : `field_${made}`.replace(/_+$/, '');
  return NAME_PATTERN.test(begun) ? begun : 'field';
}

function freeName(wanted: string, taken: Readonly<Record<string, unknown>>): string {
  let name = wanted;
  for (let n = 2; Object.hasOwn(taken, name); n++) name = `${wanted}_${n}`;
  return name;
}

const wordsOf = (key: string): string =>
  key
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .replace(/[_-]+/g, ' ')
    .trim()
    .toLowerCase();
