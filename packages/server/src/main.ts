import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { readConfig } from './config.js';
import { prepare } from './prepare.js';
import { startService } from './service.js';

const { version } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8')) as { version: string };

/** `prepare`: migrates, loads the demo, prints one line of JSON with the links. `serve`: runs until it is told to stop. */
async function main(): Promise<void> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      demo: { type: 'boolean', default: false },
      'token-name': { type: 'string' },
      'stand-in': { type: 'string', multiple: true, default: [] },
    },
  });
  const config = readConfig(process.env);
  if (positionals[0] === 'prepare') {
    const standIns = Object.fromEntries(values['stand-in'].map((s) => [s.slice(0, s.indexOf('=')), s.slice(s.indexOf('=') + 1)]));
    const name = values['token-name'];
    const prepared = await prepare(config, { demo: values.demo, standIns, ...(name === undefined ? {} : { tokenName: name }) });
    process.stdout.write(`${JSON.stringify(prepared)}\n`);
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

main().catch((error: unknown) => {
  process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n`);
  process.exitCode = 1;
});
