/** A text as numbers: which features it has and how strongly. */
export interface Row {
  readonly at: Int32Array;
  readonly value: Float32Array;
}

/** What one linear model learned: `weights` stands feature by feature, one number per label. */
export interface Linear {
  readonly labels: number;
  readonly weights: Float32Array;
}

/** How dear a mistake is beside large weights. */
const COST = 1;
const RIDGE = 1 / (2 * COST);
/** A label may be this far from its best answer when learning stops. */
const ENOUGH = 0.2;
const MOST_ROUNDS = 6;
/** A label is told apart from so many rows that are not its own: those that are most like its own, where there are more. */
const MOST_OTHERS = 300;
/** What has nothing in common with a label has this score for it: outside, by as much as its own rows are inside. */
const OUTSIDE = -1;

const NONE: Row = { at: new Int32Array(0), value: new Float32Array(0) };

/** A linear congruential generator (Numerical Recipes' constants): the same order on every machine and run. */
function shuffle(list: number[], seed: number): void {
  let state = seed;
  for (let i = list.length - 1; i > 0; i--) {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    const j = state % (i + 1);
    [list[i], list[j]] = [list[j] ?? 0, list[i] ?? 0];
  }
}

function dot({ at, value }: Row, weights: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < at.length; i++) sum += (value[i] ?? 0) * (weights[at[i] ?? 0] ?? 0);
  return sum;
}

function add({ at, value }: Row, weights: Float32Array, by: number): void {
  for (let i = 0; i < at.length; i++) {
    const f = at[i] ?? 0;
    weights[f] = (weights[f] ?? 0) + by * (value[i] ?? 0);
  }
}

/** Scores of a row for every label. `scores` has room for all labels. */
export function scoreRow({ at, value }: Row, { labels, weights }: Linear, scores: Float64Array): void {
  scores.fill(OUTSIDE);
  for (let i = 0; i < at.length; i++) {
    const base = (at[i] ?? 0) * labels;
    const v = value[i] ?? 0;
    for (let k = 0; k < labels; k++) scores[k] = (scores[k] ?? 0) + v * (weights[base + k] ?? 0);
  }
}

/** What rows have in common, each with each: `of(i)` is where row i stands among `size` rows whose products are known. */
export interface Gram {
  readonly size: number;
  readonly products: Float32Array;
  readonly of: (row: number) => number;
}

/** The inner products of rows of the same features, each with each. */
export function productsOf(rows: readonly Float32Array[]): Float32Array {
  const n = rows.length;
  const products = new Float32Array(n * n);
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++) {
      const [a, b] = [rows[i], rows[j]];
      let sum = 0;
      if (a && b) for (let f = 0; f < a.length; f++) sum += (a[f] ?? 0) * (b[f] ?? 0);
      products[i * n + j] = products[j * n + i] = sum;
    }
  return products;
}

/**
 * A linear support vector machine with squared hinge loss for each label against the rest, by dual coordinate descent with
 * shrinking (Hsieh, Chang, Lin, Keerthi and Sundararajan, 2008). The bias is not learned: what shares nothing with a label is
 * outside, which spares a look at most rows. `belongs[i]` is the label of row i, and -1 where it has none; `features` is how
 * many there are. Where rows are long and few, `gram` makes it several times faster. The same rows in the same order give the
 * same weights.
 */
export function trainLinear(
  rows: readonly Row[],
  belongs: readonly number[],
  { features, labels }: { readonly features: number; readonly labels: number },
  gram?: Gram,
): Linear {
  const weights = new Float32Array(features * labels);
  const lengths = Float64Array.from(rows, (r) => r.value.reduce((sum, v) => sum + v * v, 0));
  const own: number[][] = Array.from({ length: labels }, () => []);
  belongs.forEach((label, i) => own[label]?.push(i));
  const room = { weights: new Float32Array(features), alpha: new Float32Array(rows.length) };
  for (let k = 0; k < labels; k++) {
    room.weights.fill(0);
    room.alpha.fill(0);
    const isOwn = (i: number): boolean => belongs[i] === k;
    const taken = chosen(rows, own[k] ?? [], isOwn, room.weights);
    const scores = gram ? scoresByProducts(taken, gram) : scoresByWeights(rows, room.weights);
    descend(taken, { own: isOwn, lengths, alpha: room.alpha, ...scores });
    if (gram)
      for (const i of taken) {
        const [row, alpha] = [rows[i], room.alpha[i] ?? 0];
        if (row && alpha > 0) add(row, room.weights, isOwn(i) ? alpha : -alpha);
      }
    for (let f = 0; f < features; f++) weights[f * labels + k] = room.weights[f] ?? 0;
  }
  return { labels, weights };
}

/** Where the scores of rows come from while a label is learned, and how they move when a row speaks louder. */
interface Scores {
  readonly score: (row: number) => number;
  readonly move: (row: number, by: number) => void;
}

function scoresByWeights(rows: readonly Row[], weights: Float32Array): Scores {
  return {
    score: (i) => OUTSIDE + dot(rows[i] ?? NONE, weights),
    move: (i, by) => add(rows[i] ?? NONE, weights, by),
  };
}

function scoresByProducts(taken: readonly number[], { size, products, of }: Gram): Scores {
  const places = Int32Array.from(taken, of);
  const scores = new Float64Array(size).fill(OUTSIDE);
  return {
    score: (i) => scores[of(i)] ?? 0,
    move: (i, by) => {
      const base = of(i) * size;
      for (let t = 0; t < places.length; t++) {
        const j = places[t] ?? 0;
        scores[j] = (scores[j] ?? 0) + by * (products[base + j] ?? 0);
      }
    },
  };
}

/** The rows that a label is learned from: its own, and of the others the likest. `room` is used and left at 0. */
function chosen(rows: readonly Row[], own: readonly number[], isOwn: (row: number) => boolean, room: Float32Array): number[] {
  const others = [...rows.keys()].filter((i) => !isOwn(i));
  if (others.length <= MOST_OTHERS) return [...own, ...others];
  for (const i of own) {
    const row = rows[i];
    if (row) add(row, room, 1);
  }
  const like = Float64Array.from(others, (i) => dot(rows[i] ?? NONE, room));
  room.fill(0);
  const least = like.slice().sort()[others.length - MOST_OTHERS] ?? 0;
  const likest = others.filter((_, n) => (like[n] ?? 0) > least);
  // Of those that are as like as the last one the first have the places that are left.
  const tied = others.filter((_, n) => like[n] === least);
  return [...own, ...likest, ...tied.slice(0, MOST_OTHERS - likest.length)];
}

interface Descent extends Scores {
  readonly own: (row: number) => boolean;
  readonly lengths: Float64Array;
  readonly alpha: Float32Array;
}

/** Learns one label. Rows that stay outside of what matters are left out, until the others are settled. */
function descend(all: readonly number[], { own, lengths, alpha, score, move }: Descent): void {
  let active = [...all];
  let whole = true;
  let bound = Infinity;
  for (let round = 0; round < MOST_ROUNDS; round++) {
    shuffle(active, 12345 + round);
    const kept: number[] = [];
    let worst = 0;
    for (const i of active) {
      const sign = own(i) ? 1 : -1;
      const old = alpha[i] ?? 0;
      const gradient = sign * score(i) - 1 + RIDGE * old;
      if (old === 0 && gradient > bound) continue;
      kept.push(i);
      if (old === 0 && gradient >= 0) continue;
      worst = Math.max(worst, Math.abs(gradient));
      const next = Math.max(0, old - gradient / ((lengths[i] ?? 0) + RIDGE));
      if (next === old) continue;
      alpha[i] = next;
      move(i, sign * (next - old));
    }
    if (worst < ENOUGH) {
      if (whole) return;
      [active, whole, bound] = [[...all], true, Infinity];
    } else {
      whole &&= kept.length === active.length;
      [active, bound] = [kept, worst / 2];
    }
  }
}

/** Labels to their numbers. */
export const numberOf = (labels: readonly string[]): ReadonlyMap<string, number> => new Map(labels.map((l, i) => [l, i]));

/** Chances that go with scores: the sharper, the larger `sharp` (softmax with an inverse temperature). */
export function softmax(scores: Float64Array, sharp: number): Float64Array {
  const top = scores.reduce((most, s) => Math.max(most, s), -Infinity);
  const out = scores.map((s) => Math.exp(sharp * (s - top)));
  const sum = out.reduce((all, p) => all + p, 0);
  return out.map((p) => p / sum);
}
