import type { FoundPassage, LookedUp } from './rank.js';

/*
 * An encoder's part of the ranking: of the passages that words found, which are like the question as a whole. Measured on
 * sections of documentation (bench/knowledge): the vector of the beginning of a passage, counted as below, brings 1 to 2 of 100
 * more to the first place; found by vectors alone nothing right came that words had not found.
 */

/** So many of the passages that were found by their words are compared. */
export const COMPARED = 20;
/** Of a passage so many characters are read: what it is about stands at its beginning. */
export const READ_LETTERS = 300;
/** How much a likeness of 1 counts of the best passage's score. */
const ALIKE_WEIGHT = 1;
/** Where fewer than this share of the passages has a vector, words alone decide. */
const LEAST_SHARE = 0.5;
const SCALE = 127;

/** A vector of length 1 in a byte each: its direction, as far as a hundredth. */
export function quantised(vector: Float32Array): Int8Array {
  const most = vector.reduce((m, v) => Math.max(m, Math.abs(v)), 0) || 1;
  return Int8Array.from(vector, (v) => Math.round((v / most) * SCALE));
}

/** The cosine of two vectors, from -1 to 1; 0 where one of them is nothing. */
export function cosine(a: ArrayLike<number>, b: ArrayLike<number>): number {
  let [both, ofA, ofB] = [0, 0, 0];
  for (let i = 0; i < a.length; i++) {
    const [x, y] = [a[i] ?? 0, b[i] ?? 0];
    both += x * y;
    ofA += x * x;
    ofB += y * y;
  }
  return ofA === 0 || ofB === 0 ? 0 : both / Math.sqrt(ofA * ofB);
}

/**
 * What was found by its words, ranked anew by how alike each passage is to the question. `vectorOf` gives a passage's vector;
 * undefined where there is none, which then stands as if it were as alike as the others are on average. Whether the question
 * is answered stays as it was judged by words.
 */
export function rankAlike(
  found: LookedUp,
  question: Float32Array,
  vectorOf: (passage: FoundPassage) => Int8Array | undefined,
  most: number,
): LookedUp {
  const compared = found.passages.slice(0, COMPARED).map((passage) => {
    const vector = vectorOf(passage);
    return { passage, alike: vector && cosine(question, vector) };
  });
  const known = compared.flatMap(({ alike }) => (alike === undefined ? [] : [alike]));
  const [best] = found.passages;
  if (!best || known.length < compared.length * LEAST_SHARE) return firstOf(found, found.passages, most);
  const mean = known.reduce((sum, a) => sum + a, 0) / known.length;
  const ranked = compared
    .map(({ passage, alike }) => ({
      ...passage,
      score: rounded(passage.score + ALIKE_WEIGHT * best.score * ((alike ?? mean) - mean)),
      ...(alike === undefined || !passage.why ? {} : { why: { ...passage.why, alike: rounded(alike) } }),
    }))
    .sort((a, b) => b.score - a.score);
  return firstOf(found, [...ranked, ...found.passages.slice(COMPARED)], most);
}

function firstOf(found: LookedUp, passages: readonly FoundPassage[], most: number): LookedUp {
  return { ...found, passages: passages.slice(0, most).map((p, i) => ({ ...p, number: i + 1 })) };
}

const rounded = (v: number): number => Math.round(v * 1000) / 1000;
