import { expect } from 'chai';
import {
  checkBot,
  compile,
  coverageOf,
  createMind,
  compareTurns,
  addCoverage,
  keepConversation,
  missSentence,
  noSample,
  problemSentence,
  readFolder,
  readRehearsal,
  recordedResults,
  rehearse,
  sampleFor,
  sampleOf,
  shareOf,
  writeFolder,
  writeRehearsal,
  type ActionEffect,
  type BotDocument,
  type Rehearsal,
  type RehearsalOutcome,
  type Sample,
} from '@primrose/core';
import { accepted, botOf, demoDocument, listenerOf, MONDAY, Talk, LEXICON } from './harbour.js';

function run(document: BotDocument, id: string): Promise<RehearsalOutcome> {
  const rehearsal = document.rehearsals?.[id];
  if (!rehearsal) throw new Error(`there is no rehearsal ${id}`);
  return rehearse(
    compile(document),
    id,
    rehearsal,
    createMind(document, { listener: listenerOf(document), lexicon: LEXICON }),
    MONDAY,
  );
}
const misses = (outcome: RehearsalOutcome) => outcome.turns.flatMap((t) => t.misses.map(missSentence));

const CONNECTION = {
  office: { actions: { book: { post: '/book', sends: { body: { day: '{{ day }}' } }, takes: { day: 'text' } } } },
};

describe('the rehearsals of Harbour desk', () => {
  const document = demoDocument();
  const names = Object.keys(document.rehearsals ?? {});

  it('are at least twenty', () => expect(names.length).to.be.at.least(20));
  for (const name of names)
    it(`${name.replaceAll('-', ' ')}: ${document.rehearsals?.[name]?.about ?? ''}`, async () => {
      expect(misses(await run(document, name))).to.deep.equal([]);
    });

  it('come by most of the bot, and every intent but a greeting', async () => {
    const outcomes = await Promise.all(names.map((n) => run(document, n)));
    const sheets = outcomes.flatMap((o) => o.turns.map((t) => t.sheet));
    const { nodes, exits, intents } = coverageOf(document, sheets);
    expect(shareOf(nodes).met / shareOf(nodes).of).to.be.above(0.75);
    expect(shareOf(exits).met / shareOf(exits).of).to.be.above(0.55);
    expect(Object.entries(intents).flatMap(([i, n]) => (n === 0 ? [i] : []))).to.deep.equal(['hello']);
    expect(shareOf(nodes, 'cancel-booking')).to.deep.equal({ met: 8, of: 9 });
  });

  it('find a flow that was broken on purpose, and say what differs', async () => {
    const flow = document.flows['book-crossing'];
    const book = flow?.nodes['book'];
    if (!flow || !book) throw new Error('the demo has changed');
    // Somebody linked the wrong exit: the desk says that it booked although the sailing was full.
    const broken = { ...flow, nodes: { ...flow.nodes, book: { ...book, exits: { ...book.exits, full: 'keep-reference' } } } };
    const outcome = await run({ ...document, flows: { ...document.flows, 'book-crossing': broken } }, 'last-place-gone');
    expect(outcome.passed).to.equal(false);
    expect(outcome.turns.map((t) => t.misses.length > 0)).to.deep.equal([false, false, true]);
    expect(misses(outcome)).to.deep.equal([
      'The bot should say “the last place was taken a moment ago”; it said “You are booked. Your reference is ****.”.',
      'The bot should say “Which sailing suits you?”; it said “You are booked. Your reference is ****.”.',
      'The turn should come by book-crossing/just-gone; it went book-crossing/confirm, book-crossing/book, book-crossing/keep-reference, book-crossing/booked, book-crossing/with-a-dog, book-crossing/done.',
      'The bot should wait at book-crossing/offer; it waits nowhere.',
    ]);
  });

  it('stand in the folder, and come back from it to the letter', async () => {
    const files = writeFolder(document);
    expect(files['rehearsals/dog-aboard.yaml']).to.contain('rehearsal: dog-aboard');
    const folder = readFolder(files);
    expect(folder.ok && accepted(folder.source)).to.deep.equal(document);
  });
});

describe('a rehearsal', () => {
  const asking = (rehearsal: unknown, more: Record<string, unknown> = {}) =>
    botOf(
      {
        ask: {
          kind: 'ask',
          says: 'Which day?',
          expects: 'text',
          into: 'flow.day',
          exits: { answered: 'book', 'gave-up': 'done' },
        },
        book: {
          kind: 'action',
          runs: 'office.book',
          given: { day: '{{ flow.day }}' },
          into: 'flow.booked',
          exits: { done: 'told', failed: 'sorry' },
        },
        told: { kind: 'say', says: 'Booked for {{ flow.day }}.', exits: { said: 'done' } },
        sorry: { kind: 'say', says: 'The office is away.', exits: { said: 'done' } },
        done: { kind: 'end', ends: 'conversation' },
      },
      { connections: CONNECTION, rehearsals: { one: rehearsal }, ...more },
    );
  const after = async (expects: unknown, more: Record<string, unknown> = {}) =>
    misses(await run(asking({ turns: [{ opens: true }, { says: 'Friday', expects }] }, more), 'one'));
  const booked = { samples: { booked: { answers: 'office.book', status: 201, body: { ok: true } } } };

  it('calls nothing outside: without a sample the call fails, and the rehearsal says so', async () => {
    expect(await after({})).to.deep.equal(['A sample should answer office.book; none does; keep one.']);
    expect(await after({ effects: ['office.book'] })).to.deep.equal([]);
  });

  for (const [what, met, missed, sentence] of [
    [
      'words, whatever the spaces',
      { words: 'Booked  for\nFriday.' },
      { words: 'Gone' },
      'The bot should say “Gone”; it said “Booked for Friday.”.',
    ],
    [
      'words that must not be',
      { not: 'sorry' },
      { not: 'Booked' },
      'The bot should not say “Booked”; it said “Booked for Friday.”.',
    ],
    [
      'a pattern',
      { pattern: '^Booked for \\w+\\.$' },
      { pattern: '\\d' },
      'What the bot says should fit “\\d”; it said “Booked for Friday.”.',
    ],
    [
      'nodes in their order',
      { node: ['main/book', 'main/told'] },
      { node: ['main/told', 'main/book'] },
      'The turn should come by main/book; it went main/ask, main/book, main/told, main/done.',
    ],
    [
      'values',
      { values: { 'flow.day': 'Friday' } },
      { values: { 'flow.day': 'Monday' } },
      'flow.day should be “Monday”; it is “Friday”.',
    ],
    ['effects', { effects: ['office.book'] }, { effects: [] }, 'Outside it should do []; it did ["office.book"].'],
    ['an end', { ended: true }, { ended: false }, 'The conversation should go on; it is over.'],
    ['no intent', { intent: null }, { intent: 'pets' }, 'The bot should go by the intent “pets”; it went by nothing.'],
    ['no hand-over', { handed: false }, { handed: true }, 'The conversation should be handed over to staff; it is not.'],
    ['buttons', { choices: [] }, { choices: ['Yes'] }, 'The buttons should be ["Yes"]; they are [].'],
  ] as const)
    it(`expects ${what}`, async () => {
      expect(await after(met, booked)).to.deep.equal([]);
      expect(await after(missed, booked)).to.deep.equal([sentence]);
    });

  it('ends at a button that is not there', async () => {
    const outcome = await run(asking({ turns: [{ opens: true }, { presses: 'Yes' }, { says: 'never' }] }, booked), 'one');
    expect(misses(outcome)).to.deep.equal(['There should be a button “Yes” to press; there are no buttons.']);
    expect(outcome.turns).to.have.length(2);
  });

  it('begins at a node, at its own moment, as its own visitor', async () => {
    const bot = botOf(
      {
        hello: {
          kind: 'say',
          says: '{{ visitor.name }}, {{ clock.today }} {{ clock.time }}, {{ flow.x }}',
          exits: { said: 'done' },
        },
        done: { kind: 'end', ends: 'flow' },
      },
      {
        variables: { visitor: { name: 'text' } },
        rehearsals: {
          one: {
            visitor: { kept: { name: 'Ada' }, zone: 'Pacific/Auckland' },
            clock: '2026-01-02T23:30:00Z',
            turns: [
              {
                starts: { node: 'main/hello', values: { 'flow.x': 'given' } },
                expects: { words: 'Ada, 2026-01-03 12:30, given' },
              },
              { says: 'hi', after: '2h', expects: { words: 'Ada, 2026-01-03 14:30' } },
            ],
          },
        },
      },
    );
    expect(misses(await run(bot, 'one'))).to.deep.equal([]);
  });

  it('is made of a conversation, passes as it is, and misses what an edit changes', async () => {
    const document = asking({ turns: [{ opens: true }] });
    const talk = new Talk(document, { answer: () => ({ outcome: 'answered', status: 201, body: { ok: true } }) });
    const frames = () => {
      const frame = talk.session.waiting ? talk.session.frames.at(-1) : undefined;
      return frame ? { flow: frame.flow, node: frame.node } : null;
    };
    const turns = [{ type: 'open' as const }, { text: 'Friday' }].map((event) => ({
      sheet: talk.turn(event).sheet,
      waitsAt: frames(),
    }));
    const kept = keepConversation('on-friday', turns, document);
    expect(kept.samples).to.deep.equal({
      'on-friday-1': {
        answers: 'office.book',
        asked: { target: '/book', body: { day: 'Friday' } },
        status: 201,
        body: { ok: true },
      },
    });
    const with_ = (d: BotDocument) => accepted({ ...d, samples: kept.samples, rehearsals: { 'on-friday': kept.rehearsal } });
    expect(misses(await run(with_(document), 'on-friday'))).to.deep.equal([]);
    const told = document.flows['main']?.nodes['told'];
    const edited = {
      ...document,
      flows: {
        main: { ...document.flows['main'], nodes: { ...document.flows['main']?.nodes, told: { ...told, says: 'Done.' } } },
      },
    };
    expect(misses(await run(with_(edited as never), 'on-friday'))).to.deep.equal([
      'The bot should say “Booked for Friday.”; it said “Done.”.',
    ]);
    // What a sample there answers the same is not kept twice.
    expect(Object.keys(keepConversation('again', turns, { ...document, samples: kept.samples }).samples)).to.deep.equal([]);
  });

  it('reads and writes its text, and tells a mistake with its line', () => {
    const rehearsal: Rehearsal = { about: 'x', turns: [{ says: 'hi', expects: { words: ['a', 'b'] } }] };
    const text = writeRehearsal(rehearsal);
    expect(readRehearsal(text)).to.deep.equal({ ok: true, rehearsal });
    expect(readRehearsal('about: x\nturns:\n  - says: hi\n    expect: { words: a }\n')).to.deep.equal({
      ok: false,
      problems: [{ line: 4, message: 'turns/0: Unrecognized key: "expect"' }],
    });
    expect(readRehearsal('turns: [')).to.have.property('ok', false);
    const none = readRehearsal('');
    expect(none.ok).to.equal(false);
  });

  it('is checked: what it names has to be there', () => {
    const document = asking(
      {
        samples: ['bookd'],
        turns: [{ says: 'a', opens: true }, { expects: { node: 'main/tolt', pattern: '(' } }, { sends: 'booked' }],
      },
      { samples: { booked: { answers: 'office.bok' }, wrote: { writes: 'nobody' } } },
    );
    const found = checkBot(document).filter((p) => p.code !== 'untranslated');
    expect(found.map((p) => `${p.severity} ${p.field}: ${problemSentence(p)}`)).to.deep.equal([
      'warning /samples/booked/answers: There is no action "office.bok".',
      'warning /samples/wrote/writes: There is no model profile "nobody".',
      'warning /rehearsals/one/samples/0: There is no sample "bookd". Did you mean booked?',
      'warning /rehearsals/one/turns/0: Several things come in at once (opens, says). Make a turn of each.',
      'warning /rehearsals/one/turns/1: Nothing comes in with this turn. Say what the visitor does: opens, says, presses, sends, fires, starts, hands-back or signs-in.',
      'warning /rehearsals/one/turns/1: There is no node "main/tolt". Did you mean main/told?',
      'warning /rehearsals/one/turns/1/expects/pattern: The pattern of "(" cannot be read. Use RE2 syntax: no look-around, no back references.',
      'warning /rehearsals/one/turns/2/sends: "booked" is the result of a call, not something that comes in. Name a kept event.',
    ]);
  });
});

describe('a sample', () => {
  const effect: ActionEffect = {
    type: 'action',
    path: '1/0',
    connection: 'office',
    action: 'list',
    method: 'GET',
    target: '/list',
    query: { from: 'kelpwick', on: '2026-05-15' },
    headers: {},
    body: null,
    timeoutMs: 1000,
    changes: false,
    repeatable: true,
  };
  const any: Sample = { answers: 'office.list', body: 'any' };
  const samples: Record<string, Sample> = {
    any,
    'from-kelpwick': { answers: 'office.list', asked: { query: { from: 'kelpwick' } }, body: 'kelpwick' },
    'from-holm': { answers: 'office.list', asked: { query: { from: 'tarn-holm' } }, body: 'holm' },
    away: { answers: 'office.list', named: true, fails: 'timeout' },
    other: { answers: 'office.book', body: 'booked' },
  };

  it('answers the call that it fits most narrowly', () => {
    expect(sampleFor(samples, effect)).to.deep.equal({
      sample: 'from-kelpwick',
      result: { outcome: 'answered', status: 200, body: 'kelpwick' },
    });
    expect(sampleFor(samples, { ...effect, query: {} })?.sample).to.equal('any');
  });

  it('goes first where it is named, and only then where it says so', () => {
    expect(sampleFor({ away: samples['away'] ?? any }, effect)).to.equal(undefined);
    expect(sampleFor(samples, effect, [['any', 'from-kelpwick'], ['away']])?.sample).to.equal('from-kelpwick');
    expect(sampleFor(samples, effect, [['other'], ['away']])).to.deep.equal({
      sample: 'away',
      result: { outcome: 'failed', code: 'timeout', reason: 'the sample away says so' },
    });
  });

  it('is made of a call, narrow or for any; what is not known is not kept', () => {
    const result = { outcome: 'answered', status: 404, body: { trouble: 'none' } } as const;
    expect(sampleOf({ request: effect, result }, false)).to.deep.equal({
      answers: 'office.list',
      status: 404,
      body: { trouble: 'none' },
    });
    expect(sampleOf({ request: effect, result }, true)).to.deep.include({ asked: { target: '/list', query: effect.query } });
    expect(sampleOf({ request: effect, result: noSample(effect) }, true)).to.equal(undefined);
  });

  it('that was recorded goes to the same request, as often as it was made', () => {
    const talk = new Talk(demoDocument(), { answer: () => ({ outcome: 'answered', status: 200, body: { sailings: [] } }) });
    talk.turn({ text: 'when is the next boat from Kelpwick to Tarn Holm' });
    const sheet = talk.last?.sheet;
    const asked = sheet?.effects[0]?.request;
    if (!sheet || asked?.type !== 'action') throw new Error('nothing was asked');
    const results = recordedResults(sheet);
    expect(results({ ...asked, query: { ...asked.query, on: '2031-01-01' } })).to.equal(undefined);
    expect(results({ ...asked, path: 'elsewhere' })).to.deep.include({ outcome: 'answered', status: 200 });
    expect(results(asked)).to.equal(undefined);
    const failed = { ...sheet, effects: [{ request: asked, result: noSample(asked) }] };
    expect(recordedResults(failed)(asked)).to.equal(undefined);
  });
});

describe('what differs between two turns', () => {
  it('is told by words, path, values and effects, and nothing is told where they are the same', () => {
    const bot = (says: string, to: string) =>
      botOf(
        {
          a: { kind: 'set', sets: [{ into: 'session.x', to }], exits: { done: 'b' } },
          b: { kind: 'say', says, exits: { said: 'c' } },
          c: { kind: 'end', ends: 'flow' },
        },
        { variables: { session: { x: 'text' } } },
      );
    const sheet = (document: BotDocument) => new Talk(document).turn({ type: 'open' }).sheet;
    const before = sheet(bot('One.', 'p'));
    expect(compareTurns(before, sheet(bot('One.', 'p')))).to.deep.equal([]);
    expect(compareTurns(before, sheet(bot('Two.', 'q')))).to.deep.equal([
      { kind: 'words', before: ['One.'], after: ['Two.'] },
      { kind: 'value', name: 'session.x', before: 'p', after: 'q' },
    ]);
  });
});

describe('coverage', () => {
  it('counts what is on, and adds up', () => {
    const document = botOf({
      a: { kind: 'say', says: 'Hi', exits: { said: 'b' } },
      b: { kind: 'choice', says: 'So?', choices: [{ id: 'x', says: 'X' }], exits: { x: 'd', other: 'a' } },
      d: { kind: 'end', ends: 'flow' },
      off: { kind: 'say', says: 'x', off: true, exits: { said: 'd' } },
      note: { kind: 'note', says: 'x' },
    });
    const talk = new Talk(document);
    const sheets = [talk.turn({ type: 'open' }).sheet, talk.turn({ choice: 'x' }).sheet];
    const once = coverageOf(document, sheets);
    expect(once.nodes).to.deep.equal({ 'main/a': 1, 'main/b': 2, 'main/d': 1 });
    expect(once.exits).to.deep.equal({ 'main/a/said': 1, 'main/b/x': 1, 'main/b/other': 0 });
    expect(addCoverage([once, once]).nodes['main/b']).to.equal(4);
    expect(shareOf(once.exits)).to.deep.equal({ of: 3, met: 2 });
  });
});
