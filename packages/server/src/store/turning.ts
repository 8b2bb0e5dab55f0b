import { type IncomingEvent, type Message, type Result, type Session, type Source, type TurnSheet } from '@primrose/core';
import * as columns from './columns.js';
import type { LineRow } from './lines.js';
import { fairly, type Bound, type Hot, type Statement, type Waiting } from './hot.js';
import { LAST_NUMBER, type Moved } from './move.js';

/*
 * The statements of a turn. A conversation's row is where everything meets: it numbers the lines, says which event is
 * next and who works on it. Assignments of one UPDATE are made from left to right, and later ones see the earlier. What
 * returns a Statement stands in a move (move.ts) or is run by itself; LAST_NUMBER in it is known in a move only.
 */

/** Who takes a conversation, and until when it is theirs unless they say so again. */
export interface Claim {
  readonly owner: string;
  readonly now: Date;
  readonly until: Date;
}

/**
 * Numbers an event that comes in, takes the conversation if nobody works on it, and makes due what the bot still
 * pauses before: whoever goes on talking waits no longer. Matches no row where there is no conversation.
 */
export function takeEvent(conversationId: string, { owner, now, until }: Claim): Statement {
  return {
    sql: `UPDATE conversations SET
       tries = IF(lease_until IS NULL OR lease_until < ?, tries + ?, tries),
       lease_owner = IF(lease_until IS NULL OR lease_until < ?, ?, lease_owner),
       lease_until = IF(lease_owner = ?, ?, lease_until),
       last_seq = last_seq + 1,
       last_event = last_seq,
       due_at = NULL,
       waits_since = COALESCE(waits_since, ?)
     WHERE id = ?`,
    // A process that stops claims for no time at all, and so does not begin with anything.
    values: [now, until > now ? 1 : 0, now, owner, owner, until, now, conversationId],
  };
}

/** Stores an event, under the number that its move has just taken, or as a further part of an earlier one. */
export function insertEvent(row: {
  id: string;
  conversationId: string;
  /** Where it comes from: a channel, or what fires runs. External ids are its own. */
  source: string;
  externalId: string;
  seq: number | 'last';
  /** 0, or the how manieth part of the same event it is that goes on. */
  part: number;
  event: IncomingEvent;
  at: Date;
}): Statement {
  const { id, conversationId, source, externalId, seq, part, event, at } = row;
  return {
    sql: `INSERT INTO events (id, conversation_id, source, external_id, seq, part, event, accepted_at)
     VALUES (?, ?, ?, ?, ${seq === 'last' ? LAST_NUMBER : '?'}, ?, ?, ?)`,
    values: [id, conversationId, source, externalId, ...(seq === 'last' ? [] : [seq]), part, JSON.stringify(event), at],
  };
}

/** Makes the row of a conversation, or of a run that no conversation began. */
export function insertConversation(row: NewConversation): Statement {
  const { id, botId, channelId, source, visitorId, releaseId, state, visitorName, at } = row;
  return {
    sql: `INSERT INTO conversations (id, bot_id, channel_id, source, visitor_id, release_id, state, version, last_seq, visitor_name, opened_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, 0, 0, ?, ?)`,
    values: [id, botId, channelId, source, visitorId, releaseId, JSON.stringify(state), visitorName, at],
  };
}

/** Where the answers of a conversation go. */
export interface WantedDelivery {
  readonly channelId: string;
  readonly recipient: string;
  /** The message that is answered, by its id at the other side. */
  readonly answers?: string | undefined;
  /** What the channel needs besides, as JSON: the thread of a letter. */
  readonly thread?: string | undefined;
}

/** Says that a conversation on a channel that pushes has something to send, or will have soon. */
export function wantDelivery(row: WantedDelivery & { readonly conversationId: string }): Statement {
  return {
    sql: `INSERT INTO deliveries (conversation_id, channel_id, recipient, answers, thread, wanted, waits, sent_seq, part, tries)
     VALUES (?, ?, ?, ?, ?, 1, 1, 0, 0, 0) ON DUPLICATE KEY UPDATE wanted = wanted + 1, waits = 1, recipient = VALUES(recipient),
       answers = VALUES(answers), thread = VALUES(thread)`,
    values: [row.conversationId, row.channelId, row.recipient, row.answers ?? null, row.thread ?? null],
  };
}

/** The same for one whose recipient is known already: in the transaction that stores what is to be sent. */
export function wantMore(conversationId: string): Statement {
  return { sql: 'UPDATE deliveries SET wanted = wanted + 1, waits = 1 WHERE conversation_id = ?', values: [conversationId] };
}

/** Takes a conversation in which something waits; false when another one has it. A compare-and-set, no lock is kept. */
export async function takeLease(hot: Hot, conversationId: string, { owner, now, until }: Claim): Promise<boolean> {
  const done = await hot.write(
    `UPDATE conversations SET tries = tries + 1, lease_owner = ?, lease_until = ?
     WHERE id = ? AND (lease_until IS NULL OR lease_until < ? OR lease_owner = ?)`,
    [owner, until, conversationId, now, owner],
  );
  return done.rows === 1;
}

/** Keeps a conversation for longer; false when it is not ours any more. */
export async function renewLease(hot: Hot, conversationId: string, owner: string, until: Date): Promise<boolean> {
  const done = await hot.write('UPDATE conversations SET lease_until = ? WHERE id = ? AND lease_owner = ?', [
    until,
    conversationId,
    owner,
  ]);
  return done.rows === 1;
}

/** Gives a conversation back, so that anybody may go on with it at once. `counts`: what was tried has failed by its own fault. */
export async function dropLease(hot: Hot, conversationId: string, owner: string, counts: boolean): Promise<void> {
  await hot.write(
    `UPDATE conversations SET tries = GREATEST(0, tries - ?), lease_owner = NULL, lease_until = NULL
     WHERE id = ? AND lease_owner = ?`,
    [counts ? 0 : 1, conversationId, owner],
  );
}

export interface NewConversation {
  readonly id: string;
  readonly botId: string;
  readonly channelId: string | null;
  readonly source: 'channel' | Source;
  readonly visitorId: string | null;
  readonly releaseId: string | null;
  readonly state: Session;
  readonly visitorName: string | null;
  readonly at: Date;
}

/** A conversation or another run with its next event, as one runner takes it up. */
export interface NextTurn {
  readonly bot_id: string;
  /** Null for a run that no conversation began. */
  readonly channel_id: string | null;
  readonly channel_kind: string | null;
  readonly visitor_id: string | null;
  readonly release_id: string | null;
  readonly state: string;
  readonly version: number;
  readonly lease_owner: string | null;
  readonly due_at: Date | null;
  readonly event_id: string;
  readonly event_seq: number;
  readonly event_part: number;
  readonly event_source: string;
  readonly event: string;
  /** The visitor's kept variables; null where nobody in particular speaks. */
  readonly variables: string | null;
  /** What is kept about the visitor; null where nothing is. */
  readonly memory: string | null;
  /** The visitor is the same person as others, so that what is kept is more than this. */
  readonly linked: number | null;
  /** How much earlier tries of the turn have left in the journal. */
  readonly begun: number;
  /** How often somebody has begun with it, this time counted. */
  readonly tries: number;
}

/** The next event of a conversation with all that its turn needs; undefined when none waits. */
export async function nextTurn(hot: Hot, conversationId: string): Promise<NextTurn | undefined> {
  const [row] = await hot.read<NextTurn>(
    `SELECT c.bot_id, c.channel_id, ch.kind AS channel_kind, c.visitor_id, c.release_id, c.state, c.version, c.lease_owner, c.tries,
       c.due_at, e.id AS event_id, e.seq AS event_seq, e.part AS event_part, e.source AS event_source, e.event,
       v.variables, m.memory,
       (v.person_id IS NOT NULL OR EXISTS (SELECT 1 FROM visitors o WHERE o.person_id = v.id)) AS linked,
       (SELECT COUNT(*) FROM journal j WHERE j.event_id = e.id) AS begun
     FROM conversations c
     JOIN events e ON e.conversation_id = c.id AND e.seq >= c.done_event AND (e.seq > c.done_event OR e.part > c.done_part)
     LEFT JOIN channels ch ON ch.id = c.channel_id
     LEFT JOIN visitors v ON v.id = c.visitor_id
     LEFT JOIN memories m ON m.bot_id = c.bot_id AND m.realm = '' AND m.kind = 'visitor' AND m.holder = v.id
     WHERE c.id = ? ORDER BY e.seq, e.part LIMIT 1`,
    [conversationId],
  );
  return row;
}

export interface NewLine {
  readonly position: number;
  readonly who: 'visitor' | 'bot' | 'notice' | 'staff';
  readonly message: Message;
  readonly externalId?: string;
  /** Not to be shown before; null for at once. */
  readonly dueAt: Date | null;
  /** Who of the staff says it. */
  readonly by?: string;
}

/**
 * Writes lines, of which there is one at least, under the last numbers of their move. One that an earlier try of the same turn
 * has stored stays as it is when this is `again`, and else makes it fail with a duplicate.
 */
export function insertLines(
  conversationId: string,
  eventId: string,
  lines: readonly NewLine[],
  { at, again }: { readonly at: Date; readonly again: boolean },
): Statement {
  const values = lines.flatMap((l, i): Bound[] => {
    const fromLast = lines.length - 1 - i;
    const { position, who, externalId, message, dueAt, by } = l;
    return [conversationId, fromLast, eventId, position, who, externalId ?? null, JSON.stringify(message), at, dueAt, by ?? null];
  });
  return {
    sql: `INSERT INTO chat_lines (conversation_id, seq, event_id, position, who, external_id, message, at, due_at, by_name)
     VALUES ${lines.map(() => `(?, ${LAST_NUMBER} - ?, ?, ?, ?, ?, ?, ?, ?, ?)`).join(', ')}${again ? ' ON DUPLICATE KEY UPDATE seq = seq' : ''}`,
    values,
  };
}

/** The lines of a move as they stand in the database now, where no earlier try had stored any. */
export function linesOf(conversationId: string, lines: readonly NewLine[], at: Date, { last }: Moved): LineRow[] {
  return lines.map((l, i) => ({
    conversation_id: conversationId,
    seq: last - lines.length + 1 + i,
    who: l.who,
    external_id: l.externalId ?? null,
    message: JSON.stringify(l.message),
    at,
    due_at: l.dueAt,
  }));
}

/** Numbers lines that are said before the turn is over, if the conversation is still ours. */
export function takeNumbers(conversationId: string, owner: string, count: number, dueAt: Date | null): Statement {
  return {
    sql: 'UPDATE conversations SET last_seq = last_seq + ?, due_at = ? WHERE id = ? AND lease_owner = ?',
    values: [count, dueAt, conversationId, owner],
  };
}

/** The last event that is done after a turn. Where a part of its event is still to come, the event counts among those that wait. */
export function lastDone({ eventSeq, rests }: { readonly eventSeq: number; readonly rests: boolean }): number {
  return rests ? eventSeq - 1 : eventSeq;
}

/** Stores the state after a turn if version and lease are still ours. Where no newer event waits the conversation is given back. */
export function commitState(row: {
  id: string;
  version: number;
  owner: string;
  eventSeq: number;
  eventPart: number;
  /** The turn rests: a further part of the same event waits. */
  rests: boolean;
  lines: number;
  state: Session;
  /** The release before the turn, and the one to go on with; one that was set meanwhile stays. */
  releaseBefore: string | null;
  releaseId: string | null;
  endedAt: Date | null;
  dueAt: Date | null;
}): Statement {
  const done = lastDone(row);
  const { handed } = row.state;
  return {
    sql: `UPDATE conversations SET
       last_seq = last_seq + ?,
       state = ?, handed_at = ?, handed_reason = ?, staff_id = IF(handed_at IS NULL, NULL, staff_id), version = version + 1, release_id = IF(release_id <=> ?, ?, release_id), ended_at = ?, due_at = ?,
       done_event = ?, done_part = ?,
       waits_since = IF(last_event > ?, waits_since, NULL),
       tries = IF(last_event > ?, 1, 0),
       lease_owner = IF(last_event > ?, lease_owner, NULL),
       lease_until = IF(last_event > ?, lease_until, NULL)
     WHERE id = ? AND version = ? AND lease_owner = ?`,
    values: [
      row.lines,
      JSON.stringify(row.state),
      handed ? new Date(handed.at) : null,
      handed?.reason ?? null,
      row.releaseBefore,
      row.releaseId,
      row.endedAt,
      row.dueAt,
      row.eventSeq,
      row.eventPart,
      done,
      done,
      done,
      done,
      row.id,
      row.version,
      row.owner,
    ],
  };
}

/** Takes an event out of the way that cannot be answered, and numbers a line that says so. */
export function putAside(row: { id: string; eventSeq: number; eventPart: number }): Statement {
  const { id, eventSeq, eventPart } = row;
  return {
    sql: `UPDATE conversations SET last_seq = last_seq + 1, tries = 0,
       waits_since = IF(last_event > ?, waits_since, NULL), lease_owner = NULL, lease_until = NULL, done_event = ?, done_part = ?
     WHERE id = ? AND (done_event < ? OR (done_event = ? AND done_part < ?))`,
    values: [eventSeq, eventSeq, eventPart, id, eventSeq, eventSeq, eventPart],
  };
}

/** Notes that an event was put aside, so that people see it and may have it tried again. */
export function noteAside(row: {
  eventId: string;
  botId: string;
  conversationId: string;
  tries: number;
  reason: string;
  at: Date;
}): Statement {
  return {
    sql: `INSERT IGNORE INTO events_aside (event_id, bot_id, conversation_id, tries, reason, at) VALUES (?, ?, ?, ?, ?, ?)`,
    values: [row.eventId, row.botId, row.conversationId, row.tries, row.reason, row.at],
  };
}

export function insertTurn(row: {
  conversationId: string;
  eventId: string;
  releaseId: string | null;
  revision: number | null;
  sheet: TurnSheet;
  timings: unknown;
  ms: number;
  at: Date;
}): Statement {
  const { conversationId, eventId, releaseId, revision, sheet, timings, ms, at } = row;
  return {
    sql: `INSERT INTO turns (conversation_id, number, event_id, release_id, revision, sheet, timings, ms, at)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    values: [conversationId, sheet.turn, eventId, releaseId, revision, JSON.stringify(sheet), JSON.stringify(timings), ms, at],
  };
}

export interface JournalEntry {
  readonly path: string;
  /** Null while it is not known what came of it. */
  readonly result: Result | null;
  readonly seq: number;
  /** Which bot the turn was run with: a release's id, or a revision of the draft. */
  readonly version: string;
}

/** What earlier tries of a turn have done, in the order in which the results came. */
export async function journalOf(hot: Hot, eventId: string): Promise<JournalEntry[]> {
  const rows = await hot.read<{ path: string; result: string | null; seq: number; version: string }>(
    'SELECT path, result, seq, version FROM journal WHERE event_id = ? ORDER BY seq',
    [eventId],
  );
  return rows.map((r) => ({ ...r, result: r.result === null ? null : columns.resultColumn.read(r.result) }));
}

/** Notes that a change is about to be made. Fails with a duplicate when somebody has noted the same before. */
export function noteChange(row: { eventId: string; path: string; version: string; request: unknown }): Statement {
  return {
    sql: 'INSERT INTO journal (event_id, path, version, seq, request, result) VALUES (?, ?, ?, 0, ?, NULL)',
    values: [row.eventId, row.path, row.version, JSON.stringify(row.request)],
  };
}

/** Notes what came of an effect; the first note stays. */
export async function noteResult(
  hot: Hot,
  row: { eventId: string; path: string; version: string; seq: number; request: unknown; result: Result },
): Promise<void> {
  await hot.write(
    `INSERT INTO journal (event_id, path, version, seq, request, result) VALUES (?, ?, ?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE seq = IF(result IS NULL, VALUES(seq), seq), result = COALESCE(result, VALUES(result))`,
    [row.eventId, row.path, row.version, row.seq, JSON.stringify(row.request), JSON.stringify(row.result)],
  );
}

/** The journal of a turn that is stored has done its work: the sheet holds it all. */
export function dropJournal(eventId: string): Statement {
  return { sql: 'DELETE FROM journal WHERE event_id = ?', values: [eventId] };
}

/** Conversations in which something waits and nobody works, with their bots; at most 50, and of one bot at most 20. */
export async function waitingConversations(hot: Hot, now: Date): Promise<Waiting[]> {
  return hot.read<Waiting>(
    fairly(
      `SELECT id, bot_id AS owner, waits_since AS since
       FROM conversations WHERE waits_since IS NOT NULL AND (lease_until IS NULL OR lease_until < ?)`,
    ),
    [now],
  );
}

/** Says that a process lives; returns how many do, that one included. Those not heard of for `goneMs` are forgotten. */
export async function heartbeat(hot: Hot, id: string, now: Date, goneMs: number): Promise<number> {
  const gone = new Date(now.getTime() - goneMs);
  await hot.write('INSERT INTO processes (id, seen_at) VALUES (?, ?) ON DUPLICATE KEY UPDATE seen_at = VALUES(seen_at)', [
    id,
    now,
  ]);
  await hot.write('DELETE FROM processes WHERE seen_at < ?', [gone]);
  const [row] = await hot.read<{ count: number }>('SELECT COUNT(*) AS count FROM processes', []);
  return Number(row?.count ?? 1);
}

export async function removeProcess(hot: Hot, id: string): Promise<void> {
  await hot.write('DELETE FROM processes WHERE id = ?', [id]);
}

/** The last line number of each of some conversations; at most 500 at once. */
export async function lastNumbers(hot: Hot, ids: readonly string[]): Promise<ReadonlyMap<string, number>> {
  if (ids.length === 0) return new Map();
  const rows = await hot.read<{ id: string; last_seq: number }>(
    `SELECT id, last_seq FROM conversations WHERE id IN (${ids.map(() => '?').join(', ')})`,
    ids,
  );
  return new Map(rows.map((r) => [r.id, r.last_seq]));
}

/** Notes that somebody stopped the turn of a conversation. */
export async function markStopped(hot: Hot, conversationId: string, at: Date): Promise<void> {
  await hot.write('UPDATE conversations SET stop_at = ? WHERE id = ?', [at, conversationId]);
}

/** Of some conversations those whose turn somebody stopped, with when. */
export function stoppedAmong(hot: Hot, ids: readonly string[]): Promise<{ id: string; at: Date }[]> {
  if (ids.length === 0) return Promise.resolve([]);
  const places = ids.map(() => '?').join(', ');
  return hot.read(`SELECT id, stop_at AS at FROM conversations WHERE id IN (${places}) AND stop_at IS NOT NULL`, ids);
}
