import type { BotDocument, KnowledgeDocument } from '../document/schema.js';
import { ofLanguage } from '../understanding/lexicon.js';
import type { FoundPassage, LookedUp } from './rank.js';

/** Whether more than one base is looked at, so that a document is named with its base. */
export const several = (names: readonly string[]): boolean => names.length > 1;

/** A document by base and id, where several bases are looked at together. No id has a slash. */
export function inBase(base: string, id: string): string {
  return `${base}/${id}`;
}

/** What was found, each passage with its base. */
export interface FoundInBases extends Omit<LookedUp, 'passages'> {
  readonly passages: readonly (FoundPassage & { readonly base: string })[];
}

/** What was found where documents are named with their bases: each passage with its base, and its document by its own name. */
export function outOfBases(found: LookedUp): FoundInBases {
  const passages = found.passages.map((p) => {
    const [base = '', document = p.document] = p.document.split('/');
    const also = p.also?.map((a) => ({ ...a, document: a.document.split('/')[1] ?? a.document }));
    return { ...p, base, document, ...(also ? { also } : {}) };
  });
  return { ...found, passages };
}

/**
 * Whether a document is looked at: it is not out of use, has one of the labels where some are wanted, and holds on `day`
 * (YYYY-MM-DD), where one is given.
 */
export function isLookedAt(document: KnowledgeDocument, labels?: readonly string[], day?: string): boolean {
  if (document.off) return false;
  if (labels && labels.length > 0 && !labels.some((l) => document.labels?.includes(l))) return false;
  if (day === undefined) return true;
  return (document.from === undefined || document.from <= day) && (document.until === undefined || day <= document.until);
}

const known = new WeakMap<object, Map<string, readonly (readonly string[])[]>>();

/** Words that mean the same, as the lists of the bot's entities say: in a language, or in all. */
export function synonymsOf({ entities = {} }: BotDocument, language?: string): readonly (readonly string[])[] {
  const key = language ?? '';
  const made = known.get(entities)?.get(key);
  if (made) return made;
  const lists = Object.values(entities).flatMap(({ values = {} }) =>
    Object.values(values).flatMap((words): string[][] => {
      if (Array.isArray(words)) return [words];
      const own = language === undefined ? undefined : ofLanguage(words, language);
      return own ? [own] : Object.values(words);
    }),
  );
  const found = lists.filter((list) => list.length > 1);
  const byLanguage = known.get(entities) ?? new Map<string, readonly (readonly string[])[]>();
  known.set(entities, byLanguage.set(key, found));
  return found;
}
