import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { z } from 'zod';

const file = z.strictObject({ address: z.url({ protocol: /^https?$/ }), token: z.string().min(1) });

export interface CliConfig {
  readonly address: string;
  readonly token: string | undefined;
}

const DEFAULT_ADDRESS = 'http://127.0.0.1:4800';

type Env = Readonly<Record<string, string | undefined>>;

/** Where the client keeps address and token: under XDG_CONFIG_HOME, else ~/.config. */
export function configPath(env: Env): string {
  return join(env['XDG_CONFIG_HOME'] ?? join(homedir(), '.config'), 'primrose', 'config.json');
}

/** Address and token: from the environment, else from the file. Throws where the file cannot be understood. */
export function readCliConfig(env: Env): CliConfig {
  const kept = readFile(configPath(env));
  return {
    address: (env['PRIMROSE_ADDRESS'] ?? kept?.address ?? DEFAULT_ADDRESS).replace(/\/$/, ''),
    token: env['PRIMROSE_TOKEN'] ?? kept?.token,
  };
}

function readFile(path: string): z.infer<typeof file> | undefined {
  let text: string;
  try {
    text = readFileSync(path, 'utf8');
  } catch {
    return undefined;
  }
  try {
    return file.parse(JSON.parse(text));
  } catch (cause) {
    throw new Error(`${path} should hold {"address": "http://…", "token": "…"}. Write it anew with "primrose configure".`, {
      cause,
    });
  }
}

/** Keeps address and token in a file that only this user can read. */
export function writeCliConfig(env: Env, config: { address: string; token: string }): string {
  const path = configPath(env);
  mkdirSync(dirname(path), { recursive: true, mode: 0o700 });
  writeFileSync(path, `${JSON.stringify(config, null, 2)}\n`, { mode: 0o600 });
  return path;
}
