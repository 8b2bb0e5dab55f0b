import type { BotDocument, Difference, PatchOperation } from '@primrose/core';
import { summary } from './summary.js';
import * as columns from './columns.js';
import type { Db } from './database.js';

export type EditKind = 'edit' | 'undo' | 'redo' | 'restore' | 'import' | 'fetch';

export interface EditRow {
  readonly revision: number;
  readonly at: Date;
  readonly by: string;
  readonly kind: EditKind;
  readonly of_revision: number | null;
  readonly patch: string;
  readonly differences: string | null;
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
    .whereNotIn('kind', ['undo', 'fetch'])
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
