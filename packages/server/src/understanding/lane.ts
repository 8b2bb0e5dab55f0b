import { Worker } from 'node:worker_threads';
import { Refused } from '../base/refused.js';
import type { Clock } from '../base/clock.js';
import type { Job, JobName, JobResult, JobSays } from './jobs.js';

interface Waiting {
  readonly job: Job;
  readonly resolve: (result: unknown) => void;
  readonly reject: (error: Error) => void;
}

/** A thread that does jobs one after the other, those of one owner not before those of all others, each within a time. */
export class Lane {
  readonly #clock: Clock;
  readonly #withinMs: number;
  /** What waits, by owner, the owner whose turn it is first. */
  readonly #waiting = new Map<string, Waiting[]>();
  #now: Waiting | undefined;
  #worker: Worker | undefined;
  #endLate: () => void = () => undefined;
  readonly #becameIdle: () => void;
  #closed = false;

  /** `becameIdle` is called when what was asked for is done and nothing waits. */
  constructor(clock: Clock, withinMs: number, becameIdle: () => void = () => undefined) {
    this.#clock = clock;
    this.#withinMs = withinMs;
    this.#becameIdle = becameIdle;
  }

  get idle(): boolean {
    return this.#now === undefined;
  }

  /** Refused where it takes longer than the lane's time. */
  run<N extends JobName>(owner: string, job: Extract<Job, { readonly name: N }>): Promise<JobResult<N>> {
    if (this.#closed) return Promise.reject(new Error('the service stops'));
    return new Promise<unknown>((resolve, reject) => {
      this.#waiting.set(owner, [...(this.#waiting.get(owner) ?? []), { job, resolve, reject }]);
      this.#next();
    }) as Promise<JobResult<N>>;
  }

  async close(): Promise<void> {
    this.#closed = true;
    this.#endLate();
    await this.#worker?.terminate();
  }

  #next(): void {
    const [first] = this.#waiting;
    if (this.#now || this.#closed || !first) return;
    const [owner, [waiting, ...more]] = first;
    this.#waiting.delete(owner);
    if (more.length > 0) this.#waiting.set(owner, more);
    if (!waiting) return;
    this.#now = waiting;
    this.#worker ??= this.#start();
    this.#endLate = this.#clock.after(this.#withinMs, () => void this.#late());
    // What is not read there need not be copied to the thread.
    const { knowledge: _knowledge, connections: _connections, samples: _samples, ...document } = waiting.job.document;
    this.#worker.postMessage({ ...waiting.job, document });
  }

  async #late(): Promise<void> {
    const worker = this.#worker;
    this.#worker = undefined;
    await worker?.terminate();
    this.#done((t) => t.reject(new Refused('not-learned', { seconds: this.#withinMs / 1000 })));
  }

  #done(settle: (waiting: Waiting) => void): void {
    this.#endLate();
    const waiting = this.#now;
    this.#now = undefined;
    if (waiting) settle(waiting);
    this.#next();
    if (this.idle && !this.#closed) this.#becameIdle();
  }

  #start(): Worker {
    const worker = new Worker(new URL('./jobs-worker.js', import.meta.url));
    worker.unref();
    worker.on('message', (says: JobSays) =>
      this.#done((t) => ('error' in says ? t.reject(new Error(says.error)) : t.resolve(says.result))),
    );
    const fail = (error: Error): void => {
      if (this.#worker !== worker) return;
      this.#worker = undefined;
      this.#done((t) => t.reject(error));
    };
    worker.on('error', fail);
    worker.on('exit', () => fail(new Error('the thread was stopped')));
    return worker;
  }
}
