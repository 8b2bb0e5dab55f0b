import { expect } from 'chai';
import { pino } from 'pino';
import { callsOf, openSession, type ActionResult, type McpResult, type ModelResult } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { compileWithTestKinds, LOOPS } from '../../core/test/support-kinds.js';
import { listenersFor } from './support/listeners.js';
import { newId, systemClock, type Clock } from '../src/base/clock.js';
import type { LoadedBot } from '../src/bots/loader.js';
import { Secrets } from '../src/outside/secrets.js';
import { fire } from '../src/runs/fire.js';
import { tablesAndNotices } from './support/outside.js';
import { sheetColumn, stateColumn } from '../src/store/columns.js';
import * as store from '../src/store/conversations.js';
import { insertStaffLine } from '../src/store/inbox.js';
import { openDatabase, type Db } from '../src/store/database.js';
import { statement, type Hot } from '../src/store/hot.js';
import * as messenger from '../src/store/messenger.js';
import { migrate } from '../src/store/migrate.js';
import * as turning from '../src/store/turning.js';
import { accept } from '../src/turns/accept.js';
import { createRunner, type RunnerParts } from '../src/turns/run.js';
import { Turns } from '../src/turns/turns.js';
import { TurnStops } from '../src/turns/stops.js';
import { Wakes } from '../src/turns/wakes.js';
import { ownDatabase } from './support/service.js';
import { noLookups } from './support/lookups.js';

/** The system's clock, on which what happens again and again does so fifty times as often. */
const clock: Clock = { ...systemClock, every: (ms, work) => systemClock.every(ms / 50, work) };

/** What a prepared statement is run on. */
interface Connection {
  execute: (sql: string, values: unknown[], done: (error: Error | null, result: unknown) => void) => unknown;
}

const MODELS = {
  models: { quick: { connection: 'models', model: 'quick-1' } },
  connections: { models: { address: 'http://models.example', actions: {} } },
};
const BYE = { bye: { kind: 'end', says: 'Bye.' } };

const loadedOf = (bot: LoadedBot['bot']): LoadedBot => ({ bot, botId: 'none', releaseId: null, revision: 1, version: 'draft 1' });
const looping = loadedOf(compileWithTestKinds(botOf(BYE, MODELS), { loop: { kind: 'looping', exits: { done: 'bye' } } }));
const waiting = loadedOf(
  compileWithTestKinds(
    botOf(
      {
        ask: { kind: 'ask', says: 'Yes?', expects: 'text', into: 'flow.said', exits: { answered: 'told', 'gave-up': 'told' } },
        told: { kind: 'end', says: 'You said {{ flow.said }}.' },
      },
      MODELS,
    ),
    {
      loop: { kind: 'looping', exits: { done: 'ask' } },
    },
  ),
);
const shift = loadedOf(
  compileWithTestKinds(
    botOf(BYE, {
      flows: {
        main: { begin: 'bye', nodes: BYE },
        'tell-workshop': {
          takes: { boat: 'text', days: { type: 'number', value: 2 } },
          begin: 'tell',
          nodes: { tell: { kind: 'end', says: '{{ flow.boat }} is out for {{ flow.days }} days.' } },
        },
      },
    }),
    { bye: { kind: 'end' } },
  ),
);

const ALL_TURNS = { after: 0, limit: 100 };

describe('turns that rest, and runs that no conversation began', () => {
  let db: Db;
  before(async () => {
    db = openDatabase(await ownDatabase('runs'), 8);
    await migrate(db);
    patchConnections();
  });
  after(() => db.destroy());

  let onNote: (() => void) | undefined;
  const live = () => (onNote = undefined);
  /**
   * From now on the next note in the journal is stored, and whoever stored it is told that the process is dead: what it would
   * have done afterwards is lost. Resolves then.
   */
  const dieAfterNote = () => new Promise<void>((resolve) => (onNote = resolve));
  const patchConnections = () => {
    const client = db.client as { acquireConnection: () => Promise<Connection> };
    const acquire = client.acquireConnection.bind(client);
    const known = new WeakSet<Connection>();
    client.acquireConnection = async () => {
      const connection = await acquire();
      if (known.has(connection)) return connection;
      known.add(connection);
      const execute = connection.execute.bind(connection);
      connection.execute = (sql, values, done) =>
        execute(sql, values, (error, result) => {
          const die = /INSERT INTO journal/.test(sql) ? onNote : undefined;
          if (die) onNote = undefined;
          done(die ? new Error('killed') : error, result);
          die?.();
        });
      return connection;
    };
  };

  const ask = <T>(work: (hot: Hot) => Promise<T>): Promise<T> => statement(db, work);
  const written = (text: string): ModelResult => ({ outcome: 'written', text, stopped: 'end', tokens: { in: 1, out: 1 } });
  const noAction = (): Promise<ActionResult> => Promise.reject(new Error('no action here'));

  /** Works turns off with a model. */
  const turnsWith = (loaded: LoadedBot, model: RunnerParts['model'], pushes = false) => {
    const secrets = new Secrets(db, clock, null);
    const mcp = (): Promise<McpResult> => Promise.reject(new Error('no tools here'));
    const run = createRunner({ db, clock, secrets, action: noAction, model, mcp, ...tablesAndNotices(db, clock) });
    return new Turns({
      db,
      clock,
      loader: { draft: () => Promise.resolve(loaded), release: () => Promise.reject(new Error('none')) },
      run,
      listeners: listenersFor(db, clock),
      lookOf: noLookups,
      deliveries: { pushes: () => pushes, kick: () => undefined },
      handedOver: () => Promise.resolve([]),
      wakes: new Wakes(),
      stops: new TurnStops(db, clock, () => false),
      log: pino({ level: 'silent' }),
      tries: 5,
      leaseMs: 400,
      process: newId(clock),
    });
  };
  const begin = (loaded: LoadedBot) => {
    const id = newId(clock);
    const state = openSession(loaded.bot, {});
    const begins = {
      id,
      botId: id,
      channelId: null,
      source: 'call',
      visitorId: null,
      releaseId: null,
      state,
      visitorName: null,
      at: clock.now(),
    } as const;
    const event = { type: 'open', at: clock.now().toISOString(), channel: 'test' } as const;
    return { conversationId: id, botId: id, source: id, externalId: `open-${id}`, event, begins };
  };
  const until = async (done: () => Promise<boolean>) => {
    for (let i = 0; i < 600 && !(await done()); i++) await new Promise((resolve) => setTimeout(resolve, 20));
    expect(await done()).to.equal(true);
  };
  const idle = async (id: string) => (await ask((hot) => turning.nextTurn(hot, id))) === undefined;
  const said = async (id: string) =>
    (await store.linesAfter(db, id, 0)).map((l) => (JSON.parse(l.message) as { text: string }).text);
  const sheets = async (id: string) => (await store.listTurns(db, id, ALL_TURNS)).rows.map((t) => sheetColumn.read(t.sheet));
  const ROUNDS = Array.from({ length: LOOPS }, (_, i) => `round ${i + 1} of ${2 * i + 2}`);

  it('a node that rests goes on by itself, part by part, each with its record', async () => {
    const turns = turnsWith(looping, () => Promise.resolve(written('look')));
    const incoming = begin(looping);
    await turns.take(incoming);
    await until(() => idle(incoming.conversationId));
    await turns.stop(1000);
    expect(await said(incoming.conversationId)).to.deep.equal([...ROUNDS, 'Bye.']);
    const all = await sheets(incoming.conversationId);
    expect(all.map((s) => [s.heard.type, s.rests ?? false])).to.deep.equal(
      Array.from({ length: LOOPS }, (_, i) => [i === 0 ? 'open' : 'go-on', i < LOOPS - 1]),
    );
    const stored = await db<{ state: string; id: string }>('conversations').where({ id: incoming.conversationId }).first('state');
    expect(stateColumn.read(stored?.state ?? '').resting).to.equal(undefined);
  });

  it('killed after every note in the journal it asks the model ten times in all, and says nothing twice', async () => {
    let asked = 0;
    const incoming = begin(looping);
    await accept(db, clock, { owner: 'nobody', leaseMs: 0 }, incoming);
    const { conversationId: id } = incoming;
    let lives = 0;
    for (; lives < 60 && !(await idle(id)); lives++) {
      const died = dieAfterNote();
      const turns = turnsWith(looping, () => Promise.resolve(written(`answer ${++asked}`)));
      turns.start();
      await Promise.race([died, until(() => idle(id))]);
      await turns.stop(1000);
    }
    live();
    expect(await said(id)).to.deep.equal([...ROUNDS, 'Bye.']);
    const requests = (await sheets(id)).flatMap((s) => callsOf('model', s.effects));
    expect(requests.map((r) => (r.result.outcome === 'written' ? r.result.text : ''))).to.deep.equal(
      Array.from({ length: LOOPS }, (_, i) => `answer ${i + 1}`),
    );
    // One life for each note, and one that found nothing more to note.
    expect([asked, lives]).to.deep.equal([LOOPS, LOOPS + 1]);
  });

  it('what a visitor says meanwhile is answered after it, in its order', async () => {
    let go: () => void = () => undefined;
    const held = new Promise<void>((resolve) => (go = resolve));
    let asked = 0;
    const turns = turnsWith(waiting, async () => {
      if (++asked === 3) await held;
      return written('look');
    });
    const incoming = begin(waiting);
    await turns.take(incoming);
    await until(async () => (await said(incoming.conversationId)).length === 2);
    const { conversationId, botId, source } = incoming;
    const event = { type: 'message', at: clock.now().toISOString(), channel: 'test', text: 'moin' } as const;
    await turns.take({ conversationId, botId, source, externalId: 'm1', event, shown: { id: 'm1', text: 'moin' } });
    go();
    await until(() => idle(conversationId));
    await turns.stop(1000);
    const lines = await said(conversationId);
    expect(lines.filter((l) => l !== 'moin')).to.deep.equal([...ROUNDS, 'Yes?', 'You said moin.']);
    expect((await sheets(conversationId)).at(-1)?.heard).to.include({ type: 'message', text: 'moin' });
  });

  it('a run is fired once for each id, goes through without visitor and channel, and is seen in its record', async () => {
    const turns = turnsWith(shift, () => Promise.reject(new Error('no model here')));
    const fired = {
      loaded: shift,
      by: 'hook',
      start: null,
      externalId: 'order 1',
      flow: 'tell-workshop',
      given: { boat: 'Wrackline', days: 'many' },
    } as const;
    const { conversationId: id, repeat } = await fire({ turns, clock }, fired);
    await until(() => idle(id));
    const again = await fire({ turns, clock }, fired);
    await turns.stop(1000);
    expect([repeat, again.repeat, again.conversationId]).to.deep.equal([false, true, id]);
    const row = await db('conversations').where({ id }).first('source', 'channel_id', 'visitor_id');
    expect(row).to.deep.equal({ source: 'hook', channel_id: null, visitor_id: null });
    expect(await db('conversations').where({ source: 'hook' }).count({ n: '*' })).to.deep.equal([{ n: 1 }]);
    const [sheet] = await sheets(id);
    expect(sheet?.heard).to.deep.include({ type: 'fired', by: 'hook', flow: 'tell-workshop' });
    expect(sheet?.messages.map((m) => m.text)).to.deep.equal(['Wrackline is out for 2 days.']);
    expect(sheet?.problems.map((p) => p.code)).to.deep.equal(['wrong-type']);
  });

  it('what is to be sent is promised in the transaction that stores it: a turn, its first words, what staff say', async () => {
    const wanted = async (id: string) =>
      Number((await db('deliveries').where({ conversation_id: id }).first<{ wanted: number }>('wanted'))?.wanted);
    const waits = async (id: string) =>
      (await messenger.waitingDeliveries(db, new Date(Date.now() + 60_000), 'one')).some((w) => w.id === id);
    const turns = turnsWith(looping, () => Promise.resolve(written('look')), true);
    const incoming = { ...begin(looping), delivery: { channelId: newId(clock), recipient: '771001' } };
    const { conversationId: id } = incoming;
    const sendAll = async () => {
      const until = new Date(Date.now() + 5000);
      const taken = await messenger.takeDelivery(db, id, { owner: 'one', now: clock.now(), until });
      await messenger.endDelivery(db, id, 'one', taken?.wanted ?? null);
      expect(await waits(id)).to.equal(false);
    };
    await accept(db, clock, { owner: 'nobody', leaseMs: 0 }, incoming);
    expect([await wanted(id), await waits(id)]).to.deep.equal([1, true]);
    await sendAll();
    turns.start();
    await until(() => idle(id));
    await turns.stop(1000);
    expect(await wanted(id)).to.be.at.least(LOOPS + 1);
    await sendAll();
    await db('conversations').where({ id }).update({ handed_at: clock.now(), ended_at: null });
    const line = {
      conversationId: id,
      eventId: newId(clock),
      externalId: 's1',
      message: { text: 'x', blocks: [] },
      by: { id: newId(clock), name: 'Ada' },
      at: clock.now(),
    };
    expect(await insertStaffLine(db, line)).to.equal(true);
    // Whoever stored it may be gone now: the sweep of any process finds it.
    expect(await waits(id)).to.equal(true);
  });
});
