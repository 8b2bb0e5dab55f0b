import type { Message } from '@primrose/core';

/** When each of some messages is due, and the last of these moments; null for at once. */
export interface Schedule {
  readonly due: readonly (Date | null)[];
  readonly last: Date | null;
}

/** Puts messages behind `after`, the moment at which the line before them is due, each after its own pause. */
export function schedule(messages: readonly Message[], now: Date, after: Date | null): Schedule {
  let last = after !== null && after > now ? after : null;
  const due = messages.map(({ wait = 0 }) => {
    if (wait > 0) last = new Date((last ?? now).getTime() + wait);
    return last;
  });
  return { due, last };
}
