import { broughtWith, pageInputs, type Values } from '@primrose/core';
import type { Logger } from 'pino';
import type { Clock } from '../base/clock.js';
import type { LoadedBot } from '../bots/loader.js';
import { fire } from '../runs/fire.js';
import { isOver, type Runs } from '../runs/runs.js';
import { channelById } from '../store/channels.js';
import type { Db } from '../store/database.js';
import { placeFiles } from '../store/files.js';
import * as store from '../store/pages.js';
import { findRun } from '../store/runs.js';
import { Keeper } from '../turns/keeper.js';
import type { Turns } from '../turns/turns.js';
import type { Wakes } from '../turns/wakes.js';
import type { PageProgress } from './progress.js';
import { fileIds } from './sent.js';
import { valuesNow } from './views.js';

export interface PageQueueParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly runs: Runs;
  readonly turns: Turns;
  readonly wakes: Wakes;
  readonly progress: PageProgress;
  readonly loadRelease: (id: string) => Promise<LoadedBot>;
  readonly publicUrl: string;
  /** So many runs of one page are under way at once. */
  readonly atOnce: number;
}

const GONE = 'There is no such page any more.';
const FLOW_GONE = 'The flow of this page is not there any more.';

/**
 * Begins the runs of pages in the order in which they were asked for, a bounded number of each page at once. What waits is stored,
 * so it is begun by whichever process has room, also after a restart.
 */
export class PageQueue {
  readonly #parts: PageQueueParts;
  readonly #keeper: Keeper;
  /** Runs that are watched here until they are over. */
  readonly #watched = new Map<string, () => void>();

  constructor(parts: PageQueueParts) {
    this.#parts = parts;
    this.#keeper = new Keeper({
      clock: parts.clock,
      log: parts.log,
      name: 'pages',
      waiting: async () =>
        (await store.waitingPages(parts.db)).map(({ bot_id, page }) => ({ id: `${bot_id} ${page}`, owner: bot_id })),
      work: (id) => this.#work(id),
    });
  }

  start(): void {
    this.#keeper.start();
  }

  async stop(): Promise<void> {
    await this.#keeper.stop(2000);
    this.#watched.forEach((end) => end());
  }

  /** Looks whether something of a page can begin. */
  kick(botId: string, page: string): void {
    this.#keeper.kick(`${botId} ${page}`, botId);
  }

  async #work(id: string): Promise<void> {
    const { db, atOnce } = this.#parts;
    const [botId = '', page = ''] = id.split(' ');
    const free = atOnce - (await store.countRunning(db, botId, page));
    if (free <= 0) return;
    for (const run of await store.nextWaiting(db, botId, page, free)) await this.#begin(run);
  }

  async #begin(run: store.PageRunRow): Promise<void> {
    const { db, clock, turns, progress, publicUrl } = this.#parts;
    const result = await store.findResult(db, run.bot_id, run.result_id);
    const loaded = result && (await this.#version(result));
    const page =
      loaded && Object.hasOwn(loaded.bot.document.pages ?? {}, run.page) ? loaded.bot.document.pages?.[run.page] : undefined;
    if (!result || !loaded || !page) return store.failWaiting(db, run.id, GONE);
    const { document } = loaded.bot;
    if (!Object.hasOwn(document.flows, page.flow)) return store.failWaiting(db, run.id, FLOW_GONE);
    const inputs = store.pageValues.read(result.inputs);
    const earlier = (await store.runsOf(db, [result.id])).filter((r) => r.id < run.id);
    const given: Values = run.part === null ? pageInputs(document, page, inputs).values : valuesNow(result, earlier);
    progress.watch(run.id, document, page.flow);
    this.#watch(run);
    await fire(
      { turns, clock },
      {
        id: run.id,
        loaded,
        by: 'page',
        start: null,
        externalId: run.id,
        flow: page.flow,
        given,
        brings: { page: run.page, ...(run.part === null ? {} : { part: run.part }), ...broughtWith(inputs) },
        ...(run.part === null ? {} : { againOf: earlier[0]?.id ?? run.id }),
        also: () => [store.beginsPageRun(run.id), ...placeFiles(fileIds(inputs, publicUrl), run.id)],
      },
    );
  }

  /** When a run is over, the next of its page may begin. */
  #watch({ id, bot_id: botId, page }: store.PageRunRow): void {
    const { db, wakes, clock, progress, log } = this.#parts;
    if (this.#watched.has(id)) return;
    const look = (): void => {
      findRun(db, botId, id).then(
        (run) => {
          if (!run || !isOver(run.outcome)) return;
          end();
          this.kick(botId, page);
        },
        (error: unknown) => log.debug({ err: error }, 'a run of a page could not be looked at'),
      );
    };
    const unlisten = wakes.listen(id, look);
    const endLooking = clock.every(LOOK_MS, look);
    const end = (): void => {
      unlisten();
      endLooking();
      this.#watched.delete(id);
      progress.end(id);
    };
    this.#watched.set(id, end);
  }

  async #version(result: store.ResultRow): Promise<LoadedBot | undefined> {
    const { db, runs, loadRelease } = this.#parts;
    if (result.channel_id === null) return runs.version(result.bot_id, result.stage);
    const channel = await channelById(db, result.channel_id);
    const live = channel?.bot_deleted === null ? channel.live_id : null;
    return live === null ? undefined : loadRelease(live);
  }
}

const LOOK_MS = 2000;
