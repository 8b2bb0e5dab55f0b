import {
  advance,
  type Compute,
  type Effect,
  type EffectBatch,
  type IncomingEvent,
  type Session,
  type TurnResult,
} from '@primrose/core';
import type { Clock } from '../clock.js';
import type { OnWords, PerformModel } from '../outside/chat-completions.js';
import type { PerformAction } from '../outside/http-action.js';
import { createReach } from '../outside/reach.js';
import type { Secrets } from '../outside/secrets.js';
import { isDuplicate, type Db } from '../store/database.js';
import { statement, transaction } from '../store/hot.js';
import { insertLines, noteChange, noteResult, takeNumbers, type JournalEntry } from '../store/turning.js';
import type { LoadedBot } from './bots.js';
import { Effects } from './effects.js';
import { schedule } from './schedule.js';
import { StopWatch, type Timing } from './stop-watch.js';

/** Another runner has taken the conversation over, so this one's turn must not go on. */
export class LostLease extends Error {}

export interface RanTurn {
  readonly result: TurnResult;
  /** One per step of the sheet's path, in ms from the turn's beginning. */
  readonly timings: readonly Timing[];
  readonly ms: number;
  /** How many of the messages are stored already. */
  readonly said: number;
  /** When the last stored line is due; null for at once. */
  readonly dueAt: Date | null;
  readonly journaled: boolean;
}

export interface RunInput {
  readonly loaded: LoadedBot;
  readonly session: Session;
  readonly event: IncomingEvent;
  readonly eventId: string;
  readonly conversationId: string;
  readonly owner: string;
  readonly journal: readonly JournalEntry[];
  readonly dueAt: Date | null;
  /** Called after messages were stored in mid-turn, so that they go out before the wait. */
  readonly onSaid: () => void;
  readonly onWords: OnWords;
  readonly compute: Compute;
}

export interface RunnerParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly action: PerformAction;
  readonly model: PerformModel;
}

export type RunTurn = (input: RunInput) => Promise<RanTurn>;

/**
 * Step 3 of a turn: drives the engine and performs its effects. A change is noted before and after, a reading after;
 * what was said before effects is stored together with the note. Throws LostLease when the conversation is not ours.
 */
export function createRunner({ db, clock, secrets, action, model }: RunnerParts): RunTurn {
  return async (input) => {
    const { loaded, session, event, eventId, journal } = input;
    const watch = new StopWatch(clock);
    const turn = advance(loaded.bot, session, event, watch.observe);
    const { version } = loaded;
    const effects = new Effects({
      action,
      model,
      compute: input.compute,
      onWords: input.onWords,
      eventId,
      journal,
      reach: createReach(db, secrets, loaded.botId, loaded.bot.document),
      note: (request, result, seq) =>
        statement(db, (hot) => noteResult(hot, { eventId, path: request.path, version, seq, request, result })),
    });
    let stored = { said: 0, dueAt: input.dueAt };
    let journaled = journal.length > 0;
    try {
      let next = turn.next();
      while (!next.done) {
        const batch = next.value;
        const changes = batch.effects.filter((e) => e.type === 'action' && e.changes && effects.isNew(e));
        if (batch.said.length > 0 || changes.length > 0) stored = await storeBefore(db, clock, input, batch, changes, stored);
        journaled ||= batch.effects.some((e) => e.type !== 'understand' && e.type !== 'lookup');
        effects.begin(batch.effects);
        next = turn.next([await effects.next()]);
      }
      const result = next.value;
      return { result, timings: watch.timings(result.sheet), ms: watch.ms(), journaled, ...stored };
    } finally {
      effects.end();
    }
  };
}

type Stored = Pick<RanTurn, 'said' | 'dueAt'>;

/** One transaction before a batch of effects: what was said up to here, and the changes that are about to be made. */
async function storeBefore(
  db: Db,
  clock: Clock,
  input: RunInput,
  { said }: EffectBatch,
  changes: readonly Effect[],
  before: Stored,
): Promise<Stored> {
  const { conversationId, eventId, owner, loaded } = input;
  const now = clock.now();
  const { due, last } = schedule(said, now, before.dueAt);
  const lines = said.map((message, i) => ({ position: before.said + i, who: 'bot', message, dueAt: due[i] ?? null }) as const);
  try {
    await transaction(db, async (hot) => {
      const first = await takeNumbers(hot, conversationId, owner, lines.length, last);
      if (first === undefined) throw new LostLease();
      await insertLines(hot, conversationId, eventId, first, lines, now);
      for (const request of changes) await noteChange(hot, { eventId, path: request.path, version: loaded.version, request });
    });
  } catch (error) {
    if (isDuplicate(error)) throw new LostLease();
    throw error;
  }
  if (said.length > 0) input.onSaid();
  return { said: before.said + said.length, dueAt: last };
}
