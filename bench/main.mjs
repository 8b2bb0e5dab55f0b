// npm run bench: what the engine, a turn, stored conversations and open ones cost. Prints tables with ratios; --quick for
// a shorter look, --only agents|engine|conversation|turns|growth|memory|keeping|knowledge|map|simulator|understanding|web-chat for one part. Own database in a temporary folder, all on loopback.
import { benchAgents } from './agents.mjs';
import { benchConversation } from './conversation.mjs';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { cpus, tmpdir, totalmem } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { startDatabase } from '../scripts/lib/database.mjs';
import { assertNode, ensureBuilt, ensurePackages, ensureProgram, Halt, say } from '../scripts/lib/machine.mjs';
import { benchEdits, benchEngine } from './engine.mjs';
import { fillConversations, openMany } from './grow.mjs';
import { benchHook, benchTable } from './keeping.mjs';
import { knowledge } from './knowledge.mjs';
import { benchMap } from './map.mjs';
import { benchSimulator } from './simulator.mjs';
import { benchSets, benchSizes } from './understanding.mjs';
import { benchWebChat } from './web-chat.mjs';
import { measure, startFloor, startService } from './turns.mjs';

const AIM_SHARE = 0.6;
const AIM_P99 = 3;
const AIM_FLAT = 0.2;

const { values: options } = parseArgs({ options: { quick: { type: 'boolean' }, only: { type: 'string' } } });
const seconds = options.quick ? 3 : 8;

const round = (n, digits = 0) => n.toLocaleString('en', { maximumFractionDigits: digits, minimumFractionDigits: digits });
const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];

function table(head, rows) {
  const cells = [head, ...rows.map((r) => r.map(String))];
  const widths = head.map((_, i) => Math.max(...cells.map((r) => r[i].length)));
  for (const row of cells)
    console.log(`  ${row.map((c, i) => (i === 0 ? c.padEnd(widths[i]) : c.padStart(widths[i]))).join('  ')}`);
  console.log('');
}

async function engine() {
  console.log('The engine alone, one core, and compiling; ratio to the stated aim (above 1 is better than the aim)');
  const rows = [...benchEngine({ seconds: options.quick ? 2 : 5 }), ...benchEdits(options.quick ? 1000 : 10_000)];
  table(
    ['figure', 'value', 'aim', 'ratio'],
    rows.map((r) => [
      r.name,
      round(r.value, r.value < 100 ? 1 : 0),
      r.floor === undefined ? '' : round(r.floor),
      r.ratio === undefined ? '' : round(r.ratio, 2),
    ]),
  );
}

/** Floor and turns in turn, several times, so that a slow minute of the machine meets both. */
async function besideFloor(service, floor, url, atOnce, rounds) {
  const runs = [];
  for (let i = 0; i < rounds; i++) {
    const low = await measure('floor', floor, url, atOnce, seconds);
    runs.push({ low, own: await measure('turns', service, url, atOnce, seconds) });
  }
  const share = median(runs.map((r) => r.own.perSecond / r.low.perSecond));
  const run = runs.find((r) => r.own.perSecond / r.low.perSecond === share);
  return { ...run, share, p99: median(runs.map((r) => r.own.p99 / r.low.p99)) };
}

async function turns(folder) {
  const database = await startDatabase(join(folder, 'turns'), { quiet: true });
  const service = await startService(database.url);
  const floor = await startFloor(database.url);
  try {
    // Both have run for a while before anything counts.
    await measure('turns', service, database.url, 16, seconds);
    await measure('floor', floor, database.url, 16, 3);
    const rows = [];
    for (const atOnce of [1, 16, 64]) {
      const { low, own, share, p99 } = await besideFloor(service, floor, database.url, atOnce, options.quick ? 1 : 3);
      const figures = (f) => [
        round(f.perSecond),
        round(f.p50, 1),
        round(f.p99, 1),
        round(f.statements, 1),
        round(f.commits, 1),
        round(f.cpu, 2),
      ];
      rows.push(
        [`floor, ${atOnce} at once`, ...figures(low), '', ''],
        [`turns, ${atOnce} at once`, ...figures(own), round(share, 2), round(p99, 2)],
      );
    }
    console.log('Whole turns over HTTP beside the floor: Express and the same durable row writes through the plain driver');
    console.log(
      `(aims at 16: ${AIM_SHARE} of the floor, p99 within ${AIM_P99} times; statements count BEGIN and COMMIT; CPU of the server process)`,
    );
    table(['', 'per s', 'p50 ms', 'p99 ms', 'statements', 'commits', 'CPU ms', 'of floor', 'p99 ratio'], rows);
  } finally {
    floor.stop();
    await service.stop();
    await database.stop();
  }
}

async function growth(folder) {
  const database = await startDatabase(join(folder, 'growth'), { quiet: true });
  const service = await startService(database.url);
  try {
    await measure('turns', service, database.url, 16, seconds);
    const rows = [];
    let first;
    for (const count of options.quick ? [1000, 20_000] : [1000, 100_000, 1_000_000]) {
      await fillConversations(database.url, service, count);
      const runs = [];
      for (let i = 0; i < 3; i++) runs.push(await measure('turns', service, database.url, 16, seconds));
      const perSecond = median(runs.map((r) => r.perSecond));
      first ??= perSecond;
      rows.push([
        round(count),
        round(perSecond),
        round(median(runs.map((r) => r.p50)), 1),
        round(median(runs.map((r) => r.p99)), 1),
        round(perSecond / first, 2),
      ]);
    }
    console.log(`Turns a second, 16 at once, with so many stored conversations (aim: flat within ${AIM_FLAT * 100} %)`);
    table(['stored', 'per s', 'p50 ms', 'p99 ms', 'of the first'], rows);
  } finally {
    await service.stop();
    await database.stop();
  }
}

async function map(folder) {
  const program = ensureProgram('chromium', 'chromium');
  const database = await startDatabase(join(folder, 'map'), { quiet: true });
  const service = await startService(database.url);
  try {
    const rows = await benchMap(service, program);
    const floor = rows.find((r) => r.floor).worst;
    console.log('The Map in a browser, ms; ratio of the 95th percentile to its aim (below 1 is better) and to the floor');
    table(
      ['figure', 'median', '95 %', 'aim', 'of the aim', 'to the floor'],
      rows.map(({ name, value, worst, aim }) => [
        name,
        round(value),
        round(worst),
        aim === undefined ? '' : round(aim),
        aim === undefined ? '' : round(worst / aim, 2),
        aim === 50 ? round(worst / floor, 1) : '',
      ]),
    );
  } finally {
    await service.stop();
    await database.stop();
  }
}

async function simulator(folder) {
  const program = ensureProgram('chromium', 'chromium');
  const database = await startDatabase(join(folder, 'simulator'), { quiet: true });
  const service = await startService(database.url);
  try {
    const rows = await benchSimulator(service, program);
    console.log('The simulator, ms; ratio of the median to its aim (below 1 is better), and to the core alone on one core');
    table(
      ['figure', 'median', 'worst', 'aim', 'of the aim', 'core alone', 'to the core'],
      rows.map(({ name, value, worst, aim, floor }) => [
        name,
        round(value, value < 100 ? 1 : 0),
        round(worst, worst < 100 ? 1 : 0),
        round(aim),
        round(value / aim, 2),
        floor === undefined ? '' : round(floor, floor < 100 ? 2 : 0),
        floor === undefined ? '' : round(value / floor, 2),
      ]),
    );
  } finally {
    await service.stop();
    await database.stop();
  }
}

async function memory(folder) {
  const database = await startDatabase(join(folder, 'memory'), { quiet: true });
  const service = await startService(database.url);
  const resident = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${service.child.pid}/status`, 'utf8'))[1]) / 1024;
  try {
    const before = resident();
    const count = options.quick ? 1000 : 10_000;
    const leave = await openMany(service, count);
    console.log('Memory of the service, resident MB');
    table(
      ['', 'MB'],
      [
        ['just started', round(before)],
        [`${round(count)} open conversations, a stream each`, round(resident())],
      ],
    );
    leave();
  } finally {
    await service.stop();
    await database.stop();
  }
}

async function keeping(folder) {
  const database = await startDatabase(join(folder, 'keeping'), { quiet: true });
  const service = await startService(database.url, { PRIMROSE_STARTS_A_MINUTE: '10000000' });
  try {
    const rows = options.quick ? 20_000 : 200_000;
    const { filled, figures, bot } = await benchTable(service, rows);
    console.log(`A table of ${round(rows)} rows, over HTTP, ms; ratio of the median to its aim (below 1 is better)`);
    table(
      ['figure', 'median', '95 %', 'aim', 'of the aim'],
      figures.map(({ name, median: value, worst, aim }) => [
        name,
        round(value, 1),
        round(worst, 1),
        aim === undefined ? '' : round(aim),
        aim === undefined ? '' : round(value / aim, 2),
      ]),
    );
    console.log(`Imported from CSV at ${round(filled)} rows a second\n`);
    const { low, own, ratio } = await benchHook(service, database.url, bot, { rounds: options.quick ? 1 : 3, seconds });
    console.log('A hook whose run adds a row and gives it back, 16 at once, beside Express and the same durable writes');
    table(
      ['', 'runs per s', 'p50 ms', 'p99 ms', 'of floor'],
      [
        ['floor', round(low.perSecond), round(low.p50, 1), round(low.p99, 1), ''],
        ['hook', round(own.perSecond), round(own.p50, 1), round(own.p99, 1), round(ratio, 2)],
      ],
    );
  } finally {
    await service.stop();
    await database.stop();
  }
}

async function understanding() {
  console.log(
    'Understanding on sets that nothing was tuned on; typed: one error in twelve characters, AUROC: from what belongs to nothing',
  );
  const rows = await benchSets({ quick: options.quick });
  table(['set', 'by', 'right', 'typed', 'AUROC', 'calibration error', 'training', 'a message'], rows);
  console.log('Bots of other sizes, made-up words, without the encoder; ratio to the aim of two seconds (above 1 is better)');
  table(['bot', 'training', 'ratio', 'a message', 'memory'], benchSizes());
}

async function conversation() {
  console.log(
    'The engine’s own time for a turn of a conversation, one core; ratio to the stated aim (above 1 is better than the aim)',
  );
  table(
    ['figure', 'value', 'aim', 'ratio'],
    benchConversation({ rounds: options.quick ? 50 : 300 }).map((r) => [
      r.name,
      round(r.value, 3),
      r.floor === undefined ? '' : round(r.floor),
      r.ratio === undefined ? '' : round(r.ratio, 2),
    ]),
  );
}

async function agents(folder) {
  const database = await startDatabase(join(folder, 'agents'), { quiet: true });
  const service = await startService(database.url, { PRIMROSE_PRIVATE_ADDRESSES: 'loopback' });
  try {
    const { times, steps, waiting } = await benchAgents(service, database.url, { quick: options.quick });
    console.log('Agents, ms beside what the model service took; ratio to the aim (below 1 is better)');
    table(
      ['figure', 'median', 'aim', 'of the aim'],
      times.map(({ name, value, aim }) => [name, round(value, 1), aim ?? '', aim === undefined ? '' : round(value / aim, 2)]),
    );
    console.log('Steps of one turn; ratio to the first row');
    table(
      ['steps', 'ms a step', 'of the first', 'stored characters a step', 'of the first'],
      steps.map((s) => [
        s.many,
        round(s.ms, 1),
        round(s.ms / steps[0].ms, 2),
        round(s.stored),
        round(s.stored / steps[0].stored, 2),
      ]),
    );
    console.log(
      `${waiting.count} conversations wait ${waiting.ms} ms for a model; all were answered after ${round(waiting.all)} ms`,
    );
    table(
      ['', 'database connections', 'threads', 'MB'],
      [
        ['before', waiting.before.connections, waiting.before.threads, round(waiting.before.mb)],
        ['while they wait', waiting.during.connections, waiting.during.threads, round(waiting.during.mb)],
      ],
    );
  } finally {
    await service.stop();
    await database.stop();
  }
}

async function webChat(folder) {
  const database = await startDatabase(join(folder, 'web-chat'), { quiet: true });
  const service = await startService(database.url, { PRIMROSE_MESSAGES_A_MINUTE: '1000000' });
  const resident = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${service.child.pid}/status`, 'utf8'))[1]) / 1024;
  try {
    const chats = options.quick ? 500 : 2000;
    const { bytes, words, answered } = await benchWebChat(service, ensureProgram('chromium', 'chromium'), chats);
    console.log(
      'Web chat: script before the first words, gzipped; from the tag to the first words; one answer while others have their chats open',
    );
    table(
      ['figure', 'value', 'floor or aim', 'of it'],
      [
        [
          'script of the tag and of its frame, bytes',
          round(bytes.tag + bytes.frame),
          round(25_000),
          round((bytes.tag + bytes.frame) / 25_000, 2),
        ],
        [
          'tag to first words, median ms (floor: a frame that holds its words)',
          round(words.own),
          round(words.floor),
          round(words.own / words.floor, 1),
        ],
        ['the slowest of nine', round(words.worst), '', ''],
        ['said to answered, median ms, nobody else there', round(answered.alone, 1), '', ''],
        [
          `the same with ${round(chats)} open chats (floor: nobody else there)`,
          round(answered.among, 1),
          round(answered.alone, 1),
          round(answered.among / answered.alone, 2),
        ],
        ['the slowest of twenty then', round(answered.worst, 1), '', ''],
        ['the service then, resident MB', round(resident()), '', ''],
      ],
    );
  } finally {
    await service.stop();
    await database.stop();
  }
}

async function looking() {
  console.log('Knowledge: documents indexed and looked up, and sections found again by headings that were taken away');
  await knowledge((line) => console.log(`  ${line}`));
  console.log('');
}

async function main() {
  assertNode();
  ensurePackages();
  ensureProgram('mariadbd', 'mariadb-server');
  ensureBuilt();
  console.log(`Node.js ${process.versions.node}, ${cpus().length} cores, ${round(totalmem() / 2 ** 30)} GB\n`);
  const folder = mkdtempSync(join(tmpdir(), 'primrose-bench-'));
  const parts = {
    engine,
    conversation,
    agents,
    turns,
    growth,
    memory,
    keeping,
    knowledge: looking,
    map,
    simulator,
    understanding,
    'web-chat': webChat,
  };
  try {
    for (const [name, part] of Object.entries(parts)) if (options.only === undefined || options.only === name) await part(folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

main().then(
  () => process.exit(0),
  (error) => {
    say(error instanceof Halt ? error.message : String(error.stack));
    process.exit(1);
  },
);
