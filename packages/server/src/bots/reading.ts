import { Worker } from 'node:worker_threads';
import type { BotDocument } from '@primrose/core';
import type { Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import type { Limits } from '../start/limits.js';
import type { ReadMessage } from './reading-worker.js';

/** Files that are read at once, and that wait for it. */
const AT_ONCE = 2;
const MOST_WAITING = 20;

/** Reads what people import, each file in a thread of its own with a limit of time and memory. */
export class FileReading {
  readonly #clock: Clock;
  readonly #limits: Pick<Limits, 'importSeconds' | 'importMegabytes'>;
  readonly #workers = new Set<Worker>();
  readonly #waiting: (() => void)[] = [];
  #reading = 0;

  constructor(clock: Clock, limits: Pick<Limits, 'importSeconds' | 'importMegabytes'>) {
    this.#clock = clock;
    this.#limits = limits;
  }

  /** The document in a file, one JSON document or a zip of a folder. Refused where it is none, or takes too much to read. */
  async read(bytes: Uint8Array): Promise<BotDocument> {
    if (this.#reading >= AT_ONCE) {
      if (this.#waiting.length >= MOST_WAITING) throw new Refused('imports-busy', { waiting: MOST_WAITING });
      await new Promise<void>((resolve) => this.#waiting.push(resolve));
    }
    this.#reading++;
    try {
      return documentOf(await this.#inThread(bytes));
    } finally {
      this.#reading--;
      this.#waiting.shift()?.();
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.#workers].map((w) => w.terminate()));
  }

  #inThread(bytes: Uint8Array): Promise<ReadMessage> {
    const { importSeconds: seconds, importMegabytes: megabytes } = this.#limits;
    const worker = new Worker(new URL('./reading-worker.js', import.meta.url), {
      resourceLimits: { maxOldGenerationSizeMb: megabytes },
    });
    this.#workers.add(worker);
    const tooMuch = new Refused('file-too-much', { seconds, megabytes });
    return new Promise<ReadMessage>((resolve, reject) => {
      const endLate = this.#clock.after(seconds * 1000, () => reject(tooMuch));
      worker.once('message', resolve);
      worker.once('error', (error: NodeJS.ErrnoException) => reject(error.code === 'ERR_WORKER_OUT_OF_MEMORY' ? tooMuch : error));
      worker.once('exit', () => {
        endLate();
        reject(new Error('reading was stopped'));
      });
      worker.postMessage(bytes);
    }).finally(() => {
      this.#workers.delete(worker);
      void worker.terminate();
    });
  }
}

function documentOf(message: ReadMessage): BotDocument {
  if ('document' in message) return message.document;
  if ('refused' in message) throw new Refused(message.refused.code, message.refused.facts);
  throw new Error(message.error);
}
