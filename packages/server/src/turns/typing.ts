import type { Clock } from '../base/clock.js';

/** Who says that they write is thought to for so long. */
const WRITES_MS = 6000;
const MOST_TALKS = 10_000;

interface Writers {
  visitor: number;
  readonly staff: Map<string, number>;
}

/** Who is writing in which conversation, as far as this process was told. Nothing of it is kept. */
export class TypingBoard {
  readonly #clock: Clock;
  readonly #talks = new Map<string, Writers>();

  constructor(clock: Clock) {
    this.#clock = clock;
  }

  /** Notes that somebody writes: one of the staff by name, or the visitor (null). */
  note(conversationId: string, name: string | null): void {
    if (this.#talks.size >= MOST_TALKS) this.#talks.clear();
    const writers = this.#talks.get(conversationId) ?? { visitor: -Infinity, staff: new Map() };
    const now = this.#clock.tick();
    if (name === null) writers.visitor = now;
    else writers.staff.set(name, now);
    this.#talks.set(conversationId, writers);
  }

  /** Who writes no more: they have said it. */
  done(conversationId: string, name: string | null): void {
    const writers = this.#talks.get(conversationId);
    if (name === null && writers) writers.visitor = -Infinity;
    else if (name !== null) writers?.staff.delete(name);
  }

  /** Who writes now; `but` is whoever asks. */
  of(conversationId: string, but: string): { visitor: boolean; staff: string[] } {
    const writers = this.#talks.get(conversationId);
    const since = this.#clock.tick() - WRITES_MS;
    if (!writers) return { visitor: false, staff: [] };
    const staff = [...writers.staff].flatMap(([name, at]) => (at > since && name !== but ? [name] : []));
    return { visitor: writers.visitor > since, staff };
  }
}
