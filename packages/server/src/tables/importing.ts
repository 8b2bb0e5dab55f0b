import { missingIn, readSheet, rowKey, sameValue, type ReadSheet, type RowValues, type TableEffect } from '@primrose/core';
import type { Tables, Working, OpenTable } from './tables.js';

export interface ImportWanted {
  readonly lines: readonly (readonly string[])[];
  readonly columns: Readonly<Record<string, string | null>>;
  /** Rows of the same key are changed; else they are problems. */
  readonly byKey: boolean;
  /** Lines that do not fit are left out. */
  readonly skip: boolean;
  /** What a new row holds where its line gives nothing. */
  readonly fresh: RowValues;
  /** False: only told what would come of it. */
  readonly carryOut: boolean;
}

export interface Imported {
  readonly read: ReadSheet;
  readonly added: number;
  readonly changed: number;
  readonly same: number;
  readonly problems: readonly { readonly line: number; readonly column: string; readonly reason: string }[];
  readonly imported: boolean;
}

/** Reads the lines of a file into rows; what does not fit is told line by line. With problems nothing is stored unless they are to be left out. */
export async function importLines(
  tables: Tables,
  name: string,
  table: OpenTable,
  working: Working,
  wanted: ImportWanted,
): Promise<Imported> {
  const read = readSheet(working.document, table.declared, wanted.lines, wanted.columns);
  const sorted = await sortedOut(tables, name, table, working, read, wanted);
  const problems = [...read.problems, ...sorted.problems].sort((a, b) => a.line - b.line);
  const imported = wanted.carryOut && (problems.length === 0 || wanted.skip);
  if (imported) await tables.store(table, working, sorted.adds, sorted.changes);
  return { read, added: sorted.adds.length, changed: sorted.changes.length, same: sorted.same, problems, imported };
}

interface Sorted {
  readonly adds: RowValues[];
  readonly changes: { readonly id: string; readonly version: number; readonly values: RowValues }[];
  readonly same: number;
  readonly problems: { line: number; column: string; reason: string }[];
}

/** Which lines are new rows, and which are rows that there are. */
async function sortedOut(
  tables: Tables,
  name: string,
  table: OpenTable,
  working: Working,
  { rows }: ReadSheet,
  { byKey, fresh }: ImportWanted,
): Promise<Sorted> {
  const { declared } = table;
  const sorted = {
    adds: [] as RowValues[],
    changes: [] as Sorted['changes'][number][],
    same: 0,
    problems: [] as Sorted['problems'],
  };
  const keys = rows.map((r) => rowKey(declared, { ...fresh, ...r.values }));
  const present = await tables.byKeys(
    table,
    working,
    keys.filter((k): k is string => k !== undefined),
  );
  const seen = new Map<string, number>();
  const column = declared.key?.[0] ?? '';
  for (const [i, { line, values }] of rows.entries()) {
    const key = keys[i];
    const before = key === undefined ? undefined : seen.get(key);
    if (before !== undefined) {
      sorted.problems.push({ line, column, reason: `is the same as in line ${before}: the key of ${name} makes two rows one` });
      continue;
    }
    if (key !== undefined) seen.set(key, line);
    const there = key === undefined ? undefined : present.get(key);
    if (!there) {
      const row = { ...fresh, ...values };
      const missing = missingIn(declared, row);
      if (missing.length === 0) sorted.adds.push(row);
      else sorted.problems.push(...missing.map((m) => ({ line, ...m })));
    } else if (!byKey)
      sorted.problems.push({
        line,
        column,
        reason: 'is the key of a row that there is; import with "change rows of the same key"',
      });
    else if (sameRow(there.values, values)) sorted.same++;
    else sorted.changes.push({ id: there.id, version: there.version, values });
  }
  return sorted;
}

function sameRow(there: RowValues, given: RowValues): boolean {
  return Object.entries(given).every(([key, v]) => sameValue(there[key] ?? null, v));
}

/** An effect as people write rows: by the same rules as turns. */
export function byHand(name: string, does: TableEffect['does'], more: Partial<TableEffect>): TableEffect {
  return { type: 'table', path: '', table: name, does, where: [], limit: 1, values: {}, fresh: {}, ...more };
}
