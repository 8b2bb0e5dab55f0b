import fc from 'fast-check';
import { nodeKinds, type BotDocument, type FlowNode } from '@primrose/core';
import { accepted } from './harbour.js';

/** Texts with values in them, some of which can be missing or broken when they are reached. */
const words = fc.constantFrom(
  'Hello.',
  'So {{ flow.a }}',
  '{{ flow.n + 1 }}',
  '**{{ otherwise(flow.b, "none") }}**',
  '{{ size(flow.list) }}',
  '{{ turn.text }} <b>',
);
const text = fc.oneof(words, fc.array(words, { minLength: 1, maxLength: 3 }), fc.record({ en: words, de: words }));
const variable = fc.constantFrom('flow.a', 'flow.b', 'flow.n', 'flow.list', 'session.s', 'visitor.v');
const condition = fc.constantFrom(
  'known(flow.a)',
  'flow.n > 2',
  'turn.text == "yes"',
  'size(flow.list) == 0',
  'flow.a.b.c',
  'session.s == visitor.v',
);
const value = fc.constantFrom(null, 1, 'x', '{{ flow.n }}', '{{ turn.text }}', [1, 2], { k: '{{ flow.a }}' });
const cases = fc.uniqueArray(fc.record({ exit: fc.constantFrom('one', 'two', 'three'), when: condition }), {
  maxLength: 3,
  selector: (c) => c.exit,
});

const say = fc.record({ kind: fc.constant('say'), says: text });
const ask = fc.record({
  kind: fc.constant('ask'),
  says: text,
  expects: fc.constantFrom('text', 'number', 'yes_no', 'date', 'port'),
  into: variable,
  tries: fc.integer({ min: 0, max: 3 }),
});
const choice = fc.record({
  kind: fc.constant('choice'),
  says: text,
  choices: fc.constantFrom(
    [
      { id: 'yes', says: 'Yes' },
      { id: 'no', says: 'No' },
    ],
    [{ id: 'yes', says: 'Yes {{ flow.a }}' }],
  ),
  from: fc.constant('flow.list'),
  into: variable,
});
const branch = fc.record({ kind: fc.constant('branch'), cases });
const set = fc.record({ kind: fc.constant('set'), sets: fc.array(fc.record({ into: variable, to: value }), { maxLength: 3 }) });
const action = fc.record({
  kind: fc.constant('action'),
  runs: fc.constantFrom('office.list', 'office.book'),
  given: fc.constant({ day: '{{ flow.a }}' }),
  into: variable,
  cases,
});
const pause = fc.record({ kind: fc.constant('pause'), for: fc.constantFrom('1s', '20ms') });
const flow = fc.record({
  kind: fc.constant('flow'),
  calls: fc.constantFrom('main', 'side'),
  given: fc.constantFrom({ a: '{{ flow.b }}' }, {}),
  into: fc.constant({ b: 'flow.b' }),
});
const parallel = fc.record({
  kind: fc.constant('parallel'),
  branches: fc.constantFrom(
    [
      { id: 'left', calls: 'side', into: { b: 'flow.a' }, within: '1s' },
      { id: 'right', calls: 'side', given: { a: '{{ flow.n }}' } },
    ],
    [
      { id: 'left', calls: 'main' },
      { id: 'right', calls: 'side' },
    ],
  ),
});
const end = fc.record({ kind: fc.constant('end'), ends: fc.constantFrom('flow', 'failed', 'conversation') });
const node = fc.oneof(
  { weight: 3, arbitrary: say },
  { weight: 3, arbitrary: ask },
  choice,
  branch,
  set,
  action,
  end,
  pause,
  flow,
  parallel,
);

const frame = {
  primrose: 1,
  bot: 'any-bot',
  name: 'Any bot',
  languages: ['en', 'de'],
  zone: 'Europe/Dublin',
  begins: 'main',
  variables: { session: { s: { type: 'text' } }, visitor: { v: { type: 'text', value: 'known' } } },
  entities: { port: { values: { kelpwick: ['Kelpwick'], 'tarn-holm': { en: ['Tarn Holm'] } } } },
  connections: {
    office: {
      actions: {
        list: {
          get: '/list',
          takes: { day: 'date' },
          sends: { query: { on: '{{ day }}' } },
          gives: { list: '{{ answer.list }}' },
        },
        book: { post: '/book/{{ day }}', takes: { day: 'date' }, sends: { body: { day: '{{ day }}' } } },
      },
    },
  },
};

/** Any valid bot of two flows that may call each other: every exit leads to some node. */
export const anyBot: fc.Arbitrary<BotDocument> = fc
  .tuple(
    fc.array(node, { minLength: 1, maxLength: 14 }),
    fc.array(node, { minLength: 1, maxLength: 5 }),
    fc.array(fc.nat(), { minLength: 80, maxLength: 80 }),
  )
  .map(([main, side, picks]) => {
    let next = 0;
    const link = (nodes: readonly { kind: string }[]) => {
      const linked = nodes.map((n): FlowNode => {
        const names = nodeKinds.get(n.kind)?.exits(n) ?? [];
        const exits = names.map((e) => [e.name, `n${(picks[next++ % picks.length] ?? 0) % nodes.length}`]);
        return { ...(n as FlowNode), exits: Object.fromEntries(exits) as Record<string, string> };
      });
      return Object.fromEntries(linked.map((n, i) => [`n${i}`, n]));
    };
    const flows = {
      main: { title: 'Main', takes: { a: 'text?' }, gives: { b: 'text' }, begin: 'n0', nodes: link(main) },
      side: { title: 'Side', takes: { a: 'text?' }, gives: { b: 'text' }, begin: 'n0', nodes: link(side) },
    };
    return accepted({ ...frame, flows });
  });
