import { columnsOf, rowFits, sortRows, type Condition, type Order, type TableDeclaration } from '@primrose/core';
import type { Hot } from '../store/hot.js';
import * as store from '../store/tables.js';
import { heldOf, keyHash } from './cells.js';

/** So many rows are looked at one by one for one question; more want a searchable column. */
export const LOOKED_AT = 50_000;
const AT_ONCE = 1000;
const FIRST_LOOK = 50;

export interface Question {
  readonly where: readonly Condition[];
  readonly order?: Order | undefined;
  readonly limit: number;
  /** Those that were found before in the same order are left out. */
  readonly skip?: number;
  /** The newest first, where no order is asked for. */
  readonly newest?: boolean;
}

export type Answer =
  | { readonly ok: true; readonly rows: readonly store.StoredRow[]; readonly more: boolean }
  | { readonly ok: false; readonly reason: string };

/** What is known of a table's rows: where they are, and by which declaration they are indexed. Practice rows have no index. */
export interface Asked {
  readonly place: store.Place;
  readonly indexed: TableDeclaration;
}

/** The rows of a table that are all that is asked, in order. One truth decides (`rowFits`); an index only saves looking at all. */
export async function findRows(hot: Hot, { place, indexed }: Asked, question: Question): Promise<Answer> {
  const { where, order, limit, skip = 0, newest = false } = question;
  const byKey = place.realm === store.REAL ? keyAsked(indexed, where) : undefined;
  if (byKey !== undefined) {
    const row = await store.rowByKey(hot, place, byKey);
    const fits = row !== undefined && rowFits(row.values, where) && skip === 0;
    return { ok: true, rows: fits ? [row] : [], more: false };
  }
  const columns = new Set(
    place.realm === store.REAL ? columnsOf(indexed).flatMap((c) => (c.search && c.type !== 'list' ? [c.name] : [])) : [],
  );
  const lists = new Set(
    place.realm === store.REAL ? columnsOf(indexed).flatMap((c) => (c.search && c.type === 'list' ? [c.name] : [])) : [],
  );
  const drive = bestRange(where, new Set([...columns, ...lists]));
  const down = order?.down ?? false;
  if (drive && !order)
    return along(hot, place, where, { walk: { down: newest, cells: drive }, wanted: skip + limit, skip, distinct: true });
  if (!order) return along(hot, place, where, { walk: { down: newest }, wanted: skip + limit, skip, distinct: false });
  if (!drive && columns.has(order.column)) {
    const found = await along(hot, place, where, {
      walk: { down, cells: { name: order.column } },
      wanted: skip + limit,
      skip: 0,
      distinct: false,
    });
    // Rows without a cell come last, by their age.
    if (!found.ok || found.more || found.rows.length >= skip + limit)
      return found.ok ? cut(found.rows, question, found.more) : found;
    const empty = [...where, { column: order.column, relation: 'empty', value: null } as const];
    const rest = await along(hot, place, empty, {
      walk: { down: false },
      wanted: skip + limit - found.rows.length,
      skip: 0,
      distinct: false,
    });
    return rest.ok ? cut([...found.rows, ...rest.rows], question, rest.more) : rest;
  }
  const all = await along(hot, place, where, {
    walk: drive ? { down: false, cells: drive } : { down: false },
    wanted: LOOKED_AT,
    skip: 0,
    distinct: true,
  });
  return all.ok
    ? cut(
        sortRows(
          [...all.rows].sort((a, b) => (a.id < b.id ? -1 : 1)),
          order,
        ),
        question,
        false,
      )
    : all;
}

function cut(rows: readonly store.StoredRow[], { skip = 0, limit }: Question, more: boolean): Answer {
  return { ok: true, rows: rows.slice(skip, skip + limit), more: more || rows.length > skip + limit };
}

/** The key that conditions ask for, where they name all of it. */
function keyAsked(indexed: TableDeclaration, where: readonly Condition[]): string | undefined {
  const named = new Map(where.flatMap((c) => (c.relation === 'is' && c.value !== null ? [[c.column, c.value] as const] : [])));
  if (!indexed.key?.every((name) => named.has(name))) return undefined;
  return keyHash(indexed, Object.fromEntries(named)) ?? undefined;
}

type Cells = NonNullable<store.Walk['cells']>;

/** The condition that leaves fewest rows to be looked at, as a range of an index. */
function bestRange(where: readonly Condition[], columns: ReadonlySet<string>): Cells | undefined {
  const ranges = where.flatMap((c): { cells: Cells; rank: number }[] => {
    const range = columns.has(c.column) ? rangeOf(c) : undefined;
    return range ? [{ cells: { name: c.column, range: range.of }, rank: range.rank }] : [];
  });
  return ranges.sort((a, b) => a.rank - b.rank)[0]?.cells;
}

function rangeOf({ relation, value }: Condition): { readonly of: store.CellRange; readonly rank: number } | undefined {
  const held = heldOf(value);
  const [first] = held;
  if (first === undefined) return undefined;
  switch (relation) {
    case 'is':
      return { of: { is: [first] }, rank: 0 };
    case 'one-of':
      return { of: { is: held }, rank: 1 };
    case 'begins':
      return typeof value === 'string' ? { of: { begins: first }, rank: 2 } : undefined;
    // Long texts are found by their beginning, so both ends count; what is just beside is told by looking.
    case 'less':
    case 'at-most':
      return { of: { to: first }, rank: 3 };
    case 'more':
    case 'at-least':
      return { of: { from: first }, rank: 3 };
    case 'is-not':
    case 'contains':
    case 'empty':
    case 'filled':
      return undefined;
    default:
      return relation satisfies never;
  }
}

interface Along {
  readonly walk: store.Walk;
  /** So many rows that fit are enough. */
  readonly wanted: number;
  readonly skip: number;
  /** The same row may be met more than once. */
  readonly distinct: boolean;
}

async function along(
  hot: Hot,
  place: store.Place,
  where: readonly Condition[],
  { walk, wanted, skip, distinct }: Along,
): Promise<Answer> {
  const found: store.StoredRow[] = [];
  const seen = new Set<string>();
  let behind: store.Behind | undefined;
  let looked = 0;
  for (let size = Math.min(AT_ONCE, Math.max(FIRST_LOOK, wanted + 1)); ; size = AT_ONCE) {
    const met = await store.walkRows(hot, place, walk, behind, size);
    looked += met.length;
    for (const { row } of met) {
      if (distinct && seen.has(row.id)) continue;
      if (distinct) seen.add(row.id);
      if (rowFits(row.values, where)) found.push(row);
    }
    if (found.length > wanted) return { ok: true, rows: found.slice(skip, wanted), more: true };
    if (met.length < size) return { ok: true, rows: found.slice(skip), more: false };
    const last = met.at(-1);
    behind = last && { id: last.row.id, held: last.held };
    if (looked >= LOOKED_AT) return { ok: false, reason: TOO_MANY };
  }
}

const TOO_MANY = `more than ${LOOKED_AT} rows would have to be looked at one by one; mark the column that is asked for as searchable`;
