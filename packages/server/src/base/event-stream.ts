import type { ServerResponse } from 'node:http';

/** Begins an answer of server-sent events; `retryMs` is after how long a client comes back when the line is cut. */
export function beginEventStream(res: ServerResponse, retryMs?: number): void {
  res.writeHead(200, {
    'content-type': 'text/event-stream; charset=utf-8',
    'cache-control': 'no-cache, no-transform',
    'x-accel-buffering': 'no',
  });
  if (retryMs !== undefined) res.write(`retry: ${retryMs}\n\n`);
}

/** Resolves when the other side has taken what was written, or is gone. */
export function taken(res: ServerResponse): Promise<void> {
  if (res.destroyed) return Promise.resolve();
  return new Promise((resolve) => {
    const done = (): void => {
      res.off('drain', done).off('close', done);
      resolve();
    };
    res.once('drain', done).once('close', done);
  });
}
