import type { Message } from '@primrose/core';
import type { Db } from './database.js';
import { transaction, type Statement } from './hot.js';
import type { LineRow } from './lines.js';
import { move } from './move.js';
import { insertLines, wantMore } from './turning.js';

/** A conversation that was handed over, as the inbox lists it. */
export interface InboxRow {
  readonly id: string;
  readonly bot_id: string;
  readonly channel_id: string;
  readonly channel_kind: string;
  readonly channel_name: string | null;
  readonly visitor_id: string | null;
  readonly visitor_name: string | null;
  readonly release_id: string | null;
  readonly release_number: number | null;
  readonly opened_at: Date;
  readonly ended_at: Date | null;
  readonly handed_at: Date | null;
  readonly handed_reason: string | null;
  readonly staff_id: string | null;
  readonly staff_name: string | null;
  readonly turns: number;
  readonly last_at: Date | null;
  readonly said: string | null;
  /** When the visitor said something that nobody of the staff has answered; null where they have not. */
  readonly unanswered_at: Date | null;
}

const MOST = 200;

function rows(db: Db, botId: string) {
  const of = (table: string) => db(`${table} as l`).whereRaw('l.conversation_id = c.id');
  const answered = of('chat_lines').where('l.who', 'staff').max('l.seq');
  const unanswered = of('chat_lines')
    .where('l.who', 'visitor')
    .whereRaw('l.at >= c.handed_at')
    .where('l.seq', '>', db.raw('COALESCE((?), 0)', [answered]))
    .min('l.at');
  return db('conversations as c')
    .join('channels as ch', 'ch.id', 'c.channel_id')
    .leftJoin('releases as r', 'r.id', 'c.release_id')
    .where('c.bot_id', botId)
    .select('c.id', 'c.bot_id', 'c.channel_id', 'c.visitor_id', 'c.visitor_name', 'c.release_id', 'c.opened_at', 'c.ended_at')
    .select('c.handed_at', 'c.handed_reason', 'c.staff_id', 'c.staff_name')
    .select('ch.kind as channel_kind', 'ch.name as channel_name', 'r.number as release_number')
    .select(
      db('turns').whereRaw('turns.conversation_id = c.id').max('number').as('turns'),
      of('chat_lines').orderBy('l.seq', 'desc').limit(1).select('l.at').as('last_at'),
      of('chat_lines').where('l.who', 'visitor').orderBy('l.seq', 'desc').limit(1).select('l.message').as('said'),
      unanswered.as('unanswered_at'),
    );
}

/** Conversations that were handed over, the longest waiting first: those that nobody has taken, somebody's own, or all. */
export async function inboxRows(db: Db, botId: string, of: { readonly staff: string | null } | 'all'): Promise<InboxRow[]> {
  const found = rows(db, botId).whereNotNull('c.handed_at').orderBy('c.handed_at').limit(MOST);
  if (of !== 'all') void found.where('c.staff_id', of.staff);
  return found;
}

export async function inboxRow(db: Db, botId: string, id: string): Promise<InboxRow | undefined> {
  const [row] = (await rows(db, botId).where('c.id', id).limit(1)) as InboxRow[];
  return row;
}

export async function inboxCounts(
  db: Db,
  botId: string,
  personId: string,
): Promise<{ waiting: number; mine: number; all: number }> {
  type Counts = { readonly [k in 'waiting' | 'mine' | 'all']?: number | string };
  const row = (await db('conversations')
    .where({ bot_id: botId })
    .whereNotNull('handed_at')
    .select(
      db.raw('COALESCE(SUM(staff_id IS NULL), 0) AS waiting'),
      db.raw('COALESCE(SUM(staff_id = ?), 0) AS mine', [personId]),
      db.raw('COUNT(*) AS `all`'),
    )
    .first()) as Counts | undefined;
  return { waiting: Number(row?.waiting ?? 0), mine: Number(row?.mine ?? 0), all: Number(row?.all ?? 0) };
}

/** Gives a conversation that was handed over to somebody, or to nobody, if it still is with `from`. */
export async function assign(
  db: Db,
  id: string,
  from: string | null,
  to: { readonly id: string; readonly name: string; readonly at: Date } | null,
): Promise<boolean> {
  const done = await db('conversations')
    .where({ id, staff_id: from })
    .whereNotNull('handed_at')
    .whereNull('ended_at')
    .update({ staff_id: to?.id ?? null, staff_name: to?.name ?? null, staff_at: to?.at ?? null });
  return done === 1;
}

/** Numbers a line of somebody of the staff and takes the conversation for them; matches no row where it is not handed over, or somebody else's. */
function takeStaffNumber(conversationId: string, { id, name, at }: { id: string; name: string; at: Date }): Statement {
  return {
    sql: `UPDATE conversations SET last_seq = last_seq + 1, staff_at = IF(staff_id IS NULL, ?, staff_at), staff_id = ?, staff_name = ?
     WHERE id = ? AND handed_at IS NOT NULL AND ended_at IS NULL AND (staff_id IS NULL OR staff_id = ?)`,
    values: [at, id, name, conversationId, id],
  };
}

/**
 * Stores what staff say, numbered behind everything that stands there, and that it is to be sent; false where the
 * conversation is not handed over, or somebody else has it. A repeat of the same `eventId` is stored once.
 */
export async function insertStaffLine(
  db: Db,
  row: {
    conversationId: string;
    eventId: string;
    externalId: string;
    message: Message;
    by: { readonly id: string; readonly name: string };
    at: Date;
  },
): Promise<boolean> {
  const { conversationId, eventId, externalId, message, by, at } = row;
  const line = { position: 0, who: 'staff', externalId, message, dueAt: null, by: by.name } as const;
  const moved = await transaction(db, (hot) =>
    move(hot, {
      conversationId,
      gate: takeStaffNumber(conversationId, { ...by, at }),
      additions: [insertLines(conversationId, eventId, [line], { at, again: true }), wantMore(conversationId)],
    }),
  );
  return moved !== undefined;
}

/** The last of the lines that somebody of the staff said; undefined where none did. */
export async function lastStaffLine(
  db: Db,
  conversationId: string,
): Promise<{ seq: number; by_name: string | null; external_id: string | null } | undefined> {
  return db('chat_lines')
    .where({ conversation_id: conversationId, who: 'staff' })
    .orderBy('seq', 'desc')
    .first('seq', 'by_name', 'external_id');
}

/** The last lines of a conversation, in order. */
export async function lastLines(db: Db, conversationId: string, most: number): Promise<LineRow[]> {
  const found: LineRow[] = await db<LineRow>('chat_lines')
    .where({ conversation_id: conversationId })
    .orderBy('seq', 'desc')
    .limit(most);
  return found.reverse();
}

export interface NoteRow {
  readonly id: string;
  readonly conversation_id: string;
  readonly by_name: string;
  readonly text: string;
  readonly at: Date;
}

const MOST_NOTES = 200;

export async function notesOf(db: Db, conversationId: string): Promise<NoteRow[]> {
  return db<NoteRow>('conversation_notes').where({ conversation_id: conversationId }).orderBy('id').limit(MOST_NOTES);
}

/** Keeps a note; false where a conversation has as many as it may. */
export async function insertNote(db: Db, row: NoteRow): Promise<boolean> {
  if ((await notesOf(db, row.conversation_id)).length >= MOST_NOTES) return false;
  await db('conversation_notes').insert(row);
  return true;
}

export interface CannedRow {
  readonly id: string;
  readonly bot_id: string;
  readonly title: string;
  readonly text: string;
}

export async function cannedOf(db: Db, botId: string): Promise<CannedRow[]> {
  return db<CannedRow>('canned_words').where({ bot_id: botId }).orderBy('title').limit(MOST);
}

/** Keeps canned words; false where a bot has as many as it may. */
export async function insertCanned(db: Db, row: CannedRow): Promise<boolean> {
  if ((await cannedOf(db, row.bot_id)).length >= MOST) return false;
  await db('canned_words').insert(row);
  return true;
}

export async function changeCanned(db: Db, { id, bot_id, title, text }: CannedRow): Promise<number> {
  return db('canned_words').where({ id, bot_id }).update({ title, text });
}

export async function dropCanned(db: Db, botId: string, id: string): Promise<number> {
  return db('canned_words').where({ id, bot_id: botId }).delete();
}

export async function inboxSetting(db: Db, botId: string): Promise<string | null> {
  const row: { inbox: string | null } | undefined = await db('bots').where({ id: botId }).first('inbox');
  return row?.inbox ?? null;
}

export async function setInboxSetting(db: Db, botId: string, inbox: string | null): Promise<void> {
  await db('bots').where({ id: botId }).update({ inbox });
}
