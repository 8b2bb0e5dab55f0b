import { parentPort } from 'node:worker_threads';
import {
  compile,
  createListener,
  createMind,
  rehearse,
  type BotDocument,
  type ClassifierData,
  type EngineLimits,
} from '@primrose/core';

/** What a thread is to rehearse: some rehearsals of one document. The classifier is there where the bot listens. */
export interface RehearsalTask {
  readonly document: BotDocument;
  readonly classifier: ClassifierData | undefined;
  readonly ids: readonly string[];
  readonly at: string;
  readonly limits: EngineLimits;
}

/** Runs rehearsals beside the service, one after another, and tells the outcome of each. */
parentPort?.on('message', (task: RehearsalTask) => void work(task));

async function work({ document, classifier, ids, at, limits }: RehearsalTask): Promise<void> {
  try {
    const bot = compile(document, undefined, { limits });
    const mind = createMind(document, classifier && createListener(document, classifier));
    for (const id of ids) {
      const rehearsal = document.rehearsals?.[id];
      if (!rehearsal) continue;
      parentPort?.postMessage({ begins: id });
      const begun = performance.now();
      const outcome = await rehearse(bot, id, rehearsal, mind, at);
      parentPort?.postMessage({ outcome, ms: performance.now() - begun });
    }
    parentPort?.postMessage({ done: true });
  } catch (error) {
    parentPort?.postMessage({ error: String(error) });
  }
}
