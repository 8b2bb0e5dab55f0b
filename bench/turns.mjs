// Whole turns over HTTP on loopback, beside their floor, at several numbers of conversations at once and of stored ones.
import { fork } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { createClient } from '../packages/contract/dist/index.js';

const at = (path) => new URL(path, import.meta.url).pathname;
const SERVER = at('../packages/server/dist/main.js');
const mysql = createRequire(at('../packages/server/package.json'))('mysql2/promise');

function start(file, args, env) {
  const child = fork(file, args, {
    env: { ...process.env, ...env },
    execArgv: (env.BENCH_EXEC ?? '').split(' ').filter(Boolean),
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  return new Promise((resolve, reject) => {
    child.on('message', (m) => m?.type === 'ready' && resolve({ child, port: m.port }));
    child.once('exit', (code) => reject(new Error(`${file} stopped with ${code}`)));
  });
}

function stop({ child }) {
  if (child.exitCode !== null || child.signalCode !== null) return undefined;
  return new Promise((resolve) => {
    child.once('exit', resolve);
    child.kill('SIGTERM');
  });
}

function prepare(env) {
  const child = fork(SERVER, ['prepare', '--token-name', 'bench'], {
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
  });
  let out = '';
  child.stdout.on('data', (chunk) => (out += chunk));
  return new Promise((resolve, reject) =>
    child.once('close', (code) => (code === 0 ? resolve(JSON.parse(out)) : reject(new Error('prepare failed')))),
  );
}

/** A turn of eight nodes: what a plain answer of a bot costs, without anything outside. */
export const TURN_BOT = {
  primrose: 1,
  bot: 'turns',
  name: 'Turns',
  languages: ['en'],
  zone: 'Europe/Dublin',
  begins: 'main',
  flows: {
    main: {
      title: 'Main',
      begin: 'menu',
      nodes: {
        menu: {
          kind: 'choice',
          says: 'Boat {{ otherwise(flow.n, 0) }} leaves for **Tarn Holm**. Again?',
          choices: [{ id: 'again', says: 'Again' }],
          exits: { again: 'count', other: 'count' },
        },
        count: { kind: 'set', sets: [{ into: 'flow.n', to: '{{ otherwise(flow.n, 0) + 1 }}' }], exits: { done: 'many' } },
        many: { kind: 'branch', cases: [{ exit: 'late', when: 'flow.n > 1000000' }], exits: { late: 'reset', otherwise: 'day' } },
        day: { kind: 'set', sets: [{ into: 'session.day', to: '{{ clock.today }}' }], exits: { done: 'odd' } },
        odd: { kind: 'branch', cases: [{ exit: 'no', when: 'session.day == ""' }], exits: { no: 'reset', otherwise: 'keep' } },
        keep: { kind: 'set', sets: [{ into: 'flow.last', to: '{{ turn.text }}' }], exits: { done: 'menu' } },
        reset: { kind: 'set', sets: [{ into: 'flow.n', to: 0 }], exits: { done: 'menu' } },
      },
    },
  },
  variables: { session: { day: 'date' } },
};

/** A service on a database, with one released bot; `chat` is its chat's API address. */
export async function startService(url, more = {}) {
  const env = {
    PRIMROSE_DATABASE_URL: url,
    PRIMROSE_PORT: '0',
    PRIMROSE_LOG: 'error',
    PRIMROSE_OPENS_A_MINUTE: '10000000',
    PRIMROSE_MESSAGES_A_MINUTE: '10000000',
    PRIMROSE_CHANNEL_OPENS_A_MINUTE: '10000000',
    PRIMROSE_CHANNEL_MESSAGES_A_MINUTE: '10000000',
    ...more,
  };
  const { token, console: link } = await prepare(env);
  const service = await start(SERVER, ['serve'], env);
  const address = `http://127.0.0.1:${service.port}`;
  const client = createClient({ address, token });
  const { bot } = await client.call('createBot', { body: { from: 'document', document: TURN_BOT } });
  await client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
  const [channel] = (await client.call('listChannels', { params: { bot: bot.id } })).items;
  const chat = `${address}/api/chat/${channel.link.split('/').at(-1)}`;
  return { ...service, address, link, client, bot: bot.id, channel: channel.id, chat, stop: () => stop(service) };
}

export async function startFloor(url) {
  const floor = await start(at('./floor.mjs'), [url], {});
  return { ...floor, chat: `http://127.0.0.1:${floor.port}/turn`, stop: () => (floor.child.disconnect(), undefined) };
}

const COUNTED = ['Questions', 'Com_commit', 'Com_stmt_execute'];

async function counters(connection) {
  const [rows] = await connection.query(`SHOW GLOBAL STATUS WHERE Variable_name IN (${COUNTED.map((c) => `'${c}'`).join(', ')})`);
  return Object.fromEntries(rows.map((r) => [r.Variable_name, Number(r.Value)]));
}

/** CPU time of a process in ms, from /proc; user and system. */
function cpuMs(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ');
  return (Number(fields[11]) + Number(fields[12])) * 10;
}

/** Runs the load once; figures per turn are what database and process did from the first measured turn to the last. */
export async function measure(kind, target, url, atOnce, seconds) {
  const connection = await mysql.createConnection(url);
  const load = fork(at('./load.mjs'), [kind, target.chat, String(atOnce), String(seconds)], {
    stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
  });
  let out = '';
  load.stdout.on('data', (chunk) => (out += chunk));
  let before;
  let after;
  const pid = target.child.pid;
  load.on('message', (m) => {
    const now = counters(connection).then((c) => ({ ...c, cpu: cpuMs(pid) }));
    if (m === 'measuring') before = now;
    else after = now;
  });
  await new Promise((resolve, reject) =>
    load.once('close', (code) => (code === 0 ? resolve() : reject(new Error('the load failed')))),
  );
  const [a, b] = [await before, await after];
  await connection.end();
  const figures = JSON.parse(out);
  const per = (name) => (b[name] - a[name]) / figures.turns;
  return { ...figures, statements: per('Questions'), commits: per('Com_commit'), cpu: per('cpu') };
}
