import type { BotDocument } from '../../document/schema.js';
import { normalise } from '../../understanding/words.js';

/*
 * How well tools can be told apart: by their texts, and by what visitors were heard to say. Words weigh by how few tools have
 * them (inverse document frequency, Spärck Jones, 1972), and are compared by the cosine.
 */

/** Words that tell nothing of what a tool is for. */
const COMMON = new Set(
  'the and for with that this from are you your can will when what which how one all any not has have use used tool call calls to of in on by is it or an be as at its does do der die das und oder ein eine ist sind mit von zu fur auf im den dem el la los las un una de que y en con para por se su le les des du et dans pour'.split(
    ' ',
  ),
);

type Bag = ReadonlyMap<string, number>;

/** A word without a common ending, so that "booking" and "books" meet. */
function stem(word: string): string {
  return word.length > 5 ? word.replace(/(?:ings?|ed|es|s|en|er|e)$/, '') : word.replace(/s$/, '');
}

function wordsOf(text: string): string[] {
  return normalise(text)
    .split(' ')
    .filter((w) => w.length > 2 && !COMMON.has(w))
    .map(stem);
}

/**
 * True where a text speaks of a tool: it has its name, or all telling words of its name or of what it says of itself, of which
 * there have to be two.
 */
export function speaksOf(text: string, { name, about }: { readonly name: string; readonly about: string }): boolean {
  const plain = normalise(name);
  if (plain.length > 3 && ` ${normalise(text)} `.includes(` ${plain} `)) return true;
  const said = new Set(wordsOf(text));
  const [first = ''] = about.split(/[.:;]/);
  return [wordsOf(name.replaceAll(/[-_.]/g, ' ')), wordsOf(first)].some(
    (words) => words.length > 1 && words.every((w) => said.has(w)),
  );
}

function bagOf(words: readonly string[], weight: (word: string) => number): Bag {
  const bag = new Map<string, number>();
  for (const w of words) bag.set(w, (bag.get(w) ?? 0) + weight(w));
  return bag;
}

function cosine(a: Bag, b: Bag): number {
  let dot = 0;
  for (const [w, v] of a) dot += v * (b.get(w) ?? 0);
  const size = (bag: Bag) => Math.sqrt([...bag.values()].reduce((sum, v) => sum + v * v, 0));
  const length = size(a) * size(b);
  return length === 0 ? 0 : dot / length;
}

/** Two tools with how alike their texts are (0 to 1), and of how many kept wishes it is unclear which of them is meant. */
export interface Alike {
  readonly one: string;
  readonly other: string;
  readonly texts: number;
  readonly wishes: number;
  readonly unclear: number;
}

/** Their texts are so alike that nobody tells them apart. */
const ALIKE_FROM = 0.6;
/** A wish is unclear where the second tool comes so near to the first. */
const NEAR = 0.85;
const FEW_WISHES = 3;

/** The pairs of tools that can hardly be told apart. */
export function alikeTools(
  tools: readonly { readonly name: string; readonly text: string }[],
  wishes: readonly string[],
): Alike[] {
  const words = tools.map((t) => wordsOf(t.text));
  const counts = new Map<string, number>();
  for (const w of words) for (const one of new Set(w)) counts.set(one, (counts.get(one) ?? 0) + 1);
  const weight = (word: string) => Math.log(1 + tools.length / (counts.get(word) ?? tools.length));
  // For texts a word weighs by itself: with two tools all that they share would weigh nothing.
  const plain = words.map((w) => bagOf([...new Set(w)], () => 1));
  const bags = words.map((w) => bagOf(w, weight));
  const near = wishes.map((wish) => nearest(bagOf(wordsOf(wish), weight), bags));
  return tools.flatMap((one, i) =>
    tools.slice(i + 1).flatMap((other, k): Alike[] => {
      const j = i + 1 + k;
      const texts = cosine(plain[i] ?? new Map<string, number>(), plain[j] ?? new Map<string, number>());
      const mine = near.filter((n) => n !== undefined && (n.first === i || n.first === j));
      const unclear = mine.filter((n) => n?.close && [n.first, n.second].every((at) => at === i || at === j)).length;
      const hard = mine.length >= FEW_WISHES && unclear * 2 >= mine.length;
      return texts >= ALIKE_FROM || hard
        ? [{ one: one.name, other: other.name, texts: Math.round(texts * 100) / 100, wishes: mine.length, unclear }]
        : [];
    }),
  );
}

function nearest(
  wish: Bag,
  bags: readonly Bag[],
): { readonly first: number; readonly second: number; readonly close: boolean } | undefined {
  const scored = bags.map((bag, at) => ({ at, score: cosine(wish, bag) })).sort((a, b) => b.score - a.score);
  const [first, second] = scored;
  if (!first || first.score < 0.1) return undefined;
  return { first: first.at, second: second?.at ?? -1, close: (second?.score ?? 0) >= first.score * NEAR };
}

const MOST_WISHES = 200;

const kept = new WeakMap<BotDocument, readonly string[]>();

/** What visitors say in the rehearsals of a bot. */
export function keptWishes(document: BotDocument): readonly string[] {
  const known = kept.get(document);
  if (known) return known;
  const said = Object.values(document.rehearsals ?? {}).flatMap((r) =>
    r.turns.flatMap((t) => (t.says === undefined ? [] : [t.says])),
  );
  const made = said.slice(0, MOST_WISHES);
  kept.set(document, made);
  return made;
}
