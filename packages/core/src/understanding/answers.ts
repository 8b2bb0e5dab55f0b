import * as de from 'chrono-node/de';
import * as en from 'chrono-node/en';
import * as es from 'chrono-node/es';
import type { Value } from '../document/shapes.js';
import { matchOption, normalise, type Option } from './words.js';

/** What an answer is read with: the moment (ISO 8601, UTC), the bot's zone and the visitor's language. */
export interface AnswerSetting {
  readonly at: string;
  readonly zone: string;
  readonly language: string;
}

/** An answer that was understood, and as what; undefined where it is no such thing. */
export type Answer = { readonly value: Value; readonly by: string } | undefined;

const YES: Readonly<Record<string, readonly string[]>> = {
  en: ['yes', 'yep', 'yeah', 'y', 'sure', 'ok', 'okay', 'of course', 'please do', 'right', 'correct', 'yes please'],
  de: ['ja', 'jawohl', 'klar', 'gerne', 'genau', 'stimmt', 'ja bitte', 'in ordnung'],
  es: ['si', 'claro', 'vale', 'de acuerdo', 'por supuesto', 'si por favor', 'correcto'],
};
const NO: Readonly<Record<string, readonly string[]>> = {
  en: ['no', 'nope', 'nah', 'n', 'not', 'never', 'no thanks', 'no thank you', 'rather not'],
  de: ['nein', 'ne', 'nee', 'nicht', 'lieber nicht', 'nein danke'],
  es: ['no', 'nunca', 'no gracias', 'mejor no'],
};
const NUMBER_WORDS: Readonly<Record<string, readonly string[]>> = {
  en: ['zero', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve'],
  de: ['null', 'ein', 'zwei', 'drei', 'vier', 'funf', 'sechs', 'sieben', 'acht', 'neun', 'zehn', 'elf', 'zwolf'],
  es: ['cero', 'uno', 'dos', 'tres', 'cuatro', 'cinco', 'seis', 'siete', 'ocho', 'nueve', 'diez', 'once', 'doce'],
};

/** The kinds of value that an `ask` can expect besides the bot's own entities. */
export const ANSWER_KINDS = ['text', 'number', 'yes_no', 'date'] as const;
export type AnswerKind = (typeof ANSWER_KINDS)[number];

/** Reads an answer as one of the built-in kinds. */
export function readAnswer(kind: AnswerKind, text: string, setting: AnswerSetting): Answer {
  switch (kind) {
    case 'text':
      return text.trim() === '' ? undefined : { value: text.trim(), by: 'as said' };
    case 'number':
      return readNumber(text, setting.language);
    case 'yes_no':
      return readYesNo(text, setting.language);
    case 'date':
      return readDate(text, setting);
    default:
      return kind satisfies never;
  }
}

/** Reads an answer as a value of a list entity: its words, a number is not taken, a misspelling is. */
export function readEntity(text: string, options: readonly Option[]): Answer {
  const match = matchOption(/^\s*\d+\s*$/.test(text) ? '' : text, options);
  return match && { value: match.id, by: match.by };
}

const base = (language: string): string => language.toLowerCase().split('-')[0] ?? 'en';

function readNumber(text: string, language: string): Answer {
  const digits = /-?\d[\d.,\u00a0 ]*/.exec(text)?.[0].trim();
  if (digits !== undefined) {
    const amount = Number(plainNumber(digits.replace(/[.,]$/, ''), base(language)));
    return Number.isFinite(amount) ? { value: amount, by: 'digits' } : undefined;
  }
  const words = normalise(text).split(' ');
  for (const list of [NUMBER_WORDS[base(language)], NUMBER_WORDS['en']]) {
    const found = list?.findIndex((w) => words.includes(w)) ?? -1;
    if (found >= 0) return { value: found, by: 'number word' };
  }
  return undefined;
}

/** `1.200,5` in German and Spanish, `1,200.5` elsewhere; a lone mark followed by one or two digits is a decimal mark. */
function plainNumber(digits: string, language: string): string {
  const comma = language === 'de' || language === 'es';
  const compact = digits.replace(/[\u00a0 ]/g, '');
  const lone = /^(-?\d+)[.,](\d{1,2})$/.exec(compact);
  if (lone) return `${lone[1]}.${lone[2]}`;
  return comma ? compact.replaceAll('.', '').replace(',', '.') : compact.replaceAll(',', '');
}

function readYesNo(text: string, language: string): Answer {
  const list = (table: typeof YES) => [...(table[base(language)] ?? []), ...(table['en'] ?? [])];
  const options = [
    { id: 'yes', words: list(YES) },
    { id: 'no', words: list(NO) },
  ];
  const said = normalise(text);
  const match = options.find((o) => o.words.includes(said)) ?? options.find((o) => o.words.includes(said.split(' ')[0] ?? ''));
  const found = match?.id ?? readEntity(text, options)?.value;
  return found === undefined ? undefined : { value: found === 'yes', by: 'words' };
}

const zones = new Map<string, Intl.DateTimeFormat>();

/** Making a formatter costs some 30 µs, so each zone has one. Throws RangeError on a zone that does not exist. */
function zoneFormat(zone: string): Intl.DateTimeFormat {
  const known = zones.get(zone);
  if (known) return known;
  const format = new Intl.DateTimeFormat('en-CA', {
    timeZone: zone,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
    hourCycle: 'h23',
  });
  zones.set(zone, format);
  return format;
}

/** The wall clock in a zone as a Date whose UTC fields are the local ones. */
function wallClock(at: string, zone: string): Date {
  const parts = zoneFormat(zone).formatToParts(new Date(at));
  const get = (type: string) => Number(parts.find((p) => p.type === type)?.value ?? 0);
  return new Date(Date.UTC(get('year'), get('month') - 1, get('day'), get('hour'), get('minute'), get('second')));
}

/** The local date and time in a zone: `2026-05-15` and `14:05`. Throws RangeError on a zone that does not exist. */
export function localMoment(at: string, zone: string): { date: string; time: string } {
  const iso = wallClock(at, zone).toISOString();
  return { date: iso.slice(0, 10), time: iso.slice(11, 16) };
}

function readDate(text: string, { at, zone, language }: AnswerSetting): Answer {
  const iso = /\b\d{4}-\d{2}-\d{2}\b/.exec(text)?.[0];
  if (iso !== undefined && !Number.isNaN(Date.parse(iso))) return { value: iso, by: 'as written' };
  const reference = { instant: wallClock(at, zone), timezone: 0 };
  const parsers = base(language) === 'de' ? [de, en] : base(language) === 'es' ? [es, en] : [en];
  for (const parser of parsers) {
    const [found] = parser.parse(text, reference, { forwardDate: true });
    if (!found) continue;
    const [year, month, day] = [found.start.get('year'), found.start.get('month'), found.start.get('day')];
    if (year === null || month === null || day === null) continue;
    const value = [String(year).padStart(4, '0'), String(month).padStart(2, '0'), String(day).padStart(2, '0')].join('-');
    return { value, by: `heard "${found.text}"` };
  }
  return undefined;
}
