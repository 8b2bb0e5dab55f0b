import { isTable, type Value } from '../../document/shapes.js';
import { normalise } from '../../understanding/words.js';
import { parseObject, readModelAnswer, type AnswerFields } from '../model-answer.js';
import type { WrittenPart } from './parts.js';

/*
 * What a model is to answer with: fields, one of some ways, or both; and how it is asked again, once, where its answer does not fit.
 */

/** The way that stands open always. */
export const NONE_OF_THEM = 'none-of-them';
/** The field in which a model names the way. */
const WAY = 'way';

type Ways = Readonly<Record<string, { readonly about: string }>>;

export interface Wanted {
  readonly fields: AnswerFields | undefined;
  readonly ways: readonly string[] | undefined;
}

export function waysPart(ways: Ways): WrittenPart {
  const lines = Object.entries(ways).map(([id, { about }]) => `- ${id}: ${about}`);
  return {
    part: 'the ways',
    text: `# the ways\nChoose the one way that fits; ${NONE_OF_THEM} where none fits well.\n${lines.join('\n')}\n- ${NONE_OF_THEM}: none of these`,
  };
}

/** The JSON Schema of an answer that names a way, before its other fields. */
export function waySchema(ways: Ways, fields: Value | undefined): Value {
  const inner = isTable(fields) ? fields : {};
  const properties = isTable(inner['properties']) ? inner['properties'] : {};
  const required = Array.isArray(inner['required']) ? (inner['required'] as readonly Value[]) : [];
  const about = Object.entries(ways)
    .map(([id, w]) => `${id}: ${w.about}`)
    .join('; ');
  return {
    type: 'object',
    properties: { [WAY]: { enum: [...Object.keys(ways), NONE_OF_THEM], description: about }, ...properties },
    required: [WAY, ...required],
    additionalProperties: false,
  };
}

export type ReadWanted =
  | { readonly ok: true; readonly way?: string; readonly fields?: Value }
  | { readonly ok: false; readonly field: string; readonly reason: string };

/** Reads an answer: a way by its name, bare or in an object; fields as they are declared. */
export function readWanted(text: string, { fields, ways }: Wanted, language: string): ReadWanted {
  const object = parseObject(text);
  const chosen = ways ? wayIn(object?.[WAY] ?? (fields ? null : text), ways) : undefined;
  if (ways && chosen === undefined)
    return { ok: false, field: WAY, reason: `it names none of ${[...ways, NONE_OF_THEM].join(', ')}` };
  const way = chosen === undefined ? {} : { way: chosen };
  if (!fields) return { ok: true, ...way };
  // Who chooses no way has nothing to fill in.
  if (chosen === NONE_OF_THEM) return { ok: true, ...way };
  const read = readModelAnswer(text, fields, language);
  return read.ok ? { ok: true, ...way, fields: read.value } : read;
}

function wayIn(said: Value, ways: readonly string[]): string | undefined {
  if (typeof said !== 'string') return undefined;
  const even = normalise(said);
  return [...ways, NONE_OF_THEM].find((w) => normalise(w) === even);
}

/** How a model is asked again: with what is wrong, and nothing else. */
export function askedAgain(field: string, reason: string): string {
  const where = field === '' ? 'Your answer' : `The field "${field}" of your answer`;
  return `${where} does not fit: ${reason}. Answer again with the whole JSON object and nothing else.`;
}
