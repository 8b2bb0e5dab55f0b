import type { StartKind } from '@primrose/core';
import type { Db } from './database.js';
import { fairly, statement, type Hot, type Statement, type Waiting } from './hot.js';

export type Stage = 'draft' | 'live';

/** A start as it stands on this installation: its address, whether it is on, and when its time comes. */
export interface StartRow {
  readonly id: string;
  readonly bot_id: string;
  readonly name: string;
  readonly stage: Stage;
  readonly kind: StartKind;
  readonly address: string;
  readonly is_on: number;
  readonly declared: number;
  readonly token_hash: string | null;
  readonly table_id: string | null;
  readonly row_events: string | null;
  readonly next_at: Date | null;
  readonly cron: string | null;
}

/** What a document says of a start, as far as it is kept beside it. */
export interface StartToKeep {
  readonly id: string;
  readonly name: string;
  readonly kind: StartKind;
  readonly address: string;
  readonly tableId: string | null;
  readonly rowEvents: string | null;
  readonly cron: string | null;
  readonly nextAt: Date | null;
}

/**
 * Keeps the starts of one stage as its document has them; those that it has not stay, and begin nothing. A schedule that was
 * declared all along keeps its next time; one that comes back makes up for nothing. Only inside a transaction.
 */
export async function keepStarts(db: Db, botId: string, stage: Stage, starts: readonly StartToKeep[]): Promise<void> {
  const names = starts.map((s) => s.name);
  await db('starts').where({ bot_id: botId, stage }).whereNotIn('name', names).update({ declared: false });
  for (const s of starts)
    await db.raw(
      `INSERT INTO starts (id, bot_id, name, stage, kind, address, is_on, declared, table_id, row_events, cron, next_at)
       VALUES (?, ?, ?, ?, ?, ?, 1, 1, ?, ?, ?, ?)
       ON DUPLICATE KEY UPDATE
         next_at = IF(declared = 1 AND cron <=> VALUES(cron) AND next_at IS NOT NULL, next_at, VALUES(next_at)),
         cron = VALUES(cron), declared = 1, kind = VALUES(kind), table_id = VALUES(table_id), row_events = VALUES(row_events)`,
      [s.id, botId, s.name, stage, s.kind, s.address, s.tableId, s.rowEvents, s.cron, s.nextAt],
    );
}

export async function listStarts(db: Db, botId: string): Promise<StartRow[]> {
  return db<StartRow>('starts').where({ bot_id: botId, declared: 1 }).orderBy(['name', 'stage']);
}

export async function startByAddress(db: Db, address: string): Promise<StartRow | undefined> {
  return statement(db, async (hot) => (await hot.read<StartRow>('SELECT * FROM starts WHERE address = ?', [address]))[0]);
}

export async function startById(db: Db, id: string): Promise<StartRow | undefined> {
  return db<StartRow>('starts').where({ id }).first();
}

export async function findStart(db: Db, botId: string, name: string, stage: Stage): Promise<StartRow | undefined> {
  return db<StartRow>('starts').where({ bot_id: botId, name, stage, declared: 1 }).first();
}

export async function changeStart(
  db: Db,
  id: string,
  change: { readonly is_on?: boolean; readonly token_hash?: string | null; readonly next_at?: Date | null },
): Promise<void> {
  await db('starts').where({ id }).update(change);
}

/** Schedules whose time has come. */
export async function dueSchedules(db: Db, now: Date): Promise<StartRow[]> {
  return statement(db, (hot) =>
    hot.read<StartRow>(
      "SELECT * FROM starts WHERE kind = 'schedule' AND stage = 'live' AND is_on = 1 AND declared = 1 AND next_at <= ? ORDER BY next_at LIMIT 50",
      [now],
    ),
  );
}

/** Moves a schedule to its next time; false when somebody else has done so already. */
export async function moveSchedule(hot: Hot, id: string, from: Date, to: Date | null): Promise<boolean> {
  return (await hot.write('UPDATE starts SET next_at = ? WHERE id = ? AND next_at = ?', [to, id, from])).rows === 1;
}

export type StartOutcome = 'taken' | 'repeat' | 'refused' | 'missed' | 'failed';

/** Something that came to a start, as it came. */
export interface StartEventRow {
  readonly id: string;
  readonly start_id: string;
  readonly bot_id: string;
  readonly outcome: StartOutcome;
  readonly status: number;
  readonly about: string;
  readonly content_type: string | null;
  readonly headers: string | null;
  readonly query: string | null;
  readonly body: string | null;
  readonly run_id: string | null;
  readonly times: number;
  readonly at: Date;
}

/** Notes what came to a start; a statement, so that it can stand in the transaction that accepts it. */
export function insertStartEvent(row: Omit<StartEventRow, 'times'>): Statement {
  return {
    sql: `INSERT INTO start_events (id, start_id, bot_id, outcome, status, about, content_type, headers, query, body, run_id, times, at)
      VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 1, ?)`,
    values: [
      row.id,
      row.start_id,
      row.bot_id,
      row.outcome,
      row.status,
      row.about,
      row.content_type,
      row.headers,
      row.query,
      row.body,
      row.run_id,
      row.at,
    ],
  };
}

/** Counts what anybody can bring about in the one row that tells of it. */
export async function countStartEvent(db: Db, row: Omit<StartEventRow, 'times'>, times: number): Promise<void> {
  const { start_id, outcome, about, at } = row;
  const counted = await db('start_events')
    .where({ start_id, outcome, about, body: null })
    .orderBy('id', 'desc')
    .limit(1)
    .update({ times: db.raw('times + ?', [times]), at });
  if (counted === 0) await db('start_events').insert({ ...row, times });
}

export const KEPT_EVENTS = 100;

/** Leaves the last hundred of a start. */
export async function trimStartEvents(db: Db, startId: string): Promise<void> {
  const oldest: { id: string } | undefined = await db('start_events')
    .where({ start_id: startId })
    .orderBy('id', 'desc')
    .offset(KEPT_EVENTS)
    .first('id');
  if (oldest) await db('start_events').where({ start_id: startId }).where('id', '<=', oldest.id).delete();
}

export async function listStartEvents(db: Db, startId: string): Promise<StartEventRow[]> {
  return db<StartEventRow>('start_events').where({ start_id: startId }).orderBy('id', 'desc').limit(KEPT_EVENTS);
}

/** A change of a row for which a start was promised a run. */
export interface RowEventRow {
  readonly id: string;
  readonly start_id: string;
  readonly bot_id: string;
  readonly came: string;
  readonly chain: string;
  readonly tries: number;
}

export async function waitingRowEvents(db: Db): Promise<Waiting[]> {
  return statement(db, (hot) => hot.read<Waiting>(fairly('SELECT id, bot_id AS owner, at AS since FROM row_events'), []));
}

export async function rowEvent(db: Db, id: string): Promise<RowEventRow | undefined> {
  return statement(
    db,
    async (hot) =>
      (await hot.read<RowEventRow>('SELECT id, start_id, bot_id, came, chain, tries FROM row_events WHERE id = ?', [id]))[0],
  );
}

export const dropRowEvent = (id: string): Statement => ({ sql: 'DELETE FROM row_events WHERE id = ?', values: [id] });

/** Counts a try at a change of a row; returns how many there were. */
export async function tryRowEvent(db: Db, id: string): Promise<void> {
  await db('row_events').where({ id }).increment('tries', 1);
}
