import { compile, type CompiledBot, type EngineLimits } from '@primrose/core';
import { storedDocument } from './documents.js';
import type { Drafts } from '../drafts/drafts.js';
import { Recent } from '../base/recent.js';
import { releaseDocument } from '../store/releases.js';
import type { Db } from '../store/database.js';

/** A compiled bot and which version it is: a release, or a revision of the draft. */
export interface LoadedBot {
  readonly bot: CompiledBot;
  readonly botId: string;
  readonly releaseId: string | null;
  readonly revision: number | null;
  /** The same in one word, as the journal keeps it. */
  readonly version: string;
}

export interface BotLoader {
  readonly release: (id: string) => Promise<LoadedBot>;
  /** The draft as it is now, or as it was at a revision. */
  readonly draft: (botId: string, revision?: number) => Promise<LoadedBot>;
}

const KEPT = 64;
const DRAFT = 'draft ';

/** The revision of a version that is one of a draft; undefined where it is a release. */
export function draftVersion(version: string): number | undefined {
  return version.startsWith(DRAFT) ? Number(version.slice(DRAFT.length)) : undefined;
}

/** Loads and compiles bots with what their turns may come to; the last used ones stay compiled, and a draft is compiled on top of its last revision. */
export function createBotLoader(db: Db, drafts: Drafts, limits?: EngineLimits): BotLoader {
  const options = limits ? { limits } : {};
  const releases = new Recent<LoadedBot>(KEPT);
  const newest = new Recent<CompiledBot>(KEPT);
  return {
    release: async (id) => {
      const known = releases.get(id);
      if (known) return known;
      const found = await releaseDocument(db, id);
      if (found === undefined) throw new Error(`release ${id} is gone`);
      const bot = compile(storedDocument(found.document), undefined, options);
      return releases.set(id, { bot, botId: found.bot_id, releaseId: id, revision: null, version: id });
    },
    draft: async (botId, revision) => {
      const at = revision === undefined ? await drafts.current(botId) : { revision, document: await drafts.at(botId, revision) };
      const before = newest.get(botId);
      const bot = before?.document === at.document ? before : newest.set(botId, compile(at.document, before, options));
      return { bot, botId, releaseId: null, revision: at.revision, version: `${DRAFT}${at.revision}` };
    },
  };
}
