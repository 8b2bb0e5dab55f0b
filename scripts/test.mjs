// npm test: everything from nothing. Own database in a temporary folder, free ports, nothing left behind.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startDatabase } from './lib/database.mjs';
import { assertNode, ensureBuilt, ensurePackages, ensureProgram, Halt, ROOT, say } from './lib/machine.mjs';

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
    code =
      spawnSync(join(ROOT, 'node_modules', '.bin', 'mocha'), process.argv.slice(2), { cwd: ROOT, stdio: 'inherit', env })
        .status ?? 1;
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
