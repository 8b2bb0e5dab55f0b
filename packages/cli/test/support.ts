import { spawn } from 'node:child_process';
import { Readable, Writable } from 'node:stream';
import { runClient } from '../src/program.js';

const CLI = new URL('../bin/primrose.mjs', import.meta.url).pathname;

export interface Ran {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
}

/** Keeps what is written to it. */
class Kept extends Writable {
  text = '';

  override _write(chunk: Buffer | string, _encoding: string, done: () => void): void {
    this.text += chunk.toString();
    done();
  }
}

type Env = Readonly<Record<string, string | undefined>>;

/** Runs the client in this process, as its program does with the real world. */
export async function runHere(args: readonly string[], env: Env, input = ''): Promise<Ran> {
  const [output, errors] = [new Kept(), new Kept()];
  const code = await runClient(args, { input: Readable.from([input]), output, errors, tty: false, env });
  return { code, out: output.text, err: errors.text };
}

/** Runs the client as a process of its own. */
export function runProcess(args: readonly string[], env: Env, folder: string, input = ''): Promise<Ran> {
  const child = spawn(process.execPath, [CLI, ...args], { cwd: folder, env: { ...process.env, NODE_OPTIONS: '', ...env } });
  let [out, err] = ['', ''];
  child.stdout.on('data', (c: Buffer) => (out += c.toString()));
  child.stderr.on('data', (c: Buffer) => (err += c.toString()));
  child.stdin.end(input);
  return new Promise((resolve) => child.once('close', (code) => resolve({ code, out, err })));
}

/** Runs the client with a reader that goes away at once; what it wrote to its errors. */
export function runPiped(command: string, env: Env, folder: string): Promise<string> {
  const child = spawn('sh', ['-c', `"$0" "$1" ${command} | true`, process.execPath, CLI], {
    cwd: folder,
    env: { ...process.env, NODE_OPTIONS: '', ...env },
  });
  let err = '';
  child.stderr.on('data', (c: Buffer) => (err += c.toString()));
  return new Promise((resolve) => child.once('close', () => resolve(err)));
}
