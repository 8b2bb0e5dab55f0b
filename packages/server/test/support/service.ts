import { fork, type ChildProcess } from 'node:child_process';
import { createConnection } from 'mysql2/promise';
import { createClient, type Client } from '@primrose/contract';

const file = (relative: string) => new URL(`../../../../${relative}`, import.meta.url).pathname;
const SERVER = file('packages/server/dist/main.js');
const OFFICE = file('packages/stand-ins/dist/booking-office/main.js');

export const DATABASE_URL = process.env['PRIMROSE_TEST_DATABASE_URL'] ?? '';
export const CHROMIUM = process.env['PRIMROSE_TEST_CHROMIUM'] ?? '/usr/bin/chromium';
export const FOLDER = process.env['PRIMROSE_TEST_FOLDER'] ?? '';

/** A program of ours with a line to it; resolves with its port once it is ready. */
export function startChild(
  path: string,
  args: string[],
  env: Record<string, string>,
): Promise<{ child: ChildProcess; port: number }> {
  const child = fork(path, args, { env: { ...process.env, ...env }, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
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

function prepare(env: Record<string, string>, office: string): Promise<{ console: string; chat: string; token: string }> {
  // Services on one database each have a token of their own: one of the same name is replaced.
  const args = ['prepare', '--demo', '--token-name', `tests ${env['PRIMROSE_PORT']}`, '--stand-in', `booking-office=${office}`];
  const child = fork(SERVER, args, { env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'inherit', 'ipc'] });
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
  readonly token: string;
  readonly client: Client;
  /** A fresh one-time sign-in link. */
  readonly link: () => Promise<string>;
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
}

let ports = 29_000 + (process.pid % 1000);

/** A database of its own on the tests' server: what stands in it is worked off by nobody else. */
export async function ownDatabase(name: string): Promise<string> {
  const connection = await createConnection(DATABASE_URL);
  await connection.query(`CREATE DATABASE primrose_${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
  await connection.end();
  return DATABASE_URL.replace(/\/primrose$/, `/primrose_${name}`);
}

/** Starts a service with the demo and its booking office. */
export async function startTestService({ databaseUrl, port = ports++, env: more }: TestServiceOptions): Promise<TestService> {
  const office = await startChild(OFFICE, ['--port', '0'], {});
  const officeAddress = `http://127.0.0.1:${office.port}`;
  const address = `http://127.0.0.1:${port}`;
  const env = {
    PRIMROSE_DATABASE_URL: databaseUrl,
    PRIMROSE_PORT: String(port),
    PRIMROSE_PRIVATE_ADDRESSES: 'loopback',
    PRIMROSE_LOG: 'error',
    PRIMROSE_LEASE_SECONDS: '2',
    PRIMROSE_OPENS_A_MINUTE: '100000',
    ...more,
  };
  const links = await prepare(env, officeAddress);
  let service = await startChild(SERVER, ['serve'], env);
  return {
    address,
    office: officeAddress,
    token: links.token,
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
      await stopChild(office.child);
    },
  };
}

function start(): Promise<TestService> {
  if (DATABASE_URL === '') throw new Error('run the tests with "npm test": it starts their database');
  return startTestService({ databaseUrl: DATABASE_URL });
}

function prepareLink(env: Record<string, string>): Promise<{ console: string }> {
  const child = fork(SERVER, ['prepare'], { env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'inherit', 'ipc'] });
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
