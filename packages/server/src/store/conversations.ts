import type { EffectResult, IncomingEvent, Message, Session, TurnSheet, Values } from '@primrose/core';
import type { Db } from './database.js';

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

export interface EventRow {
  readonly id: string;
  readonly conversation_id: string;
  readonly channel_id: string;
  readonly external_id: string;
  readonly seq: number;
  readonly event: string;
  readonly done: number;
}

export interface LineRow {
  readonly conversation_id: string;
  readonly seq: number;
  readonly who: 'visitor' | 'bot' | 'notice';
  readonly external_id: string | null;
  readonly message: string;
  readonly at: Date;
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

export async function visitorVariables(db: Db, id: string): Promise<Values> {
  const row: { variables: string } | undefined = await db('visitors').where({ id }).first('variables');
  return JSON.parse(row?.variables ?? '{}') as Values;
}

export async function setVisitorConversation(db: Db, id: string, conversationId: string): Promise<void> {
  await db('visitors').where({ id }).update({ conversation_id: conversationId });
}

/** Applies changes to the kept variables of a visitor, in the order in which they were made. Call it in a transaction. */
export async function changeVisitor(
  db: Db,
  id: string,
  changes: readonly { readonly name: string; readonly value: unknown }[],
): Promise<void> {
  const row: { variables: string } | undefined = await db('visitors').where({ id }).forUpdate().first('variables');
  if (!row) return;
  const variables = {
    ...(JSON.parse(row.variables) as Record<string, unknown>),
    ...Object.fromEntries(changes.map((c) => [c.name, c.value])),
  };
  await db('visitors')
    .where({ id })
    .update({ variables: JSON.stringify(variables) });
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

/** A conversation of a bot that its owner may see. */
export async function conversationOfBot(db: Db, botId: string, id: string): Promise<ConversationRow | undefined> {
  return db<ConversationRow>('conversations').where({ id, bot_id: botId }).first();
}

export async function endConversation(db: Db, id: string, at: Date): Promise<void> {
  await db('conversations').where({ id, ended_at: null }).update({ ended_at: at });
}

/** Takes the next line numbers of a conversation; returns the first of them. Holds the row until the transaction ends. */
export async function takeSeq(db: Db, conversationId: string, count: number): Promise<number> {
  const row: { last_seq: number } | undefined = await db('conversations')
    .where({ id: conversationId })
    .forUpdate()
    .first('last_seq');
  const last = row?.last_seq ?? 0;
  if (count > 0)
    await db('conversations')
      .where({ id: conversationId })
      .update({ last_seq: last + count });
  return last + 1;
}

export async function insertEvent(
  db: Db,
  row: { id: string; conversationId: string; channelId: string; externalId: string; seq: number; event: IncomingEvent; at: Date },
): Promise<void> {
  await db('events').insert({
    id: row.id,
    conversation_id: row.conversationId,
    channel_id: row.channelId,
    external_id: row.externalId,
    seq: row.seq,
    event: JSON.stringify(row.event),
    done: false,
    accepted_at: row.at,
  });
}

export async function eventByExternalId(db: Db, channelId: string, externalId: string): Promise<EventRow | undefined> {
  return db<EventRow>('events').where({ channel_id: channelId, external_id: externalId }).first();
}

export async function nextEvent(db: Db, conversationId: string): Promise<EventRow | undefined> {
  return db<EventRow>('events').where({ conversation_id: conversationId, done: 0 }).orderBy('seq').first();
}

export async function markEventDone(db: Db, id: string): Promise<void> {
  await db('events').where({ id }).update({ done: true });
}

/** Conversations with events that nobody works on. */
export async function waitingConversations(db: Db, now: Date, limit: number): Promise<string[]> {
  const rows = await db('events as e')
    .join('conversations as c', 'c.id', 'e.conversation_id')
    .where('e.done', 0)
    .where((q) => q.whereNull('c.lease_until').orWhere('c.lease_until', '<', now))
    .distinct<{ id: string }[]>('c.id')
    .limit(limit);
  return rows.map((r) => r.id);
}

/** Takes a conversation for one runner until a moment; false when another one has it. A compare-and-set, no lock is kept. */
export async function takeLease(db: Db, id: string, owner: string, now: Date, until: Date): Promise<boolean> {
  const taken = await db('conversations')
    .where({ id })
    .where((q) => q.whereNull('lease_until').orWhere('lease_until', '<', now).orWhere('lease_owner', owner))
    .update({ lease_owner: owner, lease_until: until });
  return taken === 1;
}

export async function dropLease(db: Db, id: string, owner: string): Promise<void> {
  await db('conversations').where({ id, lease_owner: owner }).update({ lease_owner: null, lease_until: null });
}

/** Stores the state after a turn if version and lease are still ours; true when they were. */
export async function commitState(
  db: Db,
  row: { id: string; version: number; owner: string; state: Session; releaseId: string | null; endedAt: Date | null },
): Promise<boolean> {
  const changed = await db('conversations')
    .where({ id: row.id, version: row.version, lease_owner: row.owner })
    .update({ state: JSON.stringify(row.state), version: row.version + 1, release_id: row.releaseId, ended_at: row.endedAt });
  return changed === 1;
}

export interface NewLine {
  readonly position: number;
  readonly who: 'visitor' | 'bot' | 'notice';
  readonly message: Message;
  readonly externalId?: string;
}

/** Adds lines of an event to a conversation, leaving out those that an earlier try of the same turn has stored. */
export async function insertLines(
  db: Db,
  conversationId: string,
  eventId: string,
  lines: readonly NewLine[],
  at: Date,
): Promise<void> {
  if (lines.length === 0) return;
  const present: { position: number }[] = await db('chat_lines').where({ event_id: eventId }).select('position');
  const have = new Set(present.map((p) => p.position));
  const fresh = lines.filter((l) => !have.has(l.position));
  if (fresh.length === 0) return;
  const first = await takeSeq(db, conversationId, fresh.length);
  await db('chat_lines').insert(
    fresh.map((l, i) => ({
      conversation_id: conversationId,
      seq: first + i,
      event_id: eventId,
      position: l.position,
      who: l.who,
      external_id: l.externalId ?? null,
      message: JSON.stringify(l.message),
      at,
      delivered: l.who === 'visitor',
    })),
  );
}

export async function linesAfter(db: Db, conversationId: string, seq: number, limit = 200): Promise<LineRow[]> {
  return db<LineRow>('chat_lines')
    .where({ conversation_id: conversationId })
    .where('seq', '>', seq)
    .orderBy('seq')
    .limit(limit)
    .select('conversation_id', 'seq', 'who', 'external_id', 'message', 'at');
}

export async function markDelivered(db: Db, conversationId: string): Promise<void> {
  await db('chat_lines').where({ conversation_id: conversationId, delivered: 0 }).update({ delivered: true });
}

export async function journalOf(db: Db, eventId: string): Promise<ReadonlyMap<string, EffectResult | null>> {
  const rows: { path: string; result: string | null }[] = await db('journal')
    .where({ event_id: eventId })
    .select('path', 'result');
  return new Map(rows.map((r) => [r.path, r.result === null ? null : (JSON.parse(r.result) as EffectResult)]));
}

export async function writeJournal(
  db: Db,
  row: { eventId: string; path: string; request: unknown; result: EffectResult | null },
): Promise<void> {
  const result = row.result === null ? null : JSON.stringify(row.result);
  await db('journal')
    .insert({ event_id: row.eventId, path: row.path, request: JSON.stringify(row.request), result })
    .onConflict()
    .merge(['result']);
}

export async function insertTurn(
  db: Db,
  row: {
    conversationId: string;
    eventId: string;
    releaseId: string | null;
    revision: number | null;
    sheet: TurnSheet;
    timings: unknown;
    ms: number;
    at: Date;
  },
): Promise<void> {
  await db('turns').insert({
    conversation_id: row.conversationId,
    number: row.sheet.turn,
    event_id: row.eventId,
    release_id: row.releaseId,
    revision: row.revision,
    sheet: JSON.stringify(row.sheet),
    timings: JSON.stringify(row.timings),
    ms: row.ms,
    at: row.at,
  });
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
