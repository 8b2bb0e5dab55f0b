import type { ActionEffect, Completed, Compute, Effect, ModelEffect, TimerEffect } from '@primrose/core';
import type { OnWords, PerformModel } from '../outside/chat-completions.js';
import type { PerformAction } from '../outside/http-action.js';
import type { FindReach } from '../outside/reach.js';
import type { JournalEntry } from '../store/turning.js';

export interface EffectsParts {
  readonly action: PerformAction;
  readonly model: PerformModel;
  readonly compute: Compute;
  readonly eventId: string;
  /** What earlier tries of the turn have noted. */
  readonly journal: readonly JournalEntry[];
  readonly reach: FindReach;
  /** Told what a model has written so far where its words may be shown at once. */
  readonly onWords: OnWords;
  /** Notes a result for good; it is handed on only afterwards. */
  readonly note: (request: Effect, result: Completed['result'], seq: number) => Promise<void>;
}

const UNKNOWN: Completed['result'] = {
  outcome: 'failed',
  code: 'unknown-outcome',
  reason: 'Primrose was stopped while this was under way; whether it was done is not known',
};

/**
 * The effects of one turn that are under way. Results are handed on one at a time and in the order in which they are
 * noted, so that a turn which is taken up again meets them in the same order. What is computed from the bot itself comes
 * first and is never noted: it is the same each time. Then comes what the journal holds.
 */
export class Effects {
  readonly #parts: EffectsParts;
  readonly #journal: ReadonlyMap<string, JournalEntry>;
  readonly #timers = new Map<string, NodeJS.Timeout>();
  #computed: Completed[] = [];
  #noted: JournalEntry[] = [];
  #ready: Completed[] = [];
  #seq: number;
  #notes: Promise<void> = Promise.resolve();
  #failure: unknown;
  #wake: () => void = () => undefined;

  constructor(parts: EffectsParts) {
    this.#parts = parts;
    this.#journal = new Map(parts.journal.map((e) => [e.path, e]));
    this.#seq = Math.max(0, ...parts.journal.map((e) => e.seq));
  }

  /** True when this change was not noted by an earlier try: it has to be noted before it is begun. */
  isNew(effect: Effect): boolean {
    return !this.#journal.has(effect.path);
  }

  /** Begins effects; those with a known result are not begun again. */
  begin(effects: readonly Effect[]): void {
    for (const effect of effects) {
      if (effect.type === 'understand' || effect.type === 'lookup') {
        this.#computed.push({ path: effect.path, result: this.#parts.compute(effect) });
        continue;
      }
      const entry = this.#journal.get(effect.path);
      if (entry && entry.result !== null) this.#noted.push(entry);
      else if (effect.type === 'timer') this.#startTimer(effect);
      else if (effect.type === 'step') throw new Error('only a simulation runs step by step');
      else void this.#perform(effect, entry !== undefined).then((result) => this.#came(effect, result));
    }
    this.#noted.sort((a, b) => a.seq - b.seq);
  }

  /** The next result. Throws what went wrong while noting one. */
  async next(): Promise<Completed> {
    const computed = this.#computed.shift();
    if (computed) return computed;
    const known = this.#noted.shift();
    if (known?.result) return { path: known.path, result: known.result };
    for (;;) {
      if (this.#failure !== undefined) throw this.#failure as Error;
      const came = this.#ready.shift();
      if (came) return came;
      await new Promise<void>((resolve) => (this.#wake = resolve));
    }
  }

  /** Lets no more time pass. An action that nobody waits for any more still runs to its end and is noted. */
  end(): void {
    this.#timers.forEach((timer) => clearTimeout(timer));
    this.#timers.clear();
  }

  #startTimer(effect: TimerEffect): void {
    const elapsed = () => this.#came(effect, { outcome: 'elapsed' });
    this.#timers.set(effect.path, setTimeout(elapsed, effect.ms));
  }

  /** A change that an earlier try had begun is made again only where that is the same as making it once. */
  async #perform(effect: ActionEffect | ModelEffect, begunBefore: boolean): Promise<Completed['result']> {
    const { reach, action, model, onWords, eventId } = this.#parts;
    if (begunBefore && effect.type === 'action' && !effect.repeatable) return UNKNOWN;
    try {
      const found = await reach(effect.connection);
      if (effect.type === 'model') return await model(effect, found, effect.aloud ? onWords : undefined);
      return await action(effect, found, `${eventId}/${effect.path}`);
    } catch (error) {
      this.#fail(error);
      return UNKNOWN;
    }
  }

  #came(effect: Effect, result: Completed['result']): void {
    if (this.#failure !== undefined) return;
    this.#notes = this.#notes
      .then(() => this.#parts.note(effect, result, ++this.#seq))
      .then(() => {
        this.#ready.push({ path: effect.path, result });
        this.#wake();
      })
      .catch((error: unknown) => this.#fail(error));
  }

  #fail(error: unknown): void {
    this.#failure ??= error;
    this.#wake();
  }
}
