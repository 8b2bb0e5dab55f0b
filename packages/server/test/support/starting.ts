import { compile, type BotDocument } from '@primrose/core';
import { pino } from 'pino';
import { Secrets } from '../../src/outside/secrets.js';
import { Runs } from '../../src/runs/runs.js';
import { Timed } from '../../src/runs/timed.js';
import { openDatabase } from '../../src/store/database.js';
import { migrate } from '../../src/store/migrate.js';
import { createRunner } from '../../src/turns/run.js';
import { TurnStops } from '../../src/turns/stops.js';
import { Turns } from '../../src/turns/turns.js';
import { Wakes } from '../../src/turns/wakes.js';
import { handClock } from './clock.js';
import { listenersFor } from './listeners.js';
import { tablesAndNotices, type OutsideLimits } from './outside.js';
import { ownDatabase } from './service.js';
import { noLookups } from './lookups.js';
import { until } from './until.js';

const PERSON = '00000000-0000-7000-8000-0000000000aa';
const RELEASE = '00000000-0000-7000-8000-0000000000cc';
export const BOT = '00000000-0000-7000-8000-0000000000bb';

/** A service in parts that begins the flows of one bot, on a clock that is moved by hand, with several processes' schedules. */
export async function startingParts(name: string, document: BotDocument, limits: OutsideLimits = {}) {
  const db = openDatabase(await ownDatabase(name), 6);
  await migrate(db);
  const clock = handClock(Date.parse('2026-05-14T05:00:00Z'));
  const log = pino({ level: 'silent' });
  await db('people').insert({ id: PERSON, name: 'Owner', created_at: clock.now() });
  /** A bot as its row stands; one that is live with another release than the document's cannot be loaded. */
  const insertBot = (id: string, bot: string, live: string = RELEASE) =>
    db('bots').insert({
      id,
      owner_id: PERSON,
      revision: 1,
      bot,
      name: bot,
      flows: 1,
      nodes: 1,
      created_at: clock.now(),
      changed_at: clock.now(),
      live_release_id: live,
    });
  await insertBot(BOT, document.bot);
  const loaded = { bot: compile(document), botId: BOT, releaseId: RELEASE, revision: null, version: RELEASE };
  const release = (id: string) => (id === RELEASE ? Promise.resolve(loaded) : Promise.reject(new Error('it is damaged')));
  const loader = { release, draft: () => Promise.resolve(loaded) };
  const wakes = new Wakes();
  const outside = tablesAndNotices(db, clock, limits);
  const turns = new Turns({
    db,
    clock,
    loader,
    run: createRunner({
      db,
      clock,
      secrets: new Secrets(db, clock, null),
      action: () => Promise.reject(new Error('none')),
      model: () => Promise.reject(new Error('none')),
      mcp: () => Promise.reject(new Error('none')),
      ...outside,
    }),
    listeners: listenersFor(db, clock),
    lookOf: noLookups,
    deliveries: { pushes: () => false, kick: () => undefined },
    handedOver: () => Promise.resolve([]),
    wakes,
    stops: new TurnStops(db, clock, () => false),
    log,
    leaseMs: 30_000,
    tries: 5,
    process: '00000000-0000-7000-8000-0000000000dd',
  });
  const timed = [1, 2].map(() => new Timed({ db, clock, log, runs: new Runs({ db, clock, loader, turns, wakes }) }));
  /** Every run that was begun has ended. A clock that is moved past a turn under way renews its lease for every ten seconds of the move. */
  const settled = () => until(async () => (await db('runs').whereNull('ended_at').first('id')) === undefined);
  const move = async (ms: number) => {
    await settled();
    clock.move(ms);
  };
  const end = async () => {
    for (const t of timed) await t.stop();
    await turns.stop(1000);
    await db.destroy();
  };
  return { db, clock, move, insertBot, tables: outside.tables, timed, end };
}
