import type { Logger } from 'pino';
import { givenOf, type Came, type Value } from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import { jsonColumn } from '../store/columns.js';
import type { Db } from '../store/database.js';
import { statement, transaction } from '../store/hot.js';
import * as store from '../store/starts.js';
import { Keeper } from '../turns/keeper.js';
import type { LoadedStart, Runs } from './runs.js';
import { cronColumn } from './times.js';

export interface TimedParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly runs: Runs;
}

const LOOK_MS = 1000;
const STOP_MS = 5000;
/** A time that is later than this was missed: nothing ran when it came. */
const MISSED_MS = 60_000;
/** A change of a row whose run cannot be begun so often is given up, visibly. */
const MOST_TRIES = 10;
/** Of times that were missed so many are counted. */
const MOST_COUNTED = 100;

/** Begins the runs of schedules when their time comes, and those that changes of rows were promised. */
export class Timed {
  readonly #parts: TimedParts;
  readonly #rows: Keeper;
  #endLook: () => void = () => undefined;
  /** The look that is under way; while a slow database holds one up, no second one begins. */
  #looking: Promise<void> | undefined;

  constructor(parts: TimedParts) {
    const { db, clock, log } = parts;
    this.#parts = parts;
    this.#rows = new Keeper({
      clock,
      log,
      name: 'starts by rows',
      waiting: () => store.waitingRowEvents(db),
      work: (id) => this.#rowEvent(id),
    });
  }

  start(): void {
    const { clock, log } = this.#parts;
    this.#rows.start();
    this.#endLook = clock.every(LOOK_MS, () => {
      this.#looking ??= this.look()
        .catch((error: unknown) => log.warn({ err: error }, 'schedules could not be looked at'))
        .finally(() => (this.#looking = undefined));
    });
  }

  async stop(): Promise<void> {
    this.#endLook();
    await this.#looking;
    await this.#rows.stop(STOP_MS);
  }

  /** Looks at once for what was promised, in this process. */
  async kick(): Promise<void> {
    for (const { id, owner } of await store.waitingRowEvents(this.#parts.db)) this.#rows.kick(id, owner);
  }

  /** Begins what is due. Several processes may look at once: each time of a schedule begins one run. */
  async look(): Promise<void> {
    const { db, clock, log } = this.#parts;
    for (const row of await store.dueSchedules(db, clock.now()))
      // One that cannot be begun now is tried at the next look, and holds up none of the others.
      await this.#due(row).catch((error: unknown) => log.warn({ err: error, start: row.id }, 'a schedule could not be begun'));
  }

  async #due(row: store.StartRow): Promise<void> {
    const { db, clock, runs } = this.#parts;
    const due = row.next_at;
    if (!due) return;
    const now = clock.now();
    const [next = null] = cronColumn.next(row.cron, now);
    const found = await runs.start(row);
    const late = now.getTime() - due.getTime() > MISSED_MS;
    const begins = found?.start.by === 'schedule' && (!late || found.start.missed === 'run-once');
    // Begun first and moved on afterwards: whoever dies in between begins it once more, which is the same run.
    if (found && begins) await this.#begin(found, due);
    await transaction(db, async (hot) => {
      const moved = await store.moveSchedule(hot, row.id, due, next);
      // Of several processes the one that moves it on tells what was missed.
      if (moved && late) await hot.run(store.insertStartEvent(this.#missed(row, due, now)));
    });
  }

  async #begin(found: LoadedStart, due: Date): Promise<void> {
    const came = { due: due.toISOString() };
    await this.#beginWith(found, came, `due ${due.toISOString()}`, [], { due: due.toISOString() });
  }

  async #beginWith(found: LoadedStart, came: Came, externalId: string, chain: readonly string[], body: Value): Promise<void> {
    const { clock, runs, db } = this.#parts;
    const { row, start, loaded } = found;
    const { values, problems } = givenOf(loaded.bot.document, start, came, clock.now().toISOString());
    const base = { ...this.#entry(row), body: JSON.stringify(body) };
    if (problems.length > 0) {
      const about = `it does not fill in: ${problems.map((p) => `${p.input} ${p.reason}`).join('; ')}`;
      await statement(db, (hot) => hot.run(store.insertStartEvent({ ...base, outcome: 'refused', status: 422, about })));
      return;
    }
    const also = (run: string) => [store.insertStartEvent({ ...base, outcome: 'taken', status: 202, about: '', run_id: run })];
    await runs.begin(found, { externalId, given: values, chain, also });
    await store.trimStartEvents(db, row.id);
  }

  /** What tells of the times that nothing ran at: how many, and from when. */
  #missed(row: store.StartRow, due: Date, now: Date): Omit<store.StartEventRow, 'times'> {
    const later = cronColumn.next(row.cron, due, MOST_COUNTED).filter((t) => t <= now);
    const times = later.length + 1;
    const many = later.length === MOST_COUNTED ? `more than ${MOST_COUNTED} times were` : `${times} times were`;
    const about = `${times === 1 ? 'one time was' : many} missed while nothing ran, the first at ${due.toISOString()}`;
    return { ...this.#entry(row), outcome: 'missed', status: 0, about };
  }

  /** What is kept of something that did not come from outside. */
  #entry(row: store.StartRow) {
    const { clock } = this.#parts;
    const nothing = { content_type: null, headers: null, query: null, body: null, run_id: null };
    return { id: newId(clock), start_id: row.id, bot_id: row.bot_id, ...nothing, at: clock.now() };
  }

  /** Begins the run that a change of a row was promised, once; then the promise is kept and goes. */
  async #rowEvent(id: string): Promise<void> {
    const { db, log, runs } = this.#parts;
    const event = await store.rowEvent(db, id);
    if (!event) return;
    await store.tryRowEvent(db, id);
    const row = await store.startById(db, event.start_id);
    const found = row && (await runs.start(row));
    if (row && event.tries >= MOST_TRIES) {
      const about = `a change of a row began nothing, after ${event.tries} tries`;
      const told = { ...this.#entry(row), body: event.came, outcome: 'failed', status: 500, about } as const;
      await statement(db, (hot) => hot.run(store.insertStartEvent(told)));
    } else if (!found || row.is_on !== 1 || found.start.by !== 'row')
      log.warn({ start: event.start_id }, 'a change of a row begins nothing: its start is gone or off');
    else {
      const came = jsonColumn.read(event.came);
      await this.#beginWith(found, came as Came, `row ${id}`, event.chain.split(',').filter(Boolean), came);
    }
    await statement(db, (hot) => hot.run(store.dropRowEvent(id)));
  }
}
