import {
  beginTurn,
  drive,
  everyPerformer,
  noSample,
  NOTHING_SPENT,
  PAUSE,
  performWith,
  practiceSignIn,
  sampleFor,
  storedRequest,
  typeOf,
  type Effect,
  type IncomingEvent,
  type Mind,
  type Noted,
  type Performers,
  type Result,
  type Session,
  type StepEffect,
  type TurnResult,
} from '@primrose/core';
import type { LiveEvent, OutsideMode } from '@primrose/contract';
import type { Clock } from '../base/clock.js';
import type { LoadedBot } from '../bots/loader.js';
import type { PerformModel } from '../outside/chat-completions.js';
import type { PerformDraw } from '../outside/drawing.js';
import type { PerformAction } from '../outside/http-action.js';
import type { PerformMcp } from '../outside/mcp.js';
import type { FindReach } from '../outside/reach.js';
import { createPerformers } from '../turns/performers.js';
import { StopWatch, type Timing } from '../turns/stop-watch.js';

/** How the calls of a simulated turn are answered. */
export interface Outside {
  /** Where the calls of a connection go. */
  readonly mode: (connection: string) => OutsideMode;
  readonly standIn: FindReach;
  readonly real: FindReach;
  /** Works on the rows of the simulation, practice rows unless somebody has said otherwise. */
  readonly table: Performers['table'];
  readonly notice: Performers['notice'];
  readonly recall: Performers['recall'];
  readonly draw: PerformDraw;
  /** Samples that answer before all others. */
  readonly samples: readonly string[];
  /** Results that are known already, from a turn that is repeated; they go before everything. */
  readonly recorded?: (effect: Effect) => Result | undefined;
}

export interface SimulationInput {
  readonly loaded: LoadedBot;
  readonly session: Session;
  readonly event: IncomingEvent;
  readonly turnId: string;
  readonly mind: Mind;
  readonly outside: Outside;
  /** Ask for a step before each node, and pause there unless it is told to run on. */
  readonly stepping: boolean;
  readonly runsOn?: boolean;
  /** Results of an earlier part of the same turn, in the order in which they came. */
  readonly results: readonly Noted[];
  readonly tell: (event: LiveEvent) => void;
  /** Resolves when somebody stops the turn; never, where nobody does. */
  readonly stopped: Promise<void>;
}

export interface Simulated {
  readonly result: TurnResult;
  readonly timings: readonly Timing[];
  readonly ms: number;
  /** Which sample answered a call, by the call's path. */
  readonly samples: Readonly<Record<string, string>>;
  /** Set where the turn pauses before a node; `results` lets it go on from there. */
  readonly pausedAt?: StepEffect;
  readonly results: readonly Noted[];
}

type ShownRequest = Extract<LiveEvent, { readonly event: 'call' }>['request'];

export interface SimulatorParts {
  readonly clock: Clock;
  readonly action: PerformAction;
  readonly model: PerformModel;
  readonly mcp: PerformMcp;
}

/**
 * Runs one turn of a simulation: like a real one, but nothing of it is journaled, its calls go where the simulation says,
 * and it can be told while it happens, stopped, and paused before each node. What is stopped or paused comes back as far
 * as it came. A paused turn is run again from its beginning with the results it had, which gives the same up to there.
 */
export async function simulateTurn(parts: SimulatorParts, input: SimulationInput): Promise<Simulated> {
  const { loaded, session, event, stepping, tell, stopped } = input;
  const watch = new StopWatch(parts.clock);
  const samples: Record<string, string> = {};
  const results: Noted[] = [...input.results];
  const turn = beginTurn(loaded.bot, session, event, {
    stepping,
    work: (place, item) => tell({ event: 'work', place, item }),
    observe: (place, phase, step) => {
      watch.observe(place, phase);
      tell({ event: 'step', phase, at: watch.ms(), step });
    },
  });
  const control = new AbortController();
  void stopped.then(() => control.abort());
  const { performers, end } = simulatedPerformers(parts, input, {
    watch,
    used: samples,
    stop: control.signal,
    shows: turn.shows,
  });
  const driven = await drive(turn, {
    performers: watch.over(performers),
    noted: input.results,
    before: ({ said, doing }) => {
      if (doing !== undefined) tell({ event: 'doing', text: doing });
      if (said.length > 0) tell({ event: 'said', messages: said });
    },
    note: (request, result, seq) => {
      results.push({ path: request.path, result, seq });
      return Promise.resolve();
    },
    stopped,
    end,
  });
  const { result } = driven;
  const pausedAt = driven.as === 'paused' && driven.at.type === 'step' ? { pausedAt: driven.at } : {};
  return { result, timings: watch.timings(result.sheet), ms: watch.ms(), samples, results, ...pausedAt };
}

/** What a simulated turn is performed with besides its parts. */
interface Simulating {
  readonly watch: StopWatch;
  /** Which samples answered, by the path of the call. */
  readonly used: Record<string, string>;
  readonly stop: AbortSignal;
  readonly shows: (text: string) => string;
}

/** Calls of the turn: from samples, at the stand-in, or for real; and a pause before each node that was not passed yet. */
function simulatedPerformers(
  { clock, action, model, mcp }: SimulatorParts,
  { loaded, outside, tell, mind, turnId, runsOn = false }: SimulationInput,
  { watch, used, stop, shows }: Simulating,
): { performers: Performers; end: () => void } {
  const real = createPerformers({
    clock,
    mind,
    turnId,
    action,
    mcp,
    model: (effect, reach) =>
      model(effect, reach, (text) => tell({ event: 'words', path: effect.path, text: effect.aloud ? shows(text) : text }), stop),
    stop,
    onWords: () => undefined,
    spent: () => ({ outcome: 'counted', visitor: NOTHING_SPENT, day: NOTHING_SPENT }),
    table: outside.table,
    notice: outside.notice,
    signIn: (effect) => Promise.resolve(practiceSignIn(effect)),
    recall: outside.recall,
    draw: outside.draw,
    reach: (connection) => (outside.mode(connection) === 'real' ? outside.real(connection) : outside.standIn(connection)),
  });
  const kept = (effect: Effect, connection: string): Result | undefined => {
    const again = outside.recorded?.(effect);
    if (again || outside.mode(connection) !== 'samples') return again;
    const found = sampleFor(loaded.bot.document.samples ?? {}, effect, [outside.samples]);
    if (found) used[effect.path] = found.sample;
    return found?.result ?? noSample(effect);
  };
  /** What goes outside is told before and after, whoever answers it. */
  const told = async (effect: Effect, connection: string): Promise<Result> => {
    tell({ event: 'call', at: watch.ms(), request: storedRequest(effect) as ShownRequest });
    const result = kept(effect, connection) ?? (await performWith(real.performers, effect));
    const sample = used[effect.path];
    const name = sample === undefined ? {} : { sample };
    tell({ event: 'came', at: watch.ms(), path: effect.path, outcome: result.outcome, ...name });
    return result;
  };
  const outgoing = everyPerformer((effect) => {
    const connection = typeOf(effect).connection(effect);
    return connection === undefined ? performWith(real.performers, effect) : told(effect, connection);
  });
  const step = () => (runsOn ? ({ outcome: 'go-on' } as const) : PAUSE);
  return { performers: { ...outgoing, ...mind, step }, end: real.end };
}
