import type { Response } from 'express';
import type { PageResult } from '@primrose/contract';
import { sleep, type Clock } from '../base/clock.js';
import { beginEventStream, taken } from '../base/event-stream.js';
import { Refused } from '../base/refused.js';
import type { Limits } from '../start/limits.js';
import type { Db } from '../store/database.js';
import { findResult, runsOf, waitingPlace, type ResultRow } from '../store/pages.js';
import { HttpProblem } from '../http/problem.js';
import type { Wakes } from '../turns/wakes.js';
import type { PageProgress } from './progress.js';

export interface FollowParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly wakes: Wakes;
  readonly progress: PageProgress;
  readonly streams: Set<Response>;
  readonly limits: Pick<Limits, 'streams'>;
  readonly view: (row: ResultRow) => Promise<PageResult>;
}

const LOOK_MS = 1000;
/** Words that are being written are shown so often at most. */
const SHOW_MS = 120;
const ALIVE_MS = 15_000;
/** How often somebody who waits for their turn is told their place; the first look is soon, since most pages begin at once. */
const WAITING_MS = 1500;
const SOON_MS = 200;

/**
 * Streams a result until it is over, or the client goes away: all of it each time that something of it has changed, also what is
 * being written. Nothing is kept for it, so whoever comes again gets what is there.
 */
export async function followResult(parts: FollowParts, row: ResultRow, res: Response): Promise<void> {
  const { db, clock, wakes, progress, streams, limits, view } = parts;
  if (streams.size >= limits.streams)
    throw new HttpProblem('not-ready', 'Too many pages are followed at once just now. Ask again in a moment.');
  beginEventStream(res, 1500);
  streams.add(res);
  let last = '';
  let alive = clock.tick();
  let unlisten: () => void = () => undefined;
  let unfollow: () => void = () => undefined;
  try {
    while (!res.destroyed && !res.writableEnded) {
      const now = await findResult(db, row.bot_id, row.id);
      if (!now) break;
      const shown = await view(now);
      const text = JSON.stringify(shown);
      if (text !== last) res.write(`event: result\ndata: ${text}\n\n`);
      else if (clock.tick() - alive > ALIVE_MS) {
        res.write(': alive\n\n');
        alive = clock.tick();
      }
      last = text;
      if (shown.state === 'done' || shown.state === 'failed') {
        res.write('event: over\ndata: {}\n\n');
        break;
      }
      if (shown.state === 'waiting') {
        await waited(parts, row, res, shown.place);
        continue;
      }
      const run = (await runsOf(db, [row.id])).find((r) => r.kept === null)?.id ?? '';
      const { done, wake } = sleep(clock, LOOK_MS);
      const soon = (): void => void clock.after(SHOW_MS, wake);
      unlisten = wakes.listen(run, wake);
      unfollow = progress.follow(run, soon);
      res.once('close', wake);
      await done;
      res.off('close', wake);
      unlisten();
      unfollow();
      if (res.writableNeedDrain) await taken(res, clock);
    }
  } catch (error: unknown) {
    // What was begun to be sent cannot become an error any more: whoever follows comes again and is told then.
    if (!(error instanceof Refused)) throw error;
  } finally {
    unlisten();
    unfollow();
    streams.delete(res);
    res.end();
  }
}

/** Waits until the place of a result that waits is another one, or it has begun: many wait where one works, so each look is small. */
async function waited({ db, clock }: FollowParts, row: ResultRow, res: Response, place: number | null): Promise<void> {
  for (let ms = SOON_MS; !res.destroyed; ms = WAITING_MS) {
    const { done, wake } = sleep(clock, ms);
    res.once('close', wake);
    await done;
    res.off('close', wake);
    const now = await waitingPlace(db, row);
    if (now !== place) return;
    if (!res.writableNeedDrain) res.write(': alive\n\n');
  }
}
