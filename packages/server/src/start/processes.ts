import cluster, { type Worker } from 'node:cluster';
import { pino, type Logger } from 'pino';
import type { Config } from './config.js';

const FIRST_WAIT_MS = 200;
const MAX_WAIT_MS = 5000;
/** A process that lived so long did not die of its start. */
const STEADY_MS = 10_000;
/** What a stopped process may take beyond its own bound before it is ended at once. */
const GRACE_MS = 5000;

interface Ready {
  readonly type: 'ready';
  readonly port: number;
}

function isReady(message: unknown): message is Ready {
  return (message as Partial<Ready> | null)?.type === 'ready';
}

/**
 * Runs several processes of the service behind one port. One that ends by itself is replaced; SIGUSR2 replaces them one
 * after the other, the new one ready before the old one stops. Returns once all are ready; ends when they are stopped.
 */
export async function runProcesses(config: Config): Promise<void> {
  const log = pino({ level: config.logLevel });
  const crew = new Crew(config, log);
  const ports = await Promise.all(Array.from({ length: config.processes }, () => crew.add())).catch(async (error: unknown) => {
    await crew.stop();
    throw error;
  });
  process.send?.({ type: 'ready', port: ports[0] ?? config.port });
  const stop = () => void crew.stop().then(() => process.exit(0));
  process.once('SIGTERM', stop);
  process.once('SIGINT', stop);
  process.once('disconnect', stop);
  process.on('SIGUSR2', () => void crew.restart());
}

class Crew {
  readonly #config: Config;
  readonly #log: Logger;
  readonly #leaving = new WeakSet<Worker>();
  #stopping = false;
  #restarting: Promise<void> | undefined;
  #waitMs = FIRST_WAIT_MS;

  constructor(config: Config, log: Logger) {
    this.#config = config;
    this.#log = log;
  }

  get #workers(): Worker[] {
    return Object.values(cluster.workers ?? {}).filter((w): w is Worker => w !== undefined);
  }

  /** Starts a process; resolves with the port once it is ready. Fails when it ends before. */
  add(): Promise<number> {
    const worker = cluster.fork();
    const begun = performance.now();
    return new Promise((resolve, reject) => {
      let ready = false;
      worker.on('message', (message: unknown) => {
        if (!isReady(message)) return;
        ready = true;
        resolve(message.port);
      });
      worker.once('exit', (code, signal) => {
        if (!ready) reject(new Error(`a process of the service ended with ${signal ?? code} before it was ready`));
        if (ready && !this.#stopping && !this.#leaving.has(worker)) this.#replace(performance.now() - begun, signal ?? code);
      });
    });
  }

  #replace(livedMs: number, why: string | number): void {
    this.#waitMs = livedMs > STEADY_MS ? FIRST_WAIT_MS : Math.min(this.#waitMs * 2, MAX_WAIT_MS);
    this.#log.error({ why, livedMs: Math.round(livedMs) }, 'a process of the service ended; another takes its place');
    setTimeout(() => {
      if (this.#stopping) return;
      this.add().catch((error: unknown) => {
        this.#log.error({ err: error }, 'the new process did not get ready');
        this.#replace(0, 'not ready');
      });
    }, this.#waitMs);
  }

  /** Replaces all processes, one after the other; what they work on is finished or taken up by the others. */
  restart(): Promise<void> {
    this.#restarting ??= (async () => {
      for (const old of this.#workers) {
        if (this.#stopping) return;
        await this.add();
        await this.#end(old);
      }
      this.#log.info('all processes were replaced');
    })()
      .catch((error: unknown) => this.#log.error({ err: error }, 'the restart was broken off; the processes that ran still do'))
      .finally(() => {
        this.#restarting = undefined;
      });
    return this.#restarting;
  }

  async stop(): Promise<void> {
    this.#stopping = true;
    await Promise.all(this.#workers.map((w) => this.#end(w)));
  }

  #end(worker: Worker): Promise<void> {
    this.#leaving.add(worker);
    return new Promise((resolve) => {
      const late = setTimeout(() => worker.process.kill('SIGKILL'), this.#config.stopMs + GRACE_MS);
      worker.once('exit', () => {
        clearTimeout(late);
        resolve();
      });
      worker.process.kill('SIGTERM');
    });
  }
}
