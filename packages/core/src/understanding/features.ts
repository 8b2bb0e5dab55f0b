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
  stems.forEach((stem, i) => {
    const word = few[i] ?? '';
    found.set(`s ${stem}`, WEIGHTS.stem);
    if (word !== stem) found.set(`w ${word}`, WEIGHTS.word);
    found.set(`p ${stems[i - 1] ?? '^'} ${stem}`, WEIGHTS.pair);
    for (const piece of piecesOf(word)) found.set(`c ${piece}`, WEIGHTS.piece);
  });
  for (const { entity } of values) found.set(`v ${entity}`, WEIGHTS.value);
  return found;
}

function piecesOf(word: string): string[] {
  const padded = [...`_${word}_`];
  return PIECES.flatMap((n) =>
    Array.from({ length: Math.max(0, padded.length - n + 1) }, (_, i) => padded.slice(i, i + n).join('')),
  );
}
