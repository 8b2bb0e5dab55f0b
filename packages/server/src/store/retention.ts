import { dropBrought, dropOldIndexed, dropOrphans } from './contents.js';
import { dropOldDays } from './pages.js';
import type { Db } from './database.js';
import { dropFilesIn, dropUnsaidFiles } from './files.js';
import { dropPracticeMemories } from './memories.js';
import { dropOldCodes } from './sign-in-codes.js';
import { dropPractice } from './tables.js';

/*
 * What goes after its time, and what is erased. Every statement takes few rows: a sweep never holds what a turn needs for long.
 * Each function returns how many rows it took, so that it is called until nothing is left.
 */

/** Conversations that are taken in one step, and rows of other tables. */
const CONVERSATIONS_AT_ONCE = 20;
const ROWS_AT_ONCE = 500;

export async function botsWithTimes(db: Db): Promise<{ id: string; retention: string | null }[]> {
  return db('bots').select('id', 'retention').orderBy('id');
}

export async function retentionOf(db: Db, botId: string): Promise<string | null> {
  const row: { retention: string | null } | undefined = await db('bots').where({ id: botId }).first('retention');
  return row?.retention ?? null;
}

export async function setRetention(db: Db, botId: string, retention: string | null): Promise<void> {
  await db('bots').where({ id: botId }).update({ retention });
}

/** Tables whose rows belong to a conversation. */
const OF_CONVERSATION = [
  'chat_lines',
  'turns',
  'deliveries',
  'sent_messages',
  'events_aside',
  'channel_events',
  'missed',
  'files',
  'feedback',
  'conversation_notes',
] as const;

/** Takes conversations away with all that belongs to them. */
export async function dropConversations(db: Db, ids: readonly string[]): Promise<number> {
  if (ids.length === 0) return 0;
  // Whoever works on one of them finds that it is not theirs any more, and stores nothing.
  await db('conversations')
    .whereIn('id', ids)
    .update({ lease_owner: 'gone', lease_until: new Date('2999-01-01'), version: db.raw('version + 1') });
  const events = db('events').whereIn('conversation_id', ids).select('id');
  await db('journal').whereIn('event_id', events).delete();
  for (const table of OF_CONVERSATION) await db(table).whereIn('conversation_id', ids).delete();
  await db('runs').whereIn('id', ids).delete();
  await db('events').whereIn('conversation_id', ids).delete();
  await db('visitors').whereIn('conversation_id', ids).update({ conversation_id: null });
  return db('conversations').whereIn('id', ids).delete();
}

async function dropSome(db: Db, rows: Promise<{ id: string }[]>): Promise<number> {
  return dropConversations(
    db,
    (await rows).map((r) => r.id),
  );
}

/** Conversations and runs in which nothing was said since `before` and nothing waits. */
export async function dropOldConversations(db: Db, botId: string, before: Date): Promise<number> {
  const later = db('chat_lines').whereRaw('chat_lines.conversation_id = c.id').where('at', '>=', before).select(db.raw('1'));
  return dropSome(
    db,
    db('conversations as c')
      .where('c.bot_id', botId)
      .where('c.opened_at', '<', before)
      .whereNull('c.waits_since')
      .whereNotExists(later)
      .limit(CONVERSATIONS_AT_ONCE)
      .select('c.id'),
  );
}

/** Conversations that a walk looks at in one step. */
const WALKED_AT_ONCE = 1000;

/** A conversation on a walk over all those that were opened before a moment. */
export interface Walked {
  readonly id: string;
  readonly opened_at: Date;
}

/** The next conversations of a bot that were opened before a moment, the oldest first, behind `after`. */
export async function openedBefore(db: Db, botId: string, before: Date, after: Walked | undefined): Promise<Walked[]> {
  const rows = db('conversations')
    .where({ bot_id: botId })
    .where('opened_at', '<', before)
    .orderBy(['opened_at', 'id'])
    .limit(WALKED_AT_ONCE)
    .select('id', 'opened_at');
  if (after) {
    const { id, opened_at: at } = after;
    void rows.where('opened_at', '>=', at).whereNot((q) => void q.where('opened_at', at).where('id', '<=', id));
  }
  return rows;
}

/** The turn sheets of some conversations. */
export async function dropOldSheets(db: Db, conversations: readonly string[], before: Date): Promise<number> {
  return db('turns').whereIn('conversation_id', conversations).where('at', '<', before).limit(ROWS_AT_ONCE).delete();
}

/** Events of some conversations that were answered, or put aside; the last one of each stays, as its number counts. */
export async function dropOldEvents(db: Db, conversations: readonly string[], before: Date): Promise<number> {
  const rows: { id: string }[] = await db('conversations as c')
    .join('events as e', 'e.conversation_id', 'c.id')
    .whereIn('c.id', conversations)
    .where('e.accepted_at', '<', before)
    .whereRaw('e.seq < c.done_event')
    .limit(ROWS_AT_ONCE)
    .select('e.id');
  const ids = rows.map((r) => r.id);
  await db('events_aside').whereIn('event_id', ids).delete();
  return db('events').whereIn('id', ids).delete();
}

/** Visitors without a conversation, unless somebody is known under them. */
export async function dropOldVisitors(db: Db, botId: string, before: Date): Promise<number> {
  const rows: { id: string }[] = await db('visitors as v')
    .where('v.bot_id', botId)
    .where('v.created_at', '<', before)
    .whereNotExists(db('conversations').whereRaw('conversations.visitor_id = v.id').select(db.raw('1')))
    .whereNotExists(db('visitors as o').whereRaw('o.person_id = v.id').select(db.raw('1')))
    .limit(ROWS_AT_ONCE)
    .select('v.id');
  const ids = rows.map((r) => r.id);
  await db('memories').where({ bot_id: botId, kind: 'visitor' }).whereIn('holder', ids).delete();
  await db('sign_ins').whereIn('visitor_id', ids).delete();
  await db('identities').where({ bot_id: botId }).whereIn('person_id', ids).delete();
  return db('visitors').whereIn('id', ids).delete();
}

export async function dropOldWebhooks(db: Db, botId: string, before: Date): Promise<number> {
  const channels = db('channels').where({ bot_id: botId }).select('id');
  const [events, starts, notices] = [
    await db('channel_events').whereIn('channel_id', channels).where('at', '<', before).limit(ROWS_AT_ONCE).delete(),
    await db('start_events').where({ bot_id: botId }).where('at', '<', before).limit(ROWS_AT_ONCE).delete(),
    await db('notices')
      .where({ bot_id: botId })
      .whereNot({ state: 'waits' })
      .where('at', '<', before)
      .limit(ROWS_AT_ONCE)
      .delete(),
  ];
  return events + starts + notices;
}

/** What came of writes to tables: whoever takes a turn up again has done so long ago. */
export async function dropOldWrites(db: Db, botId: string, before: Date): Promise<number> {
  return db('table_writes').where({ bot_id: botId }).where('at', '<', before).limit(ROWS_AT_ONCE).delete();
}

export async function dropOldSimulations(db: Db, botId: string, before: Date): Promise<number> {
  const rows: { id: string }[] = await db('simulations')
    .where({ bot_id: botId })
    .where('last_at', '<', before)
    .limit(CONVERSATIONS_AT_ONCE)
    .select('id');
  return dropSimulations(
    db,
    rows.map((r) => r.id),
  );
}

async function dropSimulations(db: Db, ids: readonly string[]): Promise<number> {
  await db('simulated_turns').whereIn('simulation_id', ids).delete();
  for (const id of ids) {
    await dropPractice(db, id);
    await dropPracticeMemories(db, id);
    await dropFilesIn(db, id);
  }
  return db('simulations').whereIn('id', ids).delete();
}

/** Edits before the last snapshot that is older than `before`: every newer revision is built upon that one. */
export async function dropOldHistory(db: Db, botId: string, before: Date): Promise<number> {
  const old: { revision: number } | undefined = await db('edits')
    .where({ bot_id: botId })
    .where('at', '<', before)
    .orderBy('revision', 'desc')
    .first('revision');
  if (!old) return 0;
  const base: { revision: number } | undefined = await db('snapshots')
    .where({ bot_id: botId })
    .where('revision', '<=', old.revision)
    .orderBy('revision', 'desc')
    .first('revision');
  if (!base) return 0;
  const gone = await db('snapshots').where({ bot_id: botId }).where('revision', '<', base.revision).limit(20).delete();
  return gone + (await db('edits').where({ bot_id: botId }).where('revision', '<=', base.revision).limit(ROWS_AT_ONCE).delete());
}

/** Bots that were deleted before a moment. */
export async function botsDeletedBefore(db: Db, before: Date): Promise<string[]> {
  const rows: { id: string }[] = await db('bots').where('deleted_at', '<', before).limit(10).select('id');
  return rows.map((r) => r.id);
}

/** Tables whose rows belong to a bot, and the few that are left of it when all else has gone. */
const OF_BOT = [
  'events_aside',
  'missed',
  'agent_spending',
  'visitors',
  'memories',
  'files',
  'edits',
  'snapshots',
  'releases',
  'live_changes',
  'connections',
  'samples',
  'made_up_visitors',
  'rehearsal_runs',
  'table_writes',
  'tables',
  'start_events',
  'row_events',
  'starts',
  'runs',
  'notices',
  'channels',
  'bot_contents',
  'evaluations',
  'sources',
  'page_frozen',
  'page_runs',
  'page_results',
  'page_days',
  'identities',
  'sign_in_codes',
  'canned_words',
  'bot_staff',
] as const;

/** Some rows of a bot's tables, with all by which they are found. */
async function dropSomeRows(db: Db, botId: string): Promise<number> {
  const tables = db('tables').where({ bot_id: botId }).select('id');
  for (const table of ['table_cells', 'table_rows', 'practice_tables'] as const) {
    const gone = await db(table).whereIn('table_id', tables).limit(ROWS_AT_ONCE).delete();
    if (gone > 0) return gone;
  }
  return 0;
}

/** Takes a part of a bot away; 0 when nothing of it is left. */
export async function dropPartOfBot(db: Db, botId: string): Promise<number> {
  const conversations = await dropSome(
    db,
    db('conversations').where({ bot_id: botId }).limit(CONVERSATIONS_AT_ONCE).select('id'),
  );
  if (conversations > 0) return conversations;
  const simulations: { id: string }[] = await db('simulations')
    .where({ bot_id: botId })
    .limit(CONVERSATIONS_AT_ONCE)
    .select('id');
  if (simulations.length > 0)
    return dropSimulations(
      db,
      simulations.map((r) => r.id),
    );
  const rows = await dropSomeRows(db, botId);
  if (rows > 0) return rows;
  const channels: { id: string }[] = await db('channels').where({ bot_id: botId }).select('id');
  const ids = channels.map((c) => c.id);
  for (const table of ['channel_events', 'channel_testers', 'openings', 'sign_ins', 'channel_lines', 'sent_messages'] as const) {
    const gone = await db(table).whereIn('channel_id', ids).limit(ROWS_AT_ONCE).delete();
    if (gone > 0) return gone;
  }
  const starts: { id: string }[] = await db('starts').where({ bot_id: botId }).select('id');
  await db('secrets')
    .whereIn('owner', [`connection ${botId}`, ...ids.map((id) => `channel ${id}`), ...starts.map(({ id }) => `start ${id}`)])
    .delete();
  for (const table of OF_BOT) {
    const gone = await db(table).where({ bot_id: botId }).limit(ROWS_AT_ONCE).delete();
    if (gone > 0) return gone;
  }
  return db('bots').where({ id: botId }).delete();
}

/**
 * What has expired: links and sessions, chats opened without a word, files sent without one, classifiers and vectors that nobody
 * uses; contents that no bot has, and indexes that nobody uses.
 */
export async function dropExpired(db: Db, before: Date, classifiersBefore: Date): Promise<number> {
  const [links, sessions, openings, files, classifiers, vectors] = [
    await db('sign_in_links').where('expires_at', '<', before).limit(ROWS_AT_ONCE).delete(),
    await db('console_sessions').where('expires_at', '<', before).limit(ROWS_AT_ONCE).delete(),
    await db('openings').where('at', '<', before).limit(ROWS_AT_ONCE).delete(),
    await dropUnsaidFiles(db, before),
    await db('classifiers').where('used_at', '<', classifiersBefore).limit(20).delete(),
    await db('vectors').where('used_at', '<', classifiersBefore).limit(1000).delete(),
  ];
  const contents =
    (await dropBrought(db, before)) + (await dropOrphans(db, before)) + (await dropOldIndexed(db, classifiersBefore));
  // Limits count by the day; a month of days is kept to be looked at.
  const spending = await db('agent_spending')
    .where('day', '<', classifiersBefore.toISOString().slice(0, 10))
    .limit(1000)
    .delete();
  const days = await dropOldDays(db, classifiersBefore.toISOString().slice(0, 10));
  const signIns = await db('sign_ins').where('expires_at', '<', before).limit(ROWS_AT_ONCE).delete();
  const codes = await dropOldCodes(db, before);
  return links + sessions + openings + files + classifiers + vectors + spending + contents + days + signIns + codes;
}
