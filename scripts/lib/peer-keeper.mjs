// Runs one server of somebody else's for whoever started this program, and ends it when that one is gone, however it went.
import { spawn } from 'node:child_process';
import { rmSync } from 'node:fs';

const STOP_MS = 4000;
const { program, args, folder } = JSON.parse(process.argv[2]);
const starter = process.ppid;
const child = spawn(program, args, { stdio: 'ignore', detached: true });
let ending = false;

/** True where whoever started this has gone without a word. */
function orphaned() {
  try {
    process.kill(starter, 0);
    return false;
  } catch {
    return true;
  }
}

function end() {
  if (ending) return;
  ending = true;
  const signal = (name) => {
    try {
      process.kill(-child.pid, name);
    } catch {
      // It is gone.
    }
  };
  signal('SIGTERM');
  setTimeout(() => signal('SIGKILL'), STOP_MS).unref();
}

child.once('error', (error) => {
  process.send?.({ failed: String(error) });
  process.exit(1);
});
child.once('exit', (code, by) => {
  // Whoever stops it in good order sees to what it has kept; one that was killed cannot.
  if (folder !== undefined && orphaned()) rmSync(folder, { recursive: true, force: true });
  if (!ending && process.connected) process.send({ failed: `it ended by itself (${by ?? code})` });
  process.exit(0);
});
process.once('disconnect', end);
for (const signal of ['SIGTERM', 'SIGHUP']) process.on(signal, end);
// Ctrl-C goes to the whole group: whoever started this decides.
process.on('SIGINT', () => undefined);
process.on('message', (message) => {
  if (message !== 'kill') return;
  ending = true;
  process.kill(-child.pid, 'SIGKILL');
});
