import { manyOf, summedUp, summingRequest } from '@primrose/core';
import type { Logger } from 'pino';
import type { Clock } from '../base/clock.js';
import type { BotLoader } from '../bots/loader.js';
import type { PerformModel } from '../outside/chat-completions.js';
import { createReach } from '../outside/reach.js';
import type { Secrets } from '../outside/secrets.js';
import type { Db } from '../store/database.js';
import { statement, transaction } from '../store/hot.js';
import { changeDue, claimDue, dueMemories, dueMemory, memoryColumn } from '../store/memories.js';
import { Keeper } from '../turns/keeper.js';

interface SummingParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly loader: BotLoader;
  readonly secrets: Secrets;
  readonly model: PerformModel;
}

const STOP_MS = 2000;

/**
 * Sums memories up in the background, once enough has come that is not summed up yet. What fails is tried again with the next exchange;
 * no turn waits for it.
 */
export class Summing {
  readonly #parts: SummingParts;
  readonly #keeper: Keeper;
  readonly #stop = new AbortController();

  constructor(parts: SummingParts) {
    const { db, clock, log } = parts;
    this.#parts = parts;
    this.#keeper = new Keeper({
      clock,
      log,
      name: 'memories',
      waiting: () => statement(db, dueMemories),
      work: (id) => this.#sumUp(id),
    });
  }

  start(): void {
    this.#keeper.start();
  }

  async stop(): Promise<void> {
    this.#stop.abort();
    await this.#keeper.stop(STOP_MS);
  }

  async #sumUp(id: string): Promise<void> {
    const { db, clock, log, loader, secrets, model } = this.#parts;
    const row = await statement(db, (hot) => dueMemory(hot, id));
    if (!row || !(await statement(db, (hot) => claimDue(hot, id)))) return;
    try {
      const loaded = row.release_id === null ? await loader.draft(row.bot_id) : await loader.release(row.release_id);
      const { document } = loaded.bot;
      const memory = memoryColumn.read(row.memory);
      const effect = summingRequest(document, memory);
      if (!effect) return;
      const reach = createReach(db, secrets, row.bot_id, document);
      const came = await model(effect, await reach(effect.connection), undefined, this.#stop.signal);
      if (came.outcome === 'failed') return log.warn({ bot: row.bot_id, reason: came.reason }, 'a memory was not summed up');
      const change = summedUp(document, memory, came, clock.now().toISOString());
      if (change) await transaction(db, (hot) => changeDue(hot, id, [change], manyOf(document)));
      else log.warn({ bot: row.bot_id }, 'what a model wrote is no summary of a memory');
    } catch (error) {
      log.warn({ err: error, bot: row.bot_id }, 'a memory was not summed up');
    }
  }
}
