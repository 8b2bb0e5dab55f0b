import { durationMs } from '../document/shapes.js';
import type { BotDocument } from '../document/schema.js';
import type { Memory } from '../memory/index.js';
import type { IncomingEvent } from './event.js';
import { Turn, type CompiledBot } from './turn.js';
import type { TurnOptions } from './turn-options.js';
import type { Observer, Session, TurnResult, Values, Walking } from './types.js';
import { hear } from './hear.js';
import { askAboutFacts, keepExchange } from './talk/memory.js';
import { walk } from './walk.js';

const DEFAULT_IDLE_MS = 86_400_000;

/** The state of a conversation in which nothing has happened yet. */
export function openSession(bot: CompiledBot, visitor: Values, language?: string, memory?: Memory): Session {
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
    ...(memory ? { memory } : {}),
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
  /** How much may be shown of words that a model is still writing. */
  readonly shows: (text: string) => string;
}

/** The same as `advance`, with a way to look at the turn before it is done. */
export function beginTurn(bot: CompiledBot, session: Session, event: IncomingEvent, options: TurnOptions = {}): RunningTurn {
  // Words after the end, or after the idle time, begin a new conversation: what belonged to the old one is not in it.
  const over = event.type !== 'go-on' && (session.over || wasIdle(session, bot.document, event.at));
  const before = over ? anew(session, over) : session;
  const turn = new Turn(bot, before, event, options);
  return {
    steps: run(turn),
    shows: (text) => turn.sieve?.(text) ?? text,
    soFar: () => {
      turn.stopped = true;
      const result = turn.result();
      turn.stopped = false;
      return result;
    },
  };
}

/** A session without what belonged to the conversation before. */
function anew({ work: _work, facts: _facts, ...session }: Session, over: boolean): Session {
  return { ...session, session: {}, contexts: {}, over };
}

function* run(turn: Turn): Walking<TurnResult> {
  yield* hear(turn);
  const alone = turn.incoming.type === 'start' && turn.incoming.start.only === true;
  if (!alone) {
    yield* walk(turn);
    askAboutFacts(turn);
    keepExchange(turn);
  }
  return turn.result();
}
