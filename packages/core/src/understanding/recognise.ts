import { RE2JS } from 're2js';
import type { BotDocument, Entity } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import { EMAIL, NUMBER_WORDS, PHONE, plainNumber, tidyPhone } from './answers.js';
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
}

/** Kinds of value that need no declaration. */
export const BUILT_IN_ENTITIES = ['date', 'time', 'number', 'email', 'phone'] as const;

type Span = Omit<FoundValue, 'text'>;
type Recogniser = (text: string, tokens: readonly Token[], setting: AnswerSetting) => readonly Span[];

/** A word shorter than this is no value inside a longer message: "no" is an answer, not a vehicle. */
const MIN_LETTERS = 3;

const builtIn: Readonly<Record<string, Recogniser>> = {
  date: (text, _tokens, setting) =>
    findMoments(text, setting).flatMap((m) => (m.date === undefined ? [] : [{ ...span(m), entity: 'date', value: m.date }])),
  time: (text, _tokens, setting) =>
    findMoments(text, setting).flatMap((m) => (m.time === undefined ? [] : [{ ...span(m), entity: 'time', value: m.time }])),
  number: (text, tokens, { language }) => [...digitsIn(text, language), ...numberWordsIn(tokens, language)],
  email: (text) => matches(text, EMAIL).map((m) => ({ ...span(m), entity: 'email', value: m.text.toLowerCase() })),
  phone: (text) => matches(text, PHONE).map((m) => ({ ...span(m), entity: 'phone', value: tidyPhone(m.text) })),
};

const span = ({ from, to }: { from: number; to: number }) => ({ from, to });

function matches(text: string, pattern: RegExp): { from: number; to: number; text: string }[] {
  const every = new RegExp(pattern.source, `${pattern.flags}g`);
  return [...text.matchAll(every)].map((m) => ({ from: m.index, to: m.index + m[0].length, text: m[0] }));
}

function digitsIn(text: string, language: string): Span[] {
  return matches(text, /(?<![\p{L}\p{N}.,:])-?\d+(?:[.,]\d+)*(?![\p{L}\p{N}:])/u).flatMap((m) => {
    const value = Number(plainNumber(m.text, language.split('-')[0] ?? 'en'));
    return Number.isFinite(value) ? [{ ...span(m), entity: 'number', value }] : [];
  });
}

function numberWordsIn(tokens: readonly Token[], language: string): Span[] {
  const words = NUMBER_WORDS[language.split('-')[0] ?? 'en'] ?? NUMBER_WORDS['en'] ?? [];
  return tokens.flatMap((t) => {
    const value = words.indexOf(t.word);
    return value < 0 ? [] : [{ from: t.from, to: t.to, entity: 'number', value }];
  });
}

/** Runs of tokens that are the words of a listed value. */
function listRecogniser(name: string, entity: Entity, languages: readonly string[]): Recogniser {
  const wordings = wordingsOf(entity, languages);
  return (_text, tokens) =>
    wordings.find(tokens).flatMap(({ at, stands }): Span[] => {
      const said = tokens.slice(at, at + stands.words);
      const [first, last] = [said[0], said.at(-1)];
      const short = said.reduce((sum, t) => sum + t.word.length, 0) < MIN_LETTERS && tokens.length > stands.words;
      return first && last && !short ? [{ entity: name, value: stands.id, from: first.from, to: last.to }] : [];
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
      if (to > from) found.push({ entity: name, value: text.slice(from, to), from, to });
    }
    return found;
  };
}

/** Finds values of some entities in texts. */
export type ValueFinder = (text: string, setting: AnswerSetting, tokens?: readonly Token[]) => FoundValue[];

/** Who wins where two entities claim the same words: what the designer listed, then patterns, then what is built in. */
const RANKS: readonly string[] = ['email', 'phone', 'date', 'time', 'number'];

/** Makes the finder of some entities of a bot; names that are neither declared nor built in find nothing. */
export function createValueFinder(document: BotDocument, entities: readonly string[]): ValueFinder {
  const recognisers = entities.flatMap((name): Recogniser[] => {
    const own = document.entities?.[name];
    if (own?.pattern !== undefined) return [patternRecogniser(name, own.pattern)];
    if (own) return [listRecogniser(name, own, document.languages)];
    const ready = builtIn[name];
    return ready ? [ready] : [];
  });
  return (text, setting, tokens = tokensOf(text)) => {
    const all = recognisers.flatMap((r) => r(text, tokens, setting));
    const rank = (s: Span) => RANKS.indexOf(s.entity);
    all.sort((a, b) => b.to - b.from - (a.to - a.from) || rank(a) - rank(b));
    const kept: Span[] = [];
    for (const found of all) if (!kept.some((k) => overlaps(k, found) && !sameMoment(k, found))) kept.push(found);
    return kept.sort((a, b) => a.from - b.from).map((s) => ({ ...s, text: text.slice(s.from, s.to) }));
  };
}

const overlaps = (a: Span, b: Span): boolean => a.from < b.to && b.from < a.to;

/** "Friday at nine" is a date and a time in one. */
function sameMoment(a: Span, b: Span): boolean {
  return a.entity !== b.entity && [a, b].every((s) => s.entity === 'date' || s.entity === 'time');
}
