import type { BotDocument, Intent } from '../document/schema.js';
import { typeName, type Value } from '../document/shapes.js';
import {
  classify,
  MOST_ROUND_COST,
  OUT_OF_SCOPE,
  roundCost,
  trainClassifier,
  type ClassifierData,
  type Sample,
} from './classifier.js';
import { EVERYDAY } from './everyday.js';
import { featuresOf } from './features.js';
import type { AnswerSetting } from './moments.js';
import { readPhrase, type Phrase } from './phrases.js';
import { BUILT_IN_ENTITIES, createValueFinder, type FoundValue } from './recognise.js';
import { assignRoles, learnRoles, type RoleModel } from './roles.js';
import { normalise, understoodPart } from './words.js';

/** An intent that a message may mean. `score` is the chance that it does; `roles` are the values that it would get. */
export interface HeardIntent {
  readonly intent: string;
  readonly score: number;
  readonly roles: Readonly<Record<string, Value>>;
}

/** What a message was understood as: intents, the likeliest first (their scores are at most 1 together), and values. */
export interface Understood {
  readonly intents: readonly HeardIntent[];
  readonly values: readonly FoundValue[];
}

/** Understands messages of one bot. */
export type Listener = (text: string, setting: AnswerSetting) => Understood;

/** A message means an intent from this score on. */
export const MATCH_FROM = 0.5;
/** From here on an intent goes before what a waiting node takes for want of anything better. */
export const SURE_FROM = 0.85;
/** An exact phrase of one intent alone is at least this sure. */
const EXACT = 0.97;
const SHOWN = 5;
const LEAST = 0.01;

/** The phrases of an intent in the bot's languages: its own, and those of the everyday wish that it takes over. */
export function phrasesOf(intent: Intent, languages: readonly string[]): Phrase[] {
  const own = Object.values(intent.phrases ?? {})
    .flat()
    .map(readPhrase);
  const ready = intent.ready === undefined || !Object.hasOwn(EVERYDAY, intent.ready) ? undefined : EVERYDAY[intent.ready];
  const bases = new Set(languages.map((l) => l.split('-')[0] ?? l));
  const taken = Object.entries(ready?.phrases ?? {}).flatMap(([l, list]) => (bases.has(l) ? list : []));
  return [...own, ...taken.map((text) => ({ text, marks: [] }))].filter((p) => p.text.trim() !== '');
}

/** True when a bot has intents to listen for. */
export function listensForIntents(document: BotDocument): boolean {
  return Object.keys(document.intents ?? {}).length > 0;
}

/** The inputs of the flow that an intent starts, with their entity. */
function takesOf(document: BotDocument, intent: Intent): Record<string, string> {
  const takes = intent.starts === undefined ? undefined : document.flows[intent.starts]?.takes;
  return Object.fromEntries(Object.entries(takes ?? {}).map(([name, type]) => [name, typeName(type).replace(/\?$/, '')]));
}

/** The entities that any intent of a bot asks for, by a mark or by an input of its flow. */
function wantedEntities(document: BotDocument, phrases: ReadonlyMap<string, readonly Phrase[]>): string[] {
  const wanted = new Set<string>();
  for (const list of phrases.values()) for (const p of list) for (const m of p.marks) wanted.add(m.entity);
  for (const intent of Object.values(document.intents ?? {}))
    for (const e of Object.values(takesOf(document, intent))) wanted.add(e);
  const known = new Set<string>([...Object.keys(document.entities ?? {}), ...BUILT_IN_ENTITIES]);
  return [...wanted].filter((e) => known.has(e));
}

/** Grows when training comes to something else: what was trained before is not used any more. */
const TRAINING = 2;

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

/** Measures what a bot teaches. Where it is more than one training may cost, each intent is learned from its first phrases. */
export function teachingOf(document: BotDocument): Teaching {
  const lists = [
    ...Object.values(document.intents ?? {}).map((intent) => phrasesOf(intent, document.languages).map((p) => p.text)),
    Object.values(document['out-of-scope'] ?? {}).flat(),
  ].filter((list) => list.length > 0);
  const phrases = lists.reduce((sum, list) => sum + list.length, 0);
  const cost = (most: number): number => {
    const taken = lists.flatMap((list) => list.slice(0, most));
    const letters = taken.reduce((sum, t) => sum + t.length, 0);
    return roundCost(
      letters,
      taken.reduce((sum, t) => sum + 1 + t.split(' ').length, 0),
      lists.length,
    );
  };
  let mostOfEach = Math.max(0, ...lists.map((list) => list.length));
  while (mostOfEach > 1 && cost(mostOfEach) > MOST_ROUND_COST) mostOfEach = Math.floor(mostOfEach * 0.8);
  return { phrases, mostOfEach, learned: lists.reduce((sum, list) => sum + Math.min(list.length, mostOfEach), 0) };
}

/** What a listener is made from: reading phrases once for training and for roles. */
function prepared(document: BotDocument) {
  const phrases = new Map(
    Object.entries(document.intents ?? {}).map(([id, intent]) => [id, phrasesOf(intent, document.languages)] as const),
  );
  return { phrases, find: createValueFinder(document, wantedEntities(document, phrases)) };
}

/** A moment to read phrases with while training, where it does not matter which day "Friday" is. */
const ANY_MOMENT = '2026-01-01T12:00:00.000Z';

/** Trains the classifier of a bot. Takes milliseconds for a few phrases, about a second for some hundred. */
export function trainListener(document: BotDocument): ClassifierData {
  const { phrases, find } = prepared(document);
  const setting = { at: ANY_MOMENT, zone: 'UTC', language: document.languages[0] ?? 'en' };
  const sample = ({ text, marks }: Phrase, label: string): Sample => ({
    label,
    features: featuresOf(text, marks.length > 0 ? marks : find(text, setting)),
  });
  const { mostOfEach } = teachingOf(document);
  const outside = Object.values(document['out-of-scope'] ?? {})
    .flat()
    .slice(0, mostOfEach);
  return trainClassifier([
    ...[...phrases].flatMap(([label, list]) => list.slice(0, mostOfEach).map((p) => sample(p, label))),
    ...outside.map((text) => sample({ text, marks: [] }, OUT_OF_SCOPE)),
  ]);
}

/** Makes the listener of a bot from its trained classifier. */
export function createListener(document: BotDocument, classifier: ClassifierData): Listener {
  const { phrases, find } = prepared(document);
  const roles = new Map<string, RoleModel[]>();
  const exact = new Map<string, string | null>();
  for (const [id, list] of phrases) {
    const intent = document.intents?.[id];
    roles.set(id, learnRoles(list, intent ? takesOf(document, intent) : {}));
    for (const { text } of list) {
      const key = normalise(text);
      exact.set(key, exact.has(key) && exact.get(key) !== id ? null : id);
    }
  }
  return (whole, setting) => {
    const text = understoodPart(whole);
    const values = find(text, setting);
    const scored = classify(classifier, featuresOf(text, values)).slice(0, SHOWN);
    const same = exact.get(normalise(text));
    const intents = same === undefined || same === null ? scored : lifted(scored, same);
    return {
      values,
      intents: intents
        .filter((s) => s.score >= LEAST)
        .map(({ label, score }) => ({
          intent: label,
          score: Math.round(score * 1000) / 1000,
          roles: assignRoles(text, values, roles.get(label) ?? []),
        })),
    };
  };
}

/** Puts the intent first whose phrase was said to the letter; the others share what is left. */
function lifted(scored: readonly { label: string; score: number }[], label: string): { label: string; score: number }[] {
  const score = Math.max(EXACT, scored.find((s) => s.label === label)?.score ?? 0);
  const others = scored.filter((s) => s.label !== label);
  const sum = others.reduce((all, o) => all + o.score, 0);
  const scale = sum > 1 - score ? (1 - score) / sum : 1;
  return [{ label, score }, ...others.map((o) => ({ label: o.label, score: o.score * scale }))];
}
