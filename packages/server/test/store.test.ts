import { expect } from 'chai';
import { pino } from 'pino';
import { compile, createMind, openSession, type ActionEffect, type ActionResult, type Session } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { listenersFor } from './support/listeners.js';
import { newId, systemClock } from '../src/base/clock.js';
import type { PerformAction } from '../src/outside/http-action.js';
import { Secrets } from '../src/outside/secrets.js';
import * as store from '../src/store/conversations.js';
import { openDatabase, type Db } from '../src/store/database.js';
import { migrate } from '../src/store/migrate.js';
import { statement, transaction, type Hot } from '../src/store/hot.js';
import * as messenger from '../src/store/messenger.js';
import { move } from '../src/store/move.js';
import { changeVariables } from '../src/store/persons.js';
import * as turning from '../src/store/turning.js';
import { accept } from '../src/turns/accept.js';
import type { LoadedBot } from '../src/bots/loader.js';
import { commitTurn } from '../src/turns/commit.js';
import { TurnStops } from '../src/turns/stops.js';
import { Wakes } from '../src/turns/wakes.js';
import { createRunner, LostLease, type RunnerParts } from '../src/turns/run.js';
import { LeaseGuard } from '../dist/turns/lease-guard.js';
import { Turns } from '../src/turns/turns.js';
import { tablesAndNotices } from './support/outside.js';
import { databaseUrl as databaseOf, ownDatabase } from './support/service.js';
import { noLookups } from './support/lookups.js';

const bookingBot = (repeatable: boolean) =>
  botOf(
    {
      wait: { kind: 'say', says: 'One moment…', exits: { said: 'book' } },
      book: { kind: 'action', runs: 'office.book', into: 'visitor.reference', exits: { done: 'think', failed: 'no' } },
      think: { kind: 'pause', for: '30s', exits: { done: 'yes' } },
      yes: { kind: 'end', says: 'Booked {{ visitor.reference }}.' },
      no: { kind: 'end', says: 'Not booked: {{ turn.failure.reason }}' },
    },
    {
      variables: { visitor: { reference: { type: 'text' }, trips: 'number', ports: 'list' } },
      connections: {
        office: {
          address: 'http://office.example',
          actions: { book: { post: '/book', gives: { reference: '{{ answer.ref }}' }, repeatable } },
        },
      },
    },
  );
const loadedAs = (document: Parameters<typeof compile>[0]): LoadedBot => {
  return { bot: compile(document), botId: 'none', releaseId: null, revision: 1, version: 'draft 1' };
};
const loadedOf = (repeatable: boolean): LoadedBot => loadedAs(bookingBot(repeatable));
const plainly = loadedAs(
  botOf({
    wait: { kind: 'say', says: 'One moment…', exits: { said: 'no' } },
    no: { kind: 'end', says: 'Then not.' },
  }),
);

const ALL_TURNS = { after: 0, limit: 100 };

describe('the steps of a turn on the database', () => {
  let db: Db;
  const clock = systemClock;
  const loaded = loadedOf(false);
  const me = { owner: 'me', leaseMs: 5000 };
  before(async () => {
    // A database of its own: the shared service would work off these events.
    db = openDatabase(await ownDatabase('steps'), 8);
    await migrate(db);
  });
  after(() => db.destroy());

  const ask = <T>(work: (hot: Hot) => Promise<T>): Promise<T> => statement(db, work);
  const claim = (owner: string, now = new Date(), ms = 5000) => ({ owner, now, until: new Date(now.getTime() + ms) });
  const conversation = async (visitorId: string | null = null) => {
    const id = newId(clock);
    const state: Session = openSession(loaded.bot, {});
    await db('channels').insert({ id, bot_id: id, kind: 'simulator', address: id, is_on: true });
    const row = { id, botId: id, channelId: id, visitorId, releaseId: null, state, visitorName: null, at: clock.now() };
    await ask((hot) => hot.run(turning.insertConversation({ ...row, source: 'channel' })));
    return id;
  };
  const incoming = (id: string, externalId: string, shown?: string) => ({
    conversationId: id,
    botId: id,
    source: id,
    externalId,
    event: { type: 'open', at: '2026-05-11T10:00:00.000Z', channel: 'test' } as const,
    ...(shown === undefined ? {} : { shown: { id: externalId, text: shown } }),
  });
  const lines = async (id: string) =>
    (await store.linesAfter(db, id, 0)).map((l) => (JSON.parse(l.message) as { text: string }).text);
  const booked: ActionResult = { outcome: 'answered', status: 201, body: { ref: 'R1' } };
  const next = async (id: string): Promise<turning.NextTurn> => {
    const found = await ask((hot) => turning.nextTurn(hot, id));
    if (!found) throw new Error('nothing to do');
    return found;
  };
  const input = async (id: string, eventId: string, more: Partial<Parameters<ReturnType<typeof createRunner>>[0]> = {}) => ({
    loaded,
    session: openSession(loaded.bot, {}),
    event: incoming(id, 'x').event,
    eventId,
    conversationId: id,
    visitorId: null,
    channelId: null,
    owner: 'me',
    journal: await ask((hot) => turning.journalOf(hot, eventId)),
    dueAt: null,
    pushed: false,
    onSaid: () => undefined,
    onWords: () => undefined,
    onDoing: () => undefined,
    onMade: () => undefined,
    stop: new AbortController().signal,
    mind: createMind(loaded.bot.document, { listener: undefined }),
    version: loaded.version,
    ...more,
  });
  const secrets = () => new Secrets(db, clock, null);
  const runnerParts = (action: PerformAction): RunnerParts => {
    const model = () => Promise.reject(new Error('no model here'));
    const mcp = () => Promise.reject(new Error('no tools here'));
    return { db, clock, secrets: secrets(), action, model, mcp, ...tablesAndNotices(db, clock) };
  };

  it('migrates twice without doing anything twice', async () => {
    const count = async () => (await db('migrations').count('* as n').first()) as { n: number };
    const before = await count();
    await migrate(db);
    expect(before.n).to.be.greaterThan(1);
    expect(await count()).to.deep.equal(before);
  });

  it('accepts an event once, however many times it comes at once', async () => {
    const id = await conversation();
    const all = await Promise.all(Array.from({ length: 8 }, () => accept(db, clock, me, incoming(id, 'same', 'hello'))));
    expect(new Set(all.map((a) => a.eventId)).size).to.equal(1);
    expect(all.filter((a) => !a.repeat)).to.have.length(1);
    expect(await lines(id)).to.deep.equal(['hello']);
  });

  it('numbers lines without a gap and without two the same', async () => {
    const id = await conversation();
    await Promise.all(Array.from({ length: 12 }, (_, i) => accept(db, clock, me, incoming(id, `e${i}`, `m${i}`))));
    const seqs = (await store.linesAfter(db, id, 0)).map((l) => l.seq);
    expect(seqs).to.deep.equal(Array.from({ length: 12 }, (_, i) => i + 1));
  });

  it('sends what was wanted, also when that was while somebody looked whether there is anything', async () => {
    const [id, now] = [await conversation(), clock.now()];
    const claim = { owner: 'one', now, until: new Date(now.getTime() + 5000) };
    const want = () => ask((hot) => hot.run(turning.wantDelivery({ conversationId: id, channelId: id, recipient: '771001' })));
    const waits = async () =>
      (await messenger.waitingDeliveries(db, new Date(now.getTime() + 6000), 'one')).some((w) => w.id === id);
    await want();
    const taken = await messenger.takeDelivery(db, id, claim);
    expect(await messenger.takeDelivery(db, id, { ...claim, owner: 'two' })).to.equal(undefined);
    await messenger.endDelivery(db, id, 'one', taken?.wanted ?? null);
    expect(await waits()).to.equal(false);
    await want();
    const again = await messenger.takeDelivery(db, id, claim);
    await want();
    await messenger.endDelivery(db, id, 'one', again?.wanted ?? null);
    expect(await waits()).to.equal(true);
    const third = await messenger.takeDelivery(db, id, claim);
    expect(third).to.include({ wanted: 3, sent_seq: 0, recipient: '771001' });
    const place = { sentSeq: 4, part: 1, tries: 2, nextAt: new Date(now.getTime() + 60_000), leaseUntil: null };
    expect(await messenger.moveDelivery(db, id, 'two', place)).to.equal(false);
    expect(await messenger.moveDelivery(db, id, 'one', place)).to.equal(true);
    expect([await messenger.takeDelivery(db, id, claim), await waits()]).to.deep.equal([undefined, false]);
  });

  it('stores nothing of a move that the conversation does not let, also what its transaction did before', async () => {
    const [id, visitor] = [await conversation(), newId(clock)];
    await store.ensureVisitor(db, {
      id: visitor,
      botId: id,
      kind: 'key',
      keyHash: visitor.padEnd(64, '0').slice(0, 64),
      at: clock.now(),
    });
    const line = { position: 0, who: 'bot', message: { text: 'x', blocks: [] }, dueAt: null } as const;
    const say = (owner: string) =>
      transaction(db, async (hot) => {
        const place = { botId: id, visitorId: visitor, at: clock.now() };
        await changeVariables(hot, place, [{ op: 'add', name: 'said', value: 1 }]);
        const gate = turning.takeNumbers(id, owner, 1, null);
        return move(hot, {
          conversationId: id,
          gate,
          additions: [turning.insertLines(id, id, [line], { at: clock.now(), again: false })],
        });
      });
    await ask((hot) => turning.takeLease(hot, id, claim('me', clock.now())));
    expect(await say('other')).to.equal(undefined);
    const said = async () => (await db<{ id: string; variables: string }>('visitors').where({ id: visitor }).first())?.variables;
    expect([await said(), await lines(id)]).to.deep.equal(['{}', []]);
    const moved = await say('me');
    expect(moved).to.deep.equal({ last: 1, newest: 0 });
    expect([await said(), await lines(id)]).to.deep.equal(['{"said":1}', ['x']]);
  });

  it('keeps lines that an earlier try has stored, and then does not hand out what it would have said', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, me, incoming(id, 'one'));
    const run = createRunner(runnerParts(() => Promise.resolve(booked)));
    await run(await input(id, eventId));
    const taken = await next(id);
    // The next try is made with a bot that acts no more: all that it says is stored with its commit.
    const ran = await run(await input(id, eventId, { loaded: plainly, journal: [] }));
    expect([ran.said, await lines(id)]).to.deep.equal([0, ['One moment…']]);
    const turn = { conversationId: id, owner: 'me', next: taken, loaded: plainly, ran, pushed: false, told: [] };
    expect(await commitTurn(db, clock, turn)).to.deep.equal({ more: false, lines: [] });
    expect(await lines(id)).to.deep.equal(['One moment…', 'Then not.']);
    expect((await store.listTurns(db, id, ALL_TURNS)).rows).to.have.length(1);
  });

  it('lets one runner hold a conversation, until the lease is over', async () => {
    const id = await conversation();
    const now = new Date();
    const names = ['a', 'b', 'c', 'd'];
    const owners = await Promise.all(names.map((o) => ask((hot) => turning.takeLease(hot, id, claim(o, now)))));
    expect(owners.filter(Boolean)).to.have.length(1);
    const winner = names[owners.indexOf(true)] ?? '';
    expect(await ask((hot) => turning.takeLease(hot, id, claim(winner, now)))).to.equal(true);
    expect(await ask((hot) => turning.takeLease(hot, id, claim('late', new Date(now.getTime() + 5001))))).to.equal(true);
    expect(await ask((hot) => turning.takeLease(hot, id, claim(winner, new Date(now.getTime() + 5002))))).to.equal(false);
    expect(await ask((hot) => turning.renewLease(hot, id, winner, now))).to.equal(false);
  });

  it('keeps the lease of a process that is too busy to, and of one that moves leaves it to the process', async () => {
    const id = await conversation();
    await accept(db, clock, { owner: 'busy', leaseMs: 600 }, incoming(id, 'one'));
    const until = async () => Number((await db('conversations').where({ id }).first('lease_until')).lease_until);
    const begun = await until();
    const databaseUrl = databaseOf('steps');
    const guard = new LeaseGuard({ databaseUrl, owner: 'busy', leaseMs: 600, clock, log: pino({ level: 'silent' }) });
    try {
      for (let tries = 0; tries < 20 && (await until()) === begun; tries++) {
        // Nothing of this process moves meanwhile, as in a turn that computes.
        Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 1500);
      }
      expect(await until()).to.be.greaterThan(begun);
      expect(await ask((hot) => turning.takeLease(hot, id, claim('other', new Date(begun + 1))))).to.equal(false);
    } finally {
      await guard.close();
    }
  });

  it('gives an accepted event to its acceptor, unless somebody works there already', async () => {
    const id = await conversation();
    await accept(db, clock, me, incoming(id, 'one'));
    await accept(db, clock, { owner: 'other', leaseMs: 5000 }, incoming(id, 'two'));
    expect((await next(id)).lease_owner).to.equal('me');
  });

  it('stores what was said before a call together with the journal, and commits the rest', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, me, incoming(id, 'one'));
    const during: string[][] = [];
    const noted: number[] = [];
    const run = createRunner(
      runnerParts(async () => {
        during.push(await lines(id));
        noted.push((await ask((hot) => turning.journalOf(hot, eventId))).length);
        return booked;
      }),
    );
    const ran = await run(await input(id, eventId));
    expect([during, noted]).to.deep.equal([[['One moment…']], [1]]);
    const { more } = await commitTurn(db, clock, {
      conversationId: id,
      owner: 'me',
      next: await next(id),
      loaded,
      ran,
      pushed: false,
      told: [],
    });
    expect(more).to.equal(false);
    expect(await lines(id)).to.deep.equal(['One moment…', 'Booked R1.']);
    expect(await ask((hot) => turning.nextTurn(hot, id))).to.equal(undefined);
    expect((await store.listTurns(db, id, ALL_TURNS)).rows.map((t) => t.number)).to.deep.equal([1]);
    expect(await ask((hot) => turning.journalOf(hot, eventId))).to.deep.equal([]);
  });

  it('says at a commit whether another event waits, and keeps the conversation then', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, me, incoming(id, 'one'));
    await accept(db, clock, { owner: 'other', leaseMs: 5000 }, incoming(id, 'two'));
    const run = createRunner(runnerParts(() => Promise.resolve(booked)));
    const ran = await run(await input(id, eventId));
    const { more } = await commitTurn(db, clock, {
      conversationId: id,
      owner: 'me',
      next: await next(id),
      loaded,
      ran,
      pushed: false,
      told: [],
    });
    expect(more).to.equal(true);
    expect((await next(id)).lease_owner).to.equal('me');
    const waiting = await ask((hot) => turning.waitingConversations(hot, new Date(Date.now() + 60_000)));
    expect(waiting.map((w) => w.id)).to.include(id);
  });

  it('makes a line due after its pause, and at once when the visitor goes on talking', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, me, incoming(id, 'one'));
    const run = createRunner(runnerParts(() => Promise.resolve(booked)));
    const ran = await run(await input(id, eventId));
    await commitTurn(db, clock, { conversationId: id, owner: 'me', next: await next(id), loaded, ran, pushed: false, told: [] });
    const waits = (await store.linesAfter(db, id, 0)).map((l) => (l.due_at === null ? 0 : l.due_at.getTime() - l.at.getTime()));
    expect(waits).to.deep.equal([0, 30_000]);
    const due = async () =>
      (await db<{ id: string; due_at: Date | null }>('conversations').where({ id }).first('due_at'))?.due_at;
    expect(await due()).to.be.instanceOf(Date);
    await accept(db, clock, me, incoming(id, 'two', 'Hello?'));
    expect(await due()).to.equal(null);
  });

  it('reuses what the journal holds when a turn is taken up again, and says nothing twice', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, me, incoming(id, 'one'));
    const calls: ActionEffect[] = [];
    const keys: string[] = [];
    const run = createRunner(
      runnerParts((effect, reach, key) => {
        calls.push(effect);
        keys.push(`${reach.ok ? reach.address : ''} ${key}`);
        return Promise.resolve(booked);
      }),
    );
    await run(await input(id, eventId));
    const again = await run(await input(id, eventId));
    expect(calls).to.have.length(1);
    expect(keys).to.deep.equal([`http://office.example ${eventId}/1/0`]);
    expect(again.result.messages.map((m) => m.text)).to.deep.equal(['One moment…', 'Booked R1.']);
    expect(await lines(id)).to.deep.equal(['One moment…']);
  });

  for (const repeatable of [false, true]) {
    it(`${repeatable ? 'repeats a change that is safe to repeat' : 'does not repeat another change'} when its outcome is not known`, async () => {
      const id = await conversation();
      const { eventId } = await accept(db, clock, me, incoming(id, 'one'));
      await ask((hot) => hot.run(turning.noteChange({ eventId, path: '1/0', version: 'draft 1', request: {} })));
      const keys: string[] = [];
      const run = createRunner(runnerParts((_effect, _reach, key) => (keys.push(key), Promise.resolve(booked))));
      const ran = await run(await input(id, eventId, { loaded: loadedOf(repeatable) }));
      const said = ran.result.messages.at(-1)?.text;
      if (repeatable) expect([keys, said]).to.deep.equal([[`${eventId}/1/0`], 'Booked R1.']);
      else expect([keys, said?.slice(0, 50)]).to.deep.equal([[], 'Not booked: Primrose was stopped while this was un']);
    });
  }

  it('stores nothing of a turn when another runner has taken over', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, { owner: 'me', leaseMs: 0 }, incoming(id, 'one'));
    const ran = await createRunner(runnerParts(() => Promise.resolve(booked)))(await input(id, eventId));
    const taken = await next(id);
    await ask((hot) => turning.takeLease(hot, id, claim('other', new Date(Date.now() + 10))));
    const turn = { conversationId: id, owner: 'me', next: taken, loaded, ran, pushed: false, told: [] };
    expect(await commitTurn(db, clock, turn).catch((e: unknown) => e)).to.be.instanceOf(LostLease);
    expect((await store.listTurns(db, id, ALL_TURNS)).rows).to.deep.equal([]);
    expect((await next(id)).event_id).to.equal(eventId);
    const late = createRunner(runnerParts(() => Promise.reject(new Error('must not be called'))));
    expect(await late(await input(id, newId(clock))).catch((e: unknown) => e)).to.be.instanceOf(LostLease);
  });

  it('keeps both of two changes that two conversations of a visitor make at once', async () => {
    const visitor = newId(clock);
    const keyHash = visitor.padEnd(64, '0').slice(0, 64);
    await store.ensureVisitor(db, { id: visitor, botId: visitor, kind: 'key', keyHash, at: clock.now() });
    const change = (name: string) =>
      transaction(db, (hot) =>
        changeVariables(hot, { botId: visitor, visitorId: visitor, at: clock.now() }, [
          { op: 'set', name, value: name },
          { op: 'add', name: 'trips', value: 1 },
          { op: 'add', name: 'ports', value: name, list: true },
        ]),
      );
    await Promise.all(['a', 'b', 'c', 'd', 'e', 'f'].map(change));
    const row = await db<{ id: string; variables: string }>('visitors').where({ id: visitor }).first('variables');
    const { trips, ports, ...rest } = JSON.parse(row?.variables ?? '{}') as Record<string, unknown>;
    expect([trips, [...(ports as string[])].sort()]).to.deep.equal([6, ['a', 'b', 'c', 'd', 'e', 'f']]);
    expect(rest).to.deep.equal({ a: 'a', b: 'b', c: 'c', d: 'd', e: 'e', f: 'f' });
  });

  describe('worked off by a process', () => {
    const loader = (bad?: string) => ({
      draft: (botId: string) => (botId === bad ? Promise.reject(new Error('broken')) : Promise.resolve(loaded)),
      release: () => Promise.reject(new Error('none')),
    });
    const turnsWith = (perform: PerformAction, process: string, bad?: string) => {
      const run = createRunner(runnerParts(perform));
      const log = pino({ level: 'silent' });
      return new Turns({
        db,
        clock,
        loader: loader(bad),
        run,
        listeners: listenersFor(db, clock),
        lookOf: noLookups,
        wakes: new Wakes(),
        stops: new TurnStops(db, clock, () => false),
        deliveries: { pushes: () => false, kick: () => undefined },
        handedOver: () => Promise.resolve([]),
        log,
        tries: 5,
        leaseMs: 2000,
        process,
      });
    };
    const until = async (done: () => Promise<boolean>) => {
      for (let i = 0; i < 200 && !(await done()); i++) await new Promise((resolve) => setTimeout(resolve, 50));
      expect(await done()).to.equal(true);
    };
    const waits = async (id: string) => (await ask((hot) => turning.nextTurn(hot, id))) !== undefined;

    it('is what a runner that died has left; what fails again and again is put aside', async () => {
      const [left, bad] = [await conversation(), await conversation()];
      await accept(db, clock, { owner: 'dead', leaseMs: 500 }, incoming(left, 'left'));
      await accept(db, clock, { owner: 'dead', leaseMs: 500 }, incoming(bad, 'bad'));
      const turns = turnsWith(() => Promise.resolve(booked), 'living', bad);
      turns.start();
      await until(async () => !(await waits(left)) && !(await waits(bad)));
      await turns.stop(1000);
      expect(await lines(left)).to.deep.equal(['One moment…', 'Booked R1.']);
      expect(await lines(bad)).to.have.length(1);
      expect((await lines(bad))[0]).to.contain('could not be answered');
    });

    it('is handed back within the bound of a stop, and taken up by another process', async () => {
      const id = await conversation();
      let answer: (result: ActionResult) => void = () => undefined;
      const slow = turnsWith(() => new Promise((resolve) => (answer = resolve)), 'first');
      await slow.take(incoming(id, 'one'));
      await until(async () => (await lines(id)).length === 1);
      const begun = Date.now();
      await slow.stop(200);
      expect(Date.now() - begun).to.be.lessThan(2000);
      expect((await next(id)).lease_owner).to.equal(null);
      const other = turnsWith(() => Promise.reject(new Error('must not be called')), 'second');
      other.start();
      await until(async () => !(await waits(id)));
      answer(booked);
      await Promise.all([slow.stop(1000), other.stop(1000)]);
      expect((await lines(id)).at(-1)).to.contain('Not booked: Primrose was stopped while this was under way');
    });
  });
});
