import type { RowValues, TableDeclaration, TableRow } from '@primrose/core';
import type { Db } from './database.js';
import type { Bound, Hot } from './hot.js';
import { ownColumn } from './columns.js';

/** A table as it is registered: the declaration that its rows follow, and the one that they are being brought to. */
export interface TableRecord {
  readonly id: string;
  readonly bot_id: string;
  readonly name: string;
  readonly declared: string;
  readonly wanted: string | null;
  readonly carried_to: string | null;
}

export const declaredColumn = ownColumn<TableDeclaration>('declared', 'columns');
const heldColumn = ownColumn<RowValues>('held');

/** The rows themselves; a simulation's id stands for its practice rows. */
export const REAL = '';

/** The rows of one table in one realm. */
export interface Place {
  readonly table: string;
  readonly realm: string;
}

/** A row with who wrote it. */
export interface StoredRow extends TableRow {
  readonly madeAt: Date;
  readonly madeBy: string;
  readonly madeIn: TurnPlace | null;
  readonly changedAt: Date;
  readonly changedBy: string;
  readonly changedIn: TurnPlace | null;
}

/** A turn of a conversation or a run. */
export interface TurnPlace {
  readonly conversation: string;
  readonly turn: number;
}

interface RawRow {
  readonly id: string;
  readonly version: number;
  readonly held: string;
  readonly made_at: Date;
  readonly made_by: string;
  readonly made_in: string | null;
  readonly made_turn: number | null;
  readonly changed_at: Date;
  readonly changed_by: string;
  readonly changed_in: string | null;
  readonly changed_turn: number | null;
}

const MADE = ['made_at', 'made_by', 'made_in', 'made_turn', 'changed_at', 'changed_by', 'changed_in', 'changed_turn'];
const COLUMNS = ['id', 'version', 'held', ...MADE].map((c) => `r.${c}`).join(', ');
const STORED = ['table_id', 'realm', 'id', 'version', 'key_hash', 'held', ...MADE].join(', ');

const placeOf = (conversation: string | null, turn: number | null): TurnPlace | null =>
  conversation === null ? null : { conversation, turn: turn ?? 1 };

function storedRow(r: RawRow): StoredRow {
  return {
    id: r.id,
    version: r.version,
    values: heldColumn.read(r.held),
    madeAt: r.made_at,
    madeBy: r.made_by,
    madeIn: placeOf(r.made_in, r.made_turn),
    changedAt: r.changed_at,
    changedBy: r.changed_by,
    changedIn: placeOf(r.changed_in, r.changed_turn),
  };
}

export async function findTable(hot: Hot, botId: string, name: string): Promise<TableRecord | undefined> {
  const [row] = await hot.read<TableRecord>(
    'SELECT id, bot_id, name, declared, wanted, carried_to FROM tables WHERE bot_id = ? AND name = ?',
    [botId, name],
  );
  return row;
}

/** Registers a table that nobody has used before; one that is there stays as it is. */
export async function registerTable(
  db: Db,
  row: { readonly id: string; readonly botId: string; readonly name: string; readonly declared: TableDeclaration },
): Promise<void> {
  const { id, botId, name, declared } = row;
  await db('tables')
    .insert({ id, bot_id: botId, name, declared: declaredColumn.write(declared) })
    .onConflict(['bot_id', 'name'])
    .ignore();
}

export async function listTables(db: Db, botId: string): Promise<TableRecord[]> {
  return db<TableRecord>('tables').where({ bot_id: botId }).orderBy('name');
}

/** Another bot of the same owner, by the id in its document; the one that was made first where several bear it. */
export async function botByName(db: Db, botId: string, name: string): Promise<string | undefined> {
  const row: { id: string } | undefined = await db('bots as b')
    .join('bots as o', 'o.owner_id', 'b.owner_id')
    .where('b.id', botId)
    .where('o.bot', name)
    .whereNull('o.deleted_at')
    .orderBy('o.id')
    .first('o.id');
  return row?.id;
}

/** How many rows there are, counted up to `most`. */
export async function countRows(hot: Hot, { table, realm }: Place, most: number): Promise<number> {
  const [row] = await hot.read<{ count: number }>(
    'SELECT COUNT(*) AS count FROM (SELECT 1 FROM table_rows WHERE table_id = ? AND realm = ? LIMIT ?) r',
    [table, realm, String(most)],
  );
  return Number(row?.count ?? 0);
}

/** What cells of a searchable column have to be. */
export type CellRange =
  { readonly is: readonly string[] } | { readonly begins: string } | { readonly from?: string; readonly to?: string };

/** How rows are walked: by their age, or along the cells of one column. */
export interface Walk {
  readonly down: boolean;
  readonly cells?: { readonly name: string; readonly range?: CellRange };
}

/** Where a walk goes on: behind this row, and this cell where it goes along cells. */
export interface Behind {
  readonly id: string;
  readonly held: string;
}

/** A row met on a walk, with the cell by which it was met ('' where it goes by age). */
export interface Met {
  readonly row: StoredRow;
  readonly held: string;
}

const likeText = (text: string): string => `${text.replace(/[\\%_]/g, (c) => `\\${c}`)}%`;

function rangeSql(range: CellRange | undefined): { sql: string; values: Bound[] } {
  if (!range) return { sql: '', values: [] };
  if ('is' in range) return { sql: ` AND c.held IN (${range.is.map(() => '?').join(', ')})`, values: [...range.is] };
  if ('begins' in range) return { sql: ' AND c.held LIKE ?', values: [likeText(range.begins)] };
  const { from, to } = range;
  return {
    sql: `${from === undefined ? '' : ' AND c.held >= ?'}${to === undefined ? '' : ' AND c.held <= ?'}`,
    values: [...(from === undefined ? [] : [from]), ...(to === undefined ? [] : [to])],
  };
}

/** Some rows of a walk, in its order. */
export async function walkRows(
  hot: Hot,
  { table, realm }: Place,
  { down, cells }: Walk,
  behind: Behind | undefined,
  limit: number,
): Promise<Met[]> {
  const order = down ? 'DESC' : 'ASC';
  const sign = down ? '<' : '>';
  if (!cells) {
    const rows = await hot.read<RawRow>(
      `SELECT ${COLUMNS} FROM table_rows r WHERE r.table_id = ? AND r.realm = ?${behind ? ` AND r.id ${sign} ?` : ''}
       ORDER BY r.id ${order} LIMIT ?`,
      [table, realm, ...(behind ? [behind.id] : []), String(limit)],
    );
    return rows.map((r) => ({ row: storedRow(r), held: '' }));
  }
  const range = rangeSql(cells.range);
  const past = behind ? ` AND (c.held ${sign} ? OR (c.held = ? AND c.row_id ${sign} ?))` : '';
  const rows = await hot.read<RawRow & { cell: string }>(
    `SELECT STRAIGHT_JOIN ${COLUMNS}, c.held AS cell FROM table_cells c
     JOIN table_rows r ON r.table_id = c.table_id AND r.realm = c.realm AND r.id = c.row_id
     WHERE c.table_id = ? AND c.realm = ? AND c.name = ?${range.sql}${past}
     ORDER BY c.held ${order}, c.row_id ${order} LIMIT ?`,
    [table, realm, cells.name, ...range.values, ...(behind ? [behind.held, behind.held, behind.id] : []), String(limit)],
  );
  return rows.map((r) => ({ row: storedRow(r), held: r.cell }));
}

/** Rows by their ids, in the order of the ids; for change, they are locked. */
export async function rowsById(hot: Hot, { table, realm }: Place, ids: readonly string[], lock: boolean): Promise<StoredRow[]> {
  if (ids.length === 0) return [];
  const rows = await hot.read<RawRow>(
    `SELECT ${COLUMNS} FROM table_rows r WHERE r.table_id = ? AND r.realm = ? AND r.id IN (${ids.map(() => '?').join(', ')})
     ORDER BY r.id${lock ? ' FOR UPDATE' : ''}`,
    [table, realm, ...ids],
  );
  return rows.map(storedRow);
}

export async function rowByKey(hot: Hot, { table, realm }: Place, keyHash: string): Promise<StoredRow | undefined> {
  const [row] = await hot.read<RawRow>(
    `SELECT ${COLUMNS} FROM table_rows r WHERE r.table_id = ? AND r.realm = ? AND r.key_hash = ?`,
    [table, realm, keyHash],
  );
  return row && storedRow(row);
}

/** Rows by the hashes of their keys. */
export async function rowsByKeys(hot: Hot, { table, realm }: Place, hashes: readonly string[]): Promise<StoredRow[]> {
  const found: StoredRow[] = [];
  for (const some of chunks(hashes)) {
    const rows = await hot.read<RawRow>(
      `SELECT ${COLUMNS} FROM table_rows r WHERE r.table_id = ? AND r.realm = ? AND r.key_hash IN (${some.map(() => '?').join(', ')})`,
      [table, realm, ...some],
    );
    found.push(...rows.map(storedRow));
  }
  return found;
}

/** Who writes: by name, and in which turn. */
export interface Writer {
  readonly by: string;
  readonly in: TurnPlace | null;
  readonly at: Date;
}

const writtenBy = ({ at, by, in: place }: Writer): Bound[] => [
  at,
  by.slice(0, LONGEST_NAME),
  place?.conversation ?? null,
  place?.turn ?? null,
];

export interface RowToStore {
  readonly id: string;
  readonly keyHash: string | null;
  readonly values: RowValues;
  /** Cells by which it is found: name of the column, and what it is found by. */
  readonly cells: readonly (readonly [string, string])[];
}

const MOST_AT_ONCE = 200;
const LONGEST_NAME = 120;

function* chunks<T>(items: readonly T[]): Generator<readonly T[]> {
  for (let i = 0; i < items.length; i += MOST_AT_ONCE) yield items.slice(i, i + MOST_AT_ONCE);
}

/** Stores new rows. Fails with a duplicate where one has the key of another. */
export async function insertRows(hot: Hot, { table, realm }: Place, rows: readonly RowToStore[], writer: Writer): Promise<void> {
  const who = [...writtenBy(writer), ...writtenBy(writer)];
  for (const some of chunks(rows))
    await hot.write(
      `INSERT INTO table_rows (${STORED}) VALUES ${some.map(() => '(?, ?, ?, 1, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)').join(', ')}`,
      some.flatMap((r): Bound[] => [table, realm, r.id, r.keyHash, heldColumn.write(r.values), ...who]),
    );
  await insertCells(hot, { table, realm }, rows);
}

async function insertCells(hot: Hot, { table, realm }: Place, rows: readonly Pick<RowToStore, 'id' | 'cells'>[]): Promise<void> {
  for (const some of chunks(rows.flatMap((r) => r.cells.map((c) => [...c, r.id] as const))))
    await hot.write(
      `INSERT IGNORE INTO table_cells (table_id, realm, name, held, row_id) VALUES ${some.map(() => '(?, ?, ?, ?, ?)').join(', ')}`,
      some.flatMap(([name, held, id]): Bound[] => [table, realm, name, held, id]),
    );
}

/** Stores what a row holds now, as its next version. The row was locked before. */
export async function updateRow(hot: Hot, { table, realm }: Place, row: RowToStore, writer: Writer): Promise<void> {
  await hot.write(
    `UPDATE table_rows SET version = version + 1, key_hash = ?, held = ?, changed_at = ?, changed_by = ?, changed_in = ?, changed_turn = ?
     WHERE table_id = ? AND realm = ? AND id = ?`,
    [row.keyHash, heldColumn.write(row.values), ...writtenBy(writer), table, realm, row.id],
  );
  await replaceCells(hot, { table, realm }, row);
}

/** Stores what a row holds in another form: nobody has changed it, so its version stays. */
export async function reformRow(hot: Hot, { table, realm }: Place, row: RowToStore): Promise<void> {
  await hot.write('UPDATE table_rows SET key_hash = ?, held = ? WHERE table_id = ? AND realm = ? AND id = ?', [
    row.keyHash,
    heldColumn.write(row.values),
    table,
    realm,
    row.id,
  ]);
  await replaceCells(hot, { table, realm }, row);
}

async function replaceCells(hot: Hot, place: Place, row: RowToStore): Promise<void> {
  await hot.write('DELETE FROM table_cells WHERE table_id = ? AND realm = ? AND row_id = ?', [place.table, place.realm, row.id]);
  await insertCells(hot, place, [row]);
}

export async function deleteRows(hot: Hot, { table, realm }: Place, ids: readonly string[]): Promise<void> {
  for (const some of chunks(ids)) {
    const marks = some.map(() => '?').join(', ');
    await hot.write(`DELETE FROM table_rows WHERE table_id = ? AND realm = ? AND id IN (${marks})`, [table, realm, ...some]);
    await hot.write(`DELETE FROM table_cells WHERE table_id = ? AND realm = ? AND row_id IN (${marks})`, [table, realm, ...some]);
  }
}

/** What came of a write before, by the place in the turn that made it. */
export async function writeBefore(hot: Hot, origin: string): Promise<string | undefined> {
  const [row] = await hot.read<{ result: string }>('SELECT result FROM table_writes WHERE origin = ?', [origin]);
  return row?.result;
}

export async function noteWrite(hot: Hot, row: { origin: string; botId: string; result: string; at: Date }): Promise<void> {
  await hot.write('INSERT INTO table_writes (origin, bot_id, result, at) VALUES (?, ?, ?, ?)', [
    row.origin,
    row.botId,
    row.result,
    row.at,
  ]);
}

/**
 * Promises every start that waits for this table that a run begins: in the transaction that changes the row. A start that has
 * led here is not set off once more. `came` is what its mapping names, as JSON.
 */
export async function promiseStarts(
  hot: Hot,
  tableId: string,
  event: {
    readonly id: string;
    readonly as: 'added' | 'changed' | 'removed';
    readonly came: string;
    readonly chain: string;
    readonly at: Date;
  },
): Promise<void> {
  const { id, as, came, chain, at } = event;
  await hot.write(
    `INSERT INTO row_events (id, start_id, bot_id, came, chain, tries, at)
     SELECT CONCAT(LEFT(?, 24), RIGHT(s.id, 12)), s.id, s.bot_id, ?, ?, 0, ? FROM starts s
     WHERE s.table_id = ? AND s.kind = 'row' AND s.stage = 'live' AND s.is_on = 1 AND s.declared = 1
       AND FIND_IN_SET(?, s.row_events) > 0 AND FIND_IN_SET(s.id, ?) = 0`,
    [id, came, chain, at, tableId, as, chain],
  );
}

/** True when some start waits for changes of a table. */
export async function isWatched(hot: Hot, tableId: string): Promise<boolean> {
  const rows = await hot.read(
    "SELECT 1 FROM starts WHERE table_id = ? AND kind = 'row' AND stage = 'live' AND is_on = 1 AND declared = 1 LIMIT 1",
    [tableId],
  );
  return rows.length > 0;
}

/** Copies the newest rows of a table into a realm, once; false where they were copied before. */
export async function copyRows(hot: Hot, { table, realm }: Place, most: number): Promise<boolean> {
  const made = await hot.write('INSERT IGNORE INTO practice_tables (table_id, realm) VALUES (?, ?)', [table, realm]);
  if (made.rows === 0) return false;
  await hot.write(
    `INSERT INTO table_rows (${STORED}) SELECT table_id, ?, id, version, key_hash, held, ${MADE.join(', ')}
     FROM table_rows WHERE table_id = ? AND realm = '' ORDER BY id DESC LIMIT ?`,
    [realm, table, String(most)],
  );
  return true;
}

/** The tables that a realm has practice rows of. */
export async function practiceTables(db: Db, realm: string): Promise<{ id: string; name: string }[]> {
  return db('practice_tables as p').join('tables as t', 't.id', 'p.table_id').where('p.realm', realm).select('t.id', 't.name');
}

/** Forgets the practice rows of a realm: they are copied anew when they are needed again. */
export async function dropPractice(db: Db, realm: string): Promise<void> {
  if (realm === REAL) throw new Error('the rows themselves are no practice rows');
  await db('table_rows').where({ realm }).delete();
  await db('practice_tables').where({ realm }).delete();
}

/** Says to which declaration the rows of a table are to be brought. */
export async function wantDeclared(db: Db, id: string, wanted: TableDeclaration): Promise<void> {
  await db('tables')
    .where({ id })
    .update({ wanted: declaredColumn.write(wanted), carried_to: null });
}

export async function tableById(hot: Hot, id: string): Promise<TableRecord | undefined> {
  const [row] = await hot.read<TableRecord>('SELECT id, bot_id, name, declared, wanted, carried_to FROM tables WHERE id = ?', [
    id,
  ]);
  return row;
}

/** Tables whose rows are being brought to another declaration. */
export async function tablesToCarry(hot: Hot): Promise<{ id: string; owner: string }[]> {
  return hot.read('SELECT id, bot_id AS owner FROM tables WHERE wanted IS NOT NULL LIMIT 20', []);
}

export async function carriedTo(hot: Hot, id: string, wanted: string, to: string): Promise<boolean> {
  const done = await hot.write('UPDATE tables SET carried_to = ? WHERE id = ? AND wanted = ?', [to, id, wanted]);
  return done.rows === 1;
}

/** All rows are brought over: from now on the declaration is the one that was wanted. */
export async function carried(hot: Hot, id: string, wanted: string): Promise<void> {
  await hot.write('UPDATE tables SET declared = wanted, wanted = NULL, carried_to = NULL WHERE id = ? AND wanted = ?', [
    id,
    wanted,
  ]);
}
