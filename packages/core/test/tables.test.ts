import { expect } from 'chai';
import fc from 'fast-check';
import {
  checkBot,
  columnsOf,
  fitCell,
  matchColumns,
  PracticeTables,
  readCsv,
  readSheet,
  type RowValues,
  rowFits,
  sortRows,
  textOf,
  writeSheet,
  type BotDocument,
  type Relation,
  type TableDeclaration,
  type TableEffect,
  type Value,
} from '@primrose/core';
import { botOf, Talk } from './harbour.js';

const REPAIRS: TableDeclaration = {
  columns: {
    number: { type: 'text', search: true },
    boat: { type: 'boat', search: true },
    what: { type: 'text', needed: true },
    seen: 'date',
    at: 'time',
    told: 'moment',
    cost: 'number',
    urgent: 'yes_no',
    state: { type: 'one_of', of: ['open', 'done'], default: 'open' },
    parts: 'list',
  },
  key: ['number'],
};
const END = { done: { kind: 'end', ends: 'flow' } };
const bot = (more: Partial<BotDocument> = {}): BotDocument =>
  botOf(END, {
    entities: { boat: { values: { wrackline: ['Wrackline'], sandpiper: ['Sandpiper', 'the Piper'] } } },
    tables: { repairs: REPAIRS },
    ...more,
  });
const column = (name: string) => {
  const found = columnsOf(REPAIRS).find((c) => c.name === name);
  if (!found) throw new Error(name);
  return found;
};
const kept = (name: string, value: Value): Value | string => {
  const fitted = fitCell(bot(), column(name), value);
  return fitted.ok ? fitted.value : `no: ${fitted.reason}`;
};

describe('a cell', () => {
  for (const [name, given, wanted] of [
    ['number', '+353 86 000 4411', '+353 86 000 4411'],
    ['number', 42, '42'],
    ['number', '', null],
    ['boat', 'Sandpiper', 'sandpiper'],
    ['boat', 'wrackline', 'wrackline'],
    ['seen', '2026-05-14', '2026-05-14'],
    ['seen', '2026-05-14T09:30:00Z', '2026-05-14'],
    ['at', '9:30', '09:30'],
    ['told', '2026-05-14 09:30', '2026-05-14T09:30:00.000Z'],
    ['told', '2026-05-14T09:30:00+02:00', '2026-05-14T07:30:00.000Z'],
    ['cost', '12.50', 12.5],
    ['urgent', 'Yes', true],
    ['urgent', false, false],
    ['state', 'DONE', 'done'],
    ['parts', 'hinge', ['hinge']],
    ['parts', [], null],
  ] as const)
    it(`of ${name} keeps ${JSON.stringify(given)} as ${JSON.stringify(wanted)}`, () => {
      expect(kept(name, given)).to.deep.equal(wanted);
    });
  for (const [name, given, why] of [
    ['boat', 'Titania', /^no: takes a boat \(wrackline, sandpiper\), and this is Titania$/],
    ['seen', '2026-02-30', /a day such as 2026-05-14/],
    ['at', '25:00', /a time such as 09:30/],
    ['told', 'tomorrow', /a moment such as/],
    ['cost', '12,50', /a number such as 12 or 12.5/],
    ['urgent', 'perhaps', /yes or no/],
    ['state', 'broken', /one of open, done/],
    ['what', 'x'.repeat(20_001), /at most 20000 characters/],
    ['parts', [{ a: 1 }], /a list of single values/],
  ] as const)
    it(`of ${name} does not take ${JSON.stringify(given).slice(0, 30)}`, () => {
      expect(kept(name, given)).to.match(why);
    });
});

describe('conditions', () => {
  const row = { boat: 'sandpiper', what: 'Cracked window', cost: 40, seen: '2026-05-14', parts: ['pane', 'Putty'] };
  const holds = (name: string, relation: Relation, value: Value = null) => rowFits(row, [{ column: name, relation, value }]);
  it('compare texts whatever their case, numbers by size and days by time', () => {
    expect(holds('what', 'is', ' cracked WINDOW ')).to.equal(true);
    expect(holds('what', 'contains', 'WIN')).to.equal(true);
    expect(holds('what', 'begins', 'window')).to.equal(false);
    expect(holds('cost', 'more', 9)).to.equal(true);
    expect(holds('cost', 'at-most', 40)).to.equal(true);
    expect(holds('seen', 'less', '2026-05-15')).to.equal(true);
    expect(holds('boat', 'one-of', ['wrackline', 'sandpiper'])).to.equal(true);
  });
  it('know items of lists, and what is empty', () => {
    expect(holds('parts', 'is', 'putty')).to.equal(true);
    expect(holds('parts', 'is-not', 'glue')).to.equal(true);
    expect(holds('told', 'empty')).to.equal(true);
    expect(holds('told', 'is', null)).to.equal(true);
    expect(holds('told', 'less', '2026')).to.equal(false);
    expect(holds('boat', 'filled')).to.equal(true);
  });
  it('sort empty cells last, up and down', () => {
    const rows: { values: RowValues }[] = [{ values: { cost: 10 } }, { values: {} }, { values: { cost: 9 } }];
    const costs = (down: boolean) => sortRows(rows, { column: 'cost', down }).map((r) => r.values['cost']);
    expect(costs(false)).to.deep.equal([9, 10, undefined]);
    expect(costs(true)).to.deep.equal([10, 9, undefined]);
  });
});

describe('writes to a table', () => {
  const effect = (more: Partial<TableEffect>): TableEffect => {
    return { type: 'table', path: '0/0', table: 'repairs', does: 'add', where: [], limit: 20, values: {}, fresh: {}, ...more };
  };
  const fresh = () => new PracticeTables(bot(), { repairs: [{ number: 'r-1', what: 'ramp', boat: 'wrackline' }] });

  it('add a row once for each key, and say which one is there', () => {
    const tables = fresh();
    expect(tables.perform(effect({ values: { number: 'r-2', what: 'horn' } }))).to.include({ outcome: 'stored', count: 1 });
    const again = tables.perform(effect({ values: { number: 'R-2 ', what: 'bell' } }));
    expect(again.outcome).to.equal('conflict');
    expect(tables.rows('repairs').map((r) => r.values['what'])).to.deep.equal(['ramp', 'horn']);
  });
  it('add or change by key: what is fresh counts for new rows only', () => {
    const tables = fresh();
    tables.perform(effect({ does: 'put', values: { number: 'r-1', cost: 5 }, fresh: { state: 'open', what: 'x' } }));
    tables.perform(effect({ does: 'put', values: { number: 'r-9', what: 'mast' }, fresh: { state: 'open' } }));
    expect(tables.rows('repairs').map(({ version, values }) => ({ version, ...values }))).to.deep.equal([
      { version: 2, number: 'r-1', what: 'ramp', boat: 'wrackline', cost: 5 },
      { version: 1, number: 'r-9', what: 'mast', state: 'open' },
    ]);
  });
  it('do not touch a row that somebody has changed since it was found', () => {
    const tables = fresh();
    const [row] = tables.rows('repairs');
    const of = { id: row?.id ?? '', version: 1 };
    expect(tables.perform(effect({ does: 'change', row: of, values: { state: 'done' } }))).to.include({ outcome: 'stored' });
    const late = tables.perform(effect({ does: 'change', row: of, values: { what: 'other' } }));
    expect(late).to.deep.include({ outcome: 'conflict', reason: 'the row of repairs was changed by somebody else meanwhile' });
    expect(tables.perform(effect({ does: 'remove', row: { ...of, version: 2 } }))).to.include({ outcome: 'stored', count: 1 });
    expect(tables.perform(effect({ does: 'remove', row: of }))).to.include({ outcome: 'conflict' });
  });
  it('refuse a row without what it needs, and one that would have the key of another', () => {
    const tables = fresh();
    const lacking = tables.perform(effect({ values: { number: 'r-3' } }));
    expect(lacking).to.deep.include({ outcome: 'failed', code: 'does-not-fit', reason: 'repairs: what has to be filled in' });
    tables.perform(effect({ values: { number: 'r-2', what: 'horn' } }));
    const twin = tables.perform(
      effect({ does: 'change', where: [{ column: 'number', relation: 'is', value: 'r-2' }], values: { number: 'r-1' } }),
    );
    expect(twin.outcome).to.equal('conflict');
    const emptied = tables.perform(effect({ does: 'change', where: [], values: { what: null } }));
    expect(emptied).to.include({ outcome: 'failed' });
  });
  it('find in order, and say when there is more', () => {
    const tables = new PracticeTables(bot(), {
      repairs: ['c', 'a', 'b'].map((what, i) => ({ number: `n${i}`, what })),
    });
    const found = tables.perform(effect({ does: 'find', order: { column: 'what' }, limit: 2 }));
    if (found.outcome !== 'rows') throw new Error(found.outcome);
    expect(found.rows.map((r) => r.values['what'])).to.deep.equal(['a', 'b']);
    expect(found.more).to.equal(true);
  });
});

describe('a table node', () => {
  const END_ALL = Object.fromEntries(
    ['done', 'none', 'failed', 'found', 'conflict'].map((e) => [e, { kind: 'end', ends: 'flow' }]),
  );
  /** A bot of one node that works on a table, and what it came to. */
  const ran = (node: Record<string, Value>, rows: Record<string, Value>[]) => {
    const exits = Object.fromEntries(Object.keys(END_ALL).map((e) => [e, e]));
    const own = node['does'] === 'find' ? exits : Object.fromEntries(Object.entries(exits).filter(([e]) => e !== 'found'));
    const document = botOf(
      { work: { kind: 'table', table: 'repairs', ...node, exits: own }, ...END_ALL },
      { entities: { boat: { values: { wrackline: ['Wrackline'], sandpiper: ['Sandpiper'] } } }, tables: { repairs: REPAIRS } },
      'work',
    );
    const talk = new Talk(document, { rows: { repairs: rows } });
    const { sheet } = talk.turn({ type: 'open' });
    return { exit: sheet.path[0]?.exit, note: sheet.path[0]?.note, rows: talk.tables.rows('repairs').map((r) => r.values) };
  };
  const many = (count: number) => Array.from({ length: count }, (_, i) => ({ number: `r-${i}`, what: 'ramp', cost: i }));

  it('changes or removes all that an expression chooses, not the first twenty', () => {
    const changed = ran({ does: 'change', when: 'row.cost >= 10', values: { state: 'done' } }, many(60));
    expect([changed.exit, changed.note]).to.deep.equal(['done', '50 rows']);
    expect(changed.rows.filter((r) => r['state'] === 'done')).to.have.length(50);
    expect(ran({ does: 'remove', when: 'row.cost >= 10' }, many(60)).rows).to.have.length(10);
    expect(ran({ does: 'remove', when: 'row.cost >= 10', limit: 3 }, many(60)).rows).to.have.length(57);
  });
  it('writes nothing where an expression would have to look at more rows than it may', () => {
    const { exit, note, rows } = ran({ does: 'remove', when: 'row.cost >= 0' }, many(501));
    expect([exit, rows.length]).to.deep.equal(['failed', 501]);
    expect(note).to.match(/more than 500 rows of repairs would have to be looked at; narrow them down/);
  });
  it('writes nothing where a condition has no value: an empty cell is asked for by "empty"', () => {
    const rows = [...many(2), { number: 'r-9', what: 'horn', cost: 1 }];
    for (const does of ['change', 'remove'])
      for (const relation of ['is', 'contains', 'begins', 'is-not']) {
        const where = [{ column: 'boat', relation, value: '{{ flow.boat }}' }];
        const came = ran({ does, where, values: { state: 'done' } }, rows);
        expect([does, relation, came.exit]).to.deep.equal([does, relation, 'failed']);
        expect(came.rows).to.deep.equal(rows);
        expect(came.note).to.equal('there is no value for what boat of the rows of repairs has to be');
      }
    expect(ran({ does: 'remove', where: [{ column: 'boat', relation: 'empty' }] }, rows).rows).to.deep.equal([]);
  });
  it('finds nothing by a part of a text that is empty', () => {
    for (const relation of ['contains', 'begins'])
      expect(ran({ does: 'find', where: [{ column: 'what', relation, value: '' }], into: 'flow.rows' }, many(2)).exit).to.equal(
        'none',
      );
  });
});

describe('a table as a sheet', () => {
  it('gives the same table back, whatever its texts are', () => {
    const text = fc.string({ unit: 'grapheme', maxLength: 30 }).filter((t) => t !== '');
    const nasty = fc.constantFrom(
      '=1+1',
      "'=1",
      "''-x",
      '+353 86',
      '-',
      '@a',
      '\t',
      'a\r\nb',
      'a\nb',
      '"',
      'a;b',
      'a,b',
      ' x ',
      "'",
      '\uFEFFx',
      '[1]',
    );
    const cell = fc.oneof(text, nasty);
    const rows = fc.array(
      fc.record({
        number: cell,
        what: cell,
        cost: fc.option(fc.double({ noNaN: true, noDefaultInfinity: true })),
        urgent: fc.option(fc.boolean()),
        parts: fc.option(fc.array(cell, { minLength: 1, maxLength: 3 })),
      }),
      { maxLength: 8 },
    );
    fc.assert(
      fc.property(rows, (list) => {
        // A nought has no sign in a table, and numbers are written as they read.
        const table = list.map((r) => {
          const cost = r.cost === null || !/^-?\d+(\.\d+)?$/.test(String(r.cost)) ? null : r.cost + 0 || 0;
          return Object.fromEntries(Object.entries({ ...r, cost }).filter(([, v]) => v !== null));
        }) as Record<string, Value>[];
        const csv = writeSheet(REPAIRS, table);
        const read = readSheet(bot(), REPAIRS, readCsv(csv));
        expect(read.problems).to.deep.equal([]);
        expect(read.rows.map((r) => r.values)).to.deep.equal(table);
      }),
      { numRuns: 300, seed: 17 },
    );
  });
  it('writes no cell that a spreadsheet would run', () => {
    const risky = ['=HYPERLINK("x")', '+353 86', '-2+3', '@SUM(A1)', '\t=1', '\r=1', '\n=1'];
    const lines = readCsv(
      writeSheet(
        REPAIRS,
        risky.map((what, i) => ({ number: `n${i}`, what })),
      ),
    );
    const cells = lines.slice(1).map((l) => l[2] ?? '');
    expect(cells.filter((c) => /^[=+\-@\t\r\n]/.test(c))).to.deep.equal([]);
  });
  it('takes what other programs write: semicolons, tabs, other line ends, a mark in front', () => {
    for (const [sep, end] of [
      [';', '\n'],
      ['\t', '\r\n'],
      [',', '\r'],
    ] as const) {
      const file = `\uFEFF${[
        ['Number', 'What'],
        ['+353 1', 'a, b; c\td'],
      ]
        .map((l) => l.map((c) => (c.includes(',') ? `"${c}"` : c)).join(sep))
        .join(end)}`;
      const read = readSheet(bot(), REPAIRS, readCsv(file));
      expect(read.rows.map((r) => r.values)).to.deep.equal([{ number: '+353 1', what: 'a, b; c\td' }]);
    }
  });
  it('finds the columns by their names, and says what might have been meant', () => {
    const matches = matchColumns(REPAIRS, ['NUMBER', 'What?', 'Boot', 'what', 'Notes'], { Notes: 'state' });
    expect(matches.map((m) => [m.heading, m.column, m.suggestion])).to.deep.equal([
      ['NUMBER', 'number', null],
      ['What?', 'what', null],
      ['Boot', null, 'boat'],
      ['what', null, 'what'],
      ['Notes', 'state', null],
    ]);
  });
  it('tells of each line what is wrong in it, and reads the others', () => {
    const csv = 'number,what,seen,cost\nr-1,ramp,2026-13-01,12\nr-2,,2026-05-01,x\nr-3,horn,,7,8\n\nr-4,bell,2026-05-02,3\n';
    const read = readSheet(bot(), REPAIRS, readCsv(csv));
    expect(read.problems.map((p) => `${p.line} ${p.column}: ${p.reason.split(',')[0]}`)).to.deep.equal([
      '2 seen: takes a day such as 2026-05-14',
      '3 cost: takes a number such as 12 or 12.5',
      '4 : has more cells than there are headings',
    ]);
    expect(read.rows.map((r) => [r.line, r.values['what']])).to.deep.equal([[6, 'bell']]);
  });
});

describe('the checks of tables', () => {
  const problems = (document: BotDocument) => checkBot(document).map((p) => `${p.severity} ${p.code} ${p.node ?? p.field ?? ''}`);
  const withNode = (node: Record<string, Value>, takes: Record<string, string> = {}) =>
    bot({
      flows: {
        main: {
          takes,
          begin: 'work',
          nodes: {
            work: {
              kind: 'table',
              exits: { done: 'done', found: 'done', none: 'done', conflict: 'done', failed: 'done' },
              ...node,
            },
            ...END,
          },
        },
      },
    });
  it('name what a declaration cannot be', () => {
    const bad = bot({
      tables: {
        odd: {
          columns: { id: 'text', kind: 'shape', state: { type: 'one_of' }, day: { type: 'date', default: 'soon' } },
          key: ['nothing'],
        },
        empty: { columns: {} },
      },
    });
    expect(problems(bad)).to.deep.equal([
      'error column-name /tables/odd/columns/id',
      'error unknown-type /tables/odd/columns/kind',
      'error one-of-what /tables/odd/columns/state',
      'error column-default /tables/odd/columns/day/default',
      'error unknown-column /tables/odd/key/0',
      'error no-columns /tables/empty/columns',
    ]);
  });
  it('list before the run which columns nothing fills in', () => {
    const found = checkBot(withNode({ table: 'repairs', does: 'add', values: { number: 'r-1' } }, { boat: 'boat' }));
    const left = found.filter((p) => p.code.startsWith('column-')).map((p) => `${p.severity} ${textOf(p.facts['name'] ?? null)}`);
    expect(left).to.deep.equal([
      'error what',
      'warning seen',
      'warning at',
      'warning told',
      'warning cost',
      'warning urgent',
      'warning parts',
    ]);
  });
  it('know tables, columns, keys and conditions that are not there', () => {
    expect(problems(withNode({ table: 'repair', does: 'find' }))).to.include('error unknown-table work');
    const finds = withNode({
      table: 'repairs',
      does: 'find',
      where: [{ column: 'bot', relation: 'is', value: 'x' }],
      order: { column: 'z' },
    });
    expect(problems(finds).filter((p) => p.includes('unknown-column'))).to.have.length(2);
    expect(problems(withNode({ table: 'repairs', does: 'remove' }))).to.include('warning all-rows work');
    expect(problems(withNode({ table: 'repairs', does: 'change', row: '{{ flow.x }}' }))).to.include(
      'error nothing-changed work',
    );
    const keyless = {
      ...withNode({ table: 'log', does: 'put', values: { what: 'x' } }),
      tables: { log: { columns: { what: 'text' } } },
    };
    expect(problems(keyless)).to.include('error table-without-key work');
  });
});
