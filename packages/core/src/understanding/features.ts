import type { Features } from './classifier.js';
import type { FoundValue } from './recognise.js';
import { tokensOf } from './words.js';

const WEIGHTS = { word: 1, pair: 0.6, piece: 0.35, value: 0.8 } as const;
const PIECES = [3, 4] as const;

/**
 * What a classifier sees of a text: its words, pairs of neighbours, pieces of 3 and 4 letters (for endings and
 * misspellings) and which entities have values in it. The weights together have length 1.
 */
export function featuresOf(text: string, values: readonly Pick<FoundValue, 'entity'>[]): Features {
  const found = new Map<string, number>();
  const words = tokensOf(text).map((t) => (/^\d+$/.test(t.word) ? '#' : t.word));
  words.forEach((word, i) => {
    found.set(`w ${word}`, WEIGHTS.word);
    const before = words[i - 1] ?? '^';
    found.set(`p ${before} ${word}`, WEIGHTS.pair);
    for (const piece of piecesOf(word)) found.set(`c ${piece}`, WEIGHTS.piece);
  });
  for (const { entity } of values) found.set(`v ${entity}`, WEIGHTS.value);
  const length = Math.sqrt([...found.values()].reduce((sum, v) => sum + v * v, 0));
  return length === 0 ? found : new Map([...found].map(([name, v]) => [name, v / length]));
}

function piecesOf(word: string): string[] {
  const padded = [...`_${word}_`];
  return PIECES.flatMap((n) =>
    Array.from({ length: Math.max(0, padded.length - n + 1) }, (_, i) => padded.slice(i, i + n).join('')),
  );
}
