import type { Effect, Result } from '../effects/registry.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';

/*
 * Waiting for effects with an eye on the clock: what only reads may be given up, what changes something is waited for.
 */

/** The time that is left to an agent in this turn. */
export class Deadline {
  readonly path: string;
  readonly ms: number;
  begun = false;
  late = false;

  /** `place` is that of the node's run. */
  constructor(place: string, ms: number) {
    this.path = `${place}/time`;
    this.ms = ms;
  }
}

export interface Waited {
  readonly effects: readonly Effect[];
  /** What it is about, in words for the visitor. */
  readonly doing?: string | undefined;
  /** Nothing of it changes anything, so it may be given up when time is over. */
  readonly mayGiveUp: boolean;
}

/** Begins effects and waits for all of them; undefined for each that was given up. Results in the order of the effects. */
export function* awaitEffects(
  turn: Turn,
  deadline: Deadline,
  { effects, doing, mayGiveUp }: Waited,
): Walking<(Result | undefined)[]> {
  const mine = new Set(effects.map((e) => e.path));
  const came = new Map<string, Result>();
  let asked: readonly Effect[] = deadline.begun ? effects : [...effects, { type: 'timer', path: deadline.path, ms: deadline.ms }];
  deadline.begun = true;
  let told = doing;
  while (came.size < mine.size && !(deadline.late && mayGiveUp)) {
    const batch = { effects: asked, said: turn.record.takeSaid(), ...(told === undefined ? {} : { doing: told }) };
    for (const { path, result } of yield batch) {
      if (path === deadline.path) deadline.late = true;
      else if (mine.has(path)) came.set(path, result);
    }
    asked = [];
    told = undefined;
  }
  return effects.map((e) => came.get(e.path));
}
