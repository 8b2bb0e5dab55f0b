/** What speaks for the best label of a message. */
export interface Evidence {
  /** Its own score against all the rest: above 0 it is rather inside than outside. */
  readonly margin: number;
  /** How much of the message was ever seen, from 0 to 1. */
  readonly coverage: number;
  /** How near the nearest of its phrases is, and the nearest three are (cosine); 0 without an encoder. */
  readonly nearest: number;
  readonly three: number;
}

/** Evidence with what came of it: 1 where the label was right. */
export type Judged = Evidence & { readonly right: number; readonly weight: number };

const FACTORS = ['bias', 'margin', 'coverage', 'nearest', 'three'] as const;
type Factors = Readonly<Record<(typeof FACTORS)[number], number>>;

/** How scores are made honest: the chance of being right is the logistic function of a weighted sum. */
export interface Calibration extends Factors {
  /** How many held-out samples it was fitted on; 0 for the values it begins with. */
  readonly from: number;
}

/** Where fitting begins, and how strongly it is held there, in samples. Fitted on the development data. */
const PRIOR: Readonly<Record<'sparse' | 'dense', Factors>> = {
  sparse: { bias: 0.95, margin: 4.5, coverage: 0.13, nearest: 0, three: 0 },
  dense: { bias: -2.72, margin: 2.81, coverage: 0.23, nearest: 2.8, three: 3.18 },
};
/** How strongly fitting is held to them: each factor as if so many samples stood for it. */
const PULL: number = 100;
const STEPS = 12;

const logistic = (x: number): number => 1 / (1 + Math.exp(-x));

const valuesOf = (e: Evidence): number[] => FACTORS.map((f) => (f === 'bias' ? 1 : e[f]));

const sumOf = (weights: readonly number[], values: readonly number[]): number =>
  weights.reduce((sum, w, i) => sum + w * (values[i] ?? 0), 0);

/** The chance of being right. */
export function scoreOf(calibration: Calibration, evidence: Evidence): number {
  return logistic(
    sumOf(
      FACTORS.map((f) => calibration[f]),
      valuesOf(evidence),
    ),
  );
}

/** Logistic regression (Platt, 1999) of "was right" on the evidence, drawn towards the values it begins with, by Newton's steps. */
export function fitCalibration(by: 'sparse' | 'dense', held: readonly Judged[]): Calibration {
  const prior = FACTORS.map((f) => PRIOR[by][f]);
  const weights = [...prior];
  const rows = held.map((h) => ({ values: valuesOf(h), right: h.right, weight: h.weight }));
  for (let step = 0; step < STEPS; step++) {
    const gradient = weights.map((w, i) => PULL * (w - (prior[i] ?? 0)));
    const curve = weights.map((_, i) => weights.map((__, j) => (i === j ? PULL : 0)));
    for (const { values, right, weight } of rows) {
      const p = logistic(sumOf(weights, values));
      values.forEach((v, i) => {
        gradient[i] = (gradient[i] ?? 0) + weight * (p - right) * v;
        const row = curve[i];
        if (row) values.forEach((u, j) => (row[j] = (row[j] ?? 0) + weight * p * (1 - p) * v * u));
      });
    }
    solve(curve, gradient).forEach((by, i) => (weights[i] = (weights[i] ?? 0) - by));
  }
  const fitted = Object.fromEntries(FACTORS.map((f, i) => [f, weights[i] ?? 0])) as Record<keyof Factors, number>;
  return { ...fitted, margin: Math.max(0.5, fitted.margin), from: held.length };
}

/** Solves a small system of linear equations with a symmetric positive matrix (elimination; the arguments are used up). */
function solve(matrix: number[][], right: number[]): number[] {
  const n = right.length;
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++) {
      const [a, b] = [matrix[i] ?? [], matrix[j] ?? []];
      const by = (b[i] ?? 0) / (a[i] ?? 1);
      for (let k = i; k < n; k++) b[k] = (b[k] ?? 0) - by * (a[k] ?? 0);
      right[j] = (right[j] ?? 0) - by * (right[i] ?? 0);
    }
  for (let i = n - 1; i >= 0; i--) {
    const row = matrix[i] ?? [];
    for (let k = i + 1; k < n; k++) right[i] = (right[i] ?? 0) - (row[k] ?? 0) * (right[k] ?? 0);
    right[i] = (right[i] ?? 0) / (row[i] ?? 1);
  }
  return right;
}
