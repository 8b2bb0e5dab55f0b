import type { BotDocument } from '../document/schema.js';
import type { TableEffect, TableResult } from '../engine/effects/table.js';
import { failureOf } from '../engine/effects/effect.js';
import { fitValues, rowFits, rowKey, sortRows, type RowValues, type TableRow } from './rows.js';
import { decideWrite, MOST_WRITTEN, type RowWrite } from './writing.js';

/** Tables in memory: what a rehearsal works on. They begin with the rows that the rehearsal names. */
export class PracticeTables {
  readonly #document: BotDocument;
  readonly #rows = new Map<string, TableRow[]>();
  #made = 0;

  /** Rows that do not fit their table are left out; the checks tell of them. */
  constructor(document: BotDocument, rows: Readonly<Record<string, readonly RowValues[]>> = {}) {
    this.#document = document;
    for (const [table, list] of Object.entries(rows)) {
      const declared = document.tables?.[table];
      if (!declared) continue;
      const fitted = list.map((values) => fitValues(document, declared, values));
      this.#rows.set(
        table,
        fitted.flatMap((f) => (f.ok ? [this.#newRow(f.values)] : [])),
      );
    }
  }

  rows(table: string): readonly TableRow[] {
    return this.#rows.get(table) ?? [];
  }

  perform(effect: TableEffect): TableResult {
    const declared = this.#document.tables?.[effect.table];
    if (!declared) return failureOf('not-configured', `there is no table "${effect.table}" in this bot`);
    const all = this.rows(effect.table);
    const found = all.filter((r) => (effect.row ? r.id === effect.row.id : rowFits(r.values, effect.where)));
    if (effect.does === 'find') {
      const sorted = sortRows(found, effect.order);
      return { outcome: 'rows', rows: sorted.slice(0, effect.limit), more: sorted.length > effect.limit };
    }
    const sameKey = (values: RowValues): TableRow | undefined => {
      const key = rowKey(declared, values);
      return key === undefined ? undefined : all.find((r) => rowKey(declared, r.values) === key);
    };
    const decided = decideWrite(effect, { document: this.#document, declared, found: found.slice(0, MOST_WRITTEN + 1), sameKey });
    return 'result' in decided ? decided.result : this.#write(effect.table, decided.writes);
  }

  #newRow(values: RowValues): TableRow {
    this.#made++;
    return { id: `row-${this.#made}`, version: 1, values };
  }

  #write(table: string, writes: readonly RowWrite[]): TableResult {
    let rows = [...this.rows(table)];
    const written = writes.map((write): TableRow => {
      if (write.as === 'added') {
        const made = this.#newRow(write.values);
        rows.push(made);
        return made;
      }
      const { before } = write;
      if (write.as === 'removed') {
        rows = rows.filter((r) => r.id !== before.id);
        return before;
      }
      const after = { id: before.id, version: before.version + 1, values: write.values };
      rows = rows.map((r) => (r.id === before.id ? after : r));
      return after;
    });
    this.#rows.set(table, rows);
    return { outcome: 'stored', rows: written, count: written.length };
  }
}
