import { Worker } from 'node:worker_threads';
import type { Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import type { Limits } from '../start/limits.js';
import type { IndexingResults, IndexingSays, IndexingTask, IndexingTaskName, IndexingTasks } from './indexing-worker.js';

const unreadable = (reason: string): Refused => new Refused('document-unreadable', { reason });

interface Asked {
  readonly task: IndexingTask;
  readonly resolve: (result: IndexingResults[IndexingTaskName]) => void;
  readonly reject: (error: Error) => void;
}

/** So many tasks wait at most. */
const MOST_WAITING = 200;

/**
 * A thread that reads and indexes documents, one after the other, each within a time and a memory. One that takes too much costs
 * the thread, and the next task gets a new one.
 */
export class Indexer {
  readonly #clock: Clock;
  readonly #limits: Pick<Limits, 'readingSeconds' | 'readingMegabytes'>;
  readonly #waiting: Asked[] = [];
  #now: Asked | undefined;
  #worker: Worker | undefined;
  #endLate: () => void = () => undefined;
  #count = 0;
  #closed = false;

  constructor(clock: Clock, limits: Pick<Limits, 'readingSeconds' | 'readingMegabytes'>) {
    this.#clock = clock;
    this.#limits = limits;
  }

  /** Rejects with `document-unreadable` where the document is at fault. */
  do<N extends IndexingTaskName>(task: N, of: IndexingTasks[N]): Promise<IndexingResults[N]> {
    if (this.#closed) return Promise.reject(new Error('the service stops'));
    if (this.#waiting.length >= MOST_WAITING) return Promise.reject(new Refused('imports-busy', { waiting: MOST_WAITING }));
    return new Promise((resolve, reject) => {
      const asked = { id: ++this.#count, task, of } as IndexingTask;
      this.#waiting.push({ task: asked, resolve: resolve as Asked['resolve'], reject });
      this.#next();
    });
  }

  async close(): Promise<void> {
    this.#closed = true;
    this.#endLate();
    const open = [...(this.#now ? [this.#now] : []), ...this.#waiting.splice(0)];
    this.#now = undefined;
    open.forEach(({ reject }) => reject(new Error('the service stops')));
    await this.#worker?.terminate();
  }

  #next(): void {
    if (this.#now || this.#closed) return;
    this.#now = this.#waiting.shift();
    if (!this.#now) return;
    this.#worker ??= this.#start();
    const { readingSeconds: seconds } = this.#limits;
    this.#endLate = this.#clock.after(seconds * 1000, () => this.#lose(unreadable(`reading it took longer than ${seconds} s`)));
    this.#worker.postMessage(this.#now.task);
  }

  #start(): Worker {
    const worker = new Worker(new URL('./indexing-worker.js', import.meta.url), {
      resourceLimits: { maxOldGenerationSizeMb: this.#limits.readingMegabytes },
    });
    worker.unref();
    worker.on('message', (says: IndexingSays) => this.#worker === worker && this.#hears(says));
    worker.on('error', (error: NodeJS.ErrnoException) => {
      if (this.#worker !== worker) return;
      const much = error.code === 'ERR_WORKER_OUT_OF_MEMORY';
      this.#lose(much ? unreadable(`reading it took more than ${this.#limits.readingMegabytes} MB`) : error);
    });
    worker.on('exit', () => this.#worker === worker && this.#lose(new Error('the thread was stopped')));
    return worker;
  }

  #hears(says: IndexingSays): void {
    if (says.id !== this.#now?.task.id) return;
    const { resolve, reject } = this.#now;
    this.#now = undefined;
    this.#endLate();
    if ('result' in says) resolve(says.result);
    else reject('unreadable' in says ? new Refused('document-unreadable', says.unreadable) : new Error(says.error));
    this.#next();
  }

  /** Ends the thread with what it was at; the next task gets another one. */
  #lose(error: Error): void {
    const worker = this.#worker;
    const now = this.#now;
    [this.#worker, this.#now] = [undefined, undefined];
    this.#endLate();
    void worker?.terminate();
    now?.reject(error);
    this.#next();
  }
}
