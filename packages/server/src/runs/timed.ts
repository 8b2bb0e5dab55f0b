import type { Logger } from 'pino';
import { givenOf, nextTimes, type Came, type Value } from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import { jsonColumn } from '../store/columns.js';
import type { Db } from '../store/database.js';
import { statement } from '../store/hot.js';
import * as store from '../store/starts.js';
import { Keeper } from '../turns/keeper.js';
import type { LoadedStart, Runs } from './runs.js';

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

/** Begins the runs of schedules when their time comes, and those that changes of rows were promised. */
export class Timed {
  readonly #parts: TimedParts;
  readonly #rows: Keeper;
  #endLook: () => void = () => undefined;
  #looking: Promise<void> = Promise.resolve();

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
      this.#looking = this.look().catch((error: unknown) => log.warn({ err: error }, 'schedules could not be looked at'));
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
    for (const row of await store.dueSchedules(this.#parts.db, this.#parts.clock.now())) await this.#due(row);
  }

  async #due(row: store.StartRow): Promise<void> {
    const { db, clock, runs } = this.#parts;
    const due = row.next_at;
    const [zone = '', ...at] = (row.cron ?? '').split(' ');
    if (!due) return;
    const now = clock.now();
    const [next] = nextTimes(at.join(' '), zone, now.toISOString());
    const found = await runs.start(row);
    const late = now.getTime() - due.getTime() > MISSED_MS;
    if (late) await this.#missed(row, due, now, at.join(' '), zone);
    const begins = found?.start.by === 'schedule' && (!late || found.start.missed === 'run-once');
    // Begun first and moved on afterwards: whoever dies in between begins it once more, which is the same run.
    if (found && begins) await this.#begin(found, due);
    await statement(db, (hot) => store.moveSchedule(hot, row.id, due, next === undefined ? null : new Date(next)));
  }

  async #begin(found: LoadedStart, due: Date): Promise<void> {
    const came = { due: due.toISOString() };
    await this.#beginWith(found, came, `due ${due.toISOString()}`, [], { due: due.toISOString() });
  }

  async #beginWith(found: LoadedStart, came: Came, externalId: string, chain: readonly string[], body: Value): Promise<void> {
    const { clock, runs, db } = this.#parts;
    const { row, start, loaded } = found;
    const { values, problems } = givenOf(loaded.bot.document, start, came, clock.now().toISOString());
    const base = {
      id: newId(clock),
      start_id: row.id,
      bot_id: row.bot_id,
      content_type: null,
      headers: null,
      query: null,
      body: JSON.stringify(body),
      at: clock.now(),
    };
    if (problems.length > 0) {
      const about = `it does not fill in: ${problems.map((p) => `${p.input} ${p.reason}`).join('; ')}`;
      await statement(db, (hot) =>
        hot.run(store.insertStartEvent({ ...base, outcome: 'refused', status: 422, about, run_id: null })),
      );
      return;
    }
    const also = (run: string) => [store.insertStartEvent({ ...base, outcome: 'taken', status: 202, about: '', run_id: run })];
    await runs.begin(found, { externalId, given: values, chain, also });
    await store.trimStartEvents(db, row.id);
  }

  /** Tells of the times that nothing ran at: how many, and from when. */
  async #missed(row: store.StartRow, due: Date, now: Date, at: string, zone: string): Promise<void> {
    const { clock, db } = this.#parts;
    const later = nextTimes(at, zone, due.toISOString(), 100).filter((t) => Date.parse(t) <= now.getTime());
    const times = later.length + 1;
    const about = `${times === 100 + 1 ? 'more than 100 times were' : times === 1 ? 'one time was' : `${times} times were`} missed while nothing ran, the first at ${due.toISOString()}`;
    const entry = {
      id: newId(clock),
      start_id: row.id,
      bot_id: row.bot_id,
      outcome: 'missed',
      status: 0,
      about,
      at: now,
    } as const;
    await statement(db, (hot) =>
      hot.run(store.insertStartEvent({ ...entry, content_type: null, headers: null, query: null, body: null, run_id: null })),
    );
  }

  /** Begins the run that a change of a row was promised, once; then the promise is kept and goes. */
  async #rowEvent(id: string): Promise<void> {
    const { db, log, runs } = this.#parts;
    const event = await store.rowEvent(db, id);
    if (!event) return;
    await store.tryRowEvent(db, id);
    const row = await store.startById(db, event.start_id);
    const found = row && (await runs.start(row));
    const gone = !found || row.is_on !== 1 || found.start.by !== 'row' || event.tries >= MOST_TRIES;
    if (gone)
      log.warn(
        { start: event.start_id, tries: event.tries },
        'a change of a row begins nothing: its start is gone, off, or fails',
      );
    else {
      const came = jsonColumn.read(event.came);
      await this.#beginWith(found, came as Came, `row ${id}`, event.chain.split(',').filter(Boolean), came);
    }
    await statement(db, (hot) => hot.run(store.dropRowEvent(id)));
  }
}
