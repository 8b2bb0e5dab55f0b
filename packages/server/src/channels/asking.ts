import { sleep, type Clock } from '../base/clock.js';
import type { Line } from './channel.js';

/** One asking of a server for what is new: resolves with how long to wait before the next, in ms; what it throws ends the line. */
export type Ask = () => Promise<number>;

/** A line that asks a server again and again; `first` has been asked already, and told to wait so long. `stop` ends what is under way. */
export function askingLine(clock: Clock, ask: Ask, first: number, stop: AbortController): Line {
  let wake: () => void = () => undefined;
  let wait = first;
  const ended = (async (): Promise<string> => {
    try {
      while (!stop.signal.aborted) {
        if (wait > 0) {
          const resting = sleep(clock, wait);
          wake = resting.wake;
          await resting.done;
        }
        if (!stop.signal.aborted) wait = await ask();
      }
      return 'it was closed';
    } catch (error) {
      return error instanceof Error ? error.message : String(error);
    }
  })();
  return {
    ended,
    close: async () => {
      stop.abort();
      wake();
      await ended;
    },
  };
}
