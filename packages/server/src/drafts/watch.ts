import type { Request, Response } from 'express';
import type { Logger } from 'pino';
import { draftRevisions, patchesBetween } from '../store/edits.js';
import type { Clock } from '../base/clock.js';
import { beginEventStream } from '../base/event-stream.js';
import type { Db } from '../store/database.js';

const LOOK_EVERY_MS = 1000;
const KEEP_ALIVE_MS = 15_000;
const RETRY_MS = 1_500;
/** A window that is further behind than this fetches the draft anew. */
const MOST_EDITS = 50;

type Listener = (revision: number) => void;

/** Tells the windows in which a draft is open of its edits: those made in this process at once, those of others within a second. */
export class DraftWatch {
  readonly #db: Db;
  readonly #log: Logger;
  readonly #listeners = new Map<string, Set<Listener>>();
  readonly #clock: Clock;
  #endLooking: (() => void) | undefined;
  #looking = false;

  constructor(db: Db, clock: Clock, log: Logger) {
    this.#db = db;
    this.#clock = clock;
    this.#log = log;
  }

  listen(botId: string, listener: Listener): () => void {
    const set = this.#listeners.get(botId) ?? new Set();
    this.#listeners.set(botId, set.add(listener));
    this.#endLooking ??= this.#clock.every(LOOK_EVERY_MS, () => void this.#look());
    return () => {
      set.delete(listener);
      if (set.size === 0) this.#listeners.delete(botId);
      if (this.#listeners.size === 0) this.close();
    };
  }

  tell(botId: string, revision: number): void {
    this.#listeners.get(botId)?.forEach((listener) => listener(revision));
  }

  close(): void {
    this.#endLooking?.();
    this.#endLooking = undefined;
  }

  async #look(): Promise<void> {
    if (this.#looking) return;
    this.#looking = true;
    try {
      for (const { id, revision } of await draftRevisions(this.#db, [...this.#listeners.keys()])) this.tell(id, revision);
    } catch (error) {
      this.#log.warn({ err: error }, 'cannot look for edits of others; looking again in a second');
    } finally {
      this.#looking = false;
    }
  }
}

interface Following {
  readonly botId: string;
  readonly since: number;
  /** What the person who follows could undo and redo now. */
  readonly steps: () => Promise<{ undo: boolean; redo: boolean }>;
}

/** What streams of edits work with; `streams` are the open ones, closed on stop. */
export interface Streaming {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly watch: DraftWatch;
  readonly streams: Set<Response>;
}

/**
 * Streams the edits of a draft after revision `since` until the window goes away. Event `edit` carries `from`, `revision`, the
 * JSON Patch between them, and whether this person has something to undo or redo; `behind` says that too much has happened and the draft is to be fetched anew.
 */
export async function streamEdits(
  { db, clock, log, watch, streams }: Streaming,
  { botId, since, steps }: Following,
  req: Request,
  res: Response,
): Promise<void> {
  if (res.closed) return;
  beginEventStream(res, RETRY_MS);
  const resumed = Number(req.headers['last-event-id']);
  let seen = Number.isInteger(resumed) && resumed > 0 ? resumed : since;
  let last: Promise<void> = Promise.resolve();
  const send = async (revision: number): Promise<void> => {
    if (revision <= seen || res.destroyed || res.writableNeedDrain) return;
    const from = seen;
    const patches = revision - from > MOST_EDITS ? undefined : await patchesBetween(db, botId, from, revision);
    seen = revision;
    const event = patches?.length === revision - from ? 'edit' : 'behind';
    const data = event === 'edit' ? { from, revision, patch: patches?.flat(), ...(await steps()) } : { revision };
    res.write(`event: ${event}\nid: ${revision}\ndata: ${JSON.stringify(data)}\n\n`);
  };
  const unlisten = watch.listen(botId, (revision) => {
    last = last
      .then(() => send(revision))
      .catch((error: unknown) => {
        log.warn({ err: error }, 'a stream of edits was cut off');
        res.destroy();
      });
  });
  const endAlive = clock.every(KEEP_ALIVE_MS, () => res.write(': alive\n\n'));
  streams.add(res);
  await new Promise<void>((resolve) => res.on('close', resolve));
  endAlive();
  unlisten();
  streams.delete(res);
}
