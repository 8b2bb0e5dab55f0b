import type { Logger } from 'pino';
import type { Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import type { LineRow } from '../store/conversations.js';
import { statement } from '../store/hot.js';
import { heartbeat, lastNumbers, removeProcess } from '../store/turning.js';

/** Called when a conversation has something new; with the new lines where this process has them at hand. */
type Listener = (fresh: readonly LineRow[]) => void;

const HEARTBEAT_MS = 2000;
const GONE_MS = 10_000;
const LOOK_MS = 250;
const ASK_AT_ONCE = 500;

/**
 * Tells whoever listens to a conversation that it has new lines. Keeps nothing: what a listener has missed is read from
 * the database. What another process has stored is found by looking at the line numbers of the conversations that are
 * listened to.
 */
export class Wakes {
  readonly #listeners = new Map<string, Set<Listener>>();
  readonly #words = new Map<string, Set<(text: string) => void>>();
  readonly #seen = new Map<string, number>();

  listen(conversationId: string, listener: Listener): () => void {
    const set = this.#listeners.get(conversationId) ?? new Set();
    this.#listeners.set(conversationId, set.add(listener));
    return () => {
      set.delete(listener);
      if (set.size > 0) return;
      this.#listeners.delete(conversationId);
      this.#seen.delete(conversationId);
    };
  }

  /** `fresh` may hold lines that were just stored, so that they need not be read again. */
  wake(conversationId: string, fresh: readonly LineRow[] = []): void {
    this.#listeners.get(conversationId)?.forEach((listener) => listener(fresh));
  }

  /** Hands on what a model has written so far. Provisional: what is said in the end is read from the database. */
  words(conversationId: string, text: string): void {
    this.#words.get(conversationId)?.forEach((listener) => listener(text));
  }

  listenForWords(conversationId: string, listener: (text: string) => void): () => void {
    const set = this.#words.get(conversationId) ?? new Set();
    this.#words.set(conversationId, set.add(listener));
    return () => {
      set.delete(listener);
      if (set.size === 0) this.#words.delete(conversationId);
    };
  }

  /** The conversations that somebody listens to. */
  listened(): string[] {
    return [...this.#listeners.keys()];
  }

  /** Takes note of the last line number of a conversation; wakes its listeners when it is a new one. */
  saw(conversationId: string, seq: number): void {
    if (this.#seen.get(conversationId) === seq) return;
    this.#seen.set(conversationId, seq);
    this.wake(conversationId);
  }
}

/** Looks for lines that other processes have stored, as long as there are others. */
export class News {
  readonly #db: Db;
  readonly #clock: Clock;
  readonly #wakes: Wakes;
  readonly #log: Logger;
  readonly #process: string;
  readonly #timers: NodeJS.Timeout[] = [];
  #processes = 1;
  #busy = false;

  constructor(parts: { db: Db; clock: Clock; wakes: Wakes; log: Logger; process: string }) {
    this.#db = parts.db;
    this.#clock = parts.clock;
    this.#wakes = parts.wakes;
    this.#log = parts.log;
    this.#process = parts.process;
  }

  /** How many processes work on this database, this one included. */
  get processes(): number {
    return this.#processes;
  }

  async start(): Promise<void> {
    await this.#beat();
    this.#timers.push(
      setInterval(() => void this.#beat(), HEARTBEAT_MS),
      setInterval(() => void this.#look(), LOOK_MS),
    );
  }

  async stop(): Promise<void> {
    this.#timers.forEach((timer) => clearInterval(timer));
    await statement(this.#db, (hot) => removeProcess(hot, this.#process)).catch(() => undefined);
  }

  async #beat(): Promise<void> {
    try {
      this.#processes = await statement(this.#db, (hot) => heartbeat(hot, this.#process, this.#clock.now(), GONE_MS));
    } catch (error) {
      this.#log.debug({ err: error }, 'this process could not say that it lives');
    }
  }

  async #look(): Promise<void> {
    if (this.#processes < 2 || this.#busy) return;
    this.#busy = true;
    try {
      const ids = this.#wakes.listened();
      for (let i = 0; i < ids.length; i += ASK_AT_ONCE) {
        const found = await statement(this.#db, (hot) => lastNumbers(hot, ids.slice(i, i + ASK_AT_ONCE)));
        found.forEach((seq, id) => this.#wakes.saw(id, seq));
      }
    } catch (error) {
      this.#log.debug({ err: error }, 'new lines of other processes could not be looked for');
    } finally {
      this.#busy = false;
    }
  }
}
