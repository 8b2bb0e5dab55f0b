import type { Value } from '../document/shapes.js';
import type { TableDeclaration } from '../document/tables.js';
import type { TableRow } from '../tables/rows.js';

/** A row as expressions see it: every column is there, empty ones as null. */
export function rowValue(declared: TableDeclaration | undefined, { id, version, values }: TableRow): Value {
  const empty = Object.fromEntries(Object.keys(declared?.columns ?? {}).map((column) => [column, null]));
  return { ...empty, ...values, id, version };
}
