/* global AbortController, AbortSignal, TextDecoderStream */
// Agents: what a call of a model and a step of a tool cost beside the call itself, how long a first word takes to the visitor,
// what 64 conversations hold that wait for a slow model, whether thirty steps cost linear time and storage.
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { createRequire } from 'node:module';

const mysql = createRequire(new URL('../packages/server/package.json', import.meta.url))('mysql2/promise');
const quantile = (list, q) => [...list].sort((a, b) => a - b)[Math.floor((list.length - 1) * q)];
const WAITING = 64;
const WAITS_MS = 4000;
const PATIENCE_MS = 20_000;

/** A model service that answers at once: so many calls of a tool as the model's name says, then words. It keeps count of its time. */
async function startModels() {
  const state = { inside: 0, wrote: 0 };
  const server = createServer((req, res) => {
    const begun = performance.now();
    let text = '';
    req
      .on('data', (c) => (text += c))
      .on('end', () => {
        res.on('close', () => (state.inside += performance.now() - begun));
        if (req.method === 'GET') return void res.setHeader('content-type', 'application/json').end('{"free":3}');
        const { model, messages } = JSON.parse(text);
        const [, tool, steps] = model.split(':');
        const done = messages.filter((m) => m.role === 'tool').length;
        res.writeHead(200, { 'content-type': 'text/event-stream' });
        const write = (delta, finish_reason = null) =>
          res.write(`data: ${JSON.stringify({ choices: [{ index: 0, delta, finish_reason }] })}\n\n`);
        const end = () => (write({}, 'stop'), res.end('data: [DONE]\n\n'));
        if (model === 'slow') return void setTimeout(() => (write({ content: 'It took a while.' }), end()), WAITS_MS);
        if (model === 'words') {
          state.wrote = performance.now();
          write({ content: 'A first sentence. ' });
          return void setTimeout(() => (write({ content: 'And another.' }), end()), 150);
        }
        if (done < Number(steps)) {
          const given =
            tool === 'sums' ? { sum: `${done} + 1` } : { day: `2026-05-${String((done % 28) + 1).padStart(2, '0')}`, nth: done };
          write({
            tool_calls: [
              { index: 0, id: `c${done}`, type: 'function', function: { name: tool, arguments: JSON.stringify(given) } },
            ],
          });
          write({}, 'tool_calls');
          return void res.end('data: [DONE]\n\n');
        }
        write({ content: 'That is all.' });
        end();
      });
  });
  await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    state,
    address: `http://127.0.0.1:${server.address().port}`,
    stop: () => new Promise((r) => (server.close(r), server.closeAllConnections())),
  };
}

/** A bot with one node that works: an agent, or a model that is heard as it writes. */
function botOf(address, model, node) {
  const end = { kind: 'end', ends: 'conversation' };
  const takes = { day: 'date', nth: 'number' };
  const look = { about: 'what is free on a day', get: '/free', takes, sends: { query: { on: '{{ day }}', n: '{{ nth }}' } } };
  return {
    primrose: 1,
    bot: 'bench-agent',
    name: 'Bench agent',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'main',
    connections: { service: { address: `${address}/v1`, actions: { look } } },
    models: { quick: { connection: 'service', model } },
    flows: {
      main: {
        begin: 'ask',
        nodes: {
          ask: {
            kind: 'ask',
            says: 'What is it?',
            expects: 'text',
            into: 'session.wish',
            exits: { answered: 'works', 'gave-up': 'end' },
          },
          works: { uses: 'quick', exits: { done: 'end', failed: 'end' }, ...node },
          end,
        },
      },
    },
    variables: { session: { wish: 'text', said: 'text' } },
  };
}

const parts = [
  { part: 'task', says: 'Help.' },
  { part: 'wish', says: '{{ turn.text }}', input: true },
];
const agent = {
  kind: 'agent',
  parts,
  tools: [{ own: 'sums' }, { runs: 'service.look' }],
  limits: { steps: 40 },
  exits: { done: 'end', other: 'end', 'over-limit': 'end', failed: 'end' },
};
const aloud = { kind: 'model', parts, aloud: true, into: 'session.said' };

const made = async (client, document) => (await client.call('createBot', { body: { from: 'document', document } })).bot.id;

/** One turn of an agent that calls a tool so many times: own time in ms (what happened in the service of models taken off), and what is stored. */
async function steps(service, models, tool, many, rounds) {
  const bot = await made(service.client, botOf(models.address, `m:${tool}:${many}`, agent));
  const times = [];
  let stored = 0;
  for (let i = 0; i < rounds + 2; i++) {
    const { id } = await service.client.call('createSimulation', { params: { bot }, body: { outside: { service: 'real' } } });
    const say = (text) =>
      service.client.call('saySimulation', { params: { bot, conversation: id }, body: { id: randomUUID(), text } });
    await say('hello');
    const before = models.state.inside;
    const begun = performance.now();
    const turn = await say('go on');
    const ms = performance.now() - begun;
    await new Promise((resolve) => setTimeout(resolve, 5));
    const calls = turn.sheet.effects.filter((e) => e.request.type === 'model').length;
    if (calls !== many + 1)
      throw new Error(`${calls} calls of the model instead of ${many + 1}: ${JSON.stringify(turn.sheet.problems)}`);
    if (i >= 2) times.push(ms - (models.state.inside - before));
    stored = JSON.stringify(turn.sheet).length;
  }
  return { own: quantile(times, 0.5), stored };
}

async function chatOf(service, document) {
  const bot = await made(service.client, document);
  await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
  const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
  const base = `${service.address}/api/chat/${channel.link.split('/').at(-1)}`;
  const post = (path, key, body) =>
    fetch(base + path, {
      method: 'POST',
      headers: { 'content-type': 'application/json', ...(key ? { authorization: `Bearer ${key}` } : {}) },
      body: JSON.stringify(body),
    });
  const open = async () => (await (await post('/open', undefined, { language: 'en' })).json()).key;
  return { base, open, say: (key, text) => post('/messages', key, { id: randomUUID(), text }) };
}

/** From the moment a sentence leaves the model service until the visitor’s stream has it, in ms. */
async function firstWord(service, models, rounds) {
  const chat = await chatOf(service, botOf(models.address, 'words', aloud));
  const times = [];
  for (let i = 0; i < rounds; i++) {
    const key = await chat.open();
    const stop = new AbortController();
    const stream = await fetch(`${chat.base}/stream`, {
      headers: { authorization: `Bearer ${key}` },
      signal: AbortSignal.any([stop.signal, AbortSignal.timeout(PATIENCE_MS)]),
    });
    const seen = (async () => {
      let text = '';
      for await (const chunk of stream.body.pipeThrough(new TextDecoderStream())) {
        text += chunk;
        if (/event: words\n/.test(text)) return performance.now();
      }
      throw new Error('no words came');
    })();
    await chat.say(key, 'two loaves of rye');
    times.push((await seen) - models.state.wrote);
    stop.abort();
  }
  return times;
}

async function held(service, url) {
  const connection = await mysql.createConnection(url);
  const [[row]] = await connection.query("SHOW GLOBAL STATUS LIKE 'Threads_connected'");
  await connection.end();
  const status = readFileSync(`/proc/${service.child.pid}/status`, 'utf8');
  return {
    connections: Number(row.Value) - 1,
    threads: Number(/Threads:\s+(\d+)/.exec(status)[1]),
    mb: Number(/VmRSS:\s+(\d+)/.exec(status)[1]) / 1024,
  };
}

/** What the service holds while so many conversations wait for a model, beside what it holds before. */
async function waiting(service, models, url) {
  const chat = await chatOf(service, botOf(models.address, 'slow', agent));
  const keys = [];
  for (let i = 0; i < WAITING; i++) keys.push(await chat.open());
  const before = await held(service, url);
  const begun = performance.now();
  await Promise.all(keys.map((key) => chat.say(key, 'two loaves of rye')));
  await new Promise((resolve) => setTimeout(resolve, WAITS_MS / 2));
  const during = await held(service, url);
  const answered = async (key) => {
    for (let i = 0; i < 300; i++) {
      const stop = new AbortController();
      const stream = await fetch(`${chat.base}/stream`, {
        headers: { authorization: `Bearer ${key}` },
        signal: AbortSignal.any([stop.signal, AbortSignal.timeout(PATIENCE_MS)]),
      });
      for await (const chunk of stream.body.pipeThrough(new TextDecoderStream()))
        if (chunk.includes('It took a while')) return stop.abort();
    }
    throw new Error('it was never answered');
  };
  await Promise.all(keys.map(answered));
  return { before, during, all: performance.now() - begun };
}

/** Figures of agents: rows of `{ name, value, aim?, unit }`. */
export async function benchAgents(service, url, { quick }) {
  const models = await startModels();
  const rounds = quick ? 5 : 15;
  try {
    const by = {};
    for (const many of [0, 10, 20, 30]) by[many] = await steps(service, models, 'sums', many, rounds);
    const look = await steps(service, models, 'look', 20, rounds);
    const perCall = (by[20].own - by[0].own) / 20;
    const perStep = (look.own - by[0].own) / 20;
    const words = await firstWord(service, models, quick ? 10 : 30);
    const wait = await waiting(service, models, url);
    return {
      times: [
        { name: 'own time of a call of a model, with a tool of our own', value: perCall, aim: 5 },
        { name: 'own time of a step of a tool, beyond the call', value: Math.max(0, perStep - perCall), aim: 10 },
        { name: 'a turn with one call of a model, over HTTP', value: by[0].own },
        { name: 'a first sentence from the model service to the visitor, median', value: quantile(words, 0.5), aim: 20 },
        { name: 'the same, 95 %', value: quantile(words, 0.95), aim: 20 },
      ],
      steps: [10, 20, 30].map((many) => ({
        many,
        ms: (by[many].own - by[0].own) / many,
        stored: (by[many].stored - by[0].stored) / many,
      })),
      waiting: { count: WAITING, ms: WAITS_MS, ...wait },
    };
  } finally {
    await models.stop();
  }
}
