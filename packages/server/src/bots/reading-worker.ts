import { parentPort } from 'node:worker_threads';
import { Refused, type RefusalCode, type Refusals } from '../base/refused.js';
import { acceptDocument } from './documents.js';
import { readFile } from './files.js';
import type { BotDocument } from '@primrose/core';

type Refusal = { readonly [C in RefusalCode]: { readonly code: C; readonly facts: Refusals[C] } }[RefusalCode];

/** What a thread says of a file: the document in it, or why there is none. */
export type ReadMessage = { readonly document: BotDocument } | { readonly refused: Refusal } | { readonly error: string };

/** Reads what people import beside the service: however large or deep it unfolds, it is this thread that pays for it. */
parentPort?.on('message', (bytes: Uint8Array) => parentPort?.postMessage(read(bytes)));

function read(bytes: Uint8Array): ReadMessage {
  try {
    return { document: acceptDocument(readFile(bytes)) };
  } catch (error) {
    if (error instanceof Refused) return { refused: refusalOf(error as Refused<RefusalCode>) };
    // The call stack ran over: values stand too deep in each other.
    if (error instanceof RangeError) return { refused: { code: 'file-too-deep', facts: {} } };
    return { error: String(error) };
  }
}

function refusalOf({ code, facts }: Refused<RefusalCode>): Refusal {
  return { code, facts } as Refusal;
}
