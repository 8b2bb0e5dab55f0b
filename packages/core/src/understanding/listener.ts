import type { BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import { classify, type ClassifierData, type Said, type Scored } from './classifier.js';
import type { Vectors } from './dense-view.js';
import { featuresOf } from './features.js';
import { baseOf, NO_LEXICON, type Lexicon } from './lexicon.js';
import { createLanguageFinder } from './language.js';
import { createReader, ownWords, type Mended } from './mending.js';
import type { AnswerSetting } from './moments.js';
import { createValueFinder, type FoundValue } from './recognise.js';
import { assignRoles, learnRoles, type RoleModel } from './roles.js';
import { phrasesOf, takesOf, wantedEntities } from './teaching.js';
import { createNearestPhrase, whyFirst, type Why } from './why.js';
import { normalise, tokensOf, understoodPart } from './words.js';

/** An intent that a message may mean. `score` is the chance that it does; `roles` are the values that it would get. */
export interface HeardIntent {
  readonly intent: string;
  readonly score: number;
  readonly roles: Readonly<Record<string, Value>>;
  /** Roles among them that no phrase marks: they are there for an input of the flow only. */
  readonly unmarked?: readonly string[];
}

/** What a message was understood as: intents, the likeliest first (their scores are at most 1 together), values, and what was mended. */
export interface Understood {
  readonly intents: readonly HeardIntent[];
  readonly values: readonly FoundValue[];
  readonly mended?: readonly Mended[];
  /** The language that the message is in, where it is another one than the setting's; one of the bot's is understood as such. */
  readonly language?: string;
  readonly why?: Why;
}

/** Understands messages of one bot. */
export interface Listener {
  /** Understands a message; better with what an encoder made of the texts that `asks` names. */
  readonly hear: (text: string, setting: AnswerSetting, vectors?: Vectors) => Understood;
  /**
   * What an encoder should read before a message is understood; nothing where it is clear without. The same whether the bot has
   * learned with the encoder yet or not.
   */
  readonly asks: (text: string, setting: AnswerSetting) => readonly string[];
}

/** A message means an intent from this score on, where the bot does not say another one. */
export const MATCH_FROM = 0.5;

/** From which score on a message means an intent of a bot. */
export function matchFrom(document: Pick<BotDocument, 'match-from'>): number {
  return document['match-from'] ?? MATCH_FROM;
}
/** An exact phrase of one intent alone is at least this sure, and nothing else is as sure. */
const EXACT = 0.97;
/** A message that words alone make out so surely is not shown to an encoder. */
const CLEAR_FROM = 0.9;
const SHOWN = 5;
const LEAST = 0.01;

/** What a bot reads its messages with: its phrases, and its own words for the spelling. */
function prepared(document: BotDocument, lexicon: Lexicon) {
  const phrases = new Map(
    Object.entries(document.intents ?? {}).map(([id, intent]) => [id, phrasesOf(intent, document.languages)] as const),
  );
  const texts = [
    ...[...phrases.values()].flat().map((p) => p.text),
    ...Object.values(document['out-of-scope'] ?? {}).flat(),
    ...Object.entries(document.intents ?? {}).flatMap(([id, { about }]) => [id, about ?? '']),
  ];
  const own = ownWords(texts.map((t) => tokensOf(t).map(({ word }) => word)));
  const find = createValueFinder(document, wantedEntities(document));
  const listed = [...phrases].flatMap(([intent, list]) =>
    list.map(({ text, language }) => ({
      intent,
      text,
      stems: tokensOf(text).map((t) => lexicon.stem(t.word, language)),
    })),
  );
  const words = new Map<string, Set<string>>();
  for (const { text, language } of [...phrases.values()].flat()) {
    const known = words.get(baseOf(language)) ?? new Set();
    for (const { word } of tokensOf(text)) known.add(word);
    words.set(baseOf(language), known);
  }
  return {
    phrases,
    find,
    read: createReader(lexicon, own),
    nearest: createNearestPhrase(listed),
    languageOf: createLanguageFinder(lexicon, document.languages, words),
  };
}

/** A text with the spelling of some words mended. */
function mendedText(text: string, mended: readonly Mended[]): string {
  let out = '';
  let at = 0;
  for (const { from, to, read } of mended) {
    out += text.slice(at, from) + read;
    at = to;
  }
  return out + text.slice(at);
}

/** The values of a message, and those that are seen only once its spelling is mended, with their places in what was said. */
function withMended(
  plainly: readonly FoundValue[],
  seen: readonly FoundValue[],
  text: string,
  mended: readonly Mended[],
): FoundValue[] {
  const back = (at: number, end: boolean): number => {
    let shift = 0;
    for (const { from, to, read } of mended) {
      const start = from + shift;
      if (at <= start) return at - shift;
      if (at <= start + read.length) return end ? to : from;
      shift += read.length - (to - from);
    }
    return at - shift;
  };
  const more = seen.flatMap((v): FoundValue[] => {
    const [from, to] = [back(v.from, false), back(v.to, true)];
    return plainly.some((p) => p.from < to && from < p.to) ? [] : [{ ...v, from, to, text: text.slice(from, to) }];
  });
  return [...plainly, ...more].sort((a, b) => a.from - b.from);
}

/** Makes the listener of a bot from its trained classifier. `encodes` is the language that the encoder reads, where there is one. */
export function createListener(
  document: BotDocument,
  classifier: ClassifierData,
  lexicon: Lexicon = NO_LEXICON,
  encodes?: string,
): Listener {
  const { phrases, find, read, nearest, languageOf } = prepared(document, lexicon);
  const roles = new Map<string, RoleModel[]>();
  const exact = new Map<string, Set<string>>();
  for (const [id, list] of phrases) {
    const intent = document.intents?.[id];
    roles.set(id, learnRoles(list, intent ? takesOf(document, intent) : {}));
    for (const { text } of list) exact.set(normalise(text), (exact.get(normalise(text)) ?? new Set()).add(id));
  }
  const heard = (whole: string, given: AnswerSetting) => {
    const text = understoodPart(whole);
    const spoken = languageOf(
      tokensOf(text).map((t) => t.word),
      given.language,
    );
    const setting = spoken !== undefined && document.languages.includes(spoken) ? { ...given, language: spoken } : given;
    const plainly = find(text, setting);
    const { tokens, mended } = read(text, spoken ?? setting.language, plainly);
    const values = mended.length === 0 ? plainly : withMended(plainly, find(mendedText(text, mended), setting), text, mended);
    const words = tokens.map((t) => t.word);
    const said: Said = { text: mendedText(text, mended), words, features: featuresOf(words, setting.language, values, lexicon) };
    const same = exact.get(normalise(text)) ?? exact.get(words.join(' '));
    return { text, values, mended, said, same, spoken, tokens, language: setting.language };
  };
  return {
    hear: (whole, setting, vectors) => {
      const { text, values, mended, said, same, spoken, tokens, language } = heard(whole, setting);
      const read = { ...said, vectors };
      const scored = lifted(classify(classifier, read), same).slice(0, SHOWN);
      const shown = tokens.map((t) => text.slice(t.from, t.to));
      const near = nearest(said.words.map((w) => lexicon.stem(w, language)));
      const why = { ...whyFirst(classifier, read, shown, scored, { language, lexicon }), ...(near ? { nearest: near } : {}) };
      return {
        values,
        ...(mended.length > 0 ? { mended } : {}),
        ...(spoken === undefined ? {} : { language: spoken }),
        ...(scored.length > 0 ? { why } : {}),
        intents: scored
          .filter((s) => s.score >= LEAST)
          .map(({ label, score }) => {
            const models = roles.get(label) ?? [];
            const given = assignRoles(text, values, models);
            const unmarked = models.filter((m) => m.count === 0 && m.role in given).map((m) => m.role);
            return {
              intent: label,
              score: Math.round(score * 1000) / 1000,
              roles: given,
              ...(unmarked.length > 0 ? { unmarked } : {}),
            };
          }),
      };
    },
    asks: (whole, setting) => {
      if (encodes === undefined) return [];
      const { said, same, language } = heard(whole, setting);
      if (baseOf(language) !== encodes || same || said.words.length === 0) return [];
      const [best] = classify(classifier, said);
      return best && best.score >= CLEAR_FROM ? [] : [...new Set([said.text, ...said.words])];
    },
  };
}

/** Puts the intents first of which the message is a phrase to the letter, and nothing else as high; the others share what is left. */
function lifted(scored: readonly Scored[], same: ReadonlySet<string> | undefined): Scored[] {
  const most = EXACT - 0.001;
  if (!same) return scored.map((s) => ({ label: s.label, score: Math.min(most, s.score) }));
  const others = scored.filter((s) => !same.has(s.label));
  const sum = others.reduce((all, o) => all + o.score, 0);
  const scale = sum > 1 - EXACT ? (1 - EXACT) / sum : 1;
  return [
    ...[...same].map((label) => ({ label, score: EXACT / same.size })),
    ...others.map((o) => ({ label: o.label, score: o.score * scale })),
  ];
}
