import { performedBy, type Effect, type PAUSE, type Performers, type Result, type TurnSheet } from '@primrose/core';
import type { Clock } from '../base/clock.js';

/** When a node of a turn began to run, and for how long it ran, in ms. */
export interface Timing {
  readonly begins: number;
  readonly ms: number;
  /** The same of the calls that it made, by their paths. */
  readonly calls?: Readonly<Record<string, { readonly begins: number; readonly ms: number }>>;
}

/** Measures when each node of a turn ran. */
export class StopWatch {
  readonly #clock: Clock;
  readonly #begun: number;
  readonly #steps = new Map<string, { begins: number; ms: number }>();

  readonly #ended = new Set<string>();
  readonly #calls = new Map<string, { begins: number; ms: number }>();

  constructor(clock: Clock) {
    this.#clock = clock;
    this.#begun = clock.tick();
  }

  readonly observe = (place: string, phase: 'begins' | 'ends'): void => {
    const now = this.ms();
    const open = this.#steps.get(place);
    if (phase === 'begins' || !open) this.#steps.set(place, { begins: now, ms: 0 });
    // A node that leaves its flow ends before the flow below it goes on; it is told once more when all of that is done.
    else if (!this.#ended.has(place)) open.ms = now - open.begins;
    if (phase === 'ends') this.#ended.add(place);
  };

  timings(sheet: TurnSheet): Timing[] {
    // A node that a flow comes back to runs in no time of its own: it stands where the one before it ended.
    let last = 0;
    return sheet.path.map((s) => {
      const timing = this.#steps.get(s.place) ?? { begins: last, ms: 0 };
      last = timing.begins + timing.ms;
      const calls = s.effects.flatMap((path) => {
        const call = this.#calls.get(path);
        return call ? [[path, call] as const] : [];
      });
      return calls.length === 0 ? timing : { ...timing, calls: Object.fromEntries(calls) };
    });
  }

  /** Performers that do the same and are measured. */
  over(performers: Performers): Performers {
    const measured = (effect: Effect): Result | typeof PAUSE | Promise<Result> => {
      const begins = this.ms();
      const came = performedBy(performers, effect);
      if (came instanceof Promise)
        return came.then((result) => {
          this.#calls.set(effect.path, { begins, ms: this.ms() - begins });
          return result;
        });
      this.#calls.set(effect.path, { begins, ms: this.ms() - begins });
      return came;
    };
    return Object.fromEntries(Object.keys(performers).map((name) => [name, measured])) as unknown as Performers;
  }

  ms(): number {
    return this.#clock.tick() - this.#begun;
  }
}
