// The engine alone, on one core: node runs a second over say/branch/set flows, and compiling.
import { advance, applyPatch, compareDocuments, compile, openSession, readDocument } from '../packages/core/dist/index.js';
import { largeBot } from './bots.mjs';

const AIM_RUNS = 200_000;
const AIM_COMPILE_MS = 100;
const AIM_RECOMPILE_MS = 10;
const AT = '2026-05-11T10:00:00.000Z';

/** Ten rounds of branch, set and say, then a choice that waits: 31 node runs a turn. */
function loopDocument() {
  const nodes = {
    start: { kind: 'set', sets: [{ into: 'flow.n', to: 0 }], exits: { done: 'more' } },
    more: { kind: 'branch', cases: [{ exit: 'go', when: 'flow.n < 30' }], exits: { go: 'count', otherwise: 'menu' } },
    count: { kind: 'set', sets: [{ into: 'flow.n', to: '{{ flow.n + 1 }}' }], exits: { done: 'tell' } },
    tell: {
      kind: 'say',
      says: { en: ['Boat {{ flow.n }} leaves for **Tarn Holm**.', 'Next is {{ flow.n }}.'] },
      exits: { said: 'more' },
    },
    menu: {
      kind: 'choice',
      says: 'Again?',
      choices: [{ id: 'again', says: 'Again' }],
      exits: { again: 'start', other: 'start' },
    },
  };
  return {
    primrose: 1,
    bot: 'loop',
    name: 'Loop',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'main',
    flows: { main: { title: 'Main', begin: 'start', nodes } },
  };
}

function accepted(source, known) {
  const read = readDocument(source, known);
  if (!read.ok) throw new Error(JSON.stringify(read.problems[0]));
  return read.document;
}

function median(numbers) {
  return [...numbers].sort((a, b) => a - b)[Math.floor(numbers.length / 2)];
}

function timed(times, work) {
  const ms = [];
  for (let i = 0; i < times; i++) {
    const began = performance.now();
    work(i);
    ms.push(performance.now() - began);
  }
  return median(ms);
}

function nodeRuns(seconds) {
  const bot = compile(accepted(loopDocument()));
  let session = openSession(bot, {});
  let runs = 0;
  const turn = (type) => {
    const done = advance(bot, session, { type, at: AT, channel: 'bench', text: 'again' }).next();
    session = done.value.session;
    runs += done.value.sheet.path.length;
  };
  turn('open');
  for (const end = performance.now() + 500; performance.now() < end;) turn('message');
  runs = 0;
  const began = performance.now();
  while (performance.now() - began < seconds * 1000) turn('message');
  return (runs / (performance.now() - began)) * 1000;
}

/** Prints what the engine and the compiler do; returns the figures. */
export function benchEngine({ seconds = 3 } = {}) {
  const runs = nodeRuns(seconds);
  const source = largeBot(40, 1500);
  const text = JSON.stringify(source);
  const read = timed(9, () => accepted(JSON.parse(text)));
  const document = accepted(JSON.parse(text));
  const compiled = timed(9, () => compile(document));
  const bot = compile(document);
  const [flow] = Object.keys(document.flows);
  const [node] = Object.keys(document.flows[flow].nodes);
  const again = timed(21, (i) => {
    const patch = [{ op: 'add', path: `/flows/${flow}/nodes/${node}/title`, value: `Edited ${i}` }];
    compile(accepted(applyPatch(document, patch).value, document), bot);
  });
  return [
    { name: 'node runs a second, one core', value: runs, floor: AIM_RUNS, ratio: runs / AIM_RUNS },
    { name: 'read 40 flows, 1,500 nodes (ms)', value: read },
    { name: 'compile them (ms)', value: compiled, floor: AIM_COMPILE_MS, ratio: AIM_COMPILE_MS / compiled },
    { name: 'edit, read and compile again (ms)', value: again, floor: AIM_RECOMPILE_MS, ratio: AIM_RECOMPILE_MS / again },
  ];
}

const AIM_EDIT_MS = 50;

/** Edits of a large draft as the service makes them: patch, check of what was touched, difference in words, again and again. */
export function benchEdits(count) {
  let document = accepted(largeBot(40, 1500));
  const ms = [];
  for (let i = 0; i < count; i++) {
    const flow = `flow-${(i % 40) + 1}`;
    const [node] = Object.keys(document.flows[flow].nodes);
    const began = performance.now();
    const next = accepted(
      applyPatch(document, [{ op: 'add', path: `/flows/${flow}/nodes/${node}/title`, value: `Edit ${i}` }]).value,
      document,
    );
    compareDocuments(document, next);
    document = next;
    ms.push(performance.now() - began);
  }
  const last = median(ms.slice(-Math.floor(count / 10)));
  return [
    {
      name: `an edit after ${count.toLocaleString('en')} others, 40 flows (ms)`,
      value: last,
      floor: AIM_EDIT_MS,
      ratio: AIM_EDIT_MS / last,
    },
  ];
}
