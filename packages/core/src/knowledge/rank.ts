import type { KnowledgeBase } from '../document/schema.js';
import { chanceOf, type Evidence } from './covered.js';
import { createSlotFinder, refine, wordSet, type Refined, type Source } from './near.js';
import { buildPart, mergeParts, type IndexPart } from './part.js';
import { lettersOf, slotsOf, type Meant, type Slot, type Spelling } from './question.js';
import { baseOf } from '../understanding/lexicon.js';
import { normalise } from '../understanding/words.js';
import { splitDocument, type Passage } from './split.js';
import { languageOf } from './words.js';

/** Why a passage ranks where it does: the words that it has, in what form, and what else spoke for it. */
export interface WhyRanked {
  /** Words of the question that it has, with how each was meant; those with most weight first. */
  readonly words: readonly { readonly word: string; readonly as: string; readonly by: Meant; readonly weight: number }[];
  /** Words that stand in its heading or title. */
  readonly titled: readonly string[];
  /** How near to each other its words stand, from 0 to 1. */
  readonly near: number;
  /** How alike an encoder finds it to the question (cosine); absent where none compared them. */
  readonly alike?: number;
}

/** A passage as an answer: `number` counts from 1 by rank; `score` is that of the ranking, comparable within one question only. */
export interface FoundPassage {
  readonly number: number;
  /** The base, where several were looked at. */
  readonly base?: string;
  readonly document: string;
  readonly title: string;
  readonly heading: string;
  readonly place: number;
  readonly page?: number;
  readonly language?: string;
  readonly quote: string;
  readonly score: number;
  /** The page that shows it in its surroundings. */
  readonly address?: string;
  readonly why?: WhyRanked;
  /** Places of other passages that say almost the same and were left out. */
  readonly also?: readonly { readonly document: string; readonly place: number }[];
}

/**
 * What a knowledge base has on a question. `covered` says whether it is answered there, by `chance` (from 0 to 1); `share` is
 * how much of the question's weight the best passage holds, from 0 to 1; `missing` are its words that no passage has, and
 * `mended` those that were taken for misspellings.
 */
export interface LookedUp {
  readonly passages: readonly FoundPassage[];
  readonly covered: boolean;
  readonly chance?: number;
  readonly share: number;
  readonly missing: readonly string[];
  readonly mended?: Readonly<Record<string, string>>;
  /** The question as it was looked up, where it was another one than was said. */
  readonly asked?: string;
  /** Documents that were not ready and were not looked at. */
  readonly waiting?: number;
}

/** What a question may bring. All of it may be left out. */
export interface Looking {
  /** Lists of words that mean the same. */
  readonly synonyms?: readonly (readonly string[])[];
  /** The language of who asks; that of the question's own words where they tell. */
  readonly language?: string;
  /** Whether a word is one of a language, so that it is not taken for a misspelling. */
  readonly isWord?: (word: string) => boolean;
  /** Where a word stands among the common ones of its language, from 0 on; undefined for a rare one. */
  readonly rank?: (word: string) => number | undefined;
  /** Whether a document is looked at, by its id. */
  readonly only?: (document: string) => boolean;
}

export interface KnowledgeIndex {
  /** How many passages there are. */
  readonly size: number;
  readonly look: (question: string, most: number, looking?: Looking) => LookedUp;
}

/** Saturation and length normalisation of BM25 (Robertson and Zaragoza, 2009), measured as `LEAD_WEIGHT` was. */
const K1 = 2;
const B = 0.9;
/** So many of the best are looked at closely. */
const CANDIDATES = 40;
/** How much the nearness of words counts of a word's weight. */
const NEAR_WEIGHT = 0.4;
/** How much a word in a passage's own heading counts of its weight, beside what it counts among the words: what is short is headed first. */
const HEADED_WEIGHT = 0.8;
/** What a passage in another language than that of the question counts. */
const OTHER_LANGUAGE = 0.7;
/** What a word counts by which anything is asked for. */
const LIGHT = 0.35;
/** What remains behind this share of the best passage's score is not shown. */
const SHOWN_FROM = 0.35;
/** Passages that share so much of their words say the same. */
const SAME_FROM = 0.9;
/** So many are compared with each other for that. */
const MOST_FOLDED = 20;
const HALF = 0.5;
/** Among the common words of a language, from this place on one is as good as rare. */
const RARE_FROM = 4000;
const COMMON_FROM = 20;

/** How large a base is: 0 for 60 passages, 1 for 1,800. */
const sizeOf = (passages: number): number => Math.log(Math.max(20, passages) / 60) / Math.log(30);

/** A part, and which of its documents are not looked at any more. */
export interface RankedPart {
  readonly part: IndexPart;
  readonly without?: ReadonlySet<string>;
}

const places = new WeakMap<IndexPart, ReadonlyMap<string, number>>();

/** Where each term of a part stands; made once, as a part is used by one version of a base after the other. */
function placesOf(part: IndexPart): ReadonlyMap<string, number> {
  const known = places.get(part);
  if (known) return known;
  const made = new Map(part.terms.map((t, i) => [t, i]));
  places.set(part, made);
  return made;
}

/** A part with what is found in it by term. */
class OpenPart {
  readonly part: IndexPart;
  readonly from: number;
  readonly without: ReadonlySet<string> | undefined;
  readonly #places: ReadonlyMap<string, number>;

  constructor({ part, without }: RankedPart, from: number) {
    this.part = part;
    this.without = without && without.size > 0 ? without : undefined;
    this.from = from;
    this.#places = placesOf(part);
  }

  frequency(term: string): number {
    const at = this.#places.get(term);
    return at === undefined ? 0 : (this.part.starts[at + 1] ?? 0) - (this.part.starts[at] ?? 0);
  }

  /** In how many passages it stands in the text itself. */
  within(term: string): number {
    const at = this.#places.get(term);
    return at === undefined ? 0 : (this.part.within[at] ?? 0);
  }

  /** Where a term's postings begin and end. */
  range(term: string): readonly [number, number] | undefined {
    const at = this.#places.get(term);
    return at === undefined ? undefined : [this.part.starts[at] ?? 0, this.part.starts[at + 1] ?? 0];
  }
}

interface Ranked {
  readonly slots: readonly Slot[];
  /** How much each word of the question weighs (inverse document frequency). */
  readonly weights: readonly number[];
  readonly ranked: readonly Refined[];
}

const decoder = new TextDecoder();

/** Passages of some parts as one, numbered through. What is computed once for all questions is kept. */
export class Ranking implements KnowledgeIndex {
  readonly size: number;
  readonly #parts: readonly OpenPart[];
  readonly #mean: number;
  readonly #languages: readonly string[];
  readonly #scores: Float32Array;
  #spelling: Spelling | undefined;

  constructor(parts: readonly RankedPart[]) {
    let from = 0;
    this.#parts = parts.map((p) => {
      const open = new OpenPart(p, from);
      from += p.part.lengths.length;
      return open;
    });
    this.size = from;
    this.#mean = parts.reduce((sum, { part }) => sum + part.lengths.reduce((s, l) => s + l, 0), 0) / Math.max(1, from);
    this.#languages = [...new Set(parts.flatMap(({ part }) => part.documents.map((d) => d.language)))];
    this.#scores = new Float32Array(from);
  }

  look(question: string, most: number, looking: Looking = {}): LookedUp {
    const { slots, weights, ranked } = this.#ranked(question, looking);
    const evidence = evidenceOf(slots, ranked, weights, this.size);
    const [best] = ranked;
    const shown = this.#folded(ranked.filter((r) => r.score >= (best?.score ?? 0) * SHOWN_FROM)).slice(0, most);
    const chance = evidence ? chanceOf(evidence) : 0;
    const mended = slots.flatMap((s) => s.alternatives.filter((a) => a.by === 'mended').map((a) => [s.word, a.term] as const));
    return {
      passages: shown.map(({ found, also }, i) => this.#told(found, slots, weights, i + 1, also)),
      covered: chance >= HALF,
      chance: rounded(chance),
      share: rounded(evidence?.share ?? 0),
      missing: slots.filter((s) => !s.known && !s.empty).map((s) => s.word.toLowerCase()),
      ...(mended.length > 0 ? { mended: Object.fromEntries(mended) } : {}),
    };
  }

  #frequency = (term: string): number => this.#parts.reduce((sum, p) => sum + p.frequency(term), 0);

  #weightOf(slot: Slot): number {
    const within = (term: string) => this.#parts.reduce((sum, p) => sum + p.within(term), 0);
    const often = slot.alternatives.reduce((n, a) => Math.max(n, within(a.term)), 0);
    return (slot.light ? LIGHT : 1) * Math.log(1 + (this.size - often + 0.5) / (often + 0.5));
  }

  /**
   * In few passages it is chance which words are rare, so how common a word is in its language counts beside it; in many it
   * does not, and was measured to be of no use.
   */
  #rarity({ word, known }: Slot, rank: Looking['rank']): number {
    const trust = Math.max(0, Math.min(1, 1 - sizeOf(this.size)));
    const place = rank && trust > 0 ? rank(normalise(word)) : undefined;
    if (place === undefined || !known) return 1;
    return 1 - trust + trust * Math.min(1, (Math.log(place + COMMON_FROM) / Math.log(RARE_FROM)) ** 2);
  }

  #spellings = (): Spelling => {
    if (this.#spelling) return this.#spelling;
    const terms = [...new Set(this.#parts.flatMap((p) => p.part.terms))];
    this.#spelling = { terms, letters: Uint32Array.from(terms, lettersOf) };
    return this.#spelling;
  };

  #ranked(question: string, looking: Looking): Ranked {
    const vocabulary = { languages: this.#languages, frequency: this.#frequency, spelling: this.#spellings };
    const slots = slotsOf(question, vocabulary, looking);
    const weights = slots.map((slot) => this.#weightOf(slot) * this.#rarity(slot, looking.rank));
    this.#score(slots, weights, looking);
    const candidates = bestOf(this.#scores, CANDIDATES);
    const find = createSlotFinder(slots);
    const language = this.#languages.length > 1 ? baseOf(languageOf(question, looking.language ?? '')) : '';
    const ranked = candidates.map((at): Refined => {
      const refined = refine(this.#source(at), slots, weights, find);
      const close = NEAR_WEIGHT * refined.nearness + HEADED_WEIGHT * refined.headed;
      const words = ((this.#scores[at] ?? 0) + close) * this.#spoken(at, language);
      return { ...refined, at, score: words };
    });
    return { slots, weights, ranked: ranked.filter((r) => r.score > 0).sort((a, b) => b.score - a.score || a.at - b.at) };
  }

  /** BM25 of every passage, in `#scores`. Of several terms for one word the best counts. */
  #score(slots: readonly Slot[], weights: readonly number[], looking: Looking): void {
    const scores = this.#scores.fill(0);
    for (const [i, slot] of slots.entries()) {
      const several = slot.alternatives.length > 1 ? new Map<number, number>() : undefined;
      const weight = weights[i] ?? 0;
      for (const alternative of slot.alternatives)
        for (const open of this.#parts) {
          const range = open.range(alternative.term);
          if (range) this.#addPostings(open, range, weight * alternative.weight, several);
        }
      several?.forEach((v, at) => (scores[at] = (scores[at] ?? 0) + v));
    }
    if (looking.only || this.#parts.some((p) => p.without))
      for (let at = 0; at < scores.length; at++) if ((scores[at] ?? 0) > 0 && !this.#isLookedAt(at, looking)) scores[at] = 0;
  }

  #addPostings(
    { part, from }: OpenPart,
    [start, end]: readonly [number, number],
    weight: number,
    several?: Map<number, number>,
  ): void {
    const { posted, counts, lengths } = part;
    const [scores, mean] = [this.#scores, Math.max(1, this.#mean)];
    for (let i = start; i < end; i++) {
      const local = posted[i] ?? 0;
      const count = (counts[i] ?? 0) * HALF;
      const value = (weight * count * (K1 + 1)) / (count + K1 * (1 - B + (B * (lengths[local] ?? 0)) / mean));
      const at = from + local;
      if (!several) scores[at] = (scores[at] ?? 0) + value;
      else if (value > (several.get(at) ?? 0)) several.set(at, value);
    }
  }

  #isLookedAt(at: number, { only }: Looking): boolean {
    const open = this.#partOf(at);
    if (!only && !open.without) return true;
    const { document } = sourceOf(open.part, at - open.from);
    return !open.without?.has(document) && (only?.(document) ?? true);
  }

  /** What is in another language than the question comes behind what is in its own. */
  #spoken(at: number, language: string): number {
    return language === '' || baseOf(this.#source(at).language) === language ? 1 : OTHER_LANGUAGE;
  }

  #source(at: number): Source {
    const open = this.#partOf(at);
    return sourceOf(open.part, at - open.from);
  }

  #partOf(at: number): OpenPart {
    let i = this.#parts.length - 1;
    while (i > 0 && (this.#parts[i]?.from ?? 0) > at) i--;
    const open = this.#parts[i];
    if (!open) throw new Error(`there is no passage ${at}`);
    return open;
  }

  /** Passages that say the same as a better one are left out, and named there. */
  #folded(ranked: readonly Refined[]): { readonly found: Refined; readonly also: Refined[] }[] {
    const kept: { readonly found: Refined; readonly words: ReadonlySet<string>; readonly also: Refined[] }[] = [];
    for (const found of ranked.slice(0, MOST_FOLDED)) {
      const words = wordSet(this.#source(found.at).text());
      const same = kept.find((k) => isSame(k.words, words));
      if (same) same.also.push(found);
      else kept.push({ found, words, also: [] });
    }
    return kept;
  }

  #told(
    found: Refined,
    slots: readonly Slot[],
    weights: readonly number[],
    number: number,
    also: readonly Refined[],
  ): FoundPassage {
    const { document, title, heading, place, page, language, text } = this.#source(found.at);
    const words = slots
      .flatMap((slot, i) => {
        const as = found.matched[i];
        return as ? [{ word: slot.word, as: as.term, by: as.by, weight: rounded(weights[i] ?? 0) }] : [];
      })
      .sort((a, b) => b.weight - a.weight);
    const why: WhyRanked = {
      words,
      titled: slots.filter((_, i) => found.titled[i]).map((s) => s.word),
      near: rounded(found.near),
    };
    return {
      number,
      document,
      title,
      heading,
      place,
      ...(page > 0 ? { page } : {}),
      language,
      quote: text(),
      score: rounded(found.score),
      why,
      ...(also.length > 0
        ? { also: also.map((a) => this.#source(a.at)).map((s) => ({ document: s.document, place: s.place })) }
        : {}),
    };
  }
}

function sourceOf(part: IndexPart, i: number): Source {
  const document = part.documents[part.documentOf[i] ?? 0];
  return {
    document: document?.id ?? '',
    title: document?.title ?? '',
    language: document?.language ?? '',
    heading: part.headings[part.headingOf[i] ?? 0] ?? '',
    place: part.placeOf[i] ?? 0,
    page: part.pageOf[i] ?? 0,
    text: () => decoder.decode(part.texts.subarray(part.textAt[i], part.textAt[i + 1])),
  };
}

const rounded = (v: number): number => Math.round(v * 1000) / 1000;

/** The places of the highest scores above 0, the best first (a heap of the best so far, its least on top). */
function bestOf(scores: Float32Array, most: number): number[] {
  const heap: number[] = [];
  const worse = (a: number, b: number) => (scores[a] ?? 0) - (scores[b] ?? 0) || b - a;
  const sink = (i: number) => {
    for (;;) {
      let least = i;
      for (const c of [2 * i + 1, 2 * i + 2]) if (c < heap.length && worse(heap[c] ?? 0, heap[least] ?? 0) < 0) least = c;
      if (least === i) return;
      [heap[i], heap[least]] = [heap[least] ?? 0, heap[i] ?? 0];
      i = least;
    }
  };
  for (let at = 0; at < scores.length; at++) {
    if ((scores[at] ?? 0) <= 0) continue;
    if (heap.length < most) {
      heap.push(at);
      if (heap.length === most) for (let i = most >> 1; i >= 0; i--) sink(i);
    } else if (worse(at, heap[0] ?? 0) > 0) {
      heap[0] = at;
      sink(0);
    }
  }
  return heap.sort((a, b) => worse(b, a));
}

/** Jaccard's likeness of two sets of words. */
function isSame(a: ReadonlySet<string>, b: ReadonlySet<string>): boolean {
  const [small, large] = a.size < b.size ? [a, b] : [b, a];
  if (small.size < large.size * SAME_FROM) return false;
  let both = 0;
  for (const w of small) if (large.has(w)) both++;
  return both >= SAME_FROM * (a.size + b.size - both);
}

/** What speaks for an answer's being among what was found; undefined where nothing was, or nothing was asked. */
function evidenceOf(
  slots: readonly Slot[],
  ranked: readonly Refined[],
  weights: readonly number[],
  passages: number,
): Evidence | undefined {
  const [best, second] = ranked;
  const asked = slots.filter((s) => !s.empty || slots.length === 1);
  if (!best || asked.length === 0) return undefined;
  const total = weights.reduce((sum, w) => sum + w, 0) || 1;
  const known = slots.reduce((sum, s, i) => sum + (s.known ? (weights[i] ?? 0) : 0), 0);
  const mean = ranked.slice(0, 10).reduce((sum, r) => sum + r.score, 0) / Math.min(10, ranked.length);
  return {
    share: best.held / total,
    three: Math.max(...ranked.slice(0, 3).map((r) => r.held)) / total,
    known: known / total,
    strength: best.score / (total * (K1 + 1)),
    lead: best.score <= 0 ? 0 : 1 - (second?.score ?? 0) / best.score,
    above: best.score <= 0 ? 0 : 1 - mean / best.score,
    near: best.near,
    titled: best.titled.reduce((sum, t, i) => sum + (t ? (weights[i] ?? 0) : 0), 0) / total,
    count: Math.min(asked.length, 8) / 8,
    size: sizeOf(passages),
  };
}

/** The parts of a base whose contents are in the document itself, one for each document. */
export function partsOfBase(
  base: KnowledgeBase,
  language = 'en',
): { readonly passages: readonly Passage[]; readonly parts: readonly IndexPart[] } {
  const split = Object.entries(base.documents).map(([id, document]) => {
    const passages = splitDocument(id, document);
    const text = passages
      .slice(0, 5)
      .map((p) => p.text)
      .join(' ');
    const about = { id, title: passages[0]?.title ?? document.title ?? id, language: languageOf(text, language) };
    return { passages, part: buildPart(about, passages) };
  });
  return { passages: split.flatMap((s) => s.passages), parts: split.map((s) => s.part) };
}

/** Indexes a knowledge base; it is split and counted once. */
export function createKnowledgeIndex(base: KnowledgeBase): KnowledgeIndex {
  const { parts } = partsOfBase(base);
  return new Ranking(parts.length > 0 ? [{ part: mergeParts(parts) }] : []);
}
