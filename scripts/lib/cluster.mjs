// Three nodes of a Galera cluster on loopback, for a test: made from one data folder, so that none has to fetch its state.
import { chmodSync, cpSync, existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startDatabase, stopProcess } from './database.mjs';
import { freePort, Halt } from './machine.mjs';

const PROVIDERS = ['/usr/lib/galera/libgalera_smm.so', '/usr/lib64/galera-4/libgalera_smm.so'];

function nodeArgs(provider, name, port, members) {
  return [
    '--binlog-format=ROW',
    '--innodb-autoinc-lock-mode=2',
    '--wsrep-on=ON',
    `--wsrep-provider=${provider}`,
    '--wsrep-cluster-name=primrose-test',
    `--wsrep-cluster-address=gcomm://${members.map((p) => `127.0.0.1:${p}`).join(',')}`,
    '--wsrep-node-address=127.0.0.1',
    `--wsrep-node-name=${name}`,
    `--wsrep-provider-options=base_host=127.0.0.1;base_port=${port};gmcast.listen_addr=tcp://127.0.0.1:${port};ist.recv_addr=127.0.0.1:${port + 1};gcache.size=64M`,
  ];
}

/** Two ports side by side that are free. */
async function portPair(from) {
  for (let port = from; port < from + 200; port += 2)
    if ((await freePort(port)) === port && (await freePort(port + 1)) === port + 1) return port;
  throw new Halt('No free ports were found for the nodes.');
}

/** Starts the nodes in a folder; each has `url`, `pid`, `start` (again, after it was ended) and `stop`. */
export async function startCluster(folder, count = 3) {
  const provider = PROVIDERS.find((p) => existsSync(p));
  if (!provider) throw new Halt('The cluster library of MariaDB is missing. Install it: apt-get install galera-4');
  const ports = [];
  for (let i = 0; i < count; i++) ports.push(await portPair((ports.at(-1) ?? 24560) + 2));
  const first = join(folder, 'node-1');
  // One start and one stop alone give the folder its identity in the cluster; the others are copies of it.
  const seed = await startDatabase(first, {
    quiet: true,
    args: [...nodeArgs(provider, 'node-1', ports[0], ports), '--wsrep-new-cluster'],
  });
  await seed.stop();
  const folders = ports.map((_, i) => join(folder, `node-${i + 1}`));
  for (const own of folders.slice(1)) {
    cpSync(first, own, { recursive: true, filter: (path) => !/\/(socket|pid|log|port|galera\.cache|gvwstate\.dat)$/.test(path) });
    writeFileSync(join(own, 'port'), String(await freePort()));
  }
  // The state transfer of Galera runs as another user where we are root; it has to reach the data folders of this test.
  for (const path of [folder, ...folders, ...folders.map((f) => join(f, 'data'))]) chmodSync(path, 0o777);
  const nodes = [];
  for (const [i, own] of folders.entries()) {
    const args = nodeArgs(provider, `node-${i + 1}`, ports[i], ports);
    const bootstrap = i === 0 ? ['--wsrep-new-cluster'] : [];
    const node = { ...(await startDatabase(own, { quiet: true, args: [...args, ...bootstrap] })) };
    node.start = async () => Object.assign(node, await startDatabase(own, { quiet: true, args }));
    node.stop = () => stopProcess(node.pid);
    nodes.push(node);
  }
  return nodes;
}
