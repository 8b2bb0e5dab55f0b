import { Worker } from 'node:worker_threads';
import type { BotDocument, ClassifierData } from '@primrose/core';
import { Refused } from '../base/refused.js';
import type { Clock } from '../base/clock.js';

interface Training {
  readonly document: BotDocument;
  readonly resolve: (classifier: ClassifierData) => void;
  readonly reject: (error: Error) => void;
}

/** A thread that trains classifiers one after the other, those of one owner not before those of all others, each within a time. */
export class Lane {
  readonly #clock: Clock;
  readonly #withinMs: number;
  /** What waits, by owner, the owner whose turn it is first. */
  readonly #waiting = new Map<string, Training[]>();
  #now: Training | undefined;
  #worker: Worker | undefined;
  #endLate: () => void = () => undefined;
  readonly #becameIdle: () => void;
  #closed = false;

  /** `becameIdle` is called when what was trained is done and nothing waits. */
  constructor(clock: Clock, withinMs: number, becameIdle: () => void = () => undefined) {
    this.#clock = clock;
    this.#withinMs = withinMs;
    this.#becameIdle = becameIdle;
  }

  get idle(): boolean {
    return this.#now === undefined;
  }

  /** Refused where it takes longer than the lane's time. */
  train(owner: string, document: BotDocument): Promise<ClassifierData> {
    if (this.#closed) return Promise.reject(new Error('the service stops'));
    return new Promise((resolve, reject) => {
      this.#waiting.set(owner, [...(this.#waiting.get(owner) ?? []), { document, resolve, reject }]);
      this.#next();
    });
  }

  async close(): Promise<void> {
    this.#closed = true;
    this.#endLate();
    await this.#worker?.terminate();
  }

  #next(): void {
    const [first] = this.#waiting;
    if (this.#now || this.#closed || !first) return;
    const [owner, [training, ...more]] = first;
    this.#waiting.delete(owner);
    if (more.length > 0) this.#waiting.set(owner, more);
    if (!training) return;
    this.#now = training;
    this.#worker ??= this.#start();
    this.#endLate = this.#clock.after(this.#withinMs, () => void this.#late());
    // What training does not read need not be copied to the thread.
    const { knowledge: _knowledge, connections: _connections, ...rest } = training.document;
    this.#worker.postMessage(rest);
  }

  async #late(): Promise<void> {
    const worker = this.#worker;
    this.#worker = undefined;
    await worker?.terminate();
    this.#done((t) => t.reject(new Refused('not-learned', { seconds: this.#withinMs / 1000 })));
  }

  #done(settle: (training: Training) => void): void {
    this.#endLate();
    const training = this.#now;
    this.#now = undefined;
    if (training) settle(training);
    this.#next();
    if (this.idle && !this.#closed) this.#becameIdle();
  }

  #start(): Worker {
    const worker = new Worker(new URL('./training-worker.js', import.meta.url));
    worker.unref();
    worker.on('message', ({ classifier, error }: { classifier?: ClassifierData; error?: string }) =>
      this.#done((t) => (classifier ? t.resolve(classifier) : t.reject(new Error(error)))),
    );
    const fail = (error: Error): void => {
      if (this.#worker !== worker) return;
      this.#worker = undefined;
      this.#done((t) => t.reject(error));
    };
    worker.on('error', fail);
    worker.on('exit', () => fail(new Error('training was stopped')));
    return worker;
  }
}
