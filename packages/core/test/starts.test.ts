import { expect } from 'chai';
import {
  checkBot,
  createMind,
  compile,
  firedBy,
  givenOf,
  isCron,
  missSentence,
  nextTimes,
  outsideSheet,
  readFolder,
  readDocument,
  rehearse,
  repeatKey,
  runResult,
  advance,
  openSession,
  writeFolder,
  type BotDocument,
  type Start,
} from '@primrose/core';
import { botOf, demoDocument, listenerOf, MONDAY, Talk } from './harbour.js';

const AT = '2026-05-11T08:00:00.000Z';
const REPORT = {
  takes: { caller: 'text', number: 'phone?', seconds: { type: 'number', value: 0 }, port: 'port?' },
  gives: { filed: 'yes_no' },
  begin: 'file',
  nodes: {
    file: { kind: 'set', sets: [{ into: 'flow.filed', to: true }], exits: { done: 'done' } },
    done: { kind: 'end', ends: 'flow' },
  },
};
const bot = (starts: Record<string, Start>, more: Partial<BotDocument> = {}): BotDocument =>
  botOf(
    {},
    {
      entities: { port: { values: { kelpwick: ['Kelpwick'], 'tarn-holm': ['Tarn Holm'] } } },
      tables: { repairs: { columns: { what: 'text' } } },
      starts,
      flows: {
        main: {
          begin: 'ask',
          nodes: {
            ask: { kind: 'ask', says: 'What?', expects: 'text', into: 'flow.x', exits: { answered: 'done', 'gave-up': 'done' } },
            done: { kind: 'end', ends: 'flow' },
          },
        },
        report: REPORT,
      },
      ...more,
    },
  );
const hook = (more: Partial<Extract<Start, { by: 'hook' }>> = {}): Start => ({ by: 'hook', flow: 'report', ...more });

describe('times of a schedule', () => {
  it('are those of its zone, also where the clocks change', () => {
    expect(nextTimes('30 6 * * *', 'Europe/Dublin', '2026-03-28T00:00:00Z', 3)).to.deep.equal([
      '2026-03-28T06:30:00.000Z',
      '2026-03-29T05:30:00.000Z',
      '2026-03-30T05:30:00.000Z',
    ]);
  });
  it('are none where the expression cannot be read, or never comes', () => {
    expect(['30 6 * *', '30 6 * * * *', 'daily', '61 6 * * *', ''].map(isCron)).to.deep.equal([
      false,
      false,
      false,
      false,
      false,
    ]);
    expect(isCron('*/5 8-18 * * 1-5')).to.equal(true);
    expect(nextTimes('0 0 30 2 *', 'Etc/UTC', AT)).to.deep.equal([]);
    expect(nextTimes('30 6 * * *', 'Mars/Olympus', AT)).to.deep.equal([]);
  });
});

describe('what a flow gets of what came', () => {
  it('comes by the mapping, with its type', () => {
    const start = hook({
      given: { caller: '{{ body.who.first }} {{ body.who.last }}', number: '{{ body.from }}', seconds: '{{ body.length }}' },
    });
    const came = {
      body: { who: { first: 'Orla', last: 'Marrick' }, from: '+353 86 000 4411', length: '38' },
      headers: {},
      query: {},
    };
    expect(givenOf(bot({ s: start }), start, came, AT)).to.deep.equal({
      values: { caller: 'Orla Marrick', number: '+353 86 000 4411', seconds: 38 },
      problems: [],
    });
  });
  it('comes by the names of the body without one', () => {
    const came = { body: { caller: 'Orla', port: 'tarn-holm', nobody: 1 }, headers: {}, query: {} };
    expect(givenOf(bot({ s: hook() }), hook(), came, AT).values).to.deep.equal({ caller: 'Orla', port: 'tarn-holm' });
  });
  it('is told where something is not there or does not fit, never guessed', () => {
    const start = hook({ given: { caller: '{{ body.name }}', port: '{{ body.where }}', seconds: '{{ body.length }}' } });
    const found = givenOf(bot({ s: start }), start, { body: { where: 'Atlantis', length: 'long' }, headers: {}, query: {} }, AT);
    expect(found.values).to.deep.equal({});
    expect(found.problems.map((p) => `${p.input} ${p.reason}`)).to.deep.equal([
      'port should be port, and is “Atlantis”',
      'seconds should be number, and is “long”',
      'caller is not there: nothing stands at body.name',
    ]);
  });
  it('stops at an expression that would never end', () => {
    const many = `{{ [1,2,3].map(a, [1,2,3].map(b, body.list.map(c, body.list.map(d, body.list)))) }}`;
    const start = hook({ given: { caller: many } });
    const found = givenOf(
      bot({ s: start }),
      start,
      { body: { list: Array.from({ length: 300 }, (_, i) => i) }, headers: {}, query: {} },
      AT,
    );
    expect(found.problems.map((p) => p.input)).to.deep.equal(['caller']);
  });
  it('knows a repeat by an expression over the body', () => {
    expect(repeatKey('body.call.id', { body: { call: { id: 7 } } })).to.equal('7');
    expect(repeatKey('body.call.id', { body: {} })).to.equal(undefined);
    expect(repeatKey(undefined, { body: {} })).to.equal(undefined);
  });
});

describe('the checks of starts', () => {
  const codes = (starts: Record<string, Start>) =>
    checkBot(bot(starts))
      .filter((p) => p.field?.startsWith('/starts'))
      .map((p) => `${p.code} ${p.field ?? ''}`);
  it('say where a run would have to ask somebody', () => {
    expect(codes({ s: hook({ flow: 'main' }) })).to.deep.equal(['start-asks /starts/s/flow']);
  });
  it('name flows, inputs, times, tables and names that are not there', () => {
    expect(codes({ s: hook({ flow: 'reports' }) })).to.deep.equal(['unknown-flow /starts/s/flow']);
    expect(codes({ s: hook({ given: { caler: '{{ body.a }}', caller: '{{ bodi.a }}' } }) })).to.deep.equal([
      'unknown-input /starts/s/given/caler',
      'unknown-name /starts/s/given/caller',
    ]);
    expect(codes({ s: hook({ given: {} }) })).to.deep.equal(['not-given /starts/s/given']);
    expect(codes({ s: { by: 'schedule', flow: 'report', at: 'daily', given: { caller: 'x' } } })).to.deep.equal([
      'bad-cron /starts/s/at',
    ]);
    expect(
      codes({ s: { by: 'row', flow: 'report', table: 'repair', on: ['added'], given: { caller: '{{ row.what }}' } } }),
    ).to.deep.equal(['unknown-table /starts/s/table']);
    expect(codes({ s: hook({ repeats: 'body.(' }) })).to.have.length(1);
  });
  it('find nothing in starts that are right, also through files and back', () => {
    const document = bot({
      a: hook({ given: { caller: '{{ body.a }}' } }),
      b: { by: 'schedule', flow: 'report', at: '30 6 * * *', given: { caller: 'the clock' } },
      c: { by: 'row', flow: 'report', table: 'repairs', on: ['added', 'removed'], given: { caller: '{{ row.what }}' } },
      d: { by: 'call', flow: 'report', within: '5s' },
    });
    expect(checkBot(document).filter((p) => p.field?.startsWith('/starts'))).to.deep.equal([]);
    const folder = writeFolder(document);
    expect(Object.keys(folder)).to.include.members(['starts.yaml', 'tables/repairs.yaml']);
    const read = readFolder(folder);
    if (!read.ok) throw new Error(JSON.stringify(read.problems));
    const back = readDocument(read.source);
    expect(back.ok && back.document).to.deep.equal(document);
  });
});

describe('what a run came to', () => {
  const run = (document: BotDocument, flow: string, given = {}) => {
    const compiled = compile(document);
    const turn = advance(compiled, openSession(compiled, {}), { type: 'fired', at: AT, by: 'hook', flow, given });
    const done = turn.next();
    if (!done.done) throw new Error('it waits for something outside');
    return runResult(document, flow, done.value);
  };
  it('is what its flow gives, and nothing else that it held', () => {
    expect(run(bot({}), 'report', { caller: 'Orla' })).to.deep.equal({ outcome: 'done', gave: { filed: true }, reason: null });
  });
  it('is all of what the flow gives, however long', () => {
    const long = { takes: { all: 'list' }, gives: { all: 'list' }, begin: 'd', nodes: { d: { kind: 'end', ends: 'flow' } } };
    const rows = Array.from({ length: 300 }, (_, i) => ({ number: `r-${i}`, what: 'x'.repeat(150) }));
    const { gave } = run(bot({}, { flows: { main: long } }), 'main', { all: rows });
    expect(gave).to.deep.equal({ all: rows });
  });
  it('is a failure where the flow fails, asks, or is not there', () => {
    const failing = bot({}, { flows: { main: { begin: 'f', nodes: { f: { kind: 'end', ends: 'failed' } } } } });
    expect(run(failing, 'main')).to.include({ outcome: 'failed', reason: 'its flow ended as failed' });
    expect(run(bot({}), 'main').reason).to.match(/waits for somebody/);
    expect(run(bot({}), 'gone').reason).to.equal('there is no flow "gone" in this version');
  });
});

describe('a start in a rehearsal', () => {
  const document = bot(
    { s: hook({ given: { caller: '{{ body.name }}' } }) },
    { samples: { orla: { came: 's', body: { name: 'Orla' } } } },
  );
  const misses = async (fires: Record<string, unknown>, expects: Record<string, unknown> = {}) => {
    const outcome = await rehearse(
      compile(document),
      'r',
      { turns: [{ fires, expects }] },
      createMind(document, { listener: undefined }),
      MONDAY,
    );
    return outcome.turns.flatMap((t) => t.misses.map((m) => m.kind));
  };
  it('is set off with a kept body, and gives what it gives', async () => {
    expect(await misses({ start: 's', sample: 'orla' }, { gives: { filed: true } })).to.deep.equal([]);
    expect(await misses({ start: 's', sample: 'orla' }, { gives: { filed: false } })).to.deep.equal(['gives']);
  });
  it('misses where the body does not fill in what the flow takes, and where there is no such start', async () => {
    expect(await misses({ start: 's', body: {} })).to.include('came-in');
    expect(await misses({ start: 'none' })).to.include('came-in');
    expect(firedBy(document, { start: 'none' }, AT).event).to.equal(undefined);
  });
});

describe('Shore desk', () => {
  it('keeps its list, and sends it, as its rehearsals say', async () => {
    const shore = demoDocument('shore-desk');
    const mind = createMind(shore, { listener: listenerOf(shore) });
    const rehearsals = Object.entries(shore.rehearsals ?? {});
    const missed: string[] = [];
    for (const [name, rehearsal] of rehearsals) {
      const { turns } = await rehearse(compile(shore), name, rehearsal, mind, MONDAY);
      missed.push(...turns.flatMap((t) => t.misses.map((m) => `${name}: ${missSentence(m)}`)));
    }
    expect(missed).to.deep.equal([]);
    expect(rehearsals.length).to.be.at.least(5);
  });
  it('writes down what is told in words that also begin its flow', () => {
    const shore = new Talk(demoDocument('shore-desk'));
    shore.say('the bow ramp of the Wrackline is stuck');
    expect(shore.say('the bow ramp jams')).to.deep.equal(['Noted for Wrackline: the bow ramp jams.']);
  });
});

describe('the sheet for somebody outside', () => {
  const document = bot({
    s: hook({ secured: 'signature', header: 'x-seal', given: { caller: '{{ body.name }}' } }),
    c: { by: 'call', flow: 'report' },
  });
  const described = (name: 's' | 'c') => {
    const start = document.starts?.[name];
    if (start?.by !== 'hook' && start?.by !== 'call') throw new Error(name);
    return outsideSheet({ document, name, start, address: 'https://desk.example/api/starts/abc' });
  };
  it('of a call says what it takes and gives, with a command and a description that agree', () => {
    const { sheet, curl, openapi } = described('c');
    expect(sheet).to.contain('- `caller` (text, needed)').and.to.contain('- `filed` (yes_no, always)');
    expect(curl).to.contain("-H 'authorization: Bearer TOKEN'").and.to.contain('https://desk.example/api/starts/abc');
    const { paths } = openapi as {
      paths: Record<string, { post: { requestBody: { content: Record<string, { schema: { required: string[] } }> } } }>;
    };
    const schema = paths['/api/starts/abc']?.post.requestBody.content['application/json']?.schema;
    expect(schema?.required).to.deep.equal(['caller']);
  });
  it('of a signed hook signs the body that it sends', () => {
    expect(described('s').curl).to.contain('openssl dgst -sha256 -hmac "$SECRET"').and.to.contain('x-seal');
  });
});
