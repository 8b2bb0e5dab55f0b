import type { z } from 'zod';
import { DURATION_PATTERN, ID_PATTERN, LANGUAGE_PATTERN, NAME_PATTERN, TARGET_PATTERN } from './shapes.js';

/** A mistake that a schema found. */
export type Issue = z.core.$ZodIssue;

/** What is wrong about a value, as facts for a sentence: the key it stands under, the value, and what to write instead. */
export interface Misfit {
  readonly key: string;
  readonly value: string;
  readonly write: string;
}

const LONGEST = 80;
const TYPES: Readonly<Record<string, string>> = {
  string: 'a text',
  number: 'a number',
  int: 'a whole number',
  boolean: 'true or false',
  array: 'a list',
  object: 'keys and values',
  record: 'keys and values',
  null: 'null',
};
const FORMS: readonly (readonly [RegExp, string])[] = [
  [TARGET_PATTERN, 'a variable such as flow.day, session.day or visitor.day'],
  [DURATION_PATTERN, 'a time with its unit, such as 500ms, 4s, 2m, 12h or 3d'],
  [ID_PATTERN, 'small letters, digits and hyphens, such as ask-day'],
  [NAME_PATTERN, 'small letters, digits and underscores, such as travel_day'],
  [LANGUAGE_PATTERN, 'a language such as en or de'],
];
const FORMATS: Readonly<Record<string, string>> = {
  url: 'an address such as https://example.org/api',
  datetime: 'a moment such as 2026-05-14T09:00:00Z',
  date: 'a date such as 2026-05-14',
  uuid: 'an id as the API has told it',
  email: 'an e-mail address',
};

/** What a value should be that a schema did not take. `schema` is that of the value itself, where it is known. */
export function misfitOf(issue: Issue, found: unknown, schema?: z.core.$ZodType): Misfit {
  return { key: String(issue.path.at(-1) ?? ''), value: shownValue(found), write: wanted(issue, found, schema) };
}

/** A value in a message: as JSON, cut. */
export function shownValue(found: unknown): string {
  const json = JSON.stringify(found) as string | undefined;
  if (json === undefined) return 'nothing';
  return json.length > LONGEST ? `${json.slice(0, LONGEST)}…` : json;
}

function wanted(issue: Issue, found: unknown, schema: z.core.$ZodType | undefined): string {
  switch (issue.code) {
    case 'invalid_type':
      return wantedType(issue.expected, found, schema);
    case 'invalid_value':
      return `one of: ${issue.values.map((v) => String(v)).join(', ')}`;
    case 'invalid_format':
      return wantedForm(issue);
    case 'too_small':
      return amount('at least', issue.origin, Number(issue.minimum));
    case 'too_big':
      return amount('at most', issue.origin, Number(issue.maximum));
    case 'invalid_union':
      return 'it in one of the forms that the docs show';
    default:
      return ownWords(issue) ?? 'something else';
  }
}

function wantedType(expected: string, found: unknown, schema: z.core.$ZodType | undefined): string {
  const pattern = schema && patternOf(schema);
  if (typeof found === 'number' && pattern === DURATION_PATTERN.source) return `a time with its unit, such as ${found}s`;
  if (expected === 'string' && (typeof found === 'number' || typeof found === 'boolean'))
    return `it as a text: "${String(found)}"`;
  const form = FORMS.find(([p]) => p.source === pattern)?.[1];
  return form ?? TYPES[expected] ?? expected;
}

function wantedForm(issue: Issue & { code: 'invalid_format' }): string {
  const own = ownWords(issue);
  if (own !== undefined) return own;
  const pattern = issue.pattern?.replace(/^\/|\/[a-z]*$/g, '');
  return FORMS.find(([p]) => p.source === pattern)?.[1] ?? FORMATS[issue.format] ?? 'it in another form; the docs show which';
}

function amount(how: string, of: string, n: number): string {
  const many = (one: string) => `${n} ${n === 1 ? one : `${one}s`}`;
  if (of === 'string') return `${how} ${many('character')}`;
  if (of === 'array' || of === 'set') return `${how} ${many('item')}`;
  if (of === 'number' || of === 'int') return `a number of ${how} ${n}`;
  return `${how} ${n}`;
}

/** The words of whoever wrote the schema; undefined where they are only the library's. */
function ownWords({ message }: Issue): string | undefined {
  return /^(Invalid|Too (small|big)|Unrecognized|Expected)/.test(message) ? undefined : message;
}

/** The pattern of a text, as it stands in its schema. */
function patternOf(schema: z.core.$ZodType): string | undefined {
  const def = schema._zod.def as {
    type: string;
    innerType?: z.core.$ZodType;
    checks?: { _zod: { def: { pattern?: RegExp } } }[];
  };
  if (def.innerType) return patternOf(def.innerType);
  return def.checks?.map((c) => c._zod.def.pattern?.source).find((p) => p !== undefined);
}
