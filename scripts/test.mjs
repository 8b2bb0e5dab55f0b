// npm test: everything from nothing; with --long the tests of faults run as often as they are meant to before a release.
// Own database in a temporary folder, free ports, nothing left behind.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startDatabase } from './lib/database.mjs';
import { assertNode, ensureBuilt, ensurePackages, ensureProgram, Halt, ROOT, say } from './lib/machine.mjs';

/** Runs the tests; a signal to us ends them first, so that the database is stopped in any case. */
function runMocha(env) {
  const args = process.argv.slice(2).filter((a) => a !== '--long');
  const mocha = spawn(join(ROOT, 'node_modules', '.bin', 'mocha'), args, { cwd: ROOT, stdio: 'inherit', env });
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => mocha.kill('SIGTERM'));
  return new Promise((resolve) => mocha.once('exit', (code) => resolve(code ?? 1)));
}

async function main() {
  assertNode();
  ensurePackages();
  ensureProgram('mariadbd', 'mariadb-server');
  const chromium = ensureProgram('chromium', 'chromium');
  ensureBuilt();
  const folder = mkdtempSync(join(tmpdir(), 'primrose-test-'));
  let database;
  let code = 1;
  try {
    database = await startDatabase(join(folder, 'database'), { quiet: true });
    const env = {
      ...process.env,
      PRIMROSE_TEST_DATABASE_URL: database.url,
      PRIMROSE_TEST_CHROMIUM: chromium,
      PRIMROSE_TEST_FOLDER: folder,
      ...(process.argv.includes('--long') ? { PRIMROSE_TEST_LONG: 'true' } : {}),
    };
    code = await runMocha(env);
  } finally {
    await database?.stop();
    rmSync(folder, { recursive: true, force: true });
  }
  process.exitCode = code;
}

main().catch((error) => {
  say(error instanceof Halt ? error.message : String(error.stack));
  process.exitCode = 1;
});
