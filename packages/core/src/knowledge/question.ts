import { editDistance, slipsAllowed } from '../text/nearest.js';
import { normalise } from '../understanding/words.js';
import { camelParts, compounds, eachWord, isFunctionWord, isLightWord, knownPart, partsOf, termsOf } from './words.js';

/** How a term came to be looked for. */
export type Meant = 'said' | 'mended' | 'part' | 'synonym';

/** A term that stands for a word of a question, and how much it counts of it. */
export interface Alternative {
  readonly term: string;
  readonly weight: number;
  readonly by: Meant;
}

/** A word of a question, with what it may be in the documents. `known` is false where no document has any of it. */
export interface Slot {
  readonly word: string;
  readonly alternatives: readonly Alternative[];
  readonly known: boolean;
  /** Only holds the sentence together: it is not looked for where something else is. */
  readonly empty: boolean;
  /** Says little of what is asked for: it counts less. */
  readonly light: boolean;
}

/** What a question is compared with: the terms of an index. */
export interface Vocabulary {
  readonly languages: readonly string[];
  /** How many passages have a term. */
  readonly frequency: (term: string) => number;
  /** Every term, for mending what is misspelt: with the letters it has as bits. */
  readonly spelling: () => Spelling;
}

/** Terms with the letters in each: bit 0 is a, bit 26 stands for all else. */
export interface Spelling {
  readonly terms: readonly string[];
  readonly letters: Uint32Array;
}

/** Questions are read up to here; a longer one is no question, and its rarest words tell enough. */
export const LONGEST_QUESTION = 2000;
const MOST_WORDS = 48;
const MENDED_WEIGHT = 0.7;
const PART_WEIGHT = 0.6;
const SYNONYM_WEIGHT = 0.6;
/** Only so many words of a question are mended: each is compared with all terms. */
const MOST_MENDED = 6;
/** Shorter words are too near to too many. */
const LEAST_MENDED = 5;

/** The letters of a word as bits. */
export function lettersOf(word: string): number {
  let bits = 0;
  for (let i = 0; i < word.length; i++) {
    const c = word.charCodeAt(i) - 97;
    bits |= 1 << (c >= 0 && c < 26 ? c : 26);
  }
  return bits >>> 0;
}

function bitsIn(v: number): number {
  let n = v - ((v >>> 1) & 0x55555555);
  n = (n & 0x33333333) + ((n >>> 2) & 0x33333333);
  return Math.imul((n + (n >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}

/** The term that a word is most likely a misspelling of; undefined where none is near enough. */
function mended(word: string, { spelling, frequency }: Vocabulary): string | undefined {
  if (word.length < LEAST_MENDED || /\d/.test(word)) return undefined;
  const allowed = slipsAllowed(word.length);
  const { terms, letters } = spelling();
  const own = lettersOf(word);
  let best: string | undefined;
  let [least, often] = [allowed, 0];
  // The same letters in another order are one slip more: "bycicle".
  const most = allowed + 1;
  for (let i = 0; i < letters.length; i++) {
    const other = (letters[i] ?? 0) ^ own;
    if (bitsIn(other) > 2 * least) continue;
    const term = terms[i] ?? '';
    if (Math.abs(term.length - word.length) > least || term.length < 4 || term.startsWith('=')) continue;
    // A first letter is seldom mistyped: a word that begins otherwise is another word, unless it is much like it.
    const distance = editDistance(word, term, most) + (term[0] === word[0] ? 0 : 1) - (other === 0 ? 1 : 0);
    if (distance > least) continue;
    const count = frequency(term);
    if (distance < least || count > often) [best, least, often] = [term, distance, count];
  }
  return best;
}

interface Said {
  readonly raw: string;
  readonly code: boolean;
}

/** The different words of a question in their order. Of a name like `maxRows` that no document has, its parts are looked for. */
function wordsOf(question: string, { languages, frequency }: Vocabulary): Said[] {
  const found = new Map<string, Said>();
  const add = (raw: string, code: boolean) => {
    const key = code ? `=${raw.toLowerCase()}` : normalise(raw);
    if (key !== '' && !found.has(key)) found.set(key, { raw, code });
  };
  eachWord(question.slice(0, LONGEST_QUESTION), (raw, code) => {
    const parts = code ? [raw] : camelParts(raw);
    const whole = parts.length === 1 || languages.some((l) => frequency(termsOf(raw, code, l)[0] ?? '') > 0);
    (whole ? [raw] : parts).forEach((part) => add(part, code));
  });
  return [...found.values()];
}

function alternativesOf({ raw, code }: Said, { languages, frequency }: Vocabulary): Alternative[] {
  const terms = new Set(languages.map((l) => termsOf(raw, code, l)[0] ?? ''));
  return [...terms].filter((t) => frequency(t) > 0).map((term) => ({ term, weight: 1, by: 'said' }));
}

/** Parts of a compound that no document has as a whole. */
function compoundParts(raw: string, vocabulary: Vocabulary): Alternative[] {
  const word = normalise(raw);
  const language = vocabulary.languages.find(compounds);
  if (language === undefined || word.length < 9) return [];
  const isKnown = (t: string) => vocabulary.frequency(t) > 0;
  const found = partsOf(word, isKnown, language) ?? knownPart(word, isKnown, language);
  return found.map((term) => ({ term, weight: PART_WEIGHT, by: 'part' }));
}

/** What is known of words beside the documents. */
export interface Meaning {
  readonly synonyms?: readonly (readonly string[])[];
  readonly isWord?: (word: string) => boolean;
}

/**
 * A question as the words that are looked for. A word that no document has is mended when it is near one that they have, or
 * taken apart. `synonyms` are lists of words that mean the same; each stands for each other with less weight.
 */
export function slotsOf(question: string, vocabulary: Vocabulary, { synonyms = [], isWord = () => false }: Meaning = {}): Slot[] {
  const { languages, frequency } = vocabulary;
  let mending = MOST_MENDED;
  const others = new Map<string, Set<string>>();
  for (const list of synonyms) {
    const single = list.map(normalise).filter((w) => w !== '' && !w.includes(' '));
    for (const word of single) {
      const known = others.get(word) ?? new Set();
      single.forEach((w) => w !== word && known.add(w));
      others.set(word, known);
    }
  }
  const slots = wordsOf(question, vocabulary).map((said): Slot | undefined => {
    const { raw, code } = said;
    const alternatives = alternativesOf(said, vocabulary);
    const had = new Set(alternatives.map((a) => a.term));
    for (const word of code ? [] : (others.get(normalise(raw)) ?? []))
      for (const term of languages.map((l) => termsOf(word, false, l)[0] ?? ''))
        if (!had.has(term) && frequency(term) > 0) {
          had.add(term);
          alternatives.push({ term, weight: SYNONYM_WEIGHT, by: 'synonym' });
        }
    const empty = !code && isFunctionWord(raw);
    if (alternatives.length === 0 && code) return undefined;
    if (alternatives.length === 0 && !empty) {
      alternatives.push(...compoundParts(raw, vocabulary));
      if (alternatives.length === 0 && mending > 0 && !isWord(normalise(raw))) {
        mending--;
        const term = mended(languages.flatMap((l) => termsOf(raw, false, l))[0] ?? '', vocabulary);
        if (term !== undefined) alternatives.push({ term, weight: MENDED_WEIGHT, by: 'mended' });
      }
    }
    return { word: raw, alternatives, known: alternatives.length > 0, empty, light: isLightWord(raw) };
  });
  const all = slots.filter((s) => s !== undefined);
  // A word by which anything is asked for, and that no document has, says nothing.
  const telling = all.filter((s) => !s.empty && (s.known || !s.light));
  const used = telling.length > 0 ? telling : all;
  if (used.length <= MOST_WORDS) return used;
  const rarity = (s: Slot) => Math.min(...s.alternatives.map((a) => frequency(a.term)), s.known ? Infinity : 0);
  const rarest = new Set([...used].sort((a, b) => rarity(a) - rarity(b)).slice(0, MOST_WORDS));
  return used.filter((s) => rarest.has(s));
}
