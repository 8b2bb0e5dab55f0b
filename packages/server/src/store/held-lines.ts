import type { Db } from './database.js';
import { statement, type Statement } from './hot.js';

/** How it stands with the line of a channel to its server. */
export interface LineState {
  readonly state: 'connecting' | 'connected' | 'trouble';
  readonly reason: string | null;
  readonly since: Date;
}

export interface HeldLine extends LineState {
  readonly version: number;
  readonly cursor_at: string | null;
}

interface Holding {
  readonly owner: string;
  readonly now: Date;
  readonly until: Date;
}

/** Takes the line of a channel, or keeps it; undefined while another process has it. A compare-and-set. */
export async function holdLine(db: Db, channelId: string, { owner, now, until }: Holding): Promise<HeldLine | undefined> {
  return statement(db, async (hot) => {
    await hot.write("INSERT IGNORE INTO channel_lines (channel_id, state, since) VALUES (?, 'connecting', ?)", [channelId, now]);
    const held = await hot.write(
      `UPDATE channel_lines SET owner = ?, lease_until = ?
       WHERE channel_id = ? AND (owner IS NULL OR owner = ? OR lease_until < ?)`,
      [owner, until, channelId, owner, now],
    );
    if (held.rows !== 1) return undefined;
    const [row] = await hot.read<HeldLine>(
      'SELECT version, state, reason, since, cursor_at FROM channel_lines WHERE channel_id = ?',
      [channelId],
    );
    return row;
  });
}

export async function dropLine(db: Db, channelId: string, owner: string): Promise<void> {
  await db('channel_lines').where({ channel_id: channelId, owner }).update({ owner: null, lease_until: null });
}

/** Notes how it stands with a line; `since` stays where it stood so before. */
export async function noteLine(db: Db, channelId: string, { state, reason, since }: LineState): Promise<void> {
  await db('channel_lines')
    .where({ channel_id: channelId })
    .update({ since: db.raw('IF(state = ?, since, ?)', [state, since]), state, reason });
}

/** How far was taken what comes in; only from whoever holds the line. */
export async function moveCursor(db: Db, channelId: string, owner: string, cursor: string): Promise<void> {
  await db('channel_lines').where({ channel_id: channelId, owner }).update({ cursor_at: cursor });
}

/** The channel was set otherwise: its line is made anew. `forget`: what comes in is taken from now on. */
export async function renewLine(db: Db, channelId: string, forget = false): Promise<void> {
  await db('channel_lines')
    .where({ channel_id: channelId })
    .update({ version: db.raw('version + 1'), ...(forget ? { cursor_at: null } : {}) });
}

export async function lineOfChannel(db: Db, channelId: string): Promise<LineState | undefined> {
  const row: LineState | undefined = await db('channel_lines').where({ channel_id: channelId }).first('state', 'reason', 'since');
  return row;
}

/** Who holds the line of a channel now; undefined where nobody does. */
export async function lineHolder(db: Db, channelId: string, now: Date): Promise<string | undefined> {
  const row: { owner: string } | undefined = await db('channel_lines')
    .where({ channel_id: channelId })
    .whereNotNull('owner')
    .where('lease_until', '>', now)
    .first('owner');
  return row?.owner;
}

/** What stands under an id of the other side: the conversation, and which line of it; 0 for what the visitor sent. */
export interface SentMessage {
  readonly conversation_id: string;
  readonly seq: number;
}

/** Keeps under which id the other side knows a message, the visitor's own included. */
export function sentMessage(
  row: SentMessage & { readonly channelId: string; readonly idHash: string; readonly at: Date },
): Statement {
  return {
    sql: `INSERT IGNORE INTO sent_messages (channel_id, id_hash, conversation_id, seq, at) VALUES (?, ?, ?, ?, ?)`,
    values: [row.channelId, row.idHash, row.conversation_id, row.seq, row.at],
  };
}

export async function keepSent(db: Db, row: Parameters<typeof sentMessage>[0]): Promise<void> {
  const { sql, values } = sentMessage(row);
  await statement(db, (hot) => hot.write(sql, values));
}

/** The newest of some messages that are known on a channel. */
export async function knownMessage(db: Db, channelId: string, idHashes: readonly string[]): Promise<SentMessage | undefined> {
  if (idHashes.length === 0) return undefined;
  const row: SentMessage | undefined = await db('sent_messages')
    .where({ channel_id: channelId })
    .whereIn('id_hash', [...idHashes])
    .orderBy('at', 'desc')
    .first('conversation_id', 'seq');
  return row;
}

/** Notes that the lines of a conversation up to one were read. */
export async function markRead(db: Db, conversationId: string, seq: number, at: Date): Promise<void> {
  await db('chat_lines')
    .where({ conversation_id: conversationId })
    .where('seq', '<=', seq)
    .whereNull('read_at')
    .whereNot({ who: 'visitor' })
    .update({ read_at: at });
}
