import { editDistance, slipsAllowed } from '../text/nearest.js';

/** Text as it is compared: NFKD without marks, small letters (ss for ß), punctuation as spaces, single spaces. */
export function normalise(text: string): string {
  return text
    .normalize('NFKD')
    .replace(/\p{M}+/gu, '')
    .toLowerCase()
    .replaceAll('ß', 'ss')
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();
}

/** Something that can be meant, with the words for it. */
export interface Option {
  readonly id: string;
  readonly words: readonly string[];
}

/** How an answer met an option, strongest first. */
export type MatchedBy = 'words' | 'number' | 'part' | 'slip';

export interface OptionMatch {
  readonly id: string;
  readonly by: MatchedBy;
}

/**
 * Which of the options a typed answer means: the same words, a number counted from 1 ("2", "the second" is not tried),
 * words that stand in the answer or the answer in them when only one option has them, or a misspelling near enough.
 * Undefined where nothing or more than one thing fits.
 */
export function matchOption(answer: string, options: readonly Option[]): OptionMatch | undefined {
  const said = normalise(answer);
  if (said === '') return undefined;
  const listed = options.map((o) => ({ id: o.id, words: o.words.map(normalise).filter(Boolean) }));
  const exact = listed.find((o) => o.words.includes(said));
  if (exact) return { id: exact.id, by: 'words' };
  const number = /^\d{1,3}$/.test(said) ? options[Number(said) - 1] : undefined;
  if (number) return { id: number.id, by: 'number' };
  const part = onlyOne(listed.filter((o) => o.words.some((w) => holds(said, w) || (said.length > 2 && holds(w, said)))));
  if (part) return { id: part.id, by: 'part' };
  const telling = onlyOne(listed.filter((o) => o.words.some((w) => tells(said, w, listed, o.id))));
  if (telling) return { id: telling.id, by: 'part' };
  const slip =
    nearestOption(said, listed) ?? onlyOne(listed.filter((o) => o.words.some((w) => tells(said, w, listed, o.id, true))))?.id;
  return slip === undefined ? undefined : { id: slip, by: 'slip' };
}

export const MIN_TELLING_LETTERS = 4;

/**
 * True when the answer holds what tells an option from all others: its numbers ("the 13:15"), or words of it that no
 * other option has and that make up at least half of its letters ("the Sandpiper, please"). With `slips`, misspelt ones.
 */
function tells(said: string, words: string, listed: readonly Option[], id: string, slips = false): boolean {
  const tokens = words.split(' ');
  const others = listed.filter((o) => o.id !== id).flatMap((o) => o.words);
  const numbers = tokens.filter((t) => /^\d+$/.test(t)).join(' ');
  if (!slips && numbers.length > 1 && holds(said, numbers) && !others.some((w) => holds(w, numbers))) return true;
  const heard = said.split(' ');
  const isHeard = (token: string) => heard.some((h) => h === token || (slips && isSlip(h, token)));
  const own = tokens.filter((t) => t.length >= MIN_TELLING_LETTERS && !/^\d+$/.test(t) && !others.some((w) => holds(w, t)));
  const letters = tokens.filter((t) => !/^\d+$/.test(t)).join('').length;
  return own.filter(isHeard).join('').length * 2 >= Math.max(1, letters);
}

/** A misspelling of a telling word; a short word near it is a word of its own, as "the" beside "them". */
const isSlip = (heard: string, token: string): boolean =>
  heard.length >= MIN_TELLING_LETTERS && editDistance(heard, token, 2) <= slipsAllowed(token.length);

function onlyOne<T>(found: readonly T[]): T | undefined {
  return found.length === 1 ? found[0] : undefined;
}

/** True when `part` stands in `whole` at word borders. */
function holds(whole: string, part: string): boolean {
  return part !== '' && ` ${whole} `.includes(` ${part} `);
}

function nearestOption(said: string, listed: readonly Option[]): string | undefined {
  let best: string[] = [];
  let least = Infinity;
  for (const option of listed) {
    const distance = Math.min(...option.words.map((w) => slipDistance(said, w)));
    if (distance > least || distance === Infinity) continue;
    best = distance === least ? [...best, option.id] : [option.id];
    least = distance;
  }
  return onlyOne([...new Set(best)]);
}

/** Typing slips between an answer and words for something: whole against whole, then any run of as many words. */
function slipDistance(said: string, words: string): number {
  const allowed = slipsAllowed(words.length);
  if (allowed === 0) return Infinity;
  const length = words.split(' ').length;
  const tokens = said.split(' ');
  const runs = [said, ...tokens.map((_, i) => tokens.slice(i, i + length).join(' '))];
  const least = Math.min(...runs.map((run) => editDistance(run, words, allowed)));
  return least <= allowed ? least : Infinity;
}

/** So many characters of a message are understood; what a visitor wants stands at its beginning, and nobody waits for the rest. */
export const UNDERSTOOD_LENGTH = 500;

/** The part of a message that is understood: whole words. Values that are kept as they were said are not cut. */
export function understoodPart(text: string): string {
  if (text.length <= UNDERSTOOD_LENGTH) return text;
  const part = text.slice(0, UNDERSTOOD_LENGTH);
  return part.slice(0, Math.max(part.lastIndexOf(' '), 1 + part.lastIndexOf('\n'), UNDERSTOOD_LENGTH / 2));
}

/** A word of a text as it is compared, with where it stands (UTF-16 units). */
export interface Token {
  readonly word: string;
  readonly from: number;
  readonly to: number;
}

/** The words of a text in order. A word that is nothing once it is normalised is left out. */
export function tokensOf(text: string): Token[] {
  return [...text.matchAll(/[\p{L}\p{N}\p{M}]+/gu)].flatMap((m) => {
    const word = normalise(m[0]);
    return word === '' ? [] : [{ word, from: m.index, to: m.index + m[0].length }];
  });
}
