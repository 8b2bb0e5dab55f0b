// npm run test:cluster: three database nodes of a cluster on loopback, a process of the service on each, and tests that
// talk to all of them at once. Takes a minute or two; not part of npm test.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startCluster } from './lib/cluster.mjs';
import { assertNode, ensureBuilt, ensurePackages, ensureProgram, Halt, ROOT, say } from './lib/machine.mjs';

async function main() {
  assertNode();
  ensurePackages();
  ensureProgram('mariadbd', 'mariadb-server');
  ensureProgram('rsync', 'rsync');
  ensureBuilt();
  const folder = mkdtempSync(join(tmpdir(), 'primrose-cluster-'));
  let nodes = [];
  let code = 1;
  try {
    say('Starting three database nodes…');
    nodes = await startCluster(folder);
    const env = {
      ...process.env,
      PRIMROSE_TEST_DATABASE_URL: nodes[0].url,
      PRIMROSE_TEST_NODES: nodes.map((n) => n.url).join(' '),
      PRIMROSE_TEST_NODE_PIDS: nodes.map((n) => n.pid).join(' '),
    };
    const args = ['--no-config', '--node-option', 'import=tsx', '--timeout', '120000', 'packages/server/test/cluster.spec.ts'];
    code = spawnSync(join(ROOT, 'node_modules', '.bin', 'mocha'), args, { cwd: ROOT, stdio: 'inherit', env }).status ?? 1;
  } finally {
    for (const node of nodes) await node.stop();
    rmSync(folder, { recursive: true, force: true });
  }
  process.exitCode = code;
}

main().catch((error) => {
  say(error instanceof Halt ? error.message : String(error.stack));
  process.exitCode = 1;
});
