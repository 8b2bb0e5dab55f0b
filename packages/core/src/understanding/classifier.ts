import { fitCalibration, scoreOf, type Calibration, type Evidence, type Judged } from './calibration.js';
import {
  denseRow,
  denseSamples,
  learnDense,
  nearness,
  sumOfWords,
  type DenseSamples,
  type DenseView,
  type Vectors,
} from './dense-view.js';
import type { Features } from './features.js';
import { scoreRow, softmax, type Linear, type Row } from './linear.js';
import { coverageOf, learnSparse, sparseRow, type SparseView } from './sparse-view.js';

/** A text to learn from, and what it means. One that is `weak` (a name, a description) teaches, but nobody says it so. */
export interface Sample {
  readonly text: string;
  readonly words: readonly string[];
  readonly features: Features;
  readonly label: string;
  readonly weak?: boolean;
}

/** What a message is compared by; `vectors` where an encoder has read it and its words. */
export type Said = Pick<Sample, 'text' | 'words' | 'features'> & { readonly vectors?: Vectors | undefined };

/** What is learned from samples before it is known how far it can be trusted. */
interface Model {
  readonly labels: readonly string[];
  readonly sparse: SparseView;
  readonly dense?: DenseView | undefined;
}

/** A trained classifier, as plain data. */
export interface ClassifierData extends Model {
  /** By words alone, and with an encoder. */
  readonly calibration: { readonly sparse: Calibration; readonly dense?: Calibration | undefined };
}

export interface Scored {
  readonly label: string;
  readonly score: number;
}

/** The label of sayings that the bot is not for; never among the scores. */
export const OUT_OF_SCOPE = '';

/** What is so much less likely than the best is not told. */
const LEAST_SHARE = 0.002;
const FOLDS = 3;
/** With so many samples one fold and one group of intents tell as much as all of them. */
const MANY_SAMPLES = 1500;
const LEFT_OUT = 3;
/** How much a message of an intent that was left out counts beside one of an intent that is there. */
const STRANGER_WEIGHT = 0.15;

/** How sharply scores of each view become chances, and how much each says (chosen on the development data). */
const SHARP = { sparse: 3, whole: 4, parts: 4 } as const;
const SHARE = { sparse: 0.5, whole: 1, parts: 0.7 } as const;

/** Learns from samples, with what an encoder made of them where that is known. */
export function learn(samples: readonly Sample[], labels: readonly string[], dense: DenseSamples | undefined): Model {
  return { labels, sparse: learnSparse(samples, labels), dense: dense && learnDense(samples, labels, dense) };
}

/** What a model says of a message before it is calibrated: the chance of each label, and what speaks for the best. */
export interface Guess {
  readonly best: number;
  readonly chances: Float64Array;
  readonly evidence: Evidence;
  readonly by: 'sparse' | 'dense';
}

function top(chances: Float64Array, labels: readonly string[]): number {
  let best = -1;
  for (let k = 0; k < labels.length; k++)
    if (labels[k] !== OUT_OF_SCOPE && (best < 0 || (chances[k] ?? 0) > (chances[best] ?? 0))) best = k;
  return best;
}

/** How a linear model scores a row. */
function scored(row: Row, model: Linear): Float64Array {
  const scores = new Float64Array(model.labels);
  scoreRow(row, model, scores);
  return scores;
}

/** What a model says of a message and how sure it is; undefined where it knows no labels. */
export function guess(model: Model, said: Said): Guess | undefined {
  const { labels, sparse, dense } = model;
  const scores = scored(sparseRow(said.features, sparse), sparse);
  const chances = softmax(scores, SHARP.sparse);
  const coverage = coverageOf(said.features, sparse);
  const whole = said.vectors?.get(said.text);
  if (dense && whole && said.vectors) return guessWith(dense, { labels, chances, coverage, whole, said, vectors: said.vectors });
  const best = top(chances, labels);
  if (best < 0) return undefined;
  const evidence = { margin: scores[best] ?? 0, coverage, nearest: 0, three: 0 };
  return { best, chances, by: 'sparse', evidence };
}

interface Read {
  readonly labels: readonly string[];
  readonly chances: Float64Array;
  readonly coverage: number;
  readonly whole: Float32Array;
  readonly said: Said;
  readonly vectors: Vectors;
}

function guessWith(dense: DenseView, { labels, chances, coverage, whole, said, vectors }: Read): Guess | undefined {
  const wholes = scored(denseRow(whole), dense.whole);
  const parts = scored(denseRow(sumOfWords(said.words, vectors, dense.telling) ?? whole), dense.parts);
  const [a, b] = [softmax(wholes, SHARP.whole), softmax(parts, SHARP.parts)];
  const all = SHARE.sparse + SHARE.whole + SHARE.parts;
  const fused = chances.map((c, k) => (SHARE.sparse * c + SHARE.whole * (a[k] ?? 0) + SHARE.parts * (b[k] ?? 0)) / all);
  const best = top(fused, labels);
  if (best < 0) return undefined;
  const near = nearness(whole, dense, labels.length);
  const evidence = {
    margin: wholes[best] ?? 0,
    coverage,
    nearest: near.nearest[best] ?? 0,
    three: near.three[best] ?? 0,
  };
  return { best, chances: fused, by: 'dense', evidence };
}

const inOrder = (a: Sample, b: Sample): number =>
  a.label < b.label ? -1 : a.label > b.label ? 1 : a.text < b.text ? -1 : a.text > b.text ? 1 : 0;

/**
 * Trains a classifier and finds out how far it can be trusted, on folds that it has not seen: phrases held out of each intent,
 * which should be recognised, and whole intents held out, which should not. With `vectors` of the samples and their words it
 * learns from those as well. In whatever order the samples come, the result is the same. Never throws; without labels it
 * scores nothing.
 */
export function trainClassifier(given: readonly Sample[], vectors?: Vectors): ClassifierData {
  const samples = [...given].sort(inOrder);
  const labels = [...new Set(samples.map((s) => s.label))];
  const dense = vectors && denseSamples(samples, vectors);
  const model = learn(samples, labels, dense);
  const held = holdOut(samples, labels, dense && vectors ? { dense, vectors } : undefined);
  return {
    ...model,
    calibration: {
      sparse: fitCalibration('sparse', held.sparse),
      ...(model.dense ? { dense: fitCalibration('dense', held.dense) } : {}),
    },
  };
}

/** What has learned nothing, and so means nothing. */
export const UNTRAINED: ClassifierData = trainClassifier([]);

/** Which fold each sample is held out in: those of an intent by turns; weak ones in none. */
export function foldsOf(samples: readonly Sample[], folds: number): number[] {
  const place = new Map<string, number>();
  return samples.map((s) => {
    if (s.weak) return -1;
    const nth = place.get(s.label) ?? 0;
    place.set(s.label, nth + 1);
    return nth % folds;
  });
}

interface HeldOut {
  readonly sparse: readonly Judged[];
  readonly dense: readonly Judged[];
}

/** How well models do on samples that they have not seen. */
function holdOut(
  samples: readonly Sample[],
  labels: readonly string[],
  encoded: { readonly dense: DenseSamples; readonly vectors: Vectors } | undefined,
): HeldOut {
  const intents = labels.filter((l) => l !== OUT_OF_SCOPE);
  const held = { sparse: [] as Judged[], dense: [] as Judged[] };
  if (intents.length < 2) return held;
  const test = (kept: readonly Sample[], out: readonly Sample[], weight: number) => {
    const known = [...new Set(kept.map((s) => s.label))];
    const model = learn(kept, known, encoded?.dense);
    for (const sample of out)
      for (const vectors of encoded ? [undefined, encoded.vectors] : [undefined]) {
        const found = guess(model, { ...sample, vectors });
        if (found) held[found.by].push({ ...found.evidence, right: known[found.best] === sample.label ? 1 : 0, weight });
      }
  };
  const many = samples.length > MANY_SAMPLES;
  const folds = foldsOf(samples, FOLDS);
  for (let fold = 0; fold < (many ? 1 : FOLDS); fold++)
    test(
      samples.filter((_, i) => folds[i] !== fold),
      samples.filter((_, i) => folds[i] === fold),
      1,
    );
  // Where there are many, the values that fitting begins with say enough of strangers.
  if (many) return held;
  const group = new Map(intents.map((l, i) => [l, i % LEFT_OUT]));
  test(
    samples.filter((s) => group.get(s.label) !== 0),
    samples.filter((s) => group.get(s.label) === 0 && !s.weak),
    STRANGER_WEIGHT,
  );
  return held;
}

/** The chance that what a model says is right, by what a classifier was found to be worth. */
export function scoreBy({ calibration }: ClassifierData, { by, evidence }: Guess): number {
  return scoreOf((by === 'dense' && calibration.dense) || calibration.sparse, evidence);
}

/**
 * How much each word of a message spoke for one label beside another (or beside all the rest): above 0 for it, below 0 against
 * it. `byWord` are the features that each word brings.
 */
export function wordsFor(
  { labels, sparse, dense }: ClassifierData,
  said: Said,
  byWord: readonly (readonly string[])[],
  best: string,
  rival: string | undefined,
): number[] {
  const [k, other] = [labels.indexOf(best), rival === undefined ? -1 : labels.indexOf(rival)];
  const beside = (model: Linear, feature: number): number =>
    (model.weights[feature * model.labels + k] ?? 0) - (other < 0 ? 0 : (model.weights[feature * model.labels + other] ?? 0));
  const row = sparseRow(said.features, sparse);
  const value = new Map(Array.from(row.at, (f, i) => [f, row.value[i] ?? 0]));
  return byWord.map((names, i) => {
    const bySparse = names.reduce((sum, name) => {
      const f = sparse.features.get(name);
      return f === undefined ? sum : sum + (value.get(f) ?? 0) * beside(sparse, f);
    }, 0);
    const word = said.words[i] ?? '';
    const vector = dense && said.vectors?.get(word);
    if (!vector) return SHARE.sparse * SHARP.sparse * bySparse;
    const weight = dense.telling.words.get(word) ?? dense.telling.unknown;
    const byParts = vector.reduce((sum, v, f) => sum + v * beside(dense.parts, f), 0);
    return SHARE.sparse * SHARP.sparse * bySparse + (SHARE.parts * SHARP.parts * weight * byParts) / lengthOfSum(said, dense);
  });
}

function lengthOfSum({ words, vectors }: Said, { telling }: DenseView): number {
  return words.reduce((sum, w) => sum + (vectors?.has(w) ? (telling.words.get(w) ?? telling.unknown) : 0), 0) || 1;
}

/** The labels with their scores, the best first. Scores are chances of being right; together they are at most 1. */
export function classify(data: ClassifierData, said: Said): Scored[] {
  const found = guess(data, said);
  if (!found || (found.by === 'sparse' && found.evidence.coverage === 0)) return [];
  const { labels } = data;
  const score = scoreBy(data, found);
  const chance = found.chances[found.best] ?? 1;
  const others: Scored[] = [];
  labels.forEach((label, k) => {
    const share = (found.chances[k] ?? 0) / chance;
    if (label !== OUT_OF_SCOPE && k !== found.best && share > LEAST_SHARE) others.push({ label, score: score * share });
  });
  const sum = others.reduce((all, o) => all + o.score, 0);
  const scale = sum > 1 - score ? (1 - score) / sum : 1;
  const rest = others.map((o) => ({ ...o, score: o.score * scale }));
  return [{ label: labels[found.best] ?? '', score }, ...rest.sort((a, b) => b.score - a.score || (a.label < b.label ? -1 : 1))];
}
