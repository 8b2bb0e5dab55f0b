import cluster from 'node:cluster';
import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { readConfig } from './start/config.js';
import { prepare } from './start/prepare.js';
import { runProcesses } from './start/processes.js';
import { startService } from './start/service.js';

const { version } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8')) as { version: string };

/** `prepare`: migrates, loads the demo, prints one line of JSON with the links. `serve`: runs until it is told to stop. */
async function main(): Promise<void> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      demo: { type: 'boolean', default: false },
      'token-name': { type: 'string' },
      'stand-in': { type: 'string', multiple: true, default: [] },
      /** Servers of open protocols that run for the demo: xmpp, irc, imap, smtp with their ports. */
      peer: { type: 'string', multiple: true, default: [] },
    },
  });
  const config = readConfig(process.env);
  if (positionals[0] === 'prepare') {
    const pairs = (list: readonly string[]): Record<string, string> =>
      Object.fromEntries(list.map((s) => [s.slice(0, s.indexOf('=')), s.slice(s.indexOf('=') + 1)]));
    const standIns = pairs(values['stand-in']);
    const ports = pairs(values.peer);
    const port = (name: string) => Number(ports[name] ?? 0);
    const peers = { xmpp: port('xmpp'), irc: port('irc'), imap: port('imap'), smtp: port('smtp') };
    const name = values['token-name'];
    const prepared = await prepare(config, {
      demo: values.demo,
      standIns,
      ...(values.peer.length > 0 ? { peers } : {}),
      ...(name === undefined ? {} : { tokenName: name }),
    });
    process.stdout.write(`${JSON.stringify(prepared)}\n`);
    return;
  }
  if (config.processes > 1 && cluster.isPrimary) {
    await runProcesses(config);
    return;
  }
  const service = await startService(config, version);
  process.send?.({ type: 'ready', port: service.port });
  const stop = (): void => {
    service.stop().then(
      () => process.exit(0),
      () => process.exit(1),
    );
  };
  process.once('SIGTERM', stop);
  process.once('SIGINT', stop);
  process.once('disconnect', stop);
}

/** What a person can do about an error at the start. */
function startProblem(error: unknown): string {
  const { code, message, address, port } = error as { code?: string; message?: string; address?: string; port?: number };
  if (code === 'ECONNREFUSED' || code === 'ENOTFOUND' || code === 'ETIMEDOUT') {
    const where = address === undefined ? '' : ` at ${address}:${port}`;
    return `No database answers${where}. Start it, or correct PRIMROSE_DATABASE_URL.`;
  }
  if (code === 'ER_ACCESS_DENIED_ERROR' || code === 'ER_DBACCESS_DENIED_ERROR') {
    return `The database refuses the user or password. Correct PRIMROSE_DATABASE_URL. (${message})`;
  }
  return message ?? String(error);
}

main().catch((error: unknown) => {
  process.stderr.write(`${startProblem(error)}\n`);
  process.exitCode = 1;
});
