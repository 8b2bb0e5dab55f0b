import type { Message } from '@primrose/core';
import type { Db } from './database.js';
import { fairly, statement, type Statement, type Waiting } from './hot.js';

export type NoticeState = 'waits' | 'sent' | 'failed';

export interface NoticeRow {
  readonly id: string;
  readonly bot_id: string;
  readonly channel_id: string;
  readonly conversation_id: string | null;
  readonly recipient: string;
  readonly message: string;
  readonly state: NoticeState;
  readonly part: number;
  readonly tries: number;
  readonly reason: string | null;
  readonly at: Date;
  readonly sent_at: Date | null;
}

export interface NewNotice {
  readonly id: string;
  /** The place in the turn that it comes from: the same one is stored once. */
  readonly origin: string;
  readonly botId: string;
  readonly channelId: string;
  readonly conversationId: string | null;
  readonly recipient: string;
  readonly message: Message;
  readonly at: Date;
}

/** Stores a notice, once under its origin. */
export function noticeStatement(row: NewNotice): Statement {
  return {
    sql: `INSERT IGNORE INTO notices (id, origin, bot_id, channel_id, conversation_id, recipient, message, state, part, tries, at)
       VALUES (?, ?, ?, ?, ?, ?, ?, 'waits', 0, 0, ?)`,
    values: [
      row.id,
      row.origin,
      row.botId,
      row.channelId,
      row.conversationId,
      row.recipient,
      JSON.stringify(row.message),
      row.at,
    ],
  };
}

/** Stores a notice; the id of the one that is stored under this origin, now or before. */
export async function keepNotice(db: Db, row: NewNotice): Promise<string> {
  return statement(db, async (hot) => {
    await hot.run(noticeStatement(row));
    const [stored] = await hot.read<{ id: string }>('SELECT id FROM notices WHERE origin = ?', [row.origin]);
    if (!stored) throw new Error('a notice that was just stored is gone');
    return stored.id;
  });
}

export async function waitingNotices(db: Db, now: Date): Promise<Waiting[]> {
  return statement(db, (hot) =>
    hot.read<Waiting>(
      fairly(
        `SELECT id, channel_id AS owner, at AS since FROM notices
         WHERE state = 'waits' AND (next_at IS NULL OR next_at <= ?) AND (lease_until IS NULL OR lease_until < ?)`,
      ),
      [now, now],
    ),
  );
}

/** Takes a notice for sending; undefined when another process has it, or it is not due. */
export async function takeNotice(
  db: Db,
  id: string,
  { owner, now, until }: { readonly owner: string; readonly now: Date; readonly until: Date },
): Promise<NoticeRow | undefined> {
  return statement(db, async (hot) => {
    const taken = await hot.write(
      `UPDATE notices SET lease_owner = ?, lease_until = ?
       WHERE id = ? AND state = 'waits' AND (next_at IS NULL OR next_at <= ?) AND (lease_until IS NULL OR lease_until < ? OR lease_owner = ?)`,
      [owner, until, id, now, now, owner],
    );
    if (taken.rows !== 1) return undefined;
    return (await hot.read<NoticeRow>('SELECT * FROM notices WHERE id = ?', [id]))[0];
  });
}

export interface NoticeMove {
  readonly state: NoticeState;
  readonly part: number;
  readonly tries: number;
  readonly reason: string | null;
  readonly nextAt: Date | null;
  readonly sentAt: Date | null;
}

/** Notes how far the sending of a notice came, and gives it back unless it is sent on. */
export async function moveNotice(db: Db, id: string, owner: string, to: NoticeMove, leaseUntil: Date | null): Promise<boolean> {
  const done = await statement(db, (hot) =>
    hot.write(
      `UPDATE notices SET state = ?, part = ?, tries = ?, reason = ?, next_at = ?, sent_at = ?, lease_until = ?
       WHERE id = ? AND lease_owner = ?`,
      [to.state, to.part, to.tries, to.reason, to.nextAt, to.sentAt, leaseUntil, id, owner],
    ),
  );
  return done.rows === 1;
}

/** Notices of a bot, the newest first; only those in a state, or of one run, where that is asked for. */
export async function listNotices(
  db: Db,
  botId: string,
  {
    state,
    conversation,
    after,
    limit,
  }: {
    readonly state?: NoticeState | undefined;
    readonly conversation?: string | undefined;
    readonly after?: string | undefined;
    readonly limit: number;
  },
): Promise<NoticeRow[]> {
  const query = db<NoticeRow>('notices').where({ bot_id: botId }).orderBy('id', 'desc').limit(limit);
  if (state !== undefined) void query.where({ state });
  if (conversation !== undefined) void query.where({ conversation_id: conversation });
  if (after !== undefined) void query.where('id', '<', after);
  return query;
}

/** Has a notice that failed for good sent again; false where there is none. */
export async function sendNoticeAgain(db: Db, botId: string, id: string): Promise<boolean> {
  const done = await db('notices')
    .where({ id, bot_id: botId, state: 'failed' })
    .update({ state: 'waits', tries: 0, reason: null, next_at: null, lease_until: null });
  return done === 1;
}
