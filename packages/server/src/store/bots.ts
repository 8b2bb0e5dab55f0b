import type { BotDocument } from '@primrose/core';
import type { Db } from './database.js';
import { insertSnapshot } from './edits.js';
import { summary } from './summary.js';

export interface BotRow {
  readonly id: string;
  readonly owner_id: string;
  readonly revision: number;
  readonly bot: string;
  readonly name: string;
  readonly about: string | null;
  readonly flows: number;
  readonly nodes: number;
  readonly changed_at: Date;
  readonly deleted_at: Date | null;
  readonly live_release_id: string | null;
  /** The newest release, and the one that is live. */
  readonly release_number: number | null;
  readonly release_revision: number | null;
  readonly live_number: number | null;
  /** Edits since the newest release that still stand: one that was taken back is none. */
  readonly changes: number;
}

const RELEASED = '(SELECT COALESCE(MAX(r.revision), 0) FROM releases r WHERE r.bot_id = b.id)';
const CHANGES = `(SELECT COUNT(*) FROM edits e
  WHERE e.bot_id = b.id AND e.revision > ${RELEASED} AND e.state = 'done'
    AND (e.kind <> 'undo' OR e.of_revision <= ${RELEASED})) AS changes`;

function bots(db: Db, ownerId: string) {
  const newest = db('releases').whereRaw('bot_id = b.id').orderBy('number', 'desc').limit(1);
  return db('bots as b')
    .where('b.owner_id', ownerId)
    .select(
      'b.*',
      newest.clone().select('number').as('release_number'),
      newest.clone().select('revision').as('release_revision'),
      db('releases').whereRaw('id = b.live_release_id').select('number').as('live_number'),
      db.raw(CHANGES),
    );
}

/** Bots of an owner, the last changed first, behind the one whose id is `after`. */
export async function listBots(
  db: Db,
  ownerId: string,
  options: { deleted: boolean; limit: number; after?: string },
): Promise<BotRow[]> {
  const query = bots(db, ownerId)
    .orderBy([
      { column: 'b.changed_at', order: 'desc' },
      { column: 'b.id', order: 'desc' },
    ])
    .limit(options.limit);
  void (options.deleted ? query.whereNotNull('b.deleted_at') : query.whereNull('b.deleted_at'));
  const cursor = /^(\d{1,14})_([\w-]{1,40})$/.exec(options.after ?? '');
  if (cursor) void query.whereRaw('(b.changed_at, b.id) < (?, ?)', [new Date(Number(cursor[1])), cursor[2] ?? '']);
  return query;
}

/** One bot of an owner; deleted ones only when asked for. */
export async function findBot(db: Db, ownerId: string, id: string, deleted = false): Promise<BotRow | undefined> {
  const query = bots(db, ownerId).where('b.id', id);
  return (await (deleted ? query : query.whereNull('b.deleted_at')).first()) as BotRow | undefined;
}

/** Stores a new bot with its first snapshot; only inside a transaction. */
export async function insertBot(db: Db, row: { id: string; ownerId: string; document: BotDocument; at: Date }): Promise<void> {
  await db('bots').insert({
    id: row.id,
    owner_id: row.ownerId,
    revision: 1,
    ...summary(row.document),
    created_at: row.at,
    changed_at: row.at,
  });
  await insertSnapshot(db, row.id, 1, row.document);
}

export async function setDeleted(db: Db, id: string, at: Date | null): Promise<void> {
  await db('bots').where({ id }).update({ deleted_at: at });
}

/** Whose a bot is and what it serves, whoever asks; undefined where there is none, or it was put away. */
export async function servingBot(
  db: Db,
  id: string,
): Promise<{ readonly owner_id: string; readonly live_release_id: string | null } | undefined> {
  return db('bots').where({ id, deleted_at: null }).first('owner_id', 'live_release_id');
}
