import { expect } from 'chai';
import {
  advance,
  checkBot,
  compile,
  MAX_DEPTH,
  openSession,
  problemSentence,
  type BotDocument,
  type Completed,
  type Effect,
  type TurnResult,
  isCall,
} from '@primrose/core';
import { accepted, MONDAY, Talk, words } from './harbour.js';

const frame = {
  primrose: 1,
  bot: 'trial',
  name: 'Trial',
  languages: ['en'],
  zone: 'Europe/Dublin',
  begins: 'main',
  variables: {
    session: { day: 'date', seats: 'number' },
    visitor: { habits: { type: 'list', of: 'text' }, trips: 'number', codes: 'list' },
  },
  entities: { port: { values: { kelpwick: ['Kelpwick'] } } },
  connections: {
    office: {
      actions: {
        fares: { get: '/fares', takes: { to: 'text?' } },
        times: { get: '/times' },
        book: { post: '/book' },
      },
    },
  },
};

function bot(flows: Record<string, unknown>): BotDocument {
  return accepted({ ...frame, flows });
}

const greet = {
  takes: { name: 'text', port: 'port?', seats: { type: 'number', value: 2 } },
  gives: { greeting: 'text', total: 'number' },
  begin: 'make',
  nodes: {
    make: {
      kind: 'set',
      sets: [
        { into: 'flow.greeting', to: 'Good day, {{ flow.name }}' },
        { into: 'flow.total', to: '{{ flow.seats * 10 }}' },
      ],
      exits: { done: 'stop' },
    },
    stop: { kind: 'end' },
  },
};
const say = (says: string, exits: Record<string, string> = {}) => ({ kind: 'say', says, exits });

describe('calling a flow', () => {
  const main = (call: Record<string, unknown>) => ({
    begin: 'call',
    nodes: {
      call: { kind: 'flow', calls: 'greet', ...call, exits: { done: 'tell', failed: 'sorry' } },
      tell: say('{{ flow.words }} {{ otherwise(flow.sum, 0) }}', { said: 'stop' }),
      sorry: say('Sorry.', { said: 'stop' }),
      stop: { kind: 'end', ends: 'conversation' },
    },
  });

  it('hands over what it takes, with first values, and keeps what it gives', () => {
    const talk = new Talk(
      bot({ main: main({ given: { name: 'Mo' }, into: { greeting: 'flow.words', total: 'flow.sum' } }), greet }),
    );
    expect(talk.open()).to.deep.equal(['Good day, Mo 20']);
    expect(talk.last?.sheet.path.map((s) => [s.flow, s.node, s.exit ?? s.note])).to.deep.equal([
      ['main', 'call', 'calls greet'],
      ['greet', 'make', 'done'],
      ['greet', 'stop', 'flow'],
      ['main', 'call', 'done'],
      ['main', 'tell', 'said'],
      ['main', 'stop', 'conversation'],
    ]);
  });

  it('leaves out an input of a wrong type and says so', () => {
    const talk = new Talk(
      bot({ main: main({ given: { name: 'Mo', seats: 'many' }, into: { greeting: 'flow.words', total: 'flow.sum' } }), greet }),
    );
    expect(talk.open()).to.deep.equal(['Good day, Mo 20']);
    expect(talk.last?.sheet.problems.map(problemSentence)).to.deep.equal([
      '"seats" of greet should be number, but it was many; it was left out.',
    ]);
  });

  it('comes back after the called flow has waited for the visitor', () => {
    const ask = {
      gives: { greeting: 'text' },
      begin: 'ask',
      nodes: {
        ask: {
          kind: 'ask',
          says: 'Name?',
          expects: 'text',
          into: 'flow.greeting',
          exits: { answered: 'stop', 'gave-up': 'stop' },
        },
        stop: { kind: 'end' },
      },
    };
    const talk = new Talk(bot({ main: main({ into: { greeting: 'flow.words' } }), greet: ask }));
    expect(talk.open()).to.deep.equal(['Name?']);
    expect(talk.session.frames.map((f) => f.flow)).to.deep.equal(['main', 'greet']);
    expect(talk.say('Mo')).to.deep.equal(['Mo 0']);
  });

  it('leaves by failed when the flow fails: by an end that says so, or an open failed exit', () => {
    const fails = { begin: 'stop', nodes: { stop: { kind: 'end', ends: 'failed' } } };
    const open = {
      begin: 'ask-office',
      nodes: { 'ask-office': { kind: 'action', runs: 'office.times', exits: { done: 'stop' } }, stop: { kind: 'end' } },
    };
    const down = () => ({ outcome: 'failed', code: 'timeout', reason: 'too slow' }) as const;
    for (const flow of [fails, open])
      expect(new Talk(bot({ main: main({}), greet: flow }), { answer: down }).open()).to.deep.equal(['Sorry.']);
  });

  it('cuts a flow that calls itself for ever', () => {
    const again = {
      begin: 'again',
      nodes: { again: { kind: 'flow', calls: 'greet', exits: { done: 'stop' } }, stop: { kind: 'end' } },
    };
    const talk = new Talk(bot({ main: main({}), greet: again }));
    expect(talk.open()).to.deep.equal(['Sorry.']);
    const tooDeep = talk.last?.sheet.problems.filter((p) => p.code === 'too-deep') ?? [];
    expect(tooDeep.map((p) => p.facts)).to.deep.equal([{ flow: 'greet', most: MAX_DEPTH }]);
  });

  it('is checked: inputs that are needed or unknown, outputs, the flow itself', () => {
    const sentences = checkBot(bot({ main: main({ given: { nam: 'Mo' }, into: { greetin: 'flow.words' } }), greet })).map(
      problemSentence,
    );
    expect(sentences).to.include.members([
      'greet needs "name". Say what it is given.',
      'greet does not take "nam". Did you mean name?',
      'greet does not give "greetin". Did you mean greeting?',
    ]);
    const gone = checkBot(bot({ main: main({ calls: 'gret' }), greet })).map(problemSentence);
    expect(gone).to.include('There is no flow "gret". Did you mean greet?');
    const never = bot({ main: main({}), greet: { ...greet, gives: { reference: 'text' } } });
    expect(checkBot(never).map((p) => p.code)).to.include('never-given');
    const typed = bot({ main: main({}), greet: { ...greet, takes: { ...greet.takes, port: 'prt?', sum: 'nothing' } } });
    const types = checkBot(typed).filter((p) => p.code === 'unknown-type');
    expect(types.map((p) => [p.field, p.facts['suggestion']])).to.deep.equal([
      ['/takes/port', 'port'],
      ['/takes/sum', null],
    ]);
  });
});

describe('a pause', () => {
  it('stands before the next words, and two add up', () => {
    const flow = {
      begin: 'first',
      nodes: {
        first: say('One moment.', { said: 'wait' }),
        wait: { kind: 'pause', for: '1.5s', exits: { done: 'more' } },
        more: { kind: 'pause', for: '500ms', exits: { done: 'then' } },
        then: say('Here it is.', { said: 'last' }),
        last: say('Anything else?', { said: 'stop' }),
        stop: { kind: 'end' },
      },
    };
    const talk = new Talk(bot({ main: flow }));
    talk.open();
    expect(talk.last?.messages.map((m) => [m.text, m.wait ?? 0])).to.deep.equal([
      ['One moment.', 0],
      ['Here it is.', 2000],
      ['Anything else?', 0],
    ]);
  });

  it('of more than a minute is an error', () => {
    const flow = { begin: 'wait', nodes: { wait: { kind: 'pause', for: '2m', exits: { done: 'stop' } }, stop: { kind: 'end' } } };
    expect(checkBot(bot({ main: flow })).map(problemSentence)).to.deep.equal([
      'A pause of 2m is too long; at most 1m is kept. Make it shorter.',
    ]);
  });
});

describe('adding to a variable and removing from it', () => {
  it('works on numbers and lists, and hands operations to the visitor’s record', () => {
    const sets = [
      { into: 'visitor.habits', add: 'by night' },
      { into: 'visitor.habits', add: 'with a dog' },
      { into: 'visitor.habits', remove: 'by night' },
      { into: 'visitor.trips', add: 2 },
      { into: 'visitor.trips', remove: 1 },
      { into: 'visitor.codes', add: 7 },
      { into: 'visitor.codes', add: 8 },
    ];
    const talk = new Talk(
      bot({ main: { begin: 'set', nodes: { set: { kind: 'set', sets, exits: { done: 'stop' } }, stop: { kind: 'end' } } } }),
    );
    talk.open();
    expect(talk.session.visitor).to.deep.equal({ habits: ['with a dog'], trips: 1, codes: [7, 8] });
    expect(talk.last?.visitorChanges.map((c) => [c.op, c.name, c.value])).to.deep.equal(
      sets.map((s) => {
        const [[op, value] = ['', null]] = (Object.entries(s) as [string, unknown][]).filter(([key]) => key !== 'into');
        return [op, s.into.slice(8), value];
      }),
    );
  });
});

describe('running flows at once', () => {
  const call = (action: string, more: Record<string, unknown> = {}) => ({
    gives: { found: 'text' },
    begin: 'ask-office',
    nodes: {
      'ask-office': { kind: 'action', runs: `office.${action}`, into: 'flow.found', exits: { done: 'stop', failed: 'no' } },
      stop: { kind: 'end' },
      no: { kind: 'end', ends: 'failed' },
      ...more,
    },
  });
  const twice = {
    gives: { found: 'text' },
    begin: 'first',
    nodes: {
      first: { kind: 'action', runs: 'office.times', exits: { done: 'second', failed: 'stop' } },
      second: { kind: 'action', runs: 'office.times', into: 'flow.found', exits: { done: 'tell', failed: 'stop' } },
      tell: say('Times are here.', { said: 'keep' }),
      keep: { kind: 'set', sets: [{ into: 'session.seats', add: 1 }], exits: { done: 'stop' } },
      stop: { kind: 'end' },
    },
  };
  const main = (more: Record<string, unknown> = {}) => ({
    begin: 'hello',
    nodes: {
      hello: say('One moment.', { said: 'both' }),
      both: {
        kind: 'parallel',
        branches: [
          { id: 'fares', calls: 'fares', into: { found: 'flow.fare' }, within: '2s' },
          { id: 'times', calls: 'times', into: { found: 'flow.time' } },
        ],
        exits: { done: 'tell', fares: 'no-fares', times: 'no-times' },
        ...more,
      },
      tell: say('{{ flow.fare }} at {{ flow.time }}', { said: 'stop' }),
      'no-fares': say('No fares, but {{ flow.time }}.', { said: 'stop' }),
      'no-times': say('No times.', { said: 'stop' }),
      stop: { kind: 'end' },
    },
  });
  const document = bot({ main: main(), fares: call('fares'), times: twice });

  /** Runs the opening turn; results come back in the order that `pick` chooses from those under way. */
  function run(pick: (underWay: readonly Effect[]) => Effect, doc = document): { turn: TurnResult; asked: string[][] } {
    const compiled = compile(doc);
    const running = advance(compiled, openSession(compiled, {}), { type: 'open', at: MONDAY, channel: 'test' });
    const underWay: Effect[] = [];
    const asked: string[][] = [];
    let next = running.next();
    while (!next.done) {
      underWay.push(...next.value.effects);
      asked.push(next.value.effects.map((e) => e.path));
      const chosen = pick(underWay);
      underWay.splice(underWay.indexOf(chosen), 1);
      const result: Completed['result'] =
        chosen.type === 'timer'
          ? { outcome: 'elapsed' }
          : { outcome: 'answered', status: 200, body: `${chosen.type === 'action' ? chosen.action : ''}!` };
      next = running.next([{ path: chosen.path, result }]);
    }
    return { turn: next.value, asked };
  }
  const action =
    (name: string) =>
    (list: readonly Effect[]): Effect => {
      const found = list.find((e) => e.type === 'action' && e.action === name) ?? list.find((e) => e.type === 'action');
      if (!found) throw new Error('no action is under way');
      return found;
    };

  it('begins all branches together and lets each go on by itself', () => {
    const { turn, asked } = run(action('times'));
    expect(asked[0]).to.deep.equal(['1.0.0/0', '1.1.0/0', '1.0/timer', '1.1/timer']);
    expect(asked[1]).to.deep.equal(['1.1.1/0']);
    expect(words(turn)).to.deep.equal(['One moment.', 'Times are here.', 'fares! at times!']);
    expect(turn.session.session).to.deep.equal({ seats: 1 });
  });

  it('gives the same turn whichever branch is faster', () => {
    expect(run(action('fares')).turn).to.deep.equal(run(action('times')).turn);
  });

  it('leaves by the exit of a branch that is too slow, without what it has not finished', () => {
    const { turn } = run(
      (list) => list.find((e) => e.path === '1.0/timer') ?? action('times')(list.filter((e) => !e.path.startsWith('1.0'))),
    );
    expect(words(turn).at(-1)).to.equal('No fares, but times!.');
    expect(turn.sheet.problems.map(problemSentence)).to.deep.equal([
      'The branch "fares" took longer than 2 s and was not waited for.',
    ]);
  });

  it('leaves by the exit of a branch that failed, and keeps the record of what ran in it', () => {
    const compiled = new Talk(document, {
      answer: (e) =>
        e.action === 'fares'
          ? { outcome: 'failed', code: 'unreachable', reason: 'nobody there' }
          : { outcome: 'answered', status: 200, body: 'noon' },
    });
    expect(compiled.open().at(-1)).to.equal('No fares, but noon.');
    expect(compiled.last?.sheet.path.filter((s) => s.branch === 'fares').map((s) => s.node)).to.deep.equal(['ask-office', 'no']);
    expect(compiled.last?.sheet.effects.filter((e) => isCall('action', e)).map((e) => e.request.action)).to.deep.equal([
      'fares',
      'times',
      'times',
    ]);
  });

  it('is checked: a branch cannot ask the visitor, nor be the only one, nor be called done', () => {
    const asks = call('fares', { ask: { kind: 'ask', says: 'When?', expects: 'date', into: 'flow.found', exits: {} } });
    const branches = [{ id: 'done', calls: 'fares' }];
    const codes = checkBot(bot({ main: main({ branches }), fares: asks, times: twice })).map((p) => p.code);
    expect(codes).to.include.members(['branch-asks', 'too-few-branches', 'duplicate-exit']);
  });

  it('fails a branch that waits for the visitor all the same', () => {
    const asks = { begin: 'ask', nodes: { ask: { kind: 'ask', says: 'When?', expects: 'date', into: 'flow.found' } } };
    const { turn } = run(action('times'), bot({ main: main(), fares: asks, times: twice }));
    expect(turn.sheet.problems.map((p) => p.code)).to.include('branch-waits');
    expect(words(turn)).to.not.include('When?');
  });
});

describe('a conversation that has rested', () => {
  const flow = {
    begin: 'hello',
    nodes: {
      hello: { kind: 'ask', says: 'Where to?', expects: 'text', into: 'session.day', exits: { answered: 'stop' } },
      stop: { kind: 'end' },
    },
  };
  it('begins anew after the idle time, with nothing of the old one', () => {
    const talk = new Talk(accepted({ ...frame, idle: '30m', flows: { main: flow } }));
    talk.open();
    talk.session = { ...talk.session, session: { day: '2026-05-12' } };
    const later = talk.turn({ text: 'Tarn Holm', at: '2026-05-11T10:31:00.000Z' });
    expect(words(later)).to.deep.equal(['Where to?']);
    expect(talk.session.session).to.deep.equal({});
  });
  it('goes on within it', () => {
    const talk = new Talk(accepted({ ...frame, idle: '30m', flows: { main: flow } }));
    talk.open();
    expect(words(talk.turn({ text: 'Tarn Holm', at: '2026-05-11T10:29:00.000Z' }))).to.deep.equal([]);
    expect(talk.session.session).to.deep.equal({ day: 'Tarn Holm' });
  });
});
