import { foldsOf, guess, learn, OUT_OF_SCOPE, scoreBy, type ClassifierData } from './classifier.js';
import { denseSamples, type Vectors } from './dense-view.js';
import type { Lexicon } from './lexicon.js';
import type { TaughtSample } from './teaching.js';

/** A phrase as the bot reads it; `intent` is what it should be and `read` what it was taken for, each '' for none of the bot's. */
export interface JudgedPhrase {
  readonly text: string;
  readonly language: string;
  readonly intent: string;
  /** What it is nearest to, whether surely enough or not. */
  readonly read: string;
  readonly score: number;
}

/** How well one intent is told from the others. `recall`: of its phrases so many are found; `precision`: of what is taken for it so much is right. */
export interface IntentQuality {
  readonly intent: string;
  readonly phrases: number;
  readonly precision: number | null;
  readonly recall: number;
  readonly f1: number;
  /** From 0 to 5. */
  readonly health: number;
  readonly few: boolean;
}

/** What would help a phrase that is read as another intent. */
export type Advice = 'move' | 'delete' | 'more';

export interface FaultyPhrase extends JudgedPhrase {
  readonly advice: Advice;
}

/** Two intents that are mixed up, with the phrases at fault; `merge` where they are so alike that one would do. */
export interface MixedUp {
  readonly intents: readonly [string, string];
  readonly phrases: readonly FaultyPhrase[];
  readonly merge: boolean;
}

export interface NearDuplicate {
  readonly first: { readonly intent: string; readonly text: string };
  readonly second: { readonly intent: string; readonly text: string };
  readonly likeness: number;
}

/** What would come of a threshold: so many phrases right, wrong, and not answered. */
export interface AtThreshold {
  readonly threshold: number;
  readonly right: number;
  readonly wrong: number;
  readonly unanswered: number;
}

/** How well a bot understands phrases that it has not learned. */
export interface QualityReport {
  readonly phrases: number;
  readonly threshold: number;
  /** Of all phrases, the share that is read right, wherever the threshold is. */
  readonly accuracy: number;
  readonly right: number;
  readonly wrong: number;
  readonly unanswered: number;
  readonly intents: readonly IntentQuality[];
  readonly mixedUp: readonly MixedUp[];
  readonly duplicates: readonly NearDuplicate[];
  readonly curve: readonly AtThreshold[];
  /** What is read wrong or not at all, the surest mistakes first. */
  readonly missed: readonly JudgedPhrase[];
}

const FOLDS = 5;
const MANY = 2000;
const FEW_PHRASES = 5;
const MOST_PAIRS = 30;
const MOST_MISSED = 200;
const MOST_DUPLICATES = 50;
const ALIKE_FROM = 0.82;
/** A phrase that is so surely another intent's had better go there. */
const MOVE_FROM = 0.7;
const MERGE_FROM = 0.35;
const HEALTH = [0.3, 0.5, 0.65, 0.8, 0.9];
const STEPS = 40;

/** Reads each phrase of a bot by what all others teach, in folds (Stone, 1974). Weak samples stay in; the same bot gives the same. */
export function crossValidate(samples: readonly TaughtSample[], classifier: ClassifierData, vectors?: Vectors): JudgedPhrase[] {
  const dense = vectors && denseSamples(samples, vectors);
  const count = samples.length > MANY ? 3 : FOLDS;
  const folds = foldsOf(samples, count);
  const judged: JudgedPhrase[] = [];
  for (let fold = 0; fold < count; fold++) {
    const kept = samples.filter((_, i) => folds[i] !== fold);
    const labels = [...new Set(kept.map((s) => s.label))];
    const model = learn(kept, labels, dense);
    for (const sample of samples.filter((_, i) => folds[i] === fold)) {
      const found = guess(model, { ...sample, vectors: dense ? vectors : undefined });
      const { text, language, label: intent } = sample;
      const score = found ? scoreBy(classifier, found) : 0;
      judged.push({
        text,
        language,
        intent,
        read: found ? (labels[found.best] ?? '') : '',
        score: Math.round(score * 1000) / 1000,
      });
    }
  }
  return judged;
}

/** What phrases come to that were judged, at a threshold. Phrases of no intent are right where nothing is sure enough. */
export function reportOf(
  judged: readonly JudgedPhrase[],
  threshold: number,
  duplicates: readonly NearDuplicate[] = [],
): QualityReport {
  const at = (from: number): AtThreshold => {
    const count = { right: 0, wrong: 0, unanswered: 0 };
    for (const j of judged) count[outcomeOf(j, from)]++;
    return { threshold: from, ...count };
  };
  const intents = [...new Set(judged.map((j) => j.intent))].filter((i) => i !== OUT_OF_SCOPE).sort();
  const { right, wrong, unanswered } = at(threshold);
  const known = judged.filter((j) => j.intent !== OUT_OF_SCOPE);
  return {
    phrases: judged.length,
    threshold,
    accuracy: known.length === 0 ? 0 : known.filter((j) => j.read === j.intent).length / known.length,
    right,
    wrong,
    unanswered,
    intents: intents.map((i) => qualityOf(i, judged, threshold)),
    mixedUp: mixedUp(judged),
    duplicates,
    curve: Array.from({ length: STEPS + 1 }, (_, i) => at(i / STEPS)),
    missed: judged
      .filter((j) => outcomeOf(j, threshold) !== 'right')
      .sort((a, b) => b.score - a.score)
      .slice(0, MOST_MISSED),
  };
}

function outcomeOf({ intent, read, score }: JudgedPhrase, threshold: number): 'right' | 'wrong' | 'unanswered' {
  const answered = score >= threshold && read !== OUT_OF_SCOPE;
  if (intent === OUT_OF_SCOPE) return answered ? 'wrong' : 'right';
  if (!answered) return 'unanswered';
  return read === intent ? 'right' : 'wrong';
}

function qualityOf(intent: string, judged: readonly JudgedPhrase[], threshold: number): IntentQuality {
  const own = judged.filter((j) => j.intent === intent);
  const taken = judged.filter((j) => j.read === intent && j.score >= threshold);
  const found = taken.filter((j) => j.intent === intent).length;
  const recall = own.length === 0 ? 0 : found / own.length;
  const precision = taken.length === 0 ? null : found / taken.length;
  const f1 = precision === null || precision + recall === 0 ? 0 : (2 * precision * recall) / (precision + recall);
  const few = own.length < FEW_PHRASES;
  const health = HEALTH.filter((from) => f1 >= from).length;
  return { intent, phrases: own.length, precision, recall, f1, health: few ? Math.min(3, health) : health, few };
}

/** Pairs of intents of which one is read as the other, those with the most such phrases first. */
function mixedUp(judged: readonly JudgedPhrase[]): MixedUp[] {
  const pairs = new Map<string, JudgedPhrase[]>();
  for (const j of judged) {
    if (j.intent === j.read || j.intent === OUT_OF_SCOPE || j.read === OUT_OF_SCOPE) continue;
    const key = [j.intent, j.read].sort().join('\n');
    pairs.set(key, [...(pairs.get(key) ?? []), j]);
  }
  const count = (intent: string): number => judged.filter((j) => j.intent === intent).length;
  return [...pairs]
    .map(([key, phrases]): MixedUp => {
      const [a = '', b = ''] = key.split('\n');
      const share = (of: string) => phrases.filter((p) => p.intent === of).length / Math.max(1, count(of));
      return {
        intents: [a, b],
        phrases: phrases.sort((p, q) => q.score - p.score).map((p) => ({ ...p, advice: adviceFor(p, judged) })),
        merge: share(a) >= MERGE_FROM && share(b) >= MERGE_FROM,
      };
    })
    .sort((a, b) => b.phrases.length - a.phrases.length || (a.intents.join() < b.intents.join() ? -1 : 1))
    .slice(0, MOST_PAIRS);
}

function adviceFor(phrase: JudgedPhrase, judged: readonly JudgedPhrase[]): Advice {
  const same = judged.some((j) => j.intent === phrase.read && j.text.toLowerCase() === phrase.text.toLowerCase());
  if (same) return 'delete';
  return phrase.score >= MOVE_FROM ? 'move' : 'more';
}

/** Phrases of different intents that are all but the same, by their stems and, where an encoder has read them, their vectors. */
export function nearDuplicates(samples: readonly TaughtSample[], lexicon: Lexicon, vectors?: Vectors): NearDuplicate[] {
  const phrases = samples
    .filter((s) => !s.weak && s.label !== OUT_OF_SCOPE)
    .map((s) => ({
      ...s,
      stems: new Set(s.words.map((w) => lexicon.stem(w, s.language))),
    }));
  const having = new Map<string, number[]>();
  phrases.forEach((p, i) => p.stems.forEach((stem) => having.set(stem, [...(having.get(stem) ?? []), i])));
  const found: NearDuplicate[] = [];
  phrases.forEach((p, i) => {
    const shared = new Map<number, number>();
    for (const stem of p.stems) for (const j of having.get(stem) ?? []) if (j > i) shared.set(j, (shared.get(j) ?? 0) + 1);
    for (const [j, count] of shared) {
      const q = phrases[j];
      if (!q || q.label === p.label) continue;
      const byStems = count / Math.sqrt(p.stems.size * q.stems.size);
      const likeness = Math.max(byStems, cosine(vectors?.get(p.text), vectors?.get(q.text)) * (byStems >= 0.5 ? 1 : 0));
      if (likeness >= ALIKE_FROM)
        found.push({
          first: { intent: p.label, text: p.text },
          second: { intent: q.label, text: q.text },
          likeness: Math.round(Math.min(1, likeness) * 100) / 100,
        });
    }
  });
  return found.sort((a, b) => b.likeness - a.likeness || (a.first.text < b.first.text ? -1 : 1)).slice(0, MOST_DUPLICATES);
}

function cosine(a: Float32Array | undefined, b: Float32Array | undefined): number {
  return a && b ? a.reduce((sum, v, i) => sum + v * (b[i] ?? 0), 0) : 0;
}
