import { expect } from 'chai';
import fc from 'fast-check';
import { compileExpression, ENGINE_LIMITS, problemSentence, type Value } from '@primrose/core';
import { fillPath } from '../src/expressions/path.js';
import { compileTemplate } from '../src/expressions/template.js';
import { MAX_NESTING, sizeOf } from '../src/document/size.js';
import { botOf, Talk } from './harbour.js';

const numbers = Array.from({ length: 6000 }, (_, i) => i);
const letters = 'a'.repeat(100_000);

function evaluate(source: string, flow: Record<string, unknown>) {
  const compiled = compileExpression(source);
  if (!compiled.ok) throw new Error(compiled.problem.message);
  return compiled.value.evaluate({ flow });
}

/** Every way known to us in which a short expression asks for very much. */
const COSTLY = [
  'flow.l.map(x, flow.l.map(y, x * y))',
  'flow.l.exists(x, flow.l.exists(y, y < 0))',
  'flow.l.all(x, flow.l.all(y, y >= 0))',
  'flow.l.exists_one(x, flow.l.exists_one(y, y == -1))',
  'flow.l.filter(x, flow.l.exists(y, y == x + 0.5))',
  'flow.l.exists(x, flow.l.exists(y, y.nothing == x))',
  'flow.l.map(x, flow.l)',
  'join(flow.l.map(x, flow.l), ",")',
  'flow.l.map(x, flow.l == flow.o)',
  'flow.l.map(x, x in flow.l)',
  'flow.l.map(x, flow.t.contains("b"))',
  'flow.l.map(x, flow.t.split(""))',
  'flow.l.map(x, flow.t + flow.t)',
  'flow.l.map(x, upper(flow.t))',
  'flow.l.map(x, size(flow.t))',
  'replace(flow.t, "a", flow.t)',
  'join(flow.l, flow.t)',
  'flow.l.map(x, sum(flow.l))',
];

describe('an expression', () => {
  for (const source of COSTLY)
    it(`ends with a reason before it has done very much: ${source}`, () => {
      const found = evaluate(source, { l: numbers, o: numbers.map((n) => ({ n })), t: letters });
      expect(found.ok).to.equal(false);
      if (!found.ok) expect(found.reason).to.match(/more than \d+ steps|longer than|far too large/);
    });

  it('may go through a list of some thousand as often as one does', () => {
    for (const source of ['flow.l.filter(x, x > 5990)', 'sum(flow.l.map(x, x * 2))', 'size(flow.l) > 3 && 5999 in flow.l'])
      expect(evaluate(source, { l: numbers }), source).to.have.property('ok', true);
  });

  it('cannot hide that it costs too much behind another value', () => {
    const found = evaluate('flow.l.exists(x, flow.l.exists(y, y < 0)) || true', { l: numbers });
    expect(found).to.include({ ok: false });
  });

  it('counts the same in any order and any number of times', () => {
    const first = evaluate('flow.l.filter(x, x % 2 == 0).map(x, x + 1)', { l: numbers.slice(0, 100) });
    expect(evaluate('flow.l.filter(x, x % 2 == 0).map(x, x + 1)', { l: numbers.slice(0, 100) })).to.deep.equal(first);
  });
});

describe('the size of a value', () => {
  it('is about that of its JSON', () => {
    const json = fc.jsonValue({ maxDepth: 5 });
    fc.assert(
      fc.property(json, (value) => {
        const length = JSON.stringify(value).replaceAll(/\\u[0-9a-f]{4}|\\./g, '_').length;
        expect(sizeOf(value)).to.be.within(length * 0.25, length * 8 + 8);
      }),
      { seed: 14, numRuns: 300 },
    );
  });

  it('has no end where values stand too deep in each other, and is found at once where one stands in many places', () => {
    let deep: Value = 1;
    for (let i = 0; i < 20_000; i++) deep = [deep];
    expect(sizeOf(deep)).to.equal(Infinity);
    let wide: Value = [1];
    for (let i = 0; i < MAX_NESTING - 2; i++) wide = [wide, wide, wide, wide];
    expect(sizeOf(wide)).to.be.greaterThan(1e30);
  });
});

/** A bot that does the same to itself again and again, without waiting. */
const looping = (sets: object[], more: Record<string, unknown> = {}) =>
  botOf(
    {
      first: { kind: 'set', sets: [{ into: 'flow.l', to: [1, 2, 3] }], exits: { done: 'again' } },
      again: { kind: 'set', sets, exits: { done: 'again' } },
    },
    more,
  );

describe('what a conversation holds', () => {
  it('stays small however a loop multiplies a value, and the sheet says what was not taken', () => {
    const talk = new Talk(looping([{ into: 'flow.l', to: '{{ [flow.l, flow.l, flow.l, flow.l, flow.l, flow.l, flow.l] }}' }]));
    const { sheet, session } = talk.turn({ type: 'open' });
    expect(JSON.stringify(session).length).to.be.lessThan(ENGINE_LIMITS.stateSize);
    expect(JSON.stringify(sheet).length).to.be.lessThan(2 * ENGINE_LIMITS.sheetSize);
    const sentence = sheet.problems.map(problemSentence).find((s) => s.startsWith('flow.l was left as it was'));
    expect(sentence).to.match(/would be \d+ characters, and at most 200000 are kept of one value/);
  });

  it('stays within its whole, over many variables and turns', () => {
    const sets = ['a', 'b', 'c', 'd', 'e', 'f'].flatMap((v) => [
      { into: `session.${v}`, add: '{{ "0123456789".split("").map(x, turn.text) }}' },
    ]);
    const declared = Object.fromEntries(['a', 'b', 'c', 'd', 'e', 'f'].map((v) => [v, 'list']));
    const document = botOf(
      {
        grow: { kind: 'set', sets, exits: { done: 'wait' } },
        wait: { kind: 'ask', says: 'And?', expects: 'text', into: 'flow.said', exits: { answered: 'grow', 'gave-up': 'grow' } },
      },
      { variables: { session: declared } },
    );
    const talk = new Talk(document);
    talk.open();
    let largest = 0;
    for (let i = 0; i < 40; i++) {
      const { sheet, session } = talk.turn({ text: 'word '.repeat(400) });
      largest = Math.max(largest, JSON.stringify(sheet).length);
      expect(JSON.stringify(session).length).to.be.lessThan(1.1 * ENGINE_LIMITS.stateSize);
    }
    expect(talk.last?.sheet.problems.map((p) => p.code)).to.include('state-too-large');
    // Of what holds half a million characters the record of a turn tells what changed, and not everything again.
    expect(largest).to.be.lessThan(150_000);
  });

  it('may always be made smaller', () => {
    const document = botOf({
      empty: { kind: 'set', sets: [{ into: 'session.l', to: null }], exits: { done: 'end' } },
      end: { kind: 'end' },
    });
    const talk = new Talk(document);
    talk.session = { ...talk.session, session: { l: letters.repeat(10) } };
    talk.open();
    expect(talk.session.session).to.deep.equal({ l: null });
  });

  it('is not filled by what a called flow takes, by contexts or by a branch', () => {
    const big = '{{ turn.text + turn.text + turn.text }}';
    const node = { kind: 'parallel', branches: ['one', 'two'].map((id) => ({ id, calls: 'side', given: { x: big } })) };
    const document = botOf(
      {
        opens: { kind: 'set', sets: [], opens: { trip: { x: big } }, exits: { done: 'both' } },
        both: { ...node, exits: { done: 'call', one: 'call', two: 'call' } },
        call: { kind: 'flow', calls: 'side', given: { x: big }, exits: { done: 'wait', failed: 'wait' } },
        wait: { kind: 'ask', says: 'And?', expects: 'text', into: 'flow.said' },
      },
      { contexts: { trip: { carries: { x: 'text' } } } },
    );
    const side = {
      takes: { x: 'text?' },
      begin: 'keep',
      nodes: {
        keep: { kind: 'set', sets: [{ into: 'session.x', to: '{{ flow.x }}' }], exits: { done: 'end' } },
        end: { kind: 'end' },
      },
    };
    const talk = new Talk({ ...document, flows: { ...document.flows, side } });
    const { session, sheet } = talk.turn({ text: letters });
    expect(JSON.stringify(session).length).to.be.lessThan(ENGINE_LIMITS.valueSize);
    expect(new Set(sheet.problems.map((p) => p.code))).to.include('value-too-large');
  });
});

describe('what a turn says and records', () => {
  it('is cut, and the sheet says so', () => {
    const says = '{{ flow.t }}';
    const document = botOf({
      fill: { kind: 'set', sets: [{ into: 'flow.t', to: 'x'.repeat(90_000) }], exits: { done: 'say' } },
      say: { kind: 'say', says, exits: { said: 'say' } },
    });
    const { messages, sheet } = new Talk(document).turn({ type: 'open' });
    expect(messages[0]?.text.length).to.equal(ENGINE_LIMITS.messageSize + 1);
    expect(JSON.stringify(sheet).length).to.be.lessThan(3 * ENGINE_LIMITS.sheetSize);
    expect(sheet.problems.map(problemSentence)).to.include('A message of 90000 characters was cut to 20000.');
    expect(sheet.problems.at(-1)?.code).to.be.oneOf(['turn-too-large', 'loop-cut']);
  });

  it('is cut where outside services answer with very much', () => {
    const document = botOf(
      {
        call: { kind: 'action', runs: 'office.list', into: 'flow.x', exits: { done: 'call', failed: 'call' } },
      },
      { connections: { office: { address: 'http://office.test', actions: { list: { get: '/list' } } } } },
    );
    const talk = new Talk(document, { answer: () => ({ outcome: 'answered', status: 200, body: letters }) });
    const { sheet } = talk.turn({ type: 'open' });
    expect(sheet.problems.at(-1)?.code).to.equal('turn-too-large');
    expect(sheet.effects.length).to.be.within(10, 30);
  });
});

describe('a path', () => {
  const path = (source: string, values: Record<string, Value>) => {
    const compiled = compileTemplate(source);
    if (!compiled.ok) throw new Error(compiled.problem.message);
    return fillPath(compiled.value, values, () => undefined);
  };

  it('keeps every value inside its own segment, whatever it is', () => {
    const hostile = fc.oneof(
      fc.string({ unit: 'binary', maxLength: 12 }),
      fc.string({ unit: fc.constantFrom('.', '/', '%', '2', 'e', 'E', '\\', '?', '#', '\t', ';', ':', '@'), maxLength: 8 }),
    );
    let sent = 0;
    fc.assert(
      fc.property(hostile, hostile, (ref, more) => {
        const found = path('/things/{{ ref }}/parts/{{ more }}.json?of={{ ref }}', { ref, more });
        if (!found.ok) {
          expect(ref === '' || /^\.{1,2}$/.test(ref)).to.equal(true, JSON.stringify(ref));
          return;
        }
        sent++;
        const { pathname, hash } = new URL(`http://office.test/api${found.path}`);
        const segments = pathname.split('/');
        expect(segments.slice(0, 3).concat(segments[4] ?? '')).to.deep.equal(['', 'api', 'things', 'parts']);
        expect(segments.length).to.equal(6);
        expect(hash).to.equal('');
      }),
      { seed: 14, numRuns: 3000 },
    );
    expect(sent).to.be.greaterThan(2000);
  });

  it('is refused where a value would lead away, or is missing', () => {
    for (const [ref, why] of [
      ['..', 'would lead elsewhere'],
      ['.', 'would lead elsewhere'],
      ['', 'no value for place 2'],
    ] as const)
      expect(path('/things/{{ ref }}', { ref })).to.have.property('reason').that.contains(why);
    expect(path('/a/{{ x }}.', { x: '.' })).to.have.property('ok', false);
    expect(path('/a/{{ x }}{{ y }}', { x: '', y: 'b' })).to.deep.equal({ ok: true, path: '/a/b' });
    expect(path('/', {})).to.deep.equal({ ok: true, path: '/' });
  });

  it('that would lead away lets the action fail before anything is called', () => {
    const document = botOf(
      {
        call: { kind: 'action', runs: 'office.drop', given: { ref: '{{ turn.text }}' }, exits: { done: 'end', failed: 'sorry' } },
        sorry: { kind: 'say', says: 'No.', exits: { said: 'end' } },
        end: { kind: 'end' },
      },
      {
        connections: {
          office: { address: 'http://office.test', actions: { drop: { delete: '/things/{{ ref }}', takes: { ref: 'text' } } } },
        },
      },
    );
    const talk = new Talk(document);
    expect(talk.say('..')).to.deep.equal(['No.']);
    expect(talk.effects.filter((e) => e.type === 'action')).to.have.length(0);
    expect(talk.last?.sheet.problems.map(problemSentence)[0]).to.contain('would lead elsewhere');
  });
});
