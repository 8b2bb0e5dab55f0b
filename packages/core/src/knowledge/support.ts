import { baseOf } from '../understanding/lexicon.js';
import { normalise } from '../understanding/words.js';
import { sentences } from './split.js';
import {
  ARTICLES,
  countNegations,
  daysOf,
  dayWords,
  FREE,
  NEGATIONS,
  NUMBER_WORDS,
  ONLY,
  OPPOSITES,
  ordinalOf,
  QUANTIFIERS,
  UNITS,
} from './support-words.js';
import { eachWord, isFunctionWord, isLightWord, languageOf, termsIn } from './words.js';

/** Why a sentence is not supported by what it cites. */
export type Unsupported = 'number' | 'unit' | 'negation' | 'name' | 'words' | 'nothing-cited';

/** Whether a sentence is supported; where it is not, why, and the word that shows it. */
export type Support = { readonly ok: true } | { readonly ok: false; readonly why: Unsupported; readonly at: string };

/** A passage as it is compared: its text, with what stands above it. */
export interface Cited {
  readonly quote: string;
  readonly title?: string;
  readonly heading?: string;
}

/** So much of what a sentence says has to stand in what it cites. */
const WORDS_FROM = 0.65;
/** A sentence of a source that shares so much with one is about the same. */
const SAME_MATTER = 0.5;
const STEM_LETTERS = 5;
/** Of so few words one may be another one. */
const FEW = 2;

/** So many texts are remembered with what was read of them: those of one answer and its passages. */
const MOST_REMEMBERED = 5000;

/** A function of a text that reads each text once, as every sentence of an answer is held against the same passages. */
function readOnce<T>(read: (text: string) => T): (text: string) => T {
  const known = new Map<string, T>();
  return (text) => {
    const found = known.get(text);
    if (found !== undefined) return found;
    if (known.size >= MOST_REMEMBERED) known.clear();
    const made = read(text);
    known.set(text, made);
    return made;
  };
}

interface Quantity {
  readonly value: string;
  readonly unit: string | undefined;
  /** The unit that it is for: "3 pounds a day". */
  readonly per?: string | undefined;
  /** The stem of what is counted, where it has no unit: "two adults". */
  readonly of?: string | undefined;
  readonly said: string;
}

/** A number as it is compared: 1,000.50 and 1.000,50 are the same, and 5.00 is 5. */
function plainNumber(said: string): string {
  const parted = said.replace(/[\s  ’']/g, '');
  const last = Math.max(parted.lastIndexOf(','), parted.lastIndexOf('.'));
  const decimals = last >= 0 && parted.length - last - 1 !== 3 ? parted.slice(last + 1) : '';
  const whole = (decimals === '' ? parted : parted.slice(0, last)).replace(/[.,]/g, '');
  const value = Number(`${whole}.${decimals || '0'}`);
  return Number.isFinite(value) ? String(value) : said;
}

/** A time of day as hour and minute: "5 pm" is 17:00. */
function timeOf(hour: string, minute: string, half: string): string {
  const noon = half.toLowerCase().startsWith('p');
  const h = (Number(hour) % 12) + (noon ? 12 : 0);
  return `${half === '' ? Number(hour) : h}:${minute || '00'}`;
}

const TIME = /\b(\d{1,2})(?:[:.h](\d{2}))?\s*(am|pm|a\.m\.|p\.m\.)(?=\W|$)|\b(\d{1,2})[:h](\d{2})\b/gi;
const NUMBER = /([€£$])?\s?(\d+(?:[.,\s’'](?=\d{3}(?:\D|$))\d{3})*(?:[.,]\d+)?)\s?(%|[€£$°]|\p{L}+)?/gu;
const WORD = /[\p{L}\p{M}]+/gu;
/** What a price or a rate is for, as it stands behind its unit. */
const PER = /^\s*(?:an?|per|each|every|the|pro|je|die|der|das|im|por|al|la|el|par|\/)\s*(\p{L}+)/iu;
/** The first word behind a number. */
const BEHIND = /^\s*(\p{L}+)/u;

/** What stands behind a quantity: what it is for, or what is counted. */
function boundTo(behind: string, unit: string | undefined): Pick<Quantity, 'per' | 'of'> {
  if (unit !== undefined) {
    const per = PER.exec(behind)?.[1];
    return { per: per === undefined ? undefined : UNITS[normalise(per)] };
  }
  const word = BEHIND.exec(behind)?.[1];
  return {
    of: word === undefined || isFunctionWord(word) ? undefined : normalise(word).slice(0, STEM_LETTERS),
  };
}

/** The numbers, times and number words of a text with their units. */
const quantitiesOf = readOnce((said: string): readonly Quantity[] => {
  const text = spokenHours(said);
  const found: Quantity[] = [];
  const rest = text.replace(TIME, (said: string, h = '', m = '', half = '', h2 = '', m2 = '') => {
    found.push({
      value: half === '' ? timeOf(h2 as string, m2 as string, '') : timeOf(h as string, m as string, half as string),
      unit: undefined,
      said,
    });
    return ' ';
  });
  for (const match of rest.matchAll(NUMBER)) {
    const [said, before, digits = '', after] = match;
    const unit = before ?? (after === undefined ? undefined : UNITS[normalise(after) || after]);
    const end = match.index + said.length - (unit === undefined || before !== undefined ? (after?.length ?? 0) : 0);
    found.push({ value: plainNumber(digits), unit, ...boundTo(rest.slice(end), unit), said: said.trim() });
  }
  const words = [...rest.matchAll(WORD)];
  words.forEach((match, i) => {
    const word = normalise(match[0]);
    const value = Object.hasOwn(NUMBER_WORDS, word) ? NUMBER_WORDS[word] : undefined;
    if (value === undefined) return;
    const next = words[i + 1];
    const unit = next && UNITS[normalise(next[0])];
    if (ARTICLES.has(word) && (unit === undefined || unit === 'night')) return;
    const end = unit !== undefined && next ? next.index + next[0].length : match.index + match[0].length;
    found.push({ value: String(value), unit, ...boundTo(rest.slice(end), unit), said: match[0] });
  });
  return found;
});

/** The stems of what a text says, without the words that only hold it together; with those by which anything is said where `light` are wanted. */
function contentOf(text: string, language: string, light = false): readonly string[] {
  return contentAs(`${light ? 'light' : ''}\n${language}\n${text}`);
}

const contentAs = readOnce((key: string): readonly string[] => {
  const [light, language = '', ...rest] = key.split('\n');
  const text = rest.join('\n');
  const terms = termsIn(language);
  const found: string[] = [];
  eachWord(text, (raw, code) => {
    if (
      code ||
      /\d|^(?:[ap]m|uhr|o|clock|until|till|bis|hasta)$/i.test(raw) ||
      isFunctionWord(raw) ||
      (light === '' && isLightWord(raw)) ||
      QUANTIFIERS.has(normalise(raw))
    )
      return;
    if (Object.hasOwn(NUMBER_WORDS, normalise(raw)) || Object.hasOwn(UNITS, normalise(raw))) return;
    const [stem] = terms(raw, false);
    if (stem !== undefined) found.push(stem);
  });
  return found;
});

const held = (stem: string, among: ReadonlySet<string>, starts: ReadonlySet<string>): boolean =>
  among.has(stem) || (stem.length > STEM_LETTERS && starts.has(stem.slice(0, STEM_LETTERS)));

/** Names within a sentence: capitals behind its first word, in languages that do not write all nouns with one. */
function namesOf(sentence: string, language: string): string[] {
  if (baseOf(language) === 'de') return [];
  const words = [...sentence.matchAll(/[\p{L}\p{M}’'-]+/gu)].map(([w]) => w);
  return words.slice(1).filter((w) => /^\p{Lu}\p{Ll}/u.test(w) && !isFunctionWord(w) && daysOf(normalise(w)) === undefined);
}

const asSaid = readOnce((text: string): string =>
  text
    .toLowerCase()
    .replace(/\[\d+\]/g, ' ')
    .replace(/\s+/g, ' ')
    .trim(),
);
/** So many words a quotation has at least: fewer stand in many a place. */
const QUOTED_WORDS = 5;

/** True for a sentence that stands in a passage as it is, whole: from where a sentence begins there to where one ends. */
function isQuoted(sentence: string, cited: readonly Cited[]): boolean {
  const words = asSaid(sentence);
  if (words.split(' ').length < QUOTED_WORDS || !/[.!?]$/.test(words)) return false;
  return cited.some(({ quote }) => {
    const text = asSaid(quote);
    const at = text.indexOf(words);
    return at === 0 || (at > 0 && /[.!?] $/.test(text.slice(0, at)));
  });
}

/**
 * Whether a sentence says what the passages that it cites say: every number with its unit, every date and name stands there, it
 * denies what they deny and no more, and most of its words are theirs. Words are compared only within one language.
 */
export function supportOf(sentence: string, cited: readonly Cited[], language: string): Support {
  if (isQuoted(sentence, cited)) return { ok: true };
  if (cited.length === 0) return { ok: false, why: 'nothing-cited', at: '' };
  const plain = sentence.replace(/\\?\[\d{1,2}\\?\]/g, ' ');
  const source = cited.map((c) => `${c.title ?? ''}. ${c.heading ?? ''}. ${c.quote}`).join('\n');
  const quantity = wrongQuantity(plain, source);
  if (quantity) return quantity;
  const own = languageOf(plain, language);
  const theirs = languageOf(source, own);
  const words = new Set(normalise(source).split(' '));
  const there = daysIn(source);
  const strange = dayWords(plain).find(({ days }) => days.every((day) => !there.has(day)));
  if (strange) return { ok: false, why: 'name', at: strange.word };
  if (FREE.test(plain) && !FREE.test(source)) return { ok: false, why: 'words', at: FREE.exec(plain)?.[0] ?? '' };
  const elsewhere = onAnotherDay(plain, source);
  if (elsewhere) return elsewhere;
  for (const name of namesOf(plain, own)) {
    const said = normalise(name);
    if (!said.split(' ').every((w) => words.has(w) || words.has(w.replace(/s$/, ''))))
      return { ok: false, why: 'name', at: name };
  }
  if (baseOf(own) !== baseOf(theirs)) return { ok: true };
  return ofAnotherPart(plain, cited, own) ?? wordsSupport(plain, cited, own);
}

function wrongQuantity(sentence: string, source: string): Support | undefined {
  const ordinals = [...source.matchAll(/[\p{L}\d]+/gu)].flatMap(([w]): Quantity[] => {
    const value = ordinalOf(w);
    return value === undefined ? [] : [{ value, unit: undefined, said: w }];
  });
  const there = [...quantitiesOf(source), ...ordinals];
  for (const { value, unit, per, of, said } of quantitiesOf(sentence)) {
    const same = there.filter((q) => q.value === value);
    // Two adults and three children are not three adults; and what is paid a day is not what is paid a week.
    const counted = of === undefined ? [] : there.filter((q) => q.of === of);
    if (counted.length > 0 && !counted.some((q) => q.value === value)) return { ok: false, why: 'number', at: said };
    const rates = same.filter((q) => q.per !== undefined && q.unit === unit);
    if (per !== undefined && rates.length > 0 && rates.length === same.length && !rates.some((q) => q.per === per))
      return { ok: false, why: 'unit', at: said };
    if (same.length === 0 && !writtenApart(value, source)) return { ok: false, why: 'number', at: said };
    if (unit !== undefined && same.length > 0 && !same.some((q) => q.unit === unit) && !leftOut(value, unit, source))
      return { ok: false, why: 'unit', at: said };
  }
  return undefined;
}

/** A number whose unit stands with another one of its sentence: "A berth costs 18 pounds, a whole cabin 50." */
function leftOut(value: string, unit: string, source: string): boolean {
  return sentences(source, source.length).some((text) => {
    const there = quantitiesOf(text);
    return (
      there.some((q) => q.value === value && q.unit === undefined && q.of === undefined) && there.some((q) => q.unit === unit)
    );
  });
}

/** "13:15" is also there where it is written "13.15 Uhr", and a full hour where only the hour is. */
function writtenApart(value: string, source: string): boolean {
  const [hour, minute] = value.split(':');
  if (hour === undefined) return false;
  if (minute === undefined) return new RegExp(`(?<!\\d)0?${hour}:00(?!\\d)`).test(spokenHours(source));
  const whole = minute === '00' ? '(?:[.:h ]00)?' : `[.:h ]${minute}`;
  return new RegExp(`(?<!\\d)0?${hour}${whole}(?!\\d)`, 'i').test(spokenHours(source));
}

const spokenHours = readOnce((text: string): string =>
  text
    .replace(/\b(?:noon|midday|mittags?|mediod[ií]a|midi)\b/gi, '12:00')
    .replace(/\b(?:midnight|mitternacht|medianoche|minuit)\b/gi, '24:00'),
);

/** What says one thing each: a time and the day that it is for stand together. */
const PARTS = /[;,:](?!\d)|\s(?:and|und|y|et|but|aber|pero|mais)\s/i;

/** What a sentence says one by one; what is only a number of a list stands with the others of it. */
function partsOf(sentence: string, language: string): string[] {
  const parts: string[] = [];
  let open = '';
  for (const part of sentence.split(PARTS)) {
    open = open === '' ? part : `${open} ${part}`;
    if (contentOf(part, language).length === 0) continue;
    parts.push(open);
    open = '';
  }
  if (open !== '') parts.push(`${parts.pop() ?? ''} ${open}`);
  return parts;
}

const ABOUT = 0.5;

interface SourcePart {
  readonly text: string;
  readonly quantities: readonly Quantity[];
  readonly words: ReadonlySet<string>;
  /** How its words begin. */
  readonly begins: ReadonlySet<string>;
  readonly names: readonly string[];
  /** What it may be about: its first word, and those of the parts before in its sentence. */
  readonly abouts: readonly string[];
}

function sourceParts(text: string, language: string): readonly SourcePart[] {
  return partsAs(`${language}\n${text}`);
}

const partsAs = readOnce((key: string): readonly SourcePart[] => {
  const [language = '', ...rest] = key.split('\n');
  const text = rest.join('\n');
  const found: SourcePart[] = [];
  for (const part of partsOf(text, language)) {
    const words = contentOf(part, language);
    const before = found.at(-1)?.abouts ?? [];
    const [first] = words;
    const abouts = [...(first === undefined ? [] : [first]), ...before];
    found.push({
      text: part,
      quantities: quantitiesOf(part),
      words: new Set(words),
      begins: new Set(words.map((w) => w.slice(0, STEM_LETTERS))),
      names: namesOf(part.trim(), language),
      abouts,
    });
  }
  return found;
});

/** A number that the source says of something else than the sentence: of another part, which shares fewer words with it. */
function ofAnotherPart(sentence: string, cited: readonly Cited[], language: string): Support | undefined {
  const parts = cited.flatMap((c) => sentences(c.quote, c.quote.length)).flatMap((text) => sourceParts(text, language));
  for (const own of partsOf(sentence, language)) {
    const said = [...new Set(contentOf(own, language))];
    const [about] = said;
    // What it is about stands first, and counts more where the source says something of just that.
    const shared = ({ words, begins, abouts }: SourcePart) => {
      const both = said.filter((w) => held(w, words, begins)).length;
      if (about === undefined || !abouts.includes(about)) return both;
      return both + ABOUT + (held(about, words, begins) ? 0 : 1);
    };
    const names = namesOf(sentence, language);
    const days = daysIn(sentence);
    for (const q of quantitiesOf(own)) {
      const alike = parts.filter((p) => isOfDays(p.text, days) && p.quantities.some((other) => isOfKind(other, q)));
      const holds = (p: SourcePart) => p.quantities.some((other) => other.value === q.value) || writtenApart(q.value, p.text);
      const holding = parts.filter(holds);
      const most = Math.max(0, ...holding.map((p) => shared(p)));
      const ofOthers = holding.filter((p) => p.names.length > 0 && names.length > 0 && !p.names.some((n) => names.includes(n)));
      // What is counted is the same: two adults are two adults, wherever they stand.
      const isSame = (other: Quantity) => q.of !== undefined && other.value === q.value && other.of === q.of;
      const counted = parts.some((p) => p.quantities.some(isSame));
      const elsewhere = !counted && alike.some((p) => !holds(p) && shared(p) > most);
      if (holding.length > 0 && (elsewhere || ofOthers.length === holding.length))
        return { ok: false, why: 'number', at: q.said };
    }
  }
  return undefined;
}

/** Whether what a text says may be said of some days. */
function isOfDays(text: string, days: ReadonlySet<string>): boolean {
  const own = daysIn(text);
  return days.size === 0 || own.size === 0 || [...own].some((day) => days.has(day));
}

/** Two quantities of which one could stand in the place of the other: two times, or two of the same unit. */
function isOfKind(one: Quantity, other: Quantity): boolean {
  return one.value.includes(':') === other.value.includes(':') && one.unit === other.unit;
}

/** A number that stands in the source for other days than the sentence says. */
function onAnotherDay(sentence: string, source: string): Support | undefined {
  const meant = daysIn(sentence);
  if (meant.size === 0) return undefined;
  const parts = sentences(source, source.length).flatMap((text) => text.split(PARTS));
  for (const { value, unit, said } of quantitiesOf(sentence)) {
    const holding = parts.filter((part) => quantitiesOf(part).some((q) => q.value === value) || writtenApart(value, part));
    const elsewhere = (part: string) => {
      const days = daysIn(part);
      return days.size > 0 && ![...days].some((day) => meant.has(day));
    };
    if (holding.length > 0 && holding.every(elsewhere)) return { ok: false, why: 'number', at: said };
    // What is said of these days, in sentences of their own, says nothing of it.
    const own = sentences(source, source.length).filter((text) => [...daysIn(text)].some((day) => meant.has(day)));
    const holds = (text: string) => quantitiesOf(text).some((q) => q.value === value) || writtenApart(value, text);
    const tells = own.some((text) => quantitiesOf(text).some((q) => q.unit === unit) || (unit !== undefined && FREE.test(text)));
    if (holding.length > 0 && tells && !own.some(holds)) return { ok: false, why: 'number', at: said };
  }
  return undefined;
}

const daysIn = readOnce((text: string): ReadonlySet<string> => new Set(dayWords(text).flatMap(({ days }) => days)));

function wordsSupport(sentence: string, cited: readonly Cited[], language: string): Support {
  const said = [...new Set(contentOf(sentence, language))];
  if (said.length === 0) return { ok: true };
  const source = new Set(cited.flatMap((c) => contentOf(`${c.title ?? ''} ${c.heading ?? ''} ${c.quote}`, language)));
  const starts = new Set([...source].map((s) => s.slice(0, STEM_LETTERS)));
  const missing = said.filter((s) => !held(s, source, starts));
  if (said.length - missing.length < said.length * (said.length <= FEW ? SAME_MATTER : WORDS_FROM))
    return { ok: false, why: 'words', at: missing.join(', ') };
  return deniesAlike(sentence, said, cited, language)
    ? { ok: true }
    : { ok: false, why: 'negation', at: countNegations(sentence) > 0 ? 'denied' : 'not denied' };
}

/** What parts a sentence into what it says one by one. */
const CLAUSES = /[;:]|,\s+(?=(?:but|while|whereas|aber|sondern|während|pero|sino|mais)\s)/i;

/**
 * Whether a sentence denies just what its source does: beside that clause of it which shares most words. Of several that share as
 * many, the one counts whose shared words stand last in the sentence, where what is said of something stands.
 */
function deniesAlike(sentence: string, said: readonly string[], cited: readonly Cited[], language: string): boolean {
  const all = cited.flatMap((c) =>
    sentences(c.quote, c.quote.length).flatMap((text) =>
      wholeClauses(text.split(CLAUSES)).map((clause) => ({ clause, heading: c.heading ?? '' })),
    ),
  );
  // What is said of a day is held against what the source says of that day.
  const days = daysIn(sentence);
  const ofDay = days.size === 0 ? [] : all.filter(({ clause }) => [...daysIn(clause)].some((day) => days.has(day)));
  const values = quantitiesOf(sentence).map((q) => q.value);
  const ofDayToo = values.length === 0 || ofDay.some(({ clause }) => quantitiesOf(clause).some((q) => values.includes(q.value)));
  const clauses = ofDay.length > 0 && ofDayToo ? ofDay : all;
  let [nearest, most, last] = ['', 0, -1];
  for (const { clause, heading } of clauses) {
    const own = new Set(contentOf(`${heading} ${clause}`, language));
    const begins = new Set([...own].map((s) => s.slice(0, STEM_LETTERS)));
    const shared = said.flatMap((s, i) => (held(s, own, begins) ? [i] : []));
    const end = shared.at(-1) ?? -1;
    if (shared.length > most || (shared.length === most && end > last)) [nearest, most, last] = [clause, shared.length, end];
  }
  if (clauses === all && most < said.length * SAME_MATTER) return true;
  const [ours, theirs] = [namesOf(sentence, language), namesOf(nearest, language)];
  // What the source says of one of its names is not said of another.
  if (ours.length > 0 && theirs.length > 0 && !ours.some((name) => theirs.includes(name))) return false;
  const [about, clause] = [sentence, nearest].map((text) => contentOf(text.replace(NEGATIONS, ' '), language, true));
  if (isOfAnother(about ?? [], clause ?? [])) return false;
  const contrary = isContrary(sentence, nearest);
  return (
    countNegations(sentence) > 0 === (countNegations(nearest) > 0 !== contrary) && !leavesOut(nearest, sentence, said, language)
  );
}

/** A clause that only denies takes its beginning from the one before: "under the stairs, but not in the gangway". */
const ELLIPSIS = /^\s*(?:but|aber|sondern|pero|sino|mais)?\s*(?:not|nicht|no|pas)\s/i;

function wholeClauses(clauses: readonly string[]): string[] {
  return clauses.map((clause, i) => (ELLIPSIS.test(clause) ? `${clauses[i - 1] ?? ''} ${clause}` : clause));
}

/** Of fewer words none is the subject for sure. */
const LEAST_SAID = 2;
const KNOWN_STATES = new Set(OPPOSITES.flatMap(([a, b]) => [...a, ...b]));

/** Everything is said in the source but what the sentence is about, and there of something else: first stands what it is about. */
function isOfAnother(said: readonly string[], clause: readonly string[]): boolean {
  const [ours, ...rest] = said;
  const [theirs] = clause;
  if (ours === undefined || theirs === undefined || said.length < LEAST_SAID || KNOWN_STATES.has(ours)) return false;
  const begins = new Set(clause.map((s) => s.slice(0, STEM_LETTERS)));
  const there = new Set(clause);
  return !said.includes(theirs) && !held(ours, there, begins) && rest.every((s) => held(s, there, begins));
}

/** A word of the one stands for its opposite in the other. */
function isContrary(sentence: string, clause: string): boolean {
  const [ours, theirs] = [sentence, clause].map((text) => new Set(normalise(text).split(' ')));
  const has = (words: ReadonlySet<string> | undefined, some: ReadonlySet<string>) => [...some].some((w) => words?.has(w));
  const turned = ([a, b]: (typeof OPPOSITES)[number]) =>
    (has(ours, a) && !has(ours, b) && has(theirs, b) && !has(theirs, a)) ||
    (has(ours, b) && !has(ours, a) && has(theirs, a) && !has(theirs, b));
  return OPPOSITES.filter(turned).length % 2 === 1;
}

/** The source says "only" of something that the sentence does not name: it holds for nothing else. */
function leavesOut(clause: string, sentence: string, said: readonly string[], language: string): boolean {
  const words = [...clause.matchAll(/[\p{L}\p{M}\d]+/gu)].map(([w]) => w);
  const at = words.findIndex((w) => ONLY.has(normalise(w)));
  const own = normalise(sentence).split(' ');
  if (at < 0 || own.some((w) => ONLY.has(w))) return false;
  const [whom] = contentOf(words.slice(at + 1).join(' '), language);
  return whom !== undefined && !said.includes(whom);
}

/** A text checked sentence by sentence against numbered passages. */
export interface Checked {
  readonly text: string;
  readonly kept: number;
  readonly dropped: readonly { readonly sentence: string; readonly why: Unsupported; readonly at: string }[];
}

/** Numbers in square brackets that a sentence names. */
const marksOf = (sentence: string): number[] => [...sentence.matchAll(/\\?\[(\d{1,2})\\?\]/g)].map(([, n]) => Number(n));

/** Leaves out the sentences of an answer that what they cite does not say. A sentence that cites nothing is compared with all passages. */
export function checkAnswer(text: string, passages: readonly (Cited & { readonly number: number })[], language: string): Checked {
  const dropped: { sentence: string; why: Unsupported; at: string }[] = [];
  let kept = 0;
  const paragraphs = text.split(/\n{2,}/).map((paragraph) =>
    withMarks(sentences(paragraph, paragraph.length))
      .filter((sentence) => {
        const named = marksOf(sentence);
        const cited = passages.filter((p) => named.length === 0 || named.includes(p.number));
        const support = supportOf(sentence, cited, language);
        if (support.ok) kept++;
        else dropped.push({ sentence, why: support.why, at: support.at });
        return support.ok;
      })
      .join(' '),
  );
  return { text: paragraphs.filter(Boolean).join('\n\n'), kept, dropped };
}

/** A mark that stands behind the point belongs to the sentence before it. */
function withMarks(parts: readonly string[]): string[] {
  const joined: string[] = [];
  for (const part of parts) {
    const [marks] = /^(?:\s*\\?\[\d{1,2}\\?\])+/.exec(part) ?? [''];
    const last = joined.length - 1;
    if (marks !== '' && last >= 0) joined[last] = `${joined[last] ?? ''} ${marks.trim()}`;
    const rest = marks !== '' && last >= 0 ? part.slice(marks.length).trim() : part;
    if (rest !== '') joined.push(rest);
  }
  return joined;
}
