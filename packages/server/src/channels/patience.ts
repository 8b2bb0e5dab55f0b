/** How long one process holds what it sends, unless it says that it goes on. */
export const LEASE_MS = 30_000;
/** How often is looked whether a channel that was switched off is on again. */
export const OFF_MS = 10_000;
/** How often is looked whether a line that is needed stands again. */
export const NO_LINE_MS = 1000;
/** The most of an answer of the other side that is read. */
export const MAX_ANSWER_BYTES = 200_000;

const MAX_TRIES = 8;
const FIRST_WAIT_MS = 1000;
const LONGEST_WAIT_MS = 60_000;

/**
 * How long to wait, in ms, before something is sent again that has failed `tries` times before now: twice as long each time,
 * or as long as the other side asked for. Undefined when it was tried often enough.
 */
export function waitAgain(tries: number, asked: number | undefined): number | undefined {
  if (tries + 1 >= MAX_TRIES) return undefined;
  return asked ?? Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** tries);
}
