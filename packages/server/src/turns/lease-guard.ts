import { Worker } from 'node:worker_threads';
import type { Logger } from 'pino';
import type { Clock } from '../base/clock.js';

export interface GuardTask {
  readonly databaseUrl: string;
  readonly owner: string;
  readonly leaseMs: number;
  /** When the process was last seen to move, on two clocks: that of the machine, and that of its leases; both in ms. */
  readonly beat: SharedArrayBuffer;
}

/** Where the two moments of a beat stand. */
export const SEEN_AT = 0;
export const CLOCK_AT = 1;
const BEAT_MS = 250;

/**
 * Keeps the leases of a process while it is too busy to keep them itself. As long as the process moves, its turns renew their
 * own leases; when it has not moved for a third of a lease, a thread beside it renews those of the events it works on, so that
 * a turn that computes for long does not go back and forth between processes. A process that stays away for ten leases, and
 * one that died, keep nothing.
 */
export class LeaseGuard {
  readonly #worker: Worker;
  readonly #beat: NodeJS.Timeout;

  constructor(parts: { databaseUrl: string; owner: string; leaseMs: number; clock: Clock; log: Logger }) {
    const { databaseUrl, owner, leaseMs, clock, log } = parts;
    const beat = new SharedArrayBuffer(16);
    const moments = new Float64Array(beat);
    const mark = (): void => {
      moments[SEEN_AT] = Date.now();
      moments[CLOCK_AT] = clock.now().getTime();
    };
    mark();
    // By the machine's own clock: it is about this very process, and not about the time that its turns see.
    this.#beat = setInterval(mark, Math.min(BEAT_MS, leaseMs / 8)).unref();
    const task: GuardTask = { databaseUrl, owner, leaseMs, beat };
    this.#worker = new Worker(new URL('./lease-guard-worker.js', import.meta.url), { workerData: task });
    this.#worker.unref();
    this.#worker.on('error', (error) => log.error({ err: error }, 'leases are not guarded any more'));
  }

  async close(): Promise<void> {
    clearInterval(this.#beat);
    await this.#worker.terminate();
  }
}
