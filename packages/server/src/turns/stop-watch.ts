import type { TurnSheet } from '@primrose/core';
import type { Clock } from '../base/clock.js';

/** When a node of a turn began to run, and for how long it ran, in ms. */
export interface Timing {
  readonly begins: number;
  readonly ms: number;
}

/** Measures when each node of a turn ran. */
export class StopWatch {
  readonly #clock: Clock;
  readonly #begun: number;
  readonly #steps = new Map<string, { begins: number; ms: number }>();

  constructor(clock: Clock) {
    this.#clock = clock;
    this.#begun = clock.tick();
  }

  readonly observe = (place: string, phase: 'begins' | 'ends'): void => {
    const now = this.ms();
    const open = this.#steps.get(place);
    if (phase === 'begins' || !open) this.#steps.set(place, { begins: now, ms: 0 });
    else open.ms = now - open.begins;
  };

  timings(sheet: TurnSheet): Timing[] {
    // A node that a flow comes back to runs in no time of its own: it stands where the one before it ended.
    let last = 0;
    return sheet.path.map((s) => {
      const timing = this.#steps.get(s.place) ?? { begins: last, ms: 0 };
      last = timing.begins + timing.ms;
      return timing;
    });
  }

  ms(): number {
    return this.#clock.tick() - this.#begun;
  }
}
