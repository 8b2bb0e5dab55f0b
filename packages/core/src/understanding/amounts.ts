import type { Value } from '../document/shapes.js';
import { DATE_WORDS, ONE, type Unit } from './date-words.js';
import { baseOf, ofLanguage } from './lexicon.js';
import { findMoments, type AnswerSetting, type FoundMoment } from './moments.js';
import { normalise, type Token } from './words.js';

/** A value with where its words stand, and the rule that found it. */
export interface FoundAmount {
  readonly value: Value;
  readonly from: number;
  readonly to: number;
  readonly by: string;
}

/** `1.200,5` in German, Spanish and French, `1,200.5` elsewhere; a lone mark followed by one or two digits is a decimal mark. */
export function plainNumber(digits: string, language: string): string {
  const comma = ['de', 'es', 'fr', 'it', 'pt', 'nl', 'pl'].includes(language);
  const compact = digits.replace(/[\s\u00a0\u202f’']/g, '');
  const lone = /^(-?\d+)[.,](\d{1,2})$/.exec(compact);
  if (lone) return `${lone[1]}.${lone[2]}`;
  return comma ? compact.replaceAll('.', '').replace(',', '.') : compact.replaceAll(',', '');
}

/** A number in figures, with thousands and a decimal part. */
const FIGURES = String.raw`-?\d{1,3}(?:[.,\u00a0\u202f’']\d{3})+(?:[.,]\d{1,2})?|-?\d{1,12}(?:[.,]\d{1,6})?`;

/** Words for numbers up to twenty, and tens; a number in words has one or two of them. */
const MORE_NUMBERS: Readonly<Record<string, Readonly<Record<string, number>>>> = {
  en: {
    thirty: 30,
    forty: 40,
    fifty: 50,
    sixty: 60,
    seventy: 70,
    eighty: 80,
    ninety: 90,
    hundred: 100,
    'a hundred': 100,
    dozen: 12,
    'a dozen': 12,
    half: 0.5,
    couple: 2,
    'a couple': 2,
    'a couple of': 2,
    thousand: 1000,
  },
  de: {
    dreissig: 30,
    vierzig: 40,
    funfzig: 50,
    sechzig: 60,
    siebzig: 70,
    achtzig: 80,
    neunzig: 90,
    hundert: 100,
    einhundert: 100,
    dutzend: 12,
    'ein dutzend': 12,
    tausend: 1000,
    ein: 1,
    eine: 1,
    einen: 1,
    zwo: 2,
  },
  es: {
    treinta: 30,
    cuarenta: 40,
    cincuenta: 50,
    sesenta: 60,
    setenta: 70,
    ochenta: 80,
    noventa: 90,
    cien: 100,
    ciento: 100,
    docena: 12,
    'una docena': 12,
    mil: 1000,
    un: 1,
    una: 1,
  },
  fr: {
    trente: 30,
    quarante: 40,
    cinquante: 50,
    soixante: 60,
    cent: 100,
    douzaine: 12,
    'une douzaine': 12,
    mille: 1000,
    un: 1,
    une: 1,
  },
};

const numbersOf = new Map<string, ReadonlyMap<string, number>>();

/** The words for numbers of a language, as they are compared. */
export function numberWords(language: string): ReadonlyMap<string, number> {
  const base = ofLanguage(DATE_WORDS, language) ? baseOf(language) : 'en';
  const made =
    numbersOf.get(base) ??
    new Map([...(DATE_WORDS[base]?.numbers ?? []).map((w, i) => [w, i] as const), ...Object.entries(MORE_NUMBERS[base] ?? {})]);
  numbersOf.set(base, made);
  return made;
}

/** Every place where one of some words follows a number, in figures or in words. `read` makes the value, or nothing. */
function counted(
  text: string,
  language: string,
  behind: string,
  read: (count: number, word: string) => Value | undefined,
  by: string,
): FoundAmount[] {
  const words = [...numberWords(language).keys(), ...(ofLanguage(ONE, language) ?? [])].map((w) =>
    w.replaceAll(' ', String.raw`\s+`),
  );
  words.sort((a, b) => b.length - a.length);
  const pattern = new RegExp(
    String.raw`(?<![\p{L}\p{N}.,])(?:(${FIGURES})|(${words.join('|')}))\s*[-\u00a0]?\s*(${behind})(?![\p{L}\p{N}])`,
    'giu',
  );
  const plain = stripped(text);
  return [...plain.matchAll(pattern)].flatMap((m): FoundAmount[] => {
    const count = m[1] === undefined ? wordCount(m[2] ?? '', language) : Number(plainNumber(m[1], baseOf(language)));
    const value = count === undefined || !Number.isFinite(count) ? undefined : read(count, normalise(m[3] ?? '') || (m[3] ?? ''));
    return value === undefined ? [] : [{ value, from: m.index, to: m.index + m[0].length, by }];
  });
}

function wordCount(words: string, language: string): number | undefined {
  const word = normalise(words);
  return numberWords(language).get(word) ?? ((ofLanguage(ONE, language) ?? []).includes(word) ? 1 : undefined);
}

/** A text with marks taken from its letters, of the same length, so that places stay what they are. */
function stripped(text: string): string {
  return [...text]
    .map((c) => {
      const bare = c.normalize('NFD').replace(/\p{M}+/gu, '');
      return bare.length === c.length ? bare : c;
    })
    .join('');
}

const CURRENCIES: Readonly<Record<string, string>> = {
  '€': 'EUR',
  eur: 'EUR',
  euro: 'EUR',
  euros: 'EUR',
  '£': 'GBP',
  gbp: 'GBP',
  pound: 'GBP',
  pounds: 'GBP',
  quid: 'GBP',
  pfund: 'GBP',
  libras: 'GBP',
  libra: 'GBP',
  livres: 'GBP',
  $: 'USD',
  usd: 'USD',
  dollar: 'USD',
  dollars: 'USD',
  bucks: 'USD',
  dolares: 'USD',
  dolar: 'USD',
  chf: 'CHF',
  franken: 'CHF',
  francs: 'CHF',
  francos: 'CHF',
  '¥': 'JPY',
  jpy: 'JPY',
  yen: 'JPY',
  pln: 'PLN',
  zloty: 'PLN',
  sek: 'SEK',
  nok: 'NOK',
  dkk: 'DKK',
  kronor: 'SEK',
  kroner: 'NOK',
};
const SIGNS = '[€£$¥]';

/** Sums of money: `{ amount, currency }` with the code of ISO 4217. */
export function findMoney(text: string, language: string): FoundAmount[] {
  const before = new RegExp(String.raw`(${SIGNS}|\b(?:EUR|GBP|USD|CHF))\s?(${FIGURES})(?![\p{L}\p{N}])`, 'giu');
  const led = [...text.matchAll(before)].flatMap((m): FoundAmount[] => {
    const currency = CURRENCIES[(m[1] ?? '').toLowerCase()];
    const amount = Number(plainNumber(m[2] ?? '', baseOf(language)));
    if (currency === undefined || !Number.isFinite(amount)) return [];
    return [{ value: { amount, currency }, from: m.index, to: m.index + m[0].length, by: 'currency and figures' }];
  });
  const words = Object.keys(CURRENCIES)
    .map((w) => (w === '$' ? String.raw`\$` : w))
    .sort((a, b) => b.length - a.length);
  const followed = counted(
    text,
    language,
    words.join('|'),
    (amount, word) => {
      const currency = CURRENCIES[word];
      return currency === undefined ? undefined : { amount, currency };
    },
    'number and currency',
  );
  return [...led, ...followed.filter((f) => !led.some((l) => l.from < f.to && f.from < l.to))];
}

/** Units of quantities by their words, as the symbols of the SI where it has one. */
const UNITS: Readonly<Record<string, string>> = {
  mm: 'mm',
  cm: 'cm',
  m: 'm',
  km: 'km',
  metre: 'm',
  metres: 'm',
  meter: 'm',
  meters: 'm',
  metros: 'm',
  metro: 'm',
  metres_: 'm',
  centimetre: 'cm',
  centimetres: 'cm',
  zentimeter: 'cm',
  centimetros: 'cm',
  kilometre: 'km',
  kilometres: 'km',
  kilometer: 'km',
  kilometers: 'km',
  kilometros: 'km',
  inch: 'in',
  inches: 'in',
  zoll: 'in',
  ft: 'ft',
  foot: 'ft',
  feet: 'ft',
  mile: 'mi',
  miles: 'mi',
  meilen: 'mi',
  millas: 'mi',
  g: 'g',
  gram: 'g',
  grams: 'g',
  gramm: 'g',
  gramos: 'g',
  grammes: 'g',
  kg: 'kg',
  kilo: 'kg',
  kilos: 'kg',
  kilogram: 'kg',
  kilograms: 'kg',
  kilogramm: 'kg',
  kilogramos: 'kg',
  kilogrammes: 'kg',
  t: 't',
  tonne: 't',
  tonnes: 't',
  tonnen: 't',
  toneladas: 't',
  lb: 'lb',
  lbs: 'lb',
  stone: 'st',
  l: 'l',
  litre: 'l',
  litres: 'l',
  liter: 'l',
  liters: 'l',
  litros: 'l',
  ml: 'ml',
  '%': '%',
  percent: '%',
  prozent: '%',
  ciento_: '%',
  pourcent: '%',
  '°c': '°C',
  degrees: '°',
  grad: '°',
  grados: '°',
  kwh: 'kWh',
  kw: 'kW',
  gb: 'GB',
  mb: 'MB',
};

/** Quantities with a unit: `{ amount, unit }`. */
export function findQuantities(text: string, language: string): FoundAmount[] {
  const words = Object.keys(UNITS)
    .filter((w) => !w.endsWith('_'))
    .sort((a, b) => b.length - a.length);
  return counted(
    text,
    language,
    words.join('|'),
    (amount, word) => {
      const unit = UNITS[word];
      return unit === undefined ? undefined : { amount, unit };
    },
    'number and unit',
  );
}

const DURATION: Readonly<Record<Unit, (n: number) => string>> = {
  minute: (n) => `PT${n}M`,
  hour: (n) => (Number.isInteger(n) ? `PT${n}H` : `PT${Math.round(n * 60)}M`),
  day: (n) => `P${n}D`,
  week: (n) => `P${n}W`,
  month: (n) => `P${n}M`,
  year: (n) => `P${n}Y`,
};

/** Durations as ISO 8601 writes them: "three days" is `P3D`, "an hour and a half" `PT90M`. */
export function findDurations(text: string, language: string): FoundAmount[] {
  const words = ofLanguage(DATE_WORDS, language) ?? DATE_WORDS['en'];
  const units = Object.entries(words?.units ?? {}) as [Unit, readonly string[]][];
  const unitOf = new Map(units.flatMap(([unit, names]) => names.map((n) => [n, unit] as const)));
  const names = [...unitOf.keys()].filter((n) => n.length > 1).sort((a, b) => b.length - a.length);
  const half = String.raw`(?:\s+(?:and\s+a\s+half|und\s+eine\s+halbe|y\s+media|et\s+demie?))?`;
  return counted(
    text,
    language,
    `(?:${names.join('|')})${half}`,
    (count, word) => {
      const [name = '', ...more] = word.split(' ');
      const unit = unitOf.get(name);
      if (unit === undefined) return undefined;
      if (more.length === 0) return DURATION[unit](count);
      return unit === 'hour' ? `PT${Math.round((count + 0.5) * 60)}M` : unit === 'year' ? `P${count * 12 + 6}M` : undefined;
    },
    'number and unit of time',
  );
}

/** Places in an order: "the second", "3rd", "2." as a number. */
export function findOrdinals(text: string, tokens: readonly Token[], language: string): FoundAmount[] {
  const ordinals = ofLanguage(DATE_WORDS, language)?.ordinals ?? DATE_WORDS['en']?.ordinals ?? [];
  const inWords = tokens.flatMap((t): FoundAmount[] => {
    const at = ordinals.findIndex(
      (o) =>
        o === t.word ||
        (baseOf(language) === 'de' && o.replace(/n$/, '') === t.word.replace(/[rsnm]$/, '')) ||
        (baseOf(language) === 'es' && o.replace(/o$/, 'a') === t.word),
    );
    return at < 0 ? [] : [{ value: at + 1, from: t.from, to: t.to, by: 'ordinal word' }];
  });
  const figures = [...text.matchAll(/(?<![\p{L}\p{N}.,])(\d{1,4})(?:st|nd|rd|th|er|[ºª]|\.(?=\s+\p{Ll}))(?![\p{L}\p{N}])/gu)];
  return [
    ...inWords,
    ...figures.map((m) => ({ value: Number(m[1]), from: m.index, to: m.index + m[0].length, by: 'ordinal figure' })),
  ];
}

/** Words between the two ends of a range. */
const UNTIL = {
  en: /^\s*(?:to|until|till|through|and|-|–|—)\s*(?:on\s+)?$/i,
  de: /^\s*(?:bis(?:\s+zum)?|und|-|–|—)\s*$/i,
  es: /^\s*(?:a|al|hasta(?:\s+el)?|y|-|–|—)\s*$/i,
  fr: /^\s*(?:à|au|jusqu.au|et|-|–|—)\s*$/i,
};

/** From one day or time to another: `{ from, to }`, both days or both times. "3 to 5 May" has the month of its end. */
export function findRanges(text: string, setting: AnswerSetting): FoundAmount[] {
  const between = ofLanguage(UNTIL, setting.language) ?? UNTIL.en;
  const found = findMoments(text, setting);
  const ranges: FoundAmount[] = [];
  for (let i = 0; i < found.length; i++) {
    const [a, b] = [found[i], found[i + 1]];
    if (a && b && between.test(text.slice(a.to, b.from))) {
      const range = rangeOf(a, b);
      if (range) ranges.push({ value: range, from: a.from, to: b.to, by: 'two ends' });
    }
    const led =
      a?.date === undefined
        ? undefined
        : /(?<![\p{L}\p{N}])(\d{1,2})\.?(?:st|nd|rd|th)?\s*(?:to|until|-|–|bis|al?|hasta el|au)\s*(?:the |zum )?$/iu.exec(
            text.slice(0, a.from),
          );
    const day = led ? led[1]?.padStart(2, '0') : undefined;
    if (a?.date !== undefined && led && day !== undefined && day < a.date.slice(8))
      ranges.push({ value: { from: `${a.date.slice(0, 8)}${day}`, to: a.date }, from: led.index, to: a.to, by: 'two ends' });
  }
  return ranges;
}

function rangeOf(a: FoundMoment, b: FoundMoment): Value | undefined {
  if (a.date !== undefined && b.date !== undefined) return a.date <= b.date ? { from: a.date, to: b.date } : undefined;
  if (a.date === undefined && b.date === undefined && a.time !== undefined && b.time !== undefined)
    return { from: a.time, to: b.time };
  return undefined;
}

/** The address of a page. */
const ADDRESS =
  /(?<![\p{L}\p{N}@])(?:https?:\/\/|www\.)[^\s<>"']{3,2000}|(?<![\p{L}\p{N}@.-])[\p{L}\p{N}-]+(?:\.[\p{L}\p{N}-]+)*\.(?:com|org|net|info|eu|ie|uk|de|es|fr|it|nl|pl|pt|at|ch|be|example|io|dev)(?:\/[^\s<>"']*)?(?![\p{L}\p{N}@])/giu;

/** Addresses of pages, with `https://` before those that have no scheme. */
export function findAddresses(text: string): FoundAmount[] {
  return [...text.matchAll(ADDRESS)].map((m) => {
    const address = m[0].replace(/[.,;:!?)\]]+$/, '');
    return {
      value: /^https?:/i.test(address) ? address : `https://${address}`,
      from: m.index,
      to: m.index + address.length,
      by: 'address of a page',
    };
  });
}

/** Where somebody says who they are. */
const INTRODUCED = {
  en: /(?<![\p{L}])(?:(?:my |the )?name(?:'s|’s| is)|i am called|i(?:'m|’m| am|m)|it(?:'s|’s| is|s)|this is|call me|you can call me|name:)\s+/giu,
  de: /(?<![\p{L}])(?:mein name ist|ich heiße|ich heisse|ich bin(?: der| die)?|hier (?:ist|spricht)|nennen sie mich|nenn mich|name:)\s+/giu,
  es: /(?<![\p{L}])(?:me llamo|mi nombre es|soy|llámame|llamame|aquí|nombre:)\s+/giu,
  fr: /(?<![\p{L}])(?:je m[’']appelle|mon nom est|je suis|c[’']est|appelez[- ]moi|ici|nom :?)\s+/giu,
};
const NAME = String.raw`\p{Lu}[\p{L}\p{M}’'-]*`;
const NAMES = new RegExp(
  String.raw`^(?:(?:Mr|Mrs|Ms|Dr|Herr|Frau|Señor|Señora|Monsieur|Madame|M\.|Mme)\.?\s+)?(${NAME}(?:\s+(?:(?:van|von|de|del|der|la|le|da|dos|O|Mc)\s+){0,2}${NAME}){0,3})`,
  'u',
);
/** A name in small letters is believed behind words that nothing else follows. */
const SURE = /(?:name|called|call me|nenn|heiß|heiss|llam|nombre|appel|nom)/iu;
const SMALL_NAMES = /^([\p{L}\p{M}’'-]{2,30}(?:\s+[\p{L}\p{M}’'-]{2,30})?)\s*(?:[.,!?;]|$)/u;

/** Names of people where they are introduced as such: "I am Isla Marlow", "it is Tom, thanks", "call me jo". */
export function findNames(text: string, language: string): FoundAmount[] {
  const intro = ofLanguage(INTRODUCED, language) ?? INTRODUCED.en;
  return [...text.matchAll(intro)].flatMap((m): FoundAmount[] => {
    const from = m.index + m[0].length;
    const rest = text.slice(from, from + 120);
    const name = NAMES.exec(rest);
    const words = name?.[1];
    if (name && words !== undefined && !isNoName(words, language)) {
      const start = from + name[0].length - words.length;
      return [{ value: words, from: start, to: start + words.length, by: 'introduced as a name' }];
    }
    const small = SURE.test(m[0]) ? SMALL_NAMES.exec(rest)?.[1] : undefined;
    return small === undefined ? [] : [{ value: capitals(small), from, to: from + small.length, by: 'introduced as a name' }];
  });
}

/** "I am Monday's skipper", "it is OK", "it is Friday": what begins large and is no name. */
function isNoName(words: string, language: string): boolean {
  const first = normalise(words.split(/\s+/)[0] ?? '');
  if (['i', 'ok', 'okay', 'yes', 'no', 'not', 'sure'].includes(first)) return true;
  const { weekdays = [], months = [] } = ofLanguage(DATE_WORDS, language) ?? {};
  return [...weekdays, ...months].some((forms) => forms.includes(first));
}

const capitals = (name: string): string => name.replace(/(^|[\s'’-])\p{Ll}/gu, (c) => c.toUpperCase());

/** Names of languages to their codes (BCP 47), in the languages that are read. */
const LANGUAGES: Readonly<Record<string, string>> = Object.fromEntries(
  Object.entries({
    en: 'english englisch ingles anglais inglese engels',
    de: 'german deutsch aleman allemand tedesco duits',
    es: 'spanish spanisch espanol espagnol castellano spagnolo spaans',
    fr: 'french franzosisch frances francais francese frans',
    it: 'italian italienisch italiano italien',
    pt: 'portuguese portugiesisch portugues portugais',
    nl: 'dutch niederlandisch neerlandes holandes neerlandais nederlands',
    pl: 'polish polnisch polaco polonais polski',
    ga: 'irish irisch irlandes irlandais gaeilge',
    cy: 'welsh walisisch gales gallois cymraeg',
    da: 'danish danisch danes danois dansk',
    sv: 'swedish schwedisch sueco suedois svenska',
    no: 'norwegian norwegisch noruego norvegien norsk',
    ru: 'russian russisch ruso russe',
    uk: 'ukrainian ukrainisch ucraniano ukrainien',
    tr: 'turkish turkisch turco turc',
    ar: 'arabic arabisch arabe',
    zh: 'chinese chinesisch chino chinois mandarin',
    ja: 'japanese japanisch japones japonais',
  }).flatMap(([code, names]) => names.split(' ').map((name) => [name, code])),
);

/** Languages by their names. */
export function findLanguages(tokens: readonly Token[]): FoundAmount[] {
  return tokens.flatMap((t): FoundAmount[] => {
    const value = Object.hasOwn(LANGUAGES, t.word) ? LANGUAGES[t.word] : undefined;
    return value === undefined ? [] : [{ value, from: t.from, to: t.to, by: 'name of a language' }];
  });
}
