import { HttpProblem } from './problem.js';
import type { Clock } from '../base/clock.js';

const MAX_KEYS = 50_000;

/** Counts per key in windows of fixed length; in memory, per process, enough to stop a flood from one sender. */
export class RateLimit {
  readonly #clock: Clock;
  readonly #most: number;
  readonly #windowMs: number;
  #counts = new Map<string, number>();
  #window = 0;

  constructor(clock: Clock, most: number, windowMs: number) {
    this.#clock = clock;
    this.#most = most;
    this.#windowMs = windowMs;
  }

  /** Counts one more; throws 'too-many' past the limit. */
  count(key: string): void {
    const window = Math.floor(this.#clock.now().getTime() / this.#windowMs);
    if (window !== this.#window || this.#counts.size > MAX_KEYS) this.#counts = new Map();
    this.#window = window;
    const count = (this.#counts.get(key) ?? 0) + 1;
    this.#counts.set(key, count);
    if (count > this.#most)
      throw new HttpProblem('too-many', `More than ${this.#most} requests in ${this.#windowMs / 1000} s. Wait a moment.`);
  }
}
