import type { Value } from '@primrose/core';

/** A JSON Schema as far as settings of channels use it. */
export interface Schema {
  readonly type?: string;
  readonly description?: string;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
  readonly items?: Schema;
  readonly additionalProperties?: Schema | boolean;
}

export type Table = Readonly<Record<string, Value>>;

/** A value as a table; an empty one where it is none. */
export const tableOf = (value: Value | undefined): Table =>
  value !== null && typeof value === 'object' && !Array.isArray(value) ? (value as Table) : {};

/** A table with another value for a key; without the key where the value is undefined. */
export function withKey(table: Table, key: string, value: Value | undefined): Table {
  const { [key]: _before, ...rest } = table;
  return value === undefined ? rest : { ...rest, [key]: value };
}

/** The words of a key: `still_there` is "still there". */
export const wordsOfKey = (key: string): string =>
  ['tls', 'imap', 'smtp'].includes(key) ? key.toUpperCase() : key.replaceAll('_', ' ').replace(/^./, (c) => c.toUpperCase());

/** A new table of settings with what has to be there. */
export function emptyOf(schema: Schema): Table {
  const { properties = {}, required = [] } = schema;
  return Object.fromEntries(
    required.map((key): [string, Value] => {
      const { type } = properties[key] ?? {};
      if (type === 'boolean') return [key, false];
      if (type === 'object') return [key, emptyOf(properties[key] ?? {})];
      return [key, type === 'integer' || type === 'number' ? 0 : ''];
    }),
  );
}
