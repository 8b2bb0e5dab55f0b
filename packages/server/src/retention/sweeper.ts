import type { Logger } from 'pino';
import type { RecordKind } from '@primrose/contract';
import { sleep, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { withLease } from '../store/leases.js';
import { dropOldResults } from '../store/pages.js';
import { dropOldFiles } from '../store/files.js';
import { dropOldMemories } from '../store/memories.js';
import { dropOldMissed } from '../store/missed.js';
import * as store from '../store/retention.js';
import { CLASSIFIER_DAYS, daysOf, DELETED_BOT_DAYS, EXPIRED_DAYS, KINDS, readTimes } from './kinds.js';

/** One step of a deletion: how many rows it took, and whether there may be more. */
type Step = () => Promise<{ readonly gone: number; readonly more: boolean }>;
type Drop = (db: Db, botId: string, before: Date) => Step;

/** Takes rows until there are none. */
const until =
  (drop: (db: Db, botId: string, before: Date) => Promise<number>): Drop =>
  (db, botId, before) =>
    stepOf(() => drop(db, botId, before));
const stepOf =
  (drop: () => Promise<number>): Step =>
  async () => {
    const gone = await drop();
    return { gone, more: gone > 0 };
  };

/** Takes rows of conversations, some after the other: a step costs the same however many conversations there are. */
const along =
  (drop: (db: Db, conversations: readonly string[], before: Date) => Promise<number>): Drop =>
  (db, botId, before) => {
    let at: store.Walked | undefined;
    return async () => {
      const next = await store.openedBefore(db, botId, before, at);
      const ids = next.map((c) => c.id);
      const gone = ids.length === 0 ? 0 : await drop(db, ids, before);
      if (gone === 0) at = next.at(-1);
      return { gone, more: ids.length > 0 };
    };
  };

/** One deletion to its end, then the other. */
const inTurn = (first: Step, then: Step): Step => {
  let firstDone = false;
  return async () => {
    if (firstDone) return then();
    const { gone, more } = await first();
    firstDone = !more;
    return { gone, more: true };
  };
};

const DROPS: Readonly<Record<RecordKind, Drop>> = {
  conversations: until(store.dropOldConversations),
  sheets: along(store.dropOldSheets),
  events: (db, botId, before) =>
    inTurn(along(store.dropOldEvents)(db, botId, before), until(store.dropOldWrites)(db, botId, before)),
  visitors: until(store.dropOldVisitors),
  webhooks: until(store.dropOldWebhooks),
  missed: until(dropOldMissed),
  memory: until(dropOldMemories),
  results: until(dropOldResults),
  files: until(dropOldFiles),
  simulations: until(store.dropOldSimulations),
  history: until(store.dropOldHistory),
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
    const { db, clock, log } = this.#parts;
    const now = clock.now().getTime();
    const before = (days: number): Date => new Date(now - days * DAY_MS);
    const gone: Record<string, number> = {};
    // What goes wrong with one kind of record leaves the others to their time.
    const all = async (what: string, step: Step): Promise<void> => {
      try {
        for (let more = true; more && !this.#stopped;) {
          const swept = await step();
          more = swept.more;
          if (swept.gone > 0) gone[what] = (gone[what] ?? 0) + swept.gone;
          if (more) await sleep(clock, PAUSE_MS).done;
        }
      } catch (error) {
        log.warn({ err: error, what }, 'records whose time is over could not be deleted; the next round tries again');
      }
    };
    for (const { id, retention } of await store.botsWithTimes(db)) {
      const times = readTimes(retention);
      for (const kind of Object.keys(KINDS) as RecordKind[]) await all(kind, DROPS[kind](db, id, before(daysOf(times, kind))));
    }
    for (const id of await store.botsDeletedBefore(db, before(DELETED_BOT_DAYS)))
      await all(
        'deleted bots',
        stepOf(() => store.dropPartOfBot(db, id)),
      );
    await all(
      'expired',
      stepOf(() => store.dropExpired(db, before(EXPIRED_DAYS), before(CLASSIFIER_DAYS))),
    );
    return gone;
  }
}
