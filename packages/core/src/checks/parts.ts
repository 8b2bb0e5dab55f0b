import { pointer, type Problem } from '../document/problem.js';
import type { BotDocument, Entity, KnowledgeDocument } from '../document/schema.js';
import { isTextForm } from '../knowledge/reading.js';
import { splitDocument } from '../knowledge/split.js';
import { circlesOf } from './circles.js';
import { referencesOf } from '../engine/refers.js';
import { nearest } from '../text/nearest.js';
import { EVERYDAY } from '../understanding/everyday.js';
import { phrasesOf, teachingOf } from '../understanding/teaching.js';
import { readPhrase } from '../understanding/phrases.js';
import { BUILT_IN_ENTITIES, compilePattern } from '../understanding/recognise.js';
import { wordingsOf } from '../understanding/wordings.js';
import { normalise } from '../understanding/words.js';

const ENOUGH_PHRASES = 5;

const problem = (code: string, severity: Problem['severity'], path: readonly string[], facts: Problem['facts']): Problem => {
  return { code, severity, field: pointer(path), facts };
};

/** What is wrong in intents, entities, contexts, models and knowledge: everything of a bot that is no flow. */
export function partProblems(document: BotDocument): Problem[] {
  return [
    ...entityProblems(document),
    ...intentProblems(document),
    ...teachingProblems(document),
    ...samePhrases(document),
    ...contextProblems(document),
    ...modelProblems(document),
    ...knowledgeProblems(document),
  ];
}

/** A list of this many values is looked at once for all the checks that run as somebody types. */
const crowds = new WeakMap<Entity, number>();

function crowding(entity: Entity, languages: readonly string[]): number {
  const known = crowds.get(entity) ?? wordingsOf(entity, languages).withoutRoom;
  crowds.set(entity, known);
  return known;
}

function entityProblems({ entities = {}, languages }: BotDocument): Problem[] {
  return Object.entries(entities).flatMap(([name, entity]) => {
    const { values, pattern } = entity;
    if ((values === undefined) === (pattern === undefined))
      return [problem('entity-form', 'error', ['entities', name], { name })];
    if (pattern !== undefined && !compilePattern(pattern))
      return [problem('bad-pattern', 'error', ['entities', name, 'pattern'], { name })];
    const crowded = values === undefined ? 0 : crowding(entity, languages);
    return crowded === 0 ? [] : [problem('entity-crowded', 'warning', ['entities', name], { name, count: crowded })];
  });
}

function intentProblems(document: BotDocument): Problem[] {
  const flows = Object.keys(document.flows);
  const contexts = Object.keys(document.contexts ?? {});
  return Object.entries(document.intents ?? {}).flatMap(([name, intent]) => {
    const at = (key: string) => ['intents', name, key];
    const found: Problem[] = [];
    const missing = (code: string, key: 'starts' | 'needs', known: readonly string[]) => {
      const to = intent[key];
      if (to !== undefined && !known.includes(to))
        found.push(problem(code, 'error', at(key), { name: to, suggestion: nearest(to, known) ?? null }));
    };
    missing('unknown-flow', 'starts', flows);
    missing('unknown-context', 'needs', contexts);
    if (intent.ready !== undefined && !Object.hasOwn(EVERYDAY, intent.ready)) {
      const known = Object.keys(EVERYDAY);
      found.push(
        problem('unknown-ready', 'error', at('ready'), {
          name: intent.ready,
          known,
          suggestion: nearest(intent.ready, known) ?? null,
        }),
      );
    }
    const count = phrasesOf(intent, document.languages).length;
    if (count === 0) found.push(problem('no-phrases', 'error', ['intents', name], { name }));
    else if (count < ENOUGH_PHRASES) found.push(problem('few-phrases', 'warning', ['intents', name], { name, count }));
    return [...found, ...markProblems(document, name)];
  });
}

function markProblems(document: BotDocument, name: string): Problem[] {
  const known: string[] = [...Object.keys(document.entities ?? {}), ...BUILT_IN_ENTITIES];
  return Object.entries(document.intents?.[name]?.phrases ?? {}).flatMap(([language, list]) => {
    const unknown = document.languages.includes(language)
      ? []
      : [problem('unknown-language', 'warning', ['intents', name, 'phrases', language], { language, known: document.languages })];
    const marks = list.flatMap((source, i) => {
      const path = ['intents', name, 'phrases', language, String(i)];
      const phrase = readPhrase(source);
      return [
        ...phrase.problems.map((p) => problem(p.code, 'error', path, { phrase: source })),
        ...phrase.marks
          .filter((m) => !known.includes(m.entity))
          .map((m) =>
            problem('unknown-mark', 'error', path, {
              phrase: source,
              name: m.entity,
              suggestion: nearest(m.entity, known) ?? null,
            }),
          ),
      ];
    });
    return [...unknown, ...marks];
  });
}

/** More phrases than there is time to learn. */
function teachingProblems(document: BotDocument): Problem[] {
  const { phrases, learned, mostOfEach } = teachingOf(document);
  return learned === phrases ? [] : [problem('too-many-phrases', 'warning', ['intents'], { phrases, learned, most: mostOfEach })];
}

/** Phrases that stand in two intents: whichever is meant, the other is wrong. */
function samePhrases(document: BotDocument): Problem[] {
  const seen = new Map<string, string>();
  return Object.entries(document.intents ?? {}).flatMap(([name, intent]) =>
    phrasesOf(intent, document.languages).flatMap(({ text }) => {
      const key = normalise(text);
      const other = seen.get(key);
      seen.set(key, other ?? name);
      if (other === undefined || other === name) return [];
      return [problem('same-phrase', 'warning', ['intents', name], { name, other, phrase: text })];
    }),
  );
}

function contextProblems(document: BotDocument): Problem[] {
  const nodes = Object.values(document.flows).flatMap((f) => Object.values(f.nodes));
  const opened = new Set(nodes.flatMap((n) => referencesOf(n).flatMap((r) => (r.opens ? [r.name] : []))));
  return Object.keys(document.contexts ?? {})
    .filter((name) => !opened.has(name))
    .map((name) => problem('never-opened', 'warning', ['contexts', name], { name }));
}

function modelProblems({ models = {}, connections = {} }: BotDocument): Problem[] {
  const known = Object.keys(connections);
  const profiles = Object.keys(models);
  const fallbacks = Object.entries(models).flatMap(([name, { fallback }]) => {
    if (fallback === undefined || profiles.includes(fallback)) return [];
    const facts = { name: fallback, suggestion: nearest(fallback, profiles) ?? null };
    return [problem('unknown-fallback', 'error', ['models', name, 'fallback'], facts)];
  });
  const circles = circlesOf(profiles, (name) => profiles.filter((p) => p === models[name]?.fallback)).map((circle) =>
    problem('fallback-circle', 'warning', ['models', circle[0] ?? '', 'fallback'], { models: circle }),
  );
  const connected = Object.entries(models)
    .filter(([, { connection }]) => !known.includes(connection))
    .map(([name, { connection }]) => {
      const facts = { name: connection, suggestion: nearest(connection, known) ?? null };
      return problem('unknown-connection', 'error', ['models', name, 'connection'], facts);
    });
  return [...connected, ...fallbacks, ...circles];
}

/** Splitting a long document takes milliseconds, and checks run as one types: each document is looked at once. */
const empty = new WeakMap<KnowledgeDocument, boolean>();

/** Whether a text that stands in the document has no words; contents that are stored beside it are read there. */
function isEmpty(id: string, document: KnowledgeDocument): boolean {
  if (document.text === undefined || !isTextForm(document.form)) return false;
  const known = empty.get(document) ?? splitDocument(id, document).length === 0;
  empty.set(document, known);
  return known;
}

function knowledgeProblems({ knowledge = {}, models = {} }: BotDocument): Problem[] {
  const unseen = Object.entries(knowledge).flatMap(([base, { sees }]) => {
    if (sees === undefined || Object.hasOwn(models, sees)) return [];
    return [
      problem('unknown-model', 'error', ['knowledge', base, 'sees'], {
        name: sees,
        suggestion: nearest(sees, Object.keys(models)) ?? null,
      }),
    ];
  });
  const documents = Object.entries(knowledge).flatMap(([base, { documents }]) => {
    if (Object.keys(documents).length === 0) return [problem('empty-knowledge', 'warning', ['knowledge', base], { name: base })];
    return Object.entries(documents)
      .filter(([id, d]) => isEmpty(id, d))
      .map(([id]) => problem('empty-document', 'error', ['knowledge', base, 'documents', id], { name: id }));
  });
  return [...unseen, ...documents];
}
