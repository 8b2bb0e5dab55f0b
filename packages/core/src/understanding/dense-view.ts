import { numberOf, productsOf, trainLinear, type Linear, type Row } from './linear.js';
import { inverse } from './sparse-view.js';

/** Texts by what an encoder makes of them: vectors of length 1. */
export type Vectors = ReadonlyMap<string, Float32Array>;

/** What is seen of a message by an encoder: whole texts, and texts as the sum of their words. */
export interface DenseView {
  readonly whole: Linear;
  readonly parts: Linear;
  readonly telling: Telling;
  /** The vectors of all samples one behind the other, in `NEAR_SCALE`ths, and the label of each: what is near is seen from them. */
  readonly vectors: Int8Array;
  readonly belongs: Int32Array;
}

/** How much each word tells in a sum of words, and one that no sample has. */
interface Telling {
  readonly words: ReadonlyMap<string, number>;
  readonly unknown: number;
}

/** A sample as it is encoded. */
interface Encoded {
  readonly text: string;
  readonly words: readonly string[];
  readonly label: string;
}

/** Up to so many samples their products with each other are worked out first, which makes learning several times faster. */
const MOST_WITH_PRODUCTS = 1000;

/** A number of a vector of length 1 is kept as so many of these; a cosine is off by less than 0.002. */
const NEAR_SCALE = 400;
const inByte = (v: number): number => Math.max(-127, Math.min(127, Math.round(v * NEAR_SCALE)));

const places = new Map<number, Int32Array>();

/** A vector as a row that has every feature. */
export function denseRow(value: Float32Array): Row {
  const at = places.get(value.length) ?? Int32Array.from(value.keys());
  places.set(value.length, at);
  return { at, value };
}

/** The sum of the vectors of words by how much each tells, of length 1; undefined where none of them has one. */
export function sumOfWords(words: readonly string[], vectors: Vectors, telling: Telling): Float32Array | undefined {
  let sum: Float32Array | undefined;
  for (const word of words) {
    const vector = vectors.get(word);
    if (!vector) continue;
    sum ??= new Float32Array(vector.length);
    const weight = telling.words.get(word) ?? telling.unknown;
    for (let i = 0; i < sum.length; i++) sum[i] = (sum[i] ?? 0) + weight * (vector[i] ?? 0);
  }
  if (!sum) return undefined;
  const length = Math.sqrt(sum.reduce((all, v) => all + v * v, 0)) || 1;
  return sum.map((v) => v / length);
}

/** Samples that an encoder has read, ready to be learned from once or, for holding some out, several times. */
export interface DenseSamples {
  readonly telling: Telling;
  readonly size: number;
  readonly whole: readonly Float32Array[];
  readonly parts: readonly Float32Array[];
  /** Where each sample stands; one that the encoder has not read is not there. */
  readonly place: ReadonlyMap<Encoded, number>;
  readonly products: { readonly whole: Float32Array; readonly parts: Float32Array } | undefined;
}

/** Looks up what an encoder has read of samples; undefined where it has read none. */
export function denseSamples(samples: readonly Encoded[], vectors: Vectors): DenseSamples | undefined {
  const read = samples.filter((s) => vectors.has(s.text));
  const size = vectors.get(read[0]?.text ?? '')?.length;
  if (size === undefined) return undefined;
  const counts = new Map<string, number>();
  for (const { words } of read) for (const word of new Set(words)) counts.set(word, (counts.get(word) ?? 0) + 1);
  const words = new Map([...counts].map(([word, n]) => [word, inverse(read.length, n) - 1]));
  const telling = { words, unknown: inverse(read.length, 0) - 1 };
  const none = new Float32Array(size);
  const whole = read.map((s) => vectors.get(s.text) ?? none);
  const parts = read.map((s) => sumOfWords(s.words, vectors, telling) ?? none);
  const products = read.length <= MOST_WITH_PRODUCTS ? { whole: productsOf(whole), parts: productsOf(parts) } : undefined;
  return { telling, size, whole, parts, products, place: new Map(read.map((s, i) => [s, i])) };
}

/** Learns to tell labels apart by what an encoder made of some of the samples. */
export function learnDense(samples: readonly Encoded[], labels: readonly string[], dense: DenseSamples): DenseView {
  const index = numberOf(labels);
  const taken = samples.filter((s) => dense.place.has(s));
  const at = taken.map((s) => dense.place.get(s) ?? 0);
  const belongs = taken.map((s) => index.get(s.label) ?? -1);
  const learn = (by: 'whole' | 'parts'): Linear => {
    const rows = at.map((i) => denseRow(dense[by][i] ?? new Float32Array(dense.size)));
    const gram = dense.products && { size: dense.whole.length, products: dense.products[by], of: (row: number) => at[row] ?? 0 };
    return trainLinear(rows, belongs, { features: dense.size, labels: labels.length }, gram);
  };
  const vectors = new Int8Array(taken.length * dense.size);
  at.forEach((from, i) => vectors.set((dense.whole[from] ?? new Float32Array(0)).map(inByte), i * dense.size));
  return { whole: learn('whole'), parts: learn('parts'), telling: dense.telling, vectors, belongs: Int32Array.from(belongs) };
}

/** How near samples of each label are to a vector, by the cosine: the nearest of them, and the mean of the three nearest. */
export function nearness(
  vector: Float32Array,
  { vectors, belongs }: DenseView,
  labels: number,
): { readonly nearest: Float64Array; readonly three: Float64Array } {
  const size = vector.length;
  const best = new Float64Array(labels * 3);
  for (let s = 0; s < belongs.length; s++) {
    let cosine = 0;
    const from = s * size;
    for (let i = 0; i < size; i++) cosine += (vector[i] ?? 0) * (vectors[from + i] ?? 0);
    cosine /= NEAR_SCALE;
    const b = (belongs[s] ?? 0) * 3;
    const [first, second, third] = [best[b] ?? 0, best[b + 1] ?? 0, best[b + 2] ?? 0];
    if (cosine > first) [best[b], best[b + 1], best[b + 2]] = [cosine, first, second];
    else if (cosine > second) [best[b + 1], best[b + 2]] = [cosine, second];
    else if (cosine > third) best[b + 2] = cosine;
  }
  const nearest = Float64Array.from({ length: labels }, (_, k) => best[3 * k] ?? 0);
  const three = nearest.map((n, k) => (n + (best[3 * k + 1] ?? 0) + (best[3 * k + 2] ?? 0)) / 3);
  return { nearest, three };
}
