import { pino } from 'pino';
import type { PerformSignIn } from '../../src/visitors/in-talk.js';
import { Files } from '../../src/files/files.js';
import type { AskDrawing } from '../../src/outside/drawing.js';
import { Notices } from '../../src/channels/notices.js';
import type { Clock } from '../../src/base/clock.js';
import { Secrets } from '../../src/outside/secrets.js';
import type { Db } from '../../src/store/database.js';
import { USUAL_LIMITS } from '../../src/start/limits.js';
import { Tables } from '../../src/tables/tables.js';

export interface OutsideLimits {
  readonly tableRows?: number;
}

/** What a runner works on tables and sends notices with, for parts that are tested by themselves. */
export function tablesAndNotices(
  db: Db,
  clock: Clock,
  limits: OutsideLimits = {},
): {
  readonly tables: Tables;
  readonly notices: Notices;
  readonly files: Files;
  readonly drawing: AskDrawing;
  readonly signIn: PerformSignIn;
} {
  return {
    files: new Files({
      db,
      clock,
      publicUrl: 'http://127.0.0.1:1',
      fetch: () => Promise.reject(new Error('nothing is fetched here')),
    }),
    signIn: () => Promise.reject(new Error('nobody signs in here')),
    drawing: () => Promise.reject(new Error('nothing is drawn here')),
    tables: new Tables({
      db,
      clock,
      documentOf: () => Promise.resolve(undefined),
      onPromised: () => undefined,
      limits: { ...USUAL_LIMITS, ...limits },
    }),
    notices: new Notices({
      db,
      clock,
      secrets: new Secrets(db, clock, null),
      log: pino({ level: 'silent' }),
      process: '00000000-0000-7000-8000-000000000001',
      senderOf: () => undefined,
    }),
  };
}
