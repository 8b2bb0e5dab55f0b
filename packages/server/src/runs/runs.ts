import { durationMs, type RunOutcome, type Source, type Start, type Values } from '@primrose/core';
import { sleep, type Clock } from '../base/clock.js';
import type { BotLoader, LoadedBot } from '../bots/loader.js';
import { servingBot } from '../store/bots.js';
import type { Db } from '../store/database.js';
import type { Statement } from '../store/hot.js';
import { findRun, type RunRow } from '../store/runs.js';
import type { StartRow, Stage } from '../store/starts.js';
import type { Accepted } from '../turns/accept.js';
import type { Turns } from '../turns/turns.js';
import type { Wakes } from '../turns/wakes.js';
import { fire } from './fire.js';

export interface RunsParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly turns: Turns;
  readonly wakes: Wakes;
}

/** A start with the version of the bot that it begins. */
export interface LoadedStart {
  readonly row: StartRow;
  readonly start: Start;
  readonly loaded: LoadedBot;
}

const LOOK_MS = 500;
const DEFAULT_WITHIN_MS = 10_000;
const LONGEST_WITHIN_MS = 60_000;

/** How long whoever asks for what a flow gives waits for it, in ms. */
export function withinMs(within: string | undefined): number {
  return within === undefined ? DEFAULT_WITHIN_MS : Math.min(LONGEST_WITHIN_MS, durationMs(within));
}

/** Begins runs and waits for what they give. */
export class Runs {
  readonly #parts: RunsParts;

  constructor(parts: RunsParts) {
    this.#parts = parts;
  }

  /** The version of a bot that a stage stands for; undefined where it was put away or is not released. */
  async version(botId: string, stage: Stage): Promise<LoadedBot | undefined> {
    const { db, loader } = this.#parts;
    const bot = await servingBot(db, botId);
    if (!bot) return undefined;
    if (stage === 'draft') return loader.draft(botId);
    return bot.live_release_id === null ? undefined : loader.release(bot.live_release_id);
  }

  /** A start with its version; undefined where that version has no such start. */
  async start(row: StartRow): Promise<LoadedStart | undefined> {
    const loaded = await this.version(row.bot_id, row.stage);
    const starts = loaded?.bot.document.starts ?? {};
    const start = Object.hasOwn(starts, row.name) ? starts[row.name] : undefined;
    return loaded && start && { row, start, loaded };
  }

  /** Begins the run of a start. A repeat of `externalId` begins none; it tells which run there is. */
  begin(
    { row, start, loaded }: LoadedStart,
    run: {
      readonly externalId: string;
      readonly given: Values;
      readonly chain?: readonly string[];
      readonly againOf?: string;
      readonly also?: (run: string) => readonly Statement[];
    },
  ): Promise<Accepted> {
    return fire(this.#parts, { loaded, by: start.by, start: { id: row.id, name: row.name }, flow: start.flow, ...run });
  }

  /** Begins a flow by hand, or once more. */
  beginFlow(
    loaded: LoadedBot,
    run: {
      readonly flow: string;
      readonly given: Values;
      readonly externalId: string;
      readonly by?: Source;
      readonly againOf?: string;
    },
  ): Promise<Accepted> {
    return fire(this.#parts, { loaded, start: null, by: 'hand', ...run });
  }

  /** Waits until a run is over, for so long at most; the run as it is then. */
  async wait(botId: string, id: string, forMs: number): Promise<RunRow | undefined> {
    const { db, clock, wakes } = this.#parts;
    const end = clock.tick() + forMs;
    for (;;) {
      const { done, wake } = sleep(clock, Math.max(1, Math.min(LOOK_MS, end - clock.tick())));
      const stop = wakes.listen(id, wake);
      const run = await findRun(db, botId, id);
      if (!run || isOver(run.outcome) || clock.tick() >= end) return (wake(), stop(), run);
      await done;
      stop();
    }
  }
}

export function isOver(outcome: RunOutcome): boolean {
  return outcome !== 'running';
}
