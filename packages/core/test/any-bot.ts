import fc from 'fast-check';
import {
  nodeKinds,
  type BotDocument,
  type Effect,
  type EffectName,
  type FlowNode,
  type IncomingEvent,
  type Result,
  type ResultOf,
} from '@primrose/core';
import { accepted, MONDAY } from './harbour.js';

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
const set = fc.record(
  {
    kind: fc.constant('set'),
    sets: fc.array(fc.record({ into: variable, to: value }), { maxLength: 3 }),
    opens: fc.constantFrom({ trip: { a: '{{ flow.a }}' } }, { trip: {} }),
    closes: fc.constantFrom(['trip'], ['stay']),
  },
  { requiredKeys: ['kind', 'sets'] },
);
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
const listen = fc.record(
  {
    kind: fc.constant('listen'),
    says: text,
    hears: fc.constantFrom(['sail', 'other'], ['other']),
    into: fc.constant({ a: 'flow.a' }),
  },
  { requiredKeys: ['kind', 'hears'] },
);
const recall = fc.constantFrom<unknown>(
  { turns: 2, facts: true, summary: true },
  { tokens: 50 },
  { turns: 3, key: '{{ flow.a }}' },
  { turns: 0, given: '{{ flow.list }}' },
);
const model = fc.record(
  {
    kind: fc.constant('model'),
    uses: fc.constantFrom('quick', 'gone'),
    parts: fc.constantFrom(
      [{ part: 'task', says: 'Say {{ flow.a }}' }],
      [
        { part: 'task', says: 'Sum up.' },
        { part: 'wish', says: '{{ turn.text }}', input: true },
      ],
    ),
    gives: fc.constantFrom<unknown>({ n: 'number' }, { day: 'date?' }, { list: { type: 'list', fields: { port: 'port?' } } }),
    into: variable,
    aloud: fc.boolean(),
    recall,
    plain: fc.boolean(),
    pictures: fc.constant('{{ turn.pictures }}'),
  },
  { requiredKeys: ['kind', 'uses', 'parts', 'into'] },
);
const choosing = fc.record(
  {
    kind: fc.constant('model'),
    uses: fc.constantFrom('quick', 'gone'),
    parts: fc.constant([{ part: 'wish', says: '{{ turn.text }}', input: true }]),
    ways: fc.constant({ a: { about: 'it is a' }, b: { about: 'it is b' } }),
    into: variable,
    recall,
  },
  { requiredKeys: ['kind', 'uses', 'parts', 'ways', 'into'] },
);
const draw = fc.record(
  {
    kind: fc.constant('draw'),
    uses: fc.constantFrom('quick', 'gone'),
    says: fc.constant('a card for {{ flow.a }}'),
    shows: fc.boolean(),
    into: variable,
  },
  { requiredKeys: ['kind', 'uses', 'says'] },
);
const lookup = fc.record({
  kind: fc.constant('lookup'),
  in: fc.constantFrom('guide', 'gone'),
  asks: fc.constantFrom('{{ turn.text }}', 'dogs {{ flow.a }}'),
  into: variable,
});
const handOver = fc.record(
  { kind: fc.constant('hand-over'), reason: fc.constantFrom('asked', '{{ flow.a }}'), says: text, back: text },
  { requiredKeys: ['kind', 'reason', 'says'] },
);
const where = fc.constantFrom(
  [{ column: 'what', relation: 'contains', value: '{{ flow.a }}' }],
  [{ column: 'cost', relation: 'more', value: 2 }],
);
const find = fc.record(
  {
    kind: fc.constant('table'),
    table: fc.constantFrom('repairs', 'gone'),
    does: fc.constant('find'),
    where,
    when: fc.constantFrom('row.cost > 1', 'row.what.b'),
    one: fc.boolean(),
    into: variable,
  },
  { requiredKeys: ['kind', 'table', 'does'] },
);
const write = fc.record(
  {
    kind: fc.constant('table'),
    table: fc.constant('repairs'),
    does: fc.constantFrom('add', 'put', 'change', 'remove'),
    where,
    values: fc.constantFrom({ what: '{{ flow.a }}', cost: '{{ flow.n }}' }, { what: null }),
    into: variable,
  },
  { requiredKeys: ['kind', 'table', 'does', 'where'] },
);
const notice = fc.record({ kind: fc.constant('notice'), to: fc.constantFrom('room', '{{ flow.a }}'), says: text });
const signIn = fc.record({ kind: fc.constant('sign-in'), says: text, tries: fc.nat(2) }, { requiredKeys: ['kind'] });
const note = fc.record({ kind: fc.constant('note'), says: text });
const end = fc.record({ kind: fc.constant('end'), ends: fc.constantFrom('flow', 'failed', 'conversation') });
const talking = [
  { weight: 1, arbitrary: signIn },
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
  listen,
  model,
  lookup,
  handOver,
  note,
];
const agent = fc.record(
  {
    kind: fc.constant('agent'),
    uses: fc.constantFrom('quick', 'gone'),
    parts: fc.constant([
      { part: 'task', says: 'Help with {{ flow.a }}' },
      { part: 'wish', says: '{{ turn.text }}', input: true },
    ]),
    tools: fc.constantFrom(
      [{ own: 'sums' }, { own: 'memory' }, { runs: 'office.list' }],
      [{ table: 'repairs', does: 'add', name: 'add-things' }, { flow: 'side', name: 'two' }, { own: 'sums' }],
      [
        { table: 'repairs', does: 'add', name: 'add-things', confirm: false, given: { cost: '{{ flow.n }}' } },
        { flow: 'main', name: 'two' },
      ],
    ),
    stays: fc.boolean(),
    recall,
    gives: fc.constant({ n: 'number?' }),
    into: variable,
    limits: fc.constantFrom({ steps: 3 }, { tokens: 30 }, { day: { steps: 2 } }),
  },
  { requiredKeys: ['kind', 'uses', 'parts', 'tools'] },
);
const node = fc.oneof(...talking, find, write, notice, agent, choosing, draw);

const frame = {
  primrose: 1,
  bot: 'any-bot',
  name: 'Any bot',
  languages: ['en', 'de'],
  zone: 'Europe/Dublin',
  begins: 'main',
  variables: { session: { s: { type: 'text' } }, visitor: { v: { type: 'text', value: 'known' } } },
  entities: { port: { values: { kelpwick: ['Kelpwick'], 'tarn-holm': { en: ['Tarn Holm'] } } } },
  intents: {
    sail: {
      starts: 'side',
      interrupts: true,
      phrases: { en: ['sail to <<Kelpwick | a: port>>', 'a boat please', 'when does it sail', 'sailings', 'a crossing'] },
    },
    other: { needs: 'trip', starts: 'main', phrases: { en: ['something else', 'another thing', 'not that', 'else', 'other'] } },
  },
  contexts: { trip: { carries: { a: 'text?' }, lasts: { turns: 2 } }, stay: { lasts: { minutes: 1 } } },
  models: { quick: { connection: 'office', model: 'quick-1' } },
  memory: {
    facts: {
      dog: { about: 'comes with a dog', words: ['dog'] },
      from: { about: 'where they start', type: 'port', fills: ['a'] },
      allergy: { about: 'allergies', type: 'text', many: true, words: ['allergic'] },
    },
    by: 'quick',
    after: 2,
  },
  tables: { repairs: { columns: { what: { type: 'text', needed: true }, cost: 'number' }, key: ['what'] } },
  knowledge: { guide: { documents: { pets: { form: 'text', text: 'Dogs travel free.' } } } },
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
export const anyBot: fc.Arbitrary<BotDocument> = botOfNodes(node);
/** The same without tables and notices. */
export const anyTalkingBot: fc.Arbitrary<BotDocument> = botOfNodes(fc.oneof(...talking));

function botOfNodes(node: fc.Arbitrary<{ kind: string }>): fc.Arbitrary<BotDocument> {
  return fc
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
        side: {
          title: 'Side',
          ...((picks[0] ?? 0) % 3 === 0 ? { needs: 'sign-in' } : {}),
          takes: { a: 'text?' },
          gives: { b: 'text' },
          begin: 'n0',
          nodes: link(side),
        },
      };
      return accepted({ ...frame, flows });
    });
}

const said = fc.constantFrom(
  'yes',
  'no',
  '3',
  'Kelpwick',
  'friday',
  'x'.repeat(300),
  '',
  '🚢',
  '2',
  'Tarn Hlm',
  '{{ flow.a }}',
  '*b*',
  'I always bring the dog',
  'I am allergic to nuts, by the way',
  'I always start from Kelpwick',
  'what do you know about me?',
  'forget the dog',
  'forget everything',
  'always',
  'it is ada@marrow-sound.example',
  'the code is 123 456',
);
const base = { at: MONDAY, channel: 'test' };

/** Anything that can come in while a conversation goes on. */
export const anyEvent: fc.Arbitrary<IncomingEvent> = fc.oneof(
  { weight: 8, arbitrary: said.map((text): IncomingEvent => ({ type: 'message', ...base, text })) },
  {
    weight: 1,
    arbitrary: fc.constantFrom('yes', 'item-1', 'gone').map((choice): IncomingEvent => ({ type: 'message', ...base, choice })),
  },
  {
    weight: 2,
    arbitrary: fc.constantFrom<IncomingEvent>(
      { type: 'hand-back', ...base },
      { type: 'hand-back', closes: true, ...base },
      { type: 'signed-in', ...base, name: 'Ada', firstName: 'Ada', email: 'ada@marrow-sound.example', signedIn: true },
      {
        type: 'message',
        ...base,
        text: 'a boat please',
        name: 'Ada',
        firstName: 'Ada',
        email: 'ada@marrow-sound.example',
        signedIn: true,
      },
    ),
  },
);

const PASSAGE = { number: 1, document: 'pets', title: 'Pets', heading: 'Dogs', place: 0, quote: 'Dogs travel free.', score: 1 };
const ROW = { id: 'r-1', version: 3, values: { what: 'ramp', cost: 2 } };
const UNSURE = { intents: [{ intent: 'other', score: 0.2, roles: {} }], values: [] };

/** Calls that the agents below know, and one that they do not. */
const AGENT_CALLS = [
  { id: 'a', name: 'sums', given: '{"sum": "2 + 3"}' },
  { id: '', name: 'add-things', given: '{"what": "ramp"}' },
  { id: 'a', name: 'two', given: '{}' },
  { id: 'x', name: 'nowhere', given: 'no JSON' },
];

/** Everything that an effect can come to, by its type. */
const SOME_SPENT = { steps: 1, tokens: 40, money: 0.1 };
const RESULTS: { readonly [T in EffectName]: readonly ResultOf<T>[] } = {
  action: [
    { outcome: 'answered', status: 200, body: { list: [{ a: 1 }, 'b'] } },
    { outcome: 'answered', status: 200, body: null },
    { outcome: 'answered', status: 409, body: 'full' },
    { outcome: 'failed', code: 'timeout', reason: 'too slow' },
    { outcome: 'failed', code: 'unknown-outcome', reason: 'cut off' },
  ],
  model: [
    { outcome: 'written', text: '{"n": 3}', stopped: 'end', tokens: { in: 3, out: 2 } },
    { outcome: 'written', text: '{"way": "a", "list": [{"port": "Kelpwick"}]}', stopped: 'end', tokens: null },
    { outcome: 'written', text: 'Words, *many* words', stopped: 'length', tokens: null },
    { outcome: 'written', text: '', stopped: 'calls', calls: [{ id: 'c', name: 'list', given: '{}' }], tokens: null },
    { outcome: 'written', text: 'I have booked it.', stopped: 'calls', calls: AGENT_CALLS, tokens: { in: 9, out: 4 } },
    { outcome: 'written', text: 'I have booked it for you.', stopped: 'end', tokens: { in: 2, out: 2 } },
    { outcome: 'failed', code: 'bad-answer', reason: 'broke off' },
  ],
  mcp: [
    { outcome: 'gave', content: { tide: 'high' }, wrong: false },
    { outcome: 'failed', code: 'unreachable', reason: 'away' },
  ],
  draw: [
    { outcome: 'drawn', address: 'https://pictures.invalid/a.png', media: 'image/png', size: 9 },
    { outcome: 'failed', code: 'timeout', reason: 'too slow' },
  ],
  recall: [
    {
      outcome: 'recalled',
      memory: { facts: [], exchanges: [{ at: '2026-05-10T10:00:00.000Z', said: 'hi', answered: 'hello' }], fresh: 1 },
    },
    { outcome: 'failed', code: 'timeout', reason: 'too slow' },
  ],
  spent: [{ outcome: 'counted', visitor: SOME_SPENT, day: SOME_SPENT }],
  lookup: [
    { outcome: 'looked-up', passages: [PASSAGE], covered: true, share: 0.9, missing: [] },
    { outcome: 'looked-up', passages: [], covered: false, share: 0, missing: ['cats'] },
  ],
  understand: [
    { outcome: 'understood', ...UNSURE },
    { outcome: 'understood', intents: [{ intent: 'sail', score: 0.7, roles: { a: 'kelpwick' } }], values: [] },
    { outcome: 'understood', intents: [{ intent: 'sail', score: 0.95, roles: {} }], values: [] },
    {
      outcome: 'understood',
      intents: [{ intent: 'other', score: 0.6, roles: {} }],
      values: [{ entity: 'port', value: 'kelpwick', from: 0, to: 8, text: 'Kelpwick' }],
    },
  ],
  table: [
    { outcome: 'rows', rows: [], more: false },
    { outcome: 'rows', rows: [ROW, { ...ROW, id: 'r-2', values: {} }], more: true },
    { outcome: 'stored', rows: [ROW], count: 1 },
    { outcome: 'conflict', reason: 'there is one', row: ROW },
    { outcome: 'conflict', reason: 'it is gone', row: null },
    { outcome: 'failed', code: 'does-not-fit', reason: 'what has to be filled in' },
  ],
  'sign-in': [
    { outcome: 'ways', mail: true, elsewhere: false },
    { outcome: 'ways', mail: false, elsewhere: true },
    { outcome: 'ways', mail: false, elsewhere: false },
    { outcome: 'code-sent' },
    { outcome: 'signed-in', name: null, email: 'ada@marrow-sound.example' },
    { outcome: 'wrong-code', left: 2 },
    { outcome: 'no-code' },
    { outcome: 'failed', code: 'refused', reason: 'no such mailbox' },
  ],
  notice: [
    { outcome: 'queued', notice: 'n-1' },
    { outcome: 'failed', code: 'not-configured', reason: 'no channel can send' },
  ],
  timer: [{ outcome: 'elapsed' }],
  step: [{ outcome: 'go-on' }],
};

/** One of the results that an effect can come to; the same number gives the same one. */
export function resultOf(effect: Effect, n: number): Result {
  const every: readonly Result[] = RESULTS[effect.type];
  const other = effect.type !== 'table' ? '' : effect.does === 'find' ? 'stored conflict' : 'rows';
  const all = every.filter((r) => !other.includes(r.outcome));
  return all[n % all.length] ?? { outcome: 'elapsed' };
}
