import { newId, type Clock } from '../base/clock.js';
import type { LineRow } from '../store/lines.js';
import type { Db } from '../store/database.js';
import { transaction } from '../store/hot.js';
import * as store from '../store/turning.js';
import type { LoadedBot } from '../bots/loader.js';
import { LostLease, type RanTurn } from './run.js';
import { schedule } from './schedule.js';

export interface TurnToCommit {
  readonly conversationId: string;
  readonly owner: string;
  readonly next: store.NextTurn;
  readonly loaded: LoadedBot;
  readonly ran: RanTurn;
  /** Its lines have to be sent out. */
  readonly pushed: boolean;
}

export interface TurnCommitted {
  /** True when another event waits; else the conversation was given back. */
  readonly more: boolean;
  /** The lines that were stored now. */
  readonly lines: readonly LineRow[];
}

/**
 * Step 4 of a turn: one transaction for state, visitor's variables, messages, turn sheet, the event itself, and what wakes the
 * next step: the part with which a turn that rests goes on, and what is to be sent. Throws LostLease when the conversation
 * moved on meanwhile; nothing is stored then.
 */
export async function commitTurn(db: Db, clock: Clock, turn: TurnToCommit): Promise<TurnCommitted> {
  const { conversationId, owner, next, loaded, ran } = turn;
  const { result, timings, ms } = ran;
  const at = clock.now();
  const messages = result.messages.slice(ran.said);
  const { due, last } = schedule(messages, at, ran.dueAt);
  const lines = messages.map((message, i) => {
    return { position: ran.said + i, who: 'bot', message, dueAt: due[i] ?? null } as const;
  });
  return transaction(db, async (hot) => {
    const stored = await store.commitState(hot, {
      id: conversationId,
      version: next.version,
      owner,
      eventSeq: next.event_seq,
      eventPart: next.event_part,
      rests: result.rests,
      lines: lines.length,
      state: result.session,
      releaseBefore: next.release_id,
      releaseId: loaded.releaseId,
      endedAt: result.session.over ? at : null,
      dueAt: last,
    });
    if (!stored) throw new LostLease();
    const written = await store.insertLines(hot, conversationId, next.event_id, stored.first, lines, at);
    if (next.visitor_id !== null && result.visitorChanges.length > 0)
      await store.changeVisitor(hot, next.visitor_id, result.visitorChanges);
    await store.insertTurn(hot, {
      conversationId,
      eventId: next.event_id,
      releaseId: loaded.releaseId,
      revision: loaded.revision,
      sheet: result.sheet,
      timings,
      ms,
      at,
    });
    if (ran.journaled) await store.dropJournal(hot, next.event_id);
    if (result.rests) await store.insertEvent(hot, goOn(next, turn.conversationId, newId(clock), at));
    if (turn.pushed) await store.wantMore(hot, conversationId);
    return { more: stored.more, lines: written };
  });
}

/** What a turn that rests goes on with: before anything that came in meanwhile, as it is a part of the same event. */
function goOn(next: store.NextTurn, conversationId: string, id: string, at: Date): Parameters<typeof store.insertEvent>[1] {
  const part = next.event_part + 1;
  const externalId = `${next.event_id.slice(0, 36)} go-on ${part}`;
  const event = { type: 'go-on', at: at.toISOString() } as const;
  return { id, conversationId, source: next.event_source, externalId, seq: next.event_seq, part, event, at };
}
