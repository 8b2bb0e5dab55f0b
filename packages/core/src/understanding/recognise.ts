import { RE2JS } from 're2js';
import type { BotDocument, Entity } from '../document/schema.js';
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
import { EMAIL, PHONE, tidyPhone } from './answers.js';
import { baseOf } from './lexicon.js';
import { findMoments, type AnswerSetting } from './moments.js';
import { wordingsOf } from './wordings.js';
import { tokensOf, type Token } from './words.js';

/** A value found in a text. Offsets in UTF-16 units of the text as it was said. */
export interface FoundValue {
  readonly entity: string;
  readonly value: Value;
  readonly from: number;
  readonly to: number;
  readonly text: string;
  /** The rule that found it, in a few words. */
  readonly by?: string;
}

/** Kinds of value that need no declaration. */
export const BUILT_IN_ENTITIES = [
  'email',
  'web_address',
  'phone',
  'money',
  'range',
  'duration',
  'quantity',
  'date',
  'time',
  'person',
  'language',
  'ordinal',
  'number',
] as const;
type BuiltIn = (typeof BUILT_IN_ENTITIES)[number];

type Span = Omit<FoundValue, 'text'>;
type Recogniser = (text: string, tokens: readonly Token[], setting: AnswerSetting) => readonly Span[];

/** A word shorter than this is no value inside a longer message: "no" is an answer, not a vehicle. */
const MIN_LETTERS = 3;

const found =
  (find: (text: string, tokens: readonly Token[], setting: AnswerSetting) => readonly FoundAmount[]) =>
  (entity: BuiltIn): Recogniser =>
  (text, tokens, setting) =>
    find(text, tokens, setting).map((f) => ({ ...f, entity }));

const recognisers: Readonly<Record<BuiltIn, (entity: BuiltIn) => Recogniser>> = {
  email: found((text) => matches(text, EMAIL).map((m) => ({ ...m, value: m.text.toLowerCase(), by: 'address of a mailbox' }))),
  web_address: found((text) => findAddresses(text)),
  phone: found((text) => matches(text, PHONE).map((m) => ({ ...m, value: tidyPhone(m.text), by: 'digits of a phone number' }))),
  money: found((text, _tokens, { language }) => findMoney(text, language)),
  range: found((text, _tokens, setting) => findRanges(text, setting)),
  duration: found((text, _tokens, { language }) => findDurations(text, language)),
  quantity: found((text, _tokens, { language }) => findQuantities(text, language)),
  date: found((text, _tokens, setting) =>
    findMoments(text, setting).flatMap((m) =>
      m.date === undefined ? [] : [{ ...span(m), value: m.date, by: 'words for a day' }],
    ),
  ),
  time: found((text, _tokens, setting) =>
    findMoments(text, setting).flatMap((m) =>
      m.time === undefined ? [] : [{ ...span(m), value: m.time, by: 'words for a time' }],
    ),
  ),
  person: found((text, _tokens, { language }) => findNames(text, language)),
  language: found((_text, tokens) => findLanguages(tokens)),
  ordinal: found((text, tokens, { language }) => findOrdinals(text, tokens, language)),
  number: found((text, tokens, { language }) => [...digitsIn(text, language), ...numberWordsIn(tokens, language)]),
};

const span = ({ from, to }: { from: number; to: number }) => ({ from, to });

function matches(text: string, pattern: RegExp): { from: number; to: number; text: string }[] {
  const every = new RegExp(pattern.source, `${pattern.flags}g`);
  return [...text.matchAll(every)].map((m) => ({ from: m.index, to: m.index + m[0].length, text: m[0] }));
}

function digitsIn(text: string, language: string): FoundAmount[] {
  return matches(text, /(?<![\p{L}\p{N}.,:])-?\d+(?:[.,]\d+)*(?![\p{L}\p{N}:])/u).flatMap((m) => {
    const value = Number(plainNumber(m.text, baseOf(language)));
    return Number.isFinite(value) ? [{ ...span(m), value, by: 'figures' }] : [];
  });
}

function numberWordsIn(tokens: readonly Token[], language: string): FoundAmount[] {
  const words = numberWords(language);
  return tokens.flatMap((t) => {
    const value = words.get(t.word);
    return value === undefined || ARTICLES.has(t.word) ? [] : [{ from: t.from, to: t.to, value, by: 'number word' }];
  });
}

/** "a" dog is no number of dogs. */
const ARTICLES = new Set(['a', 'un', 'una', 'une', 'ein', 'eine', 'einen', 'half', 'couple']);

/** Runs of tokens that are the words of a listed value. */
function listRecogniser(name: string, entity: Entity, languages: readonly string[]): Recogniser {
  const wordings = wordingsOf(entity, languages);
  return (_text, tokens) =>
    wordings.find(tokens).flatMap(({ at, stands }): Span[] => {
      const said = tokens.slice(at, at + stands.words);
      const [first, last] = [said[0], said.at(-1)];
      const short = said.reduce((sum, t) => sum + t.word.length, 0) < MIN_LETTERS && tokens.length > stands.words;
      return first && last && !short ? [{ entity: name, value: stands.id, from: first.from, to: last.to, by: stands.by }] : [];
    });
}

/** Compiles a designer's pattern on a linear-time engine; undefined where it is none. */
export function compilePattern(pattern: string): RE2JS | undefined {
  try {
    return RE2JS.compile(pattern, RE2JS.CASE_INSENSITIVE);
  } catch {
    return undefined;
  }
}

function patternRecogniser(name: string, source: string): Recogniser {
  const pattern = compilePattern(source);
  return (text) => {
    const found: Span[] = [];
    const matcher = pattern?.matcher(text);
    while (matcher?.find()) {
      const [from, to] = [matcher.start(), matcher.end()];
      if (to > from) found.push({ entity: name, value: text.slice(from, to), from, to, by: 'pattern' });
    }
    return found;
  };
}

/** Finds values of some entities in texts. */
export type ValueFinder = (text: string, setting: AnswerSetting, tokens?: readonly Token[]) => FoundValue[];

/**
 * Who wins where two entities claim the same words: the longer claim; of two as long, what the designer listed, then patterns,
 * then what is built in, in the order of `BUILT_IN_ENTITIES`.
 */
const RANKS: readonly string[] = BUILT_IN_ENTITIES;

/** Makes the finder of some entities of a bot; names that are neither declared nor built in find nothing. */
export function createValueFinder(document: BotDocument, entities: readonly string[]): ValueFinder {
  const all = entities.flatMap((name): Recogniser[] => {
    const own = document.entities?.[name];
    if (own?.pattern !== undefined) return [patternRecogniser(name, own.pattern)];
    if (own) return [listRecogniser(name, own, document.languages)];
    return isBuiltIn(name) ? [recognisers[name](name)] : [];
  });
  return (text, setting, tokens = tokensOf(text)) => {
    const claims = all.flatMap((r) => r(text, tokens, setting));
    const rank = (s: Span) => RANKS.indexOf(s.entity);
    claims.sort((a, b) => b.to - b.from - (a.to - a.from) || rank(a) - rank(b));
    const kept: Span[] = [];
    for (const claim of claims) if (!kept.some((k) => overlaps(k, claim) && !sameMoment(k, claim))) kept.push(claim);
    return kept.sort((a, b) => a.from - b.from).map((s) => ({ ...s, text: text.slice(s.from, s.to) }));
  };
}

const isBuiltIn = (name: string): name is BuiltIn => (BUILT_IN_ENTITIES as readonly string[]).includes(name);

const overlaps = (a: Span, b: Span): boolean => a.from < b.to && b.from < a.to;

/** "Friday at nine" is a date and a time in one. */
function sameMoment(a: Span, b: Span): boolean {
  return a.entity !== b.entity && [a, b].every((s) => s.entity === 'date' || s.entity === 'time');
}
