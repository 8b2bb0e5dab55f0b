import { pino } from 'pino';
import type { Clock } from '../../src/base/clock.js';
import { USUAL_LIMITS } from '../../src/start/limits.js';
import type { Db } from '../../src/store/database.js';
import { Listeners } from '../../src/understanding/listeners.js';

/** Listeners with the usual limits, for parts that are tested by themselves. */
export function listenersFor(db: Db, clock: Clock): Listeners {
  return new Listeners({ db, clock, log: pino({ level: 'silent' }), encoder: undefined, ...USUAL_LIMITS });
}
