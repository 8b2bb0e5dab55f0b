import type { Db } from './database.js';

export interface ReleaseRow {
  readonly id: string;
  readonly number: number;
  readonly revision: number;
  readonly note: string;
  /** Why it was released although rehearsals failed. */
  readonly despite: string | null;
  readonly at: Date;
  readonly by: string;
}

export async function listReleases(db: Db, botId: string, limit: number, before: number): Promise<ReleaseRow[]> {
  return db('releases as r')
    .join('people as p', 'p.id', 'r.person_id')
    .where('r.bot_id', botId)
    .where('r.number', '<', before)
    .orderBy('r.number', 'desc')
    .limit(limit)
    .select('r.id', 'r.number', 'r.revision', 'r.note', 'r.despite', 'r.at', 'p.name as by');
}

export async function findRelease(
  db: Db,
  botId: string,
  number: number,
): Promise<(ReleaseRow & { document: string }) | undefined> {
  return db('releases as r')
    .join('people as p', 'p.id', 'r.person_id')
    .where({ 'r.bot_id': botId, 'r.number': number })
    .first('r.id', 'r.number', 'r.revision', 'r.note', 'r.despite', 'r.at', 'p.name as by', 'r.document');
}

export async function insertRelease(
  db: Db,
  row: {
    id: string;
    botId: string;
    number: number;
    revision: number;
    note: string;
    despite: string | null;
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
    despite: row.despite,
    person_id: row.personId,
    at: row.at,
    document: row.document,
  });
}

export async function releaseDocument(db: Db, id: string): Promise<{ document: string; bot_id: string } | undefined> {
  return db('releases').where({ id }).first('document', 'bot_id');
}

/** Makes a release the one that channels serve unless they are bound to another; only inside a transaction. */
export async function setLive(
  db: Db,
  row: { id: string; botId: string; releaseId: string; personId: string; moved: number; at: Date },
): Promise<void> {
  await db('bots').where({ id: row.botId }).update({ live_release_id: row.releaseId });
  await db('live_changes').insert({
    id: row.id,
    bot_id: row.botId,
    release_id: row.releaseId,
    person_id: row.personId,
    moved: row.moved,
    at: row.at,
  });
}

/** The release that was live before the one that is live now, by the record of what was made live. */
export async function liveBefore(db: Db, botId: string, liveId: string): Promise<{ number: number } | undefined> {
  return db('live_changes as l')
    .join('releases as r', 'r.id', 'l.release_id')
    .where('l.bot_id', botId)
    .whereNot('l.release_id', liveId)
    .orderBy('l.id', 'desc')
    .first('r.number');
}

/** Moves the open conversations of channels that follow the live release; returns how many were moved. */
export async function moveConversations(db: Db, botId: string, releaseId: string): Promise<number> {
  return db('conversations')
    .where({ bot_id: botId, ended_at: null })
    .whereNotNull('release_id')
    .whereNot('release_id', releaseId)
    .whereIn('channel_id', db('channels').where({ bot_id: botId, release_id: null }).select('id'))
    .update({ release_id: releaseId });
}

/** How many open conversations are on each release. */
export async function openByRelease(db: Db, botId: string): Promise<ReadonlyMap<string, number>> {
  const rows: { release_id: string; count: number }[] = await db('conversations')
    .where({ bot_id: botId, ended_at: null })
    .whereNotNull('release_id')
    .groupBy('release_id')
    .select('release_id', db.raw('COUNT(*) as count'));
  return new Map(rows.map((r) => [r.release_id, Number(r.count)]));
}
