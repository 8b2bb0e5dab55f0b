import { expect } from 'chai';
import { ApiError, type LiveEvent, type SimulatedEvent, type TableRowView, type TurnRecord } from '@primrose/contract';
import type { BotDocument, Value } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { theService, type TestService } from './support/service.js';
import { until } from './support/until.js';

const REPAIRS = {
  columns: {
    number: { type: 'text', search: true },
    boat: { type: 'boat', search: true },
    what: { type: 'text', needed: true },
    cost: 'number',
    state: { type: 'one_of', of: ['open', 'done'], default: 'open', search: true },
  },
  key: ['number'],
} as const;
const ENTITIES = { boat: { values: { wrackline: ['Wrackline'], sandpiper: ['Sandpiper'] } } };
/** A bot that adds a row for each message, and tells how many there are. */
const adding = (id: string, tables: Record<string, unknown> = { repairs: REPAIRS }): BotDocument =>
  botOf(
    {},
    {
      bot: id,
      entities: ENTITIES,
      tables,
      unmatched: 'note',
      flows: {
        main: {
          begin: 'hello',
          nodes: { hello: { kind: 'say', says: 'Hello.', exits: { said: 'done' } }, done: { kind: 'end', ends: 'flow' } },
        },
        note: {
          begin: 'add',
          nodes: {
            add: {
              kind: 'table',
              table: 'repairs',
              does: 'add',
              values: { number: '{{ turn.text }}', what: 'told' },
              exits: { done: 'count', conflict: 'there', failed: 'bad' },
            },
            count: {
              kind: 'table',
              table: 'repairs',
              does: 'find',
              limit: 200,
              into: 'flow.rows',
              exits: { found: 'tell', none: 'done', failed: 'bad' },
            },
            tell: { kind: 'say', says: '{{ size(flow.rows) }} rows', exits: { said: 'done' } },
            there: { kind: 'say', says: 'there already', exits: { said: 'done' } },
            bad: { kind: 'say', says: 'bad: {{ turn.failure.reason }}', exits: { said: 'done' } },
            done: { kind: 'end', ends: 'flow' },
          },
        },
      },
    },
    'main',
  );

describe('tables, over HTTP', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });

  const made = async (document: BotDocument): Promise<string> => {
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
    return bot.id;
  };
  const add = (bot: string, values: Record<string, Value>, key?: 'change') =>
    service.client.call('addTableRow', { params: { bot, table: 'repairs' }, query: key ? { key } : {}, body: { values } });
  const rows = async (
    bot: string,
    body: Parameters<typeof service.client.call<'findTableRows'>>[1]['body'] = {},
  ): Promise<TableRowView[]> => (await service.client.call('findTableRows', { params: { bot, table: 'repairs' }, body })).items;
  const refusal = async (work: Promise<unknown>): Promise<string> => {
    try {
      await work;
    } catch (error) {
      if (error instanceof ApiError) return `${error.details.code}: ${error.details.detail}`;
      throw error;
    }
    return 'it went';
  };
  const say = (bot: string, conversation: string, text: string) => send(bot, conversation, { type: 'message', text });
  const send = async (bot: string, conversation: string, event: SimulatedEvent): Promise<TurnRecord> => {
    let turn: TurnRecord | undefined;
    const body = { id: crypto.randomUUID(), event };
    await service.client.stream('runTurn', { params: { bot, conversation }, body }, (name, data) => {
      if (name === 'turn') turn = (data as Extract<LiveEvent, { event: 'turn' }>).turn;
    });
    if (!turn) throw new Error('no turn came');
    return turn;
  };

  it('keep rows with who wrote them, and find them by any column', async () => {
    const bot = await made(adding('keeps'));
    await add(bot, { number: '+353 86 1', boat: 'Sandpiper', what: 'Cracked window', cost: 40 });
    await add(bot, { number: 'r-2', boat: 'wrackline', what: 'Bow ramp jams' });
    const [newest, oldest] = await rows(bot);
    expect(newest?.values).to.deep.equal({ number: 'r-2', boat: 'wrackline', what: 'Bow ramp jams', state: 'open' });
    expect(oldest).to.deep.include({ version: 1, madeBy: 'Owner', madeIn: null });
    expect(oldest?.values['number']).to.equal('+353 86 1');
    const found = async (column: string, relation: 'is' | 'contains' | 'more' | 'begins' | 'empty', value?: Value) =>
      (await rows(bot, { where: [{ column, relation, ...(value === undefined ? {} : { value }) }] })).map(
        (r) => r.values['what'],
      );
    expect(await found('boat', 'is', 'sandpiper')).to.deep.equal(['Cracked window']);
    expect(await found('number', 'is', '+353 86 1')).to.deep.equal(['Cracked window']);
    expect(await found('number', 'begins', 'R-')).to.deep.equal(['Bow ramp jams']);
    expect(await found('what', 'contains', 'RAMP')).to.deep.equal(['Bow ramp jams']);
    expect(await found('cost', 'more', 39)).to.deep.equal(['Cracked window']);
    expect(await found('cost', 'empty')).to.deep.equal(['Bow ramp jams']);
    const sorted = await rows(bot, { order: { column: 'boat' } });
    expect(sorted.map((r) => r.values['boat'])).to.deep.equal(['sandpiper', 'wrackline']);
  });

  it('say what does not fit, and store nothing of it', async () => {
    const bot = await made(adding('refuses'));
    await add(bot, { number: 'r-1', what: 'ramp' });
    expect(await refusal(add(bot, { number: 'R-1', what: 'horn' }))).to.match(
      /^row-conflict: There is a row of repairs with the same number already/,
    );
    expect(await refusal(add(bot, { number: 'r-2' }))).to.equal(
      'invalid-input: Repairs: what has to be filled in. Correct this.',
    );
    expect(await refusal(add(bot, { number: 'r-2', what: 'x', boat: 'Titania' }))).to.match(
      /boat takes a boat \(wrackline, sandpiper\)/,
    );
    expect(await refusal(add(bot, { number: 'r-2', what: 'x', boot: 'y' }))).to.match(/boot is no column of this table/);
    expect(await refusal(service.client.call('findTableRows', { params: { bot, table: 'nothing' }, body: {} }))).to.match(
      /^not-found/,
    );
    expect(await rows(bot)).to.have.length(1);
    expect((await add(bot, { number: 'r-1', cost: 7 }, 'change')).values).to.include({ what: 'ramp', cost: 7 });
  });

  it('let two writers never lose each other’s values', async () => {
    const bot = await made(adding('writers'));
    const row = await add(bot, { number: 'r-1', what: 'ramp' });
    const change = (values: Record<string, Value>) =>
      service.client.call('changeTableRow', {
        params: { bot, table: 'repairs', row: row.id },
        query: {},
        body: { version: 1, values },
      });
    const came = await Promise.allSettled(Array.from({ length: 8 }, (_, i) => change({ cost: i })));
    expect(came.filter((c) => c.status === 'fulfilled')).to.have.length(1);
    const [now] = await rows(bot);
    expect(now?.version).to.equal(2);
    expect(await refusal(change({ what: 'other' }))).to.match(
      /^row-conflict: The row of repairs was changed by somebody else meanwhile/,
    );
    const remove = (version: number) =>
      service.client.call('removeTableRows', {
        params: { bot, table: 'repairs' },
        query: {},
        body: { rows: [{ id: row.id, version }] },
      });
    expect(await refusal(remove(1))).to.match(/^row-conflict/);
    expect(await remove(2)).to.deep.equal({ removed: 1 });
  });

  it('add a key once, however many add it at the same moment', async () => {
    const bot = await made(adding('keys'));
    const came = await Promise.allSettled(Array.from({ length: 10 }, () => add(bot, { number: 'same', what: 'x' })));
    expect(came.filter((c) => c.status === 'fulfilled')).to.have.length(1);
    const puts = await Promise.allSettled(
      Array.from({ length: 10 }, (_, i) => add(bot, { number: 'put', what: `w${i}` }, 'change')),
    );
    expect(puts.filter((c) => c.status === 'rejected')).to.deep.equal([]);
    expect((await rows(bot)).map((r) => [r.values['number'], r.version])).to.deep.equal([
      ['put', 10],
      ['same', 1],
    ]);
  });

  const CSV = 'text/csv';
  const XLSX = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';
  const bring = (bot: string, bytes: Uint8Array<ArrayBuffer>, type: string, query: Record<string, string> = {}) =>
    service.client.upload('importTable', { params: { bot, table: 'repairs' }, query }, { bytes, type });
  const text = (words: string) => new TextEncoder().encode(words);

  for (const as of ['csv', 'xlsx'] as const)
    it(`come out as ${as} and back in the same`, async () => {
      const [from, to] = [await made(adding('from')), await made(adding('to'))];
      for (const [i, what] of [
        '=1+1',
        '+353 86 000',
        "'quoted",
        'two\nlines',
        'a;b,c"d',
        '  spaces ',
        '@x',
        'grün — 猫',
      ].entries())
        await add(from, { number: `n-${i}`, what, cost: i % 2 ? -i : i + 0.5 });
      const file = await service.client.download('exportTable', { params: { bot: from, table: 'repairs' }, query: { as } });
      const report = await bring(to, file.bytes, as === 'csv' ? CSV : XLSX, { import: 'true' });
      expect(report).to.deep.include({ lines: 8, added: 8, problemLines: 0, imported: true });
      const values = async (bot: string) => (await rows(bot, { order: { column: 'number' } })).map((r) => r.values);
      expect(await values(to)).to.deep.equal(await values(from));
      if (as === 'csv')
        expect(Buffer.from(file.bytes).toString('utf8'))
          .to.match(/,'=1\+1,/)
          .and.to.match(/,'\+353 86 000,/);
    });

  it('tell of a file what is wrong line by line before anything is stored', async () => {
    const bot = await made(adding('imports'));
    await add(bot, { number: 'r-1', what: 'ramp' });
    const bad = text(
      'Number;Boot;What;Cost\r\nr-1;Sandpiper;ramp;1\r\nr-2;;horn;dear\r\nr-3;;;2\r\nr-4;;mast;3\r\nr-4;;bell;4\r\n',
    );
    const tried = await bring(bot, bad, CSV, { import: 'true', key: 'change' });
    expect(tried).to.deep.include({ lines: 5, added: 1, changed: 1, problemLines: 3, imported: false });
    expect(tried.problems.map((p) => `${p.line} ${p.column}`)).to.deep.equal(['3 cost', '4 what', '6 number']);
    expect(tried.matches.filter((m) => m.column === null)).to.deep.equal([
      { heading: 'Boot', at: 1, column: null, suggestion: 'boat' },
    ]);
    expect(tried.missing).to.deep.equal(['boat', 'state']);
    expect(await rows(bot)).to.have.length(1);
    const done = await bring(bot, bad, CSV, { import: 'true', key: 'change', skip: 'true', columns: '{"Boot":"boat"}' });
    expect(done).to.deep.include({ added: 1, changed: 1, imported: true });
    expect(
      (await rows(bot, { order: { column: 'number' } })).map((r) => [r.values['number'], r.values['boat'] ?? null, r.version]),
    ).to.deep.equal([
      ['r-1', 'sandpiper', 2],
      ['r-4', null, 1],
    ]);
    expect(await refusal(bring(bot, text('PK\u0003\u0004 no zip'), XLSX))).to.match(/it is no XLSX file, or is damaged/);
    expect(await refusal(bring(bot, new Uint8Array([0xff, 0x41, 0xc3]), CSV))).to.match(/it is no text in UTF-8/);
    expect(await refusal(bring(bot, text(''), CSV))).to.match(/it holds nothing/);
  });

  it('are worked on as practice rows in a simulation, until somebody says otherwise', async () => {
    const bot = await made(adding('practises'));
    await add(bot, { number: 'real', what: 'ramp' });
    const { id } = await service.client.call('createSimulation', { params: { bot }, body: {} });
    await send(bot, id, { type: 'open' });
    const said = async (words: string) => (await say(bot, id, words)).sheet.messages.map((m) => m.text);
    expect(await said('ramp one')).to.deep.equal(['2 rows']);
    expect(await said('ramp one')).to.deep.equal(['there already']);
    expect(await rows(bot)).to.have.length(1);
    expect((await rows(bot, { simulation: id })).map((r) => r.values['number'])).to.deep.equal(['ramp one', 'real']);
    await service.client.call('resetPractice', { params: { bot, conversation: id } });
    expect(await said('ramp one')).to.deep.equal(['2 rows']);
    await service.client.call('changeSimulation', { params: { bot, conversation: id }, body: { rows: 'real' } });
    expect(await said('ramp two')).to.deep.equal(['2 rows']);
    const real = await rows(bot);
    expect(real.map((r) => [r.values['number'], r.madeBy])).to.deep.equal([
      ['ramp two', 'a simulation'],
      ['real', 'Owner'],
    ]);
  });

  it('are brought to a changed declaration with a release; what does not fit stays and is shown', async () => {
    const document = adding('changes', { repairs: { ...REPAIRS, columns: { ...REPAIRS.columns, cost: 'text' } } });
    const bot = await made(document);
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    await add(bot, { number: 'r-1', what: 'ramp', cost: '12.5', boat: 'sandpiper' });
    await add(bot, { number: 'r-2', what: 'horn', cost: 'dear' });
    const { boat: _boat, ...others } = REPAIRS.columns;
    const changed = {
      ...document,
      tables: { repairs: { ...REPAIRS, columns: { ...others, what: { type: 'text', search: true }, told: 'date' } } },
    };
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    await service.client.call('replaceDraft', { params: { bot }, body: { revision, document: changed as never } });
    const { items } = await service.client.call('listTableChanges', { params: { bot } });
    expect(items).to.have.length(1);
    expect(items[0]).to.deep.include({ added: ['told'], removed: ['boat'], rows: 2, misfits: 1, left: 1, sameKeys: 0 });
    expect(items[0]?.changed).to.have.members(['what', 'cost']);
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    await until(async () => !(await service.client.call('listTables', { params: { bot }, query: {} })).items[0]?.carrying);
    const now = await rows(bot, { order: { column: 'number' } });
    expect(now.map((r) => [r.values['cost'], r.misfits.length, r.left])).to.deep.equal([
      [12.5, 0, { boat: 'sandpiper' }],
      ['dear', 1, {}],
    ]);
    expect(
      (await rows(bot, { where: [{ column: 'what', relation: 'is', value: 'horn' }] })).map((r) => r.values['number']),
    ).to.deep.equal(['r-2']);
    expect((await service.client.call('listTableChanges', { params: { bot } })).items).to.deep.equal([]);
  });

  it('of another bot are lent where that bot says so, and to nobody else', async () => {
    const owner = await made(adding('lends', { repairs: { ...REPAIRS, allows: ['borrows'] } }));
    const borrower = await made(adding('borrows', { repairs: { ...REPAIRS, of: 'lends' } }));
    const stranger = await made(adding('asks', { repairs: { ...REPAIRS, of: 'lends' } }));
    await add(borrower, { number: 'r-1', what: 'ramp' });
    expect((await rows(owner)).map((r) => r.values['number'])).to.deep.equal(['r-1']);
    expect(await refusal(add(stranger, { number: 'r-2', what: 'x' }))).to.match(/does not let "asks" use its table "repairs"/);
  });

  it('of another bot are the same by the key of that bot, whatever the one that borrows says', async () => {
    const { key: _key, ...keyless } = REPAIRS;
    await made(adding('lends-keyed', { repairs: { ...REPAIRS, allows: ['keyless', 'narrow'] } }));
    const borrower = await made(adding('keyless', { repairs: { ...keyless, of: 'lends-keyed' } }));
    await add(borrower, { number: 'r-1', what: 'ramp' });
    expect(await refusal(add(borrower, { number: 'R-1', what: 'horn' }))).to.match(/with the same number already/);
    const narrow = await made(adding('narrow', { repairs: { columns: { what: 'text' }, of: 'lends-keyed' } }));
    expect(await refusal(add(narrow, { what: 'horn' }))).to.match(/needs the columns that its key has in the bot "lends-keyed"/);
  });

  it('are removed all or none: where one is another one now, the others stay', async () => {
    const bot = await made(adding('removes'));
    const one = await add(bot, { number: 'r-1', what: 'ramp' });
    const two = await add(bot, { number: 'r-2', what: 'horn' });
    const remove = (versions: readonly number[]) =>
      service.client.call('removeTableRows', {
        params: { bot, table: 'repairs' },
        query: {},
        body: { rows: [one, two].map(({ id }, i) => ({ id, version: versions[i] ?? 0 })) },
      });
    expect(await refusal(remove([1, 2]))).to.match(/One of the rows was changed or removed by somebody else meanwhile/);
    expect(await rows(bot)).to.have.length(2);
    expect(await remove([1, 1])).to.deep.equal({ removed: 2 });
    expect(await rows(bot)).to.deep.equal([]);
  });

  it('are a person’s own: nobody else sees them', async () => {
    const bot = await made(adding('own'));
    const answer = await fetch(`${service.address}/api/bots/${bot}/tables/repairs/export`);
    expect(answer.status).to.equal(401);
    const simulation = '00000000-0000-7000-8000-000000000000';
    expect(
      await refusal(service.client.call('findTableRows', { params: { bot, table: 'repairs' }, body: { simulation } })),
    ).to.match(/^not-found/);
  });
});
