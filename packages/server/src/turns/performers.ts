import type { Mind, Performers } from '@primrose/core';
import type { Clock } from '../base/clock.js';
import type { OnWords, PerformModel } from '../outside/chat-completions.js';
import type { PerformAction } from '../outside/http-action.js';
import type { FindReach } from '../outside/reach.js';

/** What effects are performed with in one turn. */
export interface PerformerParts {
  readonly clock: Clock;
  readonly action: PerformAction;
  readonly model: PerformModel;
  readonly mind: Mind;
  readonly reach: FindReach;
  readonly table: Performers['table'];
  readonly notice: Performers['notice'];
  /** Told what a model has written so far where its words may be shown at once. */
  readonly onWords: OnWords;
  /** The turn, for the keys by which services know a repeated call. */
  readonly turnId: string;
}

/** Who performs each type of effect of a turn for real. `end` lets no more time pass. */
export function createPerformers(parts: PerformerParts): { readonly performers: Performers; readonly end: () => void } {
  const { clock, action, model, mind, reach, table, notice, onWords, turnId } = parts;
  const timers = new Set<() => void>();
  const performers = {
    ...mind,
    action: async (effect) => action(effect, await reach(effect.connection), `${turnId}/${effect.path}`),
    model: async (effect) => model(effect, await reach(effect.connection), effect.aloud ? onWords : undefined),
    table,
    notice,
    timer: ({ ms }) => new Promise((resolve) => void timers.add(clock.after(ms, () => resolve({ outcome: 'elapsed' })))),
    step: () => {
      throw new Error('only a simulation runs step by step');
    },
  } satisfies Performers;
  return { performers, end: () => timers.forEach((cancel) => cancel()) };
}
