import type { Features } from './features.js';
import { numberOf, trainLinear, type Linear, type Row } from './linear.js';

/** What is seen of a message by its words: weights over words, stems and pieces. `telling` is how much each feature tells: the rarer, the more. */
export interface SparseView extends Linear {
  readonly features: ReadonlyMap<string, number>;
  readonly telling: Float32Array;
  /** What a feature tells that was never seen: as much as the rarest. */
  readonly most: number;
}

/** Weights of a view: feature times label, four bytes each. */
const MOST_WEIGHTS = 8_000_000;

/** The features that training saw, numbered; where there are more than there is room for, those that were seen most often. */
function numbered(samples: readonly Features[], labels: number): { features: Map<string, number>; telling: Float32Array } {
  const seen = new Map<string, number>();
  for (const features of samples) for (const name of features.keys()) seen.set(name, (seen.get(name) ?? 0) + 1);
  const room = Math.floor(MOST_WEIGHTS / Math.max(1, labels));
  const often = seen.size <= room ? [...seen] : [...seen].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).slice(0, room);
  const telling = Float32Array.from(often, ([, count]) => inverse(samples.length, count));
  return { features: new Map(often.map(([name], i) => [name, i])), telling };
}

/** The inverse document frequency of what so many of so many texts have (Spärck Jones, 1972), smoothed. */
export function inverse(texts: number, having: number): number {
  return 1 + Math.log((1 + texts) / (1 + having));
}

/** A text as the view sees it, of length 1. */
export function sparseRow(features: Features, { features: known, telling }: Pick<SparseView, 'features' | 'telling'>): Row {
  const at = new Int32Array(features.size);
  const value = new Float32Array(features.size);
  let [count, sum] = [0, 0];
  for (const [name, v] of features) {
    const place = known.get(name);
    if (place === undefined) continue;
    const weight = v * (telling[place] ?? 0);
    at[count] = place;
    value[count++] = weight;
    sum += weight * weight;
  }
  const length = Math.sqrt(sum) || 1;
  for (let i = 0; i < count; i++) value[i] = (value[i] ?? 0) / length;
  return { at: at.subarray(0, count), value: value.subarray(0, count) };
}

/** Learns to tell labels apart by words. */
export function learnSparse(samples: readonly { features: Features; label: string }[], labels: readonly string[]): SparseView {
  const { features, telling } = numbered(
    samples.map((s) => s.features),
    labels.length,
  );
  const most = telling.reduce((top, t) => Math.max(top, t), 1);
  const index = numberOf(labels);
  const rows = samples.map((s) => sparseRow(s.features, { features, telling }));
  const belongs = samples.map((s) => index.get(s.label) ?? -1);
  return { ...trainLinear(rows, belongs, { features: features.size, labels: labels.length }), features, telling, most };
}

/** How much of a text the view has ever seen, from 0 to 1 by how much its stems tell. What was never seen tells most. */
export function coverageOf(features: Features, { features: known, telling, most }: SparseView): number {
  let [seen, all] = [0, 0];
  for (const [name, v] of features) {
    if (!name.startsWith('s ')) continue;
    const place = known.get(name);
    const weight = v * (place === undefined ? most : (telling[place] ?? 0));
    all += weight;
    if (place !== undefined) seen += weight;
  }
  return all === 0 ? 0 : seen / all;
}
