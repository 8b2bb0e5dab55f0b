// npm start: sets up whatever is missing, then runs database, stand-ins and service until Ctrl-C.
import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { keepDatabase, stopProcess } from './lib/database.mjs';
import { hasPeer, PEER_PASSWORD, PEERS, startImap, startIrc, startXmpp, XMPP_DOMAIN } from './lib/peers.mjs';
import { assertNode, ensureBuilt, ensureFolder, ensurePackages, freePort, Halt, HOME, ROOT, say } from './lib/machine.mjs';

const HELP = `Usage: npm start -- [options]

Sets up what is missing, starts database, stand-ins and service, and prints where to go.

  --port N        port of the service (4800, or PRIMROSE_PORT)
  --host ADDRESS  address to listen on (127.0.0.1, or PRIMROSE_HOST)
  --processes N   processes of the service behind one port (1, or PRIMROSE_PROCESSES)
  --no-demo       do not load the demo, start no stand-ins
  --fresh         begin with an empty database; the old one is moved aside, not deleted
  --link          print a new sign-in link for the service that is running, and stop
  --restart       replace the processes of the service that is running, one after the other, and stop
  --json          print one line of JSON when ready, with an API token for scripts
  --help          this text

PRIMROSE_DATABASE_URL uses a database server of yours instead of a private one.
All settings: docs/settings.md`;

const RUN_FILE = join(HOME, 'run.json');
const SERVER = join(ROOT, 'packages', 'server', 'dist', 'main.js');
const STAND_INS = join(ROOT, 'packages', 'stand-ins', 'dist');
const BOOKING_PORT = 4810;
const MODEL_PORT = 4820;
const MESSENGER_PORT = 4830;
const SITE_PORT = 4840;
const SMTP_PORT = 4850;
const MAILBOX_PORT = 4851;
const IDENTITY_PORT = 4860;
const TIDE_PORT = 4872;
const PHONE_PORT = 4873;
const XMPP_PORT = 4880;
const IRC_PORT = 4881;
const IMAP_PORT = 4882;
/** What the stand-in messenger and the demo's channel agree on. */
const MESSENGER_TOKEN = 'gull-token';
const MESSENGER_CHECK = 'gull-check';
const READY_MS = 60_000;
/** Between two starts of a service that ends by itself: from so long to so long, and anew after one that lasted. */
const FIRST_WAIT_MS = 500;
const MAX_WAIT_MS = 30_000;
const STEADY_MS = 60_000;

function readOptions() {
  const spec = {
    port: { type: 'string' },
    host: { type: 'string' },
    processes: { type: 'string' },
    restart: { type: 'boolean' },
    'no-demo': { type: 'boolean' },
    fresh: { type: 'boolean' },
    link: { type: 'boolean' },
    json: { type: 'boolean' },
    help: { type: 'boolean' },
  };
  try {
    const { values } = parseArgs({ options: spec });
    const port = Number(values.port ?? process.env.PRIMROSE_PORT ?? 4800);
    if (!Number.isInteger(port) || port < 1 || port > 65535)
      throw new Error(`--port takes a number from 1 to 65535, not "${values.port}"`);
    const processes = Number(values.processes ?? process.env.PRIMROSE_PROCESSES ?? 1);
    if (!Number.isInteger(processes) || processes < 1 || processes > 64)
      throw new Error(`--processes takes a number from 1 to 64, not "${values.processes}"`);
    return { ...values, port, processes, host: values.host ?? process.env.PRIMROSE_HOST ?? '127.0.0.1' };
  } catch (error) {
    throw new Halt(`${error.message}. "npm start -- --help" lists the options.`);
  }
}

/** Starts a program of ours with a line to it; it stops by itself when we are gone. Resolves when it says that it is ready. */
function startProgram(file, args, env) {
  const child = spawn(process.execPath, [file, ...args], {
    env: { ...process.env, ...env },
    detached: true,
    stdio: ['ignore', 2, 'pipe', 'ipc'],
  });
  let errors = '';
  child.stderr.on('data', (chunk) => {
    errors = (errors + chunk).slice(-2000);
    process.stderr.write(chunk);
  });
  return new Promise((resolve, reject) => {
    const late = setTimeout(() => reject(new Halt(`${file} did not get ready within a minute.`)), READY_MS);
    child.once('message', (message) => (clearTimeout(late), resolve({ child, port: message.port })));
    child.once(
      'exit',
      () => (
        clearTimeout(late),
        reject(new Halt(errors.trim() === '' ? `${file} stopped at once.` : 'Primrose could not start.'))
      ),
    );
  });
}

function prepare(env, args) {
  const done = spawnSync(process.execPath, [SERVER, 'prepare', ...args], { env: { ...process.env, ...env }, encoding: 'utf8' });
  if (done.status !== 0) throw new Halt(done.stderr.trim().split('\n').at(-1) || 'The database could not be prepared.');
  return JSON.parse(done.stdout.trim().split('\n').at(-1));
}

function printLink() {
  if (!existsSync(RUN_FILE)) throw new Halt('Primrose is not running here. Start it with "npm start"; it prints a link.');
  const { env } = JSON.parse(readFileSync(RUN_FILE, 'utf8'));
  process.stdout.write(`${prepare(env, []).console}\n`);
}

/** Tells the service that runs to replace its processes; it goes on answering meanwhile. */
function restart() {
  if (!existsSync(RUN_FILE)) throw new Halt('Primrose is not running here. Start it with "npm start".');
  const { env, pid } = JSON.parse(readFileSync(RUN_FILE, 'utf8'));
  if (env.PRIMROSE_PROCESSES === '1')
    throw new Halt('One process alone cannot be replaced without a gap. Start Primrose with --processes 2 or more for that.');
  process.kill(pid, 'SIGUSR2');
  say('The processes are replaced one after the other; visitors notice nothing.');
}

function moveAside() {
  const database = join(HOME, 'database');
  if (!existsSync(database)) return;
  const aside = join(HOME, `database-${new Date().toISOString().replace(/[:.]/g, '-')}`);
  renameSync(database, aside);
  say(`The old database was moved to ${aside}.`);
}

async function assertPortFree({ host, port }) {
  if (host === '127.0.0.1' && (await freePort(port)) !== port) {
    throw new Halt(
      `Port ${port} is taken by another program. Stop that program, or choose another port: npm start -- --port ${port + 1}`,
    );
  }
}

async function start(options, stops) {
  const began = Date.now();
  await assertPortFree(options);
  ensureFolder(HOME);
  ensurePackages();
  ensureBuilt();
  if (options.fresh && process.env.PRIMROSE_DATABASE_URL === undefined) moveAside();
  let databaseUrl = process.env.PRIMROSE_DATABASE_URL;
  if (databaseUrl === undefined) {
    say('Starting the database…');
    const database = await keepDatabase(join(HOME, 'database'));
    stops.push(database.stop);
    databaseUrl = database.url;
  }
  const demo = !options['no-demo'];
  let standIn;
  let smtp;
  const args = [];
  if (demo) {
    say('Starting the stand-ins: booking office, model service, messenger, mailbox, identity service, tide bot, telephone…');
    standIn = async (name, port, more = []) => {
      const program = join(STAND_INS, name, 'main.js');
      const started = await startProgram(program, ['--port', String(await freePort(port)), ...more], {});
      stops.push(() => stopProcess(started.child.pid));
      return `http://127.0.0.1:${started.port}`;
    };
    options.office = await standIn('booking-office', BOOKING_PORT, ['--books', join(HOME, 'booking-office.json')]);
    const models = await standIn('model-service', MODEL_PORT);
    options.messenger = await standIn('messenger', MESSENGER_PORT);
    smtp = await freePort(SMTP_PORT);
    options.peers = await startPeers(stops);
    const { mail } = options.peers;
    const imap = mail ? ['--imap', String(mail.port), '--password', PEER_PASSWORD] : [];
    options.mailbox = await standIn('mailbox', MAILBOX_PORT, ['--smtp', String(smtp), ...imap]);
    const tides = await standIn('tide-bot', TIDE_PORT);
    args.push('--stand-in', `tide-bot=${tides}`, '--peer', `smtp=${smtp}`);
    for (const [name, as] of [
      ['xmpp', 'xmpp'],
      ['irc', 'irc'],
      ['mail', 'imap'],
    ])
      if (options.peers[name]) args.push('--peer', `${as}=${options.peers[name].port}`);
    const identity = await standIn('identity-service', IDENTITY_PORT);
    args.push('--demo', '--stand-in', `booking-office=${options.office}`, '--stand-in', `identity-service=${identity}`);
    args.push('--stand-in', `model-service=${models}/v1`, '--stand-in', `messenger=${options.messenger}`);
  }
  const env = {
    PRIMROSE_DATABASE_URL: databaseUrl,
    PRIMROSE_HOST: options.host,
    PRIMROSE_PORT: String(options.port),
    PRIMROSE_LOG: process.env.PRIMROSE_LOG ?? 'warn',
    ...secretKey(),
    PRIMROSE_PROCESSES: String(options.processes),
    ...(demo ? { PRIMROSE_PRIVATE_ADDRESSES: process.env.PRIMROSE_PRIVATE_ADDRESSES ?? 'loopback' } : {}),
    ...(demo && process.env.PRIMROSE_MAIL_URL === undefined
      ? { PRIMROSE_MAIL_URL: `smtp://127.0.0.1:${smtp}`, PRIMROSE_MAIL_FROM: 'Harbour desk <desk@marrow-sound.example>' }
      : {}),
  };
  say('Preparing the database…');
  const links = prepare(env, [...args, ...(options.json ? ['--token-name', 'start --json'] : [])]);
  say('Starting the service…');
  const service = await keepService(env);
  stops.push(service.stop);
  stops.push(() => rmSync(RUN_FILE, { force: true }));
  if (demo && links.chat) options.site = await startSite(standIn, links.chat);
  if (demo && links.phone) options.phone = await standIn('phone', PHONE_PORT, ['--number', links.phone]);
  if (links.hook) await connectMessenger(options.messenger, links.hook, 'front');
  if (links.shoreHook) await connectMessenger(options.messenger, links.shoreHook, 'shore');
  announce(options, links, (Date.now() - began) / 1000);
}

/** Starts the servers of open protocols that are on this machine; the demo's desk is on each of them. */
async function startPeers(stops) {
  const starts = {
    xmpp: () => startXmpp({ accounts: ['desk', 'isla', 'jonas'], folder: join(HOME, 'xmpp'), port: XMPP_PORT }),
    irc: () => startIrc({ folder: join(HOME, 'irc'), port: IRC_PORT }),
    // Its parts run as other users, who are not let into the folder of ours.
    mail: () => startImap({ accounts: ['desk'], port: IMAP_PORT }),
  };
  const peers = {};
  for (const [name, start] of Object.entries(starts)) {
    if (!hasPeer(name)) continue;
    try {
      peers[name] = await start();
      stops.push(peers[name].end);
    } catch (error) {
      say(`${PEERS[name].program} does not start, so the demo goes on without it: ${error.message}`);
    }
  }
  return peers;
}

/** How the desk is reached over each protocol, or which package is missing for it. */
function peerLines(peers) {
  const missing = (name) => `not here; install Debian's ${PEERS[name].debian} to have it`;
  const at = (name, words) => (peers[name] ? words(peers[name].port) : missing(name));
  return [
    `  XMPP         ${at('xmpp', (port) => `desk@${XMPP_DOMAIN} on 127.0.0.1:${port}  (be isla or jonas, password ${PEER_PASSWORD})`)}`,
    `  IRC          ${at('irc', (port) => `harbour-desk on 127.0.0.1:${port}, room #harbour`)}`,
    `  Mail         ${at('mail', () => "desk@marrow-sound.example  (write on the mailbox's page)")}`,
  ];
}

/** The ferry line's site, with the chat in its pages, on an origin of its own: under another name than the service's, it is another site to browsers. */
async function startSite(standIn, chat) {
  const { origin, pathname } = new URL(chat);
  const address = pathname.split('/').at(-1);
  const site = await standIn('host-site', SITE_PORT, ['--service', origin, `--chat=${address}`]);
  return site.replace('127.0.0.1', 'localhost');
}

/**
 * Runs the service and starts it again whenever it ends by itself, a little later each time that it did not last. An event that
 * takes it down is put aside after some tries, so this comes to an end.
 */
async function keepService(env) {
  let stopped = false;
  let timer;
  let waitMs = FIRST_WAIT_MS;
  let service;
  const run = async () => {
    const begun = Date.now();
    service = await startProgram(SERVER, ['serve'], env);
    writeFileSync(RUN_FILE, JSON.stringify({ env, pid: service.child.pid }), { mode: 0o600 });
    service.child.once('exit', (code, signal) => ended(begun, signal ?? code));
  };
  const ended = (begun, why) => {
    if (stopped) return;
    waitMs = Date.now() - begun > STEADY_MS ? FIRST_WAIT_MS : Math.min(waitMs * 2, MAX_WAIT_MS);
    say(`The service ended by itself (${why}); its last messages stand above. It is started again in ${waitMs / 1000} s.`);
    timer = setTimeout(() => {
      const begins = Date.now();
      run().catch((error) => {
        say(error.message);
        ended(begins, 'not ready');
      });
    }, waitMs);
  };
  await run();
  const stop = async () => {
    stopped = true;
    clearTimeout(timer);
    await stopProcess(service.child.pid);
  };
  return { stop };
}

/** The key with which secrets are kept: the operator's, or one of our own beside the database, made once. */
function secretKey() {
  if (process.env.PRIMROSE_SECRET_KEY !== undefined || process.env.PRIMROSE_SECRET_KEY_FILE !== undefined) return {};
  const file = join(HOME, 'secret.key');
  if (!existsSync(file)) writeFileSync(file, `${randomBytes(32).toString('hex')}\n`, { mode: 0o600 });
  return { PRIMROSE_SECRET_KEY_FILE: file };
}

/** Tells the stand-in messenger where its webhooks go; it checks the address at once. */
async function connectMessenger(messenger, address, desk) {
  const headers = { authorization: `Bearer ${MESSENGER_TOKEN}`, 'content-type': 'application/json' };
  const body = JSON.stringify({ address, check: MESSENGER_CHECK, desk });
  const answer = await fetch(`${messenger}/api/hook`, { method: 'PUT', headers, body });
  if (!answer.ok) say(`The stand-in messenger is not connected: ${(await answer.json()).trouble}.`);
}

const peerPorts = (peers = {}) => Object.fromEntries(Object.entries(peers).map(([name, { port }]) => [name, port]));

function announce({ json, office, messenger, mailbox, site, peers, phone }, links, seconds) {
  if (json) {
    process.stdout.write(
      `${JSON.stringify({ ready: true, ...links, ...(office ? { office, messenger, mailbox, site, phone, ...peerPorts(peers) } : {}) })}\n`,
    );
    return;
  }
  const lines = [
    '',
    `Primrose is ready (${seconds.toFixed(1)} s).`,
    '',
    `  Sign in      ${links.console}`,
    '               (works once, for a day; "npm start -- --link" prints another)',
    ...(links.chat ? [`  Web chat     ${links.chat}`] : []),
    ...(site ? [`  Ferry site   ${site}  (a made-up page with the chat in it)`] : []),
    ...(links.pages ? [`  Pages        ${links.pages}`] : []),
    ...(office ? [`  Messenger    ${messenger}  (the stand-in's phones)`] : []),
    ...(office ? [`  Office       ${office}  (the stand-in's staff page)`] : []),
    ...(peers ? peerLines(peers) : []),
    ...(phone ? [`  Telephone    ${phone}  (a page that calls the desk)`] : []),
    ...(mailbox ? [`  Mailbox      ${mailbox}  (mail that was sent; none went further)`] : []),
    `  API          ${links.api}/openapi.json`,
    '',
    '  Ctrl-C stops everything that was started here.',
    '',
  ];
  process.stdout.write(`${lines.join('\n')}\n`);
}

async function main() {
  assertNode();
  const options = readOptions();
  if (options.help) return void process.stdout.write(`${HELP}\n`);
  if (options.link) return printLink();
  if (options.restart) return restart();
  const stops = [];
  let stopping;
  const stop = (code) => {
    stopping ??= (async () => {
      for (const end of stops.reverse()) await end();
      process.exit(code);
    })();
    return stopping;
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) {
    process.on(signal, () => {
      if (!stopping) say('\nStopping…');
      void stop(0);
    });
  }
  try {
    await start(options, stops);
  } catch (error) {
    say(error instanceof Halt ? error.message : String(error.stack ?? error));
    await stop(1);
  }
}

main().catch((error) => {
  say(error instanceof Halt ? error.message : String(error.stack ?? error));
  process.exitCode = 1;
});
