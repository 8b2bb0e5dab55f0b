import { parentPort } from 'node:worker_threads';
import {
  compile,
  createListener,
  createMind,
  rehearse,
  type BotDocument,
  type ClassifierData,
  type EngineLimits,
  type LookupEffect,
  type LookupResult,
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

/** What the service is asked for meanwhile: texts that an encoder should read, or something to look up; and what it answers. */
export type Asking =
  { readonly number: number; readonly encode: readonly string[] } | { readonly number: number; readonly look: LookupEffect };
export type Answered =
  { readonly number: number; readonly encoded: Vectors | undefined } | { readonly number: number; readonly looked: LookupResult };

const asked = new Map<number, (answer: Answered) => void>();
let count = 0;

function ask(what: { readonly encode: readonly string[] } | { readonly look: LookupEffect }): Promise<Answered> {
  return new Promise((resolve) => {
    const number = ++count;
    asked.set(number, resolve);
    parentPort?.postMessage({ ...what, number });
  });
}

/** Has the service read texts with its encoder. */
async function encode(texts: readonly string[]): Promise<Vectors | undefined> {
  const answer = await ask({ encode: texts });
  return 'encoded' in answer ? answer.encoded : undefined;
}

/** Has the service look something up. */
async function look(effect: LookupEffect): Promise<LookupResult> {
  const answer = await ask({ look: effect });
  if (!('looked' in answer)) throw new Error('a lookup was answered with something else');
  return answer.looked;
}

/** Runs rehearsals beside the service, one after another, and tells the outcome of each. */
parentPort?.on('message', (message: RehearsalTask | Answered) => {
  if (!('number' in message)) return void work(message);
  asked.get(message.number)?.(message);
  asked.delete(message.number);
});

async function work({ document, classifier, encodes, ids, at, limits }: RehearsalTask): Promise<void> {
  try {
    const bot = compile(document, undefined, { limits });
    const listener = classifier && createListener(document, classifier, ownLexicon(), encodes);
    const mind = createMind(document, { listener, encode: encodes === undefined ? undefined : encode, look });
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
