import { createHash, randomBytes } from 'node:crypto';

/** Where the time comes from, and what happens later. Everything that needs it is handed one, so that tests move time by hand. */
export interface Clock {
  /** Now, as a Date in UTC. */
  readonly now: () => Date;
  /** Milliseconds that only ever grow, for measuring. */
  readonly tick: () => number;
  /** Does something once, after so many ms; returns the way to call it off. Keeps no process alive. */
  readonly after: (ms: number, work: () => void) => () => void;
  /** Does something every so many ms; returns the way to end it. Keeps no process alive. */
  readonly every: (ms: number, work: () => void) => () => void;
}

export const systemClock: Clock = {
  now: () => new Date(),
  tick: () => performance.now(),
  after: (ms, work) => {
    const timer = setTimeout(work, ms).unref();
    return () => clearTimeout(timer);
  },
  every: (ms, work) => {
    const timer = setInterval(work, ms).unref();
    return () => clearInterval(timer);
  },
};

/** Resolves after so many ms, or at once when `wake` is called before. */
export function sleep(clock: Clock, ms: number): { readonly done: Promise<void>; readonly wake: () => void } {
  let wake: () => void = () => undefined;
  const done = new Promise<void>((resolve) => {
    const cancel = clock.after(ms, resolve);
    wake = () => (cancel(), resolve());
  });
  return { done, wake };
}

/** A UUID of version 7 (RFC 9562): sortable by time, unguessable in its last 74 bits. */
export function newId(clock: Pick<Clock, 'now'>): string {
  const bytes = randomBytes(16);
  bytes.writeUIntBE(clock.now().getTime(), 0, 6);
  bytes[6] = (bytes.readUInt8(6) & 0x0f) | 0x70;
  bytes[8] = (bytes.readUInt8(8) & 0x3f) | 0x80;
  const hex = bytes.toString('hex');
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join('-');
}

/** 256 random bits in 43 letters that fit into a link or a header. */
export function newSecret(): string {
  return randomBytes(32).toString('base64url');
}

/** How a secret is stored: SHA-256 in hex. Enough for 256 random bits; passwords would need a slow hash. */
export function hashSecret(secret: string): string {
  return createHash('sha256').update(secret).digest('hex');
}
