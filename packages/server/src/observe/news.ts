import type { Logger } from 'pino';
import type { Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { statement } from '../store/hot.js';
import { heartbeat, lastNumbers, removeProcess } from '../store/turning.js';
import type { Wakes } from '../turns/wakes.js';

const HEARTBEAT_MS = 2000;
const GONE_MS = 10_000;
const LOOK_MS = 250;
const ASK_AT_ONCE = 500;

/** Looks for lines that other processes have stored, as long as there are others. */
export class News {
  readonly #db: Db;
  readonly #clock: Clock;
  readonly #wakes: Wakes;
  readonly #log: Logger;
  readonly #process: string;
  readonly #ends: (() => void)[] = [];
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
    this.#ends.push(
      this.#clock.every(HEARTBEAT_MS, () => void this.#beat()),
      this.#clock.every(LOOK_MS, () => void this.#look()),
    );
  }

  async stop(): Promise<void> {
    this.#ends.forEach((end) => end());
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
