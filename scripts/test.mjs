// npm test: everything from nothing. Own database in a temporary folder, free ports, nothing left behind.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startDatabase } from './lib/database.mjs';
import { assertNode, ensureBuilt, ensurePackages, ensureProgram, Halt, ROOT, say } from './lib/machine.mjs';

/** Runs the tests; a signal to us ends them first, so that the database is stopped in any case. */
function runMocha(env) {
  const mocha = spawn(join(ROOT, 'node_modules', '.bin', 'mocha'), process.argv.slice(2), { cwd: ROOT, stdio: 'inherit', env });
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
