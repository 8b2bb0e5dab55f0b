import { expect } from 'chai';
import { nodeKinds, type ActionResult, type FlowNode } from '@primrose/core';
import { botOf, Talk } from './harbour.js';

const END = { kind: 'end' };
const CONNECTIONS = {
  office: {
    actions: {
      list: { get: '/list/{{ port }}', takes: { port: 'text', day: 'date?' }, sends: { query: { on: '{{ day }}', fixed: 'x' } } },
      book: {
        post: '/book',
        takes: { name: 'text', people: 'number' },
        sends: {
          headers: { 'x-desk': 'desk {{ name }}' },
          body: { who: '{{ name }}', count: '{{ people }}', tags: ['a', '{{ name }}'] },
        },
        gives: { reference: '{{ answer.ref }}', total: '{{ answer.price * people }}' },
      },
      both: { get: '/a', post: '/b' },
    },
  },
};

/** A bot that asks for a text and then runs one node; every exit of it says its own name. */
function around(node: Record<string, unknown>, exits: readonly string[], more: Record<string, unknown> = {}): Talk {
  const says = Object.fromEntries(exits.map((e) => [`x-${e}`, { kind: 'say', says: `left by ${e}`, exits: { said: 'fin' } }]));
  const links = Object.fromEntries(exits.map((e) => [e, `x-${e}`]));
  return new Talk(
    botOf(
      {
        start: { kind: 'ask', says: '?', expects: 'text', into: 'flow.said', exits: { answered: 'it', 'gave-up': 'fin' } },
        it: { ...node, exits: links },
        ...says,
        fin: END,
      },
      more,
    ),
  );
}

describe('a choice', () => {
  const make = (list: unknown) =>
    new Talk(
      botOf({
        fill: { kind: 'set', sets: [{ into: 'flow.list', to: list }], exits: { done: 'pick' } },
        pick: {
          kind: 'choice',
          says: 'Which?',
          from: 'flow.list',
          shows: '{{ item.time }} {{ item.boat }}',
          choices: [{ id: 'none', says: { en: '**None** of these', de: 'Keine' } }],
          into: 'flow.picked',
          exits: { picked: 'got', none: 'not', other: 'what' },
        },
        got: { kind: 'say', says: 'Got {{ flow.picked.boat }}', exits: { said: 'fin' } },
        not: { kind: 'say', says: 'Not {{ flow.picked }}', exits: { said: 'fin' } },
        what: { kind: 'say', says: 'What is {{ turn.text }}?', exits: { said: 'pick' } },
        fin: END,
      }),
    );
  const LIST = [
    { time: '09:40', boat: 'Wrackline' },
    { time: '13:15', boat: 'Sandpiper' },
  ];

  it('offers the list first, then its own buttons, without markup', () => {
    const talk = make(LIST);
    talk.open();
    expect(talk.last?.messages[0]?.choices).to.deep.equal([
      { id: 'item-1', says: '09:40 Wrackline' },
      { id: 'item-2', says: '13:15 Sandpiper' },
      { id: 'none', says: 'None of these' },
    ]);
  });
  for (const [how, said, answer] of [
    ['a press', { choice: 'item-2' }, 'Got Sandpiper'],
    ['the words', { text: '09:40 wrackline' }, 'Got Wrackline'],
    ['a number', { text: '2' }, 'Got Sandpiper'],
    ['a part of the words', { text: 'the sandpiper please' }, 'Got Sandpiper'],
    ['a misspelling', { text: 'sandpipper' }, 'Got Sandpiper'],
    ['a written button', { text: 'none of these' }, 'Not none'],
  ] as const) {
    it(`takes ${how}`, () => {
      const talk = make(LIST);
      talk.open();
      expect(talk.turn(said).messages[0]?.text).to.equal(answer);
    });
  }
  it('leaves by other for anything else, and for a button of an older message', () => {
    const talk = make(LIST);
    talk.open();
    expect(talk.say('tea')).to.deep.equal(['What is tea?', 'Which?']);
    expect(talk.press('item-9')[0]).to.equal('What is ?');
  });
  it('offers at most twenty of a list, and only its own buttons where the list is none', () => {
    const long = make(Array.from({ length: 60 }, (_, i) => ({ time: `t${i}`, boat: 'b' })));
    long.open();
    expect(long.last?.messages[0]?.choices).to.have.length(21);
    const none = make('ask at the pier');
    none.open();
    expect(none.last?.messages[0]?.choices?.map((c) => c.id)).to.deep.equal(['none']);
  });
});

describe('a set', () => {
  it('keeps types, builds lists and objects, and empties with null', () => {
    const talk = around(
      {
        kind: 'set',
        sets: [
          { into: 'flow.n', to: '{{ size(flow.said) }}' },
          { into: 'flow.obj', to: { n: '{{ flow.n }}', list: ['{{ flow.n }}', 'x {{ flow.n }}'] } },
          { into: 'flow.said', to: null },
          { into: 'session.s', to: true },
        ],
      },
      ['done'],
      { variables: { session: { s: { type: 'yes_no' } } } },
    );
    talk.open();
    talk.say('abcd');
    const changes = Object.fromEntries((talk.last?.sheet.changes ?? []).map((c) => [c.name, c.after]));
    expect(changes).to.deep.equal({ 'flow.n': 4, 'flow.obj': { n: 4, list: [4, 'x 4'] }, 'session.s': true });
    expect(talk.session.session).to.deep.equal({ s: true });
  });
});

describe('a branch', () => {
  const cases = [
    { exit: 'big', when: 'size(flow.said) > 3' },
    { exit: 'a', when: 'flow.said.startsWith("a")' },
  ];
  for (const [said, exit] of [
    ['abcd', 'big'],
    ['abc', 'a'],
    ['x', 'otherwise'],
  ] as const) {
    it(`takes the first that holds: "${said}" leaves by ${exit}`, () => {
      const talk = around({ kind: 'branch', cases }, ['big', 'a', 'otherwise']);
      talk.open();
      expect(talk.say(said)).to.include(`left by ${exit}`);
    });
  }
  it('counts a condition that cannot be worked out as not holding, and notes it', () => {
    const talk = around({ kind: 'branch', cases: [{ exit: 'a', when: 'flow.said > 3' }] }, ['a', 'otherwise']);
    talk.open();
    expect(talk.say('x')).to.include('left by otherwise');
    expect(talk.last?.sheet.problems[0]?.code).to.equal('broken-value');
  });
});

describe('an action', () => {
  const node = (more: Record<string, unknown>) => ({ kind: 'action', ...more });
  const answered = (status: number, body: unknown): ActionResult => ({ outcome: 'answered', status, body: body as never });
  const run = (more: Record<string, unknown>, result: ActionResult, exits = ['done', 'failed'], said = 'Tarn Holm/?&') => {
    const talk = around(node(more), exits, { connections: CONNECTIONS });
    const answering = new Talk(talk.bot.document, { answer: () => result });
    answering.open();
    const words = answering.say(said);
    return { words, effect: answering.effects[0], sheet: answering.last?.sheet };
  };

  it('escapes inputs in the path and leaves out what only repeats an empty input', () => {
    const { effect, sheet } = run(
      { runs: 'office.list', given: { port: '{{ flow.said }}', day: '{{ flow.day }}' } },
      answered(200, []),
    );
    expect(effect).to.deep.include({
      target: '/list/Tarn%20Holm%2F%3F%26',
      query: { fixed: 'x' },
      body: null,
      changes: false,
      timeoutMs: 10_000,
    });
    expect(sheet?.problems).to.deep.equal([]);
  });
  it('fills body and headers, keeps number types, and gives several fields as an object', () => {
    const given = { name: '{{ flow.said }}', people: '{{ size(flow.said) }}' };
    const { effect, sheet } = run(
      { runs: 'office.book', given, into: 'flow.got', timeout: '2s' },
      answered(201, { ref: 'R1', price: 4 }),
      undefined,
      'Mo',
    );
    expect(effect).to.deep.include({
      headers: { 'x-desk': 'desk Mo' },
      body: { who: 'Mo', count: 2, tags: ['a', 'Mo'] },
      changes: true,
      timeoutMs: 2000,
    });
    expect(sheet?.changes.find((c) => c.name === 'flow.got')?.after).to.deep.include({ reference: 'R1' });
  });
  it('stores nothing of an error answer and gives its reason to the next node', () => {
    const { words, sheet } = run({ runs: 'office.list', given: { port: 'x' }, into: 'flow.got' }, answered(500, { secret: 1 }));
    expect(words).to.include('left by failed');
    expect(sheet?.changes.map((c) => c.name)).to.not.include('flow.got');
    expect(sheet?.problems[0]?.facts).to.include({ status: 500, reason: 'office.list answered with status 500' });
  });
  it('lets a case look at status, answer and what was stored', () => {
    const cases = [
      { exit: 'gone', when: 'status == 410' },
      { exit: 'many', when: 'size(answer) > 1' },
    ];
    const exits = ['gone', 'many', 'done', 'failed'];
    const given = { port: 'x' };
    expect(run({ runs: 'office.list', given, cases }, answered(410, null), exits).words).to.include('left by gone');
    expect(run({ runs: 'office.list', given, cases }, answered(200, [1, 2]), exits).words).to.include('left by many');
    expect(run({ runs: 'office.list', given, cases }, answered(200, [1]), exits).words).to.include('left by done');
  });
  it('fails at once where the action is none, without calling anybody', () => {
    for (const runs of ['office.nothing', 'office.both', '']) {
      const { words, effect } = run({ runs }, answered(200, null));
      expect([runs, words.includes('left by failed'), effect]).to.deep.equal([runs, true, undefined]);
    }
  });
});

describe('an end', () => {
  it('of the flow lets the next message begin again; with an unmatched flow, that one runs', () => {
    const flows = {
      main: { title: 'Main', begin: 'a', nodes: { a: { kind: 'end', says: 'done' } } },
      lost: { title: 'Lost', begin: 'a', nodes: { a: { kind: 'end', says: 'pardon: {{ turn.text }}' } } },
    };
    const talk = new Talk(botOf({}, { flows }));
    expect(talk.open()).to.deep.equal(['done']);
    expect(talk.say('x')).to.deep.equal(['done']);
    const lost = new Talk(botOf({}, { flows, unmatched: 'lost' }));
    lost.open();
    expect(lost.say('x')).to.deep.equal(['pardon: x']);
  });
  it('of the conversation forgets what belonged to it', () => {
    const variables = { session: { n: { type: 'number' } } };
    const says = '{{ otherwise(session.n, "fresh") }}';
    const talk = new Talk(
      botOf(
        {
          a: { kind: 'say', says, exits: { said: 'b' } },
          b: { kind: 'set', sets: [{ into: 'session.n', to: 1 }], exits: { done: 'c' } },
          c: { kind: 'end', ends: 'conversation' },
        },
        { variables },
      ),
    );
    expect(talk.open()).to.deep.equal(['fresh']);
    expect(talk.say('again')).to.deep.equal(['fresh']);
  });
  it('of the conversation opens it anew with the next message', () => {
    const talk = new Talk(botOf({ a: { kind: 'end', says: ['one', 'two'], ends: 'conversation' } }));
    talk.open();
    expect(talk.session.over).to.equal(true);
    expect(talk.say('again')).to.deep.equal(['two']);
  });
});

describe('every kind of node', () => {
  for (const [name, kind] of nodeKinds) {
    it(`${name}: a new one fits its own schema and has prose and exits of its own names`, () => {
      const blank = { kind: name, ...kind.blank() } as FlowNode;
      expect(kind.schema.safeParse(blank).success).to.equal(true);
      expect(kind.prose(blank, 'en').text).to.be.a('string');
      const exits = kind.exits(blank).map((e) => e.name);
      expect(new Set(exits).size).to.equal(exits.length);
      expect(kind.about.length).to.be.greaterThan(5);
    });
  }
});

describe('what the turn knows', () => {
  it('of the clock, in the bot’s zone', () => {
    const talk = new Talk(
      botOf({ a: { kind: 'end', says: '{{ clock.weekday }} {{ clock.today }} {{ clock.time }} {{ clock.tomorrow }}' } }),
    );
    expect(talk.turn({ type: 'open', at: '2026-07-10T23:30:00.000Z' }).messages[0]?.text).to.equal(
      'Saturday 2026-07-11 00:30 2026-07-12',
    );
  });
  it('of channel, language, and the visitor’s name where the channel gives one', () => {
    const says = '{{ turn.channel }} {{ turn.language }} {{ otherwise(turn.name, "stranger") }}';
    const talk = new Talk(botOf({ a: { kind: 'end', says } }), { language: 'de' });
    expect(talk.open()).to.deep.equal(['test de stranger']);
    expect(talk.turn({ type: 'open', name: 'Mo' }).messages[0]?.text).to.equal('test de Mo');
  });
  it('of settings and of what is kept of the visitor', () => {
    const variables = { settings: { hours: { type: 'text', value: '6 to 8' } }, visitor: { name: { type: 'text' } } };
    const talk = new Talk(botOf({ a: { kind: 'end', says: '{{ settings.hours }}, {{ visitor.name }}' } }, { variables }), {
      visitor: { name: 'Mo' },
    });
    expect(talk.open()).to.deep.equal(['6 to 8, Mo']);
  });
  it('and writes down what each field read as', () => {
    const talk = new Talk(botOf({ a: { kind: 'end', says: { en: ['plain', 'It is {{ clock.weekday }}'] } } }));
    talk.open();
    expect(talk.last?.sheet.path[0]?.values).to.deep.equal([]);
    talk.open();
    expect(talk.last?.sheet.path[0]?.values).to.deep.equal([
      { field: '/says', source: 'It is {{ clock.weekday }}', value: 'It is Monday' },
    ]);
  });
});
