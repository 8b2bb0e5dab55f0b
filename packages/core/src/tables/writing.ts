import type { BotDocument } from '../document/schema.js';
import type { TableDeclaration } from '../document/tables.js';
import type { TableEffect, TableResult } from '../engine/effects/table.js';
import { failureOf } from '../engine/effects/effect.js';
import { sizeOf } from '../document/size.js';
import { fitValues, missingIn, misfitWords, rowKey, type RowValues, type TableRow } from './rows.js';

/** The most rows that one change or removal may come to, and the size of a row in characters of JSON. */
export const MOST_WRITTEN = 1000;
export const MOST_ROW = 100_000;

/** What is to be done to the rows of a table; `before` is the row as it was. */
export type RowWrite =
  | { readonly as: 'added'; readonly values: RowValues }
  | { readonly as: 'changed'; readonly before: TableRow; readonly values: RowValues }
  | { readonly as: 'removed'; readonly before: TableRow };

/** What is known of the table where a write is decided. */
export interface WritingSetting {
  readonly document: BotDocument;
  readonly declared: TableDeclaration;
  /** The rows that the conditions find, or the one that is named; one more than may be written where there are more. */
  readonly found: readonly TableRow[];
  /** The row that has the key of what is to be held. */
  readonly sameKey: (values: RowValues) => TableRow | undefined;
}

export type Decided = { readonly writes: readonly RowWrite[] } | { readonly result: TableResult };

const conflict = (reason: string, row: TableRow | null): Decided => ({ result: { outcome: 'conflict', reason, row } });
const refused = (reason: string): Decided => ({ result: failureOf('does-not-fit', reason) });

/** Decides what a write comes to: pure, so that real rows and practice rows come to the same. Values are fitted already. */
export function decideWrite(effect: TableEffect, setting: WritingSetting): Decided {
  switch (effect.does) {
    case 'find':
      throw new Error('a find writes nothing');
    case 'add':
      return decideAdd(effect, setting);
    case 'put': {
      const there = setting.sameKey({ ...effect.fresh, ...effect.values });
      return there ? changes(effect, setting, [there]) : decideAdd(effect, setting);
    }
    case 'change':
    case 'remove':
      return decideFound(effect, setting);
    default:
      return effect.does satisfies never;
  }
}

function decideAdd({ table, fresh, values: given }: TableEffect, { document, declared, sameKey }: WritingSetting): Decided {
  const values = Object.fromEntries(Object.entries({ ...fresh, ...given }).filter(([, v]) => v !== null));
  const fitted = fitValues(document, declared, values);
  const misfits = fitted.ok ? missingIn(declared, fitted.values) : fitted.misfits;
  if (!fitted.ok || misfits.length > 0) return refused(misfitWords(table, misfits));
  if (sizeOf(fitted.values) > MOST_ROW) return refused(`a row of ${table} has at most ${MOST_ROW} characters`);
  const there = sameKey(fitted.values);
  if (there) return conflict(`there is a row of ${table} with the same ${declared.key?.join(' and ') ?? 'key'} already`, there);
  return { writes: [{ as: 'added', values: fitted.values }] };
}

function decideFound(effect: TableEffect, setting: WritingSetting): Decided {
  const { found } = setting;
  const { table, row: only, does } = effect;
  if (found.length > MOST_WRITTEN)
    return refused(`more than ${MOST_WRITTEN} rows of ${table} would be ${does === 'remove' ? 'removed' : 'changed'} at once`);
  const [first] = found;
  if (only && !first) return conflict(`the row of ${table} is not there any more`, null);
  if (only && first && first.version !== only.version)
    return conflict(`the row of ${table} was changed by somebody else meanwhile`, first);
  if (does === 'remove') return { writes: found.map((before) => ({ as: 'removed', before })) };
  return changes(effect, setting, found);
}

function changes(effect: TableEffect, { document, declared, sameKey }: WritingSetting, found: readonly TableRow[]): Decided {
  const fitted = fitValues(document, declared, effect.values);
  if (!fitted.ok) return refused(misfitWords(effect.table, fitted.misfits));
  const writes: RowWrite[] = [];
  const keys = new Set<string>();
  for (const before of found) {
    const values = Object.fromEntries(Object.entries({ ...before.values, ...fitted.values }).filter(([, v]) => v !== null));
    const empty = missingIn(declared, values).filter((m) => m.column in fitted.values);
    if (empty.length > 0) return refused(misfitWords(effect.table, empty));
    if (sizeOf(values) > MOST_ROW) return refused(`a row of ${effect.table} has at most ${MOST_ROW} characters`);
    const key = rowKey(declared, values);
    const moves = key !== undefined && key !== rowKey(declared, before.values);
    const there = moves ? sameKey(values) : undefined;
    if (there || (moves && keys.has(key)))
      return conflict(`another row of ${effect.table} has the same ${declared.key?.join(' and ') ?? 'key'}`, there ?? null);
    if (key !== undefined) keys.add(key);
    writes.push({ as: 'changed', before, values });
  }
  return { writes };
}
