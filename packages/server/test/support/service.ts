import { fork, type ChildProcess } from 'node:child_process';
import { cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createConnection } from 'mysql2/promise';
import { createClient, type Client } from '@primrose/contract';

const file = (relative: string) => new URL(`../../../../${relative}`, import.meta.url).pathname;
const SERVER = file('packages/server/dist/main.js');
const standIn = (name: string) => file(`packages/stand-ins/dist/${name}/main.js`);
const OFFICE = standIn('booking-office');
export const SECRET_KEY = 'ab'.repeat(32);

export const DATABASE_URL = process.env['PRIMROSE_TEST_DATABASE_URL'] ?? '';
export const CHROMIUM = process.env['PRIMROSE_TEST_CHROMIUM'] ?? '/usr/bin/chromium';
export const FOLDER = process.env['PRIMROSE_TEST_FOLDER'] ?? '';

/** Programs of ours run as they are built: without what the tests are loaded with. */
const AS_INSTALLED = { execArgv: [] };

/** The demo as tests know it: its staff are there at any hour, so that no test depends on when it runs. */
function demoAtAnyHour(): string {
  const folder = join(FOLDER, 'demo');
  if (existsSync(folder)) return folder;
  cpSync(file('demo'), folder, { recursive: true });
  const bot = join(folder, 'harbour-desk', 'bot.yaml');
  const staffed = readFileSync(bot, 'utf8').replace(/^ {2}hours: \{.*\}\n/m, '');
  if (/^ {2}hours:/m.test(staffed)) throw new Error(`${bot}: the office hours are still there`);
  writeFileSync(bot, staffed);
  return folder;
}

/** A program of ours with a line to it; resolves with its port once it is ready. */
export function startChild(
  path: string,
  args: string[],
  env: Record<string, string>,
): Promise<{ child: ChildProcess; port: number }> {
  const child = fork(path, args, {
    ...AS_INSTALLED,
    env: { ...process.env, ...env },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  return new Promise((resolve, reject) => {
    child.once('message', (message) => resolve({ child, port: (message as { port: number }).port }));
    child.once('exit', (code) => reject(new Error(`${path} stopped with ${code}`)));
  });
}

export function stopChild(child: ChildProcess, signal: NodeJS.Signals = 'SIGTERM'): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return Promise.resolve();
  return new Promise((resolve) => {
    child.once('exit', () => resolve());
    child.kill(signal);
  });
}

interface Links {
  readonly console: string;
  readonly chat: string;
  readonly token: string;
  readonly hook: string | null;
  readonly shoreHook: string | null;
}

function prepare(env: Record<string, string>, standIns: Readonly<Record<string, string>>): Promise<Links> {
  // Services on one database each have a token of their own: one of the same name is replaced.
  const args = ['prepare', '--demo', '--token-name', `tests ${env['PRIMROSE_PORT']}`];
  for (const [name, address] of Object.entries(standIns)) args.push('--stand-in', `${name}=${address}`);
  const child = fork(SERVER, args, {
    ...AS_INSTALLED,
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
  });
  let out = '';
  child.stdout?.on('data', (chunk: Buffer) => (out += chunk.toString()));
  return new Promise((resolve, reject) => {
    child.once('close', (code) =>
      code === 0 ? resolve(JSON.parse(out) as never) : reject(new Error(`prepare stopped with ${code}`)),
    );
  });
}

export interface TestService {
  readonly address: string;
  readonly office: string;
  /** Addresses of the other stand-ins; empty where they were not asked for. */
  readonly models: string;
  readonly messenger: string;
  readonly token: string;
  readonly client: Client;
  /** A fresh one-time sign-in link. */
  readonly link: () => Promise<string>;
  /** Lets the booking office be slow, fail or answer oddly; `{}` sets it right. */
  readonly switches: (body: Readonly<Record<string, unknown>>) => Promise<unknown>;
  /** The demo's chat page. */
  readonly chat: string;
  /** The process of the service that runs now. */
  readonly process: () => ChildProcess;
  /** Kills the service as a crash would, and starts it again on the same port. */
  readonly crash: () => Promise<void>;
  readonly stop: () => Promise<void>;
}

export interface TestServiceOptions {
  readonly databaseUrl: string;
  readonly port?: number;
  readonly env?: Readonly<Record<string, string>>;
  /** Starts the model service and the messenger as well, and connects the demo to them. */
  readonly all?: boolean;
}

/** The first of the ports that are this suite's own. */
export const PORTS = Number(process.env['PRIMROSE_TEST_PORTS'] ?? 29_000);
let ports = PORTS;

/** Where a database of the tests' server is, by its name behind `primrose_`. */
export function databaseUrl(name: string): string {
  const at = new URL(DATABASE_URL);
  at.pathname = `/primrose_${name}`;
  return at.href;
}

/** A database of its own on the tests' server: what stands in it is worked off by nobody else. */
export async function ownDatabase(name: string): Promise<string> {
  const connection = await createConnection(DATABASE_URL);
  await connection.query(`CREATE DATABASE primrose_${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
  await connection.end();
  return databaseUrl(name);
}

/** Tells the stand-in messenger where its webhooks go. */
async function connectMessenger(messenger: string, address: string, desk: string): Promise<void> {
  const headers = { authorization: 'Bearer gull-token', 'content-type': 'application/json' };
  const body = JSON.stringify({ address, check: 'gull-check', desk });
  const answer = await fetch(`${messenger}/api/hook`, { method: 'PUT', headers, body });
  if (!answer.ok) throw new Error(`the messenger is not connected: ${await answer.text()}`);
}

/** Starts a service with the demo and its booking office. */
export async function startTestService({
  databaseUrl,
  port = ports++,
  env: more,
  all = false,
}: TestServiceOptions): Promise<TestService> {
  const office = await startChild(OFFICE, ['--port', '0'], {});
  const others = all
    ? await Promise.all(['model-service', 'messenger'].map((n) => startChild(standIn(n), ['--port', '0'], {})))
    : [];
  const [models = '', messenger = ''] = others.map((o) => `http://127.0.0.1:${o.port}`);
  const officeAddress = `http://127.0.0.1:${office.port}`;
  const address = `http://127.0.0.1:${port}`;
  const env = {
    PRIMROSE_DATABASE_URL: databaseUrl,
    PRIMROSE_PORT: String(port),
    PRIMROSE_PRIVATE_ADDRESSES: 'loopback',
    PRIMROSE_LOG: 'error',
    // Most tests are about other things than what the encoder adds, and start sooner without it.
    PRIMROSE_ENCODER: 'false',
    PRIMROSE_EXAMPLES: demoAtAnyHour(),
    PRIMROSE_SECRET_KEY: SECRET_KEY,
    PRIMROSE_LEASE_SECONDS: '2',
    PRIMROSE_OPENS_A_MINUTE: '100000',
    PRIMROSE_CHANNEL_OPENS_A_MINUTE: '1000000',
    PRIMROSE_CHANNEL_MESSAGES_A_MINUTE: '1000000',
    ...more,
  };
  const stopStandIns = () => Promise.all([office, ...others].map((o) => stopChild(o.child)));
  const begin = async () => {
    const made = await prepare(env, {
      'booking-office': officeAddress,
      ...(all ? { 'model-service': `${models}/v1`, messenger } : {}),
    });
    return { links: made, started: await startChild(SERVER, ['serve'], env) };
  };
  // Stand-ins that go on would keep the tests from ending where the service does not start.
  const { links, started } = await begin().catch(async (error: unknown) => {
    await stopStandIns();
    throw error;
  });
  let service = started;
  if (links.hook !== null) await connectMessenger(messenger, links.hook, 'front');
  if (links.shoreHook !== null) await connectMessenger(messenger, links.shoreHook, 'shore');
  return {
    address,
    office: officeAddress,
    models,
    messenger,
    token: links.token,
    switches: (body) =>
      fetch(`${officeAddress}/switches`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      }),
    chat: links.chat,
    client: createClient({ address, token: links.token }),
    process: () => service.child,
    link: async () => (await prepareLink(env)).console,
    crash: async () => {
      await stopChild(service.child, 'SIGKILL');
      service = await startChild(SERVER, ['serve'], env);
    },
    stop: async () => {
      await stopChild(service.child);
      await stopStandIns();
    },
  };
}

function start(): Promise<TestService> {
  if (DATABASE_URL === '') throw new Error('run the tests with "npm test": it starts their database');
  return startTestService({ databaseUrl: DATABASE_URL, all: true });
}

function prepareLink(env: Record<string, string>): Promise<{ console: string }> {
  const child = fork(SERVER, ['prepare'], {
    ...AS_INSTALLED,
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
  });
  let out = '';
  child.stdout?.on('data', (chunk: Buffer) => (out += chunk.toString()));
  return new Promise((resolve) => child.once('close', () => resolve(JSON.parse(out) as { console: string })));
}

let shared: Promise<TestService> | undefined;

/** The service that all tests of a run share; each test works on bots of its own. */
export function theService(): Promise<TestService> {
  shared ??= start();
  return shared;
}

/** Stops the shared service if a test has started it. */
export async function stopTheService(): Promise<void> {
  await (await shared)?.stop();
  shared = undefined;
}
