import { expect } from 'chai';
import type { BotDocument, TableDeclaration, TableEffect } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { BOT, startingParts } from './support/starting.js';
import { until } from './support/until.js';
import { seeToStarts } from '../src/runs/keep-starts.js';
import { statement } from '../src/store/hot.js';
import { rowsById, REAL, wantDeclared } from '../src/store/tables.js';
import { seeToTables } from '../src/tables/carry.js';

const END = { done: { kind: 'end', ends: 'flow' } };
const ENDS = { ...END, none: END.done, conflict: END.done, failed: { kind: 'end', ends: 'failed' } };

describe('schedules, on a clock that is moved by hand', () => {
  const daily = { by: 'schedule', flow: 'tell', at: '30 6 * * *', zone: 'Europe/Dublin', given: { due: '{{ due }}' } };
  const tell = { takes: { due: 'text' }, begin: 'done', nodes: END };
  const withStarts = (starts: Record<string, unknown>): BotDocument =>
    botOf({}, { bot: 'clock', starts, flows: { main: { begin: 'done', nodes: END }, tell } }, 'main');
  const begunIn = async (db: Awaited<ReturnType<typeof startingParts>>['db']) =>
    (await db('runs').orderBy(['start', 'at']).select('start', 'given')).map(
      (r: { start: string; given: string }) => `${r.start} ${(JSON.parse(r.given) as { due: string }).due.slice(0, 16)}`,
    );

  it('begin each time once, tell what was missed, and make up for it once where that is wanted', async () => {
    const bot = withStarts({ daily, caught: { ...daily, missed: 'run-once' } });
    const { db, clock, move, insertBot, timed, end } = await startingParts('schedules', bot);
    try {
      await seeToStarts(db, clock, BOT, 'live', bot);
      const look = () => Promise.all(timed.map((t) => t.look()));
      const begun = () => begunIn(db);
      await look();
      expect(await begun()).to.deep.equal([]);
      // 06:30 in Dublin is 05:30 UTC in summer. Two processes look at the same moment.
      await move(30 * 60_000);
      await look();
      await look();
      expect(await begun()).to.deep.equal(['caught 2026-05-14T05:30', 'daily 2026-05-14T05:30']);
      // Nothing ran for three days.
      await move(3 * 86_400_000 + 3_600_000);
      await look();
      await look();
      expect(await begun()).to.deep.equal(['caught 2026-05-14T05:30', 'caught 2026-05-15T05:30', 'daily 2026-05-14T05:30']);
      const missed: { about: string }[] = await db('start_events').where({ outcome: 'missed' }).select('about');
      const told = '3 times were missed while nothing ran, the first at 2026-05-15T05:30:00.000Z';
      expect(missed.map((m) => m.about)).to.deep.equal([told, told]);
      // One whose bot cannot be loaded holds up none of the others.
      const [other, gone] = ['00000000-0000-7000-8000-0000000000ee', '00000000-0000-7000-8000-0000000000ff'];
      await insertBot(other, 'other', gone);
      const broken = { id: other, bot_id: other, name: 'broken', stage: 'live', kind: 'schedule', is_on: 1, declared: 1 };
      await db('starts').insert({ ...broken, address: 'broken', cron: 'Etc/UTC 0 0 * * *', next_at: clock.now() });
      await move(86_400_000 - 3_600_000);
      await look();
      expect((await begun()).filter((b) => b.startsWith('daily'))).to.deep.equal([
        'daily 2026-05-14T05:30',
        'daily 2026-05-18T05:30',
      ]);
    } finally {
      await end();
    }
  });

  it('keep their time through releases that leave them as they are; one that was away makes up for nothing', async () => {
    const bot = withStarts({ daily: { ...daily, missed: 'run-once' } });
    const { db, clock, move, timed, end } = await startingParts('released', bot);
    try {
      const released = (document: BotDocument) => seeToStarts(db, clock, BOT, 'live', document);
      const nextAt = async () => {
        const row: { next_at: Date } | undefined = await db('starts').where({ name: 'daily' }).first('next_at');
        return row?.next_at.toISOString();
      };
      await released(bot);
      expect(await nextAt()).to.equal('2026-05-14T05:30:00.000Z');
      // The time has come, and a release comes before anybody looks: the run is owed still.
      await move(40 * 60_000);
      await released(withStarts({ daily: { ...daily, missed: 'run-once' }, more: { ...daily, at: '0 8 * * *' } }));
      await timed[0]?.look();
      expect(await begunIn(db)).to.deep.equal(['daily 2026-05-14T05:30']);
      // Gone for two days, and back.
      await released(withStarts({}));
      await move(2 * 86_400_000);
      await timed[0]?.look();
      await released(bot);
      await timed[0]?.look();
      expect(await begunIn(db)).to.deep.equal(['daily 2026-05-14T05:30']);
      expect(await nextAt()).to.equal('2026-05-17T05:30:00.000Z');
    } finally {
      await end();
    }
  });
});

describe('tables and the starts that wait for them, in parts', () => {
  const NUMBERED: TableDeclaration = { columns: { number: { type: 'text', search: true }, cost: 'text' }, key: ['number'] };
  const keeping = (tables: Record<string, TableDeclaration>, more: Partial<BotDocument> = {}): BotDocument =>
    botOf({}, { bot: 'keeping', tables, flows: { main: { begin: 'done', nodes: ENDS } }, ...more }, 'main');
  const effect = (more: Partial<TableEffect>): TableEffect => {
    return { type: 'table', path: '0/0', table: 'rows', does: 'add', where: [], limit: 20, values: {}, fresh: {}, ...more };
  };
  const working = (document: BotDocument, origin?: string) => {
    const writer = { by: 'Owner', in: null };
    return { botId: BOT, document, realm: REAL, writer, visitor: null, ...(origin === undefined ? {} : { origin }) };
  };

  it('take no more rows than a table can have, however they come', async () => {
    const document = keeping({ rows: NUMBERED });
    const { tables, end } = await startingParts('full', document, { tableRows: 3 });
    try {
      const add = (number: string) => tables.perform(effect({ values: { number } }), working(document));
      for (const number of ['a', 'b']) expect(await add(number)).to.include({ outcome: 'stored' });
      const opened = await tables.open(BOT, document, 'rows');
      if (!opened.ok) throw new Error(opened.reason);
      const two = [{ number: 'x' }, { number: 'y' }];
      const failure = await tables.store(opened.table, working(document), two, []).catch((error: unknown) => error);
      expect(failure).to.deep.include({ code: 'table-full', facts: { most: 3 } });
      expect(await add('c')).to.include({ outcome: 'stored' });
      expect(await add('d')).to.deep.include({ outcome: 'failed', reason: 'rows has all the rows that a table can have: 3' });
      expect(await tables.perform(effect({ does: 'put', values: { number: 'c', cost: '1' } }), working(document))).to.include({
        outcome: 'stored',
      });
      const gone = effect({ does: 'remove', where: [{ column: 'number', relation: 'is', value: 'a' }] });
      await tables.perform(gone, working(document));
      expect(await add('d')).to.include({ outcome: 'stored' });
    } finally {
      await end();
    }
  });

  it('write once for a place in a turn, however deep it stands', async () => {
    const document = keeping({ rows: { columns: { what: 'text' } } });
    const { tables, db, end } = await startingParts('once', document);
    try {
      const place = `event/${'12.left/'.repeat(60)}0`;
      const write = () => tables.perform(effect({ values: { what: 'ramp' } }), working(document, place));
      const [first, again] = [await write(), await write()];
      expect(again).to.deep.equal(first);
      expect(await db('table_rows').count('* as n')).to.deep.equal([{ n: 1 }]);
    } finally {
      await end();
    }
  });

  it('find every row while some are brought to another declaration', async () => {
    const document = keeping({ rows: NUMBERED });
    const { tables, db, clock, end } = await startingParts('carried', document);
    try {
      await seeToTables(db, clock, BOT, document);
      for (const number of ['a', 'b']) await tables.perform(effect({ values: { number, cost: '5' } }), working(document));
      const now = keeping({
        rows: { columns: { number: { type: 'text', search: true }, cost: { type: 'number', search: true } }, key: ['cost'] },
      });
      const [row]: { id: string }[] = await db('tables').select('id');
      await wantDeclared(db, row?.id ?? '', now.tables?.['rows'] as TableDeclaration);
      await tables.perform(effect({ values: { number: 'c', cost: 7 } }), working(now));
      const found = async (column: string, value: string | number) => {
        const came = await tables.perform(effect({ does: 'find', where: [{ column, relation: 'is', value }] }), working(now));
        return came.outcome === 'rows' ? came.rows.map((r) => r.values['number']).sort() : came;
      };
      expect(await found('cost', 7)).to.deep.equal(['c']);
      expect(await found('cost', 5)).to.deep.equal(['a', 'b']);
      expect(await found('number', 'b')).to.deep.equal(['b']);
    } finally {
      await end();
    }
  });

  it('tell of a change for which no run could be begun, after so many tries', async () => {
    const start = { by: 'row', flow: 'tell', table: 'rows', on: ['added'], given: { what: '{{ row.number }}' } };
    const tell = { takes: { what: 'text' }, begin: 'done', nodes: END };
    const document = keeping({ rows: NUMBERED }, {
      starts: { told: start },
      flows: { main: { begin: 'done', nodes: END }, tell },
    } as Partial<BotDocument>);
    const { tables, db, clock, timed, end } = await startingParts('owed', document);
    try {
      await seeToTables(db, clock, BOT, document);
      await seeToStarts(db, clock, BOT, 'live', document);
      await tables.perform(effect({ values: { number: 'a' } }), working(document));
      await tables.perform(effect({ values: { number: 'b' } }), working(document));
      const owed: { id: string }[] = await db('row_events').orderBy('id').select('id');
      expect(owed).to.have.length(2);
      await db('row_events')
        .where({ id: owed[0]?.id ?? '' })
        .update({ tries: 10 });
      await timed[0]?.kick();
      await until(async () => (await db('row_events').select('id')).length === 0);
      const events: { outcome: string; about: string }[] = await db('start_events').orderBy('outcome').select('outcome', 'about');
      expect(events).to.deep.equal([
        { outcome: 'failed', about: 'a change of a row began nothing, after 10 tries' },
        { outcome: 'taken', about: '' },
      ]);
      expect(await db('runs').select('start')).to.deep.equal([{ start: 'told' }]);
    } finally {
      await end();
    }
  });

  it('tell the turn of each write, and keep a long name of who wrote as far as it goes', async () => {
    const document = keeping({ rows: NUMBERED });
    const { tables, db, end } = await startingParts('who', document);
    try {
      const place = { conversation: '00000000-0000-7000-8000-000000000123', turn: 7 };
      const by = 'n'.repeat(300);
      await tables.perform(effect({ values: { number: 'a' } }), { ...working(document), writer: { by, in: place } });
      const opened = await tables.open(BOT, document, 'rows');
      if (!opened.ok) throw new Error(opened.reason);
      const ids: { id: string }[] = await db('table_rows').select('id');
      const at = { table: opened.table.id, realm: REAL };
      const [row] = await statement(db, (hot) => rowsById(hot, at, [ids[0]?.id ?? ''], false));
      expect(row).to.deep.include({ madeIn: place, changedIn: place, madeBy: 'n'.repeat(120) });
    } finally {
      await end();
    }
  });
});
