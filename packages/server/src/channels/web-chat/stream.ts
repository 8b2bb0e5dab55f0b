import type { Request, Response } from 'express';
import type { Parts } from '../../http/app.js';
import { lineView } from '../../http/views.js';
import * as store from '../../store/conversations.js';

const KEEP_ALIVE_MS = 15_000;
const LOOK_AGAIN_MS = 5_000;
const RETRY_MS = 1_500;
const PAGE = 200;

/** The line after which a client wants to go on, from its Last-Event-ID: `conversation:seq`. */
function resumePoint(req: Request, conversationId: string): number {
  const [id, seq] = String(req.headers['last-event-id'] ?? '').split(':');
  const last = Number(seq);
  return id === conversationId && Number.isInteger(last) && last >= 0 ? last : 0;
}

/**
 * Streams the lines of a visitor's conversation until the client goes away: those it has not seen, then each as it
 * comes. Event `line` carries a line, `over` says that the conversation was ended and a new one can be opened.
 * A client that does not read is cut off when its socket's buffer is full.
 */
export async function streamLines(parts: Parts, visitor: store.VisitorRow, req: Request, res: Response): Promise<void> {
  const { db, wakes, log, streams } = parts;
  const conversationId = visitor.conversation_id ?? '';
  let seen = resumePoint(req, conversationId);
  let busy = false;
  let again = false;
  res.writeHead(200, {
    'content-type': 'text/event-stream; charset=utf-8',
    'cache-control': 'no-cache, no-transform',
    'x-accel-buffering': 'no',
  });
  res.write(`retry: ${RETRY_MS}\n\n`);

  const write = (text: string): void => {
    if (!res.write(text) && res.writableLength > 1_000_000) res.destroy();
  };
  const send = async (): Promise<void> => {
    const lines = await store.linesAfter(db, conversationId, seen, PAGE);
    for (const line of lines) {
      write(`event: line\nid: ${conversationId}:${line.seq}\ndata: ${JSON.stringify(lineView(line))}\n\n`);
      seen = line.seq;
    }
    if (lines.length === PAGE) again = true;
    const conversation = await store.findConversation(db, conversationId);
    const current = await db('visitors')
      .where({ id: visitor.id })
      .first<{ conversation_id: string } | undefined>('conversation_id');
    if (!conversation || (current && current.conversation_id !== conversationId)) {
      write('event: over\ndata: {}\n\n');
      res.end();
    }
  };
  const pump = (): void => {
    again = true;
    if (busy) return;
    busy = true;
    void (async () => {
      while (again && !res.writableEnded && !res.destroyed) {
        again = false;
        await send();
      }
    })()
      .catch((error: unknown) => {
        log.warn({ err: error }, 'a chat stream was cut off');
        res.destroy();
      })
      .finally(() => {
        busy = false;
      });
  };
  const unlisten = wakes.listen(conversationId, pump);
  const alive = setInterval(() => write(': alive\n\n'), KEEP_ALIVE_MS);
  const look = setInterval(pump, LOOK_AGAIN_MS);
  streams.add(res);
  pump();
  await new Promise<void>((resolve) => res.on('close', resolve));
  clearInterval(alive);
  clearInterval(look);
  unlisten();
  streams.delete(res);
}
