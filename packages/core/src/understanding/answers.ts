import type { Value } from '../document/shapes.js';
import { findMoments, type AnswerSetting } from './moments.js';
import type { Wordings } from './wordings.js';
import { matchOption, normalise, understoodPart, type Option } from './words.js';

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
/** Number words from zero to twelve. */
export const NUMBER_WORDS: Readonly<Record<string, readonly string[]>> = {
  en: ['zero', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve'],
  de: ['null', 'ein', 'zwei', 'drei', 'vier', 'funf', 'sechs', 'sieben', 'acht', 'neun', 'zehn', 'elf', 'zwolf'],
  es: ['cero', 'uno', 'dos', 'tres', 'cuatro', 'cinco', 'seis', 'siete', 'ocho', 'nueve', 'diez', 'once', 'doce'],
};

/** The kinds of value that an `ask` can expect besides the bot's own entities. */
export const ANSWER_KINDS = ['text', 'number', 'yes_no', 'date', 'time', 'email', 'phone'] as const;
export type AnswerKind = (typeof ANSWER_KINDS)[number];

/** Reads an answer as one of the built-in kinds. */
export function readAnswer(kind: AnswerKind, said: string, setting: AnswerSetting): Answer {
  const text = understoodPart(said);
  switch (kind) {
    case 'text':
      return said.trim() === '' ? undefined : { value: said.trim(), by: 'as said' };
    case 'number':
      return readNumber(text, setting.language);
    case 'yes_no':
      return readYesNo(text, setting.language);
    case 'date':
      return readDate(text, setting);
    case 'time':
      return readTime(text, setting);
    case 'email':
      return readPattern(text, EMAIL, (found) => found.toLowerCase());
    case 'phone':
      return readPattern(text, PHONE, tidyPhone);
    default:
      return kind satisfies never;
  }
}

/** Reads an answer as a value of a list entity: its words, a number is not taken, a misspelling is. */
export function readEntity(said: string, options: readonly Option[]): Answer {
  const match = /^\s*\d+\s*$/.test(said) ? undefined : matchOption(understoodPart(said), options);
  return match && { value: match.id, by: match.by };
}

/** The same for an entity with very many wordings, which are not compared one by one. */
export function readListed(said: string, wordings: Wordings): Answer {
  const match = /^\s*\d+\s*$/.test(said) ? undefined : wordings.match(understoodPart(said));
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
export function plainNumber(digits: string, language: string): string {
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

function readDate(text: string, setting: AnswerSetting): Answer {
  const iso = /\b\d{4}-\d{2}-\d{2}\b/.exec(text)?.[0];
  if (iso !== undefined && !Number.isNaN(Date.parse(iso))) return { value: iso, by: 'as written' };
  const found = findMoments(text, setting).find((m) => m.date !== undefined);
  return found?.date === undefined ? undefined : { value: found.date, by: `heard "${text.slice(found.from, found.to)}"` };
}

function readTime(text: string, setting: AnswerSetting): Answer {
  const clock = /\b([01]?\d|2[0-3])[:.]([0-5]\d)\b/.exec(text);
  if (clock) return { value: `${clock[1]?.padStart(2, '0')}:${clock[2]}`, by: 'as written' };
  const found = findMoments(text, setting).find((m) => m.time !== undefined);
  return found?.time === undefined ? undefined : { value: found.time, by: `heard "${text.slice(found.from, found.to)}"` };
}

/** An e-mail address as people write it; whether anybody reads mail there only a mail can tell. */
export const EMAIL = /[\p{L}\p{N}._%+-]+@[\p{L}\p{N}-]+(?:\.[\p{L}\p{N}-]+)*\.\p{L}{2,}/u;
/** A phone number of 7 to 15 digits (ITU-T E.164 allows 15), with the marks that people put between them. */
export const PHONE = /(?<![\p{L}\p{N}])(?:\+|00)?\(?\d(?:[ ()/.-]{0,2}\d){6,14}(?![\p{L}\p{N}])/u;

function readPattern(text: string, pattern: RegExp, tidy: (found: string) => string): Answer {
  const found = pattern.exec(text)?.[0];
  return found === undefined ? undefined : { value: tidy(found), by: 'as written' };
}

/** `+353 1 234 5678` as `+35312345678`. */
export function tidyPhone(text: string): string {
  return text.replace(/[^\d+]/g, '').replace(/^00/, '+');
}
