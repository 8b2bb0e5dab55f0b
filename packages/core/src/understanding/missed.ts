import type { Lexicon } from './lexicon.js';
import { normalise, tokensOf } from './words.js';

/** Something that was said and matched nothing, or only weakly. */
export interface MissedText {
  readonly id: string;
  readonly text: string;
  readonly language: string;
  /** What it was nearest to, though not near enough. */
  readonly intent: string | null;
  readonly score: number;
  /** The knowledge base that did not answer it; null where it was not understood. */
  readonly base?: string | null;
  /** What the visitor thought of the answer, where it was of no help. */
  readonly thought?: string | null;
  readonly at: string;
}

/** What is alike among what was missed; `text` is the one that stands for all. */
export interface MissedGroup {
  readonly text: string;
  readonly language: string;
  readonly times: number;
  readonly intent: string | null;
  readonly score: number;
  readonly base: string | null;
  readonly last: string;
  readonly items: readonly MissedText[];
}

const ALIKE_FROM = 0.55;
/** A word of no list tells as much as one of this rank. */
const COMMON = 10_000;

/**
 * Groups what is alike: what is the same in other letters first, then around the most frequent ones what shares most of what
 * tells (leader clustering; Hartigan, 1975). The largest groups come first, of two as large the later one.
 */
export function groupMissed(missed: readonly MissedText[], lexicon: Lexicon): MissedGroup[] {
  const same = new Map<string, MissedText[]>();
  for (const m of missed) {
    const key = `${m.base ?? ''} ${m.language} ${normalise(m.text) || m.text.trim()}`;
    same.set(key, [...(same.get(key) ?? []), m]);
  }
  const byNumber = [...same.values()].sort((a, b) => b.length - a.length || ((a[0]?.id ?? '') < (b[0]?.id ?? '') ? -1 : 1));
  const stems = byNumber.map(([first]) => stemsOf(first, lexicon));
  const leadOf = createLeads(stems, tellingOf(missed, lexicon));
  const groups = new Map<number, MissedText[]>();
  byNumber.forEach((items, i) => {
    const lead = leadOf(i);
    groups.set(lead, [...(groups.get(lead) ?? []), ...items]);
  });
  return [...groups.values()]
    .flatMap((items): MissedGroup[] => {
      const [first] = items;
      if (!first) return [];
      const last = items.reduce((latest, m) => (m.at > latest ? m.at : latest), '');
      const { text, language, intent, score, base = null } = first;
      return [{ text, language, intent, score, base, times: items.length, last, items }];
    })
    .sort((a, b) => b.times - a.times || (a.last > b.last ? -1 : 1));
}

function stemsOf(missed: MissedText | undefined, lexicon: Lexicon): ReadonlySet<string> {
  return new Set(missed ? tokensOf(missed.text).map((t) => lexicon.stem(t.word, missed.language)) : []);
}

/** How much a stem tells, from 0 to 1: the commoner its words in the languages of what was missed, the less. */
function tellingOf(missed: readonly MissedText[], lexicon: Lexicon): (stem: string) => number {
  const ranks = new Map<string, number>();
  for (const { text, language } of missed)
    for (const { word } of tokensOf(text)) {
      const stem = lexicon.stem(word, language);
      ranks.set(stem, Math.min(ranks.get(stem) ?? Infinity, lexicon.rank(word, language) ?? COMMON));
    }
  return (stem) => Math.min(1, Math.log(2 + (ranks.get(stem) ?? COMMON)) / Math.log(COMMON)) ** 3;
}

/** Finds the first of some texts that is so like one that they belong together: itself, where there is none before it. */
function createLeads(stems: readonly ReadonlySet<string>[], telling: (stem: string) => number): (at: number) => number {
  const length = (set: ReadonlySet<string>): number => Math.sqrt([...set].reduce((sum, s) => sum + telling(s), 0));
  const having = new Map<string, number[]>();
  return (at) => {
    const own = stems[at] ?? new Set<string>();
    const shared = new Map<number, number>();
    for (const stem of own) for (const lead of having.get(stem) ?? []) shared.set(lead, (shared.get(lead) ?? 0) + telling(stem));
    let best = { lead: at, likeness: ALIKE_FROM };
    for (const [lead, sum] of shared) {
      const likeness = sum / (length(own) * length(stems[lead] ?? own));
      if (likeness >= best.likeness) best = { lead, likeness };
    }
    if (best.lead === at) for (const stem of own) having.set(stem, [...(having.get(stem) ?? []), at]);
    return best.lead;
  };
}
