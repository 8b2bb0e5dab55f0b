import type { Lexicon } from './lexicon.js';
import type { FoundValue } from './recognise.js';

/** A text as sparse features: names to how much each counts by its kind. */
export type Features = ReadonlyMap<string, number>;

const WEIGHTS = { stem: 1, word: 0.4, pair: 0.7, piece: 0.4, value: 0.8 } as const;
const PIECES = [3, 4] as const;
/** Words of one message that count for its features; what follows says the same again or something else. */
const MOST_WORDS = 120;

/** Like words, but those that stand for how much or when: which number it is says nothing of what is wanted. */
const plain = (word: string): string => (/^\d+$/.test(word) ? '#' : word);

/**
 * What a classifier sees of a text: its words and their stems, pairs of neighbours, pieces of 3 and 4 letters (for endings,
 * compounds and misspellings) and which entities have values in it.
 */
export function featuresOf(
  words: readonly string[],
  language: string,
  values: readonly Pick<FoundValue, 'entity'>[],
  lexicon: Lexicon,
): Features {
  const found = new Map<string, number>();
  const few = words.slice(0, MOST_WORDS).map(plain);
  const stems = few.map((word) => lexicon.stem(word, language));
  few.forEach((word, i) => {
    const content = contentOf(word, language, lexicon);
    for (const [name, weight] of ofWord(word, stems[i] ?? '', stems[i - 1]))
      found.set(name, name.startsWith('p ') ? weight : Math.max(found.get(name) ?? 0, weight * content));
  });
  for (const { entity } of values) found.set(`v ${entity}`, WEIGHTS.value);
  return found;
}

/** The commonest words say little of what is wanted, however rare they are among a few phrases; from here on a word counts in full. */
const FULL_FROM = 1000;
const LEAST_CONTENT = 0.3;

function contentOf(word: string, language: string, lexicon: Lexicon): number {
  const rank = lexicon.rank(word, language) ?? FULL_FROM;
  return Math.min(1, LEAST_CONTENT + (1 - LEAST_CONTENT) * (Math.log(2 + rank) / Math.log(2 + FULL_FROM)));
}

/** The features that a word brings, by its stem and the stem before it. */
function ofWord(word: string, stem: string, before: string | undefined): [string, number][] {
  return [
    [`s ${stem}`, WEIGHTS.stem],
    ...(word === stem ? [] : ([[`w ${word}`, WEIGHTS.word]] satisfies [string, number][])),
    [`p ${before ?? '^'} ${stem}`, WEIGHTS.pair],
    ...piecesOf(word).map((piece): [string, number] => [`c ${piece}`, WEIGHTS.piece]),
  ];
}

/** The features of each word by itself, to tell what a word had to do with the outcome. */
export function featuresByWord(words: readonly string[], language: string, lexicon: Lexicon): (readonly string[])[] {
  const few = words.slice(0, MOST_WORDS).map(plain);
  const stems = few.map((word) => lexicon.stem(word, language));
  return few.map((word, i) => ofWord(word, stems[i] ?? '', stems[i - 1]).map(([name]) => name));
}

/** Pieces in UTF-16 units: a letter beyond them is halved, on both sides alike. */
function piecesOf(word: string): string[] {
  const padded = `_${word}_`;
  const pieces: string[] = [];
  for (const n of PIECES) for (let i = 0; i + n <= padded.length; i++) pieces.push(padded.slice(i, i + n));
  return pieces;
}
