import type { Mind, ModelEffect, Performers } from '@primrose/core';
import type { Clock } from '../base/clock.js';
import type { OnWords, PerformModel } from '../outside/chat-completions.js';
import type { PerformDraw } from '../outside/drawing.js';
import type { PerformAction } from '../outside/http-action.js';
import type { PerformMcp } from '../outside/mcp.js';
import type { FindReach } from '../outside/reach.js';

/** What effects are performed with in one turn. */
export interface PerformerParts {
  readonly clock: Clock;
  readonly action: PerformAction;
  readonly model: PerformModel;
  readonly mcp: PerformMcp;
  readonly draw: PerformDraw;
  readonly mind: Mind;
  readonly reach: FindReach;
  readonly table: Performers['table'];
  readonly notice: Performers['notice'];
  readonly spent: Performers['spent'];
  readonly recall: Performers['recall'];
  readonly signIn: Performers['sign-in'];
  /** Ends the asking of models and of tools that only read: somebody stopped the turn. */
  readonly stop: AbortSignal;
  /** Told what a model has written so far where its words may be shown at once. */
  readonly onWords: OnWords;
  /** Who is told the words of a model that are not said, where somebody sees them being written. */
  readonly wordsOf?: (effect: ModelEffect) => OnWords | undefined;
  /** The turn, for the keys by which services know a repeated call. */
  readonly turnId: string;
}

/** Who performs each type of effect of a turn for real. `end` lets no more time pass. */
export function createPerformers(parts: PerformerParts): { readonly performers: Performers; readonly end: () => void } {
  const { clock, action, model, draw, mcp, mind, reach, table, notice, spent, recall, signIn, stop, onWords, wordsOf, turnId } =
    parts;
  const timers = new Set<() => void>();
  const performers = {
    ...mind,
    action: async (effect) => action(effect, await reach(effect.connection), `${turnId}/${effect.path}`),
    model: async (effect) => model(effect, await reach(effect.connection), effect.aloud ? onWords : wordsOf?.(effect), stop),
    draw: async (effect) => draw(effect, await reach(effect.connection), stop),
    mcp: async (effect) => mcp(effect, await reach(effect.connection), stop),
    table,
    notice,
    spent,
    recall,
    'sign-in': signIn,
    timer: ({ ms }) => new Promise((resolve) => void timers.add(clock.after(ms, () => resolve({ outcome: 'elapsed' })))),
    step: () => {
      throw new Error('only a simulation runs step by step');
    },
  } satisfies Performers;
  return { performers, end: () => timers.forEach((cancel) => cancel()) };
}
