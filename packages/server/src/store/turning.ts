import {
  applyChanges,
  type IncomingEvent,
  type Message,
  type Result,
  type Session,
  type Source,
  type TurnSheet,
  type VisitorChange,
} from '@primrose/core';
import * as columns from './columns.js';
import type { LineRow } from './lines.js';
import { fairly, type Bound, type Hot, type Waiting } from './hot.js';

/*
 * The statements of a turn. A conversation's row is where everything meets: it numbers the lines, says which event is
 * next and who works on it. Assignments of one UPDATE are made from left to right, and later ones see the earlier.
 */

/** Who takes a conversation, and until when it is theirs unless they say so again. */
export interface Claim {
  readonly owner: string;
  readonly now: Date;
  readonly until: Date;
}

/**
 * Numbers an event that comes in, takes the conversation if nobody works on it, and makes due what the bot still
 * pauses before: whoever goes on talking waits no longer. Returns the event's number; 0 where there is no conversation.
 */
export async function takeEvent(hot: Hot, conversationId: string, { owner, now, until }: Claim): Promise<number> {
  const done = await hot.write(
    `UPDATE conversations SET
       lease_owner = IF(lease_until IS NULL OR lease_until < ?, ?, lease_owner),
       lease_until = IF(lease_owner = ?, ?, lease_until),
       last_seq = LAST_INSERT_ID(last_seq + 1),
       last_event = last_seq,
       due_at = NULL,
       waits_since = COALESCE(waits_since, ?)
     WHERE id = ?`,
    [now, owner, owner, until, now, conversationId],
  );
  return done.rows === 0 ? 0 : done.value;
}

export async function insertEvent(
  hot: Hot,
  row: {
    id: string;
    conversationId: string;
    /** Where it comes from: a channel, or what fires runs. External ids are its own. */
    source: string;
    externalId: string;
    seq: number;
    /** 0, or the how manieth part of the same event it is that goes on. */
    part: number;
    event: IncomingEvent;
    at: Date;
  },
): Promise<void> {
  await hot.write(
    'INSERT INTO events (id, conversation_id, source, external_id, seq, part, event, accepted_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
    [row.id, row.conversationId, row.source, row.externalId, row.seq, row.part, JSON.stringify(row.event), row.at],
  );
}

/** Makes the row of a conversation, or of a run that no conversation began. */
export async function insertConversation(hot: Hot, row: NewConversation): Promise<void> {
  await hot.write(
    `INSERT INTO conversations (id, bot_id, channel_id, source, visitor_id, release_id, state, version, last_seq, visitor_name, opened_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, 0, 0, ?, ?)`,
    [
      row.id,
      row.botId,
      row.channelId,
      row.source,
      row.visitorId,
      row.releaseId,
      JSON.stringify(row.state),
      row.visitorName,
      row.at,
    ],
  );
}

/** Says that a conversation on a channel that pushes has something to send, or will have soon. */
export async function wantDelivery(
  hot: Hot,
  row: { conversationId: string; channelId: string; recipient: string },
): Promise<void> {
  await hot.write(
    `INSERT INTO deliveries (conversation_id, channel_id, recipient, wanted, waits, sent_seq, part, tries)
     VALUES (?, ?, ?, 1, 1, 0, 0, 0) ON DUPLICATE KEY UPDATE wanted = wanted + 1, waits = 1`,
    [row.conversationId, row.channelId, row.recipient],
  );
}

/** The same for one whose recipient is known already: in the transaction that stores what is to be sent. */
export async function wantMore(hot: Hot, conversationId: string): Promise<void> {
  await hot.write('UPDATE deliveries SET wanted = wanted + 1, waits = 1 WHERE conversation_id = ?', [conversationId]);
}

/** Takes a conversation in which something waits; false when another one has it. A compare-and-set, no lock is kept. */
export async function takeLease(hot: Hot, conversationId: string, { owner, now, until }: Claim): Promise<boolean> {
  const done = await hot.write(
    `UPDATE conversations SET lease_owner = ?, lease_until = ?
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

/** Gives a conversation back, so that anybody may go on with it at once. */
export async function dropLease(hot: Hot, conversationId: string, owner: string): Promise<void> {
  await hot.write('UPDATE conversations SET lease_owner = NULL, lease_until = NULL WHERE id = ? AND lease_owner = ?', [
    conversationId,
    owner,
  ]);
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
  /** 1 when an earlier try of the turn has left something in the journal. */
  readonly begun: number;
}

/** The next event of a conversation with all that its turn needs; undefined when none waits. */
export async function nextTurn(hot: Hot, conversationId: string): Promise<NextTurn | undefined> {
  const [row] = await hot.read<NextTurn>(
    `SELECT c.bot_id, c.channel_id, ch.kind AS channel_kind, c.visitor_id, c.release_id, c.state, c.version, c.lease_owner,
       c.due_at, e.id AS event_id, e.seq AS event_seq, e.part AS event_part, e.source AS event_source, e.event, v.variables,
       EXISTS (SELECT 1 FROM journal j WHERE j.event_id = e.id) AS begun
     FROM conversations c
     JOIN events e ON e.conversation_id = c.id AND e.seq >= c.done_event AND (e.seq > c.done_event OR e.part > c.done_part)
     LEFT JOIN channels ch ON ch.id = c.channel_id
     LEFT JOIN visitors v ON v.id = c.visitor_id
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
}

/**
 * Writes lines numbered from `first` on; returns them as they stand there. One that an earlier try of the same turn has
 * stored stays as it is, and then nothing is returned.
 */
export async function insertLines(
  hot: Hot,
  conversationId: string,
  eventId: string,
  first: number,
  lines: readonly NewLine[],
  at: Date,
): Promise<LineRow[]> {
  if (lines.length === 0) return [];
  const rows = lines.map((l, i): Bound[] => [
    conversationId,
    first + i,
    eventId,
    l.position,
    l.who,
    l.externalId ?? null,
    JSON.stringify(l.message),
    at,
    l.dueAt,
  ]);
  const written = await hot.write(
    `INSERT INTO chat_lines (conversation_id, seq, event_id, position, who, external_id, message, at, due_at)
     VALUES ${rows.map(() => '(?, ?, ?, ?, ?, ?, ?, ?, ?)').join(', ')} ON DUPLICATE KEY UPDATE seq = seq`,
    rows.flat(),
  );
  if (written.rows !== lines.length) return [];
  return lines.map((l, i) => ({
    conversation_id: conversationId,
    seq: first + i,
    who: l.who,
    external_id: l.externalId ?? null,
    message: JSON.stringify(l.message),
    at,
    due_at: l.dueAt,
  }));
}

/** Numbers lines that are said before the turn is over, if the conversation is still ours; undefined when it is not. */
export async function takeNumbers(
  hot: Hot,
  conversationId: string,
  owner: string,
  count: number,
  dueAt: Date | null,
): Promise<number | undefined> {
  const done = await hot.write(
    'UPDATE conversations SET last_seq = LAST_INSERT_ID(last_seq + ?), due_at = ? WHERE id = ? AND lease_owner = ?',
    [count, dueAt, conversationId, owner],
  );
  return done.rows === 1 ? done.value - count + 1 : undefined;
}

export interface Committed {
  /** The number of the first of the new lines. */
  readonly first: number;
  /** True when another event waits; the conversation is still ours then, else it was given back. */
  readonly more: boolean;
}

/** Stores the state after a turn if version and lease are still ours; undefined when they are not. */
export async function commitState(
  hot: Hot,
  row: {
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
  },
): Promise<Committed | undefined> {
  // Where a part of this event is still to come, the event counts among those that wait.
  const lastDone = row.rests ? row.eventSeq - 1 : row.eventSeq;
  const done = await hot.write(
    `UPDATE conversations SET
       last_seq = LAST_INSERT_ID((last_seq + ?) * 2 + (last_event > ?)) DIV 2,
       state = ?, handed_at = ?, handed_reason = ?, version = version + 1, release_id = IF(release_id <=> ?, ?, release_id), ended_at = ?, due_at = ?,
       done_event = ?, done_part = ?,
       waits_since = IF(last_event > ?, waits_since, NULL),
       lease_owner = IF(last_event > ?, lease_owner, NULL),
       lease_until = IF(last_event > ?, lease_until, NULL)
     WHERE id = ? AND version = ? AND lease_owner = ?`,
    [
      row.lines,
      lastDone,
      JSON.stringify(row.state),
      row.state.handed ? new Date(row.state.handed.at) : null,
      row.state.handed?.reason ?? null,
      row.releaseBefore,
      row.releaseId,
      row.endedAt,
      row.dueAt,
      row.eventSeq,
      row.eventPart,
      lastDone,
      lastDone,
      lastDone,
      row.id,
      row.version,
      row.owner,
    ],
  );
  if (done.rows !== 1) return undefined;
  return { first: Math.floor(done.value / 2) - row.lines + 1, more: done.value % 2 === 1 };
}

/** Takes an event out of the way that cannot be answered, with a line that says so. */
export async function putAside(
  hot: Hot,
  row: { id: string; eventId: string; eventSeq: number; eventPart: number; line: NewLine; at: Date },
): Promise<void> {
  const { value } = await hot.write(
    `UPDATE conversations SET last_seq = LAST_INSERT_ID(last_seq + 1),
       waits_since = IF(last_event > ?, waits_since, NULL), lease_owner = NULL, lease_until = NULL, done_event = ?, done_part = ?
     WHERE id = ? AND (done_event < ? OR (done_event = ? AND done_part < ?))`,
    [row.eventSeq, row.eventSeq, row.eventPart, row.id, row.eventSeq, row.eventSeq, row.eventPart],
  );
  if (value > 0) await insertLines(hot, row.id, row.eventId, value, [row.line], row.at);
}

/** Applies changes to the kept variables of a visitor, in the order in which they were made; only inside a transaction. */
export async function changeVisitor(hot: Hot, id: string, changes: readonly VisitorChange[]): Promise<void> {
  const [row] = await hot.read<{ variables: string }>('SELECT variables FROM visitors WHERE id = ? FOR UPDATE', [id]);
  if (!row) return;
  const variables = applyChanges(columns.variablesColumn.read(row.variables), changes);
  await hot.write('UPDATE visitors SET variables = ? WHERE id = ?', [JSON.stringify(variables), id]);
}

export async function insertTurn(
  hot: Hot,
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
  await hot.write(
    `INSERT INTO turns (conversation_id, number, event_id, release_id, revision, sheet, timings, ms, at)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      row.conversationId,
      row.sheet.turn,
      row.eventId,
      row.releaseId,
      row.revision,
      JSON.stringify(row.sheet),
      JSON.stringify(row.timings),
      row.ms,
      row.at,
    ],
  );
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
export async function noteChange(
  hot: Hot,
  row: { eventId: string; path: string; version: string; request: unknown },
): Promise<void> {
  await hot.write('INSERT INTO journal (event_id, path, version, seq, request, result) VALUES (?, ?, ?, 0, ?, NULL)', [
    row.eventId,
    row.path,
    row.version,
    JSON.stringify(row.request),
  ]);
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
export async function dropJournal(hot: Hot, eventId: string): Promise<void> {
  await hot.write('DELETE FROM journal WHERE event_id = ?', [eventId]);
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
