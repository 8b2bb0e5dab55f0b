// What the scripts need of the machine: packages, free ports, folders. Plain Node, runs before anything is installed.
import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { accessSync, constants, existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = fileURLToPath(new URL('../../', import.meta.url));
/** Where the database and other data live: .primrose in the checkout, or PRIMROSE_HOME. */
export const HOME = resolve(process.env.PRIMROSE_HOME ?? join(ROOT, '.primrose'));

/** An error whose message is all that a person needs. */
export class Halt extends Error {}

export function say(text) {
  process.stderr.write(`${text}\n`);
}

export function onPath(program) {
  const folders = [...(process.env.PATH ?? '').split(':'), '/usr/sbin', '/usr/local/sbin', '/usr/bin'];
  return folders.map((f) => join(f, program)).find((f) => existsSync(f));
}

const LOCK_SECONDS = 300;
const LOCK_LOOK_MS = 3000;

/** Fetches the lists of packages. Their lock has no waiting of its own, so it is tried again while another program has it. */
function aptUpdate(env) {
  for (const end = Date.now() + LOCK_SECONDS * 1000; ;) {
    const done = spawnSync('apt-get', ['update', '-qq'], { stdio: ['ignore', 'ignore', 'pipe'], encoding: 'utf8', env });
    const locked = done.status !== 0 && /could not get lock|unable to lock/i.test(done.stderr);
    if (!locked || Date.now() > end) return void process.stderr.write(done.stderr ?? '');
    say('The package manager is busy; waiting for it…');
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, LOCK_LOOK_MS);
  }
}

/** The path of a program; installs its Debian package when it is missing and we are root. */
export function ensureProgram(program, debianPackage) {
  const present = onPath(program);
  if (present) return present;
  const command = `apt-get install -y --no-install-recommends ${debianPackage}`;
  if (process.getuid?.() !== 0 || !onPath('apt-get')) {
    throw new Halt(`${program} is missing. Install it with this command and start again:\n  sudo ${command}`);
  }
  say(`Installing Debian's ${debianPackage} (once, about a minute)…`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  // Another program may be at the package manager, as after the start of a machine: it is waited for.
  const patient = ['-o', `DPkg::Lock::Timeout=${LOCK_SECONDS}`];
  aptUpdate(env);
  const args = [...patient, ...command.split(' ').slice(1), '-qq'];
  const done = spawnSync('apt-get', args, { stdio: ['ignore', 'ignore', 'inherit'], env });
  const installed = onPath(program);
  if (done.status !== 0 || !installed)
    throw new Halt(`${debianPackage} could not be installed. Try it by hand and start again:\n  ${command}`);
  return installed;
}

/** Installs the npm packages when the lock file is another one than last time. */
export function ensurePackages() {
  const lock = createHash('sha256')
    .update(readFileSync(join(ROOT, 'package-lock.json')))
    .digest('hex');
  const stamp = join(ROOT, 'node_modules', '.primrose-lock');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  say('Installing npm packages (once, about a minute)…');
  const done = spawnSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: ROOT,
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  if (done.status !== 0) throw new Halt('npm could not install the packages. See its message above; "npm ci" tries again.');
  writeFileSync(stamp, lock);
}

function newest(folder) {
  let latest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist' || entry.name === 'test') continue;
    const path = join(folder, entry.name);
    latest = Math.max(latest, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs);
  }
  return latest;
}

/** Builds service, client and pages when a source is younger than the last build. */
export function ensureBuilt() {
  const stamp = join(ROOT, 'packages', 'server', 'dist', '.built');
  const sources = Math.max(newest(join(ROOT, 'packages')), statSync(join(ROOT, 'package-lock.json')).mtimeMs);
  if (existsSync(stamp) && statSync(stamp).mtimeMs > sources) return;
  say('Building (once after every change, about 20 seconds)…');
  const run = (program, args) => {
    const done = spawnSync(join(ROOT, 'node_modules', '.bin', program), args, { cwd: ROOT, stdio: ['ignore', 2, 2] });
    if (done.status !== 0) throw new Halt('The build failed; its messages stand above.');
  };
  run('tsc', ['-b']);
  run('vite', ['build', '--logLevel', 'warn', 'packages/console']);
  run('vite', ['build', '--logLevel', 'warn', 'packages/web-chat']);
  run('vite', ['build', '--logLevel', 'warn', '--config', 'packages/cli/vite.config.js', 'packages/cli']);
  writeFileSync(stamp, new Date().toISOString());
}

/** Makes a folder that only we can read, or says why it cannot be. */
export function ensureFolder(path) {
  try {
    mkdirSync(path, { recursive: true, mode: 0o700 });
    accessSync(path, constants.W_OK);
  } catch {
    throw new Halt(`${path} cannot be written. Give this user the right to write there, or check out the project elsewhere.`);
  }
}

/** A port on loopback that is free now: the wanted one when it is, else any. */
export function freePort(wanted = 0) {
  return new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once('error', (error) => (wanted === 0 ? reject(error) : resolve(freePort(0))));
    probe.listen(wanted, '127.0.0.1', () => {
      const { port } = probe.address();
      probe.close(() => resolve(port));
    });
  });
}

export function assertNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major > 20 || (major === 20 && minor >= 19)) return;
  throw new Halt(`Primrose needs Node.js 20.19 or newer; this is ${process.versions.node}.`);
}

export function userName() {
  return execFileSync('id', ['-un'], { encoding: 'utf8' }).trim();
}
