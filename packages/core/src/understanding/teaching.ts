import type { BotDocument, Intent } from '../document/schema.js';
import { typeName } from '../document/shapes.js';
import { OUT_OF_SCOPE, trainClassifier, type ClassifierData, type Sample } from './classifier.js';
import type { Vectors } from './dense-view.js';
import { EVERYDAY } from './everyday.js';
import { featuresOf } from './features.js';
import { baseOf, NO_LEXICON, type Lexicon } from './lexicon.js';
import { readPhrase, type Phrase } from './phrases.js';
import { BUILT_IN_ENTITIES, createValueFinder } from './recognise.js';
import { tokensOf } from './words.js';

/** A phrase and the language that it is in. */
export interface TaughtPhrase extends Phrase {
  readonly language: string;
}

/** The phrases of an intent in the bot's languages: its own, and those of the everyday wish that it takes over. */
export function phrasesOf(intent: Intent, languages: readonly string[]): TaughtPhrase[] {
  const own = Object.entries(intent.phrases ?? {}).flatMap(([language, list]) =>
    list.map((source) => ({ ...readPhrase(source), language })),
  );
  const ready = intent.ready === undefined || !Object.hasOwn(EVERYDAY, intent.ready) ? undefined : EVERYDAY[intent.ready];
  const bases = new Set(languages.map(baseOf));
  const taken = Object.entries(ready?.phrases ?? {}).flatMap(([language, list]) =>
    bases.has(language) ? list.map((text) => ({ text, marks: [], language })) : [],
  );
  return [...own, ...taken].filter((p) => p.text.trim() !== '');
}

/** True when a bot has intents to listen for. */
export function listensForIntents(document: BotDocument): boolean {
  return Object.keys(document.intents ?? {}).length > 0;
}

/** The inputs of the flow that an intent starts, with their entity. */
export function takesOf(document: BotDocument, intent: Intent): Record<string, string> {
  const takes = intent.starts === undefined ? undefined : document.flows[intent.starts]?.takes;
  return Object.fromEntries(Object.entries(takes ?? {}).map(([name, type]) => [name, typeName(type).replace(/\?$/, '')]));
}

/** The entities that any intent of a bot asks for, by a mark or by an input of its flow. */
export function wantedEntities(document: BotDocument): string[] {
  const wanted = new Set<string>();
  for (const intent of Object.values(document.intents ?? {})) {
    for (const p of phrasesOf(intent, document.languages)) for (const m of p.marks) wanted.add(m.entity);
    for (const e of Object.values(takesOf(document, intent))) wanted.add(e);
  }
  const known = new Set<string>([...Object.keys(document.entities ?? {}), ...BUILT_IN_ENTITIES]);
  return [...wanted].filter((e) => known.has(e));
}

/** Grows when training comes to something else: what was trained before is not used any more. */
const TRAINING = 3;

/** All that a bot's classifier learns from, as text: two bots that say the same here have the same classifier. */
export function trainingKey(document: BotDocument): string {
  const { intents, entities, languages } = document;
  const takes = Object.values(intents ?? {}).map((i) => takesOf(document, i));
  return JSON.stringify([TRAINING, intents, document['out-of-scope'], entities, languages, document.zone, takes]);
}

/** How many phrases a bot teaches, and how many of each intent there is time to learn. */
export interface Teaching {
  readonly phrases: number;
  /** Phrases that are learned; all of them as a rule. */
  readonly learned: number;
  readonly mostOfEach: number;
}

/** What one round of training may cost, in multiplications: with all rounds and what is held out some ten seconds. */
const MOST_ROUND_COST = 2.5e8;

/** About how many multiplications a round over phrases takes: each letter brings two features, and each word three. */
function roundCost(texts: readonly string[], labels: number): number {
  return texts.reduce((sum, t) => sum + 2 * t.length + 3 * (1 + t.split(' ').length), 0) * labels;
}

/** Measures what a bot teaches. Where it is more than one training may cost, each intent is learned from its first phrases. */
export function teachingOf(document: BotDocument): Teaching {
  const lists = [
    ...Object.values(document.intents ?? {}).map((intent) => phrasesOf(intent, document.languages).map((p) => p.text)),
    Object.values(document['out-of-scope'] ?? {}).flat(),
  ].filter((list) => list.length > 0);
  const phrases = lists.reduce((sum, list) => sum + list.length, 0);
  const cost = (most: number): number =>
    roundCost(
      lists.flatMap((list) => list.slice(0, most)),
      lists.length,
    );
  let mostOfEach = Math.max(0, ...lists.map((list) => list.length));
  while (mostOfEach > 1 && cost(mostOfEach) > MOST_ROUND_COST) mostOfEach = Math.floor(mostOfEach * 0.8);
  return { phrases, mostOfEach, learned: lists.reduce((sum, list) => sum + Math.min(list.length, mostOfEach), 0) };
}

/** A moment to read phrases with while training, where it does not matter which day "Friday" is. */
const ANY_MOMENT = '2026-01-01T12:00:00.000Z';

/** A sample with the language that it is in. */
export interface TaughtSample extends Sample {
  readonly language: string;
}

/** The words of an id: `book-crossing` as "book crossing". */
const wordsOfId = (id: string): string => id.replaceAll('-', ' ');

/** What a bot's classifier learns from: its phrases, its out of scope, and as weak samples what its intents are called and about. */
export function samplesOf(document: BotDocument, lexicon: Lexicon): TaughtSample[] {
  const find = createValueFinder(document, wantedEntities(document));
  const { mostOfEach } = teachingOf(document);
  const [first = 'en'] = document.languages;
  const sample = ({ text, marks, language }: TaughtPhrase, label: string, weak = false): TaughtSample => {
    const words = tokensOf(text).map((t) => t.word);
    const values = marks.length > 0 ? marks : find(text, { at: ANY_MOMENT, zone: 'UTC', language });
    return { text, words, language, label, features: featuresOf(words, language, values, lexicon), ...(weak ? { weak } : {}) };
  };
  const weakly = (text: string, label: string): TaughtSample[] =>
    text.trim() === '' ? [] : [sample({ text, marks: [], language: first }, label, true)];
  const taught = Object.entries(document.intents ?? {}).flatMap(([id, intent]) => {
    const phrases = phrasesOf(intent, document.languages).slice(0, mostOfEach);
    if (phrases.length === 0) return [];
    return [
      ...phrases.map((p) => sample(p, id)),
      ...weakly(wordsOfId(id), id),
      ...weakly((intent.about ?? '').slice(0, 300), id),
    ];
  });
  const outside = Object.entries(document['out-of-scope'] ?? {}).flatMap(([language, list]) =>
    list.map((text) => ({ text, marks: [], language })),
  );
  return once([...taught, ...outside.slice(0, mostOfEach).map((p) => sample(p, OUT_OF_SCOPE))]);
}

/** Saying the same twice teaches nothing more. */
function once(samples: readonly TaughtSample[]): TaughtSample[] {
  const seen = new Set<string>();
  return samples.filter(({ label, words }) => {
    const key = `${label} ${words.join(' ')}`;
    if (words.length === 0 || seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}

/** What an encoder of a language has to read before a bot can be trained with it: phrases, and their words one by one. */
export function textsToEncode(samples: readonly TaughtSample[], language: string): string[] {
  const own = samples.filter((s) => baseOf(s.language) === language);
  return [...new Set(own.flatMap((s) => [s.text, ...s.words]))];
}

/**
 * Trains the classifier of a bot; with `vectors` of its texts from an encoder as well. Takes milliseconds for a few phrases,
 * about two seconds for three thousand.
 */
export function trainListener(document: BotDocument, lexicon: Lexicon = NO_LEXICON, vectors?: Vectors): ClassifierData {
  return trainClassifier(samplesOf(document, lexicon), vectors);
}
