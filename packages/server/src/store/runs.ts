import type { RunOutcome, RunResult, Source, Values } from '@primrose/core';
import { ownColumn } from './columns.js';
import type { Db } from './database.js';
import { statement, type Hot, type Statement } from './hot.js';
import type { Stage } from './starts.js';

export interface RunRow {
  readonly id: string;
  readonly bot_id: string;
  readonly start: string | null;
  readonly by: Source;
  readonly flow: string;
  readonly stage: Stage;
  readonly outcome: RunOutcome;
  readonly given: string;
  readonly gave: string | null;
  readonly reason: string | null;
  readonly again_of: string | null;
  readonly chain: string;
  readonly at: Date;
  readonly ended_at: Date | null;
}

/** `runs.given` and `runs.gave`. */
export const givenColumn = ownColumn<Values>('given');

export interface NewRun {
  readonly id: string;
  readonly botId: string;
  readonly start: string | null;
  readonly by: Source;
  readonly flow: string;
  readonly stage: Stage;
  readonly given: Values;
  readonly againOf: string | null;
  readonly chain: readonly string[];
  readonly at: Date;
}

/** Makes a run's entry, in the transaction that accepts its event. */
export function insertRun(row: NewRun): Statement {
  const { id, botId, start, by, flow, stage, given, againOf, chain, at } = row;
  return {
    sql: `INSERT INTO runs (id, bot_id, start, \`by\`, flow, stage, outcome, given, again_of, chain, at)
      VALUES (?, ?, ?, ?, ?, ?, 'running', ?, ?, ?, ?)`,
    values: [id, botId, start, by, flow, stage, givenColumn.write(given), againOf, chain.join(','), at],
  };
}

/** Notes what a run has come to, in the transaction that stores its turn. */
export function endRun(
  id: string,
  { outcome, gave, reason }: Pick<RunResult, 'gave' | 'reason'> & { readonly outcome: RunOutcome },
  at: Date,
): Statement {
  return {
    sql: 'UPDATE runs SET outcome = ?, gave = ?, reason = ?, ended_at = ? WHERE id = ?',
    values: [outcome, givenColumn.write(gave), reason, at, id],
  };
}

export async function findRun(db: Db, botId: string, id: string): Promise<RunRow | undefined> {
  return statement(db, async (hot) => (await hot.read<RunRow>('SELECT * FROM runs WHERE id = ? AND bot_id = ?', [id, botId]))[0]);
}

/** The starts that have led to a run, itself included, with commas between; empty where it is no run. */
export async function chainOf(hot: Hot, id: string): Promise<string> {
  const [row] = await hot.read<{ chain: string }>('SELECT chain FROM runs WHERE id = ?', [id]);
  return row?.chain ?? '';
}

export interface RunsWanted {
  readonly start?: string | undefined;
  readonly flow?: string | undefined;
  readonly outcome?: RunOutcome | undefined;
  readonly from?: Date | undefined;
  readonly to?: Date | undefined;
  readonly after?: string | undefined;
  readonly limit: number;
}

/** Runs, the newest first. */
export async function listRuns(db: Db, botId: string, wanted: RunsWanted): Promise<RunRow[]> {
  const { start, flow, outcome, from, to, after, limit } = wanted;
  const query = db<RunRow>('runs').where({ bot_id: botId }).orderBy('id', 'desc').limit(limit);
  if (start !== undefined) void query.where({ start });
  if (flow !== undefined) void query.where({ flow });
  if (outcome !== undefined) void query.where({ outcome });
  if (from) void query.where('at', '>=', from);
  if (to) void query.where('at', '<', to);
  if (after !== undefined) void query.where('id', '<', after);
  return query;
}

/** How many runs there were since a moment, by start and outcome; those by hand stand under null. */
export async function countRuns(
  db: Db,
  botId: string,
  since: Date,
): Promise<{ readonly start: string | null; readonly outcome: RunOutcome; readonly count: number }[]> {
  const rows: { start: string | null; outcome: RunOutcome; count: number | string }[] = await db('runs')
    .where({ bot_id: botId })
    .where('at', '>=', since)
    .groupBy('start', 'outcome')
    .select('start', 'outcome', db.raw('COUNT(*) as count'));
  return rows.map((r) => ({ ...r, count: Number(r.count) }));
}
