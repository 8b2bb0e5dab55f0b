// The engine's own time for a turn of a conversation: with all its habits, beside none of them. What is understood is computed apart.
import {
  advance,
  compile,
  createListener,
  createMind,
  openSession,
  readDocument,
  trainListener,
} from '../packages/core/dist/index.js';

const AIM_MS = 1;
const AT = '2026-05-11T10:00:00.000Z';
const HABITS = ['corrections', 'wishes', 'between', 'follow-ups', 'ways-out', 'misses', 'tone'];

const ask = (says, expects, into, answered) => ({ kind: 'ask', says, expects, into, exits: { answered, 'gave-up': 'leave' } });

/** A booking of plain nodes with two intents beside it. */
function bookingDocument(talk) {
  return {
    primrose: 1,
    bot: 'booking',
    name: 'Booking',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'hello',
    unmatched: 'lost',
    ...(talk ? { talk } : {}),
    entities: {
      port: { values: { kelpwick: ['Kelpwick'], 'tarn-holm': ['Tarn Holm'], 'gannet-quay': ['Gannet Quay'] } },
      vehicle: { values: { bicycle: ['bicycle'], car: ['car'], foot: ['on foot'] } },
    },
    intents: {
      book: {
        starts: 'book',
        phrases: { en: ['I want to book', 'book a crossing', 'a ticket please', 'make a booking', 'I need a passage'] },
      },
      hours: {
        starts: 'hours',
        phrases: { en: ['when are you open', 'opening hours', 'how late are you open', 'until when is somebody there'] },
      },
    },
    connections: {
      office: {
        actions: {
          find: {
            get: '/find',
            takes: { day: 'date' },
            sends: { query: { on: '{{ day }}' } },
            gives: { found: '{{ answer.found }}' },
          },
        },
      },
    },
    flows: {
      hello: { begin: 'hi', nodes: { hi: { kind: 'say', says: 'Hello.' } } },
      lost: { begin: 'x', nodes: { x: { kind: 'say', says: 'I did not get that.' } } },
      hours: { begin: 'x', nodes: { x: { kind: 'say', says: 'From nine to five.' } } },
      book: {
        begin: 'origin',
        nodes: {
          origin: ask('From where?', 'port', 'flow.origin', 'destination'),
          destination: ask('Where to?', 'port', 'flow.destination', 'day'),
          day: ask('Which day?', 'date', 'flow.day', 'vehicle'),
          vehicle: ask('With what?', 'vehicle', 'flow.vehicle', 'find'),
          find: {
            kind: 'action',
            runs: 'office.find',
            given: { day: '{{ flow.day }}' },
            into: 'flow.found',
            exits: { done: 'offer', failed: 'leave' },
          },
          offer: {
            kind: 'choice',
            says: 'Which one?',
            from: 'flow.found',
            shows: '{{ item.time }} {{ item.boat }}',
            into: 'flow.sailing',
            exits: { picked: 'sure', other: 'offer' },
          },
          sure: {
            kind: 'choice',
            says: 'The {{ flow.sailing.time }}?',
            choices: [
              { id: 'yes', says: 'Yes' },
              { id: 'no', says: 'No' },
            ],
            exits: { yes: 'done', no: 'leave', other: 'sure' },
          },
          done: { kind: 'say', says: 'Booked.' },
          leave: { kind: 'say', says: 'Then not.' },
        },
      },
    },
  };
}

const LINES = [
  'I want to book',
  'Kelpwick',
  'Tarn Holm, and when are you open?',
  'Friday',
  'no, Saturday',
  'on foot',
  'is there something in the afternoon',
  'the last one',
  'no wait, the 09:40',
  'when are you open?',
  'blarf',
  'sounds good, do it',
];
const FOUND = [
  { id: 'a', time: '08:30', boat: 'Wrackline' },
  { id: 'b', time: '09:40', boat: 'Sandpiper' },
  { id: 'c', time: '13:15', boat: 'Wrackline' },
];

function median(numbers) {
  return [...numbers].sort((a, b) => a - b)[Math.floor(numbers.length / 2)];
}

/** The own time of each turn of a conversation, in ms: what is spent inside the generator. */
function conversation(bot, mind) {
  let session = openSession(bot, {});
  const times = [];
  const say = (event) => {
    let own = 0;
    const step = (work) => {
      const began = performance.now();
      const came = work();
      own += performance.now() - began;
      return came;
    };
    const running = step(() => advance(bot, session, event));
    let next = step(() => running.next());
    while (!next.done) {
      const results = next.value.effects.map((e) => ({
        path: e.path,
        result: e.type === 'understand' ? mind.understand(e) : { outcome: 'answered', status: 200, body: { found: FOUND } },
      }));
      next = step(() => running.next(results));
    }
    session = next.value.session;
    times.push(own);
  };
  say({ type: 'open', at: AT, channel: 'bench' });
  for (const text of LINES) say({ type: 'message', at: AT, channel: 'bench', text });
  return times.slice(1);
}

function measured(talk, rounds) {
  const read = readDocument(bookingDocument(talk));
  if (!read.ok) throw new Error(JSON.stringify(read.problems[0]));
  const bot = compile(read.document);
  const mind = createMind(read.document, { listener: createListener(read.document, trainListener(read.document)) });
  for (let i = 0; i < 20; i++) conversation(bot, mind);
  const rows = Array.from({ length: rounds }, () => conversation(bot, mind));
  const each = LINES.map((_, i) => median(rows.map((r) => r[i])));
  return { mean: each.reduce((sum, t) => sum + t, 0) / each.length, most: Math.max(...each) };
}

/** The engine's own time a turn, with and without its habits; returns the figures. */
export function benchConversation({ rounds = 300 } = {}) {
  const off = measured(Object.fromEntries(HABITS.map((h) => [h, false])), rounds);
  const on = measured(undefined, rounds);
  return [
    { name: 'a turn without habits of conversation (ms)', value: off.mean },
    { name: 'a turn with them all (ms)', value: on.mean, floor: AIM_MS, ratio: AIM_MS / on.mean },
    { name: 'the slowest kind of turn (ms)', value: on.most, floor: AIM_MS, ratio: AIM_MS / on.most },
  ];
}
