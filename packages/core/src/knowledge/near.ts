import type { Alternative, Slot } from './question.js';
import { eachWord, termsIn } from './words.js';

/** A passage where it stands; `page` is 0 where the document has none. */
export interface Source {
  readonly document: string;
  readonly title: string;
  readonly heading: string;
  readonly language: string;
  readonly place: number;
  readonly page: number;
  readonly text: () => string;
}

/** A passage that was looked at closely. */
export interface Refined {
  readonly at: number;
  readonly score: number;
  /** For each word of the question, as what the passage has it; undefined where it has not. */
  readonly matched: readonly (Alternative | undefined)[];
  readonly titled: readonly boolean[];
  /** The weight of the words that stand in its own heading. */
  readonly headed: number;
  /** The weight of the words that it has. */
  readonly held: number;
  /** How near its words stand to each other, in their weight; and the same as a share of what it could be. */
  readonly nearness: number;
  readonly near: number;
}

const BETWEEN_HEADINGS = ' › ';
/** Words further apart than this are not near. */
const WINDOW = 12;
const FALL = 0.7;
/** Passages are looked at up to here. */
const MOST_WORDS = 1500;

/** The word of a question that a word of a passage is; what was looked up once is remembered. */
export type SlotFinder = (
  raw: string,
  code: boolean,
  language: string,
) => { readonly slot: number; readonly by: Alternative } | undefined;

/** Finds words of a question in texts of any language. */
export function createSlotFinder(slots: readonly Slot[]): SlotFinder {
  type Found = ReturnType<SlotFinder>;
  const slotOf = new Map<string, Found>();
  slots.forEach((s, slot) => s.alternatives.forEach((by) => slotOf.has(by.term) || slotOf.set(by.term, { slot, by })));
  const languages = new Map<string, { readonly terms: ReturnType<typeof termsIn>; readonly seen: Map<string, Found> }>();
  return (raw, code, language) => {
    let known = languages.get(language);
    if (!known) languages.set(language, (known = { terms: termsIn(language), seen: new Map() }));
    if (!code && known.seen.has(raw)) return known.seen.get(raw);
    const found = known
      .terms(raw, code)
      .map((t) => slotOf.get(t))
      .find((f) => f !== undefined);
    if (!code) known.seen.set(raw, found);
    return found;
  };
}

/** Looks at a passage: which words of the question it has, where, and how near to each other. */
export function refine(
  source: Source,
  slots: readonly Slot[],
  weights: readonly number[],
  find: SlotFinder,
): Omit<Refined, 'at' | 'score'> {
  const matched: (Alternative | undefined)[] = slots.map(() => undefined);
  const titled = slots.map(() => false);
  const places: { readonly slot: number; readonly word: number }[] = [];
  const match = ({ slot, by }: { readonly slot: number; readonly by: Alternative }) => {
    if ((matched[slot]?.weight ?? 0) < by.weight) matched[slot] = by;
  };
  let word = 0;
  eachWord(source.text(), (raw, code) => {
    if (word++ > MOST_WORDS) return;
    const found = find(raw, code, source.language);
    if (!found) return;
    places.push({ slot: found.slot, word });
    match(found);
  });
  const inField = (text: string, each: (slot: number) => void) =>
    eachWord(text, (raw, code) => {
      const found = find(raw, code, source.language);
      if (!found) return;
      titled[found.slot] = true;
      match(found);
      each(found.slot);
    });
  const own = new Set<number>();
  const cut = source.heading.lastIndexOf(BETWEEN_HEADINGS);
  inField(source.title, () => undefined);
  inField(cut < 0 ? '' : source.heading.slice(0, cut), () => undefined);
  inField(cut < 0 ? source.heading : source.heading.slice(cut), (slot) => own.add(slot));
  const held = matched.reduce((sum, m, i) => sum + (m ? (weights[i] ?? 0) * m.weight : 0), 0);
  const nearness = nearnessOf(places, weights);
  const most = weights.reduce((sum, w) => sum + w, 0);
  const headed = [...own].reduce((sum, slot) => sum + (weights[slot] ?? 0), 0);
  return { matched, titled, headed, held, nearness, near: most > 0 ? Math.min(1, nearness / most) : 0 };
}

/** How near different words stand to each other: for each pair its best distance, in the weight of the lesser word. */
function nearnessOf(places: readonly { readonly slot: number; readonly word: number }[], weights: readonly number[]): number {
  const best = new Map<number, number>();
  for (let i = 0; i < places.length; i++)
    for (let j = i + 1; j < places.length; j++) {
      const [a, b] = [places[i], places[j]];
      if (!a || !b || b.word - a.word > WINDOW) break;
      if (a.slot === b.slot) continue;
      const pair = Math.min(a.slot, b.slot) * weights.length + Math.max(a.slot, b.slot);
      best.set(pair, Math.max(best.get(pair) ?? 0, Math.max(1, b.word - a.word) ** -FALL));
    }
  let sum = 0;
  for (const [pair, value] of best)
    sum += value * Math.min(weights[Math.floor(pair / weights.length)] ?? 0, weights[pair % weights.length] ?? 0);
  return sum;
}

/** The different words of a text, for telling whether two say the same. */
export function wordSet(text: string): ReadonlySet<string> {
  const words = new Set<string>();
  eachWord(text, (raw) => words.add(raw.toLowerCase()));
  return words;
}
