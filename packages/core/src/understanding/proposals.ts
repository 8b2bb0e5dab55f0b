import type { BotDocument } from '../document/schema.js';
import { ofLanguage } from './lexicon.js';
import { readPhrase, writePhrase, type Mark } from './phrases.js';
import { createValueFinder } from './recognise.js';
import { learnRoles, valuesByRole } from './roles.js';
import { phrasesOf, takesOf } from './teaching.js';
import { normalise } from './words.js';

/** Ways of beginning that say the same, by language. */
const OPENERS: Readonly<Record<string, readonly (readonly string[])[]>> = {
  en: [
    ['I want to', "I'd like to", 'can I', 'I need to', 'could I', 'is it possible to', 'how do I', "I'm trying to"],
    ['where is', 'where can I find', 'do you know where'],
    ['what is', "what's", 'tell me', 'do you know'],
  ],
  de: [
    ['ich will', 'ich möchte', 'kann ich', 'ich würde gern', 'darf ich', 'ich muss'],
    ['wo ist', 'wo finde ich', 'wissen Sie, wo'],
  ],
  es: [
    ['quiero', 'quisiera', 'me gustaría', 'puedo', 'necesito', '¿se puede'],
    ['dónde está', 'dónde encuentro'],
  ],
  fr: [
    ['je veux', 'je voudrais', 'puis-je', "j'aimerais", 'est-ce que je peux', 'je dois'],
    ['où est', 'où se trouve'],
  ],
};
const MOST_PROPOSED = 12;

/**
 * More phrases of an intent that somebody may accept: its own with other values in the place of theirs, and other ways of
 * beginning; none that any intent has already. Sources with their marks, the same for the same bot.
 */
export function proposePhrases(document: BotDocument, intentId: string, language: string): string[] {
  const intent = document.intents?.[intentId];
  if (!intent) return [];
  const taken = new Set(
    Object.values(document.intents ?? {}).flatMap((i) => phrasesOf(i, document.languages).map((p) => normalise(p.text))),
  );
  const isFresh = (source: string): boolean => {
    const key = normalise(readPhrase(source).text);
    const fresh = key !== '' && !taken.has(key);
    taken.add(key);
    return fresh;
  };
  const byPhrase = (intent.phrases?.[language] ?? []).map((source, i) =>
    [...swapped(document, source, language, i), ...begunOtherwise(source, language, i)].filter(isFresh),
  );
  // The first of each phrase, then the second: one with many values does not crowd out the others.
  const longest = Math.max(0, ...byPhrase.map((list) => list.length));
  return Array.from({ length: longest }, (_, i) => byPhrase.flatMap((list) => list[i] ?? []))
    .flat()
    .slice(0, MOST_PROPOSED);
}

/** A phrase with another value in the place of each marked one. */
function swapped(document: BotDocument, source: string, language: string, turn: number): string[] {
  const { text, marks } = readPhrase(source);
  return marks.flatMap((mark): string[] => {
    const values = Object.values(document.entities?.[mark.entity]?.values ?? {});
    const words = values.flatMap((v) => (Array.isArray(v) ? v : (ofLanguage(v, language) ?? v[language] ?? [])).slice(0, 2));
    const others = words.filter((w) => normalise(w) !== normalise(text.slice(mark.from, mark.to)));
    const other = others[turn % Math.max(1, others.length)];
    if (other === undefined) return [];
    const shift = other.length - (mark.to - mark.from);
    const moved = marks.map((m): Mark =>
      m === mark
        ? { ...m, to: m.from + other.length }
        : m.from > mark.from
          ? { ...m, from: m.from + shift, to: m.to + shift }
          : m,
    );
    return [writePhrase({ text: text.slice(0, mark.from) + other + text.slice(mark.to), marks: moved })];
  });
}

function begunOtherwise(source: string, language: string, turn: number): string[] {
  for (const group of ofLanguage(OPENERS, language) ?? []) {
    const opener = group.find((o) => source.toLowerCase().startsWith(`${o.toLowerCase()} `));
    if (opener === undefined) continue;
    const others = group.filter((o) => o !== opener);
    return [0, 1].flatMap((i) => {
      const other = others[(turn + i) % others.length];
      return other === undefined ? [] : [other + source.slice(opener.length)];
    });
  }
  return [];
}

/** A phrase with the values in it marked, each in the role that the intent's other phrases give it. One that has marks stays as it is. */
export function markValues(document: BotDocument, intentId: string, source: string, language: string): string {
  if (readPhrase(source).marks.length > 0) return source;
  const intent = document.intents?.[intentId];
  const takes = intent ? takesOf(document, intent) : {};
  const taught = intent ? phrasesOf(intent, document.languages) : [];
  const listed = Object.keys(document.entities ?? {});
  const wanted = [...new Set([...listed, ...Object.values(takes), ...taught.flatMap((p) => p.marks.map((m) => m.entity))])];
  const found = createValueFinder(document, wanted)(source, { at: ANY_MOMENT, zone: 'UTC', language });
  const roles = [...valuesByRole(source, found, learnRoles(taught, takes))];
  const marks = found.map((value): Mark => {
    const { from, to, entity } = value;
    const role = roles.find(([, of]) => of === value)?.[0];
    return { from, to, entity, ...(role === undefined || role === entity ? {} : { role }) };
  });
  return writePhrase({ text: source, marks: marks.filter((m, i) => !marks.slice(0, i).some((o) => o.to > m.from)) });
}

const ANY_MOMENT = '2026-01-01T12:00:00.000Z';
