import { createHash } from 'node:crypto';
import { changedMemory, EMPTY_MEMORY, type Memory, type MemoryChange } from '@primrose/core';
import { ownColumn } from './columns.js';
import type { Db } from './database.js';
import type { Hot, Waiting } from './hot.js';

/*
 * What is kept about visitors and under keys. A memory is one value in one row, changed by operations under the row's lock, so
 * that two conversations at once lose nothing of each other.
 */

/** `memories.memory` and `made_up_visitors.memory`. */
export const memoryColumn = ownColumn<Memory>('memory', 'facts', 'exchanges');

/** Rows of real visitors and keys; those of a simulation bear its id. */
export const REAL_MEMORY = '';

/** Whose memory it is: a visitor's by id, or what is kept under a key. */
export type Holder = { readonly visitor: string } | { readonly key: string };

export interface MemoryPlace {
  readonly botId: string;
  readonly realm: string;
  readonly of: Holder;
}

function rowOf({ botId, realm, of }: MemoryPlace): readonly [string, string, string, string] {
  return 'visitor' in of ? [botId, realm, 'visitor', of.visitor] : [botId, realm, 'key', digestOf(of.key)];
}

const digestOf = (key: string): string => createHash('sha256').update(key).digest('hex');

export async function memoryAt(hot: Hot, place: MemoryPlace): Promise<Memory> {
  const [row] = await hot.read<{ memory: string }>(
    'SELECT memory FROM memories WHERE bot_id = ? AND realm = ? AND kind = ? AND holder = ?',
    rowOf(place),
  );
  return row ? memoryColumn.read(row.memory) : EMPTY_MEMORY;
}

export interface MemoryWrite {
  readonly changes: readonly MemoryChange[];
  readonly many: (about: string) => boolean;
  readonly at: Date;
  /** After so many exchanges that are not summed up somebody is to do so, by this release; undefined where nobody does. */
  readonly sums?: { readonly after: number; readonly releaseId: string | null };
}

/** Applies changes to a memory, in their order; only inside a transaction. Returns what it is then. */
export async function changeMemory(hot: Hot, place: MemoryPlace, { changes, many, at, sums }: MemoryWrite): Promise<Memory> {
  const row = rowOf(place);
  const [found] = await hot.read<{ memory: string }>(
    'SELECT memory FROM memories WHERE bot_id = ? AND realm = ? AND kind = ? AND holder = ? FOR UPDATE',
    row,
  );
  const before = found ? memoryColumn.read(found.memory) : EMPTY_MEMORY;
  const after = changes.reduce((memory, change) => changedMemory(memory, change, many), before);
  const due = sums !== undefined && after.fresh >= sums.after;
  const label = 'key' in place.of ? place.of.key.slice(0, 200) : null;
  await hot.write(
    `INSERT INTO memories (bot_id, realm, kind, holder, label, memory, due, release_id, updated_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE memory = VALUES(memory), due = VALUES(due), release_id = VALUES(release_id), updated_at = VALUES(updated_at)`,
    [...row, label, JSON.stringify(after), due ? 1 : 0, sums?.releaseId ?? null, at],
  );
  return after;
}

export interface DueMemory {
  readonly bot_id: string;
  readonly realm: string;
  readonly kind: string;
  readonly holder: string;
  readonly memory: string;
  readonly release_id: string | null;
}

const DUE_AT_ONCE = 100;

/** Memories that somebody is to sum up, the oldest first, each as the text by which it is known. */
export async function dueMemories(hot: Hot): Promise<Waiting[]> {
  const rows = await hot.read<DueMemory>(
    `SELECT bot_id, realm, kind, holder FROM memories WHERE due = 1 AND realm = '' ORDER BY updated_at LIMIT ${DUE_AT_ONCE}`,
    [],
  );
  return rows.map((r) => ({ id: [r.bot_id, r.realm, r.kind, r.holder].join(' '), owner: r.bot_id }));
}

const partsOf = (id: string): string[] => id.split(' ');

export async function dueMemory(hot: Hot, id: string): Promise<DueMemory | undefined> {
  const [row] = await hot.read<DueMemory>(
    `SELECT bot_id, realm, kind, holder, memory, release_id FROM memories
     WHERE bot_id = ? AND realm = ? AND kind = ? AND holder = ? AND due = 1`,
    partsOf(id),
  );
  return row;
}

/** Takes it upon oneself to sum a memory up; false where somebody else has. */
export async function claimDue(hot: Hot, id: string): Promise<boolean> {
  const done = await hot.write(
    'UPDATE memories SET due = 0 WHERE bot_id = ? AND realm = ? AND kind = ? AND holder = ? AND due = 1',
    partsOf(id),
  );
  return done.rows === 1;
}

/** Applies what came of summing up to a memory by the text by which it is known; only inside a transaction. */
export async function changeDue(hot: Hot, id: string, changes: readonly MemoryChange[], many: (about: string) => boolean) {
  const [row] = await hot.read<{ memory: string }>(
    'SELECT memory FROM memories WHERE bot_id = ? AND realm = ? AND kind = ? AND holder = ? FOR UPDATE',
    partsOf(id),
  );
  if (!row) return;
  const after = changes.reduce((memory, change) => changedMemory(memory, change, many), memoryColumn.read(row.memory));
  await hot.write('UPDATE memories SET memory = ?, due = 0 WHERE bot_id = ? AND realm = ? AND kind = ? AND holder = ?', [
    JSON.stringify(after),
    ...partsOf(id),
  ]);
}

export interface KeyRow {
  readonly holder: string;
  readonly label: string | null;
  readonly memory: string;
  readonly updated_at: Date;
}

/** Memories under keys, the last used first; `begins` is how a key begins. */
export async function keyedMemories(
  db: Db,
  botId: string,
  { limit, begins }: { limit: number; begins: string | undefined },
): Promise<KeyRow[]> {
  const rows = db('memories')
    .where({ bot_id: botId, realm: REAL_MEMORY, kind: 'key' })
    .orderBy('updated_at', 'desc')
    .limit(limit)
    .select('holder', 'label', 'memory', 'updated_at');
  if (begins !== undefined) void rows.where('label', 'like', `${begins.replace(/[\\%_]/g, '\\$&')}%`);
  return (await rows) as KeyRow[];
}

/** Erases what is kept under a key, by its digest; false where nothing was. */
export async function eraseKey(db: Db, botId: string, holder: string): Promise<boolean> {
  return (await db('memories').where({ bot_id: botId, realm: REAL_MEMORY, kind: 'key', holder }).delete()) > 0;
}

export async function dropMemoryOfVisitor(db: Db, botId: string, visitorId: string): Promise<void> {
  await db('memories').where({ bot_id: botId, realm: REAL_MEMORY, kind: 'visitor', holder: visitorId }).delete();
}

const ROWS_AT_ONCE = 200;

/** Memories that nothing has touched since a moment. */
export async function dropOldMemories(db: Db, botId: string, before: Date): Promise<number> {
  return db('memories')
    .where({ bot_id: botId, realm: REAL_MEMORY })
    .where('updated_at', '<', before)
    .limit(ROWS_AT_ONCE)
    .delete();
}

/** All that is kept in a simulation. */
export async function dropPracticeMemories(db: Db, realm: string): Promise<void> {
  await db('memories').where({ realm }).delete();
}
