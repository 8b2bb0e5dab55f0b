import { parentPort } from 'node:worker_threads';
import {
  compile,
  createListener,
  createMind,
  rehearse,
  type BotDocument,
  type ClassifierData,
  type EngineLimits,
  type Vectors,
} from '@primrose/core';
import { ownLexicon } from '../understanding/lexicon.js';

/** What a thread is to rehearse: some rehearsals of one document. The classifier is there where the bot listens. */
export interface RehearsalTask {
  readonly document: BotDocument;
  readonly classifier: ClassifierData | undefined;
  /** The language that the service's encoder reads, where there is one. */
  readonly encodes: string | undefined;
  readonly ids: readonly string[];
  readonly at: string;
  readonly limits: EngineLimits;
}

/** What the service is asked for meanwhile, and what it answers: texts that an encoder should read. */
export interface EncodeAsk {
  readonly encode: readonly string[];
  readonly number: number;
}
export interface EncodeAnswer {
  readonly encoded: Vectors | undefined;
  readonly number: number;
}

const asked = new Map<number, (vectors: Vectors | undefined) => void>();
let count = 0;

/** Has the service read texts with its encoder. */
function encode(texts: readonly string[]): Promise<Vectors | undefined> {
  return new Promise((resolve) => {
    const ask: EncodeAsk = { encode: texts, number: ++count };
    asked.set(ask.number, resolve);
    parentPort?.postMessage(ask);
  });
}

/** Runs rehearsals beside the service, one after another, and tells the outcome of each. */
parentPort?.on('message', (message: RehearsalTask | EncodeAnswer) => {
  if (!('number' in message)) return void work(message);
  asked.get(message.number)?.(message.encoded);
  asked.delete(message.number);
});

async function work({ document, classifier, encodes, ids, at, limits }: RehearsalTask): Promise<void> {
  try {
    const bot = compile(document, undefined, { limits });
    const listener = classifier && createListener(document, classifier, ownLexicon(), encodes);
    const mind = createMind(document, { listener, encode: encodes === undefined ? undefined : encode });
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
