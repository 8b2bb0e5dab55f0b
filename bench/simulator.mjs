/* global requestAnimationFrame, document */
// The simulator: what it costs beside the engine, how a long conversation scrolls and goes back, how long rehearsals take.
import { randomUUID } from 'node:crypto';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import {
  compile,
  createListener,
  createMind,
  readDocument,
  readFolder,
  rehearse,
  trainListener,
} from '../packages/core/dist/index.js';
import { ROOT } from '../scripts/lib/machine.mjs';
import { launchBrowser } from '../scripts/lib/browser.mjs';

const REHEARSALS = 200;
const TURNS = 10;
const LONG = 300;
const WORDS = ['office hours', 'thank you', 'what can you do?', 'hello', 'start over'];
const AT = '2026-05-14T09:00:00.000Z';

function demo() {
  const folder = join(ROOT, 'demo', 'harbour-desk');
  const names = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((f) => statSync(join(folder, f)).isFile());
  const read = readFolder(Object.fromEntries(names.map((f) => [f, readFileSync(join(folder, f), 'utf8')])));
  return readDocument(read.source).document;
}

/** So many rehearsals of so many turns, said in the words of Harbour desk; none calls anything outside. */
function rehearsals() {
  const turn = (n) => ({ says: WORDS[n % WORDS.length], expects: { not: 'nothing of the kind' } });
  const one = (n) => ({ turns: [{ opens: true }, ...Array.from({ length: TURNS - 1 }, (_, i) => turn(n + i))] });
  return Object.fromEntries(Array.from({ length: REHEARSALS }, (_, n) => [`talk-${n}`, one(n)]));
}

const quantile = (list, q) => [...list].sort((a, b) => a - b)[Math.floor((list.length - 1) * q)];

/** How long each of the turns takes in the core alone: what the simulator is measured against. */
async function alone(document, turns) {
  const bot = compile(document);
  const mind = createMind(document, { listener: createListener(document, trainListener(document)) });
  const talk = { turns: [{ opens: true }, ...turns.map((says) => ({ says }))] };
  await rehearse(bot, 'warm', talk, mind, AT);
  const times = [];
  for (let i = 0; i < 5; i++) {
    const begun = performance.now();
    await rehearse(bot, 'timed', talk, mind, AT);
    times.push((performance.now() - begun) / talk.turns.length);
  }
  return quantile(times, 0.5);
}

/** In the page: the longest wait between frames while it scrolls from end to end. */
async function scrolled() {
  const script = document.querySelector('.script');
  let longest = 0;
  let last = performance.now();
  for (let i = 0; i <= 60; i++) {
    script.scrollTo({ top: ((60 - i) / 60) * script.scrollHeight });
    await new Promise((resolve) => requestAnimationFrame(resolve));
    longest = Math.max(longest, performance.now() - last);
    last = performance.now();
  }
  return longest;
}

/** In the page: from a press on "say otherwise" of a turn until it is gone and a frame has been drawn. */
async function wentBack(number) {
  const turn = [...document.querySelectorAll('.script .turn')].find((t) => t.getAttribute('aria-label') === `Turn ${number}`);
  const begun = performance.now();
  [...turn.querySelectorAll('button')].find((b) => b.textContent === 'say otherwise').click();
  while (turn.isConnected) await new Promise((resolve) => requestAnimationFrame(resolve));
  await new Promise((resolve) => requestAnimationFrame(resolve));
  return performance.now() - begun;
}

async function inBrowser(service, program, bot, conversation) {
  const browser = await launchBrowser(program);
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(`${service.address}/sign-in${new URL(service.link).hash}`);
    await page.getByRole('heading', { name: 'Bots' }).waitFor();
    const waits = { scroll: [], back: [] };
    for (const number of [295, 200, 100, 20]) {
      await service.client.call('changeSimulation', {
        params: { bot, conversation: conversation.id },
        body: { head: conversation.last },
      });
      await page.goto(`${service.address}/bots/${bot}/simulations/${conversation.id}`);
      await page
        .locator('.script .turn')
        .nth(LONG - 1)
        .waitFor({ state: 'attached' });
      await page.waitForTimeout(500);
      waits.scroll.push(await page.evaluate(scrolled));
      waits.back.push(await page.evaluate(wentBack, number));
      await page.waitForTimeout(300);
    }
    return waits;
  } finally {
    await browser.close();
  }
}

/** Figures of the simulator: `[{ name, value, worst, aim, floor }]`, all in milliseconds. */
export async function benchSimulator(service, program) {
  const document = demo();
  const make = async (d) => (await service.client.call('createBot', { body: { from: 'document', document: d } })).bot.id;
  const bot = await make(document);
  const params = { bot };
  const { id } = await service.client.call('createSimulation', { params, body: {} });
  const say = async (text) => {
    const begun = performance.now();
    const body = { id: randomUUID(), text };
    const turn = await service.client.call('saySimulation', { params: { bot, conversation: id }, body });
    return { ms: performance.now() - begun, turn };
  };
  for (const words of WORDS) await say(words);
  const said = Array.from({ length: LONG - WORDS.length }, (_, i) => WORDS[i % WORDS.length]);
  const ran = [];
  for (const words of said) ran.push(await say(words));
  const engine = await alone(document, said.slice(0, 60));
  const own = ran.map((r) => r.ms - engine);
  const waits = await inBrowser(service, program, bot, { id, last: ran.at(-1).turn.id });
  const many = await make({ ...document, rehearsals: rehearsals() });
  const runs = [];
  for (let i = 0; i < 4; i++) {
    const run = await service.client.call('runRehearsals', { params: { bot: many }, body: {} });
    const missed = run.items.flatMap((t) => t.turns.flatMap((o) => o.misses)).at(0);
    if (missed) throw new Error(`a rehearsal of the benchmark fails: ${JSON.stringify(missed)}`);
    runs.push(run.ms);
  }
  const one = compile(document);
  const mind = createMind(document, { listener: createListener(document, trainListener(document)) });
  const begun = performance.now();
  for (const [name, r] of Object.entries(rehearsals())) await rehearse(one, name, r, mind, AT);
  const core = performance.now() - begun;
  return [
    {
      name: 'own time of a simulated turn over HTTP, beyond the engine',
      value: quantile(own, 0.5),
      worst: quantile(own, 0.95),
      aim: 15,
      floor: engine,
    },
    {
      name: `longest wait between frames, scrolling ${LONG} turns`,
      value: quantile(waits.scroll, 0.5),
      worst: Math.max(...waits.scroll),
      aim: 100,
    },
    {
      name: `going back in ${LONG} turns, to the next frame`,
      value: quantile(waits.back, 0.5),
      worst: Math.max(...waits.back),
      aim: 100,
    },
    {
      name: `${REHEARSALS} rehearsals of ${TURNS} turns, threads warm`,
      value: quantile(runs.slice(1), 0.5),
      worst: Math.max(...runs.slice(1)),
      aim: 5000,
      floor: core,
    },
    { name: 'the same, threads just started', value: runs[0], worst: runs[0], aim: 5000, floor: core },
  ];
}
