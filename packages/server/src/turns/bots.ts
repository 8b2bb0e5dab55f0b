import { compile, readDocument, type CompiledBot } from '@primrose/core';
import { draftDocument, releaseDocument } from '../store/bots.js';
import type { Db } from '../store/database.js';

/** A compiled bot and which version it is: a release, or a revision of the draft. */
export interface LoadedBot {
  readonly bot: CompiledBot;
  readonly releaseId: string | null;
  readonly revision: number | null;
}

export interface BotLoader {
  readonly release: (id: string) => Promise<LoadedBot>;
  readonly draft: (botId: string) => Promise<LoadedBot>;
}

const KEPT = 64;

/** Loads and compiles bots; the last used ones stay compiled. */
export function createBotLoader(db: Db): BotLoader {
  const kept = new Map<string, CompiledBot>();
  const compiled = (key: string, source: string): CompiledBot => {
    const bot = kept.get(key) ?? compileSource(source);
    kept.delete(key);
    kept.set(key, bot);
    const [oldest] = kept.keys();
    if (kept.size > KEPT && oldest !== undefined) kept.delete(oldest);
    return bot;
  };
  return {
    release: async (id) => {
      const key = `release ${id}`;
      const source = kept.has(key) ? '' : await releaseDocument(db, id);
      if (source === undefined) throw new Error(`release ${id} is gone`);
      return { bot: compiled(key, source), releaseId: id, revision: null };
    },
    draft: async (botId) => {
      const found = await draftDocument(db, botId);
      if (!found) throw new Error(`bot ${botId} is gone`);
      return { bot: compiled(`draft ${botId} ${found.revision}`, found.document), releaseId: null, revision: found.revision };
    },
  };
}

function compileSource(source: string): CompiledBot {
  const read = readDocument(JSON.parse(source));
  if (!read.ok) throw new Error(`a stored document cannot be read: ${JSON.stringify(read.problems.slice(0, 3))}`);
  return compile(read.document);
}
