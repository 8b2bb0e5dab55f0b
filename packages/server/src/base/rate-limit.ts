import { isIP } from 'node:net';
import type { Clock } from './clock.js';
import { Refused } from './refused.js';

const MAX_KEYS = 50_000;
/** Whoever comes when there are too many to be told apart is counted together with all others who do. */
const OTHERS = '';

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

  /** Counts one more; false past the limit. */
  allows(key: string): boolean {
    const window = Math.floor(this.#clock.now().getTime() / this.#windowMs);
    if (window !== this.#window) this.#counts = new Map();
    this.#window = window;
    const known = this.#counts.has(key) || this.#counts.size < MAX_KEYS ? key : OTHERS;
    const count = (this.#counts.get(known) ?? 0) + 1;
    this.#counts.set(known, count);
    return count <= this.#most;
  }

  /** True when the limit of a key is used up already; counts nothing. */
  isUsedUp(key: string): boolean {
    return (
      Math.floor(this.#clock.now().getTime() / this.#windowMs) === this.#window && (this.#counts.get(key) ?? 0) >= this.#most
    );
  }

  /** Counts one more; throws 'too-many' past the limit, with the time after which it counts anew. */
  count(key: string): void {
    if (!this.allows(key)) this.refuse();
  }

  refuse(): never {
    const now = this.#clock.now().getTime();
    const retryAfter = Math.max(1, Math.ceil(((Math.floor(now / this.#windowMs) + 1) * this.#windowMs - now) / 1000));
    throw new Refused('too-many', { most: this.#most, seconds: this.#windowMs / 1000, retryAfter });
  }
}

/** What an address is counted by: itself, and of IPv6 the network of 64 bits that one customer has (RFC 6177). */
export function addressKey(address: string | undefined): string {
  const plain = (address ?? '').replace(/^::ffff:(?=\d+\.)/i, '').replace(/%.*$/, '');
  if (isIP(plain) !== 6) return plain;
  const [head = '', tail] = plain.toLowerCase().split('::');
  const groups = (text: string | undefined): string[] => (text ? text.split(':') : []);
  const [left, right] = [groups(head), groups(tail)];
  const missing = tail === undefined ? 0 : Math.max(0, 8 - left.length - right.length);
  const all = [...left, ...Array.from({ length: missing }, () => '0'), ...right];
  return `${all
    .slice(0, 4)
    .map((g) => g.replace(/^0+(?=.)/, ''))
    .join(':')}::/64`;
}
