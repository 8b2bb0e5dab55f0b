import type { Value } from '@primrose/core';
import type { Db } from './database.js';
import { fairly, statement, type Waiting } from './hot.js';

export interface TesterRow {
  readonly sender: string;
  readonly name: string;
}

export async function listTesters(db: Db, channelId: string): Promise<TesterRow[]> {
  return db('channel_testers').where({ channel_id: channelId }).orderBy('name').select('sender', 'name');
}

export async function isTester(db: Db, channelId: string, sender: string): Promise<boolean> {
  return (await db('channel_testers').where({ channel_id: channelId, sender }).first('sender')) !== undefined;
}

export async function putTester(db: Db, channelId: string, { sender, name }: TesterRow): Promise<void> {
  await db('channel_testers').insert({ channel_id: channelId, sender, name }).onConflict().merge(['name']);
}

export async function removeTester(db: Db, channelId: string, sender: string): Promise<void> {
  await db('channel_testers').where({ channel_id: channelId, sender }).delete();
}

export interface ChannelEventRow {
  readonly id: string;
  readonly channel_id: string;
  readonly direction: 'in' | 'out';
  readonly outcome: 'taken' | 'repeat' | 'passed-over' | 'refused' | 'sent' | 'retried' | 'failed';
  readonly about: string;
  readonly sender: string | null;
  readonly conversation_id: string | null;
  readonly payload: string | null;
  /** How often the same happened, the last time at `at`. */
  readonly times: number;
  readonly at: Date;
}

const KEPT_EVENTS = 100;
/** How often old events are swept away, in insertions. */
const SWEEP_EVERY = 20;
let insertions = 0;

/** Notes what happened on a channel; only the last hundred are kept. */
export async function insertChannelEvent(db: Db, row: Omit<ChannelEventRow, 'times'>): Promise<void> {
  await db('channel_events').insert(row);
  if (insertions++ % SWEEP_EVERY > 0) return;
  const oldest: { id: string } | undefined = await db('channel_events')
    .where({ channel_id: row.channel_id })
    .orderBy('id', 'desc')
    .offset(KEPT_EVENTS)
    .first('id');
  if (oldest) await db('channel_events').where({ channel_id: row.channel_id }).where('id', '<=', oldest.id).delete();
}

/** Counts something that anybody can bring about any number of times in the one row that tells of it. */
export async function countChannelEvent(db: Db, row: Omit<ChannelEventRow, 'times'>, times: number): Promise<void> {
  const { channel_id, outcome, about, at } = row;
  const counted = await db('channel_events')
    .where({ channel_id, outcome, about, sender: null })
    .orderBy('id', 'desc')
    .limit(1)
    .update({ times: db.raw('times + ?', [times]), at });
  if (counted === 0) await db('channel_events').insert({ ...row, times });
}

export async function listChannelEvents(db: Db, channelId: string): Promise<ChannelEventRow[]> {
  return db<ChannelEventRow>('channel_events').where({ channel_id: channelId }).orderBy('id', 'desc').limit(KEPT_EVENTS);
}

export async function channelEvent(db: Db, channelId: string, id: string): Promise<ChannelEventRow | undefined> {
  return db<ChannelEventRow>('channel_events').where({ channel_id: channelId, id }).first();
}

export interface SampleRow {
  readonly id: string;
  readonly bot_id: string;
  readonly name: string;
  readonly kind: string;
  readonly body: string;
  readonly at: Date;
}

export async function putSample(db: Db, row: Omit<SampleRow, 'body'> & { readonly body: Value }): Promise<void> {
  await db('samples')
    .insert({ ...row, body: JSON.stringify(row.body) })
    .onConflict(['bot_id', 'name'])
    .merge(['kind', 'body', 'at']);
}

export async function listSamples(db: Db, botId: string): Promise<SampleRow[]> {
  return db<SampleRow>('samples').where({ bot_id: botId }).orderBy('name').limit(200);
}

/** How far a conversation was sent to a messenger. `wanted` grows with everything that may have to be sent. */
export interface DeliveryRow {
  readonly conversation_id: string;
  readonly channel_id: string;
  readonly recipient: string;
  readonly answers: string | null;
  readonly thread: string | null;
  readonly wanted: number;
  readonly sent_seq: number;
  readonly part: number;
  readonly tries: number;
}

/** Conversations that wait to be sent and that nobody sends, those aside whose line another process holds, with their channels; at most 50, and of one channel at most 20. */
export async function waitingDeliveries(db: Db, now: Date, owner: string): Promise<Waiting[]> {
  return statement(db, (hot) =>
    hot.read<Waiting>(
      fairly(
        `SELECT conversation_id AS id, channel_id AS owner, COALESCE(next_at, '1970-01-01') AS since FROM deliveries
         WHERE waits = 1 AND (lease_until IS NULL OR lease_until < ?) AND (next_at IS NULL OR next_at <= ?)
           AND NOT EXISTS (SELECT 1 FROM channel_lines l
             WHERE l.channel_id = deliveries.channel_id AND l.owner <> ? AND l.lease_until > ?)`,
      ),
      [now, now, owner, now],
    ),
  );
}

/** Takes a conversation for sending; undefined when another process has it, or nothing is due. */
export async function takeDelivery(
  db: Db,
  id: string,
  { owner, now, until }: { owner: string; now: Date; until: Date },
): Promise<DeliveryRow | undefined> {
  return statement(db, async (hot) => {
    const taken = await hot.write(
      `UPDATE deliveries SET lease_owner = ?, lease_until = ?
       WHERE conversation_id = ? AND waits = 1 AND (lease_until IS NULL OR lease_until < ? OR lease_owner = ?)
         AND (next_at IS NULL OR next_at <= ?)`,
      [owner, until, id, now, owner, now],
    );
    if (taken.rows !== 1) return undefined;
    const [row] = await hot.read<DeliveryRow>(
      'SELECT conversation_id, channel_id, recipient, answers, thread, wanted, sent_seq, part, tries FROM deliveries WHERE conversation_id = ?',
      [id],
    );
    return row;
  });
}

/** Notes how far the sending came; false when it is not ours any more. */
export async function moveDelivery(
  db: Db,
  id: string,
  owner: string,
  to: { sentSeq: number; part: number; tries: number; nextAt: Date | null; leaseUntil: Date | null },
): Promise<boolean> {
  const done = await statement(db, (hot) =>
    hot.write(
      `UPDATE deliveries SET sent_seq = ?, part = ?, tries = ?, next_at = ?, lease_until = ?
       WHERE conversation_id = ? AND lease_owner = ?`,
      [to.sentSeq, to.part, to.tries, to.nextAt, to.leaseUntil, id, owner],
    ),
  );
  return done.rows === 1;
}

/** Gives a conversation back. It waits no longer if nothing was wanted since `wanted` was read. */
export async function endDelivery(db: Db, id: string, owner: string, wanted: number | null): Promise<void> {
  await statement(db, (hot) =>
    hot.write(
      `UPDATE deliveries SET waits = IF(wanted = ?, 0, 1), lease_owner = NULL, lease_until = NULL
       WHERE conversation_id = ? AND lease_owner = ?`,
      [wanted ?? -1, id, owner],
    ),
  );
}

/** True while a turn of the conversation is still to come. */
export async function hasTurnWaiting(db: Db, conversationId: string): Promise<boolean> {
  const row: { waits_since: Date | null } | undefined = await db('conversations')
    .where({ id: conversationId })
    .first('waits_since');
  return row !== undefined && row.waits_since !== null;
}

export async function markLineFailed(db: Db, conversationId: string, seq: number, reason: string): Promise<void> {
  await db('chat_lines').where({ conversation_id: conversationId, seq }).update({ failed: reason });
}

export async function countWaiting(db: Db, channelId: string): Promise<number> {
  const row: { count?: number | string } | undefined = await db('deliveries')
    .where({ channel_id: channelId, waits: true })
    .count('* as count')
    .first();
  return Number(row?.count ?? 0);
}
