/*
 * Texts as they are said aloud, for synthesizers that read digits badly: clock times, dates, money and references. Whole numbers are
 * written out in the languages that are here; in others their digits are left to the synthesizer.
 */

interface Language {
  readonly number: (n: number) => string;
  readonly time: (hour: number, minute: number) => string;
  readonly date: (day: number, month: number, year: number | undefined) => string;
  readonly money: (whole: number, cents: number, unit: string) => string;
  readonly units: Readonly<Record<string, readonly [one: string, many: string]>>;
  readonly months: readonly string[];
}

const EN_SMALL =
  'zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen'.split(
    ' ',
  );
const EN_TENS = ['', '', 'twenty', 'thirty', 'forty', 'fifty', 'sixty', 'seventy', 'eighty', 'ninety'];

/** A whole number from 0 to 999,999 in English. */
function english(n: number): string {
  if (n < 20) return EN_SMALL[n] ?? '';
  if (n < 100) return `${EN_TENS[Math.floor(n / 10)] ?? ''}${n % 10 === 0 ? '' : `-${english(n % 10)}`}`;
  if (n < 1000) return `${english(Math.floor(n / 100))} hundred${n % 100 === 0 ? '' : ` and ${english(n % 100)}`}`;
  const rest = n % 1000;
  const joined = rest === 0 ? '' : `${rest < 100 ? ' and ' : ' '}${english(rest)}`;
  return `${english(Math.floor(n / 1000))} thousand${joined}`;
}

const DE_SMALL =
  'null eins zwei drei vier fünf sechs sieben acht neun zehn elf zwölf dreizehn vierzehn fünfzehn sechzehn siebzehn achtzehn neunzehn'.split(
    ' ',
  );
const DE_TENS = ['', '', 'zwanzig', 'dreißig', 'vierzig', 'fünfzig', 'sechzig', 'siebzig', 'achtzig', 'neunzig'];

/** A whole number from 0 to 999,999 in German, as one word; `one` is how a one at its end is said. */
function german(n: number, one = 'eins'): string {
  if (n === 1) return one;
  if (n < 20) return DE_SMALL[n] ?? '';
  if (n < 100) return `${n % 10 === 0 ? '' : `${german(n % 10, 'ein')}und`}${DE_TENS[Math.floor(n / 10)] ?? ''}`;
  if (n < 1000) return `${german(Math.floor(n / 100), 'ein')}hundert${n % 100 === 0 ? '' : german(n % 100, one)}`;
  return `${german(Math.floor(n / 1000), 'ein')}tausend${n % 1000 === 0 ? '' : german(n % 1000, one)}`;
}

const ES_SMALL =
  'cero uno dos tres cuatro cinco seis siete ocho nueve diez once doce trece catorce quince dieciséis diecisiete dieciocho diecinueve veinte veintiuno veintidós veintitrés veinticuatro veinticinco veintiséis veintisiete veintiocho veintinueve'.split(
    ' ',
  );
const ES_TENS = ['', '', '', 'treinta', 'cuarenta', 'cincuenta', 'sesenta', 'setenta', 'ochenta', 'noventa'];
const ES_HUNDREDS = [
  '',
  'ciento',
  'doscientos',
  'trescientos',
  'cuatrocientos',
  'quinientos',
  'seiscientos',
  'setecientos',
  'ochocientos',
  'novecientos',
];

/** A whole number from 0 to 999,999 in Spanish; `short` is the form before a noun: un, veintiún. */
function spanish(n: number, short = false): string {
  if (short && n === 1) return 'un';
  if (short && n === 21) return 'veintiún';
  if (n < 30) return ES_SMALL[n] ?? '';
  if (n < 100) return `${ES_TENS[Math.floor(n / 10)] ?? ''}${n % 10 === 0 ? '' : ` y ${spanish(n % 10, short)}`}`;
  if (n === 100) return 'cien';
  if (n < 1000) return `${ES_HUNDREDS[Math.floor(n / 100)] ?? ''}${n % 100 === 0 ? '' : ` ${spanish(n % 100, short)}`}`;
  const thousands = Math.floor(n / 1000);
  return `${thousands === 1 ? 'mil' : `${spanish(thousands, true)} mil`}${n % 1000 === 0 ? '' : ` ${spanish(n % 1000, short)}`}`;
}

const months = (names: string): readonly string[] => names.split(' ');
const EN_MONTHS = months('January February March April May June July August September October November December');
const DE_MONTHS = months('Januar Februar März April Mai Juni Juli August September Oktober November Dezember');
const ES_MONTHS = months('enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre');
const EN_ORDINALS: Readonly<Record<number, string>> = {
  1: 'first',
  2: 'second',
  3: 'third',
  5: 'fifth',
  8: 'eighth',
  9: 'ninth',
  12: 'twelfth',
};

/** A day of a month in English: first to thirty-first. */
function ordinal(n: number): string {
  const own = EN_ORDINALS[n];
  if (own !== undefined) return own;
  if (n < 20) return `${english(n)}th`;
  if (n % 10 === 0) return `${(EN_TENS[n / 10] ?? '').replace(/y$/, 'ie')}th`;
  return `${EN_TENS[Math.floor(n / 10)] ?? ''}-${ordinal(n % 10)}`;
}

/** A day of a month in German, as it is said before it: ersten to einunddreißigsten. */
function germanOrdinal(n: number): string {
  const own: Readonly<Record<number, string>> = { 1: 'ersten', 3: 'dritten', 7: 'siebten', 8: 'achten' };
  return own[n] ?? `${german(n)}${n < 20 ? 'ten' : 'sten'}`;
}

function englishYear(year: number): string {
  if (year >= 2010 && year < 2100) return `twenty ${english(year % 100)}`;
  return english(year);
}

const LANGUAGES: Readonly<Record<string, Language>> = {
  en: {
    number: english,
    time: (h, m) =>
      m === 0 ? (h === 0 ? 'midnight' : `${english(h)} o'clock`) : `${english(h)} ${m < 10 ? `oh ${english(m)}` : english(m)}`,
    date: (d, m, y) => `the ${ordinal(d)} of ${EN_MONTHS[m - 1] ?? ''}${y === undefined ? '' : ` ${englishYear(y)}`}`,
    money: (w, c, unit) => `${english(w)} ${unit}${c === 0 ? '' : ` ${english(c)}`}`,
    units: {
      '€': ['euro', 'euros'],
      EUR: ['euro', 'euros'],
      '£': ['pound', 'pounds'],
      GBP: ['pound', 'pounds'],
      $: ['dollar', 'dollars'],
    },
    months: EN_MONTHS,
  },
  de: {
    number: german,
    time: (h, m) => `${german(h, 'ein')} Uhr${m === 0 ? '' : ` ${german(m)}`}`,
    date: (d, m, y) => `${germanOrdinal(d)} ${DE_MONTHS[m - 1] ?? ''}${y === undefined ? '' : ` ${german(y)}`}`,
    money: (w, c, unit) => `${german(w, 'ein')} ${unit}${c === 0 ? '' : ` ${german(c)}`}`,
    units: {
      '€': ['Euro', 'Euro'],
      EUR: ['Euro', 'Euro'],
      '£': ['Pfund', 'Pfund'],
      GBP: ['Pfund', 'Pfund'],
      $: ['Dollar', 'Dollar'],
    },
    months: DE_MONTHS,
  },
  es: {
    number: spanish,
    time: (h, m) =>
      `${h === 1 ? 'una' : h === 21 ? 'veintiuna' : spanish(h)}${m === 0 ? ' en punto' : ` ${m < 10 ? `cero ${spanish(m)}` : spanish(m)}`}`,
    date: (d, m, y) =>
      `${d === 1 ? 'primero' : spanish(d)} de ${ES_MONTHS[m - 1] ?? ''}${y === undefined ? '' : ` de ${spanish(y)}`}`,
    money: (w, c, unit) => `${spanish(w, true)} ${unit}${c === 0 ? '' : ` con ${spanish(c)}`}`,
    units: {
      '€': ['euro', 'euros'],
      EUR: ['euro', 'euros'],
      '£': ['libra', 'libras'],
      GBP: ['libra', 'libras'],
      $: ['dólar', 'dólares'],
    },
    months: ES_MONTHS,
  },
};

/** A day that is written with the name of its month: `1 December`, `1. Dezember 2026`, `1 de diciembre de 2026`. */
const dated = ({ months: names }: Language): RegExp =>
  new RegExp(String.raw`\b(\d{1,2})\.? (?:de )?(${names.join('|')})\b(?:(?: de)? (\d{4})\b)?`, 'gi');

/** Numbers from here on are read digit by digit: nobody follows more words. */
const LARGEST = 999_999;
const AMOUNT = String.raw`(\d{1,6})(?:[.,](\d{2}))?`;
const MONEY = new RegExp(String.raw`([€£$])\s?${AMOUNT}(?![\d.,]*\d)|(?<![\d.,])${AMOUNT}\s?(€|£|\$|EUR\b|GBP\b)`, 'g');

const spaced = (text: string): string => [...text].join(' ');

/** The digits of a number one by one. */
function digits(text: string, number: Language['number']): string {
  return [...text].map((d) => number(Number(d))).join(' ');
}

/**
 * A text with times, dates, money, references and numbers as they are said: `07:40` seven forty, `2026-05-12` the twelfth of May twenty
 * twenty-six, `€12.50` twelve euros fifty, `MS-4412` M S four four one two. Texts in other languages than en, de and es stay as they are.
 */
export function spokenText(text: string, language: string): string {
  const words = LANGUAGES[language.split('-')[0] ?? ''];
  const tidy = text
    .replace(/\s*\n+\s*/g, ' ')
    .replace(/ {2,}/g, ' ')
    .trim();
  if (!words) return tidy;
  const { number, time, date, units } = words;
  const money = (whole: string, cents: string | undefined, unit: string) => {
    const [one, many] = units[unit] ?? [unit, unit];
    return words.money(Number(whole), Number(cents ?? 0), whole === '1' ? one : many);
  };
  return tidy
    .replace(/\b(\d{4})-(\d{2})-(\d{2})\b/g, (all, y: string, m: string, d: string) =>
      Number(m) >= 1 && Number(m) <= 12 && Number(d) >= 1 && Number(d) <= 31 ? date(Number(d), Number(m), Number(y)) : all,
    )
    .replace(dated(words), (all: string, d: string, name: string, y: string | undefined) => {
      const month = words.months.findIndex((m) => m.toLowerCase() === name.toLowerCase()) + 1;
      return month > 0 && Number(d) >= 1 && Number(d) <= 31
        ? date(Number(d), month, y === undefined ? undefined : Number(y))
        : all;
    })
    .replace(/\b([01]?\d|2[0-3]):([0-5]\d)\b(?!:)(?: Uhr\b)?/g, (_all, h: string, m: string) => time(Number(h), Number(m)))
    .replace(MONEY, (all: string, before?: string, w1?: string, c1?: string, w2?: string, c2?: string, after?: string) =>
      before !== undefined && w1 !== undefined
        ? money(w1, c1, before)
        : w2 !== undefined && after !== undefined
          ? money(w2, c2, after)
          : all,
    )
    .replace(/\b(?=[A-Z0-9-]*\d)(?=[A-Z0-9-]*[A-Z])[A-Z0-9]+(?:-[A-Z0-9]+)*\b/g, (reference) =>
      [...reference.replaceAll('-', '').matchAll(/[A-Z]+|\d+/g)]
        .map(([part]) => (/\d/.test(part) ? digits(part, number) : spaced(part)))
        .join(' '),
    )
    .replace(/(?<![\d.,:+/-])\+?\d{7,}(?![\d:])/g, (long) => digits(long.replace('+', ''), number))
    .replace(/(?<![\p{L}\d.,:+/-])\d{1,6}(?![\p{L}\d:/-]|[.,]\d)/gu, (n) => {
      if (n.length > 1 && n.startsWith('0')) return digits(n, number);
      return Number(n) <= LARGEST ? number(Number(n)) : n;
    });
}
