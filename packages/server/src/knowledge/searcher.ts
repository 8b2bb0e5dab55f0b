import { Worker } from 'node:worker_threads';
import type { Logger } from 'pino';
import type { LookedUp } from '@primrose/core';
import type { Clock } from '../base/clock.js';
import { Recent } from '../base/recent.js';
import type { Limits } from '../start/limits.js';
import type { Look, SearchAsk, SearchSays, SetDocument } from './searching-worker.js';

/** Some documents that are looked in together. */
export interface DocumentSet {
  /** Names just these documents as they are now. */
  readonly name: string;
  /** What it is a version of: a bot and its bases. */
  readonly line: string;
  /** Another line whose newest version has most of its documents, where it has none of its own. */
  readonly like: string | undefined;
  readonly documents: readonly SetDocument[];
}

export interface SearcherParts {
  readonly clock: Clock;
  readonly log: Logger;
  readonly limits: Pick<Limits, 'knowledgeMegabytes'>;
  /** Stored indexes by their ids, some at a time; those that are not there are left out. */
  readonly load: (ids: readonly string[]) => AsyncIterable<ReadonlyMap<string, Uint8Array<ArrayBuffer>>>;
}

/** What came of a look: `waiting` documents were not ready. */
export interface Found {
  readonly found: LookedUp;
  readonly waiting: number;
}

type Asking = SearchAsk extends infer A ? (A extends { id: number } ? Omit<A, 'id'> : never) : never;

const LOOK_MS = 20_000;
/** So many sets are known to be ready; others are asked for again. */
const MOST_OPEN = 1000;
/** A set in which documents are missing is made anew after this, when somebody asks. */
const AGAIN_MS = 1000;

interface Opened {
  readonly passages: number;
  readonly absent: number;
  readonly at: number;
}

/** Looks up in sets of documents, in a thread of its own that keeps them ready. */
export class Searcher {
  readonly #parts: SearcherParts;
  #open = new Recent<Promise<Opened>>(MOST_OPEN);
  readonly #asked = new Map<number, { resolve: (says: SearchSays) => void; reject: (error: Error) => void }>();
  #worker: Worker | undefined;
  #count = 0;
  #closed = false;

  constructor(parts: SearcherParts) {
    this.#parts = parts;
  }

  /** Looks something up; with `anew`, documents that were missing a moment ago are looked for again. Rejects where the thread fails. */
  async look(set: DocumentSet, look: Look, anew = false): Promise<Found> {
    for (let tries = 0; ; tries++) {
      const { absent } = await this.opened(set, anew && tries === 0);
      const says = await this.#ask({ look: set.name, asked: look });
      if ('found' in says && says.found) return { found: says.found, waiting: absent };
      // It was let go to make room, or with its thread.
      this.#open.delete(set.name);
      if (tries > 0) throw new Error('a knowledge base does not fit into memory');
    }
  }

  /** Makes a set ready; how many passages it has. */
  async opened(set: DocumentSet, anew = false): Promise<Opened> {
    const known = this.#open.get(set.name);
    if (known) {
      const was = await known;
      if (was.absent === 0 || (!anew && this.#parts.clock.tick() - was.at < AGAIN_MS)) return was;
      if (this.#open.get(set.name) !== known) return this.opened(set, anew);
    }
    // What was missing may be there by now.
    const opening = this.#openSet(set, known !== undefined);
    void this.#open.set(set.name, opening);
    opening.catch(() => this.#open.delete(set.name));
    return opening;
  }

  /** Starts the thread, so that the first question need not wait for it. */
  warm(): void {
    this.#ask({ warm: true }).catch(() => undefined);
  }

  async close(): Promise<void> {
    this.#closed = true;
    this.#giveUp(new Error('the service stops'));
    await this.#worker?.terminate();
  }

  async #openSet({ name, line, like, documents }: DocumentSet, again: boolean): Promise<Opened> {
    const came = await this.#ask({ open: name, line, like, documents, again });
    const lacks = 'lacks' in came ? came.lacks : [];
    if (lacks.length > 0)
      for await (const indexes of this.#parts.load(lacks))
        await this.#ask(
          { take: name, indexes },
          [...indexes.values()].map((b) => b.buffer),
        );
    const sealed = await this.#ask({ seal: name });
    if (!('sealed' in sealed)) throw new Error('a knowledge base was not made ready');
    return { ...sealed.sealed, at: this.#parts.clock.tick() };
  }

  #ask(asking: Asking, transfer: readonly ArrayBuffer[] = []): Promise<SearchSays> {
    if (this.#closed) return Promise.reject(new Error('the service stops'));
    this.#worker ??= this.#start();
    const worker = this.#worker;
    const id = ++this.#count;
    return new Promise((resolve, reject) => {
      const end = this.#parts.clock.after(LOOK_MS, () => this.#lose(worker, new Error('looking something up took too long')));
      this.#asked.set(id, {
        resolve: (says) => {
          end();
          if ('error' in says) reject(new Error(says.error));
          else resolve(says);
        },
        reject: (error) => {
          end();
          reject(error);
        },
      });
      worker.postMessage({ ...asking, id }, [...transfer]);
    });
  }

  #start(): Worker {
    const worker = new Worker(new URL('./searching-worker.js', import.meta.url), {
      argv: [String(this.#parts.limits.knowledgeMegabytes)],
    });
    worker.unref();
    worker.on('message', (says: SearchSays) => {
      this.#asked.get(says.id)?.resolve(says);
      this.#asked.delete(says.id);
    });
    worker.on('error', (error) => this.#lose(worker, error));
    worker.on('exit', () => this.#lose(worker, new Error('the thread was stopped')));
    return worker;
  }

  /** Ends the thread; the next question starts another one, which reads what it needs from the database. */
  #lose(worker: Worker, error: Error): void {
    if (this.#worker !== worker) return;
    if (!this.#closed) this.#parts.log.warn({ err: error }, 'the thread that looks things up fails');
    this.#worker = undefined;
    this.#open = new Recent(MOST_OPEN);
    void worker.terminate();
    this.#giveUp(error);
  }

  #giveUp(error: Error): void {
    const open = [...this.#asked.values()];
    this.#asked.clear();
    open.forEach(({ reject }) => reject(error));
  }
}
