import type { Logger } from 'pino';
import type { Clock } from '../base/clock.js';
import type { Waiting } from '../store/hot.js';

export interface KeeperParts {
  readonly clock: Clock;
  readonly log: Logger;
  /** What it keeps, for the log. */
  readonly name: string;
  /** What waits and nobody works on, in whichever process it came in. */
  readonly waiting: () => Promise<readonly Waiting[]>;
  /** Works on one thing to its end. Fails only where something is wrong that it could not tell by itself. */
  readonly work: (id: string) => Promise<void>;
  /** How many are worked on at once in this process, and how many of one owner. */
  readonly most?: number;
  readonly mostOfOne?: number;
  /** How many wait here for their turn; what is more is left for the next look. */
  readonly mostQueued?: number;
}

const SWEEP_MS = 1000;
const MOST = 512;
const MOST_OF_ONE = 256;
/** So many wait in this process for their turn; those beyond are found by the next look, where they are stored. */
const MOST_QUEUED = 10_000;

/** What is worked on, and whether somebody asked to look again afterwards. */
interface Work {
  readonly done: Promise<void>;
  again: boolean;
}

/**
 * Works things off, each by one worker at a time, several at once, and looks by itself for what was left: by a process that
 * died, or after a failure. Turns and deliveries are kept so, and whatever else is to wait for its time. The lease that keeps
 * two processes apart is taken by the work itself.
 */
export class Keeper {
  readonly #parts: KeeperParts;
  readonly #working = new Map<string, Work>();
  /** How many are worked on, by owner. */
  readonly #busy = new Map<string, number>();
  /** What has to wait for others, by owner, the owner whose turn it is first. */
  readonly #queue = new Map<string, Set<string>>();
  #queued = 0;
  #endSweep: (() => void) | undefined;
  #stopped = false;

  constructor(parts: KeeperParts) {
    this.#parts = parts;
  }

  get stopped(): boolean {
    return this.#stopped;
  }

  /** Begins to look for what nobody works on. */
  start(): void {
    const { clock, log, name, waiting } = this.#parts;
    const sweep = async (): Promise<void> => (await waiting()).forEach(({ id, owner }) => this.kick(id, owner));
    const failed = (error: unknown) => log.warn({ err: error }, `cannot look for waiting ${name}`);
    this.#endSweep = clock.every(SWEEP_MS, () => void sweep().catch(failed));
  }

  /** Takes nothing new and waits for what runs, at most so long; returns what is still being worked on then. */
  async stop(withinMs: number): Promise<string[]> {
    this.#stopped = true;
    this.#endSweep?.();
    this.#queue.clear();
    this.#queued = 0;
    let cancel: () => void = () => undefined;
    const late = new Promise<void>((resolve) => (cancel = this.#parts.clock.after(withinMs, resolve)));
    await Promise.race([Promise.allSettled([...this.#working.values()].map((w) => w.done)), late]);
    cancel();
    return [...this.#working.keys()];
  }

  /** Works on something unless this process does so already; what is being worked on is looked at again afterwards. */
  kick(id: string, owner: string): void {
    const present = this.#working.get(id);
    if (present) present.again = true;
    if (present || this.#stopped) return;
    if (!this.#full && this.#mayBegin(owner)) this.#begin(id, owner);
    else this.#wait(id, owner);
  }

  #wait(id: string, owner: string): void {
    const ids = this.#queue.get(owner) ?? new Set();
    if (ids.has(id) || this.#queued >= (this.#parts.mostQueued ?? MOST_QUEUED)) return;
    this.#queue.set(owner, ids.add(id));
    this.#queued++;
  }

  get #full(): boolean {
    return this.#working.size >= (this.#parts.most ?? MOST);
  }

  #mayBegin(owner: string): boolean {
    return (this.#busy.get(owner) ?? 0) < (this.#parts.mostOfOne ?? MOST_OF_ONE);
  }

  #begin(id: string, owner: string): void {
    const done = Promise.resolve()
      .then(() => this.#parts.work(id))
      .catch((error: unknown) => this.#parts.log.error({ err: error, id }, `${this.#parts.name} could not be worked on`))
      .finally(() => {
        this.#working.delete(id);
        const left = (this.#busy.get(owner) ?? 1) - 1;
        if (left > 0) this.#busy.set(owner, left);
        else this.#busy.delete(owner);
        // Behind those that wait already: what is busy does not keep its place for ever.
        if (work.again) this.#wait(id, owner);
        this.#next();
      });
    const work: Work = { done, again: false };
    this.#working.set(id, work);
    this.#busy.set(owner, (this.#busy.get(owner) ?? 0) + 1);
  }

  /** Begins what waits, one of each owner in turn. */
  #next(): void {
    for (const [owner, ids] of this.#queue) {
      if (this.#stopped || this.#full) return;
      if (!this.#mayBegin(owner)) continue;
      const [id] = ids;
      this.#queue.delete(owner);
      if (id === undefined) continue;
      ids.delete(id);
      this.#queued--;
      if (ids.size > 0) this.#queue.set(owner, ids);
      this.#begin(id, owner);
    }
  }
}
