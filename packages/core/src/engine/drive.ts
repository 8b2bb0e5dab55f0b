import {
  effectTypes,
  typeOf,
  type Completed,
  type Effect,
  type EffectName,
  type EffectOf,
  type Performed,
  type Result,
  type ResultOf,
} from './effects/registry.js';
import type { RunningTurn } from './advance.js';
import type { EffectBatch, TurnResult } from './types.js';

/** A performer's answer that the turn is to stop here for now: somebody has to say how it goes on. */
export const PAUSE = Symbol('pause');

/** Does what an effect asks for. What goes wrong outside is a result; what is thrown ends the turn. */
export type Performer<T extends EffectName> = (request: EffectOf<T>) => ResultOf<T> | typeof PAUSE | Promise<ResultOf<T>>;

/** One performer for each type of effect. */
export type Performers = { readonly [T in EffectName]: Performer<T> };

/** The same performer for all types. It has to answer each with a result of its own type, which the compiler cannot see. */
export function everyPerformer(perform: (effect: Effect) => Result | Promise<Result>): Performers {
  return Object.fromEntries(Object.keys(effectTypes).map((name) => [name, perform])) as unknown as Performers;
}

/** Performs an effect by the performer of its type; each takes just the requests of its own, which the compiler cannot see. */
export function performedBy(performers: Performers, effect: Effect): Result | typeof PAUSE | Promise<Result> {
  const perform = performers[effect.type] as (request: Effect) => Result | typeof PAUSE | Promise<Result>;
  return perform(effect);
}

/** The same, of a performer that does not pause. */
export async function performWith(performers: Performers, effect: Effect): Promise<Result> {
  const came = await performedBy(performers, effect);
  if (came === PAUSE) throw new Error(`${effect.type} pauses`);
  return came;
}

/** What an earlier try of the same turn has noted; `result` is null while it is not known what came of it. */
export interface Noted {
  readonly path: string;
  readonly result: Result | null;
  readonly seq: number;
}

/** Where a turn runs: who performs its effects, and who is told. A real turn, a simulation and a rehearsal differ in this only. */
export interface Port {
  readonly performers: Performers;
  /** What was noted already; results in it are handed on in the order of their numbers before anything new. */
  readonly noted?: readonly Noted[];
  /** Called before effects are begun, with those that have to be noted first. */
  readonly before?: (batch: EffectBatch, toNote: readonly Effect[]) => void | Promise<void>;
  /** Notes what came of an effect for good; it is handed on only afterwards. */
  readonly note?: (request: Effect, result: Result, seq: number) => Promise<void>;
  /** Nothing else has come: what comes when time passes; undefined where it passes by itself. */
  readonly idle?: (open: readonly Effect[]) => Completed | undefined;
  /** Resolves when somebody stops the turn. */
  readonly stopped?: Promise<void>;
  /** Nobody waits for anything any more. What is under way runs to its end and is noted. */
  readonly end?: () => void;
}

export type Driven =
  | { readonly as: 'done'; readonly result: TurnResult }
  /** How far it came; `at` is the effect before which it pauses. */
  | { readonly as: 'paused'; readonly result: TurnResult; readonly at: Effect }
  | { readonly as: 'stopped'; readonly result: TurnResult };

const STOPPED_IN_MID_TURN = 'Primrose was stopped while this was under way; whether it was done is not known';
const STOPPED = 'the turn was stopped while this was under way; whether it was done is not known';

/**
 * Runs a turn to its end on a port. Results are handed on one at a time and in the order in which they are noted, so that a
 * turn which is taken up again meets them in the same order. What is computed from the bot itself comes first.
 */
export async function drive(turn: RunningTurn, port: Port): Promise<Driven> {
  const under = new UnderWay(port);
  const stopped = port.stopped?.then(() => 'stopped' as const);
  try {
    let next = turn.steps.next();
    while (!next.done) {
      const batch = next.value;
      const toNote = batch.effects.filter((e) => typeOf(e).journaled(e) === 'around' && !under.isNoted(e));
      await port.before?.(batch, toNote);
      const pause = under.begin(batch.effects);
      if (pause) return { as: 'paused', result: turn.soFar(), at: pause };
      const came = under.ready() ?? (await (stopped ? Promise.race([under.next(), stopped]) : under.next()));
      if (came === 'stopped') return { as: 'stopped', result: cutShort(turn.soFar(), under.open()) };
      next = turn.steps.next([came]);
    }
    return { as: 'done', result: next.value };
  } finally {
    port.end?.();
  }
}

/** A turn that was stopped: what it came to, and what was under way, of which nobody knows whether it was done. */
function cutShort(result: TurnResult, open: readonly Effect[]): TurnResult {
  const cut = open
    .filter((e) => typeOf(e).shown)
    .map((request) => ({ request, result: typeOf(request).failed('stopped', STOPPED) }) as Performed);
  const path = result.sheet.path.map((step, i, all) =>
    i === all.length - 1 ? { ...step, effects: [...step.effects, ...cut.map((c) => c.request.path)] } : step,
  );
  return { ...result, sheet: { ...result.sheet, path, effects: [...result.sheet.effects, ...cut] } };
}

/** The effects of one turn that are under way. */
class UnderWay {
  readonly #port: Port;
  readonly #known: ReadonlyMap<string, Noted>;
  readonly #pending = new Map<string, Effect>();
  readonly #computed: Completed[] = [];
  readonly #noted: Noted[] = [];
  readonly #ready: Completed[] = [];
  #seq: number;
  #notes: Promise<void> = Promise.resolve();
  #failure: { readonly error: unknown } | undefined;
  #wake: () => void = () => undefined;

  constructor(port: Port) {
    const { noted = [] } = port;
    this.#port = port;
    this.#known = new Map(noted.map((e) => [e.path, e]));
    this.#seq = Math.max(0, ...noted.map((e) => e.seq));
  }

  /** True when an earlier try has noted this effect: it need not be noted before it is begun. */
  isNoted(effect: Effect): boolean {
    return this.#known.has(effect.path);
  }

  /** What was begun and has not come. */
  open(): Effect[] {
    return [...this.#pending.values()];
  }

  /** Begins effects; those with a known result are not begun again. Returns the one at which the turn is to pause. */
  begin(effects: readonly Effect[]): Effect | undefined {
    for (const effect of effects) {
      const known = this.#known.get(effect.path);
      this.#pending.set(effect.path, effect);
      if (known?.result) this.#noted.push(known);
      else if (!this.#start(effect, known !== undefined)) return effect;
    }
    this.#noted.sort((a, b) => a.seq - b.seq);
    return undefined;
  }

  /** Starts one effect; false where the turn is to pause at it. One that an earlier try began is done again only where that is safe. */
  #start(effect: Effect, begunBefore: boolean): boolean {
    const type = typeOf(effect);
    const lost = begunBefore && !type.repeatable(effect);
    const came = lost ? type.failed('unknown-outcome', STOPPED_IN_MID_TURN) : performedBy(this.#port.performers, effect);
    if (came === PAUSE) return false;
    if (type.journaled(effect) === 'never' && !(came instanceof Promise))
      this.#computed.push({ path: effect.path, result: came });
    else if (came instanceof Promise) void came.then((result) => this.#came(effect, result)).catch((e: unknown) => this.#fail(e));
    else this.#came(effect, came);
    return true;
  }

  /** A result that is there; undefined where one has to be waited for. Throws what went wrong. */
  ready(): Completed | undefined {
    const came = this.#computed.shift() ?? this.#takeNoted() ?? this.#takeReady();
    if (came) this.#pending.delete(came.path);
    return came;
  }

  #takeNoted(): Completed | undefined {
    const known = this.#noted.shift();
    return known?.result ? { path: known.path, result: known.result } : undefined;
  }

  #takeReady(): Completed | undefined {
    if (this.#failure) throw this.#failure.error;
    return this.#ready.shift() ?? this.#port.idle?.(this.open());
  }

  /** The next result. Throws what went wrong while doing or noting one. */
  async next(): Promise<Completed> {
    for (;;) {
      const came = this.ready();
      if (came) return came;
      await new Promise<void>((resolve) => (this.#wake = resolve));
    }
  }

  #came(effect: Effect, result: Result): void {
    if (this.#failure) return;
    const { note } = this.#port;
    if (!note) return this.#hand(effect, result);
    this.#notes = this.#notes
      .then(() => note(effect, result, ++this.#seq))
      .then(() => this.#hand(effect, result))
      .catch((error: unknown) => this.#fail(error));
  }

  #hand(effect: Effect, result: Result): void {
    this.#ready.push({ path: effect.path, result });
    this.#wake();
  }

  #fail(error: unknown): void {
    this.#failure ??= { error };
    this.#wake();
  }
}
