import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import {
  addCoverage,
  coverageOf,
  listensForIntents,
  type BotDocument,
  type RehearsalOutcome,
  type TurnOutcome,
} from '@primrose/core';
import type { RehearsalResult, RehearsalRun, TurnRecord } from '@primrose/contract';
import type { Clock } from '../base/clock.js';
import type { Listeners } from '../understanding/listeners.js';
import type { RehearsalTask } from './rehearsing-worker.js';

/** Threads that rehearse side by side; more would only take turns. */
const MOST_THREADS = Math.max(1, Math.min(4, availableParallelism()));
/** A thread costs a third of a second to start, which a handful of rehearsals does not repay. */
const WORTH_A_THREAD = 12;
/** Threads that nobody has needed for so long are let go. */
const IDLE_MS = 30_000;

interface Told {
  readonly outcome: RehearsalOutcome;
  readonly ms: number;
}
type Message = Told | { readonly error: string } | { readonly done: true };

/** A thread, and what is to be done with what it says. */
interface Thread {
  readonly worker: Worker;
  hears: (message: Message) => void;
  dies: (error: Error) => void;
}

/** Runs rehearsals in threads of their own, so that nobody who talks to a bot waits for them. */
export class Rehearsing {
  readonly #clock: Clock;
  readonly #listeners: Listeners;
  #idle: Thread[] = [];
  readonly #all = new Set<Worker>();
  #endIdle: () => void = () => undefined;

  constructor(clock: Clock, listeners: Listeners) {
    this.#clock = clock;
    this.#listeners = listeners;
  }

  /** Runs the rehearsals of a document, or those named in `only`. `revision` is told in the result. */
  async run(document: BotDocument, revision: number | null, only?: readonly string[]): Promise<RehearsalRun> {
    const begun = this.#clock.tick();
    const at = this.#clock.now().toISOString();
    const wanted = Object.keys(document.rehearsals ?? {}).filter((id) => only === undefined || only.includes(id));
    const on = wanted.filter((id) => document.rehearsals?.[id]?.off !== true);
    const classifier = on.length > 0 && listensForIntents(document) ? await this.#listeners.classifierOf(document) : undefined;
    const threads = Math.max(1, Math.min(MOST_THREADS, Math.ceil(on.length / WORTH_A_THREAD)));
    const shares = Array.from({ length: on.length === 0 ? 0 : threads }, (_, i) => on.filter((_id, j) => j % threads === i));
    const told = (await Promise.all(shares.map((ids) => this.#thread({ document, classifier, ids, at })))).flat();
    const byId = new Map(told.map((t) => [t.outcome.rehearsal, t]));
    const items = wanted.map((id): RehearsalResult => {
      const came = byId.get(id);
      if (!came) return { rehearsal: id, passed: true, off: true, ms: 0, turns: [] };
      return resultView(came, at, revision);
    });
    return {
      revision,
      at,
      ms: Math.round(this.#clock.tick() - begun),
      passed: items.filter((i) => i.passed && !i.off).length,
      failed: items.filter((i) => !i.passed).length,
      items,
      coverage: addCoverage([
        coverageOf(document, []),
        ...told.map((t) =>
          coverageOf(
            document,
            t.outcome.turns.map((o) => o.sheet),
          ),
        ),
      ]),
    };
  }

  async close(): Promise<void> {
    this.#endIdle();
    await Promise.all([...this.#all].map((w) => w.terminate()));
  }

  async #thread(task: RehearsalTask): Promise<Told[]> {
    const thread = this.#idle.pop() ?? this.#start();
    const told = await new Promise<Told[]>((resolve, reject) => {
      const came: Told[] = [];
      thread.hears = (m) => {
        if ('outcome' in m) came.push(m);
        else if ('error' in m) reject(new Error(`rehearsals cannot be run: ${m.error}`));
        else resolve(came);
      };
      thread.dies = reject;
      thread.worker.postMessage(task);
    });
    this.#rest(thread);
    return told;
  }

  #start(): Thread {
    const worker = new Worker(new URL('./rehearsing-worker.js', import.meta.url));
    worker.unref();
    const thread: Thread = { worker, hears: () => undefined, dies: () => undefined };
    this.#all.add(worker);
    worker.on('message', (m: Message) => thread.hears(m));
    const gone = (error: Error) => {
      this.#all.delete(worker);
      this.#idle = this.#idle.filter((t) => t !== thread);
      thread.dies(error);
    };
    worker.on('error', gone);
    worker.on('exit', () => gone(new Error('rehearsing was stopped')));
    return thread;
  }

  /** Keeps a thread for the next run, for a while. */
  #rest(thread: Thread): void {
    this.#idle.push(thread);
    this.#endIdle();
    this.#endIdle = this.#clock.after(IDLE_MS, () => {
      const gone = this.#idle;
      this.#idle = [];
      gone.forEach(({ worker }) => void worker.terminate());
    });
  }
}

/** An outcome as people see it; the records of its turns only where it failed. */
function resultView({ outcome, ms }: Told, at: string, revision: number | null): RehearsalResult {
  const { rehearsal, passed, turns } = outcome;
  return {
    rehearsal,
    passed,
    off: false,
    ms: Math.round(ms * 10) / 10,
    turns: turns.map((t, i) => ({
      misses: t.misses,
      samples: t.samples,
      ...(passed ? {} : { record: recordOf(rehearsal, t, i + 1, at, revision) }),
    })),
  };
}

function recordOf(
  rehearsal: string,
  { sheet, waitsAt }: TurnOutcome,
  number: number,
  at: string,
  revision: number | null,
): TurnRecord {
  return {
    id: `${rehearsal}-${number}`,
    parent: number === 1 ? null : `${rehearsal}-${number - 1}`,
    again: null,
    conversation: rehearsal,
    number,
    at,
    ms: 0,
    release: null,
    revision,
    sheet,
    timings: sheet.path.map(() => ({ begins: 0, ms: 0 })),
    samples: {},
    waitsAt,
  };
}
