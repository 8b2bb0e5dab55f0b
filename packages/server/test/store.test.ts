import { expect } from 'chai';
import { pino } from 'pino';
import { compile, openSession, type ActionEffect, type EffectResult, type Session } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { newId, systemClock } from '../src/clock.js';
import * as store from '../src/store/conversations.js';
import { migrate, openDatabase, type Db } from '../src/store/database.js';
import { accept } from '../src/turns/accept.js';
import type { LoadedBot } from '../src/turns/bots.js';
import { commitTurn, LostLease } from '../src/turns/commit.js';
import { Wakes } from '../src/turns/deliver.js';
import { createRunner } from '../src/turns/run.js';
import { Turns } from '../src/turns/turns.js';
import { DATABASE_URL } from './support/service.js';

const BOOKING = botOf(
  {
    wait: { kind: 'say', says: 'One moment…', exits: { said: 'book' } },
    book: { kind: 'action', runs: 'office.book', into: 'visitor.reference', exits: { done: 'yes', failed: 'no' } },
    yes: { kind: 'end', says: 'Booked {{ visitor.reference }}.' },
    no: { kind: 'end', says: 'Not booked: {{ turn.failure.reason }}' },
  },
  {
    variables: { visitor: { reference: { type: 'text' } } },
    connections: {
      office: {
        address: 'http://office.example',
        actions: { book: { post: '/book', gives: { reference: '{{ answer.ref }}' } } },
      },
    },
  },
);

describe('the steps of a turn on the database', () => {
  let db: Db;
  const clock = systemClock;
  const loaded: LoadedBot = { bot: compile(BOOKING), releaseId: null, revision: 1 };
  before(async () => {
    // A database of its own: the shared service would work off these events.
    const admin = openDatabase(DATABASE_URL, 2);
    await admin.raw('CREATE DATABASE primrose_steps CHARACTER SET utf8mb4 COLLATE utf8mb4_bin');
    await admin.destroy();
    db = openDatabase(DATABASE_URL.replace(/\/primrose$/, '/primrose_steps'), 8);
    await migrate(db);
  });
  after(() => db.destroy());

  const conversation = async (visitorId: string | null = null) => {
    const id = newId(clock);
    const state: Session = openSession(loaded.bot, {});
    await store.insertConversation(db, {
      id,
      botId: id,
      channelId: id,
      visitorId,
      releaseId: null,
      state,
      visitorName: null,
      at: clock.now(),
    });
    return id;
  };
  const incoming = (id: string, externalId: string, shown?: string) => ({
    conversationId: id,
    channelId: id,
    externalId,
    event: { type: 'open', at: '2026-05-11T10:00:00.000Z', channel: 'test' } as const,
    ...(shown === undefined ? {} : { shown: { id: externalId, text: shown } }),
  });
  const lines = async (id: string) =>
    (await store.linesAfter(db, id, 0)).map((l) => (JSON.parse(l.message) as { text: string }).text);
  const booked: EffectResult = { outcome: 'answered', status: 201, body: { ref: 'R1' } };
  const input = (id: string, eventId: string) => ({
    loaded,
    session: openSession(loaded.bot, {}),
    event: incoming(id, 'x').event,
    eventId,
    conversationId: id,
    addresses: new Map<string, string>(),
    onSaid: () => undefined,
  });
  const rows = async (id: string) => {
    const [event, row] = [await store.nextEvent(db, id), await store.findConversation(db, id)];
    if (!event || !row) throw new Error('nothing to do');
    return { event, row };
  };

  it('migrates twice without doing anything twice', async () => {
    await migrate(db);
    expect(await db('migrations').count('* as n').first()).to.deep.equal({ n: 1 });
  });

  it('accepts an event once, however many times it comes at once', async () => {
    const id = await conversation();
    const all = await Promise.all(Array.from({ length: 8 }, () => accept(db, clock, incoming(id, 'same', 'hello'))));
    expect(new Set(all.map((a) => a.eventId)).size).to.equal(1);
    expect(all.filter((a) => !a.repeat)).to.have.length(1);
    expect(await lines(id)).to.deep.equal(['hello']);
  });

  it('numbers lines without a gap and without two the same', async () => {
    const id = await conversation();
    await Promise.all(Array.from({ length: 12 }, (_, i) => accept(db, clock, incoming(id, `e${i}`, `m${i}`))));
    const seqs = (await store.linesAfter(db, id, 0)).map((l) => l.seq);
    expect([...seqs].sort((a, b) => a - b)).to.deep.equal(seqs);
    expect(new Set(seqs).size).to.equal(12);
  });

  it('lets one runner hold a conversation, until the lease is over', async () => {
    const id = await conversation();
    const now = new Date();
    const later = new Date(now.getTime() + 5000);
    const owners = await Promise.all(['a', 'b', 'c', 'd'].map((o) => store.takeLease(db, id, o, now, later)));
    expect(owners.filter(Boolean)).to.have.length(1);
    const winner = ['a', 'b', 'c', 'd'][owners.indexOf(true)] ?? '';
    expect(await store.takeLease(db, id, winner, now, later)).to.equal(true);
    expect(await store.takeLease(db, id, 'late', new Date(later.getTime() + 1), new Date(later.getTime() + 5000))).to.equal(true);
    expect(await store.takeLease(db, id, winner, new Date(later.getTime() + 2), later)).to.equal(false);
  });

  it('stores what was said before a call together with the journal, and commits the rest', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, incoming(id, 'one'));
    const during: string[][] = [];
    const run = createRunner(db, clock, async () => (during.push(await lines(id)), booked));
    const ran = await run(input(id, eventId));
    expect(during).to.deep.equal([['One moment…']]);
    const { event, row } = await rows(id);
    await store.takeLease(db, id, 'me', new Date(), new Date(Date.now() + 5000));
    await commitTurn(db, clock, 'me', row, event, loaded, ran);
    expect(await lines(id)).to.deep.equal(['One moment…', 'Booked R1.']);
    expect(await store.nextEvent(db, id)).to.equal(undefined);
    expect((await store.listTurns(db, id)).map((t) => t.number)).to.deep.equal([1]);
  });

  it('reuses what the journal holds when a turn is taken up again, and says nothing twice', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, incoming(id, 'one'));
    const calls: ActionEffect[] = [];
    const keys: string[] = [];
    const run = createRunner(
      db,
      clock,
      (effect, address, key) => (calls.push(effect), keys.push(`${address} ${key}`), Promise.resolve(booked)),
    );
    await run(input(id, eventId));
    const again = await run(input(id, eventId));
    expect(calls).to.have.length(1);
    expect(keys).to.deep.equal([`http://office.example ${eventId}/1/0`]);
    expect(again.result.messages.map((m) => m.text)).to.deep.equal(['One moment…', 'Booked R1.']);
    expect(await lines(id)).to.deep.equal(['One moment…']);
  });

  it('does not repeat a change whose outcome is not known, and says so', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, incoming(id, 'one'));
    await store.writeJournal(db, { eventId, path: '1/0', request: {}, result: null });
    const run = createRunner(db, clock, () => Promise.reject(new Error('must not be called')));
    const ran = await run(input(id, eventId));
    expect(ran.result.messages.at(-1)?.text).to.contain('Not booked: Primrose was stopped while this was under way');
  });

  it('stores nothing of a turn when another runner has taken over', async () => {
    const id = await conversation();
    const { eventId } = await accept(db, clock, incoming(id, 'one'));
    const ran = await createRunner(db, clock, () => Promise.resolve(booked))(input(id, eventId));
    const { event, row } = await rows(id);
    await store.takeLease(db, id, 'other', new Date(), new Date(Date.now() + 5000));
    const error = await commitTurn(db, clock, 'me', row, event, loaded, ran).catch((e: unknown) => e);
    expect(error).to.be.instanceOf(LostLease);
    expect(await store.listTurns(db, id)).to.deep.equal([]);
    expect((await store.nextEvent(db, id))?.id).to.equal(eventId);
  });

  it('keeps both of two changes that two conversations of a visitor make at once', async () => {
    const visitor = newId(clock);
    await store.insertVisitor(db, {
      id: visitor,
      botId: visitor,
      keyHash: visitor.padEnd(64, '0').slice(0, 64),
      at: clock.now(),
    });
    await Promise.all(
      ['a', 'b', 'c', 'd'].map((name) => db.transaction((tx) => store.changeVisitor(tx, visitor, [{ name, value: name }]))),
    );
    expect(await store.visitorVariables(db, visitor)).to.deep.equal({ a: 'a', b: 'b', c: 'c', d: 'd' });
  });

  it('works off what a runner that died has left, and puts aside what fails again and again', async () => {
    const [left, bad] = [await conversation(), await conversation()];
    await accept(db, clock, incoming(left, 'left'));
    await accept(db, clock, incoming(bad, 'bad'));
    const loader = {
      draft: (botId: string) => (botId === bad ? Promise.reject(new Error('broken')) : Promise.resolve(loaded)),
      release: () => Promise.reject(new Error('none')),
    };
    const run = createRunner(db, clock, () => Promise.resolve(booked));
    const turns = new Turns({ db, clock, loader, run, wakes: new Wakes(), log: pino({ level: 'silent' }), leaseMs: 2000 });
    turns.start();
    const until = async (done: () => Promise<boolean>) => {
      for (let i = 0; i < 200 && !(await done()); i++) await new Promise((resolve) => setTimeout(resolve, 50));
      expect(await done()).to.equal(true);
    };
    await until(async () => (await store.nextEvent(db, left)) === undefined);
    await until(async () => (await store.nextEvent(db, bad)) === undefined);
    await turns.stop();
    expect(await lines(left)).to.deep.equal(['One moment…', 'Booked R1.']);
    expect(await lines(bad)).to.have.length(1);
    expect((await lines(bad))[0]).to.contain('could not be answered');
  });
});
