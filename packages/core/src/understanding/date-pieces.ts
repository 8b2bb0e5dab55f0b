import { ONE, type DateWords, type NamedDay } from './date-words.js';
import { normalise } from './words.js';

/** A word, a number or a mark of a text. */
export interface Piece {
  readonly word: string;
  readonly number: number | undefined;
  readonly from: number;
  readonly to: number;
}

const MOST_PIECES = 250;

/** "Samstagvormittag": a day and a part of it in one word. */
const DAY_AND_PART = /^((?:sonn|mon|diens|donners|frei|sams)tag|mittwoch)(morgen|vormittag|mittag|nachmittag|abend|nacht)$/;

/** The words, numbers and marks of a text, of which so many are read. */
export function piecesOf(text: string): Piece[] {
  return [...text.matchAll(/\d+|[\p{L}\p{M}]+|[^\s\p{L}\p{M}\d]/gu)].slice(0, MOST_PIECES).flatMap((m): Piece[] => {
    const [from, to] = [m.index, m.index + m[0].length];
    const word = /^[\p{L}\p{M}]/u.test(m[0]) ? normalise(m[0]) : m[0];
    const [, day, part] = DAY_AND_PART.exec(word) ?? [];
    if (day === undefined || part === undefined)
      return [{ word, number: /^\d{1,4}$/.test(m[0]) ? Number(m[0]) : undefined, from, to }];
    const middle = from + day.length;
    return [
      { word: day, number: undefined, from, to: middle },
      { word: part === 'morgen' ? 'vormittag' : part, number: undefined, from: middle, to },
    ];
  });
}

/** Phrases as words, by the first of them; made once for each list. */
const firsts = new WeakMap<readonly string[], ReadonlyMap<string, readonly (readonly string[])[]>>();

/** Phrases by their first word. */
export function byFirst(phrases: readonly string[]): ReadonlyMap<string, readonly (readonly string[])[]> {
  const known = firsts.get(phrases);
  if (known) return known;
  const made = new Map<string, string[][]>();
  for (const phrase of phrases) {
    const words = phrase.split(' ');
    made.set(words[0] ?? '', [...(made.get(words[0] ?? '') ?? []), words]);
  }
  firsts.set(phrases, made);
  return made;
}

/** Lists of a language in the forms that are looked through. */
export interface Lists {
  /** By their first word, the longest first. */
  readonly numbers: ReadonlyMap<string, readonly (readonly [readonly string[], number])[]>;
  readonly days: ReadonlyMap<string, readonly (readonly [readonly string[], NamedDay])[]>;
  /** Words with which a day or a time may begin. */
  readonly starts: ReadonlySet<string>;
}

/** Phrases with what they stand for, by their first word, the longest first. */
function grouped<T>(of: readonly (readonly [string, T])[]): ReadonlyMap<string, readonly (readonly [readonly string[], T])[]> {
  const made = new Map<string, [string[], T][]>();
  for (const [phrase, value] of [...of].sort((a, b) => b[0].length - a[0].length)) {
    const first = phrase.split(' ')[0] ?? '';
    made.set(first, [...(made.get(first) ?? []), [[phrase], value]]);
  }
  return made;
}

const lists = new Map<string, Lists>();

/** The lists of a language, made once. */
export function listsOf(language: string, words: DateWords): Lists {
  const known = lists.get(language);
  if (known) return known;
  const { days, weekdays, months, numbers, ordinals, units, halfTo: _half, hourFirst: _hour, ...phrases } = words;
  const all = [
    ...Object.values(phrases).flat(),
    ...Object.keys(days),
    ...numbers,
    ...ordinals,
    ...(ONE[language] ?? []),
    ...STARTS,
  ];
  const starts = new Set([...all.map((p) => p.split(' ')[0] ?? ''), ...[...weekdays, ...months, ...Object.values(units)].flat()]);
  const made = { numbers: grouped(numbers.map((n, i) => [n, i])), days: grouped(Object.entries(days)), starts };
  lists.set(language, made);
  return made;
}

/** Words that begin a day in the grammar itself. */
const STARTS = ['fortnight', 'the', 'la', 'el', 'le', 'das', 'die'];

/** Words before a day of the week that is written short. */
export const LEADS_DAY = new Set(['on', 'by', 'until', 'till', 'am', 'bis', 'el', 'le']);

/** Two weeks in one word. */
export const FORTNIGHT = ['a fortnight', 'fortnight'];
