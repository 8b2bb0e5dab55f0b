import {
  beginTurn,
  drive,
  localMoment,
  storedRequest,
  typeOf,
  type Effect,
  type EffectBatch,
  type IncomingEvent,
  type Mind,
  type Noted,
  type Session,
  type TurnResult,
} from '@primrose/core';
import type { Clock } from '../base/clock.js';
import type { LoadedBot } from '../bots/loader.js';
import type { OnWords, PerformModel } from '../outside/chat-completions.js';
import type { PerformAction } from '../outside/http-action.js';
import { spendingOn } from '../store/spending.js';
import type { Files } from '../files/files.js';
import type { AskDrawing } from '../outside/drawing.js';
import type { PerformMcp } from '../outside/mcp.js';
import type { Notices } from '../channels/notices.js';
import { createReach } from '../outside/reach.js';
import type { Secrets } from '../outside/secrets.js';
import { isDuplicate, type Db } from '../store/database.js';
import { statement, transaction } from '../store/hot.js';
import { memoryAt, REAL_MEMORY } from '../store/memories.js';
import { move } from '../store/move.js';
import { REAL } from '../store/tables.js';
import { insertLines, noteChange, noteResult, takeNumbers, wantMore } from '../store/turning.js';
import type { Tables } from '../tables/tables.js';
import { createPerformers } from './performers.js';
import { schedule } from './schedule.js';
import type { Made } from './wakes.js';
import type { PerformSignIn } from '../visitors/in-talk.js';
import { MakingWatch } from './making-watch.js';
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
  /** Who speaks; null where nobody in particular does. */
  readonly visitorId: string | null;
  /** Null for a run that no conversation began. */
  readonly channelId: string | null;
  readonly owner: string;
  readonly journal: readonly Noted[];
  readonly dueAt: Date | null;
  /** Its lines have to be sent out. */
  readonly pushed: boolean;
  /** Called after messages were stored in mid-turn, so that they go out before the wait. */
  readonly onSaid: () => void;
  readonly onWords: OnWords;
  /** Told what is under way, in words for the visitor. */
  readonly onDoing: (text: string) => void;
  /** Told what becomes of a page that is filled in, as it does. */
  readonly onMade: (made: Made) => void;
  /** Somebody stopped the turn. */
  readonly stop: AbortSignal;
  readonly mind: Mind;
  /** The version of the bot that the journal keeps. */
  readonly version: string;
}

export interface RunnerParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly action: PerformAction;
  readonly model: PerformModel;
  readonly mcp: PerformMcp;
  readonly tables: Tables;
  readonly notices: Notices;
  readonly files: Files;
  readonly drawing: AskDrawing;
  readonly signIn: PerformSignIn;
}

export type RunTurn = (input: RunInput) => Promise<RanTurn>;

/**
 * Step 3 of a turn: drives the engine and performs its effects. A change is noted before and after, a reading after;
 * what was said before effects is stored together with the note. Throws LostLease when the conversation is not ours.
 */
export function createRunner(parts: RunnerParts): RunTurn {
  const { db, clock, secrets, action, model, mcp, tables, notices, files, drawing, signIn } = parts;
  return async (input) => {
    const { loaded, session, event, eventId, journal, mind, onWords, version } = input;
    const watch = new StopWatch(clock);
    const reach = createReach(db, secrets, loaded.botId, loaded.bot.document);
    const making = isOfPage(event, session) ? new MakingWatch(loaded.bot.document, input.onMade) : undefined;
    const turn = beginTurn(loaded.bot, session, event, {
      observe: making ? (place, phase, step) => (watch.observe(place, phase), making.observe(place, phase, step)) : watch.observe,
      rests: (asked) => asked,
      ...(making ? { wrote: making.wrote } : {}),
    });
    const { performers, end } = createPerformers({
      clock,
      action,
      model: async (effect, ...rest) => model(await files.filled(effect), ...rest),
      draw: files.drawn(drawing, {
        botId: loaded.botId,
        realm: '',
        visitorId: input.visitorId,
        conversationId: input.conversationId,
        owner: null,
      }),
      mcp,
      mind,
      reach,
      stop: input.stop,
      // What an agent writes is shown as far as it has been checked.
      onWords: (text) => onWords(turn.shows(text)),
      ...(making ? { wordsOf: making.wordsOf } : {}),
      turnId: eventId,
      table: (effect) =>
        tables.perform(effect, {
          botId: loaded.botId,
          document: loaded.bot.document,
          realm: REAL,
          ...(effect.does === 'find' ? {} : { origin: `${eventId}/${effect.path}` }),
          writer: { by: loaded.bot.document.name, in: { conversation: input.conversationId, turn: session.turns + 1 } },
          visitor: input.visitorId,
        }),
      notice: (effect) => {
        const { conversationId } = input;
        return notices.queue(effect, { botId: loaded.botId, origin: `${eventId}/${effect.path}`, conversationId });
      },
      signIn: (effect) => {
        const { conversationId, channelId, visitorId } = input;
        return signIn(effect, { botId: loaded.botId, conversationId, channelId, visitorId });
      },
      recall: async ({ key }) => {
        const place = { botId: loaded.botId, realm: REAL_MEMORY, of: { key } };
        return { outcome: 'recalled', memory: await statement(db, (hot) => memoryAt(hot, place)) };
      },
      spent: async ({ agent }) => {
        const day = dayOfTurn(loaded, event);
        const came = await statement(db, (hot) => spendingOn(hot, { botId: loaded.botId, agent, day }, input.visitorId));
        return { outcome: 'counted', ...came };
      },
    });
    let stored = { said: 0, dueAt: input.dueAt };
    let journaled = journal.length > 0;
    const driven = await drive(turn, {
      performers: watch.over(performers),
      noted: journal,
      before: async (batch, toNote) => {
        if (batch.doing !== undefined) input.onDoing(batch.doing);
        journaled ||= batch.effects.some((e) => typeOf(e).journaled(e) !== 'never');
        if (batch.said.length > 0 || toNote.length > 0) stored = await storeBefore(db, clock, input, batch, toNote, stored);
      },
      note: (request, result, seq) => {
        const row = { eventId, path: request.path, version, seq, request: storedRequest(request), result };
        return statement(db, (hot) => noteResult(hot, row));
      },
      end,
    });
    if (driven.as !== 'done') throw new Error('a real turn neither pauses nor is stopped');
    const { result } = driven;
    return { result, timings: watch.timings(result.sheet), ms: watch.ms(), journaled, ...stored };
  };
}

/** True for what a page that was filled in has set off. */
function isOfPage(event: IncomingEvent, { resting }: Session): boolean {
  const begun = event.type === 'go-on' ? resting?.event : event;
  return begun?.type === 'fired' && begun.page !== undefined;
}

/** The day of a turn in the bot's time zone: by it limits of agents count. */
export function dayOfTurn(loaded: LoadedBot, event: IncomingEvent): string {
  return localMoment(event.at, loaded.bot.document.zone).date;
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
  const { conversationId, eventId, owner, version } = input;
  const now = clock.now();
  const { due, last } = schedule(said, now, before.dueAt);
  const lines = said.map((message, i) => ({ position: before.said + i, who: 'bot', message, dueAt: due[i] ?? null }) as const);
  const gate = takeNumbers(conversationId, owner, lines.length, last);
  const additions = [
    ...(lines.length > 0 ? [insertLines(conversationId, eventId, lines, { at: now, again: true })] : []),
    ...(input.pushed && lines.length > 0 ? [wantMore(conversationId)] : []),
    ...changes.map((e) => noteChange({ eventId, path: e.path, version, request: storedRequest(e) })),
  ];
  try {
    const moved = await transaction(db, (hot) => move(hot, { conversationId, gate, additions }));
    if (!moved) throw new LostLease();
  } catch (error) {
    if (isDuplicate(error)) throw new LostLease();
    throw error;
  }
  if (said.length > 0) input.onSaid();
  return { said: before.said + said.length, dueAt: last };
}
