import type { BotDocument, PatchOperation } from '@primrose/core';
import type { Db } from './database.js';

export interface BotRow {
  readonly id: string;
  readonly owner_id: string;
  readonly revision: number;
  readonly document: string;
  readonly changed_at: Date;
  readonly deleted_at: Date | null;
  readonly release_number: number | null;
  readonly release_revision: number | null;
}

export interface EditRow {
  readonly revision: number;
  readonly at: Date;
  readonly by: string;
  readonly patch: string;
}

export interface ReleaseRow {
  readonly id: string;
  readonly number: number;
  readonly revision: number;
  readonly note: string;
  readonly at: Date;
  readonly by: string;
}

function bots(db: Db, ownerId: string) {
  const newest = db('releases').whereRaw('bot_id = b.id').orderBy('number', 'desc').limit(1);
  return db('bots as b')
    .where('b.owner_id', ownerId)
    .select(
      'b.*',
      newest.clone().select('number').as('release_number'),
      newest.clone().select('revision').as('release_revision'),
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
  if (options.after !== undefined) {
    const [at, id] = options.after.split('_');
    void query.whereRaw('(b.changed_at, b.id) < (?, ?)', [new Date(Number(at)), id ?? '']);
  }
  return query;
}

/** One bot of an owner; deleted ones only when asked for. */
export async function findBot(db: Db, ownerId: string, id: string, deleted = false): Promise<BotRow | undefined> {
  const query = bots(db, ownerId).where('b.id', id);
  return (await (deleted ? query : query.whereNull('b.deleted_at')).first()) as BotRow | undefined;
}

export async function insertBot(db: Db, row: { id: string; ownerId: string; document: BotDocument; at: Date }): Promise<void> {
  await db('bots').insert({
    id: row.id,
    owner_id: row.ownerId,
    revision: 1,
    document: JSON.stringify(row.document),
    created_at: row.at,
    changed_at: row.at,
  });
}

/** Puts a document in place of the draft if it still has the revision; true when it had. */
export async function replaceDraft(db: Db, id: string, revision: number, document: BotDocument, at: Date): Promise<boolean> {
  const changed = await db('bots')
    .where({ id, revision })
    .update({ revision: revision + 1, document: JSON.stringify(document), changed_at: at });
  return changed === 1;
}

export async function insertEdit(
  db: Db,
  botId: string,
  revision: number,
  personId: string,
  at: Date,
  patch: readonly PatchOperation[],
): Promise<void> {
  await db('edits').insert({ bot_id: botId, revision, person_id: personId, at, patch: JSON.stringify(patch) });
}

export async function listEdits(db: Db, botId: string, since: number, limit: number): Promise<EditRow[]> {
  return db('edits as e')
    .join('people as p', 'p.id', 'e.person_id')
    .where('e.bot_id', botId)
    .where('e.revision', '>', since)
    .orderBy('e.revision')
    .limit(limit)
    .select('e.revision', 'e.at', 'p.name as by', 'e.patch');
}

export async function setDeleted(db: Db, id: string, at: Date | null): Promise<void> {
  await db('bots').where({ id }).update({ deleted_at: at });
}

export async function listReleases(
  db: Db,
  botId: string,
  limit: number,
  before = Number.MAX_SAFE_INTEGER,
): Promise<ReleaseRow[]> {
  return db('releases as r')
    .join('people as p', 'p.id', 'r.person_id')
    .where('r.bot_id', botId)
    .where('r.number', '<', before)
    .orderBy('r.number', 'desc')
    .limit(limit)
    .select('r.id', 'r.number', 'r.revision', 'r.note', 'r.at', 'p.name as by');
}

export async function findRelease(
  db: Db,
  botId: string,
  number: number,
): Promise<(ReleaseRow & { document: string }) | undefined> {
  return db('releases as r')
    .join('people as p', 'p.id', 'r.person_id')
    .where({ 'r.bot_id': botId, 'r.number': number })
    .first('r.id', 'r.number', 'r.revision', 'r.note', 'r.at', 'p.name as by', 'r.document');
}

export async function insertRelease(
  db: Db,
  row: {
    id: string;
    botId: string;
    number: number;
    revision: number;
    note: string;
    personId: string;
    at: Date;
    document: string;
  },
): Promise<void> {
  await db('releases').insert({
    id: row.id,
    bot_id: row.botId,
    number: row.number,
    revision: row.revision,
    note: row.note,
    person_id: row.personId,
    at: row.at,
    document: row.document,
  });
}

export async function releaseDocument(db: Db, id: string): Promise<string | undefined> {
  const row: { document: string } | undefined = await db('releases').where({ id }).first('document');
  return row?.document;
}

export async function draftDocument(db: Db, botId: string): Promise<{ document: string; revision: number } | undefined> {
  return db('bots').where({ id: botId }).first('document', 'revision');
}

export async function connectionAddresses(db: Db, botId: string): Promise<ReadonlyMap<string, string>> {
  const rows: { name: string; address: string }[] = await db('connections').where({ bot_id: botId }).select('name', 'address');
  return new Map(rows.map((r) => [r.name, r.address]));
}

export async function setConnectionAddress(db: Db, botId: string, name: string, address: string | null): Promise<void> {
  if (address === null) await db('connections').where({ bot_id: botId, name }).delete();
  else await db('connections').insert({ bot_id: botId, name, address }).onConflict().merge(['address']);
}
