import type { BotDocument } from '../document/schema.js';
import { columnsOf, type Column, type TableDeclaration } from '../document/tables.js';
import type { Value } from '../document/shapes.js';
import { localMoment } from '../understanding/calendar.js';
import { fitCell, keysOf } from './cells.js';

export type RowValues = Readonly<Record<string, Value>>;

/** A row as it is kept. `version` counts its changes from 1. */
export interface TableRow {
  readonly id: string;
  readonly version: number;
  readonly values: RowValues;
}

export const RELATIONS = [
  'is',
  'is-not',
  'contains',
  'begins',
  'less',
  'at-most',
  'more',
  'at-least',
  'one-of',
  'empty',
  'filled',
] as const;
export type Relation = (typeof RELATIONS)[number];
/** Relations that need no value. */
export const BARE_RELATIONS: ReadonlySet<Relation> = new Set(['empty', 'filled']);

/** One thing that a row has to be. */
export interface Condition {
  readonly column: string;
  readonly relation: Relation;
  readonly value: Value;
}

export interface Order {
  readonly column: string;
  readonly down?: boolean | undefined;
}

/** A value that does not fit, and its column. */
export interface Misfit {
  readonly column: string;
  readonly reason: string;
}

export type FittedValues =
  { readonly ok: true; readonly values: RowValues } | { readonly ok: false; readonly misfits: readonly Misfit[] };

/** Values for a row in the forms of their columns. A name that is no column is told, not dropped. */
export function fitValues(document: BotDocument, declared: TableDeclaration, given: RowValues): FittedValues {
  const columns = new Map(columnsOf(declared).map((c) => [c.name, c]));
  const values: Record<string, Value> = {};
  const misfits: Misfit[] = [];
  for (const [name, value] of Object.entries(given)) {
    const column = columns.get(name);
    const fitted = column ? fitCell(document, column, value) : undefined;
    if (!fitted) misfits.push({ column: name, reason: 'is no column of this table' });
    else if (fitted.ok) values[name] = fitted.value;
    else misfits.push({ column: name, reason: fitted.reason });
  }
  return misfits.length > 0 ? { ok: false, misfits } : { ok: true, values };
}

/** The columns that a new row needs and that hold nothing. */
export function missingIn(declared: TableDeclaration, values: RowValues): Misfit[] {
  return columnsOf(declared)
    .filter((c) => c.needed && (values[c.name] ?? null) === null)
    .map((c) => ({ column: c.name, reason: 'has to be filled in' }));
}

/** What a new row holds where nothing else is given, at a moment (ISO 8601) in a time zone. */
export function defaultsOf(declared: TableDeclaration, at: string, zone: string): RowValues {
  const { date, time } = localMoment(at, zone);
  const usual = (column: Column): Value => {
    if (column.default !== 'now') return column.default;
    return { date, time, moment: at }[column.type] ?? column.default;
  };
  const filled = columnsOf(declared).filter((c) => c.default !== null);
  return Object.fromEntries(filled.map((c) => [c.name, usual(c)]));
}

/** What makes a row the same as another one; undefined where nothing does. */
export function rowKey(declared: TableDeclaration, values: RowValues): string | undefined {
  if (!declared.key) return undefined;
  return JSON.stringify(declared.key.map((name) => keysOf(values[name] ?? null)));
}

/** True when a row is all that is asked of it. Texts are compared whatever their case. */
export function rowFits(values: RowValues, conditions: readonly Condition[]): boolean {
  return conditions.every((c) => fits(values[c.column] ?? null, c));
}

function fits(held: Value, { relation, value }: Condition): boolean {
  const [mine, wanted] = [keysOf(held), keysOf(value)];
  const first = wanted[0] ?? '';
  const some = (test: (key: string) => boolean) => mine.some(test);
  switch (relation) {
    case 'empty':
      return mine.length === 0;
    case 'filled':
      return mine.length > 0;
    case 'is':
      return wanted.length === 0 ? mine.length === 0 : wanted.every((w) => mine.includes(w));
    case 'is-not':
      return wanted.length === 0 ? mine.length > 0 : !wanted.every((w) => mine.includes(w));
    case 'one-of':
      return some((k) => wanted.includes(k));
    case 'contains':
      return first !== '' && some((k) => k.includes(first));
    case 'begins':
      return first !== '' && some((k) => k.startsWith(first));
    case 'less':
    case 'at-most':
    case 'more':
    case 'at-least':
      return mine.length > 0 && wanted.length > 0 && ordered(compareCells(held, value), relation);
    default:
      return relation satisfies never;
  }
}

function ordered(order: number, relation: 'less' | 'at-most' | 'more' | 'at-least'): boolean {
  if (relation === 'less') return order < 0;
  if (relation === 'at-most') return order <= 0;
  return relation === 'more' ? order > 0 : order >= 0;
}

/** Which of two cells stands first: numbers by size, all else by its text; empty ones last. */
export function compareCells(a: Value, b: Value): number {
  if (typeof a === 'number' && typeof b === 'number') return a - b;
  const [x, y] = [keysOf(a)[0], keysOf(b)[0]];
  if (x === undefined || y === undefined) return x === y ? 0 : x === undefined ? 1 : -1;
  return x < y ? -1 : x > y ? 1 : 0;
}

/** Rows in an order; those that are equal in it stay as they stand. Empty cells come last in both directions. */
export function sortRows<R extends { readonly values: RowValues }>(rows: readonly R[], order: Order | undefined): R[] {
  if (!order) return [...rows];
  const cell = (row: R): Value => row.values[order.column] ?? null;
  return [...rows].sort((a, b) => {
    const sign = order.down && cell(a) !== null && cell(b) !== null ? -1 : 1;
    return sign * compareCells(cell(a), cell(b));
  });
}

/** Conditions with their values in the forms of the columns. */
export function fitConditions(
  document: BotDocument,
  declared: TableDeclaration,
  conditions: readonly Condition[],
):
  { readonly ok: true; readonly conditions: readonly Condition[] } | { readonly ok: false; readonly misfits: readonly Misfit[] } {
  const columns = new Map(columnsOf(declared).map((c) => [c.name, c]));
  const misfits: Misfit[] = [];
  const fitted = conditions.map((condition): Condition => {
    const column = columns.get(condition.column);
    if (!column) {
      misfits.push({ column: condition.column, reason: 'is no column of this table' });
      return condition;
    }
    const { relation, value } = condition;
    // A part of a text is no whole value, and an item of a list is no list.
    if (BARE_RELATIONS.has(relation) || ['contains', 'begins', 'one-of'].includes(relation) || column.type === 'list')
      return condition;
    const fit = fitCell(document, column, value);
    if (!fit.ok) misfits.push({ column: condition.column, reason: fit.reason });
    return fit.ok ? { ...condition, value: fit.value } : condition;
  });
  return misfits.length > 0 ? { ok: false, misfits } : { ok: true, conditions: fitted };
}

/** What does not fit, in one sentence. */
export function misfitWords(table: string, misfits: readonly Misfit[]): string {
  return `${table}: ${misfits.map(({ column, reason }) => `${column} ${reason}`).join('; ')}`;
}
