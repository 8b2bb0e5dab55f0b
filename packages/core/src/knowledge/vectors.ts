/** What an encoder made of passages, in bytes: vectors of length 1, each number `SCALE`ths. A passage without one has zeros. */
export interface PassageVectors {
  readonly dimensions: number;
  readonly values: Int8Array;
}

/** How alike the passages of an index are to a question: the best by cosine, and how it is with all of them. */
export interface Near {
  readonly best: readonly number[];
  readonly alike: (at: number) => number;
  readonly mean: number;
  readonly spread: number;
}

/** A number of a vector of length 1 is kept as so many of these; a cosine is off by less than 0.004. */
const SCALE = 400;

/** A vector of length 1 in bytes. */
export function bytesOf(vector: Float32Array): Int8Array {
  return Int8Array.from(vector, (v) => Math.max(-127, Math.min(127, Math.round(v * SCALE))));
}

/** The passages that are most like a question. Those without a vector are like nothing. */
export function nearestByVector({ dimensions, values }: PassageVectors, question: Float32Array, most: number): Near {
  const n = Math.floor(values.length / dimensions);
  const asked = bytesOf(question);
  const cosines = new Float32Array(n);
  let [sum, squares, some] = [0, 0, 0];
  for (let at = 0; at < n; at++) {
    const from = at * dimensions;
    let product = 0;
    for (let d = 0; d < dimensions; d++) product += (values[from + d] ?? 0) * (asked[d] ?? 0);
    const cosine = product / (SCALE * SCALE);
    cosines[at] = cosine;
    if (product === 0) continue;
    sum += cosine;
    squares += cosine * cosine;
    some++;
  }
  const mean = some > 0 ? sum / some : 0;
  const spread = some > 0 ? Math.sqrt(Math.max(1e-6, squares / some - mean * mean)) : 1;
  const order = [...cosines.keys()].sort((a, b) => (cosines[b] ?? 0) - (cosines[a] ?? 0)).slice(0, most);
  const without = (at: number) => (cosines[at] ?? 0) === 0;
  return { best: order.filter((at) => !without(at)), alike: (at) => (without(at) ? mean : (cosines[at] ?? 0)), mean, spread };
}
