/** An entry of a table that somebody else names: only what is the table's own. */
export function own<T>(table: Readonly<Record<string, T>> | undefined, key: string): T | undefined {
  return table && Object.hasOwn(table, key) ? table[key] : undefined;
}
