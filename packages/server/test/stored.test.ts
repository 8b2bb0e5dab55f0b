import { expect } from 'chai';
import { createConnection } from 'mysql2/promise';
import { compile, openSession } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { newId, systemClock } from '../src/base/clock.js';
import * as columns from '../src/store/columns.js';
import { openDatabase, type Db } from '../src/store/database.js';
import { fairly, retrying, statement, transaction, type Hot, type Statement, type Waiting } from '../src/store/hot.js';
import { waitingDeliveries } from '../src/store/messenger.js';
import { migrate } from '../src/store/migrate.js';
import { migrations } from '../src/store/migrations.js';
import { move } from '../src/store/move.js';
import * as turning from '../src/store/turning.js';
import { ownDatabase } from './support/service.js';

describe('a column that holds JSON', () => {
  const AT = '2026-05-11T10:00:00.000Z';
  it('gives back what was written into it', () => {
    const bot = compile(botOf({ end: { kind: 'end' } }));
    const session = openSession(bot, { name: 'Mo' });
    expect(columns.stateColumn.read(columns.stateColumn.write(session))).to.deep.equal(session);
    const event = { type: 'message', at: AT, channel: 'web-chat', text: 'Hello' } as const;
    expect(columns.eventColumn.read(columns.eventColumn.write(event))).to.deep.equal(event);
    expect(columns.jsonColumn.read('7')).to.equal(7);
    expect(columns.ownColumn<{ a: number }>('own', 'a').read('{"a":1}')).to.deep.equal({ a: 1 });
  });
  it('says which one it is where something else stands in it', () => {
    for (const [column, text] of [
      [columns.stateColumn, '{"frames":[]}'],
      [columns.stateColumn, 'null'],
      [columns.variablesColumn, '[]'],
      [columns.eventColumn, '{"type":"open"}'],
      [columns.resultColumn, '"done"'],
      [columns.messageColumn, '{"text":"Hello"}'],
      [columns.sheetColumn, '{}'],
      [columns.timingsColumn, '{}'],
      [columns.patchColumn, '{"op":"add"}'],
      [columns.runColumn, '[]'],
    ] as const)
      expect(() => column.read(text)).to.throw(/^[a-z]+ of the database holds what does not belong there: /);
    expect(() => columns.stateColumn.read('{"fra')).to.throw(SyntaxError);
  });
  it('of patches brings those of earlier names up to date', () => {
    const old = [{ op: 'replace', path: '/connections/office/shows', value: 'bearer' }];
    expect(columns.patchColumn.read(JSON.stringify(old))).to.deep.equal([
      { op: 'replace', path: '/connections/office/auth', value: 'bearer' },
    ]);
  });
});

describe('migrations', () => {
  const opened: Db[] = [];
  const database = async (name: string): Promise<Db> => open(await ownDatabase(name));
  const open = (url: string): Db => {
    const db = openDatabase(url, 4);
    opened.push(db);
    return db;
  };
  after(() => Promise.all(opened.map((db) => db.destroy())));
  const names = async (db: Db) => (await db('migrations').orderBy('id').select('name')).map((r: { name: string }) => r.name);

  it('of processes that start at once are done by one of them, once', async () => {
    const url = await ownDatabase('at_once');
    const dbs = Array.from({ length: 4 }, () => open(url));
    await Promise.all(dbs.map((db) => migrate(db)));
    const [first] = dbs;
    expect(first && (await names(first))).to.deep.equal(Object.keys(migrations));
  });

  it('wait for whoever is at it, and take over from one that died', async () => {
    const db = await database('lease');
    await migrate(db);
    const hold = (seconds: number) =>
      db.raw("UPDATE leases SET owner = 'somebody', until = UTC_TIMESTAMP(3) + INTERVAL ? SECOND WHERE name = 'migrations'", [
        seconds,
      ]);
    await hold(60);
    const order: string[] = [];
    const going = migrate(db).then(() => order.push('migrated'));
    await db.raw('SELECT SLEEP(0.4)');
    order.push('given back');
    await hold(-1);
    await going;
    expect(order).to.deep.equal(['given back', 'migrated']);
    // One that was killed in the middle left its lease, which is over, and the lock of the library, which nobody holds.
    await hold(-1);
    await db('migrations_lock').update({ is_locked: 1 });
    await migrate(db);
    const lease = await db<{ owner: string }>('leases').first('owner');
    expect(lease?.owner).to.not.equal('somebody');
    expect(await names(db)).to.deep.equal(Object.keys(migrations));
  });

  it('keep what is stored: events know where they came from, conversations what began them', async () => {
    const db = await database('earlier');
    const { '0005_runs': runs, ...earlier } = migrations;
    for (const up of Object.values(earlier)) await up(db);
    const [channel, simulator] = [newId(systemClock), newId(systemClock)];
    const bot = newId(systemClock);
    await db('channels').insert([
      { id: channel, bot_id: bot, kind: 'web-chat', address: 'a', is_on: true },
      { id: simulator, bot_id: bot, kind: 'simulator', address: 'b', is_on: true },
    ]);
    const row = (channelId: string) => ({
      id: newId(systemClock),
      bot_id: bot,
      channel_id: channelId,
      state: '{}',
      version: 0,
      last_seq: 1,
      opened_at: new Date(),
    });
    const [talked, tried] = [row(channel), row(simulator)];
    await db('conversations').insert([talked, tried]);
    const event = { id: newId(systemClock), conversation_id: talked.id, external_id: 'x', seq: 1, event: '{}' };
    await db('events').insert({ ...event, channel_id: channel, accepted_at: new Date() });
    await runs?.(db);
    const stored = await db('events').first('source', 'part', 'seq');
    expect(stored).to.deep.equal({ source: channel, part: 0, seq: 1 });
    const sources = await db<{ id: string; source: string }>('conversations').select('id', 'source');
    expect(new Map(sources.map((s) => [s.id, s.source]))).to.deep.equal(
      new Map([
        [talked.id, 'channel'],
        [tried.id, 'simulator'],
      ]),
    );
    expect((await db('channels').select('id')).map((c: { id: string }) => c.id)).to.deep.equal([channel]);
  });
});

describe('what waits on the database', () => {
  let db: Db;
  before(async () => {
    db = openDatabase(await ownDatabase('waits'), 4);
    await migrate(db);
  });
  after(() => db.destroy());
  const ask = <T>(work: (hot: Hot) => Promise<T>): Promise<T> => statement(db, work);
  const byOwner = (found: readonly Waiting[]) => {
    const counts: Record<string, number> = {};
    for (const { owner } of found) counts[owner] = (counts[owner] ?? 0) + 1;
    return counts;
  };

  it('is found of every owner, however much one has', async () => {
    const sql = ['x'.repeat(30), 'y', 'z']
      .flatMap((owners) => [...owners])
      .map((owner, i) => `SELECT ${i} AS id, '${owner}' AS owner, ${i} AS since`)
      .join(' UNION ALL ');
    const found = await ask((hot) => hot.read<Waiting>(fairly(sql), []));
    expect(byOwner(found)).to.deep.equal({ x: 20, y: 1, z: 1 });
  });

  it('of one bot, or of one channel, does not hide what others have', async () => {
    const state = openSession(compile(botOf({ end: { kind: 'end' } })), {});
    const now = new Date();
    const [many, few] = [newId(systemClock), newId(systemClock)];
    const begin = async (botId: string, i: number) => {
      const id = newId(systemClock);
      const row = { id, botId, channelId: botId, source: 'channel', visitorId: null, releaseId: null, state } as const;
      const until = new Date(now.getTime() - 1);
      await transaction(db, (hot) =>
        move(hot, {
          conversationId: id,
          before: [turning.insertConversation({ ...row, visitorName: null, at: now })],
          gate: turning.takeEvent(id, { owner: 'gone', now: new Date(now.getTime() - 1000 + i), until }),
          additions: [turning.wantDelivery({ conversationId: id, channelId: botId, recipient: 'Mo' })],
        }),
      );
    };
    for (let i = 0; i < 60; i++) await begin(many, i);
    for (let i = 60; i < 63; i++) await begin(few, i);
    expect(byOwner(await ask((hot) => turning.waitingConversations(hot, now)))).to.deep.equal({ [many]: 20, [few]: 3 });
    expect(byOwner(await waitingDeliveries(db, now, 'one'))).to.deep.equal({ [many]: 20, [few]: 3 });
  });

  it('in a conversation is its next event, and the further parts of one before the next one', async () => {
    const id = newId(systemClock);
    const state = openSession(compile(botOf({ end: { kind: 'end' } })), {});
    const now = new Date();
    const claim = { owner: 'me', now, until: new Date(now.getTime() + 60_000) };
    const botId = newId(systemClock);
    const at = now.toISOString();
    const event = (externalId: string, seq: number | 'last', part: number) =>
      turning.insertEvent({
        id: newId(systemClock),
        conversationId: id,
        source: 'call',
        externalId,
        seq,
        part,
        event:
          part === 0 ? ({ type: 'fired', at, by: 'call', flow: 'main', given: {} } as const) : ({ type: 'go-on', at } as const),
        at: now,
      });
    const makeMove = (gate: Statement, additions: readonly Statement[], before: readonly Statement[] = []) =>
      transaction(db, (hot) => move(hot, { conversationId: id, before, gate, additions }));
    const begins = {
      id,
      botId,
      channelId: null,
      source: 'call',
      visitorId: null,
      releaseId: null,
      state,
      visitorName: null,
      at: now,
    };
    const take = (name: string, before: readonly Statement[] = []) =>
      makeMove(turning.takeEvent(id, claim), [event(name, 'last', 0)], before);
    const one = (await take('one', [turning.insertConversation(begins as turning.NewConversation)]))?.newest;
    const two = (await take('two'))?.newest;
    expect([one, two]).to.deep.equal([1, 2]);
    const seen: [number, number][] = [];
    const commit = async (rests: boolean) => {
      const next = await ask((hot) => turning.nextTurn(hot, id));
      if (!next) throw new Error('nothing waits');
      seen.push([next.event_seq, next.event_part]);
      const { event_seq: eventSeq, event_part: eventPart } = next;
      const gate = turning.commitState({
        id,
        version: next.version,
        owner: 'me',
        eventSeq,
        eventPart,
        rests,
        lines: 0,
        state,
        releaseBefore: null,
        releaseId: null,
        endedAt: null,
        dueAt: null,
      });
      const moved = await makeMove(gate, rests ? [event(`go-on ${eventPart + 1}`, eventSeq, eventPart + 1)] : []);
      return moved && moved.newest > turning.lastDone({ eventSeq, rests });
    };
    expect([await commit(true), await commit(true), await commit(false), await commit(false)]).to.deep.equal([
      true,
      true,
      true,
      false,
    ]);
    expect(seen).to.deep.equal([
      [one, 0],
      [one, 1],
      [one, 2],
      [two, 0],
    ]);
    expect(await ask((hot) => turning.nextTurn(hot, id))).to.equal(undefined);
  });

  it('of a statement that lost against another is tried again, and what is wrong is not', async () => {
    let tries = 0;
    const lost = Object.assign(new Error('deadlock'), { errno: 1213 });
    expect(await retrying(() => (++tries < 3 ? Promise.reject(lost) : Promise.resolve('done')))).to.equal('done');
    expect(tries).to.equal(3);
    tries = 0;
    const wrong = () => (tries++, Promise.reject(Object.assign(new Error('no such table'), { errno: 1146 })));
    expect(await retrying(wrong).catch((e: Error) => e.message)).to.equal('no such table');
    expect(tries).to.equal(1);
  });

  it('is all or nothing in a transaction', async () => {
    const connection = await createConnection((db.client as { config: { connection: object } }).config.connection);
    await connection.query('CREATE TABLE counted (n INT)');
    const failing = transaction(db, async (hot) => {
      await hot.write('INSERT INTO counted VALUES (1)', []);
      throw new Error('changed my mind');
    });
    expect(await failing.catch((e: Error) => e.message)).to.equal('changed my mind');
    await transaction(db, (hot) => hot.write('INSERT INTO counted VALUES (2)', []));
    const [rows] = await connection.query('SELECT n FROM counted');
    expect(rows).to.deep.equal([{ n: 2 }]);
    await connection.end();
  });
});
