import { columnsOf } from '@primrose/core';
import type { Db } from './database.js';
import { dropFilesOf } from './files.js';
import { statement, transaction, type Hot } from './hot.js';
import { dropMemoryOfVisitor } from './memories.js';
import { membersOf, MOST_MEMBERS, type VisitorKind } from './persons.js';
import { declaredColumn, deleteRows, REAL } from './tables.js';
import { dropConversations } from './retention.js';

export interface KeptVisitorRow {
  readonly id: string;
  readonly kind: VisitorKind;
  /** The visitor under whom this one is known, where both are the same person. */
  readonly person_id: string | null;
  readonly linked_by: 'sign-in' | 'staff' | null;
  readonly who: string | null;
  readonly variables: string;
  readonly created_at: Date;
  readonly name: string | null;
  readonly conversations: number;
  /** What is known about them; null where nothing is. */
  readonly memory: string | null;
}

function kept(db: Db, botId: string) {
  const of = db('conversations').whereRaw('conversations.visitor_id = v.id');
  return db('visitors as v')
    .leftJoin('memories as m', (join) => {
      join.on('m.bot_id', 'v.bot_id').on('m.holder', 'v.id').on('m.kind', db.raw("'visitor'")).on('m.realm', db.raw("''"));
    })
    .where('v.bot_id', botId)
    .select('v.id', 'v.kind', 'v.person_id', 'v.linked_by', 'v.who', 'v.created_at', 'v.variables', 'm.memory')
    .select(
      of.clone().whereNotNull('visitor_name').orderBy('id', 'desc').limit(1).select('visitor_name').as('name'),
      of.clone().count('*').as('conversations'),
    );
}

/** Visitors of a bot, the newest first, behind the one whose id is `after`; `name` is how a name begins. */
export async function listVisitors(
  db: Db,
  botId: string,
  { limit, after, name }: { limit: number; after: string | undefined; name: string | undefined },
): Promise<KeptVisitorRow[]> {
  const rows = kept(db, botId).orderBy('v.id', 'desc').limit(limit);
  if (after !== undefined) void rows.where('v.id', '<', after);
  if (name !== undefined)
    void rows.whereExists(
      db('conversations')
        .whereRaw('conversations.visitor_id = v.id')
        .where('visitor_name', 'like', `${name.replace(/[\\%_]/g, '\\$&')}%`)
        .select(db.raw('1')),
    );
  return rows;
}

export async function findVisitor(db: Db, botId: string, id: string): Promise<KeptVisitorRow | undefined> {
  return (await kept(db, botId).where('v.id', id).first()) as KeptVisitorRow | undefined;
}

/** A visitor with the digest of the key, or of the sender, that they are known by. */
export async function visitorById(db: Db, botId: string, id: string): Promise<{ id: string; key_hash: string } | undefined> {
  return db('visitors').where({ bot_id: botId, id }).first('id', 'key_hash');
}

export interface VisitorConversationRow {
  readonly id: string;
  readonly channel: string | null;
  readonly opened_at: Date;
  readonly lines: number;
  readonly turns: number;
  readonly events: number;
}

/** The conversations of some visitors with how much is kept of each; at most 500, the newest first. */
export async function conversationsOfVisitors(
  db: Db,
  botId: string,
  visitorIds: readonly string[],
): Promise<VisitorConversationRow[]> {
  const count = (table: string) => db(table).whereRaw(`${table}.conversation_id = c.id`).count('*').as(table);
  return db('conversations as c')
    .leftJoin('channels as ch', 'ch.id', 'c.channel_id')
    .where('c.bot_id', botId)
    .whereIn('c.visitor_id', visitorIds)
    .orderBy('c.id', 'desc')
    .limit(500)
    .select('c.id', 'ch.kind as channel', 'c.opened_at', count('turns'), count('events'))
    .select(db('chat_lines').whereRaw('chat_lines.conversation_id = c.id').count('*').as('lines'));
}

/** Conversations of a visitor that are not over; at most 20, the newest first. */
export async function openConversationsOf(db: Db, visitorId: string): Promise<string[]> {
  const rows: { id: string }[] = await db('conversations')
    .where({ visitor_id: visitorId, ended_at: null })
    .orderBy('id', 'desc')
    .limit(20)
    .select('id');
  return rows.map((r) => r.id);
}

/** What was said in a conversation, so many lines of it. */
export async function linesForExport(db: Db, conversationId: string, most: number) {
  const rows: { at: Date; who: string; message: string }[] = await db('chat_lines')
    .where({ conversation_id: conversationId })
    .orderBy('seq')
    .limit(most)
    .select('at', 'who', 'message');
  return rows;
}

/** The sender that a visitor is on each messenger: webhooks bear it. */
function sendersOf(db: Db, visitorId: string) {
  return db('deliveries as d')
    .join('conversations as c', 'c.id', 'd.conversation_id')
    .where('c.visitor_id', visitorId)
    .distinct('d.channel_id', 'd.recipient');
}

/** Webhooks that came from a visitor, or went to one. */
export async function countWebhooksOf(db: Db, visitorId: string): Promise<number> {
  let count = 0;
  for (const { channel_id, recipient } of (await sendersOf(db, visitorId)) as { channel_id: string; recipient: string }[]) {
    const row: { count?: number | string } | undefined = await db('channel_events')
      .where({ channel_id, sender: recipient })
      .count('* as count')
      .first();
    count += Number(row?.count ?? 0);
  }
  return count;
}

const WEBHOOKS_AT_ONCE = 500;

/** Rows that name a visitor in a column that holds one, in the tables of all bots of the same owner. */
async function rowsOfVisitor(db: Db, botId: string, visitorId: string): Promise<{ table: string; row: string }[]> {
  const owner = db('bots').where({ id: botId }).select('owner_id');
  const tables: { id: string; declared: string; wanted: string | null }[] = await db('tables as t')
    .join('bots as b', 'b.id', 't.bot_id')
    .whereIn('b.owner_id', owner)
    .select('t.id', 't.declared', 't.wanted');
  const found: { table: string; row: string }[] = [];
  for (const { id, declared, wanted } of tables) {
    const both = [declared, ...(wanted === null ? [] : [wanted])].flatMap((d) => columnsOf(declaredColumn.read(d)));
    const names = [...new Set(both.filter((c) => c.type === 'visitor').map((c) => c.name))];
    if (names.length === 0) continue;
    const rows: { row_id: string }[] = await db('table_cells')
      .where({ table_id: id, realm: REAL, held: visitorId })
      .whereIn('name', names)
      .distinct('row_id');
    found.push(...rows.map((r) => ({ table: id, row: r.row_id })));
  }
  return found;
}

export async function countRowsOf(db: Db, botId: string, visitorId: string): Promise<number> {
  return (await rowsOfVisitor(db, botId, visitorId)).length;
}

/** The visitors who are the same person as one of them, the one under whom they are known first; that one alone as a rule. */
export async function samePerson(db: Db, botId: string, { id }: Pick<KeptVisitorRow, 'id'>): Promise<string[]> {
  return (await statement(db, (hot) => membersOf(hot, botId, id))).map((m) => m.id);
}

/**
 * Says that two visitors are one person: each keeps what was said there, and together they are read. Only inside a transaction.
 * 'same' where they are one already, 'many' where they would be too many.
 */
export async function joinVisitors(
  hot: Hot,
  { botId, one, other, by }: { botId: string; one: string; other: string; by: 'sign-in' | 'staff' },
): Promise<'joined' | 'same' | 'many'> {
  const [mine, theirs] = [await membersOf(hot, botId, one, true), await membersOf(hot, botId, other, true)];
  const [head, joined] = [mine[0]?.id, theirs[0]?.id];
  if (head === joined || head === undefined || joined === undefined) return 'same';
  if (mine.length + theirs.length > MOST_MEMBERS) return 'many';
  await hot.write('UPDATE visitors SET person_id = ?, linked_by = ? WHERE bot_id = ? AND id = ? AND person_id IS NULL', [
    head,
    by,
    botId,
    joined,
  ]);
  return 'joined';
}

/**
 * Takes a visitor for somebody else again, with those who are known under them. Who had signed in has to do so anew, and is
 * another visitor then: what was said here stays here.
 */
export async function partVisitor(hot: Hot, botId: string, id: string): Promise<void> {
  await hot.write('UPDATE visitors SET person_id = NULL, linked_by = NULL WHERE bot_id = ? AND id = ?', [botId, id]);
  await hot.write(
    "UPDATE visitors SET key_hash = SHA2(CONCAT(id, ' parted'), 256) WHERE bot_id = ? AND id = ? AND kind = 'signed-in'",
    [botId, id],
  );
  await hot.write('DELETE FROM sign_ins WHERE visitor_id = ?', [id]);
}

/** Erases a person with everything of them, on whatever channels they wrote. */
export async function erasePerson(db: Db, botId: string, visitor: Pick<KeptVisitorRow, 'id'>): Promise<void> {
  // The one under whom they are known goes last, so that whatever breaks off leaves nothing behind that nobody finds.
  for (const id of (await samePerson(db, botId, visitor)).reverse()) await eraseVisitor(db, botId, id);
}

/** Erases a visitor with everything of them, in small steps. What is erased first is what leads to the rest last. */
async function eraseVisitor(db: Db, botId: string, visitorId: string): Promise<void> {
  for (const { channel_id, recipient } of (await sendersOf(db, visitorId)) as { channel_id: string; recipient: string }[]) {
    for (let gone = WEBHOOKS_AT_ONCE; gone === WEBHOOKS_AT_ONCE;)
      gone = await db('channel_events').where({ channel_id, sender: recipient }).limit(WEBHOOKS_AT_ONCE).delete();
    await db('channel_testers').where({ channel_id, sender: recipient }).delete();
  }
  for (;;) {
    const rows: { id: string }[] = await db('conversations')
      .where({ bot_id: botId, visitor_id: visitorId })
      .limit(20)
      .select('id');
    if (rows.length === 0) break;
    await dropConversations(
      db,
      rows.map((r) => r.id),
    );
  }
  for (const { table, row } of await rowsOfVisitor(db, botId, visitorId))
    await transaction(db, (hot) => deleteRows(hot, { table, realm: REAL }, [row]));
  await dropMemoryOfVisitor(db, botId, visitorId);
  await dropFilesOf(db, botId, visitorId);
  await db('identities').where({ bot_id: botId, person_id: visitorId }).delete();
  await db('sign_ins').where({ visitor_id: visitorId }).delete();
  await db('visitors').where({ bot_id: botId, id: visitorId }).delete();
}
