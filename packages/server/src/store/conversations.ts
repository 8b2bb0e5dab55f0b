import type { Session } from '@primrose/core';
import type { Db } from './database.js';
import { statement } from './hot.js';

/** How many lines are read together. */
export const LINES_AT_ONCE = 200;

export interface ConversationRow {
  readonly id: string;
  readonly bot_id: string;
  readonly channel_id: string;
  readonly visitor_id: string | null;
  readonly release_id: string | null;
  readonly state: string;
  readonly version: number;
  readonly last_seq: number;
  readonly visitor_name: string | null;
  readonly opened_at: Date;
  readonly ended_at: Date | null;
}

export interface LineRow {
  readonly conversation_id: string;
  readonly seq: number;
  readonly who: 'visitor' | 'bot' | 'notice';
  readonly external_id: string | null;
  readonly message: string;
  readonly at: Date;
  /** Not to be shown before; null for at once. */
  readonly due_at: Date | null;
}

export interface VisitorRow {
  readonly id: string;
  readonly key_hash: string;
  readonly bot_id: string;
  readonly variables: string;
  readonly conversation_id: string | null;
}

export interface TurnRow {
  readonly conversation_id: string;
  readonly number: number;
  readonly event_id: string;
  readonly release_number: number | null;
  readonly revision: number | null;
  readonly sheet: string;
  readonly timings: string;
  readonly ms: number;
  readonly at: Date;
}

export async function insertVisitor(db: Db, row: { id: string; botId: string; keyHash: string; at: Date }): Promise<void> {
  await db('visitors').insert({ id: row.id, bot_id: row.botId, key_hash: row.keyHash, variables: '{}', created_at: row.at });
}

export async function visitorByKey(db: Db, botId: string, keyHash: string): Promise<VisitorRow | undefined> {
  return db<VisitorRow>('visitors').where({ bot_id: botId, key_hash: keyHash }).first();
}

export async function setVisitorConversation(db: Db, id: string, conversationId: string): Promise<void> {
  await db('visitors').where({ id }).update({ conversation_id: conversationId });
}

export async function insertConversation(
  db: Db,
  row: {
    id: string;
    botId: string;
    channelId: string;
    visitorId: string | null;
    releaseId: string | null;
    state: Session;
    visitorName: string | null;
    at: Date;
  },
): Promise<void> {
  await db('conversations').insert({
    id: row.id,
    bot_id: row.botId,
    channel_id: row.channelId,
    visitor_id: row.visitorId,
    release_id: row.releaseId,
    state: JSON.stringify(row.state),
    version: 0,
    last_seq: 0,
    visitor_name: row.visitorName,
    opened_at: row.at,
  });
}

export async function findConversation(db: Db, id: string): Promise<ConversationRow | undefined> {
  return db<ConversationRow>('conversations').where({ id }).first();
}

/** True when a visitor has begun another conversation since. */
export async function isLeft(db: Db, visitorId: string, conversationId: string): Promise<boolean> {
  const row: { conversation_id: string | null } | undefined = await db('visitors')
    .where({ id: visitorId })
    .first('conversation_id');
  return row !== undefined && row.conversation_id !== conversationId;
}

/** A conversation of a bot that its owner may see. */
export async function conversationOfBot(db: Db, botId: string, id: string): Promise<ConversationRow | undefined> {
  return db<ConversationRow>('conversations').where({ id, bot_id: botId }).first();
}

/** Ends a conversation. A number is used up, so that whoever looks at the numbers sees that something happened. */
export async function endConversation(db: Db, id: string, at: Date): Promise<void> {
  await db('conversations')
    .where({ id, ended_at: null })
    .update({ ended_at: at, last_seq: db.raw('last_seq + 1') });
}

/** The event that a channel has delivered under its own id, if it has. */
export async function eventByExternalId(
  db: Db,
  channelId: string,
  externalId: string,
): Promise<{ id: string; conversation_id: string } | undefined> {
  return db('events').where({ channel_id: channelId, external_id: externalId }).first('id', 'conversation_id');
}

/** Lines of a conversation behind a number, in order; at most 200. */
export async function linesAfter(db: Db, conversationId: string, seq: number): Promise<LineRow[]> {
  return statement(db, (hot) =>
    hot.read<LineRow>(
      `SELECT conversation_id, seq, who, external_id, message, at, due_at FROM chat_lines
       WHERE conversation_id = ? AND seq > ? ORDER BY seq LIMIT ${LINES_AT_ONCE}`,
      [conversationId, seq],
    ),
  );
}

function turns(db: Db) {
  return db('turns as t').leftJoin('releases as r', 'r.id', 't.release_id').select('t.*', 'r.number as release_number');
}

export async function listTurns(db: Db, conversationId: string): Promise<TurnRow[]> {
  return turns(db).where('t.conversation_id', conversationId).orderBy('t.number').limit(500);
}

export async function turnOfEvent(db: Db, eventId: string): Promise<TurnRow | undefined> {
  return (await turns(db).where('t.event_id', eventId).first()) as TurnRow | undefined;
}
