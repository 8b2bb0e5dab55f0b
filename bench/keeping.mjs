// Tables of 200,000 rows and hooks: how long it takes to find rows, and how many runs a second a hook begins.
import { fork } from 'node:child_process';

const at = (path) => new URL(path, import.meta.url).pathname;
const LINES = 25_000;
const AIMS = { key: 5, column: 50, page: 100 };
const END = { done: { kind: 'end', ends: 'flow' }, failed: { kind: 'end', ends: 'failed' } };

const BOT = {
  primrose: 1,
  bot: 'keeping',
  name: 'Keeping',
  languages: ['en'],
  zone: 'Europe/Dublin',
  begins: 'main',
  tables: {
    repairs: {
      columns: { number: { type: 'text', search: true }, boat: { type: 'text', search: true }, what: 'text', cost: 'number' },
      key: ['number'],
    },
    calls: { columns: { number: { type: 'text', search: true }, said: 'text' }, key: ['number'] },
  },
  starts: {
    call: {
      by: 'hook',
      flow: 'file',
      given: { number: '{{ body.id }}', said: '{{ body.said }}' },
      answers: 'given-back',
      repeats: 'body.id',
    },
  },
  flows: {
    main: { begin: 'hello', nodes: { hello: { kind: 'say', says: 'Hello.', exits: { said: 'done' } }, ...END } },
    file: {
      takes: { number: 'text', said: 'text' },
      gives: { filed: 'yes_no' },
      begin: 'add',
      nodes: {
        add: { kind: 'table', table: 'calls', does: 'add', exits: { done: 'note', conflict: 'failed', failed: 'failed' } },
        note: { kind: 'set', sets: [{ into: 'flow.filed', to: true }], exits: { done: 'done' } },
        ...END,
      },
    },
  },
};

const sorted = (list) => [...list].sort((a, b) => a - b);
const share = (list, of) => sorted(list)[Math.min(list.length - 1, Math.floor(list.length * of))];

const WARM_UP = 100;

/** The times of something done again and again, in ms; the first ones, of a service that has just begun, do not count. */
async function times(count, work) {
  const all = [];
  for (let i = 0; i < WARM_UP; i++) await work(i);
  for (let i = 0; i < count; i++) {
    const begun = performance.now();
    await work(i);
    all.push(performance.now() - begun);
  }
  return { median: share(all, 0.5), worst: share(all, 0.95) };
}

/** Figures of a table with so many rows, over HTTP with everything that belongs to it. */
export async function benchTable({ client }, rows) {
  const { bot } = await client.call('createBot', { body: { from: 'document', document: BOT } });
  await client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
  const params = { bot: bot.id, table: 'repairs' };
  const begun = performance.now();
  for (let from = 0; from < rows; from += LINES) {
    const lines = Array.from(
      { length: Math.min(LINES, rows - from) },
      (_, i) => `r-${from + i},boat ${(from + i) % 5000},a repair,${i % 900}`,
    );
    const bytes = Buffer.from(`number,boat,what,cost\n${lines.join('\n')}\n`);
    const report = await client.upload('importTable', { params, query: { import: 'true' } }, { bytes, type: 'text/csv' });
    if (report.added !== lines.length) throw new Error('the rows were not imported');
  }
  const filled = rows / ((performance.now() - begun) / 1000);
  const find = (body) => client.call('findTableRows', { params, body });
  const some = (i) => (i * 7919) % rows;
  const is = (column, value) => ({ where: [{ column, relation: 'is', value }], limit: 50 });
  await find(is('number', 'r-1'));
  const figures = [
    { name: 'find by key', aim: AIMS.key, ...(await times(200, (i) => find(is('number', `r-${some(i)}`)))) },
    {
      name: 'find by a searchable column (40 rows)',
      aim: AIMS.column,
      ...(await times(100, (i) => find(is('boat', `boat ${some(i) % 5000}`)))),
    },
    { name: 'a page of the list, newest first', aim: AIMS.page, ...(await times(50, () => find({ limit: 50 }))) },
    {
      name: 'a page of the list, sorted by a searchable column',
      aim: AIMS.page,
      ...(await times(50, () => find({ limit: 50, order: { column: 'boat' } }))),
    },
    {
      name: 'the list of tables with their numbers of rows',
      ...(await times(20, () => client.call('listTables', { params: { bot: bot.id }, query: {} }))),
    },
  ];
  return { filled, figures, bot: bot.id };
}

function startFloor(url) {
  const child = fork(at('keeping-floor.mjs'), [url], { stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
  return new Promise((resolve, reject) => {
    child.on(
      'message',
      (m) => m?.type === 'ready' && resolve({ address: `http://127.0.0.1:${m.port}/hook`, stop: () => child.disconnect() }),
    );
    child.once('exit', (code) => reject(new Error(`the floor stopped with ${code}`)));
  });
}

let sent = 0;

/** How many deliveries a second are answered with what came of them, so many at once. */
async function perSecond(address, atOnce, seconds) {
  const end = performance.now() + seconds * 1000;
  let count = 0;
  const waits = [];
  const one = async () => {
    while (performance.now() < end) {
      const begun = performance.now();
      const body = JSON.stringify({ id: `call-${++sent}`, said: 'The bow ramp jams, please ring back.' });
      const answer = await fetch(address, { method: 'POST', headers: { 'content-type': 'application/json' }, body });
      if (answer.status !== 200) throw new Error(`answered with ${answer.status}`);
      await answer.text();
      waits.push(performance.now() - begun);
      count++;
    }
  };
  await Promise.all(Array.from({ length: atOnce }, one));
  return { perSecond: count / seconds, p50: share(waits, 0.5), p99: share(waits, 0.99) };
}

/** Hooks beside their floor, in turn, so that a slow minute of the machine meets both. */
export async function benchHook({ client, address: service }, databaseUrl, bot, { rounds, seconds }) {
  const { items } = await client.call('listStarts', { params: { bot } });
  const address = service + new URL(items[0].live.address).pathname;
  const floor = await startFloor(databaseUrl);
  try {
    await perSecond(address, 16, Math.min(3, seconds));
    await perSecond(floor.address, 16, Math.min(2, seconds));
    const runs = [];
    for (let i = 0; i < rounds; i++) {
      const low = await perSecond(floor.address, 16, seconds);
      runs.push({ low, own: await perSecond(address, 16, seconds) });
    }
    const ratio = ({ low, own }) => own.perSecond / low.perSecond;
    const middle = sorted(runs.map(ratio))[Math.floor(runs.length / 2)];
    return { ...runs.find((r) => ratio(r) === middle), ratio: middle };
  } finally {
    floor.stop();
  }
}
