import type { Value } from '../document/shapes.js';
import {
  findAddresses,
  findDurations,
  findLanguages,
  findMoney,
  findNames,
  findOrdinals,
  findQuantities,
  findRanges,
  numberWords,
  plainNumber,
  type FoundAmount,
} from './amounts.js';
import { polarityOf } from './cues/yes-no.js';
import { baseOf } from './lexicon.js';
import { findMoments, type AnswerSetting } from './moments.js';
import type { Wordings } from './wordings.js';
import { matchOption, normalise, tokensOf, understoodPart, type Option } from './words.js';

/** An answer that was understood, and as what; undefined where it is no such thing. */
export type Answer = { readonly value: Value; readonly by: string } | undefined;

/** The kinds of value that an `ask` can expect besides the bot's own entities. */
export const ANSWER_KINDS = [
  'text',
  'number',
  'yes_no',
  'date',
  'time',
  'email',
  'phone',
  'money',
  'quantity',
  'duration',
  'range',
  'ordinal',
  'person',
  'language',
  'web_address',
] as const;
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
    case 'money':
      return first(findMoney(text, setting.language));
    case 'quantity':
      return first(findQuantities(text, setting.language));
    case 'duration':
      return first(findDurations(text, setting.language));
    case 'range':
      return first(findRanges(text, setting));
    case 'ordinal':
      return first(findOrdinals(text, tokensOf(text), setting.language)) ?? readNumber(text, setting.language);
    case 'person':
      return first(findNames(text, setting.language)) ?? readName(text);
    case 'language':
      return first(findLanguages(tokensOf(text)));
    case 'web_address':
      return first(findAddresses(text));
    default:
      return kind satisfies never;
  }
}

const first = ([found]: readonly FoundAmount[]): Answer => found && { value: found.value, by: found.by };

/** An answer that is nothing but a name: one to four words without figures. */
function readName(text: string): Answer {
  const name = text.trim().replace(/[.,;!]+$/, '');
  return /^[\p{L}\p{M}’'.-]{1,40}(?: [\p{L}\p{M}’'.-]{1,40}){0,3}$/u.test(name) ? { value: name, by: 'as said' } : undefined;
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

function readNumber(text: string, language: string): Answer {
  const digits = /-?\d[\d.,\u00a0\u202f ]*/.exec(text)?.[0].trim();
  if (digits !== undefined) {
    const amount = Number(plainNumber(digits.replace(/[.,]$/, ''), baseOf(language)));
    return Number.isFinite(amount) ? { value: amount, by: 'digits' } : undefined;
  }
  const words = normalise(text).split(' ');
  for (const known of [numberWords(language), numberWords('en')]) {
    const word = words.find((w) => known.has(w));
    if (word !== undefined) return { value: known.get(word) ?? 0, by: 'number word' };
  }
  return undefined;
}

function readYesNo(text: string, language: string): Answer {
  const polarity = polarityOf(text, language);
  return polarity && { value: polarity.agrees, by: 'words' };
}

function readDate(text: string, setting: AnswerSetting): Answer {
  const iso = /\b\d{4}-\d{2}-\d{2}\b/.exec(text)?.[0];
  if (iso !== undefined && !Number.isNaN(Date.parse(iso))) return { value: iso, by: 'as written' };
  const found = findMoments(text, setting).find((m) => m.date !== undefined);
  return found?.date === undefined ? undefined : { value: found.date, by: `heard "${text.slice(found.from, found.to)}"` };
}

function readTime(text: string, setting: AnswerSetting): Answer {
  const clock = /\b([01]?\d|2[0-3])[:.]([0-5]\d)\b/.exec(text);
  const found = findMoments(text, setting).filter((m) => m.time !== undefined);
  // Figures count before words, and "7:40 pm" is another time than its figures alone.
  const said = clock ? found.find((m) => m.from <= clock.index && clock.index < m.to) : found[0];
  const written = clock ? `${clock[1]?.padStart(2, '0')}:${clock[2]}` : undefined;
  if (written !== undefined && (said?.time ?? written) === written) return { value: written, by: 'as written' };
  if (said?.time !== undefined) return { value: said.time, by: `heard "${text.slice(said.from, said.to)}"` };
  const hour = /^\D{0,12}\b(\d{1,2})(?:\s*(?:uhr|h|o'?clock))?\W*$/iu.exec(text)?.[1];
  return hour !== undefined && Number(hour) < 24 ? { value: `${hour.padStart(2, '0')}:00`, by: 'an hour' } : undefined;
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
