import { Cron } from 'croner';
import { isZone } from '../understanding/calendar.js';

const FIELDS = 5;

function cronOf(at: string, zone: string): Cron | undefined {
  if (at.trim().split(/\s+/).length !== FIELDS || !isZone(zone)) return undefined;
  try {
    return new Cron(at.trim(), { timezone: zone, paused: true });
  } catch {
    return undefined;
  }
}

/** True for a cron expression of five fields (minute, hour, day of the month, month, day of the week) that can be read. */
export function isCron(at: string): boolean {
  return cronOf(at, 'Etc/UTC') !== undefined;
}

/**
 * The next moments of a cron expression in a zone after a moment (both ISO 8601, UTC), at most `most`; fewer where it has no
 * more, none where it cannot be read. A time that a change of the clocks leaves out comes at the next that there is.
 */
export function nextTimes(at: string, zone: string, after: string, most = 1): string[] {
  const cron = cronOf(at, zone);
  const found: string[] = [];
  let from = new Date(after);
  while (cron && found.length < most) {
    const next = cron.nextRun(from);
    if (!next) break;
    found.push(next.toISOString());
    from = next;
  }
  return found;
}
