import type { BotDocument, Difference, PatchOperation } from '@primrose/core';
import * as columns from './columns.js';
import type { Db } from './database.js';

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
}

export type EditKind = 'edit' | 'undo' | 'redo' | 'restore' | 'import';

export interface EditRow {
  readonly revision: number;
  readonly at: Date;
  readonly by: string;
  readonly kind: EditKind;
  readonly of_revision: number | null;
  readonly patch: string;
  readonly differences: string | null;
}

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

function bots(db: Db, ownerId: string) {
  const newest = db('releases').whereRaw('bot_id = b.id').orderBy('number', 'desc').limit(1);
  return db('bots as b')
    .where('b.owner_id', ownerId)
    .select(
      'b.*',
      newest.clone().select('number').as('release_number'),
      newest.clone().select('revision').as('release_revision'),
      db('releases').whereRaw('id = b.live_release_id').select('number').as('live_number'),
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

function summary(document: BotDocument) {
  const flows = Object.values(document.flows);
  const nodes = flows.reduce((sum, f) => sum + Object.keys(f.nodes).length, 0);
  return { bot: document.bot, name: document.name, about: document.about ?? null, flows: flows.length, nodes };
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

export async function insertSnapshot(db: Db, botId: string, revision: number, document: BotDocument): Promise<void> {
  await db('snapshots').insert({ bot_id: botId, revision, document: JSON.stringify(document) });
}

/** The newest snapshot of a bot's draft that is not younger than a revision. */
export async function snapshotBefore(
  db: Db,
  botId: string,
  revision: number,
): Promise<{ revision: number; document: string } | undefined> {
  return db('snapshots')
    .where('bot_id', botId)
    .where('revision', '<=', revision)
    .orderBy('revision', 'desc')
    .first('revision', 'document');
}

/** The revision of a bot's draft; undefined where there is no such bot. */
export async function draftRevision(db: Db, botId: string): Promise<number | undefined> {
  const row: { revision: number } | undefined = await db('bots').where({ id: botId }).first('revision');
  return row?.revision;
}

/** The revisions of several drafts. */
export async function draftRevisions(db: Db, botIds: readonly string[]): Promise<{ id: string; revision: number }[]> {
  return db('bots')
    .whereIn('id', [...botIds])
    .select('id', 'revision');
}

/** Moves a draft on by one revision if it still has the one given; true when it had. */
export async function advanceDraft(db: Db, id: string, revision: number, document: BotDocument, at: Date): Promise<boolean> {
  const changed = await db('bots')
    .where({ id, revision })
    .update({ revision: revision + 1, ...summary(document), changed_at: at });
  return changed === 1;
}

export interface NewEdit {
  readonly botId: string;
  readonly revision: number;
  readonly personId: string;
  readonly at: Date;
  readonly kind: EditKind;
  readonly ofRevision: number | null;
  readonly patch: readonly PatchOperation[];
  readonly differences: readonly Difference[];
}

export async function insertEdit(db: Db, edit: NewEdit): Promise<void> {
  await db('edits').insert({
    bot_id: edit.botId,
    revision: edit.revision,
    person_id: edit.personId,
    at: edit.at,
    kind: edit.kind,
    of_revision: edit.ofRevision,
    patch: JSON.stringify(edit.patch),
    differences: JSON.stringify(edit.differences),
  });
}

function edits(db: Db, botId: string) {
  return db('edits as e')
    .join('people as p', 'p.id', 'e.person_id')
    .where('e.bot_id', botId)
    .select('e.revision', 'e.at', 'p.name as by', 'e.kind', 'e.of_revision', 'e.patch', 'e.differences');
}

/** Edits behind a revision, the earliest first. */
export async function listEdits(db: Db, botId: string, since: number, limit: number): Promise<EditRow[]> {
  return edits(db, botId).where('e.revision', '>', since).orderBy('e.revision').limit(limit);
}

/** Edits before a revision, the newest first. */
export async function listHistory(db: Db, botId: string, before: number, limit: number): Promise<EditRow[]> {
  return edits(db, botId).where('e.revision', '<', before).orderBy('e.revision', 'desc').limit(limit);
}

/** The patches that lead from one revision of a draft to a later one. */
export async function patchesBetween(db: Db, botId: string, from: number, to: number): Promise<(readonly PatchOperation[])[]> {
  const rows: { patch: string }[] = await db('edits')
    .where({ bot_id: botId })
    .whereBetween('revision', [from + 1, to])
    .orderBy('revision')
    .select('patch');
  return rows.map((r) => columns.patchColumn.read(r.patch));
}

/** The edit that a person would undo next: their newest that is not undone. */
export async function nextUndo(db: Db, botId: string, personId: string): Promise<{ revision: number } | undefined> {
  return db('edits')
    .where({ bot_id: botId, person_id: personId, state: 'done' })
    .whereNot('kind', 'undo')
    .orderBy('revision', 'desc')
    .first('revision');
}

/** The undoing that a person would take back next; undefined when they have edited since. */
export async function nextRedo(
  db: Db,
  botId: string,
  personId: string,
): Promise<{ revision: number; of_revision: number } | undefined> {
  const fresh = db('edits')
    .where({ bot_id: botId, person_id: personId, state: 'done' })
    .whereIn('kind', ['edit', 'restore', 'import'])
    .orderBy('revision', 'desc')
    .limit(1)
    .select('revision');
  return db('edits')
    .where({ bot_id: botId, person_id: personId, state: 'done', kind: 'undo' })
    .whereRaw('revision > COALESCE(?, 0)', [fresh])
    .orderBy('revision', 'desc')
    .first('revision', 'of_revision');
}

export async function markUndone(db: Db, botId: string, revision: number): Promise<void> {
  await db('edits').where({ bot_id: botId, revision }).update({ state: 'undone' });
}

export async function setDeleted(db: Db, id: string, at: Date | null): Promise<void> {
  await db('bots').where({ id }).update({ deleted_at: at });
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

export async function connectionAddresses(db: Db, botId: string): Promise<ReadonlyMap<string, string>> {
  const rows: { name: string; address: string }[] = await db('connections')
    .where({ bot_id: botId })
    .whereNotNull('address')
    .select('name', 'address');
  return new Map(rows.map((r) => [r.name, r.address]));
}

/** The stand-ins that simulations of a bot call, by connection. */
export async function standIns(db: Db, botId: string): Promise<ReadonlyMap<string, string>> {
  const rows: { name: string; stand_in: string }[] = await db('connections')
    .where({ bot_id: botId })
    .whereNotNull('stand_in')
    .select('name', 'stand_in');
  return new Map(rows.map((r) => [r.name, r.stand_in]));
}

export async function setConnectionAddress(db: Db, botId: string, name: string, address: string | null): Promise<void> {
  await db('connections').insert({ bot_id: botId, name, address }).onConflict().merge(['address']);
}

export async function setStandIn(db: Db, botId: string, name: string, standIn: string | null): Promise<void> {
  await db('connections').insert({ bot_id: botId, name, stand_in: standIn }).onConflict().merge(['stand_in']);
}

/** The last run of all rehearsals of a bot, as JSON; undefined before the first. */
export async function lastRehearsalRun(db: Db, botId: string): Promise<string | undefined> {
  const row: { run: string } | undefined = await db('rehearsal_runs').where({ bot_id: botId }).first('run');
  return row?.run;
}

export async function keepRehearsalRun(db: Db, botId: string, run: string): Promise<void> {
  await db('rehearsal_runs').insert({ bot_id: botId, run }).onConflict().merge(['run']);
}
