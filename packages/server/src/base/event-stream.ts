import type { ServerResponse } from 'node:http';
import type { Clock } from './clock.js';

/** A reader of a stream who takes nothing for so long is let go; it comes back and resumes where it was. */
const MAX_STALL_MS = 30_000;

/** Begins an answer of server-sent events; `retryMs` is after how long a client comes back when the line is cut. */
export function beginEventStream(res: ServerResponse, retryMs?: number): void {
  res.writeHead(200, {
    'content-type': 'text/event-stream; charset=utf-8',
    'cache-control': 'no-cache, no-transform',
    'x-accel-buffering': 'no',
  });
  if (retryMs !== undefined) res.write(`retry: ${retryMs}\n\n`);
}

/** Resolves when the other side has taken what was written, or is gone; one that takes nothing for `withinMs` is let go. */
export function taken(res: ServerResponse, clock: Clock, withinMs = MAX_STALL_MS): Promise<void> {
  if (res.destroyed) return Promise.resolve();
  return new Promise((resolve) => {
    const done = (): void => {
      endLate();
      res.off('drain', done).off('close', done);
      resolve();
    };
    const endLate = clock.after(withinMs, () => {
      res.destroy();
      done();
    });
    res.once('drain', done).once('close', done);
  });
}
