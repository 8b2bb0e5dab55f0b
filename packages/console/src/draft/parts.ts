import type { BotDocument } from '@primrose/core';

type Tables = Pick<
  BotDocument,
  'intents' | 'entities' | 'contexts' | 'models' | 'knowledge' | 'tables' | 'starts' | 'pages' | 'samples'
>;

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
