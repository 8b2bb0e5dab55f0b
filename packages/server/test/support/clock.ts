import type { Clock } from '../../src/base/clock.js';

interface Timer {
  at: number;
  readonly every: number | undefined;
  readonly work: () => void;
}

/** A clock that is moved by hand: what is due by then happens on the way, in its order. */
export interface HandClock extends Clock {
  readonly move: (ms: number) => void;
  /** How many things are still to happen. */
  readonly waiting: () => number;
}

export function handClock(start = 0): HandClock {
  let now = start;
  const timers = new Set<Timer>();
  const add = (ms: number, work: () => void, every: number | undefined) => {
    const timer = { at: now + ms, every, work };
    timers.add(timer);
    return () => void timers.delete(timer);
  };
  return {
    now: () => new Date(now),
    tick: () => now,
    after: (ms, work) => add(ms, work, undefined),
    every: (ms, work) => add(ms, work, ms),
    waiting: () => timers.size,
    move: (ms) => {
      const end = now + ms;
      for (;;) {
        const [next] = [...timers].filter((t) => t.at <= end).sort((a, b) => a.at - b.at);
        if (!next) break;
        now = next.at;
        if (next.every === undefined) timers.delete(next);
        else next.at += next.every;
        next.work();
      }
      now = end;
    },
  };
}
