import { expect } from 'chai';
import { pino } from 'pino';
import { compile } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { handClock } from './support/clock.js';
import { listenersFor } from './support/listeners.js';
import { tablesAndNotices } from './support/outside.js';
import { ownDatabase } from './support/service.js';
import { Secrets } from '../src/outside/secrets.js';
import { seeToStarts } from '../src/runs/keep-starts.js';
import { Runs } from '../src/runs/runs.js';
import { Timed } from '../src/runs/timed.js';
import { openDatabase } from '../src/store/database.js';
import { migrate } from '../src/store/migrate.js';
import { createRunner } from '../src/turns/run.js';
import { Turns } from '../src/turns/turns.js';
import { Wakes } from '../src/turns/wakes.js';

const END = { done: { kind: 'end', ends: 'flow' } };

describe('schedules, on a clock that is moved by hand', () => {
  it('begin each time once, tell what was missed, and make up for it once where that is wanted', async () => {
    const db = openDatabase(await ownDatabase('schedules'), 6);
    try {
      await migrate(db);
      const clock = handClock(Date.parse('2026-05-14T05:00:00Z'));
      const log = pino({ level: 'silent' });
      const daily = { by: 'schedule', flow: 'tell', at: '30 6 * * *', zone: 'Europe/Dublin', given: { due: '{{ due }}' } };
      const starts = { daily, caught: { ...daily, missed: 'run-once' } };
      const tell = { takes: { due: 'text' }, begin: 'done', nodes: END };
      const bot = botOf({}, { bot: 'clock', starts, flows: { main: { begin: 'done', nodes: END }, tell } }, 'main');
      const person = '00000000-0000-7000-8000-0000000000aa';
      const [botId, releaseId] = ['00000000-0000-7000-8000-0000000000bb', '00000000-0000-7000-8000-0000000000cc'];
      await db('people').insert({ id: person, name: 'Owner', created_at: clock.now() });
      const botRow = {
        id: botId,
        owner_id: person,
        revision: 1,
        bot: 'clock',
        name: 'Clock',
        flows: 1,
        nodes: 1,
        created_at: clock.now(),
        changed_at: clock.now(),
        live_release_id: releaseId,
      };
      await db('bots').insert(botRow);
      const loaded = { bot: compile(bot), botId, releaseId, revision: null, version: releaseId };
      const release = (id: string) => (id === releaseId ? Promise.resolve(loaded) : Promise.reject(new Error('it is damaged')));
      const loader = { release, draft: () => Promise.resolve(loaded) };
      const wakes = new Wakes();
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
          ...tablesAndNotices(db, clock),
        }),
        listeners: listenersFor(db, clock),
        deliveries: { pushes: () => false, kick: () => undefined },
        wakes,
        log,
        leaseMs: 30_000,
        tries: 5,
        process: '00000000-0000-7000-8000-0000000000dd',
      });
      await seeToStarts(db, clock, botId, 'live', bot);
      const timed = [1, 2].map(() => new Timed({ db, clock, log, runs: new Runs({ db, clock, loader, turns, wakes }) }));
      const look = () => Promise.all(timed.map((t) => t.look()));
      const begun = async () =>
        (await db('runs').orderBy(['start', 'at']).select('start', 'given')).map(
          (r: { start: string; given: string }) => `${r.start} ${(JSON.parse(r.given) as { due: string }).due.slice(0, 16)}`,
        );
      await look();
      expect(await begun()).to.deep.equal([]);
      // 06:30 in Dublin is 05:30 UTC in summer. Two processes look at the same moment.
      clock.move(30 * 60_000);
      await look();
      await look();
      expect(await begun()).to.deep.equal(['caught 2026-05-14T05:30', 'daily 2026-05-14T05:30']);
      // Nothing ran for three days.
      clock.move(3 * 86_400_000 + 3_600_000);
      await look();
      await look();
      expect(await begun()).to.deep.equal(['caught 2026-05-14T05:30', 'caught 2026-05-15T05:30', 'daily 2026-05-14T05:30']);
      const missed: { about: string }[] = await db('start_events').where({ outcome: 'missed' }).select('about');
      const told = '3 times were missed while nothing ran, the first at 2026-05-15T05:30:00.000Z';
      expect(missed.map((m) => m.about)).to.deep.equal([told, told]);
      // One whose bot cannot be loaded holds up none of the others.
      const [other, gone] = ['00000000-0000-7000-8000-0000000000ee', '00000000-0000-7000-8000-0000000000ff'];
      await db('bots').insert({ ...botRow, id: other, bot: 'other', live_release_id: gone });
      const broken = { id: other, bot_id: other, name: 'broken', stage: 'live', kind: 'schedule', is_on: 1, declared: 1 };
      await db('starts').insert({ ...broken, address: 'broken', cron: 'Etc/UTC 0 0 * * *', next_at: clock.now() });
      clock.move(86_400_000 - 3_600_000);
      await look();
      expect((await begun()).filter((b) => b.startsWith('daily'))).to.deep.equal([
        'daily 2026-05-14T05:30',
        'daily 2026-05-18T05:30',
      ]);
      await turns.stop(1000);
    } finally {
      await db.destroy();
    }
  });
});
