import {
  checkBot,
  comparePatch,
  problemSentence,
  readDocument,
  applyPatch,
  type BotDocument,
  type PatchOperation,
  type Problem,
} from '@primrose/core';
import type { FieldError } from '@primrose/contract';
import { newId, newSecret, type Clock } from './clock.js';
import { HttpProblem } from './http/problem.js';
import * as store from './store/bots.js';
import { insertChannel, updateChannel } from './store/channels.js';
import { isDuplicate, type Db } from './store/database.js';

const CHANNEL_ADDRESS_LENGTH = 16;

/** Where a problem stands in the whole document, as a JSON Pointer. */
export function documentPointer(p: Problem): string {
  if (p.flow === undefined) return p.field ?? '';
  return `/flows/${p.flow}${p.node === undefined ? '' : `/nodes/${p.node}`}${p.field ?? ''}`;
}

export function fieldErrors(problems: readonly Problem[]): FieldError[] {
  return problems.slice(0, 100).map((p) => ({ pointer: documentPointer(p), detail: problemSentence(p), code: p.code }));
}

/** A document from outside, or the end of the request with everything that is wrong in it. */
export function acceptDocument(source: unknown): BotDocument {
  const read = readDocument(source);
  if (read.ok) return read.document;
  const errors = fieldErrors(read.problems);
  throw new HttpProblem(
    'invalid-document',
    errors[0] ? `${errors[0].pointer}: ${errors[0].detail}` : 'The document cannot be read.',
    { errors },
  );
}

/** The document of a bot in which nothing has been drawn yet. */
export function blankDocument(name: string): BotDocument {
  const bot = name
    .normalize('NFKD')
    .toLowerCase()
    .replace(/\p{M}+/gu, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 60);
  return {
    primrose: 1,
    bot: bot || 'bot',
    name,
    languages: ['en'],
    zone: 'Etc/UTC',
    begins: 'welcome',
    flows: { welcome: { title: 'Welcome', nodes: {} } },
  };
}

/** A new bot with its two ways in: the simulator, and a web chat that serves the latest release. */
export async function createBot(db: Db, clock: Clock, ownerId: string, document: BotDocument): Promise<store.BotRow> {
  const id = newId(clock);
  await db.transaction(async (tx) => {
    await store.insertBot(tx, { id, ownerId, document, at: clock.now() });
    const address = newSecret().slice(0, CHANNEL_ADDRESS_LENGTH);
    await insertChannel(tx, { id: newId(clock), bot_id: id, kind: 'simulator', address: `simulator-${id}` });
    await insertChannel(tx, { id: newId(clock), bot_id: id, kind: 'web-chat', address });
  });
  return ownBot(db, ownerId, id);
}

/** A bot that this person may work on, or the end of the request. */
export async function ownBot(db: Db, ownerId: string, id: string, deleted = false): Promise<store.BotRow> {
  const row = await store.findBot(db, ownerId, id, deleted);
  if (!row) throw new HttpProblem('not-found', 'There is no such bot, or it was deleted. The list of bots shows what there is.');
  return row;
}

export interface DraftEdit {
  readonly bot: store.BotRow;
  readonly personId: string;
  readonly revision: number;
}

/** Changes a draft by a patch made against a revision. */
export async function patchDraft(db: Db, clock: Clock, edit: DraftEdit, patch: readonly PatchOperation[]): Promise<void> {
  assertRevision(edit);
  const patched = applyPatch(JSON.parse(edit.bot.document), patch);
  if (!patched.ok) {
    const at = patch[patched.index];
    const why = {
      'test-failed': 'has another value than the patch expects',
      'no-such-place': 'is not there',
      forbidden: 'cannot be changed',
    }[patched.reason];
    throw new HttpProblem(
      'patch-failed',
      `Step ${patched.index + 1} of the patch: ${at?.path ?? ''} ${why}. Fetch the draft and make the patch anew.`,
      { index: patched.index },
    );
  }
  await storeDraft(db, clock, edit, acceptDocument(patched.value), patch);
}

/** Puts a whole document in place of a draft; the difference is kept as the edit. */
export async function replaceDraft(db: Db, clock: Clock, edit: DraftEdit, source: unknown): Promise<void> {
  assertRevision(edit);
  const document = acceptDocument(source);
  const patch = comparePatch(JSON.parse(edit.bot.document) as BotDocument, document);
  if (patch.length > 0) await storeDraft(db, clock, edit, document, patch);
}

async function storeDraft(
  db: Db,
  clock: Clock,
  { bot, personId, revision }: DraftEdit,
  document: BotDocument,
  patch: readonly PatchOperation[],
): Promise<void> {
  const at = clock.now();
  await db.transaction(async (tx) => {
    if (!(await store.replaceDraft(tx, bot.id, revision, document, at)))
      throw stale((await store.draftDocument(tx, bot.id))?.revision ?? revision);
    await store.insertEdit(tx, bot.id, revision + 1, personId, at, patch);
  });
}

function assertRevision({ bot, revision }: DraftEdit): void {
  if (bot.revision !== revision) throw stale(bot.revision);
}

function stale(current: number): HttpProblem {
  return new HttpProblem(
    'stale-revision',
    `The draft is at revision ${current} now. Fetch it, look at the edits since yours, and make your change again.`,
    { revision: current },
  );
}

/** Makes the draft a release. Errors that the checks find stop it. */
export async function createRelease(
  db: Db,
  clock: Clock,
  bot: store.BotRow,
  personId: string,
  note: string,
): Promise<store.ReleaseRow> {
  if (bot.release_revision === bot.revision)
    throw new HttpProblem(
      'nothing-to-release',
      `The draft is the same as Release ${bot.release_number}. Change something first.`,
    );
  const problems = checkBot(acceptDocument(JSON.parse(bot.document))).filter((p) => p.severity === 'error');
  if (problems.length > 0) {
    const errors = fieldErrors(problems);
    throw new HttpProblem(
      'release-stopped',
      `${errors.length === 1 ? 'One error stands' : `${errors.length} errors stand`} in the way. Put them right and release again.`,
      { errors },
    );
  }
  const row = {
    id: newId(clock),
    botId: bot.id,
    number: (bot.release_number ?? 0) + 1,
    revision: bot.revision,
    note,
    personId,
    at: clock.now(),
    document: bot.document,
  };
  try {
    await store.insertRelease(db, row);
  } catch (error) {
    if (isDuplicate(error)) throw stale(bot.revision);
    throw error;
  }
  const [made] = await store.listReleases(db, bot.id, 1);
  if (!made) throw new Error('the release that was just made is gone');
  return made;
}

/** Binds a channel to a release by its number, or to whichever is the latest. */
export async function bindChannel(db: Db, bot: store.BotRow, channelId: string, serves: 'latest' | number): Promise<void> {
  const release = serves === 'latest' ? undefined : await store.findRelease(db, bot.id, serves);
  if (serves !== 'latest' && !release)
    throw new HttpProblem(
      'not-found',
      `There is no Release ${serves}. The newest is ${bot.release_number ?? 'still to be made'}.`,
    );
  await updateChannel(db, bot.id, channelId, { release_id: release?.id ?? null });
}
