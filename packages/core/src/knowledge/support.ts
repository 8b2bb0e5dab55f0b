import { baseOf } from '../understanding/lexicon.js';
import { normalise } from '../understanding/words.js';
import { sentences } from './split.js';
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
const WORDS_FROM = 0.6;
/** A sentence of a source that shares so much with one is about the same. */
const SAME_MATTER = 0.5;
const STEM_LETTERS = 5;
/** Of so few words one may be another one. */
const FEW = 2;

const NUMBER_WORDS: Readonly<Record<string, number>> = Object.fromEntries(
  [
    'zero null cero',
    'one eins ein eine einen einem einer un una uno une',
    'two zwei dos deux',
    'three drei tres trois',
    'four vier cuatro quatre',
    'five funf cinco cinq',
    'six sechs seis',
    'seven sieben siete sept',
    'eight acht ocho huit',
    'nine neun nueve neuf',
    'ten zehn diez dix',
    'eleven elf once onze',
    'twelve zwolf doce douze',
    'thirteen dreizehn trece treize',
    'fourteen vierzehn catorce quatorze',
    'fifteen funfzehn quince quinze',
    'sixteen sechzehn dieciseis seize',
    'seventeen siebzehn diecisiete',
    'eighteen achtzehn dieciocho',
    'nineteen neunzehn diecinueve',
    'twenty zwanzig veinte vingt',
  ]
    .flatMap((words, value) => words.split(' ').map((w) => [w, value] as const))
    .concat(
      [
        'thirty dreissig treinta trente',
        'forty vierzig cuarenta quarante',
        'fifty funfzig cincuenta cinquante',
        'sixty sechzig sesenta soixante',
        'seventy siebzig setenta',
        'eighty achtzig ochenta',
        'ninety neunzig noventa',
        'hundred hundert cien cent',
      ].flatMap((words, i) => words.split(' ').map((w) => [w, (i + 3) * 10] as const)),
    ),
);
/** Words that are articles as well as numbers: they count as numbers only where digits do not tell. */
const ARTICLES = new Set(['ein', 'eine', 'einen', 'einem', 'einer', 'un', 'una', 'une', 'one', 'uno']);

/** Units by what they measure: two spellings of one unit are the same. */
const UNITS: Readonly<Record<string, string>> = Object.fromEntries(
  Object.entries({
    '€': '€ euro euros eur',
    '£': '£ pound pounds gbp pfund libra libras livre livres',
    $: '$ dollar dollars usd',
    cent: 'cent cents ct',
    '%': '% percent prozent porcentaje pourcent',
    kg: 'kg kilo kilos kilogram kilograms kilogramm kilogramo kilogramos kilogramme kilogrammes',
    g: 'g gram grams gramm gramo gramos gramme grammes',
    cm: 'cm centimetre centimetres centimeter centimeters zentimeter centimetro centimetros centimetre',
    m: 'm metre metres meter meters metro metros metre',
    km: 'km kilometre kilometres kilometer kilometers kilometro kilometros',
    s: 's second seconds sekunde sekunden segundo segundos seconde secondes',
    min: 'min minute minutes minuten minuto minutos',
    h: 'h hour hours stunde stunden hora horas heure heures',
    d: 'day days tag tage tagen dia dias jour jours',
    week: 'week weeks woche wochen semana semanas semaine semaines',
    month: 'month months monat monate monaten mes meses mois',
    year: 'year years jahr jahre jahren ano anos an ans annee annees',
    mb: 'mb megabyte megabytes',
    gb: 'gb gigabyte gigabytes',
    '°': '° degrees grad grados degres',
  }).flatMap(([unit, words]) => words.split(' ').map((w) => [w, unit] as const)),
);

const NEGATIONS =
  /(?:^|[^\p{L}])(?:not|no|never|none|nobody|nothing|without|cannot|neither|nor|unless|except|\p{L}+n['’]t|nicht|kein\p{L}*|nie|niemals|ohne|niemand|nichts|weder|außer|nunca|sin|ningun\p{L}*|ningún|nadie|nada|ni|excepto|salvo|ne|pas|jamais|sans|aucun\p{L}*|personne|rien|sauf|free of charge)(?=[^\p{L}]|$)/giu;
/** "free" denies a charge as "kostenlos" does; it is no denial of its own. */
const countNegations = (text: string): number => [...text.matchAll(NEGATIONS)].filter(([m]) => !/free of charge/i.test(m)).length;

interface Quantity {
  readonly value: string;
  readonly unit: string | undefined;
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

/** The numbers, times and number words of a text with their units. */
function quantitiesOf(text: string): Quantity[] {
  const found: Quantity[] = [];
  const rest = text.replace(TIME, (said: string, h = '', m = '', half = '', h2 = '', m2 = '') => {
    found.push({
      value: half === '' ? timeOf(h2 as string, m2 as string, '') : timeOf(h as string, m as string, half as string),
      unit: undefined,
      said,
    });
    return ' ';
  });
  for (const [said, before, digits = '', after] of rest.matchAll(NUMBER)) {
    const unit = before ?? (after === undefined ? undefined : UNITS[normalise(after) || after]);
    found.push({ value: plainNumber(digits), unit, said: said.trim() });
  }
  const words = [...rest.matchAll(WORD)].map(([w]) => normalise(w));
  words.forEach((word, i) => {
    const value = Object.hasOwn(NUMBER_WORDS, word) ? NUMBER_WORDS[word] : undefined;
    if (value === undefined) return;
    const unit = UNITS[words[i + 1] ?? ''];
    if (ARTICLES.has(word) && unit === undefined) return;
    found.push({ value: String(value), unit, said: word });
  });
  return found;
}

/** The stems of what a text says, without the words that only hold it together. */
function contentOf(text: string, language: string): string[] {
  const terms = termsIn(language);
  const found: string[] = [];
  eachWord(text, (raw, code) => {
    if (code || /\d/.test(raw) || isFunctionWord(raw) || isLightWord(raw)) return;
    if (Object.hasOwn(NUMBER_WORDS, normalise(raw)) || Object.hasOwn(UNITS, normalise(raw))) return;
    const [stem] = terms(raw, false);
    if (stem !== undefined) found.push(stem);
  });
  return found;
}

const held = (stem: string, among: ReadonlySet<string>, starts: ReadonlySet<string>): boolean =>
  among.has(stem) || (stem.length > STEM_LETTERS && starts.has(stem.slice(0, STEM_LETTERS)));

/** Names within a sentence: capitals behind its first word, in languages that do not write all nouns with one. */
function namesOf(sentence: string, language: string): string[] {
  if (baseOf(language) === 'de') return [];
  const words = [...sentence.matchAll(/[\p{L}\p{M}’'-]+/gu)].map(([w]) => w);
  return words.slice(1).filter((w) => /^\p{Lu}\p{Ll}/u.test(w) && !isFunctionWord(w));
}

/** Days and months: whatever language, another one is another date. */
const DATES = new Set(
  `monday tuesday wednesday thursday friday saturday sunday january february march april june july august september october november december
  montag dienstag mittwoch donnerstag freitag samstag sonntag januar februar marz juni juli oktober dezember
  lunes martes miercoles jueves viernes sabado domingo enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre
  lundi mardi mercredi jeudi vendredi samedi dimanche janvier fevrier mars avril juin juillet aout septembre octobre novembre decembre`
    .split(/\s+/)
    .flatMap((w) => [w, `${w}s`]),
);

/**
 * Whether a sentence says what the passages that it cites say: every number with its unit, every date and name stands there, it
 * denies what they deny and no more, and most of its words are theirs. Words are compared only within one language.
 */
export function supportOf(sentence: string, cited: readonly Cited[], language: string): Support {
  if (cited.length === 0) return { ok: false, why: 'nothing-cited', at: '' };
  const plain = sentence.replace(/\\?\[\d{1,2}\\?\]/g, ' ');
  const source = cited.map((c) => `${c.title ?? ''}. ${c.heading ?? ''}. ${c.quote}`).join('\n');
  const quantity = wrongQuantity(plain, source);
  if (quantity) return quantity;
  const own = languageOf(plain, language);
  const theirs = languageOf(source, own);
  const words = new Set(normalise(source).split(' '));
  for (const [word] of plain.matchAll(WORD)) {
    const said = normalise(word);
    if (
      DATES.has(said) &&
      !words.has(said) &&
      !words.has(said.replace(/s$/, '')) &&
      !words.has(`${said}s`) &&
      baseOf(own) === baseOf(theirs)
    )
      return { ok: false, why: 'name', at: word };
  }
  for (const name of namesOf(plain, own)) {
    const said = normalise(name);
    if (!said.split(' ').every((w) => words.has(w) || words.has(w.replace(/s$/, ''))))
      return { ok: false, why: 'name', at: name };
  }
  return baseOf(own) === baseOf(theirs) ? wordsSupport(plain, cited, own) : { ok: true };
}

function wrongQuantity(sentence: string, source: string): Support | undefined {
  const there = quantitiesOf(source);
  const alone = new Set([...source.matchAll(/\d+/g)].map(([d]) => d));
  for (const { value, unit, said } of quantitiesOf(sentence)) {
    const same = there.filter((q) => q.value === value);
    // "13:15" is also there where only its digits are: "13.15 Uhr".
    if (same.length === 0 && !value.split(':').every((v) => alone.has(v) || alone.has(String(Number(v)))))
      return { ok: false, why: 'number', at: said };
    if (same.length === 0 && !value.includes(':')) return { ok: false, why: 'number', at: said };
    if (unit !== undefined && same.length > 0 && !same.some((q) => q.unit === unit)) return { ok: false, why: 'unit', at: said };
  }
  return undefined;
}

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
  const clauses = cited.flatMap((c) =>
    sentences(c.quote, c.quote.length).flatMap((text) =>
      text.split(CLAUSES).map((clause) => ({ clause, heading: c.heading ?? '' })),
    ),
  );
  let [nearest, most, last] = ['', 0, -1];
  for (const { clause, heading } of clauses) {
    const own = new Set(contentOf(`${heading} ${clause}`, language));
    const begins = new Set([...own].map((s) => s.slice(0, STEM_LETTERS)));
    const shared = said.flatMap((s, i) => (held(s, own, begins) ? [i] : []));
    const end = shared.at(-1) ?? -1;
    if (shared.length > most || (shared.length === most && end > last)) [nearest, most, last] = [clause, shared.length, end];
  }
  if (most < said.length * SAME_MATTER) return true;
  return countNegations(sentence) > 0 === countNegations(nearest) > 0;
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
