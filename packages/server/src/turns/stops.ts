import type { Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { statement } from '../store/hot.js';
import { markStopped, stoppedAmong } from '../store/turning.js';

const LOOK_MS = 500;
const ASK_AT_ONCE = 500;

/**
 * Stopping a turn that thinks, in whichever process it runs: the one that has it is told at once, any other finds the mark on the
 * conversation. What is stopped is the asking of models; what changes something is waited for.
 */
export class TurnStops {
  readonly #db: Db;
  readonly #clock: Clock;
  /** Whether other processes may have the turn. */
  readonly #others: () => boolean;
  readonly #running = new Map<string, { readonly control: AbortController; readonly since: Date }>();
  #endLooking: (() => void) | undefined;

  constructor(db: Db, clock: Clock, others: () => boolean) {
    this.#db = db;
    this.#clock = clock;
    this.#others = others;
  }

  /** Stops the turn of a conversation that is under way, if one is. */
  async stop(conversationId: string): Promise<void> {
    this.#running.get(conversationId)?.control.abort();
    if (this.#others()) await statement(this.#db, (hot) => markStopped(hot, conversationId, this.#clock.now()));
  }

  /** Tells a turn when it is stopped; `end` when it is over. */
  watch(conversationId: string): { readonly signal: AbortSignal; readonly end: () => void } {
    const control = new AbortController();
    const entry = { control, since: this.#clock.now() };
    this.#running.set(conversationId, entry);
    this.#endLooking ??= this.#clock.every(LOOK_MS, () => void this.#look().catch(() => undefined));
    return {
      signal: control.signal,
      end: () => {
        if (this.#running.get(conversationId) === entry) this.#running.delete(conversationId);
        if (this.#running.size > 0) return;
        this.#endLooking?.();
        this.#endLooking = undefined;
      },
    };
  }

  async #look(): Promise<void> {
    if (!this.#others()) return;
    const ids = [...this.#running.keys()];
    for (let i = 0; i < ids.length; i += ASK_AT_ONCE) {
      const marked = await statement(this.#db, (hot) => stoppedAmong(hot, ids.slice(i, i + ASK_AT_ONCE)));
      for (const { id, at } of marked) {
        const running = this.#running.get(id);
        if (running && at >= running.since) running.control.abort();
      }
    }
  }
}
