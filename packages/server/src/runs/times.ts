import { nextTimes } from '@primrose/core';

/** A schedule as it is kept: its zone, then its expression. */
export const cronColumn = {
  write: (zone: string, at: string): string => `${zone} ${at}`,
  /** The next times of a schedule behind a moment, `many` at most; none where it cannot be read. */
  next: (stored: string | null, behind: Date, many = 1): Date[] => {
    const [zone = '', ...at] = (stored ?? '').split(' ');
    return nextTimes(at.join(' '), zone, behind.toISOString(), many).map((t) => new Date(t));
  },
};
