import { missedIn, runResult } from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import * as columns from '../store/columns.js';
import { insertMissed } from '../store/missed.js';
import { endRun } from '../store/runs.js';
import type { LineRow } from '../store/lines.js';
import { isDuplicate, type Db } from '../store/database.js';
import { transaction, type Statement } from '../store/hot.js';
import { move, type Moved } from '../store/move.js';
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
  const { conversationId, next, ran } = turn;
  const at = clock.now();
  const messages = ran.result.messages.slice(ran.said);
  const { due, last } = schedule(messages, at, ran.dueAt);
  const lines = messages.map((message, i) => {
    return { position: ran.said + i, who: 'bot', message, dueAt: due[i] ?? null } as const;
  });
  const goOnId = newId(clock);
  const commit = (again: boolean) => storeTurn(db, turn, { lines, at, dueAt: last, again, goOnId });
  // Lines that an earlier try has stored are rare, so they are found by the way they fail.
  let again = false;
  const moved = await commit(again).catch((error: unknown) => {
    if (!isDuplicate(error)) throw error;
    return commit((again = true));
  });
  if (!moved) throw new LostLease();
  const more = moved.newest > store.lastDone({ eventSeq: next.event_seq, rests: ran.result.rests });
  return { more, lines: again ? [] : store.linesOf(conversationId, lines, at, moved) };
}

interface ToStore {
  readonly lines: readonly store.NewLine[];
  readonly at: Date;
  /** When the last line is due. */
  readonly dueAt: Date | null;
  /** Some of the lines may be there already. */
  readonly again: boolean;
  readonly goOnId: string;
}

function storeTurn(db: Db, turn: TurnToCommit, { lines, at, dueAt, again, goOnId }: ToStore): Promise<Moved | undefined> {
  const { conversationId, owner, next, loaded, ran, pushed } = turn;
  const { rests, session, sheet, visitorChanges } = ran.result;
  const { releaseId, revision } = loaded;
  const eventId = next.event_id;
  const gate = store.commitState({
    id: conversationId,
    version: next.version,
    owner,
    eventSeq: next.event_seq,
    eventPart: next.event_part,
    rests,
    lines: lines.length,
    state: session,
    releaseBefore: next.release_id,
    releaseId,
    endedAt: session.over ? at : null,
    dueAt,
  });
  const additions = [
    ...(lines.length > 0 ? [store.insertLines(conversationId, eventId, lines, { at, again })] : []),
    store.insertTurn({ conversationId, eventId, releaseId, revision, sheet, timings: ran.timings, ms: ran.ms, at }),
    ...missedOf(turn, at),
    ...runEnd(turn, at),
    ...(ran.journaled ? [store.dropJournal(eventId)] : []),
    ...(rests ? [goOn(next, conversationId, goOnId, at)] : []),
    ...(pushed ? [store.wantMore(conversationId)] : []),
  ];
  return transaction(db, async (hot) => {
    if (next.visitor_id !== null && visitorChanges.length > 0) await store.changeVisitor(hot, next.visitor_id, visitorChanges);
    return move(hot, { conversationId, gate, additions });
  });
}

/** What the turn missed of what was said, to be looked at by people. */
function missedOf({ conversationId, next, loaded, ran }: TurnToCommit, at: Date): Statement[] {
  const { sheet, session } = ran.result;
  const missed = next.event_part === 0 ? missedIn(sheet) : undefined;
  if (!missed) return [];
  return [insertMissed({ ...missed, id: next.event_id, botId: loaded.botId, conversationId, language: session.language, at })];
}

/** What a run came to, where the turn is one of a run. */
function runEnd({ conversationId, next, loaded, ran }: TurnToCommit, at: Date): Statement[] {
  const { sheet } = ran.result;
  const begun = sheet.heard.type === 'go-on' ? columns.stateColumn.read(next.state).resting?.event : sheet.heard;
  if (begun?.type !== 'fired') return [];
  const came = runResult(loaded.bot.document, begun.flow, ran.result);
  return came.outcome === 'running' ? [] : [endRun(conversationId, came, at)];
}

/** What a turn that rests goes on with: before anything that came in meanwhile, as it is a part of the same event. */
function goOn(next: store.NextTurn, conversationId: string, id: string, at: Date): Statement {
  const part = next.event_part + 1;
  const externalId = `${next.event_id.slice(0, 36)} go-on ${part}`;
  const event = { type: 'go-on', at: at.toISOString() } as const;
  return store.insertEvent({ id, conversationId, source: next.event_source, externalId, seq: next.event_seq, part, event, at });
}
