import { applyPatch, comparePatch, type BotDocument, type PatchOperation } from '@primrose/core';
import type { Drafted } from '@primrose/contract';
import { createBot, ownBot, ownDraft, ownRelease } from '../../bots/bots.js';
import { acceptDocument, storedDocument } from '../../bots/documents.js';
import { streamEdits, type Streaming } from '../../drafts/watch.js';
import type { DraftAt } from '../../drafts/drafts.js';
import { writeFile, writeZip } from '../../bots/files.js';
import type { FileReading } from '../../bots/reading.js';
import { listEdits, listHistory, nextRedo, nextUndo } from '../../store/edits.js';
import type { BotParts } from '../../bots/bots.js';
import { numberCursor, paged, PAGE, sendFile, type Handlers } from '../route.js';
import { botView, draftView, editView, pastEditView } from '../views.js';

/** Drafts: editing, undoing, history, and bots as files. */
export function draftHandlers(parts: BotParts & Streaming & { readonly files: FileReading }): Handlers {
  const { db, drafts, files } = parts;

  /** What the person who asks could undo and redo now. */
  const steps = async (botId: string, personId: string) => {
    const [undo, redo] = await Promise.all([nextUndo(db, botId, personId), nextRedo(db, botId, personId)]);
    return { undo: undo !== undefined, redo: redo !== undefined };
  };
  /** The answer to a change: what the asker has to do to their own outcome of it to have the draft as it is now. */
  const drafted = async (botId: string, personId: string, outcome: BotDocument, now: DraftAt): Promise<Drafted> => {
    const [bot, can] = await Promise.all([ownBot(db, personId, botId), steps(botId, personId)]);
    const patch = outcome === now.document ? [] : comparePatch(outcome, now.document);
    return { bot: botView(bot), revision: now.revision, patch, ...can };
  };
  const outcomeOf = async (botId: string, revision: number, patch: readonly PatchOperation[]): Promise<BotDocument> => {
    const done = applyPatch(await drafts.at(botId, revision), patch);
    return (done.ok ? done.value : {}) as BotDocument;
  };

  return {
    getDraft: async ({ person, params }) => {
      return draftView(await ownDraft(parts, person.id, params.bot), await steps(params.bot, person.id));
    },
    patchDraft: async ({ person, params, body }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const { revision, patch } = body;
      const now = await drafts.edit({ botId: id, personId: person.id, revision, kind: 'edit', patch });
      return drafted(id, person.id, await outcomeOf(id, revision, patch), now);
    },
    streamDraft: async ({ person, params, query, req, res }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      await streamEdits(parts, { botId: id, since: query.since ?? 0, steps: () => steps(id, person.id) }, req, res);
      return undefined;
    },
    replaceDraft: async ({ person, params, body }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const outcome = acceptDocument(body.document);
      const now = await drafts.replace({ botId: id, personId: person.id, revision: body.revision, kind: 'edit' }, outcome);
      return drafted(id, person.id, outcome, now);
    },
    undoEdit: async ({ person, params, body }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const now = await drafts.undo(id, person.id);
      return drafted(id, person.id, await drafts.at(id, body.revision), now);
    },
    redoEdit: async ({ person, params, body }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const now = await drafts.redo(id, person.id);
      return drafted(id, person.id, await drafts.at(id, body.revision), now);
    },
    restoreDraft: async ({ person, params, body }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const now = await drafts.restore(id, person.id, body.to);
      return drafted(id, person.id, await drafts.at(id, body.revision), now);
    },
    listEdits: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      return paged(await listEdits(db, bot.id, query.since ?? 0, limit + 1), limit, editView, (r) => String(r.revision));
    },
    listHistory: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const before = numberCursor(query.after);
      return paged(await listHistory(db, bot.id, before, limit + 1), limit, pastEditView, (r) => String(r.revision));
    },
    exportBot: async ({ person, params, query, res }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      const { release } = query;
      const wanted = release === undefined ? document : storedDocument((await ownRelease(db, bot, release)).document);
      const name = release === undefined ? wanted.bot : `${wanted.bot}-release-${release}`;
      const held = await parts.contents.all(bot.id, wanted);
      if (query.form === 'folder') sendFile(res, 'application/zip', `${name}.zip`, writeZip(wanted, held));
      else sendFile(res, 'application/json', `${name}.json`, writeFile(wanted, held));
      return undefined;
    },
    importBot: async ({ person, params, query, req }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const { document, contents } = await files.read(req.body as Buffer);
      await parts.contents.putAll(id, contents);
      // What the file says, as it is kept.
      const outcome = await parts.contents.settle(id, person.id, document);
      const now = await drafts.replace({ botId: id, personId: person.id, revision: query.revision, kind: 'import' }, outcome);
      return drafted(id, person.id, outcome, now);
    },
    importNewBot: async ({ person, req }) => {
      const { document, contents } = await files.read(req.body as Buffer);
      return draftView(await createBot(parts, person.id, document, contents), { undo: false, redo: false });
    },
  };
}
