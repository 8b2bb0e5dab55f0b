import type { RunOutcome, Values } from '@primrose/core';
import { Refused } from '../base/refused.js';
import { ownColumn } from './columns.js';
import type { Db } from './database.js';
import type { Statement } from './hot.js';
import type { Stage } from './starts.js';

/*
 * What came of pages. A result is what somebody filled in; its runs are those of the whole flow and of single outputs, each under
 * the id of the run that it becomes. Waiting is a row of `page_runs` that no run has been begun for.
 */

export interface ResultRow {
  readonly id: string;
  readonly bot_id: string;
  readonly page: string;
  readonly channel_id: string | null;
  readonly stage: Stage;
  readonly visitor_hash: string | null;
  readonly person_id: string | null;
  readonly external_id: string;
  readonly inputs: string;
  readonly chat_id: string | null;
  readonly chat_runs: number | null;
  readonly at: Date;
}

export interface PageRunRow {
  readonly id: string;
  readonly result_id: string;
  readonly bot_id: string;
  readonly page: string;
  readonly channel_id: string | null;
  readonly part: string | null;
  readonly waits: number;
  readonly kept: string | null;
  readonly reasons: string | null;
  readonly tokens: number;
  readonly price: number;
  readonly at: Date;
}

/** A run with what it has come to; null while it has not begun. */
export interface RanPage extends PageRunRow {
  readonly outcome: RunOutcome | null;
  readonly reason: string | null;
}

/** `page_results.inputs` and `page_runs.kept`. */
export const pageValues = ownColumn<Values>('inputs');
/** `page_runs.reasons`. */
export const reasonsColumn = ownColumn<Readonly<Record<string, string>>>('reasons');

export type NewResult = Omit<ResultRow, 'chat_id' | 'chat_runs'>;
export type NewPageRun = Pick<PageRunRow, 'id' | 'result_id' | 'bot_id' | 'page' | 'channel_id' | 'part' | 'at'>;

/** What has to be so that a run is taken: that it is counted on its day, and that not too many wait. */
export interface Taken {
  /** Undefined where nobody counts it. */
  readonly day: CountedDay | undefined;
  /** So many of its page may wait. */
  readonly most: number;
}

/** Stores a result with its first run, which waits; a repeat of the same external id fails as a duplicate. */
export async function insertResult(db: Db, result: NewResult, run: NewPageRun, taken: Taken): Promise<void> {
  await db.transaction(async (tx) => {
    await take(tx, run, taken);
    await tx('page_results').insert(result);
    await tx('page_runs').insert({ ...run, waits: true });
  });
}

/** So many runs a result has at most: each may hold half a million letters. */
const MOST_RUNS = 60;
/** So many links are kept of a result at most. */
const MOST_FROZEN = 20;

/** Stores a run more of a result. Refused while one of it is under way, and where it has had enough: those who come at once see one another. */
export async function insertPageRun(db: Db, run: NewPageRun, taken: Taken): Promise<void> {
  await db.transaction(async (tx) => {
    await tx('page_results').where({ id: run.result_id }).forUpdate().select('id');
    const runs = await runsOf(tx, [run.result_id]);
    if (runs.some((r) => r.waits === 1 || r.outcome === 'running')) throw new Refused('page-under-way', {});
    if (runs.length >= MOST_RUNS) throw new Refused('page-runs-enough', { most: MOST_RUNS });
    await take(tx, run, taken);
    await tx('page_runs').insert({ ...run, waits: true });
  });
}

/** Counts first: the row of the day is locked by that, so that those who come at once see one another. */
async function take(db: Db, run: NewPageRun, { day, most }: Taken): Promise<void> {
  if (day) await countDay(db, day);
  const waiting = await placeOf(db, run);
  if (waiting >= most) throw new Refused('page-crowded', { waiting });
}

/** A run of a page more on a day, for one visitor. */
export interface CountedDay {
  readonly channelId: string;
  readonly botId: string;
  readonly day: string;
  readonly visitor: string;
  /** How many runs of one visitor and of all there may be, and what all of them may cost; null for any. */
  readonly limits: { readonly visitor: number | null; readonly day: number | null; readonly budget: number | null };
}

/** Counts a run more. Refused, and with it all that its transaction does, where that is more than may be. */
async function countDay(db: Db, counted: CountedDay): Promise<void> {
  const { channelId, botId, day, visitor, limits } = counted;
  for (const who of ['', visitor])
    await db.raw(
      `INSERT INTO page_days (channel_id, day, visitor, bot_id, runs, tokens, price) VALUES (?, ?, ?, ?, 1, 0, 0)
       ON DUPLICATE KEY UPDATE runs = runs + 1`,
      [channelId, day, who, botId],
    );
  const { all, own } = await spentOn(db, channelId, day, visitor);
  if (limits.visitor !== null && own.runs > limits.visitor)
    throw new Refused('page-enough', { of: 'visitor', most: limits.visitor });
  if (limits.day !== null && all.runs > limits.day) throw new Refused('page-enough', { of: 'day', most: limits.day });
  if (limits.budget !== null && all.price >= limits.budget)
    throw new Refused('page-enough', { of: 'budget', most: limits.budget });
}

export interface Spent {
  readonly runs: number;
  readonly tokens: number;
  readonly price: number;
}

/** What a shared page has cost on a day: in all, and for one visitor. */
export async function spentOn(db: Db, channelId: string, day: string, visitor: string): Promise<{ all: Spent; own: Spent }> {
  const rows: (Spent & { visitor: string })[] = await db('page_days')
    .where({ channel_id: channelId, day })
    .whereIn('visitor', ['', visitor])
    .select('visitor', 'runs', 'tokens', 'price');
  const of = (who: string): Spent => {
    const row = rows.find((r) => r.visitor === who);
    return { runs: row?.runs ?? 0, tokens: row?.tokens ?? 0, price: row?.price ?? 0 };
  };
  return { all: of(''), own: of(visitor) };
}

/** Notes what a run of a page held in the end and what it cost, in the transaction that stores its last turn. */
export function endPageRun(
  id: string,
  {
    kept,
    reasons,
    tokens,
    price,
    day,
  }: {
    readonly kept: Values;
    readonly reasons: Readonly<Record<string, string>>;
    readonly tokens: number;
    readonly price: number;
    readonly day: string;
  },
): Statement[] {
  return [
    {
      sql: 'UPDATE page_runs SET kept = ?, reasons = ? WHERE id = ?',
      values: [pageValues.write(kept), reasonsColumn.write(reasons), id],
    },
    ...spentMore(id, { tokens, price, day }),
  ];
}

/** Adds what a turn of a run has cost to the run, and to its page's day. */
export function spentMore(
  id: string,
  { tokens, price, day }: { readonly tokens: number; readonly price: number; readonly day: string },
): Statement[] {
  if (tokens === 0 && price === 0) return [];
  return [
    {
      sql: 'UPDATE page_runs SET tokens = tokens + ?, price = price + ? WHERE id = ?',
      values: [tokens, price, id],
    },
    {
      sql: `UPDATE page_days d JOIN page_runs r ON r.channel_id = d.channel_id
        SET d.tokens = d.tokens + ?, d.price = d.price + ? WHERE r.id = ? AND d.day = ? AND d.visitor = ''`,
      values: [tokens, price, id, day],
    },
  ];
}

/** Adds what a turn of a chat about a result has cost to its page's day. */
export function spentInChat(
  { channelId, botId, day }: Pick<CountedDay, 'channelId' | 'botId' | 'day'>,
  { tokens, price }: { readonly tokens: number; readonly price: number },
): Statement[] {
  if (tokens === 0 && price === 0) return [];
  return [
    {
      sql: `INSERT INTO page_days (channel_id, day, visitor, bot_id, runs, tokens, price) VALUES (?, ?, '', ?, 0, ?, ?)
        ON DUPLICATE KEY UPDATE tokens = tokens + VALUES(tokens), price = price + VALUES(price)`,
      values: [channelId, day, botId, tokens, price],
    },
  ];
}

/** Refused where what a page may cost on a day is spent. */
export async function mayBeSpent(db: Db, { channelId, day, limits: { budget } }: CountedDay): Promise<void> {
  if (budget === null) return;
  const { all } = await spentOn(db, channelId, day, '');
  if (all.price >= budget) throw new Refused('page-enough', { of: 'budget', most: budget });
}

/** A run waits no longer: in the transaction that begins it. */
export function beginsPageRun(id: string): Statement {
  return { sql: 'UPDATE page_runs SET waits = 0 WHERE id = ?', values: [id] };
}

export async function findResult(db: Db, botId: string, id: string): Promise<ResultRow | undefined> {
  return db<ResultRow>('page_results').where({ id, bot_id: botId }).first();
}

export async function resultByExternalId(db: Db, externalId: string): Promise<ResultRow | undefined> {
  return db<ResultRow>('page_results').where({ external_id: externalId }).first();
}

/** Results of a page, or of one visitor under one link, the newest first. */
export async function listResults(
  db: Db,
  of: { readonly botId: string; readonly page?: string; readonly channelId?: string; readonly visitor?: string },
  { after, limit }: { readonly after?: string | undefined; readonly limit: number },
): Promise<ResultRow[]> {
  const query = db<ResultRow>('page_results').where({ bot_id: of.botId }).orderBy('id', 'desc').limit(limit);
  if (of.page !== undefined) void query.where({ page: of.page });
  if (of.channelId !== undefined) void query.where({ channel_id: of.channelId });
  if (of.visitor !== undefined) void query.where({ visitor_hash: of.visitor });
  if (after !== undefined) void query.where('id', '<', after);
  return query;
}

export async function countResults(db: Db, botId: string): Promise<ReadonlyMap<string, number>> {
  const rows: { page: string; count: number | string }[] = await db('page_results')
    .where({ bot_id: botId })
    .groupBy('page')
    .select('page', db.raw('COUNT(*) as count'));
  return new Map(rows.map((r) => [r.page, Number(r.count)]));
}

/** The runs of some results, the oldest first. */
export async function runsOf(db: Db, results: readonly string[]): Promise<RanPage[]> {
  return db('page_runs as p')
    .leftJoin('runs as r', 'r.id', 'p.id')
    .whereIn('p.result_id', [...results])
    .orderBy('p.id')
    .select('p.*', 'r.outcome', 'r.reason');
}

export interface RunOfPage {
  readonly id: string;
  readonly page: string;
  readonly result_id: string;
  readonly part: string | null;
  readonly tokens: number;
  readonly price: number;
  readonly person: string | null;
  readonly share: string | null;
}

/** Of some runs those of pages: who filled them in, and what they cost. */
export async function pagesOfRuns(db: Db, ids: readonly string[]): Promise<ReadonlyMap<string, RunOfPage>> {
  if (ids.length === 0) return new Map();
  const rows: RunOfPage[] = await db('page_runs as p')
    .join('page_results as r', 'r.id', 'p.result_id')
    .leftJoin('people as w', 'w.id', 'r.person_id')
    .leftJoin('channels as c', 'c.id', 'r.channel_id')
    .whereIn('p.id', [...ids])
    .select('p.id', 'p.page', 'p.result_id', 'p.part', 'p.tokens', 'p.price', 'w.name as person', 'c.name as share');
  return new Map(rows.map((row) => [row.id, row]));
}

/** How many of a page wait before a run, itself included. */
export async function placeOf(db: Db, { bot_id, page, id }: Pick<PageRunRow, 'bot_id' | 'page' | 'id'>): Promise<number> {
  const row: { count?: number | string } | undefined = await db('page_runs')
    .where({ waits: true, bot_id, page })
    .where('id', '<=', id)
    .count('* as count')
    .first();
  return Number(row?.count ?? 0);
}

/** How many wait before the run of a result that waits, itself included; null where none of it waits. */
export async function waitingPlace(db: Db, result: Pick<ResultRow, 'id'>): Promise<number | null> {
  const run = await db<PageRunRow>('page_runs').where({ result_id: result.id, waits: 1 }).first('id', 'bot_id', 'page');
  return run ? placeOf(db, run) : null;
}

/** Pages of which runs wait. */
export async function waitingPages(db: Db): Promise<{ readonly bot_id: string; readonly page: string }[]> {
  return db('page_runs').where({ waits: true }).distinct('bot_id', 'page').limit(500);
}

/** The runs of a page that wait longest. */
export async function nextWaiting(db: Db, botId: string, page: string, limit: number): Promise<PageRunRow[]> {
  return db<PageRunRow>('page_runs').where({ waits: 1, bot_id: botId, page }).orderBy('id').limit(limit);
}

/** How many runs of a page are under way. */
export async function countRunning(db: Db, botId: string, page: string): Promise<number> {
  const row: { count?: number | string } | undefined = await db('runs as r')
    .join('page_runs as p', 'p.id', 'r.id')
    .where({ 'r.bot_id': botId, 'r.outcome': 'running', 'p.page': page })
    .count('* as count')
    .first();
  return Number(row?.count ?? 0);
}

export async function setChat(db: Db, id: string, chatId: string, runs: number): Promise<void> {
  await db('page_results').where({ id }).update({ chat_id: chatId, chat_runs: runs });
}

/** Under this name stands why a run never began: no output is called so. */
export const NEVER_BEGAN = '';

/** A run that cannot be begun any more is over before it was. */
export async function failWaiting(db: Db, id: string, reason: string): Promise<void> {
  await db('page_runs')
    .where({ id })
    .update({ waits: 0, kept: pageValues.write({}), reasons: reasonsColumn.write({ [NEVER_BEGAN]: reason }) });
}

export interface FrozenRow {
  readonly id: string;
  readonly bot_id: string;
  readonly page: string;
  readonly result_id: string;
  readonly link: string;
  readonly with_inputs: number;
  readonly held: string;
  readonly at: Date;
}

/** Keeps a result under a link. Refused where so many links of it are kept as may be. */
export async function insertFrozen(db: Db, row: Omit<FrozenRow, 'with_inputs'> & { with_inputs: boolean }): Promise<void> {
  await db.transaction(async (tx) => {
    await tx('page_results').where({ id: row.result_id }).forUpdate().select('id');
    const counted: { count?: number | string } | undefined = await tx('page_frozen')
      .where({ result_id: row.result_id })
      .count('* as count')
      .first();
    if (Number(counted?.count ?? 0) >= MOST_FROZEN) throw new Refused('frozen-enough', { most: MOST_FROZEN });
    await tx('page_frozen').insert(row);
  });
}

export async function frozenByLink(db: Db, link: string): Promise<FrozenRow | undefined> {
  return db<FrozenRow>('page_frozen').where({ link }).first();
}

export async function listFrozen(db: Db, botId: string, page: string): Promise<Omit<FrozenRow, 'held'>[]> {
  return db('page_frozen')
    .where({ bot_id: botId, page })
    .orderBy('id', 'desc')
    .limit(200)
    .select('id', 'bot_id', 'page', 'result_id', 'link', 'with_inputs', 'at');
}

export async function dropFrozen(db: Db, botId: string, id: string): Promise<number> {
  return db('page_frozen').where({ bot_id: botId, id }).delete();
}

const ROWS_AT_ONCE = 50;

/** Results, with their runs and what was kept of them, from before a moment. */
export async function dropOldResults(db: Db, botId: string, before: Date): Promise<number> {
  const old: { id: string }[] = await db('page_results')
    .where({ bot_id: botId })
    .where('at', '<', before)
    .orderBy('id')
    .limit(ROWS_AT_ONCE)
    .select('id');
  if (old.length === 0) return 0;
  const ids = old.map((r) => r.id);
  await db('page_runs').whereIn('result_id', ids).delete();
  await db('page_frozen').whereIn('result_id', ids).delete();
  return db('page_results').whereIn('id', ids).delete();
}

export async function dropOldDays(db: Db, before: string): Promise<number> {
  return db('page_days').where('day', '<', before).limit(1000).delete();
}
