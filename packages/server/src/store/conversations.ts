import type { Message } from '@primrose/core';
import { messageColumn, stateColumn } from './columns.js';
import type { Db } from './database.js';
import { statement } from './hot.js';
import type { LineRow } from './lines.js';
import type { VisitorKind } from './persons.js';

/** How many lines are read together. */
export const LINES_AT_ONCE = 200;

export interface ConversationRow {
  readonly id: string;
  readonly bot_id: string;
  /** Null for a run that no conversation began. */
  readonly channel_id: string | null;
  readonly visitor_id: string | null;
  readonly release_id: string | null;
  readonly state: string;
  readonly version: number;
  readonly last_seq: number;
  readonly visitor_name: string | null;
  readonly opened_at: Date;
  readonly ended_at: Date | null;
}

export interface VisitorRow {
  readonly id: string;
  readonly key_hash: string;
  readonly bot_id: string;
  readonly variables: string;
  readonly conversation_id: string | null;
  /** The visitor under whom a person is known whom this is a part of. */
  readonly person_id: string | null;
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

interface NewVisitor {
  readonly id: string;
  readonly botId: string;
  readonly kind: VisitorKind;
  readonly keyHash: string;
  readonly at: Date;
}

/** Stores a visitor unless somebody has just done so. */
export async function ensureVisitor(db: Db, { id, botId, kind, keyHash, at }: NewVisitor): Promise<void> {
  await db('visitors')
    .insert({ id, bot_id: botId, kind, key_hash: keyHash, variables: '{}', created_at: at })
    .onConflict()
    .ignore();
}

/** Makes a conversation the one of a visitor if it still was `before`; the visitor's conversation then, ours or another's. */
export async function claimConversation(db: Db, visitorId: string, before: string | null, id: string): Promise<string> {
  const claimed = await db('visitors').where({ id: visitorId, conversation_id: before }).update({ conversation_id: id });
  if (claimed === 1) return id;
  const row: { conversation_id: string | null } | undefined = await db('visitors')
    .where({ id: visitorId })
    .first('conversation_id');
  await db('conversations').where({ id }).delete();
  return row?.conversation_id ?? id;
}

export async function visitorByKey(db: Db, botId: string, kind: VisitorKind, keyHash: string): Promise<VisitorRow | undefined> {
  return db<VisitorRow & { kind: VisitorKind }>('visitors').where({ bot_id: botId, kind, key_hash: keyHash }).first();
}

export async function setVisitorConversation(db: Db, id: string, conversationId: string): Promise<void> {
  await db('visitors').where({ id }).update({ conversation_id: conversationId });
}

export async function findConversation(db: Db, id: string): Promise<ConversationRow | undefined> {
  return db<ConversationRow>('conversations').where({ id }).first();
}

/** A conversation of a bot that its owner may see. */
export async function conversationOfBot(db: Db, botId: string, id: string): Promise<ConversationRow | undefined> {
  return db<ConversationRow>('conversations').where({ id, bot_id: botId }).first();
}

/** Ends a conversation. A number is used up, so that whoever looks at the numbers sees that something happened. */
export async function endConversation(db: Db, id: string, at: Date): Promise<void> {
  await db('conversations')
    .where({ id, ended_at: null })
    .update({ ended_at: at, handed_at: null, staff_id: null, last_seq: db.raw('last_seq + 1') });
}

/** The event that a channel, or what fires runs, has delivered under its own id, if it has. */
export async function eventByExternalId(
  db: Db,
  source: string,
  externalId: string,
): Promise<{ id: string; conversation_id: string } | undefined> {
  return db('events').where({ source, external_id: externalId }).first('id', 'conversation_id');
}

/** Lines of a conversation behind a number, in order; at most 200. */
export async function linesAfter(db: Db, conversationId: string, seq: number): Promise<LineRow[]> {
  return statement(db, (hot) =>
    hot.read<LineRow>(
      `SELECT conversation_id, seq, who, external_id, message, at, due_at, by_name, failed FROM chat_lines
       WHERE conversation_id = ? AND seq > ? ORDER BY seq LIMIT ${LINES_AT_ONCE}`,
      [conversationId, seq],
    ),
  );
}

/** Buttons are looked for in so many of the last messages of the bot. */
const CHOICES_IN_LAST = 50;

/** The words of a button that the bot has offered, the last time that it did; undefined where it has not. */
export async function choiceWords(db: Db, conversationId: string, choice: string): Promise<string | undefined> {
  const rows: { message: string }[] = await db('chat_lines')
    .where({ conversation_id: conversationId, who: 'bot' })
    .orderBy('seq', 'desc')
    .limit(CHOICES_IN_LAST)
    .select('message');
  for (const { message } of rows) {
    const found = messageColumn.read(message).choices?.find((c) => c.id === choice);
    if (found) return found.says;
  }
  return undefined;
}

/** The buttons under one line of a conversation; undefined where there are none. */
export async function choicesAt(db: Db, conversationId: string, seq: number): Promise<Message['choices']> {
  const row: { message: string } | undefined = await db('chat_lines')
    .where({ conversation_id: conversationId, seq })
    .first('message');
  return row && messageColumn.read(row.message).choices;
}

/** True where the visitor has said something in a conversation. */
export async function hasSpoken(db: Db, id: string): Promise<boolean> {
  return (await db('chat_lines').where({ conversation_id: id, who: 'visitor' }).first('seq')) !== undefined;
}

/** The language that is spoken in a conversation; en where it is gone. */
export async function languageOf(db: Db, id: string): Promise<string> {
  const row: { state: string } | undefined = await db('conversations').where({ id }).first('state');
  return row === undefined ? 'en' : stateColumn.read(row.state).language;
}

/** The buttons that the bot has offered last in a conversation, unless the visitor has said something since. */
export async function lastChoices(db: Db, conversationId: string): Promise<Message['choices']> {
  const rows: { who: string; message: string }[] = await db('chat_lines')
    .where({ conversation_id: conversationId })
    .orderBy('seq', 'desc')
    .limit(CHOICES_IN_LAST)
    .select('who', 'message');
  const visitor = rows.findIndex((r) => r.who === 'visitor');
  for (const { message } of rows.slice(0, visitor < 0 ? rows.length : visitor)) {
    const { choices } = messageColumn.read(message);
    if (choices?.length) return choices;
  }
  return undefined;
}

/** A conversation as lists show it. */
export interface ListedConversation extends ConversationRow {
  readonly channel_id: string;
  readonly channel_kind: string;
  readonly channel_name: string | null;
  readonly release_number: number | null;
  readonly handed_at: Date | null;
  readonly handed_reason: string | null;
  readonly turns: number;
  readonly last_at: Date | null;
  readonly said: string | null;
  readonly helpful: number | string;
  readonly unhelpful: number | string;
}

function listed(db: Db, botId: string) {
  const of = (table: string) => db(table).whereRaw(`${table}.conversation_id = c.id`);
  return db('conversations as c')
    .join('channels as ch', 'ch.id', 'c.channel_id')
    .leftJoin('releases as r', 'r.id', 'c.release_id')
    .where('c.bot_id', botId)
    .select('c.*', 'ch.kind as channel_kind', 'ch.name as channel_name', 'r.number as release_number')
    .select(
      of('turns').max('number').as('turns'),
      of('chat_lines').orderBy('seq', 'desc').limit(1).select('at').as('last_at'),
      of('chat_lines').where('who', 'visitor').orderBy('seq', 'desc').limit(1).select('message').as('said'),
      of('feedback').where('helpful', true).count('*').as('helpful'),
      of('feedback').where('helpful', false).count('*').as('unhelpful'),
    );
}

/**
 * Conversations with visitors, the newest first; those handed over, the longest waiting first; or those that were of no help, the worst first. `after` is
 * the last id seen, or of the others how many were.
 */
export async function listConversations(
  db: Db,
  botId: string,
  { state, limit, after }: { state: 'handed' | 'unhelpful' | 'all'; limit: number; after: string | undefined },
): Promise<ListedConversation[]> {
  const rows = listed(db, botId).limit(limit);
  const offset = after !== undefined && /^\d{1,9}$/.test(after) ? Number(after) : 0;
  if (state === 'handed') return rows.whereNotNull('c.handed_at').orderBy('c.handed_at').offset(offset);
  if (state === 'unhelpful')
    return rows
      .whereExists(db('feedback').whereRaw('feedback.conversation_id = c.id').where('helpful', false).select(db.raw('1')))
      .orderBy([
        { column: 'unhelpful', order: 'desc' },
        { column: 'c.id', order: 'desc' },
      ])
      .offset(offset);
  if (after !== undefined) void rows.where('c.id', '<', after);
  return rows.orderBy('c.id', 'desc');
}

export async function listedConversation(db: Db, botId: string, id: string): Promise<ListedConversation | undefined> {
  return (await listed(db, botId).where('c.id', id).first()) as ListedConversation | undefined;
}

export async function countHanded(db: Db, botId: string): Promise<number> {
  const row: { count?: number | string } | undefined = await db('conversations as c')
    .join('channels as ch', 'ch.id', 'c.channel_id')
    .where('c.bot_id', botId)
    .whereNotNull('c.handed_at')
    .count('* as count')
    .first();
  return Number(row?.count ?? 0);
}

export async function lineOfEvent(db: Db, eventId: string): Promise<LineRow | undefined> {
  return db<LineRow>('chat_lines')
    .where({ event_id: eventId } as never)
    .first();
}

function turns(db: Db) {
  return db('turns as t').leftJoin('releases as r', 'r.id', 't.release_id').select('t.*', 'r.number as release_number');
}

/** A page of turn sheets is no longer than this, unless one alone is. */
const PAGE_BYTES = 4_000_000;

const TALKS_AT_ONCE = 20;

/** Of rows with their sizes, in order, how many fit into one page; one at least. */
export function fitting(rows: readonly { readonly bytes: number }[]): number {
  let sum = 0;
  const at = rows.findIndex(({ bytes }) => (sum += bytes) > PAGE_BYTES);
  return at < 0 ? rows.length : Math.max(1, at);
}

/** The turns of a conversation behind a number, in order; `more` where that is not all. */
export async function listTurns(
  db: Db,
  conversationId: string,
  { after, limit }: { after: number; limit: number },
): Promise<{ rows: TurnRow[]; more: boolean }> {
  const sizes: { number: number; bytes: number }[] = await db('turns')
    .where({ conversation_id: conversationId })
    .where('number', '>', after)
    .orderBy('number')
    .limit(limit + 1)
    .select('number', db.raw('LENGTH(sheet) + LENGTH(timings) AS bytes'));
  const count = Math.min(limit, fitting(sizes));
  const last = sizes[count - 1]?.number ?? after;
  const rows = (await turns(db)
    .where('t.conversation_id', conversationId)
    .whereBetween('t.number', [after + 1, last])
    .orderBy('t.number')) as TurnRow[];
  return { rows, more: sizes.length > count };
}

/** The sheets of the last turns of a conversation, in order, as many as fit into a page. */
export async function fittingSheets(db: Db, conversationId: string, most: number): Promise<string[]> {
  const sizes: { number: number; bytes: number }[] = await db('turns')
    .where({ conversation_id: conversationId })
    .orderBy('number', 'desc')
    .limit(most)
    .select('number', db.raw('LENGTH(sheet) AS bytes'));
  const first = sizes[fitting(sizes) - 1]?.number ?? 0;
  const found: { sheet: string }[] = await db('turns')
    .where({ conversation_id: conversationId })
    .where('number', '>=', first)
    .orderBy('number')
    .limit(most)
    .select('sheet');
  return found.map((r) => r.sheet);
}

/** The sheets of the newest turns of a bot's conversations in which something was looked up, the newest first. */
export async function lookupSheets(db: Db, botId: string, most: number): Promise<string[]> {
  const talks: { id: string }[] = await db('conversations')
    .where({ bot_id: botId })
    .orderBy('id', 'desc')
    .limit(most)
    .select('id');
  const ids = talks.map((t) => t.id);
  const found: string[] = [];
  for (let i = 0; i < ids.length && found.length < most; i += TALKS_AT_ONCE) {
    const rows: { sheet: string }[] = await db('turns')
      .whereIn('conversation_id', ids.slice(i, i + TALKS_AT_ONCE))
      .where('sheet', 'like', '%"looked-up"%')
      .orderBy('at', 'desc')
      .limit(most - found.length)
      .select('sheet');
    for (const { sheet } of rows) found.push(sheet);
  }
  return found;
}

export async function turnOfEvent(db: Db, eventId: string): Promise<TurnRow | undefined> {
  return (await turns(db).where('t.event_id', eventId).first()) as TurnRow | undefined;
}

/** A line with the event in whose turn it was said, and its place among what that said. */
export async function lineAt(
  db: Db,
  conversationId: string,
  seq: number,
): Promise<{ who: LineRow['who']; event_id: string; position: number } | undefined> {
  return db('chat_lines').where({ conversation_id: conversationId, seq }).first('who', 'event_id', 'position');
}

/** The number of the release that a conversation stands on; null for the draft. */
export async function releaseOfConversation(db: Db, id: string): Promise<number | null> {
  const row: { number: number | null } | undefined = await db('conversations as c')
    .leftJoin('releases as r', 'r.id', 'c.release_id')
    .where('c.id', id)
    .first('r.number');
  return row?.number ?? null;
}

export interface SpokenConversation {
  readonly id: string;
  readonly opened_at: Date;
  /** What the visitor said first. */
  readonly said: string;
  readonly lines: number;
}

/** Conversations of some visitors in which they have said something, the newest first, but one. */
export async function spokenConversations(
  db: Db,
  botId: string,
  visitorIds: readonly string[],
  { but, limit }: { readonly but: string | null; readonly limit: number },
): Promise<SpokenConversation[]> {
  const lines = () => db('chat_lines as l').whereRaw('l.conversation_id = c.id');
  const rows = db('conversations as c')
    .where('c.bot_id', botId)
    .whereIn('c.visitor_id', visitorIds)
    .whereExists(lines().where('l.who', 'visitor').select(db.raw('1')))
    .orderBy('c.id', 'desc')
    .limit(limit)
    .select('c.id', 'c.opened_at')
    .select(
      lines().where('l.who', 'visitor').orderBy('l.seq').limit(1).select('l.message').as('said'),
      lines().count('*').as('lines'),
    );
  if (but !== null) void rows.whereNot('c.id', but);
  return rows;
}
