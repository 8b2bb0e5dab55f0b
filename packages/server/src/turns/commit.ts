import { manyOf, missedIn, pageOutcome, runResult, spentIn, SUM_AFTER, type MemoryChange, type Session } from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import { formPage } from '../channels/form-page/form-page.js';
import * as columns from '../store/columns.js';
import { addSpending } from '../store/spending.js';
import { insertMissed } from '../store/missed.js';
import { endPageRun, spentInChat, spentMore } from '../store/pages.js';
import { endRun } from '../store/runs.js';
import type { LineRow } from '../store/lines.js';
import { isDuplicate, type Db } from '../store/database.js';
import { transaction, type Hot, type Statement } from '../store/hot.js';
import { changeMemory, REAL_MEMORY } from '../store/memories.js';
import { changeMemoryOfVisitor, changeVariables } from '../store/persons.js';
import { move, type Moved } from '../store/move.js';
import * as store from '../store/turning.js';
import type { LoadedBot } from '../bots/loader.js';
import { dayOfTurn, LostLease, type RanTurn } from './run.js';
import { schedule } from './schedule.js';

export interface TurnToCommit {
  readonly conversationId: string;
  readonly owner: string;
  readonly next: store.NextTurn;
  readonly loaded: LoadedBot;
  readonly ran: RanTurn;
  /** Its lines have to be sent out. */
  readonly pushed: boolean;
  /** What has staff told, where the turn hands over. */
  readonly told: readonly Statement[];
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
  const ends = (i: number) => ran.result.session.over && i === messages.length - 1;
  const lines = messages.map((said, i) => {
    const message = ends(i) ? { ...said, ends: true as const } : said;
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
  const { conversationId, owner, next, loaded, ran, pushed, told } = turn;
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
    state: next.visitor_id === null ? session : withoutVisitor(session),
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
    ...spendingOf(turn),
    ...(ran.journaled ? [store.dropJournal(eventId)] : []),
    ...(rests ? [goOn(next, conversationId, goOnId, at)] : []),
    ...(pushed ? [store.wantMore(conversationId)] : []),
    ...told,
  ];
  return transaction(db, async (hot) => {
    if (next.visitor_id !== null && visitorChanges.length > 0)
      await changeVariables(hot, { botId: loaded.botId, visitorId: next.visitor_id, at }, visitorChanges);
    await changeMemories(hot, turn, at);
    return move(hot, { conversationId, gate, additions });
  });
}

/** What is kept about the visitor stands in rows of its own: the state of a conversation is only what the conversation holds. */
function withoutVisitor({ memory: _memory, ...session }: Session): Session {
  return { ...session, visitor: {} };
}

/** What the turn changed of what is kept about its visitor and under keys, in the same order everywhere, so that nobody waits for each other. */
async function changeMemories(hot: Hot, { conversationId, next, loaded, ran }: TurnToCommit, at: Date): Promise<void> {
  const { memoryChanges } = ran.result;
  const { document } = loaded.bot;
  const { by, after = SUM_AFTER } = document.memory ?? {};
  const keys = [...new Set(memoryChanges.map((c) => c.key))].sort((a, b) => (a ?? '').localeCompare(b ?? ''));
  for (const key of keys) {
    const visitorId = next.visitor_id;
    if (key === null && visitorId === null) continue;
    const changes = memoryChanges.filter((c) => c.key === key).map((c) => saidIn(c.change, conversationId));
    const sums = by === undefined ? {} : { sums: { after, releaseId: loaded.releaseId } };
    const write = { changes, many: manyOf(document), at, ...sums };
    if (key === null) await changeMemoryOfVisitor(hot, { botId: loaded.botId, visitorId: visitorId ?? '' }, write);
    else await changeMemory(hot, { botId: loaded.botId, realm: REAL_MEMORY, of: { key } }, write);
  }
}

/** A fact with the conversation in which it was said. */
function saidIn(change: MemoryChange, conversation: string): MemoryChange {
  return change.op === 'keep' ? { ...change, fact: { ...change.fact, conversation } } : change;
}

/** What agents have spent in the turn, for the limits of a day and of a visitor. */
function spendingOf({ next, loaded, ran }: TurnToCommit): Statement[] {
  const { spent, sheet } = ran.result;
  const day = dayOfTurn(loaded, sheet.heard);
  const { botId } = loaded;
  return Object.entries(spent).map(([agent, sum]) => addSpending({ botId, agent, day }, next.visitor_id, sum));
}

/** What the turn missed of what was said, to be looked at by people. */
function missedOf({ conversationId, next, loaded, ran }: TurnToCommit, at: Date): Statement[] {
  const { sheet, session } = ran.result;
  const missed = next.event_part === 0 ? missedIn(sheet) : undefined;
  if (!missed) return [];
  return [insertMissed({ ...missed, id: next.event_id, botId: loaded.botId, conversationId, language: session.language, at })];
}

/** What a run came to, where the turn is one of a run; of a chat about a result, what it cost its page. */
function runEnd({ conversationId, next, loaded, ran }: TurnToCommit, at: Date): Statement[] {
  const { sheet } = ran.result;
  const begun = sheet.heard.type === 'go-on' ? columns.stateColumn.read(next.state).resting?.event : sheet.heard;
  const { document } = loaded.bot;
  const spent = () => ({ ...spentIn(sheet.effects, document.models), day: dayOfTurn(loaded, sheet.heard) });
  if (begun?.type !== 'fired') {
    if (next.channel_kind !== formPage.kind || next.channel_id === null) return [];
    const { day, ...sum } = spent();
    return spentInChat({ channelId: next.channel_id, botId: loaded.botId, day }, sum);
  }
  const came = runResult(document, begun.flow, ran.result);
  const over = came.outcome === 'running' ? [] : [endRun(conversationId, came, at)];
  if (begun.page === undefined) return over;
  if (over.length === 0) return spentMore(conversationId, spent());
  return [...over, ...endPageRun(conversationId, { ...pageOutcome(document, begun.flow, begun.part, ran.result), ...spent() })];
}

/** What a turn that rests goes on with: before anything that came in meanwhile, as it is a part of the same event. */
function goOn(next: store.NextTurn, conversationId: string, id: string, at: Date): Statement {
  const part = next.event_part + 1;
  const externalId = `${next.event_id.slice(0, 36)} go-on ${part}`;
  const event = { type: 'go-on', at: at.toISOString() } as const;
  return store.insertEvent({ id, conversationId, source: next.event_source, externalId, seq: next.event_seq, part, event, at });
}
