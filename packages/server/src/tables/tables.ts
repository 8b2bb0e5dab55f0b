import {
  decideWrite,
  failureOf,
  fitCell,
  columnsOf,
  rowKey,
  rowValue,
  sameValue,
  VISITOR,
  type BotDocument,
  type RowValues,
  type RowWrite,
  type TableDeclaration,
  type TableEffect,
  type TableResult,
  type TableRow,
  type Value,
} from '@primrose/core';
import { hashSecret, newId, type Clock } from '../base/clock.js';
import { Recent } from '../base/recent.js';
import { Refused } from '../base/refused.js';
import { isDuplicate, type Db } from '../store/database.js';
import { resultColumn } from '../store/columns.js';
import { statement, transaction, type Hot } from '../store/hot.js';
import { chainOf } from '../store/runs.js';
import * as store from '../store/tables.js';
import { cellsOf, keyHash, searchable } from './cells.js';
import { findRows, type Answer, type Question } from './find.js';

export interface TablesParts {
  readonly db: Db;
  readonly clock: Clock;
  /** The document of a bot that serves now, or else its draft: whether it lets another bot in is read there. */
  readonly documentOf: (botId: string) => Promise<BotDocument | undefined>;
  /** Told when starts have been promised that a run begins. */
  readonly onPromised: () => void;
  readonly limits: { readonly tableRows: number };
}

/** Who works on a table, and on which of its rows. */
export interface Working {
  readonly botId: string;
  readonly document: BotDocument;
  /** `REAL`, or the simulation whose practice rows they are. */
  readonly realm: string;
  /** The place in the turn that writes, so that what it wrote is written once; undefined where nobody comes back for it. */
  readonly origin?: string;
  readonly writer: { readonly by: string; readonly in: store.TurnPlace | null };
  /** Who speaks, for columns that hold a visitor. */
  readonly visitor: string | null;
}

/** A table that is there for a bot, with its declaration as the bot has it. */
export interface OpenTable {
  readonly id: string;
  readonly declared: TableDeclaration;
  /** What all rows are indexed by, also while they are brought to another declaration, and that one. */
  readonly indexed: TableDeclaration;
  readonly wanted: TableDeclaration | undefined;
}

type Opened = { readonly ok: true; readonly table: OpenTable } | { readonly ok: false; readonly reason: string };

/** Practice rows are a copy of so many rows at most, the newest. */
export const MOST_PRACTICE = 2000;
const LONGEST_RESULT = 150_000;
const STORED_AT_ONCE = 1000;
const KEPT_IDS = 2000;

/** Tables of bots: rows are found and written here, for turns, people and starts alike. */
export class Tables {
  readonly #parts: TablesParts;
  /** Which registered table a name of a bot is; a registered table never becomes another one. */
  readonly #ids = new Recent<string>(KEPT_IDS);
  /** How many rows can be added before they are counted again, by table and realm. */
  readonly #room = new Recent<number>(KEPT_IDS);

  constructor(parts: TablesParts) {
    this.#parts = parts;
  }

  /** Does what an effect asks for. What does not go is a result; only a database that is away throws. */
  async perform(effect: TableEffect, working: Working): Promise<TableResult> {
    const opened = await this.open(working.botId, working.document, effect.table);
    if (!opened.ok) return failureOf('not-configured', opened.reason);
    const { table } = opened;
    const place = { table: table.id, realm: working.realm };
    if (working.realm !== store.REAL) await this.practise(place);
    const own = ownValues(effect, working);
    return effect.does === 'find' ? this.#find(own, table, place) : this.#write(own, table, place, working);
  }

  /** The table of a name, registered when it is first asked for; another bot's where that lets this one in. */
  async open(botId: string, document: BotDocument, name: string): Promise<Opened> {
    const declared = document.tables && Object.hasOwn(document.tables, name) ? document.tables[name] : undefined;
    if (!declared) return { ok: false, reason: `there is no table "${name}" in this bot` };
    const owner =
      declared.of === undefined ? { ok: true as const, botId, declared } : await this.#lentBy(botId, document, name, declared.of);
    if (!owner.ok) return owner;
    const record = await this.#registered(owner.botId, name, owner.declared);
    const wanted = record.wanted === null ? undefined : store.declaredColumn.read(record.wanted);
    const indexed = steady(store.declaredColumn.read(record.declared), wanted);
    const own = declared.of === undefined ? declared : keyedAs(declared, owner.declared);
    if (!own)
      return { ok: false, reason: `the table "${name}" needs the columns that its key has in the bot "${declared.of ?? ''}"` };
    return { ok: true, table: { id: record.id, declared: own, indexed, wanted } };
  }

  async #lentBy(botId: string, document: BotDocument, name: string, of: string) {
    const owner = await store.botByName(this.#parts.db, botId, of);
    const lent = owner === undefined ? undefined : (await this.#parts.documentOf(owner))?.tables?.[name];
    if (owner === undefined || !lent) return { ok: false as const, reason: `there is no bot "${of}" with a table "${name}"` };
    if (!lent.allows?.includes(document.bot))
      return {
        ok: false as const,
        reason: `the bot "${of}" does not let "${document.bot}" use its table "${name}"; name it there under "allows"`,
      };
    return { ok: true as const, botId: owner, declared: lent };
  }

  async #registered(botId: string, name: string, declared: TableDeclaration): Promise<store.TableRecord> {
    const { db, clock } = this.#parts;
    const key = `${botId} ${name}`;
    const id = this.#ids.get(key);
    const there = await statement(db, (hot) => (id === undefined ? store.findTable(hot, botId, name) : store.tableById(hot, id)));
    if (there) {
      this.#ids.set(key, there.id);
      return there;
    }
    await store.registerTable(db, { id: newId(clock), botId, name, declared });
    const made = await statement(db, (hot) => store.findTable(hot, botId, name));
    if (!made) throw new Error('a table that was just registered is gone');
    return made;
  }

  /** Copies rows for a realm when they are first needed there. */
  async practise(place: store.Place): Promise<void> {
    await transaction(this.#parts.db, (hot) => store.copyRows(hot, place, MOST_PRACTICE));
  }

  /** Rows for people: what is asked, with who wrote them. */
  ask(table: OpenTable, place: store.Place, question: Question): Promise<Answer> {
    return statement(this.#parts.db, (hot) => findRows(hot, { place, indexed: table.indexed }, question));
  }

  /** The rows of some keys, by key. */
  async byKeys(table: OpenTable, { realm }: Working, keys: readonly string[]): Promise<ReadonlyMap<string, TableRow>> {
    const place = { table: table.id, realm };
    return statement(this.#parts.db, async (hot) => {
      const found = new Map<string, TableRow>();
      for (const row of await store.rowsByKeys(hot, place, keys.map(hashSecret))) {
        const key = rowKey(table.declared, row.values);
        if (key !== undefined) found.set(key, row);
      }
      return found;
    });
  }

  /** Stores many rows at once, as an import does: all or nothing of some thousand at a time. Values are fitted already. */
  async store(
    table: OpenTable,
    working: Working,
    adds: readonly RowValues[],
    changes: readonly { readonly id: string; readonly version: number; readonly values: RowValues }[],
  ): Promise<void> {
    const place = { table: table.id, realm: working.realm };
    for (let i = 0; i < Math.max(adds.length, changes.length); i += STORED_AT_ONCE)
      await transaction(this.#parts.db, async (hot) => {
        const at = this.#parts.clock.now();
        const some = changes.slice(i, i + STORED_AT_ONCE);
        const locked = new Map(
          (
            await store.rowsById(
              hot,
              place,
              some.map((c) => c.id),
              true,
            )
          ).map((r) => [r.id, r]),
        );
        const writes = [
          ...adds.slice(i, i + STORED_AT_ONCE).map((values): RowWrite => ({ as: 'added', values })),
          ...some.flatMap(({ id, values }): RowWrite[] => {
            const before = locked.get(id);
            return before ? [{ as: 'changed', before, values: { ...before.values, ...values } }] : [];
          }),
        ];
        if (!(await this.#hasRoom(hot, place, writes))) throw new Refused('table-full', { most: this.#parts.limits.tableRows });
        await this.#carryOut(hot, writes, table, place, { ...working, at });
      });
  }

  /** Removes rows, each of the version that was looked at; false, and none is removed, where one is another one now. */
  remove(
    table: OpenTable,
    working: Working,
    rows: readonly { readonly id: string; readonly version: number }[],
  ): Promise<boolean> {
    const place = { table: table.id, realm: working.realm };
    const ids = rows.map((r) => r.id);
    return transaction(this.#parts.db, async (hot) => {
      const present = await store.rowsById(hot, place, ids, true);
      if (rows.some(({ id, version }) => present.find((p) => p.id === id)?.version !== version)) return false;
      const writes = present.map((before): RowWrite => ({ as: 'removed', before }));
      await this.#carryOut(hot, writes, table, place, { ...working, at: this.#parts.clock.now() });
      return true;
    });
  }

  async #find(effect: TableEffect, table: OpenTable, place: store.Place): Promise<TableResult> {
    const { where, order, limit, row } = effect;
    if (row) {
      const rows = await statement(this.#parts.db, (hot) => store.rowsById(hot, place, [row.id], false));
      return rowsResult(rows, false);
    }
    const answer = await this.ask(table, place, { where, order, limit });
    return answer.ok ? rowsResult(answer.rows, answer.more) : failureOf('does-not-fit', answer.reason);
  }

  async #write(effect: TableEffect, table: OpenTable, place: store.Place, working: Working): Promise<TableResult> {
    const { db } = this.#parts;
    for (let tries = 0; ; tries++) {
      try {
        return await transaction(db, (hot) => this.#writeOnce(hot, effect, table, place, working));
      } catch (error) {
        // Somebody has stored the same key, or this very write, at the same moment: it is there now.
        if (!isDuplicate(error) || tries >= 3) throw error;
      }
    }
  }

  async #writeOnce(hot: Hot, effect: TableEffect, table: OpenTable, place: store.Place, working: Working): Promise<TableResult> {
    const { clock } = this.#parts;
    const origin = working.origin === undefined ? undefined : hashSecret(working.origin);
    const before = origin === undefined ? undefined : await store.writeBefore(hot, origin);
    if (before !== undefined) return resultColumn.read(before) as TableResult;
    const found = await this.#locked(hot, effect, table, place);
    if ('failed' in found) return failureOf('does-not-fit', found.failed);
    const decided = await this.#decide(hot, effect, table, place, working, found.rows);
    const at = clock.now();
    const writes = 'result' in decided ? [] : decided.writes;
    const result =
      'result' in decided
        ? decided.result
        : (await this.#hasRoom(hot, place, writes))
          ? await this.#carryOut(hot, writes, table, place, { ...working, at })
          : failureOf('does-not-fit', `${effect.table} has all the rows that a table can have: ${this.#parts.limits.tableRows}`);
    if (origin !== undefined)
      await store.noteWrite(hot, { origin, botId: working.botId, result: resultColumn.write(result), at });
    return result;
  }

  /** False where rows would be more than a table can have. They are counted as seldom as the room that is left allows. */
  async #hasRoom(hot: Hot, place: store.Place, writes: readonly RowWrite[]): Promise<boolean> {
    const adds = writes.filter((w) => w.as === 'added').length;
    if (adds === 0) return true;
    const { tableRows: most } = this.#parts.limits;
    const key = `${place.table} ${place.realm}`;
    const room = (this.#room.get(key) ?? 0) - adds;
    if (room >= 0) {
      this.#room.set(key, room);
      return true;
    }
    const left = most - (await store.countRows(hot, place, most)) - adds;
    // Other processes add rows as well, so a part of what is left is counted anew.
    this.#room.set(key, Math.max(0, Math.floor(left / 4)));
    return left >= 0;
  }

  /** The rows that a change or a removal is about, locked, as they are now. */
  async #locked(
    hot: Hot,
    effect: TableEffect,
    table: OpenTable,
    place: store.Place,
  ): Promise<{ readonly rows: readonly store.StoredRow[] } | { readonly failed: string }> {
    if (effect.does !== 'change' && effect.does !== 'remove') return { rows: [] };
    if (effect.row) return { rows: await store.rowsById(hot, place, [effect.row.id], true) };
    const answer = await findRows(hot, { place, indexed: table.indexed }, { where: effect.where, limit: 1001 });
    if (!answer.ok) return { failed: answer.reason };
    const ids = answer.rows.map((r) => r.id);
    return { rows: await store.rowsById(hot, place, ids, true) };
  }

  /** Decides with the rows of the keys that are asked for; they are fetched as the decision needs them. */
  async #decide(
    hot: Hot,
    effect: TableEffect,
    table: OpenTable,
    place: store.Place,
    { document }: Working,
    found: readonly TableRow[],
  ) {
    const { declared } = table;
    const known = new Map<string, TableRow | undefined>();
    for (;;) {
      const missing = new Map<string, RowValues>();
      const sameKey = (values: RowValues): TableRow | undefined => {
        const key = rowKey(declared, values);
        if (key === undefined || known.has(key)) return key === undefined ? undefined : known.get(key);
        missing.set(key, values);
        return undefined;
      };
      const decided = decideWrite(effect, { document, declared, found, sameKey });
      if (missing.size === 0) return decided;
      for (const key of missing.keys()) {
        const row = await store.rowByKey(hot, place, hashSecret(key));
        // What is to be changed is locked; what is only in the way need not be.
        const [locked] = row && effect.does === 'put' ? await store.rowsById(hot, place, [row.id], true) : [row];
        known.set(key, locked);
      }
    }
  }

  async #carryOut(
    hot: Hot,
    writes: readonly RowWrite[],
    table: OpenTable,
    place: store.Place,
    working: Working & { readonly at: Date },
  ): Promise<TableResult> {
    const { clock } = this.#parts;
    const { at, writer } = working;
    const real = place.realm === store.REAL;
    const columns = real ? searchable(table.indexed, table.wanted) : new Set<string>();
    const who = { ...writer, at };
    const stored = (id: string, values: RowValues): store.RowToStore => {
      return { id, keyHash: keyHash(table.declared, values), values, cells: cellsOf(values, columns) };
    };
    const rows: TableRow[] = [];
    const fresh: store.RowToStore[] = [];
    // Ids of one moment sort by chance; the rows of one write stand in its order.
    const ids = writes
      .filter((w) => w.as === 'added')
      .map(() => newId(clock))
      .sort();
    for (const write of writes) {
      if (write.as === 'added') {
        const id = ids[fresh.length] ?? newId(clock);
        fresh.push(stored(id, write.values));
        rows.push({ id, version: 1, values: write.values });
      } else if (write.as === 'changed') {
        const { id, version } = write.before;
        await store.updateRow(hot, place, stored(id, write.values), who);
        rows.push({ id, version: version + 1, values: write.values });
      } else rows.push({ id: write.before.id, version: write.before.version, values: write.before.values });
    }
    await store.insertRows(hot, place, fresh, who);
    const gone = writes.flatMap((w) => (w.as === 'removed' ? [w.before.id] : []));
    await store.deleteRows(hot, place, gone);
    if (real && writes.length > 0) await this.#promise(hot, writes, rows, table, working);
    return { outcome: 'stored', rows: shortened(rows), count: rows.length };
  }

  /** Promises the starts that wait for such changes that their runs begin, in the same transaction. */
  async #promise(
    hot: Hot,
    writes: readonly RowWrite[],
    rows: readonly TableRow[],
    table: OpenTable,
    { writer, at }: Working & { at: Date },
  ) {
    if (!(await store.isWatched(hot, table.id))) return;
    // The starts that have led here are not set off again.
    const chain = writer.in ? await chainOf(hot, writer.in.conversation) : '';
    const facts = (row: TableRow | undefined): Value => (row ? rowValue(table.declared, row) : null);
    for (const [i, write] of writes.entries()) {
      const before = write.as === 'added' ? undefined : write.before;
      const came = JSON.stringify({
        event: write.as,
        row: facts(write.as === 'removed' ? before : rows[i]),
        before: facts(before),
      });
      await store.promiseStarts(hot, table.id, { id: newId(this.#parts.clock), as: write.as, came, chain, at });
    }
    this.#parts.onPromised();
  }
}

/** What two declarations agree on: rows of which some are brought from one to the other are found by nothing else. */
function steady(declared: TableDeclaration, wanted: TableDeclaration | undefined): TableDeclaration {
  if (!wanted) return declared;
  const columns = Object.entries(declared.columns).filter(([name, c]) => sameValue(c, wanted.columns[name] ?? null));
  const { key } = declared;
  const keyed = key && sameValue(key, wanted.key ?? null) && key.every((name) => columns.some(([c]) => c === name));
  return { columns: Object.fromEntries(columns), ...(keyed ? { key } : {}) };
}

/** A table of another bot: what makes two rows the same is said there. Undefined where a column of that key is missing here. */
function keyedAs({ key: _own, ...declared }: TableDeclaration, { key }: TableDeclaration): TableDeclaration | undefined {
  if (!key) return declared;
  return key.every((name) => Object.hasOwn(declared.columns, name)) ? { ...declared, key } : undefined;
}

/** Whoever speaks stands in the place of the mark that a turn puts into a column that holds a visitor. */
function ownValues(effect: TableEffect, { visitor }: Working): TableEffect {
  const own = (values: RowValues): RowValues =>
    Object.fromEntries(Object.entries(values).map(([name, v]) => [name, v === VISITOR ? visitor : v]));
  return {
    ...effect,
    values: own(effect.values),
    fresh: own(effect.fresh),
    where: effect.where.map((c) => (c.value === VISITOR ? { ...c, value: visitor ?? '' } : c)),
  };
}

function rowsResult(rows: readonly TableRow[], more: boolean): TableResult {
  const shown = shortened(rows);
  return { outcome: 'rows', rows: shown, more: more || shown.length < rows.length };
}

/** As many rows as a result may hold; those beyond are counted, not told. */
function shortened(rows: readonly TableRow[]): TableRow[] {
  const kept: TableRow[] = [];
  let size = 0;
  for (const { id, version, values } of rows) {
    size += JSON.stringify(values).length;
    if (size > LONGEST_RESULT && kept.length > 0) break;
    kept.push({ id, version, values });
  }
  return kept;
}

/** The columns of a row whose value does not fit what is declared, and what is left of columns that are none any more. */
export function oddities(document: BotDocument, declared: TableDeclaration, values: RowValues) {
  const columns = columnsOf(declared);
  const misfits = columns.flatMap((c) => {
    const fitted = fitCell(document, c, values[c.name] ?? null);
    return fitted.ok ? [] : [{ column: c.name, reason: fitted.reason }];
  });
  const left = Object.entries(values).filter(([name]) => !Object.hasOwn(declared.columns, name));
  return { misfits, left: Object.fromEntries(left) };
}
