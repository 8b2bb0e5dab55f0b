import type { Passage } from './split.js';
import { compounds, eachWord, partsOf, termsOf } from './words.js';

/** A document in a part of an index. */
export interface PartDocument {
  readonly id: string;
  readonly title: string;
  readonly language: string;
}

/**
 * A piece of an index: some passages with the terms in them, in arrays that are stored and handed between threads as they
 * are. Immutable. `starts` has one number more than there are terms: term t stands in `posted[starts[t] … starts[t+1]]`, each
 * a passage of the part, with how often it counts there in `counts`, in halves.
 */
export interface IndexPart {
  readonly documents: readonly PartDocument[];
  readonly headings: readonly string[];
  readonly terms: readonly string[];
  readonly documentOf: Uint32Array;
  readonly headingOf: Uint32Array;
  readonly placeOf: Uint32Array;
  /** 0 where the document has no pages. */
  readonly pageOf: Uint32Array;
  /** Words of each passage, as they count. */
  readonly lengths: Float32Array;
  /** The texts one behind the other in UTF-8; `textAt` has one number more than there are passages. */
  readonly texts: Uint8Array;
  readonly textAt: Uint32Array;
  /** In how many passages a term stands in the text itself, and not only above it. */
  readonly within: Uint32Array;
  readonly starts: Uint32Array;
  readonly posted: Uint32Array;
  readonly counts: Uint8Array;
}

/**
 * How much a word counts by where it stands (BM25F's simple form: fields are weighted before saturation; Robertson, Zaragoza
 * and Taylor, 2004). Measured on sections of Debian's documentation whose headings were taken away: the first words of a
 * section tell most, then the titles above it.
 */
const LEAD_WORDS = 20;
const LEAD_WEIGHT = 3;
const HEADING_WEIGHT = 3;
const TITLE_WEIGHT = 1;
/** A part of a compound counts so much of a word. */
const COMPOUND_WEIGHT = 0.5;
const LEAST_COMPOUND = 9;
const UNITS = 2;
const MOST_UNITS = 255;

const encoder = new TextEncoder();

/** A growing list of whole numbers. */
class Numbers {
  #list = new Uint32Array(1024);
  #length = 0;

  push(value: number): void {
    if (this.#length === this.#list.length) {
      const larger = new Uint32Array(this.#length * 2);
      larger.set(this.#list);
      this.#list = larger;
    }
    this.#list[this.#length++] = value;
  }

  get length(): number {
    return this.#length;
  }

  at(i: number): number {
    return this.#list[i] ?? 0;
  }
}

/** Counts the terms of passages one by one. */
class Counting {
  readonly terms: string[] = [];
  readonly #ids = new Map<string, number>();
  readonly #words = new Map<string, readonly number[]>();
  readonly #weights: number[] = [];
  readonly #within: number[] = [];
  readonly #touched: number[] = [];
  #language = '';
  readonly posted: { readonly term: Numbers; readonly passage: Numbers; readonly count: Numbers } = {
    term: new Numbers(),
    passage: new Numbers(),
    count: new Numbers(),
  };

  #idOf(term: string): number {
    const known = this.#ids.get(term);
    if (known !== undefined) return known;
    this.#ids.set(term, this.terms.length);
    this.terms.push(term);
    this.#weights.push(0);
    this.#within.push(0);
    return this.terms.length - 1;
  }

  #idsOf(raw: string, code: boolean): readonly number[] {
    const key = code ? `=${raw}` : raw;
    const known = this.#words.get(key);
    if (known) return known;
    const ids = termsOf(raw, code, this.#language).map((t) => this.#idOf(t));
    this.#words.set(key, ids);
    return ids;
  }

  get within(): Uint32Array {
    return Uint32Array.from(this.#within);
  }

  speak(language: string): void {
    if (this.#language === language) return;
    this.#language = language;
    this.#words.clear();
  }

  #add(id: number, weight: number): void {
    if (this.#weights[id] === 0) this.#touched.push(id);
    this.#weights[id] = (this.#weights[id] ?? 0) + weight;
  }

  /** Counts a passage; `first` is the first of its section. Returns its length. */
  count(passage: Passage, number: number, first: boolean): number {
    const headings = passage.heading.split(' › ');
    const own = headings.at(-1) ?? '';
    let [words, length] = [0, 0];
    eachWord(passage.text, (raw, code) => {
      const weight = first && words < LEAD_WORDS ? 1 + LEAD_WEIGHT : 1;
      for (const id of this.#idsOf(raw, code)) {
        this.#add(id, weight);
        length += weight;
      }
      words++;
    });
    for (const id of this.#touched) this.#within[id] = (this.#within[id] ?? 0) + 1;
    const field = (text: string, weight: number) => {
      const seen = new Set<number>();
      eachWord(text, (raw, code) => this.#idsOf(raw, code).forEach((id) => seen.add(id)));
      for (const id of seen) {
        this.#add(id, weight);
        length += weight;
      }
    };
    field(own, HEADING_WEIGHT);
    field(`${passage.title} ${headings.slice(0, -1).join(' ')}`, TITLE_WEIGHT);
    for (const id of this.#touched) {
      this.posted.term.push(id);
      this.posted.passage.push(number);
      this.posted.count.push(Math.min(MOST_UNITS, Math.round((this.#weights[id] ?? 0) * UNITS)));
      this.#weights[id] = 0;
    }
    this.#touched.length = 0;
    return length;
  }

  /** Words that are made of two other words of the same texts are posted under these as well. */
  split(): void {
    const { term, passage, count } = this.posted;
    const parts = new Map<number, readonly [number, number]>();
    this.terms.forEach((word, id) => {
      if (word.length < LEAST_COMPOUND || word.startsWith('=') || /\d/.test(word)) return;
      const found = partsOf(word, (t) => this.#ids.has(t), this.#language);
      if (found) parts.set(id, [this.#ids.get(found[0]) ?? 0, this.#ids.get(found[1]) ?? 0]);
    });
    if (parts.size === 0) return;
    const had = term.length;
    const seen = new Set<string>();
    for (let i = 0; i < had; i++) seen.add(`${term.at(i)} ${passage.at(i)}`);
    for (let i = 0; i < had; i++)
      for (const part of parts.get(term.at(i)) ?? []) {
        const key = `${part} ${passage.at(i)}`;
        if (seen.has(key)) continue;
        seen.add(key);
        term.push(part);
        passage.push(passage.at(i));
        count.push(Math.max(1, Math.round(count.at(i) * COMPOUND_WEIGHT)));
      }
  }
}

/** Counts the passages of one document. Passages come in their order, those of a section one behind the other. */
export function buildPart(document: PartDocument, passages: readonly Passage[]): IndexPart {
  const counting = new Counting();
  counting.speak(document.language);
  const headings = new Map<string, number>();
  const n = passages.length;
  const [documentOf, headingOf, placeOf, pageOf] = [
    new Uint32Array(n),
    new Uint32Array(n),
    new Uint32Array(n),
    new Uint32Array(n),
  ];
  const lengths = new Float32Array(n);
  const texts = passages.map((p) => encoder.encode(p.text));
  passages.forEach((passage, i) => {
    const heading = headings.get(passage.heading) ?? headings.size;
    headings.set(passage.heading, heading);
    headingOf[i] = heading;
    placeOf[i] = passage.place;
    pageOf[i] = passage.page ?? 0;
    lengths[i] = counting.count(passage, i, passage.heading !== passages[i - 1]?.heading);
  });
  if (compounds(document.language)) counting.split();
  const { starts, posted, counts } = byTerm(counting);
  const textAt = new Uint32Array(n + 1);
  texts.forEach((t, i) => (textAt[i + 1] = (textAt[i] ?? 0) + t.length));
  return {
    documents: [document],
    headings: [...headings.keys()],
    terms: counting.terms,
    documentOf,
    headingOf,
    placeOf,
    pageOf,
    lengths,
    texts: joined(texts),
    textAt,
    within: counting.within,
    starts,
    posted,
    counts,
  };
}

function joined(lists: readonly Uint8Array[]): Uint8Array {
  const all = new Uint8Array(lists.reduce((sum, l) => sum + l.length, 0));
  let at = 0;
  for (const list of lists) {
    all.set(list, at);
    at += list.length;
  }
  return all;
}

/** Postings in the order of their terms. */
function byTerm({ terms, posted: { term, passage, count } }: Counting): Pick<IndexPart, 'starts' | 'posted' | 'counts'> {
  const starts = new Uint32Array(terms.length + 1);
  for (let i = 0; i < term.length; i++) starts[term.at(i) + 1] = (starts[term.at(i) + 1] ?? 0) + 1;
  for (let t = 0; t < terms.length; t++) starts[t + 1] = (starts[t + 1] ?? 0) + (starts[t] ?? 0);
  const next = starts.slice();
  const [posted, counts] = [new Uint32Array(term.length), new Uint8Array(term.length)];
  for (let i = 0; i < term.length; i++) {
    const at = next[term.at(i)] ?? 0;
    next[term.at(i)] = at + 1;
    posted[at] = passage.at(i);
    counts[at] = count.at(i);
  }
  return { starts, posted, counts };
}

/** Several parts as one, in their order; passages are counted on. */
export function mergeParts(parts: readonly IndexPart[]): IndexPart {
  const [only] = parts;
  if (parts.length === 1 && only) return only;
  const ids = new Map<string, number>();
  const own = parts.map((p) => {
    const mapped = new Uint32Array(p.terms.length);
    p.terms.forEach((t, i) => {
      const id = ids.get(t) ?? ids.size;
      if (id === ids.size) ids.set(t, id);
      mapped[i] = id;
    });
    return mapped;
  });
  const starts = new Uint32Array(ids.size + 1);
  parts.forEach((p, k) => {
    const mapped = own[k] ?? new Uint32Array(0);
    for (let t = 0; t < mapped.length; t++) {
      const to = (mapped[t] ?? 0) + 1;
      starts[to] = (starts[to] ?? 0) + (p.starts[t + 1] ?? 0) - (p.starts[t] ?? 0);
    }
  });
  for (let t = 0; t < ids.size; t++) starts[t + 1] = (starts[t + 1] ?? 0) + (starts[t] ?? 0);
  const total = starts[ids.size] ?? 0;
  const within = new Uint32Array(ids.size);
  const [posted, counts, next] = [new Uint32Array(total), new Uint8Array(total), starts.slice()];
  let base = 0;
  parts.forEach((p, k) => {
    const mapped = own[k] ?? new Uint32Array(0);
    for (let t = 0; t < mapped.length; t++) {
      within[mapped[t] ?? 0] = (within[mapped[t] ?? 0] ?? 0) + (p.within[t] ?? 0);
      let at = next[mapped[t] ?? 0] ?? 0;
      const end = p.starts[t + 1] ?? 0;
      for (let i = p.starts[t] ?? 0; i < end; i++, at++) {
        posted[at] = (p.posted[i] ?? 0) + base;
        counts[at] = p.counts[i] ?? 0;
      }
      next[mapped[t] ?? 0] = at;
    }
    base += p.lengths.length;
  });
  return { ...mergedPassages(parts), terms: [...ids.keys()], within, starts, posted, counts };
}

function mergedPassages(parts: readonly IndexPart[]): Omit<IndexPart, 'terms' | 'within' | 'starts' | 'posted' | 'counts'> {
  const n = parts.reduce((sum, p) => sum + p.lengths.length, 0);
  const merged = {
    documents: parts.flatMap((p) => p.documents),
    headings: parts.flatMap((p) => p.headings),
    documentOf: new Uint32Array(n),
    headingOf: new Uint32Array(n),
    placeOf: new Uint32Array(n),
    pageOf: new Uint32Array(n),
    lengths: new Float32Array(n),
    texts: joined(parts.map((p) => p.texts)),
    textAt: new Uint32Array(n + 1),
  };
  let [at, document, heading, text] = [0, 0, 0, 0];
  for (const p of parts) {
    for (let i = 0; i < p.lengths.length; i++) {
      merged.documentOf[at + i] = (p.documentOf[i] ?? 0) + document;
      merged.headingOf[at + i] = (p.headingOf[i] ?? 0) + heading;
      merged.textAt[at + i + 1] = (p.textAt[i + 1] ?? 0) + text;
    }
    merged.placeOf.set(p.placeOf, at);
    merged.pageOf.set(p.pageOf, at);
    merged.lengths.set(p.lengths, at);
    at += p.lengths.length;
    document += p.documents.length;
    heading += p.headings.length;
    text += p.texts.length;
  }
  return merged;
}
