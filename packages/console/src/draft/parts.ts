import type { BotDocument } from '@primrose/core';

type Tables = Pick<BotDocument, 'intents' | 'entities' | 'contexts' | 'models' | 'knowledge'>;

/** Puts an entry of a table in place; undefined takes it away. A table without entries is left out. */
export function putPart<K extends keyof Tables>(
  document: BotDocument,
  table: K,
  name: string,
  value: NonNullable<Tables[K]>[string] | undefined,
): BotDocument {
  const { [name]: _old, ...rest } = (document[table] ?? {}) as Record<string, unknown>;
  const next = value === undefined ? rest : { ...document[table], [name]: value };
  const { [table]: _table, ...others } = document;
  return (Object.keys(next).length === 0 ? others : { ...document, [table]: next }) as BotDocument;
}

/** A name as an id: small letters, digits and hyphens. */
export function idOf(words: string, between = '-'): string {
  return words
    .normalize('NFKD')
    .toLowerCase()
    .replace(/\p{M}+/gu, '')
    .replace(/[^a-z0-9]+/g, between)
    .replace(/^[^a-z]+|[-_]+$/g, '')
    .slice(0, 60);
}
