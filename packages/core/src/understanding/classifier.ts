/** A text as sparse features: names to weights, of length 1 together. */
export type Features = ReadonlyMap<string, number>;

/** A text to learn from, and what it means. */
export interface Sample {
  readonly features: Features;
  readonly label: string;
}

/** How scores are made honest: the chance of being right is the logistic function of a weighted sum. */
export interface Calibration {
  readonly logit: number;
  readonly coverage: number;
  readonly bias: number;
  /** How many held-out samples it was fitted on; 0 for the values it begins with. */
  readonly from: number;
}

/** A trained classifier, as plain data. `weights` stands feature by feature, one number per label. */
export interface ClassifierData {
  readonly labels: readonly string[];
  readonly features: ReadonlyMap<string, number>;
  /** How much each feature tells: the fewer labels have it, the more. */
  readonly telling: Float32Array;
  readonly weights: Float32Array;
  readonly calibration: Calibration;
}

export interface Scored {
  readonly label: string;
  readonly score: number;
}

/** The label of sayings that the bot is not for; never among the scores. */
export const OUT_OF_SCOPE = '';

const EPOCHS = 40;
const LEAST_EPOCHS = 3;
/** What one training may cost, in multiplications: some seconds. Calibrating takes two to eight more of them. */
const MOST_WORK = 4e8;
/** Weights of a classifier: feature times label, four bytes each, and as much again while it is trained. */
const MOST_WEIGHTS = 20_000_000;
const RATE = 0.6;
const SHRINK = 2e-4;
const ENOUGH_LOSS = 0.015;
const FOLDS = 5;
/** With so many samples one fold and one group of intents tell as much as all of them. */
const MANY_SAMPLES = 2000;
const LEFT_OUT = 3;
/** How much a message of an intent that was left out counts beside one of an intent that is there: most visitors want something that the bot is for. */
const STRANGER_WEIGHT = 0.35;
const PRIOR: Calibration = { logit: 0.9, coverage: 2.5, bias: -1.6, from: 0 };

interface Row {
  readonly at: Int32Array;
  readonly value: Float32Array;
  readonly label: number;
}

/** The features that training saw, numbered; where there are more than there is room for, those that were seen most often. */
function numbered(samples: readonly Sample[], labels: number): Map<string, number> {
  const seen = new Map<string, number>();
  for (const { features } of samples) for (const name of features.keys()) seen.set(name, (seen.get(name) ?? 0) + 1);
  const room = Math.floor(MOST_WEIGHTS / Math.max(1, labels));
  if (seen.size <= room) return new Map([...seen.keys()].map((name, i) => [name, i]));
  const often = [...seen].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).slice(0, room);
  return new Map(often.map(([name], i) => [name, i]));
}

/** How many rounds there is time for. */
function epochsFor(rows: readonly Row[], labels: number): number {
  const work = rows.reduce((sum, r) => sum + r.at.length, 0) * labels;
  return Math.max(LEAST_EPOCHS, Math.min(EPOCHS, Math.floor(MOST_WORK / Math.max(1, work))));
}

/** The inverse document frequency of each feature, with labels in the place of documents (Spärck Jones, 1972). */
function tellingOf(samples: readonly Sample[], known: ReadonlyMap<string, number>, labels: number): Float32Array {
  const seen = Array.from({ length: known.size }, () => new Set<string>());
  for (const { features, label } of samples) for (const name of features.keys()) seen[known.get(name) ?? -1]?.add(label);
  return Float32Array.from(seen, (s) => Math.log(1 + labels / Math.max(1, s.size)));
}

function rowOf(
  features: Features,
  { features: known, telling }: Pick<ClassifierData, 'features' | 'telling'>,
  label: number,
): Row {
  const pairs = [...features].flatMap(([name, v]): [number, number][] => {
    const at = known.get(name);
    return at === undefined ? [] : [[at, v * (telling[at] ?? 0)]];
  });
  const length = Math.sqrt(pairs.reduce((sum, [, v]) => sum + v * v, 0)) || 1;
  return { at: Int32Array.from(pairs, (p) => p[0]), value: Float32Array.from(pairs, (p) => p[1] / length), label };
}

/** The chance of each label by the model alone. */
function softmax(row: Row, weights: Float32Array, labels: number): Float64Array {
  const out = new Float64Array(labels);
  for (let i = 0; i < row.at.length; i++) {
    const base = (row.at[i] ?? 0) * labels;
    const v = row.value[i] ?? 0;
    for (let k = 0; k < labels; k++) out[k] = (out[k] ?? 0) + v * (weights[base + k] ?? 0);
  }
  const top = Math.max(...out);
  let sum = 0;
  for (let k = 0; k < labels; k++) sum += out[k] = Math.exp((out[k] ?? 0) - top);
  for (let k = 0; k < labels; k++) out[k] = (out[k] ?? 0) / sum;
  return out;
}

/** A linear congruential generator (Numerical Recipes' constants): the same order on every machine and run. */
function shuffled(length: number): Int32Array {
  const order = Int32Array.from({ length }, (_, i) => i);
  let seed = 12345;
  for (let i = length - 1; i > 0; i--) {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
    const j = seed % (i + 1);
    [order[i], order[j]] = [order[j] ?? 0, order[i] ?? 0];
  }
  return order;
}

/**
 * Multinomial logistic regression over sparse features, by stochastic gradient steps scaled as AdaGrad does (Duchi,
 * Hazan and Singer, 2011). The same samples in the same order give the same weights.
 */
function train(samples: readonly Sample[], labels: readonly string[]): Omit<ClassifierData, 'calibration'> {
  const count = labels.length;
  const features = numbered(samples, count);
  const index = new Map(labels.map((l, i) => [l, i]));
  const telling = tellingOf(samples, features, count);
  const rows = samples.map((s) => rowOf(s.features, { features, telling }, index.get(s.label) ?? 0));
  const weights = new Float32Array(features.size * count);
  const squares = new Float32Array(features.size * count).fill(1e-6);
  const order = shuffled(rows.length);
  const epochs = epochsFor(rows, count);
  for (let epoch = 0; epoch < epochs; epoch++) {
    let loss = 0;
    for (const r of order) {
      const row = rows[r];
      if (row) loss += step(row, weights, squares, count);
    }
    if (loss / Math.max(1, rows.length) < ENOUGH_LOSS) break;
  }
  return { labels, features, telling, weights };
}

function step(row: Row, weights: Float32Array, squares: Float32Array, count: number): number {
  const chances = softmax(row, weights, count);
  const chance = chances[row.label] ?? 0;
  chances[row.label] = chance - 1;
  // Label by label inside of a feature: the weights lie one behind the other so, which is several times faster.
  for (let i = 0; i < row.at.length; i++) {
    const base = (row.at[i] ?? 0) * count;
    const v = row.value[i] ?? 0;
    for (let k = 0; k < count; k++) {
      const error = chances[k] ?? 0;
      if (error < 1e-4 && error > -1e-4) continue;
      const w = base + k;
      const gradient = error * v + SHRINK * (weights[w] ?? 0);
      const square = (squares[w] ?? 0) + gradient * gradient;
      squares[w] = square;
      weights[w] = (weights[w] ?? 0) - (RATE * gradient) / Math.sqrt(square);
    }
  }
  return -Math.log(Math.max(1e-9, chance));
}

const logitOf = (p: number): number => Math.log(Math.max(1e-6, p) / Math.max(1e-6, 1 - p));
const logistic = (x: number): number => 1 / (1 + Math.exp(-x));

/** How much of a text the classifier has ever seen, from 0 to 1 by weight of its features. */
function coverageOf(features: Features, known: ReadonlyMap<string, number>): number {
  let [seen, all] = [0, 0];
  for (const [name, v] of features) {
    all += v * v;
    if (known.has(name)) seen += v * v;
  }
  return all === 0 ? 0 : seen / all;
}

interface Guess {
  readonly label: string;
  readonly chance: number;
  readonly coverage: number;
  readonly chances: Float64Array;
}

function guess(data: Omit<ClassifierData, 'calibration'>, features: Features): Guess | undefined {
  const { labels, weights } = data;
  const chances = softmax(rowOf(features, data, 0), weights, labels.length);
  let best = -1;
  for (let k = 0; k < labels.length; k++)
    if (labels[k] !== OUT_OF_SCOPE && (best < 0 || (chances[k] ?? 0) > (chances[best] ?? 0))) best = k;
  if (best < 0) return undefined;
  const coverage = coverageOf(features, data.features);
  return { label: labels[best] ?? '', chance: chances[best] ?? 0, coverage, chances };
}

/**
 * Trains a classifier and calibrates it (Platt, 1999) on folds that it has not seen: phrases held out of each intent,
 * which should be recognised, and whole intents held out, which should not. Never throws; without labels it scores nothing.
 */
export function trainClassifier(samples: readonly Sample[]): ClassifierData {
  const labels = [...new Set(samples.map((s) => s.label))].sort();
  return { ...train(samples, labels), calibration: calibrate(samples, labels) };
}

/** What has learned nothing, and so means nothing. */
export const UNTRAINED: ClassifierData = trainClassifier([]);

interface Held {
  readonly logit: number;
  readonly coverage: number;
  readonly right: number;
  readonly weight: number;
}

function calibrate(samples: readonly Sample[], labels: readonly string[]): Calibration {
  const intents = labels.filter((l) => l !== OUT_OF_SCOPE);
  if (intents.length < 2) return PRIOR;
  const held: Held[] = [];
  const test = (kept: readonly Sample[], out: readonly Sample[], weight: number) => {
    const data = train(kept, [...new Set(kept.map((s) => s.label))].sort());
    for (const sample of out) {
      const found = guess(data, sample.features);
      if (!found) continue;
      held.push({ logit: logitOf(found.chance), coverage: found.coverage, right: found.label === sample.label ? 1 : 0, weight });
    }
  };
  const place = new Map<string, number>();
  const folds = samples.map((s) => {
    const nth = place.get(s.label) ?? 0;
    place.set(s.label, nth + 1);
    return nth % FOLDS;
  });
  const many = samples.length > MANY_SAMPLES;
  for (let fold = 0; fold < (many ? 1 : FOLDS); fold++)
    test(
      samples.filter((_, i) => folds[i] !== fold),
      samples.filter((_, i) => folds[i] === fold),
      1,
    );
  const group = new Map(intents.map((l, i) => [l, i % LEFT_OUT]));
  for (let out = 0; out < (many ? 1 : Math.min(LEFT_OUT, intents.length)); out++)
    test(
      samples.filter((s) => group.get(s.label) !== out),
      samples.filter((s) => group.get(s.label) === out),
      STRANGER_WEIGHT,
    );
  return fit(held);
}

const FIT_STEPS = 400;
const FIT_RATE = 0.5;
/** How strongly the fit is held to the values it begins with, in samples. */
const PRIOR_WEIGHT = 8;

/** Logistic regression of "was right" on what the classifier says of itself, drawn towards the prior. */
function fit(held: readonly Held[]): Calibration {
  let { logit, coverage, bias } = PRIOR;
  const total = held.reduce((sum, h) => sum + h.weight, PRIOR_WEIGHT);
  for (let i = 0; i < FIT_STEPS; i++) {
    let [gl, gc, gb] = [
      PRIOR_WEIGHT * (logit - PRIOR.logit),
      PRIOR_WEIGHT * (coverage - PRIOR.coverage),
      PRIOR_WEIGHT * (bias - PRIOR.bias),
    ].map((g) => g * 0.1) as [number, number, number];
    for (const h of held) {
      const error = h.weight * (logistic(logit * h.logit + coverage * h.coverage + bias) - h.right);
      gl += error * h.logit;
      gc += error * h.coverage;
      gb += error;
    }
    logit = Math.max(0.05, logit - (FIT_RATE * gl) / total);
    coverage = Math.max(0, coverage - (FIT_RATE * gc) / total);
    bias -= (FIT_RATE * gb) / total;
  }
  return { logit, coverage, bias, from: held.length };
}

/** The labels with their scores, the best first. Scores are chances of being right; together they are at most 1. */
export function classify(data: ClassifierData, features: Features): Scored[] {
  const best = guess(data, features);
  if (!best || best.coverage === 0) return [];
  const { calibration: c, labels } = data;
  const score = logistic(c.logit * logitOf(best.chance) + c.coverage * best.coverage + c.bias);
  const others = labels.flatMap((label, k) =>
    label === OUT_OF_SCOPE || label === best.label ? [] : [{ label, score: (score * (best.chances[k] ?? 0)) / best.chance }],
  );
  const sum = others.reduce((all, o) => all + o.score, 0);
  const scale = sum > 1 - score ? (1 - score) / sum : 1;
  const rest = others.map((o) => ({ ...o, score: o.score * scale }));
  return [{ label: best.label, score }, ...rest.sort((a, b) => b.score - a.score || (a.label < b.label ? -1 : 1))];
}

/** About how many multiplications one round over some phrases takes: each letter brings two features, and each word two. */
export function roundCost(letters: number, words: number, labels: number): number {
  return 2 * (letters + words) * labels;
}

/** What may be learned within the least number of rounds, in the same measure. */
export const MOST_ROUND_COST = MOST_WORK / LEAST_EPOCHS;
