import { baseOf, type Lexicon } from './lexicon.js';
import { createSpelling, type Spelling } from './spelling.js';
import { tokensOf, type Token } from './words.js';

/** A word whose spelling was mended: where it stands in what was said, and what it is read as. */
export interface Mended {
  readonly from: number;
  readonly to: number;
  readonly said: string;
  readonly read: string;
}

/** A message as it is read: its words with their places in what was said, and what was mended. */
export interface Reading {
  readonly tokens: readonly Token[];
  readonly mended: readonly Mended[];
}

/** Reads a message, mending the spelling of words that neither the bot nor the language has. What was made out already is left as it is. */
export type Reader = (
  text: string,
  language: string,
  left?: readonly { readonly from: number; readonly to: number }[],
) => Reading;

/** How much more likely the bot's own words are than those of the language. */
const OWN_WEIGHT = 1 / 40;
const COMMON_FROM = 30;
/** How much a neighbour speaks for a word that stands beside it in some phrase. */
const NEIGHBOUR = 10;
const SAME_START = 2;
/** How much less likely a second slip is. */
const SECOND_SLIP = 1 / 60;
const LEAST_LETTERS = 3;
const LETTERS_FOR_TWO = 8;

const slipsOf = (length: number): number => (length < LEAST_LETTERS ? 0 : length < LETTERS_FOR_TWO ? 1 : 2);

/** Words with their weights, found by what may be a misspelling of them. */
interface Words {
  readonly list: readonly string[];
  readonly weight: (at: number) => number;
  spelling: Spelling | undefined;
}

/** The words that a bot uses, with how often, and which stand beside each other. */
export interface OwnWords {
  readonly counts: ReadonlyMap<string, number>;
  readonly pairs: ReadonlySet<string>;
}

/** Counts the words of texts. */
export function ownWords(texts: readonly (readonly string[])[]): OwnWords {
  const counts = new Map<string, number>();
  const pairs = new Set<string>();
  for (const words of texts)
    words.forEach((word, i) => {
      counts.set(word, (counts.get(word) ?? 0) + 1);
      const before = words[i - 1];
      if (before !== undefined) pairs.add(`${before} ${word}`);
    });
  return { counts, pairs };
}

const commonWords = new WeakMap<Lexicon, Map<string, Words>>();

/** The common words of a language, indexed once for all who read it. */
function commonOf(lexicon: Lexicon, language: string): Words {
  const made = commonWords.get(lexicon) ?? new Map<string, Words>();
  commonWords.set(lexicon, made);
  const base = baseOf(language);
  const words = made.get(base) ?? {
    list: lexicon.common(base).filter((w) => w.length > 1),
    weight: (at) => 1 / (at + COMMON_FROM),
    spelling: undefined,
  };
  made.set(base, words);
  return words;
}

/** What stands as it is: short, with digits, part of an address, or written all in capitals like a code. */
function isLeft(text: string, { word, from, to }: Token): boolean {
  if (word.length < LEAST_LETTERS || /\d/.test(word)) return true;
  if (/[@/:\\_]/.test(text[from - 1] ?? '') || /[@/:\\_]/.test(text[to] ?? '')) return true;
  return /\.\p{L}/u.test(text.slice(to, to + 2)) || /\p{L}\.$/u.test(text.slice(Math.max(0, from - 2), from));
}

/**
 * Makes the reader of a bot. A word that neither the bot nor a dictionary of its language has is read as the likeliest word a
 * slip or two away: the bot's own words before common ones, what stands beside the same neighbour in a phrase before others
 * (a noisy channel: Kernighan, Church and Gale, 1990).
 */
export function createReader(lexicon: Lexicon, own: OwnWords): Reader {
  const entries = [...own.counts].filter(([w]) => w.length > 2 && !/\d/.test(w)).sort((a, b) => (a[0] < b[0] ? -1 : 1));
  const ownList: Words = {
    list: entries.map(([w]) => w),
    weight: (at) => OWN_WEIGHT * (1 + Math.log(1 + (entries[at]?.[1] ?? 0))),
    spelling: undefined,
  };
  const near = (words: Words, word: string) => {
    words.spelling ??= createSpelling(words.list, slipsOf);
    return words.spelling(word, slipsOf(word.length)).map(({ at, slips }) => ({
      word: words.list[at] ?? '',
      weight: words.weight(at) * (slips > 1 ? SECOND_SLIP : 1),
    }));
  };
  const likeliest = (word: string, before: string | undefined, after: string | undefined, language: string) => {
    let best: { word: string; weight: number } | undefined;
    for (const found of [...near(ownList, word), ...near(commonOf(lexicon, language), word)]) {
      const beside = own.pairs.has(`${before} ${found.word}`) || own.pairs.has(`${found.word} ${after}`);
      const weight = found.weight * (beside ? NEIGHBOUR : 1) * (found.word[0] === word[0] ? SAME_START : 1);
      if (!best || weight > best.weight) best = { word: found.word, weight };
    }
    return best?.word;
  };
  const isKnown = (word: string, language: string): boolean => own.counts.has(word) || lexicon.known(word, language);
  return (text, language, left = []) => {
    const tokens = tokensOf(text);
    const mended: Mended[] = [];
    const read = tokens.map((token, i) => {
      const madeOut = left.some((l) => l.from <= token.from && token.to <= l.to);
      if (madeOut || isLeft(text, token) || isKnown(token.word, language)) return token;
      const word = likeliest(token.word, tokens[i - 1]?.word, tokens[i + 1]?.word, language);
      if (word === undefined) return token;
      mended.push({ from: token.from, to: token.to, said: text.slice(token.from, token.to), read: word });
      return { ...token, word };
    });
    return { tokens: read, mended };
  };
}
