import { expect } from 'chai';
import {
  addPage,
  addSearchPage,
  advance,
  beginTurn,
  changePage,
  checkBot,
  compile,
  copyPage,
  createMind,
  firedBy,
  inputReason,
  makingOf,
  makingsOf,
  movePart,
  openSession,
  outputsNow,
  pageFromPlan,
  pageInputs,
  pageOutcome,
  planFromWords,
  problemSentence,
  readDocument,
  readFolder,
  readPlan,
  rehearse,
  spentIn,
  widenPart,
  withProposal,
  writeFolder,
  type BotDocument,
  type IncomingEvent,
  type Page,
  type PageRun,
  type Result,
  type TurnResult,
  type Value,
  type Written,
} from '@primrose/core';
import { accepted, botOf, demoDocument, written } from './harbour.js';

const AT = '2026-05-11T08:00:00.000Z';

/** Runs an event to its end; every model answers with what it was asked for by its part "task", every action with rows. */
function run(document: BotDocument, event: IncomingEvent, wrote?: (w: Written) => void): { result: TurnResult; asked: string[] } {
  const bot = compile(document);
  const turn = beginTurn(bot, openSession(bot, {}), event, wrote ? { wrote } : {});
  const asked: string[] = [];
  let step = turn.steps.next([]);
  while (!step.done) {
    const completed = step.value.effects.map((e) => {
      let result: Result = { outcome: 'elapsed' };
      if (e.type === 'model') {
        asked.push(e.path);
        const task = /# task\n(.*)/.exec(e.messages[0] && 'content' in e.messages[0] ? e.messages[0].content : '')?.[1] ?? '';
        result = task.includes('fails')
          ? { outcome: 'failed', code: 'timeout', reason: 'no answer within 1 s' }
          : written(`${task} ${asked.length}`);
      }
      return { path: e.path, result };
    });
    // Timers of branches never elapse here.
    step = turn.steps.next(completed.filter((c) => c.result.outcome !== ('elapsed' as never)));
  }
  return { result: step.value, asked };
}

const model = (task: string, into: string, reads: readonly string[], next: string) => ({
  kind: 'model',
  uses: 'writer',
  parts: [{ part: 'task', says: task }, ...reads.map((r) => ({ part: r, says: `{{ flow.${r} }}`, input: true }))],
  into: `flow.${into}`,
  exits: { done: next, failed: next },
});
const oneFlow = (task: string) => ({
  takes: { log: 'text' },
  gives: { found: 'text?' },
  begin: 'make',
  nodes: { make: model(task, 'found', ['log'], 'done'), done: { kind: 'end', ends: 'flow' } },
});

/** Two readers at once, then a note from the first, then a title from nothing. */
const reader = (repairs = 'repairs', more: Partial<BotDocument> = {}): BotDocument =>
  accepted({
    ...botOf({ a: { kind: 'say', says: 'Hello.', exits: { said: 'b' } }, b: { kind: 'end', ends: 'conversation' } }),
    connections: { m: { address: 'http://127.0.0.1:1', actions: {} } },
    models: { writer: { connection: 'm', model: 'practice', price: { in: 1, out: 2 } } },
    pages: {
      reader: {
        title: 'Reader',
        flow: 'read',
        parts: [
          { input: 'log', as: 'long-text' },
          { output: 'incidents' },
          { output: 'repairs' },
          { output: 'note' },
          { output: 'heading' },
        ],
      },
    },
    ...more,
    flows: {
      main: botOf({ b: { kind: 'end', ends: 'conversation' } }).flows['main'],
      read: {
        takes: { log: 'text' },
        gives: { incidents: 'text?', repairs: 'text?', note: 'text?', heading: 'text?' },
        begin: 'readers',
        nodes: {
          readers: {
            kind: 'parallel',
            branches: [
              { id: 'one', calls: 'find-incidents', given: { log: '{{ flow.log }}' }, into: { found: 'flow.incidents' } },
              { id: 'two', calls: 'find-repairs', given: { log: '{{ flow.log }}' }, into: { found: 'flow.repairs' } },
            ],
            exits: { done: 'draft', one: 'draft', two: 'draft' },
          },
          draft: model('draft', 'draft', ['repairs'], 'note'),
          note: model('note', 'note', ['draft'], 'heading'),
          heading: model('heading', 'heading', ['log'], 'done'),
          done: { kind: 'end', ends: 'flow' },
        },
      },
      'find-incidents': oneFlow('incidents'),
      'find-repairs': oneFlow(repairs),
    },
  });
const fired = (more: object = {}): IncomingEvent => ({
  type: 'fired',
  at: AT,
  by: 'page',
  page: 'reader',
  flow: 'read',
  given: { log: 'It rained.' },
  ...more,
});

describe('how the outputs of a page come about', () => {
  it('is read from the flow: what feeds what, in branches of their own and by way of what lies between', () => {
    const makings = makingsOf(reader(), 'read');
    const told = (name: string) => {
      const m = makings.get(name);
      return { begin: m?.begin, inputs: m?.inputs, outputs: m?.outputs, region: [...(m?.region ?? [])] };
    };
    expect(told('incidents')).to.deep.equal({ begin: 'readers', inputs: ['log'], outputs: [], region: ['readers'] });
    expect(told('repairs')).to.deep.equal({ begin: 'readers', inputs: ['log'], outputs: [], region: ['readers'] });
    expect(told('note')).to.deep.equal({ begin: 'draft', inputs: [], outputs: ['repairs'], region: ['draft', 'note'] });
    expect(told('heading').outputs).to.deep.equal([]);
    expect(makings.get('repairs')?.makers).to.deep.include({ flow: 'find-repairs', node: 'make' });
    expect(makingOf(reader(), 'read', 'nothing-such')).to.equal(undefined);
  });

  it('knows that one of an output’s makers was left out of its own branch', () => {
    const { together, makers } = makingsOf(reader(), 'read').get('incidents') ?? { together: ['?'], makers: [] };
    expect(together).to.deep.equal([]);
    expect(makers.some((m) => m.flow === 'find-repairs')).to.equal(false);
  });

  it('tells outputs that the same node makes: an answer, and the passages that it cites', () => {
    const document = demoDocument('shore-desk');
    const makings = makingsOf(document, 'read-log');
    expect(makings.get('incidents')?.together).to.deep.equal(['incident_sources']);
    expect(makings.get('note')?.outputs).to.have.members(['incidents', 'repairs']);
    expect(makings.get('incidents')?.inputs).to.have.members(['log', 'depth']);
  });
});

describe('a run of a page', () => {
  it('makes all outputs, tells each as it is written, and what it cost', () => {
    const seen: string[] = [];
    const document = reader();
    const { result, asked } = run(document, fired(), (w) => seen.push(`${w.flow} ${w.target}`));
    expect(asked).to.have.length(5);
    expect(Object.keys(pageOutcome(document, 'read', undefined, result).kept)).to.include.members([
      'incidents',
      'repairs',
      'note',
      'heading',
      'draft',
    ]);
    const written = makingsOf(document, 'read').get('repairs')?.written;
    expect(seen.filter((s) => written?.has(s))).to.deep.equal(['find-repairs flow.found', 'read flow.repairs']);
    expect(spentIn(result.sheet.effects, document.models).tokens).to.be.greaterThan(0);
  });

  it('makes one output alone: of branches only its own, and nothing behind it', () => {
    const document = reader();
    const { result } = run(document, fired());
    const { kept } = pageOutcome(document, 'read', undefined, result);
    const again = run(document, fired({ given: kept, part: 'repairs' }));
    expect(again.asked).to.have.length(1);
    const outcome = pageOutcome(document, 'read', 'repairs', again.result);
    expect(outcome.kept['incidents']).to.equal(kept['incidents']);
    expect(outcome.kept['note']).to.equal(kept['note']);
    expect(again.result.sheet.path.map((s) => s.node)).to.not.include('draft');
    const note = run(document, fired({ given: kept, part: 'note' }));
    expect(note.result.sheet.path.map((s) => s.node)).to.deep.equal(['draft', 'note']);
    expect(note.result.over?.failed).to.equal(false);
  });

  it('goes on with the others where one fails, and says why that one did not come', () => {
    const document = reader('it fails');
    const { result } = run(document, fired());
    const { kept, reasons } = pageOutcome(document, 'read', undefined, result);
    expect(kept['incidents']).to.be.a('string');
    expect(kept['heading']).to.be.a('string');
    expect(reasons['repairs']).to.contain('no answer within 1 s');
    expect(Object.keys(reasons)).to.deep.equal(['repairs']);
  });

  it('says so where nothing makes an output any more', () => {
    const document = reader();
    const flow = document.flows['read'];
    const without = { ...document, flows: { ...document.flows, read: { ...flow, gives: { ...flow?.gives, other: 'text?' } } } };
    const { result } = run(without as BotDocument, fired({ part: 'other' }));
    expect(result.sheet.problems.map((p) => p.code)).to.deep.equal(['nothing-makes']);
    expect(checkBot(without as BotDocument).some((p) => p.severity === 'error')).to.equal(false);
  });
});

describe('what a page has come to', () => {
  const document = reader();
  const page = document.pages?.['reader'] as Page;
  const ran = (id: string, part: string | null, kept: Record<string, Value>, more: Partial<PageRun> = {}): PageRun => {
    return { id, part, at: AT, state: 'done', reason: null, kept, reasons: {}, ...more };
  };
  const all = { incidents: 'i', repairs: 'r', note: 'n', heading: 'h' };
  const states = (runs: readonly PageRun[]) => outputsNow(document, page, runs).map((o) => o.state);

  it('has versions of each output, and those out of date that are made from a newer one', () => {
    const runs = [ran('1', null, all), ran('2', 'repairs', { ...all, repairs: 'r2' })];
    expect(states(runs)).to.deep.equal(['ready', 'ready', 'stale', 'ready']);
    const [, repairs, note] = outputsNow(document, page, runs);
    expect(repairs?.versions.map((v) => v.value)).to.deep.equal(['r', 'r2']);
    expect(note?.staleBy).to.deep.equal(['repairs']);
    expect(states([...runs, ran('3', 'note', { ...all, repairs: 'r2', note: 'n2' })])[2]).to.equal('ready');
  });

  it('tells what waits, is made, failed, and came to nothing', () => {
    expect(states([])).to.deep.equal(['none', 'none', 'none', 'none']);
    expect(states([ran('1', null, {}, { state: 'waiting' })])).to.deep.equal(['waiting', 'waiting', 'waiting', 'waiting']);
    expect(states([ran('1', null, all), ran('2', 'note', {}, { state: 'running' })])).to.deep.equal([
      'ready',
      'ready',
      'making',
      'ready',
    ]);
    const failed = ran('1', null, { incidents: 'i' }, { reasons: { repairs: 'No.' } });
    expect(states([failed])).to.deep.equal(['ready', 'failed', 'none', 'none']);
    const retry = [ran('1', null, all), ran('2', 'note', { ...all, note: null }, { reasons: { note: 'No.' } })];
    expect(states(retry)[2]).to.equal('failed');
    expect(outputsNow(document, page, retry)[2]?.versions).to.have.length(1);
  });
});

describe('what is filled into a page', () => {
  const typed = (): { document: BotDocument; page: Page } => {
    const page: Page = {
      title: 'All kinds',
      flow: 'main',
      parts: [
        { input: 'line', as: 'text' },
        { input: 'story', as: 'long-text' },
        { input: 'many', as: 'number' },
        { input: 'day', as: 'date' },
        { input: 'kind', as: 'choice', of: ['a', 'b'] },
        { input: 'kinds', as: 'choices', of: ['a', 'b'] },
        { input: 'sure', as: 'yes-no' },
        { input: 'log', as: 'file' },
        { input: 'look', as: 'picture' },
      ],
    };
    const takes = {
      line: 'text',
      story: 'text?',
      many: 'number?',
      day: 'date?',
      kind: 'text?',
      kinds: 'list?',
      sure: 'yes_no?',
      log: 'file?',
      look: 'file?',
    };
    const base = botOf({ b: { kind: 'end', ends: 'conversation' } });
    return {
      page,
      document: {
        ...base,
        flows: { main: { ...base.flows['main'], takes, nodes: base.flows['main']?.nodes ?? {} } },
      },
    };
  };
  const reasons = (given: Record<string, Value>) => {
    const { document, page } = typed();
    return Object.fromEntries(pageInputs(document, page, given).problems.map((p) => [p.input, inputReason(p.problem)]));
  };

  it('is read in the form of each input', () => {
    const { document, page } = typed();
    const file = { name: 'a.txt', address: 'http://127.0.0.1/files/1', type: 'text/plain', size: 3 };
    const given = { line: ' x ', many: '3.5', day: '2026-02-28', kind: 'b', kinds: ['a'], sure: 'yes', log: file, unknown: 1 };
    expect(pageInputs(document, page, given)).to.deep.equal({
      values: { line: ' x ', many: 3.5, day: '2026-02-28', kind: 'b', kinds: ['a'], sure: true, log: file },
      problems: [],
    });
  });

  it('is refused with what is wrong, whatever somebody sends', () => {
    expect(reasons({})).to.deep.equal({ line: 'is needed' });
    expect(
      reasons({
        line: 'x'.repeat(3000),
        many: 'three',
        day: '2026-02-31',
        kind: 'c',
        kinds: ['a', 'z'],
        sure: 'maybe',
        log: 'a.txt',
        look: { name: 'x', address: 'y', type: 'text/plain' },
      }),
    ).to.deep.equal({
      line: 'is too long; up to 2000 characters are taken',
      many: 'should be a number',
      day: 'should be a day, as 2026-03-14',
      kind: 'should be one of: a, b',
      kinds: 'should be one of: a, b',
      sure: 'should be yes or no',
      log: 'should be a file',
      look: 'should be a picture',
    });
    expect(reasons({ line: ['x'], story: { a: 1 }, many: Number.NaN, __proto__: null })).to.include({
      line: 'should be a line of text',
    });
  });

  it('is rehearsed like a conversation, with what the page gives', async () => {
    const document = reader('repairs', {
      samples: { any: { writes: 'writer', text: 'From a sample.' } },
      rehearsals: {
        filled: {
          turns: [{ fires: { page: 'reader', given: { log: 'It rained.' } }, expects: { gives: { note: 'From a sample.' } } }],
        },
        empty: { turns: [{ fires: { page: 'reader' } }] },
        gone: { turns: [{ fires: { page: 'other' } }] },
      },
    });
    const bot = compile(document);
    const mind = createMind(document, { listener: undefined });
    const outcome = async (id: string) => rehearse(bot, id, document.rehearsals?.[id] as never, mind, AT);
    expect((await outcome('filled')).passed).to.equal(true);
    expect((await outcome('empty')).turns[0]?.misses.map((m) => m.found)).to.include('it is needed');
    expect((await outcome('gone')).turns[0]?.misses[0]?.expected).to.equal('There should be a page “other”');
    expect(firedBy(document, { page: 'reader', given: { log: 'x' } }, AT).event).to.include({ by: 'page', page: 'reader' });
    expect(checkBot(document).map((p) => p.code)).to.include('unknown-page');
  });
});

describe('a rehearsal of branches', () => {
  it('waits for what is looked up elsewhere before any time passes', async () => {
    const document = demoDocument('shore-desk');
    const mind = createMind(document, { listener: undefined });
    const late = {
      ...mind,
      lookup: async () => {
        await new Promise((resolve) => setTimeout(resolve, 5));
        return { outcome: 'looked-up', passages: [], covered: false, share: 0, missing: [] } as const;
      },
    };
    const ran = await rehearse(compile(document), 'reads-no-log', document.rehearsals?.['reads-no-log'] as never, late, AT);
    expect(ran.passed).to.equal(true);
  });
});

describe('a page in the document', () => {
  it('stands in a file of its own, both ways, and is compared and checked', () => {
    const document = reader();
    const folder = writeFolder(document);
    expect(folder['pages/reader.yaml']).to.match(/^page: reader\ntitle: Reader\n/);
    const read = readFolder(folder);
    const again = read.ok ? readDocument(read.source) : undefined;
    expect(again?.ok && again.document.pages).to.deep.equal(document.pages);
  });

  it('is checked: flows, inputs, outputs, forms, doubles', () => {
    const wrong = (page: object) => {
      const document = reader('repairs', { pages: { reader: { title: 'R', flow: 'read', parts: [], ...page } } });
      return checkBot(document)
        .filter((p) => p.field?.startsWith('/pages/'))
        .map((p) => `${p.code} ${problemSentence(p)}`);
    };
    expect(wrong({ flow: 'raed' })[0]).to.contain('Did you mean read?');
    expect(wrong({})).to.have.length(2);
    expect(wrong({})[0]).to.contain('needs "log", and no input of the page asks for it');
    const codes = (parts: object[]) => wrong({ parts }).map((w) => w.split(' ')[0]);
    expect(codes([{ input: 'log', as: 'file' }, { output: 'note' }])).to.deep.equal(['page-form']);
    expect(codes([{ input: 'log', as: 'choice' }, { output: 'note' }])).to.deep.equal(['page-no-choices']);
    expect(codes([{ input: 'log', as: 'text' }, { input: 'other', as: 'text' }, { output: 'note' }])).to.deep.equal([
      'unknown-input',
    ]);
    expect(codes([{ input: 'log', as: 'text' }, { output: 'note', sources: 'x' }, { output: 'y' }])).to.deep.equal([
      'unknown-output',
      'unknown-output',
    ]);
    expect(codes([{ input: 'log', as: 'text' }, { input: 'log', as: 'text' }, { output: 'note' }])).to.deep.equal(['page-twice']);
    expect(codes([{ input: 'log', as: 'text' }, { output: 'note' }, { chat: 'nowhere' }])).to.deep.equal(['unknown-flow']);
  });

  it('is refused over a flow that asks somebody', () => {
    const document = reader('repairs', { pages: { p: { title: 'P', flow: 'main', parts: [] } } });
    const asks = {
      ...document,
      flows: {
        ...document.flows,
        main: { begin: 'a', nodes: { a: { kind: 'ask', says: 'What?', expects: 'text', into: 'flow.x', exits: {} } } },
      },
    };
    expect(checkBot(asks as BotDocument).map((p) => p.code)).to.include('page-asks');
  });

  it('is made over a flow, moved and widened in bounds, and copied with what stands behind it', () => {
    const made = addPage(reader(), 'Reader', 'read');
    expect(made.page).to.equal('reader-2');
    const page = made.document.pages?.['reader-2'] as Page;
    expect(page.parts).to.have.length(5);
    expect(movePart(page, 0, 99).parts.at(-1)).to.deep.equal(page.parts[0]);
    expect(movePart(page, 0, -1)).to.equal(page);
    expect(widenPart(page, 1, 40).parts[1]).to.include({ wide: 12 });
    expect(widenPart(page, 1, 0).parts[1]).to.include({ wide: 2 });
    expect(changePage(made.document, 'none', () => page)).to.equal(made.document);
    const target = accepted(
      botOf(
        { b: { kind: 'end', ends: 'conversation' } },
        { flows: { main: made.document.flows['main'], read: made.document.flows['main'] } },
      ),
    );
    const copied = copyPage(target, reader(), 'reader');
    expect(copied?.flows).to.have.members(['read-2', 'find-incidents', 'find-repairs']);
    expect(copied?.document.pages?.['reader']?.flow).to.equal('read-2');
    expect(copied?.document.models).to.have.property('writer');
    expect(checkBot(copied?.document as BotDocument).filter((p) => p.severity === 'error')).to.deep.equal([]);
    const other = copyPage(target, demoDocument('harbour-desk'), 'day-trip-planner');
    expect(other?.left).to.include('knowledge base ferry-papers, with its documents');
    expect(copyPage(target, reader(), 'none')).to.equal(undefined);
  });

  it('searches a knowledge base without errors', () => {
    const document = demoDocument('shore-desk');
    const made = addSearchPage(document, 'earlier-logs', 'log-reader');
    expect(checkBot(accepted(made.document)).filter((p) => p.severity === 'error')).to.deep.equal([]);
    expect(made.document.pages?.[made.page]?.parts).to.have.length(3);
  });
});

describe('a page from a description', () => {
  const MORE: readonly (readonly [string, readonly string[], readonly string[]])[] = [
    [
      'A complaint helper that takes a letter and how firm (friendly, firm) and gives a summary, a reply and a list of next steps for the reply',
      ['letter:long-text', 'how firm:choice'],
      ['summary:text', 'reply:text', 'list of next steps:list'],
    ],
    [
      'Asks for a recipe, how many people and whether there are children. Gives a shopping list and a picture of the table.',
      ['recipe:text', 'how many people:number', 'whether there are children:yes-no'],
      ['shopping list:list', 'picture of the table:picture'],
    ],
    [
      'Somebody uploads a contract as a file and the page writes a table of dates and a short explanation.',
      ['contract:file'],
      ['table of dates:table', 'short explanation:text'],
    ],
    [
      'Eine Seite fragt nach einem Brief und gibt eine Zusammenfassung und eine Antwort',
      ['Brief:long-text'],
      ['Zusammenfassung:text', 'Antwort:text'],
    ],
    ['Just make something nice of my words', ['text:long-text'], []],
  ];
  for (const [words, inputs, outputs] of MORE)
    it(`finds what is filled in and what is made in “${words.slice(0, 40)}…”`, () => {
      const plan = planFromWords(words);
      expect(plan.inputs.map((i) => `${i.name}:${i.as}`)).to.deep.equal(inputs);
      if (outputs.length > 0) expect(plan.outputs.map((o) => `${o.name}:${o.as}`)).to.deep.equal(outputs);
      expect(plan.outputs.length).to.be.greaterThan(0);
      const made = pageFromPlan(reader(), plan, 'writer');
      const document = accepted(withProposal(reader(), made));
      expect(checkBot(document).filter((p) => p.severity === 'error')).to.deep.equal([]);
    });

  it('runs what needs no other at once, and what is made from others behind them', () => {
    const plan = planFromWords(MORE[0]?.[0] ?? '');
    expect(plan.outputs[2]?.from).to.deep.equal(['reply']);
    const made = pageFromPlan(reader(), plan, 'writer');
    const document = accepted(withProposal(reader(), made));
    const makings = makingsOf(document, made.page.flow);
    expect(makings.get('list_of_next_steps')?.outputs).to.deep.equal(['reply']);
    const { asked, result } = run(document, {
      ...fired(),
      flow: made.page.flow,
      page: made.id,
      given: { letter: 'Late again.', how_firm: 'firm' },
    } as IncomingEvent);
    expect(asked.map((p) => p.split('/')[0])).to.have.length(3);
    expect(Object.keys(pageOutcome(document, made.page.flow, undefined, result).reasons)).to.deep.equal([]);
  });

  it('reads what a model planned, and takes nothing for a plan that is none', () => {
    const plan = { title: 'T', inputs: [{ name: 'a', as: 'text' }], outputs: [{ name: 'b', as: 'text', task: 'Write b.' }] };
    expect(readPlan(`Here it is:\n${JSON.stringify(plan)}\nGood luck.`)).to.deep.equal(plan);
    for (const text of [
      '',
      '{}',
      '{"title": 1',
      JSON.stringify({ ...plan, outputs: [] }),
      JSON.stringify({ ...plan, inputs: [{ name: 'a', as: 'spell' }] }),
    ])
      expect(readPlan(text)).to.equal(undefined);
  });

  it('holds any words', () => {
    for (const words of [
      '',
      '   ',
      '('.repeat(50),
      'gives gives gives',
      `takes ${'x, '.repeat(400)}`,
      'asks for constructor and gives __proto__',
      '😀 gibt 🎉',
    ])
      expect(
        checkBot(accepted(withProposal(reader(), pageFromPlan(reader(), planFromWords(words), 'writer')))).filter(
          (p) => p.severity === 'error',
        ),
      ).to.deep.equal([]);
  });
});

describe('advance', () => {
  it('takes files along with what a page takes', () => {
    const bot = compile(
      accepted(
        botOf(
          { b: { kind: 'end', ends: 'conversation' } },
          {
            flows: {
              main: {
                takes: { log: 'file?' },
                gives: { seen: 'text?' },
                begin: 'set',
                nodes: {
                  set: {
                    kind: 'set',
                    sets: [{ into: 'flow.seen', to: '{{ flow.log.name }} of {{ size(turn.files) }}, {{ turn.files[0].text }}' }],
                    exits: { done: 'done' },
                  },
                  done: { kind: 'end', ends: 'flow' },
                },
              },
            },
          },
        ),
      ),
    );
    const log = { name: 'a.md', type: 'text/markdown', size: 2, address: 'http://127.0.0.1/files/1', text: 'Hi' };
    const event = { type: 'fired', at: AT, by: 'page', page: 'p', flow: 'main', given: { log }, files: [log] } as const;
    const step = advance(bot, openSession(bot, {}), event).next([]);
    expect(step.done && step.value.over?.values['seen']).to.equal('a.md of 1, Hi');
  });
});
