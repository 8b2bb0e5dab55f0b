import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import {
  addCoverage,
  coverageOf,
  effectTypes,
  listensForIntents,
  wayFigures,
  type BotDocument,
  type EngineLimits,
  type Look,
  type LookupEffect,
  type LookupResult,
  type RehearsalOutcome,
  type TurnOutcome,
} from '@primrose/core';
import type { RehearsalResult, RehearsalRun, TurnRecord } from '@primrose/contract';
import type { Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import type { Limits } from '../start/limits.js';
import type { Listeners } from '../understanding/listeners.js';
import { ENCODES } from '../understanding/encoder.js';
import type { LookOf } from '../knowledge/lookups.js';
import type { Answered, Asking, RehearsalTask } from './rehearsing-worker.js';

/** Threads that rehearse side by side; more would only take turns. */
const MOST_THREADS = Math.max(1, Math.min(4, availableParallelism()));
/** A thread costs a third of a second to start, which a handful of rehearsals does not repay. */
const WORTH_A_THREAD = 12;
/** Threads that nobody has needed for so long are let go. */
const IDLE_MS = 30_000;
/** A thread starts, compiles the bot and reads what its listener has learned within this; no rehearsal's own time. */
const READY_SECONDS = 60;

/** A thread that says nothing of a rehearsal has lost it. */
const UNTOLD = 'It was not run to its end: nothing was told of it.';
/** Enough for rehearsals of a large bot; a thread that needs more is ended, and the service goes on. */
const THREAD_MEMORY_MB = 512;

interface Told {
  readonly outcome: RehearsalOutcome;
  readonly ms: number;
}
/** What a thread says: which rehearsal it begins, what came of it, and that it is through. */
type Message = Told | { readonly begins: string } | { readonly error: string } | { readonly done: true };

/** A rehearsal that did not come to its end, and why. */
interface Lost {
  readonly rehearsal: string;
  readonly problem: string;
}

/** A thread, and what is to be done with what it says. */
interface Thread {
  readonly worker: Worker;
  hears: (message: Message) => void;
  dies: (error: Error) => void;
  /** Looks things up for what it rehearses now. */
  look: Look | undefined;
}

function waysOf(document: BotDocument, told: readonly Told[]): NonNullable<RehearsalRun['ways']> {
  const figures = wayFigures(
    document,
    told.map((t) => t.outcome),
  );
  return Object.fromEntries(
    Object.entries(figures).map(([node, f]) => [node, { ...f, missed: f.missed.map((m) => ({ ...m })) }]),
  );
}

export interface RehearsingParts {
  readonly clock: Clock;
  readonly listeners: Listeners;
  readonly lookOf: LookOf;
  readonly limits: EngineLimits & Pick<Limits, 'rehearsalSeconds' | 'rehearsalsAtOnce' | 'rehearsalsWaiting'>;
}

/** What is rehearsed: a bot's document, and whose documents it looks in. */
export interface Rehearsed {
  readonly botId: string;
  readonly document: BotDocument;
}

/** Runs rehearsals in threads of their own, so that nobody who talks to a bot waits for them. A bounded number of runs at once. */
export class Rehearsing {
  readonly #parts: RehearsingParts;
  #idle: Thread[] = [];
  readonly #all = new Set<Worker>();
  #endIdle: () => void = () => undefined;
  #running = 0;
  readonly #waiting: (() => void)[] = [];

  constructor(parts: RehearsingParts) {
    this.#parts = parts;
  }

  /** Runs the rehearsals of a document, or those named in `only`. `revision` is told in the result. Refused where too many wait. */
  async run({ botId, document }: Rehearsed, revision: number | null, only?: readonly string[]): Promise<RehearsalRun> {
    const { rehearsalsAtOnce, rehearsalsWaiting } = this.#parts.limits;
    if (this.#running >= rehearsalsAtOnce) {
      if (this.#waiting.length >= rehearsalsWaiting) throw new Refused('rehearsals-busy', { waiting: rehearsalsWaiting });
      await new Promise<void>((resolve) => this.#waiting.push(resolve));
    }
    this.#running++;
    try {
      return await this.#run({ botId, document }, revision, only);
    } finally {
      this.#running--;
      this.#waiting.shift()?.();
    }
  }

  async #run({ botId, document }: Rehearsed, revision: number | null, only?: readonly string[]): Promise<RehearsalRun> {
    const { clock, listeners, lookOf, limits } = this.#parts;
    const look = lookOf({ botId, document, released: false });
    const begun = clock.tick();
    const at = clock.now().toISOString();
    const wanted = Object.keys(document.rehearsals ?? {}).filter((id) => only === undefined || only.includes(id));
    const on = wanted.filter((id) => document.rehearsals?.[id]?.off !== true);
    const classifier = on.length > 0 && listensForIntents(document) ? await listeners.bestOf(document) : undefined;
    const encodes = listeners.encode && classifier?.dense ? ENCODES : undefined;
    const threads = Math.max(1, Math.min(MOST_THREADS, Math.ceil(on.length / WORTH_A_THREAD)));
    const shares = Array.from({ length: on.length === 0 ? 0 : threads }, (_, i) => on.filter((_id, j) => j % threads === i));
    const came = (
      await Promise.all(shares.map((ids) => this.#share({ document, classifier, encodes, ids, at, limits }, look)))
    ).flat();
    const told = came.filter((c): c is Told => 'outcome' in c);
    const byId = new Map(told.map((t) => [t.outcome.rehearsal, t]));
    const lost = new Map(came.flatMap((c) => ('problem' in c ? [[c.rehearsal, c.problem] as const] : [])));
    const items = wanted.map((rehearsal): RehearsalResult => {
      const found = byId.get(rehearsal);
      if (found) return resultView(found, at, revision);
      if (!on.includes(rehearsal)) return { rehearsal, passed: true, off: true, ms: 0, turns: [] };
      return { rehearsal, passed: false, off: false, ms: 0, turns: [], problem: lost.get(rehearsal) ?? UNTOLD };
    });
    return {
      revision,
      at,
      ms: Math.round(clock.tick() - begun),
      passed: items.filter((i) => i.passed && !i.off).length,
      failed: items.filter((i) => !i.passed).length,
      items,
      ways: waysOf(document, told),
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

  /** Runs some rehearsals one after the other. One that does not end costs its thread; the others go on in another one. */
  async #share(task: RehearsalTask, look: Look): Promise<(Told | Lost)[]> {
    const came: (Told | Lost)[] = [];
    let left = task.ids;
    while (left.length > 0) {
      const broken = await this.#thread({ ...task, ids: left }, look, (told) => came.push(told));
      if (broken === undefined) break;
      came.push(broken);
      left = left.slice(left.indexOf(broken.rehearsal) + 1);
    }
    return came;
  }

  /** Runs rehearsals in a thread and tells what comes of each; the one at which it came to nothing, if any. */
  async #thread(task: RehearsalTask, look: Look, told: (came: Told) => void): Promise<Lost | undefined> {
    const { clock, limits } = this.#parts;
    const thread = this.#idle.pop() ?? this.#start();
    let [current = ''] = task.ids;
    let endLate: () => void = () => undefined;
    const broken = await new Promise<string | undefined>((resolve) => {
      const watch = (seconds: number, what: string): void => {
        endLate();
        endLate = clock.after(seconds * 1000, () => resolve(`${what} took longer than ${seconds} s`));
      };
      watch(READY_SECONDS, 'making the bot ready');
      thread.hears = (m) => {
        if ('begins' in m) current = m.begins;
        else if ('outcome' in m) told(m);
        else return resolve('error' in m ? m.error : undefined);
        watch(limits.rehearsalSeconds, 'it');
      };
      thread.dies = (error) => resolve(error.message);
      thread.look = look;
      thread.worker.postMessage(task);
    });
    endLate();
    if (broken === undefined) this.#rest(thread);
    else await thread.worker.terminate();
    return broken === undefined ? undefined : { rehearsal: current, problem: `It was not run to its end: ${broken}.` };
  }

  #start(): Thread {
    const worker = new Worker(new URL('./rehearsing-worker.js', import.meta.url), {
      resourceLimits: { maxOldGenerationSizeMb: THREAD_MEMORY_MB },
    });
    worker.unref();
    const thread: Thread = { worker, hears: () => undefined, dies: () => undefined, look: undefined };
    this.#all.add(worker);
    worker.on('message', (m: Message | Asking) => ('number' in m ? void this.#answer(thread, m) : thread.hears(m)));
    const gone = (error: Error) => {
      this.#all.delete(worker);
      this.#idle = this.#idle.filter((t) => t !== thread);
      thread.dies(error);
    };
    worker.on('error', gone);
    worker.on('exit', () => gone(new Error('the thread was stopped')));
    return thread;
  }

  /** Has the encoder read what a thread asks for, or looks up for it. */
  async #answer({ worker, look }: Thread, asking: Asking): Promise<void> {
    const { number } = asking;
    const answer: Answered =
      'encode' in asking
        ? { number, encoded: await this.#parts.listeners.encode?.(asking.encode) }
        : { number, looked: await lookedUp(look, asking.look) };
    worker.postMessage(answer);
  }

  /** Keeps a thread for the next run, for a while. */
  #rest(thread: Thread): void {
    this.#idle.push(thread);
    this.#endIdle();
    this.#endIdle = this.#parts.clock.after(IDLE_MS, () => {
      const gone = this.#idle;
      this.#idle = [];
      gone.forEach(({ worker }) => void worker.terminate());
    });
  }
}

async function lookedUp(look: Look | undefined, effect: LookupEffect): Promise<LookupResult> {
  const { failed } = effectTypes.lookup;
  try {
    const came = await look?.(effect);
    return came === undefined || typeof came === 'symbol' ? failed('unreachable', 'nobody looks things up') : came;
  } catch (error) {
    return failed('unreachable', String(error));
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
