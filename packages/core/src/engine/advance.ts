import { durationMs } from '../document/shapes.js';
import type { BotDocument } from '../document/schema.js';
import type { IncomingEvent } from './event.js';
import { Turn, type CompiledBot, type TurnOptions } from './turn.js';
import type { Observer, Session, TurnResult, Values, Walking } from './types.js';
import { hear } from './hear.js';
import { walk } from './walk.js';

const DEFAULT_IDLE_MS = 86_400_000;

/** The state of a conversation in which nothing has happened yet. */
export function openSession(bot: CompiledBot, visitor: Values, language?: string): Session {
  const { languages } = bot.document;
  const wanted = language?.toLowerCase();
  const own = languages.find((l) => l.toLowerCase() === wanted) ?? languages.find((l) => l === wanted?.split('-')[0]);
  return {
    language: own ?? languages[0] ?? 'en',
    frames: [],
    session: {},
    visitor,
    wordings: {},
    turns: 0,
    waiting: null,
    over: false,
    at: null,
  };
}

/** The node that waits for the visitor; null where none does. */
export function waitingAt({ waiting, frames }: Session): { readonly flow: string; readonly node: string } | null {
  const frame = waiting ? frames.at(-1) : undefined;
  return frame ? { flow: frame.flow, node: frame.node } : null;
}

/** True when nothing was said for the bot's idle time: what comes at `at` (ISO 8601) begins a new conversation. */
export function wasIdle(session: Session, document: BotDocument, at: string): boolean {
  if (session.at === null) return false;
  const idle = document.idle === undefined ? DEFAULT_IDLE_MS : durationMs(document.idle);
  return Date.parse(at) - Date.parse(session.at) > idle;
}

/**
 * Runs one turn. Yields batches of effects and is resumed with their results as they come; returns the new state,
 * what was said and the turn sheet. It performs nothing and asks no clock: the same bot, session, event and results in
 * the same order give the same turn. It throws on nothing that a document or a visitor can contain.
 */
export function advance(bot: CompiledBot, session: Session, event: IncomingEvent, observe?: Observer): Walking<TurnResult> {
  return beginTurn(bot, session, event, observe ? { observe } : {}).steps;
}

/** A turn under way. `soFar` is what it came to until now, marked as stopped: for showing it, and for keeping one that is cut short. */
export interface RunningTurn {
  readonly steps: Walking<TurnResult>;
  readonly soFar: () => TurnResult;
}

/** The same as `advance`, with a way to look at the turn before it is done. */
export function beginTurn(bot: CompiledBot, session: Session, event: IncomingEvent, options: TurnOptions = {}): RunningTurn {
  // Words after the end, or after the idle time, begin a new conversation: what belonged to the old one is not in it.
  const over = event.type !== 'go-on' && (session.over || wasIdle(session, bot.document, event.at));
  const before = over ? { ...session, session: {}, contexts: {}, over } : session;
  const turn = new Turn(bot, before, event, options);
  return {
    steps: run(turn),
    soFar: () => {
      turn.stopped = true;
      const result = turn.result();
      turn.stopped = false;
      return result;
    },
  };
}

function* run(turn: Turn): Walking<TurnResult> {
  yield* hear(turn);
  const alone = turn.incoming.type === 'start' && turn.incoming.start.only === true;
  if (!alone) yield* walk(turn);
  return turn.result();
}
