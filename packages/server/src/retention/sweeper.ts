import type { Logger } from 'pino';
import type { RecordKind } from '@primrose/contract';
import { sleep, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { withLease } from '../store/leases.js';
import * as store from '../store/retention.js';
import { CLASSIFIER_DAYS, daysOf, DELETED_BOT_DAYS, EXPIRED_DAYS, KINDS, readTimes } from './kinds.js';

type Drop = (db: Db, botId: string, before: Date) => Promise<number>;

const DROPS: Readonly<Record<RecordKind, Drop>> = {
  conversations: store.dropOldConversations,
  sheets: store.dropOldSheets,
  events: store.dropOldEvents,
  visitors: store.dropOldVisitors,
  webhooks: store.dropOldWebhooks,
  simulations: store.dropOldSimulations,
  history: store.dropOldHistory,
};

const DAY_MS = 86_400_000;
const FIRST_MS = 60_000;
/** Between two steps, so that visitors have the database to themselves most of the time. */
const PAUSE_MS = 20;
const LEASE = 'sweep';

export interface SweeperParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly everyMinutes: number;
}

/** Deletes what has been kept for its time, in small steps; of several processes one does it. */
export class Sweeper {
  readonly #parts: SweeperParts;
  #endTimers: (() => void)[] = [];
  #stopped = false;
  #running: Promise<unknown> = Promise.resolve();

  constructor(parts: SweeperParts) {
    this.#parts = parts;
  }

  start(): void {
    const { clock, everyMinutes } = this.#parts;
    const sweep = (): void => void this.sweep();
    this.#endTimers = [clock.after(FIRST_MS, sweep), clock.every(everyMinutes * 60_000, sweep)];
  }

  async stop(): Promise<void> {
    this.#stopped = true;
    this.#endTimers.forEach((end) => end());
    await this.#running;
  }

  /** One whole round; returns how many rows went, by what they were. Empty while another process is at it. */
  sweep(): Promise<Readonly<Record<string, number>>> {
    const { db, log } = this.#parts;
    const swept = withLease(db, LEASE, () => this.#round())
      .then((gone) => {
        if (gone && Object.keys(gone).length > 0) log.info({ gone }, 'records were deleted as their time was over');
        return gone ?? {};
      })
      .catch((error: unknown) => {
        log.warn({ err: error }, 'records whose time is over could not be deleted; the next round tries again');
        return {};
      });
    this.#running = swept;
    return swept;
  }

  async #round(): Promise<Record<string, number>> {
    const { db, clock } = this.#parts;
    const now = clock.now().getTime();
    const before = (days: number): Date => new Date(now - days * DAY_MS);
    const gone: Record<string, number> = {};
    const all = async (what: string, step: () => Promise<number>): Promise<void> => {
      for (;;) {
        if (this.#stopped) return;
        const count = await step();
        if (count === 0) return;
        gone[what] = (gone[what] ?? 0) + count;
        await sleep(clock, PAUSE_MS).done;
      }
    };
    for (const { id, retention } of await store.botsWithTimes(db)) {
      const times = readTimes(retention);
      for (const kind of Object.keys(KINDS) as RecordKind[])
        await all(kind, () => DROPS[kind](db, id, before(daysOf(times, kind))));
    }
    for (const id of await store.botsDeletedBefore(db, before(DELETED_BOT_DAYS)))
      await all('deleted bots', () => store.dropPartOfBot(db, id));
    await all('expired', () => store.dropExpired(db, before(EXPIRED_DAYS), before(CLASSIFIER_DAYS)));
    return gone;
  }
}
