import type { BotDocument } from './schema.js';
import { isTable, typeName, type TypeDeclaration, type TypeObject, type Value } from './shapes.js';

/** How a variable is changed. Operations, so that two changes at once are both kept. */
export type ChangeOperation = 'set' | 'add' | 'remove';

/** One change; `list` says that the variable is declared as a list, so that a number added to it is an item. */
export interface VariableChange {
  readonly op: ChangeOperation;
  readonly value: Value;
  readonly list?: boolean;
}

/**
 * The value of a variable after a change. `add` makes a number larger and puts one more into a list; `remove` makes a
 * number smaller and takes every equal value out of a list. An empty variable becomes the number, or a list of one.
 */
export function applyChange(before: Value, { op, value, list }: VariableChange): Value {
  if (op === 'set') return value;
  if (typeof value === 'number' && !list && (before === null || typeof before === 'number'))
    return (before ?? 0) + (op === 'add' ? value : -value);
  const items = listOf(before);
  if (op === 'add') return [...items, value];
  const gone = JSON.stringify(value);
  return items.filter((v) => JSON.stringify(v) !== gone);
}

function listOf(value: Value): readonly Value[] {
  if (value === null) return [];
  return Array.isArray(value) ? (value as readonly Value[]) : [value];
}

/** Applies changes to a table of variables, in their order. */
export function applyChanges(
  variables: Readonly<Record<string, Value>>,
  changes: readonly (VariableChange & { readonly name: string })[],
): Record<string, Value> {
  const after: Record<string, Value> = { ...variables };
  for (const change of changes) after[change.name] = applyChange(after[change.name] ?? null, change);
  return after;
}

const PLAIN: Readonly<Record<string, (value: Value) => boolean>> = {
  text: (v) => typeof v === 'string',
  number: (v) => typeof v === 'number',
  yes_no: (v) => typeof v === 'boolean',
  date: (v) => typeof v === 'string' && /^\d{4}-\d\d-\d\d/.test(v),
  time: (v) => typeof v === 'string' && /^\d\d:\d\d/.test(v),
  email: (v) => typeof v === 'string',
  phone: (v) => typeof v === 'string',
  file: (v) => isTable(v) && typeof v['name'] === 'string' && typeof v['address'] === 'string',
  list: (v) => Array.isArray(v),
  object: (v) => v !== null && typeof v === 'object' && !Array.isArray(v),
  any: () => true,
};

/** The types that a variable can be declared with, besides the bot's own entities. */
export const VALUE_TYPES: readonly string[] = Object.keys(PLAIN);

/** True when a value is of a declared type. An empty value fits every type: it is only not known yet. */
export function fitsType(document: BotDocument, declaration: TypeDeclaration, value: Value): boolean {
  if (value === null) return true;
  const type = typeName(declaration).replace(/\?$/, '');
  const { fields, one_of: among, of } = typeof declaration === 'string' ? ({} as TypeObject) : declaration;
  if (among && !(typeof value === 'string' && among.includes(value))) return false;
  if (Array.isArray(value) && (fields || of)) {
    const items = fields ? { type: 'object', fields } : (of ?? 'any');
    return type === 'list' && value.every((item: Value) => fitsType(document, items, item));
  }
  if (isTable(value) && fields)
    return type === 'object' && Object.entries(fields).every(([name, inner]) => fitsType(document, inner, value[name] ?? null));
  const plain = PLAIN[type];
  if (plain) return plain(value);
  const entity = document.entities?.[type];
  if (entity === undefined) return true;
  return typeof value === 'string' && (entity.values === undefined || Object.hasOwn(entity.values, value));
}
