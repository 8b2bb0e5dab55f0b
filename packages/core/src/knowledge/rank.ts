import type { KnowledgeBase } from '../document/schema.js';
import { tokensOf } from '../understanding/words.js';
import { splitDocument, type Passage } from './split.js';

/** A passage as an answer: `number` counts from 1 by rank; `score` is that of the ranking, comparable within one question only. */
export interface FoundPassage {
  readonly number: number;
  readonly document: string;
  readonly title: string;
  readonly heading: string;
  readonly place: number;
  readonly quote: string;
  readonly score: number;
}

/**
 * What a knowledge base has on a question. `covered` says whether its words are answered there at all; `share` is how much
 * of the question's weight the best passage holds, from 0 to 1; `missing` are its words that no passage has.
 */
export interface LookedUp {
  readonly passages: readonly FoundPassage[];
  readonly covered: boolean;
  readonly share: number;
  readonly missing: readonly string[];
}

export interface KnowledgeIndex {
  readonly passages: readonly Passage[];
  readonly look: (question: string, most: number) => LookedUp;
}

/** Saturation and length normalisation of BM25, the values of Robertson and Zaragoza (2009), section 3.6. */
const K1 = 1.2;
const B = 0.75;
/** A word in title or heading counts as so many in the text (BM25F's simple form: fields are weighted before saturation). */
const HEADING_WEIGHT = 2.5;
/** A question is covered when the best passage holds this share of its weight. */
const COVERED_FROM = 0.5;
/** A word that no document has counts only so much of a rare one: it may be a way of speaking. */
const UNKNOWN_WEIGHT = 0.7;
/** What remains behind this share of the best passage's score is not shown. */
const SHOWN_FROM = 0.35;

/** Words that say nothing of what a question is about, in English, German and Spanish. */
const STOP = new Set(
  `a an the and or but if of to in on at by for with from as is are was were be been do does did can could may might must shall
  should will would have has had i you he she it we they me my your our their this that these those there here what which who
  whom when where how why not no yes please tell about any some so than then too very just also us am his her its into come along much many bring take get go want need know like let see use used possible allowed
  really still ever more most other same wait actually sorry ok okay hey hi hello oh well um hmm ah thanks thank btw by way first
  der die das ein eine einen einem einer und oder aber wenn von zu im in am an auf bei für mit aus als ist sind war waren sein
  ich du er sie es wir ihr mein dein unser euer dies diese dieser dieses das was welche welcher wer wann wo wie warum nicht kein
  keine ja nein bitte darf dürfen kann können muss müssen soll haben hat habe gibt man mir mich dem den des nehmen mitnehmen bringen kommen gehen viel viele wissen brauche möchte erlaubt noch mehr
  el la los las un una unos unas y o pero si de a en por para con como es son era eran ser estar yo tú él ella nosotros ellos mi
  tu su nuestro este esta esto estos estas que qué cuál quién cuándo dónde cómo no sí hay puedo puede pueden se me te lo al del mucho mucha llevar traer ir quiero necesito saber`
    .split(/\s+/)
    .map((w) => w.normalize('NFKD').replace(/\p{M}+/gu, '')),
);

const ENDINGS = /(?:ingen|ungen|ions|ings|ung|ing|ion|ies|es|en|er|ed|as|os|s|e|n|a|o|y)$/;

/** A word without its commonest endings in the languages above: coarse, and the same on both sides. */
function stem(word: string): string {
  if (word.length < 5 || /\d/.test(word)) return word.length > 3 ? word.replace(/s$/, '') : word;
  const cut = word.replace(ENDINGS, '');
  return cut.length >= 3 ? cut : word;
}

function terms(text: string): string[] {
  return tokensOf(text)
    .map((t) => t.word)
    .filter((w) => !STOP.has(w))
    .map(stem);
}

interface Entry {
  readonly passage: Passage;
  readonly counts: ReadonlyMap<string, number>;
  readonly length: number;
}

function entryOf(passage: Passage): Entry {
  const counts = new Map<string, number>();
  const add = (text: string, weight: number) => terms(text).forEach((t) => counts.set(t, (counts.get(t) ?? 0) + weight));
  add(passage.text, 1);
  add(`${passage.title} ${passage.heading}`, HEADING_WEIGHT);
  return { passage, counts, length: [...counts.values()].reduce((sum, n) => sum + n, 0) };
}

/** Indexes a knowledge base; it is split and counted once. */
export function createKnowledgeIndex(base: KnowledgeBase): KnowledgeIndex {
  const entries = Object.entries(base.documents)
    .flatMap(([id, document]) => splitDocument(id, document))
    .map(entryOf);
  const mean = entries.reduce((sum, e) => sum + e.length, 0) / Math.max(1, entries.length);
  const frequency = new Map<string, number>();
  for (const { counts } of entries) for (const t of counts.keys()) frequency.set(t, (frequency.get(t) ?? 0) + 1);
  const weight = (term: string): number => {
    const n = frequency.get(term) ?? 0;
    return Math.log(1 + (entries.length - n + 0.5) / (n + 0.5));
  };
  const look = (question: string, most: number): LookedUp => {
    const asked = [...new Set(terms(question))];
    const ranked = entries
      .map((entry) => ({ entry, score: score(entry, asked, weight, mean) }))
      .filter((r) => r.score > 0)
      .sort((a, b) => b.score - a.score || a.entry.passage.place - b.entry.passage.place);
    const [best] = ranked;
    const known = (t: string) => frequency.has(t);
    const all = asked.reduce((sum, t) => sum + weight(t) * (known(t) ? 1 : UNKNOWN_WEIGHT), 0);
    const held = asked.filter((t) => best?.entry.counts.has(t)).reduce((sum, t) => sum + weight(t), 0);
    const share = all === 0 ? 0 : held / all;
    const shown = ranked.filter((r) => r.score >= (best?.score ?? 0) * SHOWN_FROM).slice(0, most);
    return {
      passages: shown.map(({ entry: { passage }, score: s }, i) => {
        const { document, title, heading, place, text } = passage;
        return { number: i + 1, document, title, heading, place, quote: text, score: Math.round(s * 1000) / 1000 };
      }),
      covered: best !== undefined && share >= COVERED_FROM,
      share: Math.round(share * 1000) / 1000,
      missing: missingWords(question, frequency),
    };
  };
  return { passages: entries.map((e) => e.passage), look };
}

function score({ counts, length }: Entry, asked: readonly string[], weight: (t: string) => number, mean: number): number {
  return asked.reduce((sum, t) => {
    const count = counts.get(t) ?? 0;
    if (count === 0) return sum;
    return sum + (weight(t) * count * (K1 + 1)) / (count + K1 * (1 - B + (B * length) / Math.max(1, mean)));
  }, 0);
}

function missingWords(question: string, frequency: ReadonlyMap<string, number>): string[] {
  const words = tokensOf(question).map((t) => t.word);
  return [...new Set(words.filter((w) => !STOP.has(w) && !frequency.has(stem(w))))];
}
