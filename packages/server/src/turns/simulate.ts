import {
  beginTurn,
  noSample,
  sampleFor,
  type ActionEffect,
  type Completed,
  type Compute,
  type Effect,
  type IncomingEvent,
  type ModelEffect,
  type Performed,
  type RunningTurn,
  type Session,
  type StepEffect,
  type TurnResult,
} from '@primrose/core';
import type { LiveEvent, OutsideMode } from '@primrose/contract';
import type { Clock } from '../clock.js';
import type { PerformModel } from '../outside/chat-completions.js';
import type { PerformAction } from '../outside/http-action.js';
import type { FindReach } from '../outside/reach.js';
import type { JournalEntry } from '../store/turning.js';
import type { LoadedBot } from './bots.js';
import { Effects } from './effects.js';
import { StopWatch, type Timing } from './stop-watch.js';

/** How the calls of a simulated turn are answered. */
export interface Outside {
  /** Where the calls of a connection go. */
  readonly mode: (connection: string) => OutsideMode;
  readonly standIn: FindReach;
  readonly real: FindReach;
  /** Samples that answer before all others. */
  readonly samples: readonly string[];
  /** Results that are known already, from a turn that is repeated; they go before everything. */
  readonly recorded?: (effect: ActionEffect | ModelEffect) => Completed['result'] | undefined;
}

export interface SimulationInput {
  readonly loaded: LoadedBot;
  readonly session: Session;
  readonly event: IncomingEvent;
  readonly turnId: string;
  readonly compute: Compute;
  readonly outside: Outside;
  /** Ask for a step before each node, and pause there unless it is told to run on. */
  readonly stepping: boolean;
  readonly runsOn?: boolean;
  /** Results of an earlier part of the same turn, in the order in which they came. */
  readonly results: readonly JournalEntry[];
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
  readonly results: readonly JournalEntry[];
}

export interface SimulatorParts {
  readonly clock: Clock;
  readonly action: PerformAction;
  readonly model: PerformModel;
}

const STOPPED = Symbol('stopped');

/**
 * Runs one turn of a simulation: like a real one, but nothing of it is journaled, its calls go where the simulation says,
 * and it can be told while it happens, stopped, and paused before each node. What is stopped or paused comes back as far
 * as it came. A paused turn is run again from its beginning with the results it had, which gives the same up to there.
 */
export async function simulateTurn(parts: SimulatorParts, input: SimulationInput): Promise<Simulated> {
  const { clock } = parts;
  const { loaded, session, event, stepping, tell } = input;
  const watch = new StopWatch(clock);
  const samples: Record<string, string> = {};
  const results: JournalEntry[] = [...input.results];
  const turn = beginTurn(loaded.bot, session, event, {
    stepping,
    observe: (place, phase, step) => {
      watch.observe(place, phase);
      tell({ event: 'step', phase, at: watch.ms(), step });
    },
  });
  const effects = new Effects({
    ...performers(parts, input, watch, samples),
    compute: input.compute,
    eventId: input.turnId,
    journal: input.results,
    onWords: () => undefined,
    note: (request, result, seq) => {
      results.push({ path: request.path, result, seq, version: loaded.version });
      return Promise.resolve();
    },
  });
  const known = new Set(input.results.map((r) => r.path));
  const pending = new Map<string, Effect>();
  const outcome = (result: TurnResult, pausedAt?: StepEffect): Simulated => {
    const more = pausedAt ? { pausedAt } : {};
    return { result, timings: watch.timings(result.sheet), ms: watch.ms(), samples, results, ...more };
  };
  const stopped = input.stopped.then(() => STOPPED);
  try {
    let next = turn.steps.next();
    while (!next.done) {
      const batch = next.value;
      if (batch.said.length > 0) tell({ event: 'said', messages: batch.said });
      const pause = batch.effects.find((e) => e.type === 'step' && !known.has(e.path));
      if (pause?.type === 'step') {
        if (!input.runsOn) return outcome(turn.soFar(), pause);
        next = turn.steps.next([{ path: pause.path, result: { outcome: 'go-on' } }]);
        continue;
      }
      for (const e of batch.effects) pending.set(e.path, e);
      effects.begin(batch.effects);
      const came = await Promise.race([effects.next(), stopped]);
      if (came === STOPPED) return outcome(cutShort(turn, [...pending.values()]));
      const completed = came as Completed;
      pending.delete(completed.path);
      next = turn.steps.next([completed]);
    }
    return outcome(next.value);
  } finally {
    effects.end();
  }
}

/** A turn that was stopped: what it came to, and what was under way, of which nobody knows whether it was done. */
function cutShort(turn: RunningTurn, pending: readonly Effect[]): TurnResult {
  const result = turn.soFar();
  const reason = 'the turn was stopped while this was under way; whether it was done is not known';
  const cut = { outcome: 'failed', code: 'stopped', reason } as const;
  const open = pending.flatMap((request): Performed[] => {
    if (request.type === 'action') return [{ request, result: cut }];
    return request.type === 'model' ? [{ request, result: cut }] : [];
  });
  const path = result.sheet.path.map((step, i, all) =>
    i === all.length - 1 ? { ...step, effects: [...step.effects, ...open.map((o) => o.request.path)] } : step,
  );
  return { ...result, sheet: { ...result.sheet, path, effects: [...result.sheet.effects, ...open] } };
}

/** Calls of the turn: from samples, at the stand-in, or for real. */
function performers(
  { action, model }: SimulatorParts,
  { loaded, outside, tell }: SimulationInput,
  watch: StopWatch,
  used: Record<string, string>,
): { action: PerformAction; model: PerformModel; reach: FindReach } {
  const kept = (effect: ActionEffect | ModelEffect): Completed['result'] | undefined => {
    const again = outside.recorded?.(effect);
    if (again || outside.mode(effect.connection) !== 'samples') return again;
    const found = sampleFor(loaded.bot.document.samples ?? {}, effect, [outside.samples]);
    if (found) used[effect.path] = found.sample;
    return found?.result ?? noSample(effect);
  };
  const told = async <R extends Completed['result']>(effect: ActionEffect | ModelEffect, work: () => Promise<R>): Promise<R> => {
    tell({ event: 'call', at: watch.ms(), request: effect });
    const result = (kept(effect) as R | undefined) ?? (await work());
    const sample = used[effect.path];
    const name = sample === undefined ? {} : { sample };
    tell({ event: 'came', at: watch.ms(), path: effect.path, outcome: result.outcome, ...name });
    return result;
  };
  return {
    reach: (connection) => {
      const mode = outside.mode(connection);
      if (mode === 'samples') return Promise.resolve({ ok: false, reason: 'it is answered from samples' });
      return mode === 'real' ? outside.real(connection) : outside.standIn(connection);
    },
    action: (effect, reach, key) => told(effect, () => action(effect, reach, key)),
    model: (effect, reach) =>
      told(effect, () => model(effect, reach, (text) => tell({ event: 'words', path: effect.path, text }))),
  };
}
