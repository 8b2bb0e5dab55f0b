import { Environment } from '@marcbachmann/cel-js';
import type { Value } from '../document/shapes.js';
import { wellFormed } from '../text/well-formed.js';

/** Our own functions beside CEL's, with the line that completion and docs show. */
export const FUNCTIONS: Readonly<Record<string, string>> = {
  known: 'known(value): true when it is neither missing nor empty',
  otherwise: 'otherwise(value, instead): the value, or the other one when it is missing or empty',
  upper: 'upper(text): in capitals',
  lower: 'lower(text): in small letters',
  trim: 'trim(text): without spaces at both ends',
  replace: 'replace(text, what, by): every place where `what` stands',
  ending: 'ending(text, most): its last so many characters, from the beginning of a line where there is one',
  join: 'join(list, between): one text of a list',
  first: 'first(list): its first item, or nothing',
  last: 'last(list): its last item, or nothing',
  sum: 'sum(list): the numbers added up',
  round: 'round(number, places): rounded half away from zero',
  addDays: 'addDays(date, days): another date',
  daysBetween: 'daysBetween(from, to): whole days, negative when `to` is earlier',
  weekday: 'weekday(date): Monday to Sunday, in English',
  longDate: 'longDate(date, language): as one would write it, such as Friday 15 May; with the year where it is another one',
};

/** What CEL itself brings; `matches` is left out on purpose, its engine can be made to hang. */
export const CEL_FUNCTIONS: readonly string[] = [
  'size',
  'string',
  'int',
  'double',
  'bool',
  'has',
  'all',
  'exists',
  'exists_one',
  'filter',
  'map',
  'contains',
  'startsWith',
  'endsWith',
  'timestamp',
  'duration',
  'type',
  'split',
  'indexOf',
  'lastIndexOf',
  'substring',
  'lowerAscii',
  'upperAscii',
  'charAt',
  'getFullYear',
  'getMonth',
  'getDate',
  'getDayOfWeek',
  'getHours',
  'getMinutes',
];

const DAY_MS = 86_400_000;

function dayNumber(date: string): number {
  const match = /^(\d{4})-(\d{2})-(\d{2})/.exec(date);
  if (!match) throw new Error(`"${date.slice(0, 40)}" is not a date such as 2026-05-15`);
  return Date.UTC(Number(match[1]), Number(match[2]) - 1, Number(match[3])) / DAY_MS;
}

/** The date `days` after `date`, both as YYYY-MM-DD. Throws where the text is no date. */
export function addDays(date: string, days: number): string {
  return new Date((dayNumber(date) + Math.trunc(days)) * DAY_MS).toISOString().slice(0, 10);
}

const asDate = (date: string): Date => new Date(dayNumber(date) * DAY_MS);

/** A day as one would write it; with its year where that is another one than today's. */
function longDate(date: string, language: string, today: string | undefined): string {
  const words = new Intl.DateTimeFormat(language === 'en' ? 'en-GB' : language, {
    weekday: 'long',
    day: 'numeric',
    month: 'long',
    ...(today !== undefined && today.slice(0, 4) !== date.slice(0, 4) ? { year: 'numeric' as const } : {}),
    timeZone: 'UTC',
  });
  return words.format(asDate(date)).replaceAll(',', '');
}

/** True when a value counts as given: not null, not an empty text, not an empty list. */
export function isKnown(value: unknown): boolean {
  if (value === null || value === undefined) return false;
  return typeof value === 'string' || Array.isArray(value) ? value.length > 0 : true;
}

function roundTo(amount: number, places: number): number {
  const factor = 10 ** Math.max(0, Math.min(12, places));
  return (Math.sign(amount) * Math.round(Math.abs(amount) * factor + 1e-9)) / factor;
}

type Operator = (a: number, b: number) => number | boolean;
const MIXED: Readonly<Record<string, Operator>> = {
  '+': (a, b) => a + b,
  '-': (a, b) => a - b,
  '*': (a, b) => a * b,
  '/': (a, b) => a / b,
  '%': (a, b) => a % b,
};

const COMPARED: Readonly<Record<string, (a: number, b: number) => boolean>> = {
  '==': (a, b) => a === b,
  '!=': (a, b) => a !== b,
  '<': (a, b) => a < b,
  '<=': (a, b) => a <= b,
  '>': (a, b) => a > b,
  '>=': (a, b) => a >= b,
};

/** Numbers are compared whichever way they are written; some of these the library knows, and refuses to be told again. */
function registerComparison(env: Environment, left: string, sign: string, right: string): void {
  const compare = COMPARED[sign];
  try {
    env.registerOperator(
      `${left} ${sign} ${right}: bool`,
      (a: number | bigint, b: number | bigint) => compare?.(Number(a), Number(b)) ?? false,
    );
  } catch {
    // It is there already.
  }
}

/**
 * The CEL environment of Primrose. JavaScript numbers arrive as doubles, so sums of a double and an int are registered.
 * Nesting, length and literal sizes are bounded by `limits`. `today` tells the day of the evaluation that is under way.
 */
export function createEnvironment(today: () => string | undefined = () => undefined): Environment {
  const env = new Environment({
    unlistedVariablesAreDyn: true,
    homogeneousAggregateLiterals: false,
    limits: { maxAstNodes: 2000, maxDepth: 60, maxListElements: 500, maxMapEntries: 200, maxCallArguments: 16 },
  });
  for (const [sign, run] of Object.entries(MIXED)) {
    const mixed = (a: number | bigint, b: number | bigint) => run(Number(a), Number(b));
    env.registerOperator(`double ${sign} int`, mixed);
    env.registerOperator(`int ${sign} double`, mixed);
  }
  for (const sign of ['==', '!=', '<', '<=', '>', '>='] as const)
    for (const [left, right] of [
      ['double', 'int'],
      ['int', 'double'],
    ] as const)
      registerComparison(env, left, sign, right);
  env.registerOperator('double % double', (a: number, b: number) => a % b);
  const num = (n: number | bigint) => Number(n);
  const one = (signature: string, run: (...args: never[]) => unknown) => env.registerFunction(signature, run);
  one('known(dyn): bool', (v: unknown) => isKnown(v));
  one('otherwise(dyn, dyn): dyn', (v: unknown, instead: unknown) => (isKnown(v) ? v : instead));
  one('upper(string): string', (s: string) => s.toUpperCase());
  one('lower(string): string', (s: string) => s.toLowerCase());
  one('trim(string): string', (s: string) => s.trim());
  one('replace(string, string, string): string', replaceAll);
  one('ending(string, int): string', (s: string, most: bigint) => ending(s, num(most)));
  one('ending(string, double): string', ending);
  one('join(list, string): string', joined);
  one('first(list): dyn', (list: unknown[]) => list[0] ?? null);
  one('last(list): dyn', (list: unknown[]) => list.at(-1) ?? null);
  one('sum(list): double', (list: (number | bigint)[]) => list.reduce<number>((total, n) => total + Number(n), 0));
  one('round(double, int): double', (n: number, places: bigint) => roundTo(n, num(places)));
  one('round(int, int): double', (n: bigint) => num(n));
  one('addDays(string, int): string', (date: string, days: bigint) => addDays(date, num(days)));
  one('addDays(string, double): string', (date: string, days: number) => addDays(date, days));
  one('daysBetween(string, string): double', (from: string, to: string) => dayNumber(to) - dayNumber(from));
  one('weekday(string): string', (date: string) =>
    new Intl.DateTimeFormat('en', { weekday: 'long', timeZone: 'UTC' }).format(asDate(date)),
  );
  one('longDate(string, string): string', (date: string, language: string) => longDate(date, language, today()));
  return env;
}

/** The end of a text that is no longer than so many characters, from the beginning of a line where there is one. */
function ending(text: string, most: number): string {
  if (text.length <= most) return text;
  const cut = wellFormed(text.slice(text.length - Math.max(0, Math.floor(most))));
  const line = cut.indexOf('\n');
  return line < 0 ? cut : cut.slice(line + 1);
}

const MAX_TEXT = 100_000;

/** Refuses a text before it is made: one that is far too long would fill the memory first. */
function assertLength(length: number): void {
  if (length > MAX_TEXT) throw new Error(`the text would be longer than ${MAX_TEXT} characters`);
}

function replaceAll(text: string, what: string, by: string): string {
  if (what === '') return text;
  const parts = text.split(what);
  assertLength(text.length + (parts.length - 1) * (by.length - what.length));
  return parts.join(by);
}

function joined(list: readonly unknown[], between: string): string {
  const texts = list.map(textOf);
  assertLength(texts.reduce((sum, t) => sum + t.length + between.length, 0));
  return texts.join(between);
}

/** How a value reads in a sentence: lists with commas, yes and no for booleans, objects as JSON. */
export function textOf(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'string') return value;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'number' || typeof value === 'bigint') return String(value);
  if (Array.isArray(value)) return value.map(textOf).join(', ');
  return JSON.stringify(value);
}

/** A result of CEL as one of our values: ints become numbers, timestamps ISO texts. Throws on what has no such form. */
export function toValue(raw: unknown): Value {
  if (raw === null || raw === undefined) return null;
  if (typeof raw === 'bigint') return Number(raw);
  if (typeof raw === 'string' || typeof raw === 'number' || typeof raw === 'boolean') return raw;
  if (raw instanceof Date) return raw.toISOString();
  if (Array.isArray(raw))
    return raw.some((v) => typeof v === 'bigint' || typeof v === 'object') ? raw.map(toValue) : (raw as Value[]);
  const proto: unknown = Object.getPrototypeOf(raw);
  if (proto === Object.prototype || proto === null) {
    return Object.fromEntries(Object.entries(raw).map(([key, v]) => [key, toValue(v)]));
  }
  return textOf(JSON.parse(JSON.stringify(raw)));
}
