import { wordsFor, type ClassifierData, type Said } from './classifier.js';
import { featuresByWord } from './features.js';
import type { Lexicon } from './lexicon.js';

/** A word and how much it said, beside the word that said most: from -1 to 1. */
export interface SpokenFor {
  readonly word: string;
  readonly weight: number;
}

/** Why an intent came first: words for and against it beside the second, and the phrase that is most like the message. */
export interface Why {
  readonly for: readonly SpokenFor[];
  readonly against: readonly SpokenFor[];
  readonly nearest?: { readonly intent: string; readonly phrase: string; readonly likeness: number };
}

const MOST_FOR = 5;
const MOST_AGAINST = 3;
/** What says less than this beside the word that says most is not told. */
const LEAST = 0.1;

const hundredth = (n: number): number => Math.round(n * 100) / 100;

/** The words that decided between the first intent and the second. `shown` are the words as they were said. */
export function whyFirst(
  classifier: ClassifierData,
  said: Said,
  shown: readonly string[],
  [best, rival]: readonly { readonly label: string }[],
  { language, lexicon }: { readonly language: string; readonly lexicon: Lexicon },
): Pick<Why, 'for' | 'against'> {
  if (!best || !classifier.labels.includes(best.label)) return { for: [], against: [] };
  const weights = wordsFor(classifier, said, featuresByWord(said.words, language, lexicon), best.label, rival?.label);
  const most = Math.max(...weights.map(Math.abs), 1e-9);
  const all = weights.map((w, i) => ({ word: shown[i] ?? '', weight: hundredth(w / most) }));
  const sorted = all.filter((w) => Math.abs(w.weight) >= LEAST).sort((a, b) => Math.abs(b.weight) - Math.abs(a.weight));
  return {
    for: sorted.filter((w) => w.weight > 0).slice(0, MOST_FOR),
    against: sorted.filter((w) => w.weight < 0).slice(0, MOST_AGAINST),
  };
}

/** A phrase with its intent, and the stems of its words. */
export interface ListedPhrase {
  readonly intent: string;
  readonly text: string;
  readonly stems: readonly string[];
}

/** Finds the phrase that is most like some stems, by the cosine of what they tell; undefined where none shares anything. */
export type NearestPhrase = (stems: readonly string[]) => Why['nearest'];

/** Makes the finder of the nearest phrase; a look costs what its words have in common with phrases. */
export function createNearestPhrase(phrases: readonly ListedPhrase[]): NearestPhrase {
  const having = new Map<string, number[]>();
  phrases.forEach(({ stems }, i) => {
    for (const stem of new Set(stems)) having.set(stem, [...(having.get(stem) ?? []), i]);
  });
  const telling = (stem: string): number => Math.log(1 + phrases.length / (having.get(stem)?.length ?? 0.5)) ** 2;
  const length = (stems: readonly string[]): number => Math.sqrt([...new Set(stems)].reduce((sum, s) => sum + telling(s), 0));
  const lengths = phrases.map((p) => length(p.stems));
  return (stems) => {
    const shared = new Map<number, number>();
    for (const stem of new Set(stems))
      for (const i of having.get(stem) ?? []) shared.set(i, (shared.get(i) ?? 0) + telling(stem));
    const own = length(stems);
    let best: { at: number; likeness: number } | undefined;
    for (const [at, sum] of shared) {
      const likeness = sum / (own * (lengths[at] ?? 1));
      if (!best || likeness > best.likeness) best = { at, likeness };
    }
    const phrase = best && phrases[best.at];
    return phrase && best && { intent: phrase.intent, phrase: phrase.text, likeness: hundredth(Math.min(1, best.likeness)) };
  };
}
