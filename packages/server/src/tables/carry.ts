import type { Logger } from 'pino';
import {
  columnsOf,
  fitCell,
  sameValue,
  type BotDocument,
  type RowValues,
  type TableDeclaration,
  type Value,
} from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { statement, transaction, type Hot } from '../store/hot.js';
import * as store from '../store/tables.js';
import { Keeper } from '../turns/keeper.js';
import { cellsOf, keyHash, searchable } from './cells.js';

export interface CarryParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  /** The document of a bot that serves now, for its entities. */
  readonly documentOf: (botId: string) => Promise<BotDocument | undefined>;
}

const AT_ONCE = 200;
const STOP_MS = 10_000;

/**
 * Brings the rows of tables to the declarations of what went live: values in the forms of their columns, cells by which they are
 * found, keys. What does not fit stays as it is and is shown; nothing is dropped. Some rows at a time; who dies goes on from there.
 */
export class Carrying {
  readonly #parts: CarryParts;
  readonly #keeper: Keeper;

  constructor(parts: CarryParts) {
    const { db, clock, log } = parts;
    this.#parts = parts;
    this.#keeper = new Keeper({
      clock,
      log,
      name: 'tables',
      waiting: () => statement(db, (hot) => store.tablesToCarry(hot)),
      work: (id) => this.#carry(id),
      most: 2,
    });
  }

  start(): void {
    this.#keeper.start();
  }

  async stop(): Promise<void> {
    await this.#keeper.stop(STOP_MS);
  }

  async #carry(id: string): Promise<void> {
    const { db } = this.#parts;
    for (let more = true; more && !this.#keeper.stopped;) more = await transaction(db, (hot) => this.#some(hot, id));
  }

  /** Brings some rows over; false when there are no more. */
  async #some(hot: Hot, id: string): Promise<boolean> {
    const record = await store.tableById(hot, id);
    if (!record || record.wanted === null) return false;
    const declared = store.declaredColumn.read(record.declared);
    const wanted = store.declaredColumn.read(record.wanted);
    const document = (await this.#parts.documentOf(record.bot_id)) ?? NO_DOCUMENT;
    const place = { table: id, realm: store.REAL };
    const behind = record.carried_to === null ? undefined : { id: record.carried_to, held: '' };
    const met = await store.walkRows(hot, place, { down: false }, behind, AT_ONCE);
    const rows = await store.rowsById(
      hot,
      place,
      met.map((m) => m.row.id),
      true,
    );
    const columns = searchable(declared, wanted);
    for (const row of rows) {
      const values = broughtTo(document, wanted, row.values);
      const key = keyHash(wanted, values);
      const there = key === null ? undefined : await store.rowByKey(hot, place, key);
      // Two rows that the new key makes the same both stay; the second has no key, which is shown.
      const own = there && there.id !== row.id ? null : key;
      await store.reformRow(hot, place, { id: row.id, keyHash: own, values, cells: cellsOf(values, columns) });
    }
    const last = met.at(-1)?.row.id;
    if (met.length < AT_ONCE || last === undefined) {
      await store.carried(hot, id, record.wanted);
      return false;
    }
    return store.carriedTo(hot, id, record.wanted, last);
  }
}

const NO_DOCUMENT = {} as Pick<BotDocument, 'entities'>;

/** The values of a row in the forms of another declaration, as far as they fit. */
function broughtTo(document: Pick<BotDocument, 'entities'>, wanted: TableDeclaration, values: RowValues): RowValues {
  const columns = columnsOf(wanted);
  const changed = columns.flatMap((c): [string, Value][] => {
    const held = values[c.name] ?? null;
    const fitted = fitCell(document, c, held);
    return fitted.ok && fitted.value !== null && !sameValue(fitted.value, held) ? [[c.name, fitted.value]] : [];
  });
  return { ...values, ...Object.fromEntries(changed) };
}

/** Says of the tables of a document that goes live to which declarations their rows are to be brought; in its transaction. */
export async function seeToTables(db: Db, clock: Clock, botId: string, document: BotDocument): Promise<void> {
  const present = new Map((await store.listTables(db, botId)).map((t) => [t.name, t]));
  for (const [name, declared] of Object.entries(document.tables ?? {})) {
    if (declared.of !== undefined) continue;
    const there = present.get(name);
    if (!there) {
      await store.registerTable(db, { id: newId(clock), botId, name, declared });
      continue;
    }
    const goal = store.declaredColumn.read(there.wanted ?? there.declared);
    if (!sameValue(goal, declared)) await store.wantDeclared(db, there.id, declared);
  }
}
