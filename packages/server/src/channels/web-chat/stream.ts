import type { Request, Response } from 'express';
import type { Logger } from 'pino';
import type { Clock } from '../../base/clock.js';
import { beginEventStream, taken } from '../../base/event-stream.js';
import type { Db } from '../../store/database.js';
import type { Hint, Wakes } from '../../turns/wakes.js';
import { HttpProblem } from '../../http/problem.js';
import { lineView } from '../../http/views.js';
import type { Limits } from '../../start/limits.js';
import * as store from '../../store/conversations.js';
import { statement } from '../../store/hot.js';
import { lastNumbers } from '../../store/turning.js';
import type { LineRow } from '../../store/lines.js';
import { dueLines } from '../due.js';

/** What streams of lines work with; `streams` are the open ones, closed on stop. */
export interface StreamParts {
  readonly limits: Pick<Limits, 'streams' | 'streamsOfAVisitor'>;
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly wakes: Wakes;
  readonly streams: Set<Response>;
}

const KEEP_ALIVE_MS = 15_000;
const RETRY_MS = 1_500;

/** Whose stream it is, and of what. */
export interface Streamed {
  /** By what streams of the same visitor are counted. */
  readonly visitor: string;
  readonly conversationId: string;
  /** Lines that are not stored: what the bot said when the chat was opened. */
  readonly before: readonly LineRow[];
  /** Tells whether the visitor has another conversation now. */
  readonly left: () => Promise<boolean>;
  /** Until when the visitor's sign-in lasts; null where nobody has signed in. */
  readonly until?: Date | null;
}

/** The open streams of each visitor, the oldest first. */
const byVisitor = new Map<string, Response[]>();

/** Notes a stream; when a visitor has too many, the oldest is told that another window has taken over, and goes. */
function addStream(visitor: string, res: Response, most: number): () => void {
  const streams = [...(byVisitor.get(visitor) ?? []), res];
  byVisitor.set(visitor, streams);
  if (streams.length > most) {
    const oldest = streams.shift();
    oldest?.end('event: elsewhere\ndata: {}\n\n');
  }
  return () => {
    const left = (byVisitor.get(visitor) ?? []).filter((r) => r !== res);
    if (left.length > 0) byVisitor.set(visitor, left);
    else byVisitor.delete(visitor);
  };
}

/** The line after which a client wants to go on, from its Last-Event-ID: `conversation:seq`. */
function resumePoint(req: Request, conversationId: string): number {
  const [id, seq] = String(req.headers['last-event-id'] ?? '').split(':');
  const last = Number(seq);
  return id === conversationId && Number.isInteger(last) && last >= 0 ? last : 0;
}

/**
 * Streams the lines of a visitor's conversation until the client goes away: those it has not seen, then each as it
 * comes and is due. Event `line` carries a line, `typing` says that the bot is about to say something, `over` that the
 * conversation was ended and a new one can be opened. No more is read than the client takes.
 */
export async function streamLines(parts: StreamParts, streamed: Streamed, req: Request, res: Response): Promise<void> {
  const { db, clock, wakes, log, streams, limits } = parts;
  const { conversationId } = streamed;
  if (streams.size >= limits.streams)
    throw new HttpProblem('not-ready', 'Too many chats are open at once just now. Try again in a moment.');
  beginEventStream(res, RETRY_MS);
  const removeStream = addStream(streamed.visitor, res, limits.streamsOfAVisitor);
  const pump = new Pump(parts, streamed, resumePoint(req, conversationId), res);
  const go = (fresh: readonly LineRow[] = []): void => {
    pump.run(fresh).catch((error: unknown) => {
      log.warn({ err: error }, 'a chat stream was cut off');
      res.destroy();
    });
  };
  const unlisten = wakes.listen(conversationId, go);
  const silence = wakes.listenForHints(conversationId, (hint) => pump.hint(hint));
  const endAlive = clock.every(KEEP_ALIVE_MS, () => {
    if (!res.writableNeedDrain) res.write(': alive\n\n');
    // Nothing tells of a line whose commit was cut off after it had succeeded, so one stream of each conversation looks for it.
    if (wakes.leads(conversationId, go))
      statement(db, (hot) => lastNumbers(hot, [conversationId])).then(
        (found) => wakes.saw(conversationId, found.get(conversationId) ?? 0),
        (error: unknown) => log.debug({ err: error }, 'new lines could not be looked for'),
      );
  });
  const { until } = streamed;
  const endSignIn = until ? clock.after(Math.max(0, until.getTime() - clock.now().getTime()), () => go()) : () => undefined;
  streams.add(res);
  pump.onDue = go;
  go();
  await new Promise<void>((resolve) => res.on('close', resolve));
  endAlive();
  endSignIn();
  pump.close();
  unlisten();
  silence();
  removeStream();
  streams.delete(res);
}

/** Writes what a stream has not seen yet, one run at a time. */
class Pump {
  onDue: () => void = () => undefined;
  readonly #parts: StreamParts;
  readonly #streamed: Streamed;
  readonly #conversationId: string;
  readonly #res: Response;
  #seen: number;
  #busy = false;
  #again = false;
  #fresh: readonly LineRow[] = [];
  #typing: number | undefined;
  #endWaiting: (() => void) | undefined;

  constructor(parts: StreamParts, streamed: Streamed, seen: number, res: Response) {
    this.#parts = parts;
    this.#streamed = streamed;
    this.#conversationId = streamed.conversationId;
    this.#seen = seen;
    this.#res = res;
  }

  close(): void {
    this.#endWaiting?.();
  }

  /** Sends what there is; `fresh` are lines that need not be read when they follow what the client has. */
  async run(fresh: readonly LineRow[] = []): Promise<void> {
    this.#fresh = fresh;
    this.#again = true;
    if (this.#busy) return;
    this.#busy = true;
    try {
      while (this.#again && this.#open) {
        this.#again = false;
        await this.#send();
      }
    } finally {
      this.#busy = false;
    }
  }

  /** Shows words that are still being written, or what is under way, unless the client is slow: they are only a foretaste. */
  hint(hint: Hint): void {
    if ('made' in hint || !this.#open || this.#res.writableNeedDrain) return;
    if ('typing' in hint) {
      this.#res.write(`event: staff-typing\ndata: ${JSON.stringify({ text: hint.typing })}\n\n`);
      return;
    }
    const [event, text] = 'words' in hint ? ['words', hint.words] : ['doing', hint.doing];
    this.#res.write(`event: ${event}\ndata: ${JSON.stringify({ text })}\n\n`);
  }

  get #open(): boolean {
    return !this.#res.writableEnded && !this.#res.destroyed;
  }

  async #send(): Promise<void> {
    const { clock } = this.#parts;
    const fresh = this.#fresh[0]?.seq === this.#seen + 1 ? this.#fresh : undefined;
    this.#fresh = [];
    const lines = fresh ?? (await this.#behind(this.#seen));
    const { due, next } = dueLines(lines, clock.now());
    if (due.length > 0) await this.#write(due.map((l) => this.#event(l)).join(''));
    this.#seen = due.at(-1)?.seq ?? this.#seen;
    if (next !== null) return this.#waitUntil(next);
    if (lines.length === store.LINES_AT_ONCE) this.#again = true;
    // Woken without a new line: the visitor may have begun another conversation.
    else if (lines.length === 0 && (await this.#streamed.left())) {
      await this.#write('event: over\ndata: {}\n\n');
      this.#res.end();
    }
  }

  /** The lines behind a number: those that are stored, and before anything is, what the bot has opened with. */
  async #behind(seen: number): Promise<readonly LineRow[]> {
    const stored = await store.linesAfter(this.#parts.db, this.#conversationId, seen);
    return stored.length > 0 ? stored : this.#streamed.before.filter((l) => l.seq > seen);
  }

  #event(line: LineRow): string {
    return `event: line\nid: ${this.#conversationId}:${line.seq}\ndata: ${JSON.stringify(lineView(line))}\n\n`;
  }

  /** Shows that the bot is writing, and looks again when its next line is due. */
  async #waitUntil(next: Date): Promise<void> {
    const ms = Math.max(1, next.getTime() - this.#parts.clock.now().getTime());
    this.#endWaiting?.();
    this.#endWaiting = this.#parts.clock.after(ms, () => this.onDue());
    if (this.#typing === next.getTime()) return;
    this.#typing = next.getTime();
    await this.#write(`event: typing\ndata: ${JSON.stringify({ ms })}\n\n`);
  }

  /** Writes and waits until the client has taken it; one that takes nothing for too long is let go. */
  async #write(text: string): Promise<void> {
    if (!this.#open || this.#res.write(text)) return;
    await taken(this.#res, this.#parts.clock);
  }
}
