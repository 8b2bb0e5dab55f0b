import type { Logger } from 'pino';
import type { Clock } from '../base/clock.js';

/** Something that waits to be worked on, and whose it is: the same owner's things do not crowd out those of others. */
export interface Waiting {
  readonly id: string;
  readonly owner: string;
}

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
}

const SWEEP_MS = 1000;
const MOST = 512;
const MOST_OF_ONE = 256;

/** What is worked on, and whether somebody asked to look again afterwards. */
interface Work {
  readonly owner: string;
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
  /** What has to wait for others, by owner, the owner whose turn it is first. */
  readonly #queue = new Map<string, Set<string>>();
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
    if (this.#mayBegin(owner)) this.#begin(id, owner);
    else this.#queue.set(owner, (this.#queue.get(owner) ?? new Set()).add(id));
  }

  #mayBegin(owner: string): boolean {
    const { most = MOST, mostOfOne = MOST_OF_ONE } = this.#parts;
    if (this.#working.size >= most) return false;
    if (this.#working.size < mostOfOne) return true;
    return [...this.#working.values()].filter((w) => w.owner === owner).length < mostOfOne;
  }

  #begin(id: string, owner: string): void {
    const done = Promise.resolve()
      .then(() => this.#parts.work(id))
      .catch((error: unknown) => this.#parts.log.error({ err: error, id }, `${this.#parts.name} could not be worked on`))
      .finally(() => {
        this.#working.delete(id);
        if (work.again) this.kick(id, owner);
        this.#next();
      });
    const work: Work = { owner, done, again: false };
    this.#working.set(id, work);
  }

  /** Begins what waits, one of each owner in turn. */
  #next(): void {
    for (const [owner, ids] of [...this.#queue]) {
      if (this.#stopped || !this.#mayBegin(owner)) continue;
      const [id] = ids;
      this.#queue.delete(owner);
      if (id === undefined) continue;
      ids.delete(id);
      if (ids.size > 0) this.#queue.set(owner, ids);
      this.#begin(id, owner);
    }
  }
}
