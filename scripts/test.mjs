// npm test: everything from nothing, suites side by side. Own database server in a temporary folder, free ports, nothing left behind.
//   --quick        only what needs no database and no browser
//   --long         the tests of faults as often as they are meant to run before a release
//   --suite NAME   only this suite; may be given several times
//   --at-once N    so many suites at once; as many as there are cores, and one more, when it is left out
//   Anything else is handed on to Mocha, such as --grep WORDS.
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { startDatabase } from './lib/database.mjs';
import { assertNode, ensureBuilt, ensurePackages, ensureProgram, Halt, ROOT, say } from './lib/machine.mjs';
import { ensurePeers } from './lib/peers.mjs';
import { SUITES } from './lib/suites.mjs';

const SLOWEST = 20;
const WHY_LINES = 12;
const PORTS_FROM = 21_000;
const PORTS_EACH = 400;

/** What was asked for on the command line. */
function readArgs(args) {
  const asked = { quick: false, long: false, suites: [], atOnce: availableParallelism() + 1, mocha: [] };
  for (let i = 0; i < args.length; i++) {
    if (args[i] === '--quick') asked.quick = true;
    else if (args[i] === '--long') asked.long = true;
    else if (args[i] === '--suite') asked.suites.push(args[++i]);
    else if (args[i] === '--at-once') asked.atOnce = Math.max(1, Number(args[++i]) || 1);
    else asked.mocha.push(args[i]);
  }
  const unknown = asked.suites.find((name) => !SUITES.some((s) => s.name === name));
  if (unknown !== undefined)
    throw new Halt(`There is no suite "${unknown}". There are: ${SUITES.map((s) => s.name).join(', ')}.`);
  return asked;
}

const running = new Set();
let stopped = false;

/** Ends the suites that run, with all that they started, and begins none. */
function stop() {
  stopped = true;
  for (const { pid } of running) process.kill(-pid, 'SIGTERM');
}

/** Runs one suite; resolves with its output, its tests and whether it went well. */
function runSuite(suite, index, { mocha, long }, { folder, url, chromium }) {
  const own = join(folder, suite.name);
  mkdirSync(own);
  const report = join(own, 'report.jsonl');
  const env = {
    ...process.env,
    PRIMROSE_TEST_FOLDER: own,
    PRIMROSE_TEST_REPORT: report,
    PRIMROSE_TEST_PORTS: String(PORTS_FROM + index * PORTS_EACH),
    ...(url ? { PRIMROSE_TEST_DATABASE_URL: url.replace(/\/primrose$/, `/${schemaOf(suite)}`) } : {}),
    ...(chromium ? { PRIMROSE_TEST_CHROMIUM: chromium } : {}),
    ...(long ? { PRIMROSE_TEST_LONG: 'true' } : {}),
  };
  const args = ['--reporter', join(ROOT, 'scripts/lib/report.cjs'), '--no-config', '--node-option', 'import=tsx'];
  const hooks = ['--require', './packages/server/test/support/hooks.ts', '--timeout', '300000'];
  const ignored = (suite.but ?? []).flatMap((file) => ['--ignore', file]);
  const program = join(ROOT, 'node_modules', '.bin', 'mocha');
  const begun = performance.now();
  const child = spawn(program, [...args, ...hooks, ...ignored, ...mocha, ...suite.files], { cwd: ROOT, env, detached: true });
  running.add(child);
  let output = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk) => (output += chunk));
  return new Promise((resolve) => {
    child.once('close', (code) => {
      running.delete(child);
      const lines = existsSync(report) ? readFileSync(report, 'utf8').split('\n').filter(Boolean) : [];
      const seconds = (performance.now() - begun) / 1000;
      resolve({ suite, output, seconds, good: code === 0, tests: lines.map((line) => JSON.parse(line)) });
    });
  });
}

const schemaOf = (suite) => `primrose_suite_${suite.name.replaceAll('-', '_')}`;

/** A database for each suite on the one server. */
async function makeSchemas(url, suites) {
  const { createConnection } = await import('mysql2/promise');
  const connection = await createConnection(url);
  for (const suite of suites)
    await connection.query(`CREATE DATABASE ${schemaOf(suite)} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
  await connection.end();
}

/** Runs the suites, some at once, and tells what each printed as soon as it is done. */
async function runAll(suites, asked, setting) {
  const waiting = suites.map((suite, index) => ({ suite, index }));
  const done = [];
  const work = async () => {
    for (let next = waiting.shift(); next && !stopped; next = waiting.shift()) {
      const ran = await runSuite(next.suite, next.index, asked, setting);
      done.push(ran);
      process.stdout.write(
        `\n=== ${ran.suite.name}: ${ran.good ? 'passed' : 'FAILED'} in ${ran.seconds.toFixed(0)} s\n${ran.output}`,
      );
    }
  };
  await Promise.all(Array.from({ length: asked.atOnce }, work));
  return done;
}

/** The slowest tests, then what came of all of them, in the form in which it is counted. */
function summary(done) {
  const tests = done.flatMap(({ suite, tests: all }) => all.map((t) => ({ ...t, suite: suite.name })));
  const count = (as) => tests.filter((t) => t.as === as).length;
  const slow = [...tests].sort((a, b) => b.ms - a.ms).slice(0, SLOWEST);
  const lines = slow.map((t) => `${(t.ms / 1000).toFixed(1).padStart(6)} s  ${t.suite}: ${t.title}`);
  const why = (t) => (t.why ?? '').split('\n').slice(0, WHY_LINES);
  const failed = tests
    .filter((t) => t.as === 'failed')
    .flatMap((t) => [`FAILED  ${t.suite}: ${t.title}`, ...why(t).map((line) => `        ${line}`)]);
  const broken = done.filter((d) => !d.good).map((d) => `FAILED  suite ${d.suite.name}`);
  const skipped = count('skipped') > 0 ? `, ${count('skipped')} skipped` : '';
  const closing = `${count('passed')} passed, ${Math.max(count('failed'), broken.length)} failed${skipped}`;
  return ['', `The slowest ${slow.length}:`, ...lines, '', ...failed, ...broken, closing, ''].join('\n');
}

async function main() {
  assertNode();
  const asked = readArgs(process.argv.slice(2));
  ensurePackages();
  const suites = SUITES.filter((s) => (!asked.quick || s.quick) && (asked.suites.length === 0 || asked.suites.includes(s.name)));
  const bare = suites.every((s) => s.quick);
  if (!bare) ensureProgram('mariadbd', 'mariadb-server');
  if (suites.some((s) => s.peers)) ensurePeers();
  const chromium = bare ? undefined : ensureProgram('chromium', 'chromium');
  ensureBuilt();
  const folder = mkdtempSync(join(tmpdir(), 'primrose-test-'));
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, stop);
  let database;
  try {
    if (!bare) {
      database = await startDatabase(join(folder, 'database'), { quiet: true });
      await makeSchemas(database.url, suites);
    }
    const done = await runAll(suites, asked, { folder, url: database?.url, chromium });
    process.stdout.write(summary(done));
    process.exitCode = !stopped && done.every((d) => d.good) ? 0 : 1;
  } finally {
    await database?.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

main().catch((error) => {
  say(error instanceof Halt ? error.message : String(error.stack));
  process.exitCode = 1;
});
