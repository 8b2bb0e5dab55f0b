import type { Context } from '../document/schema.js';
import type { OpenContext } from './sheet.js';
import type { Values } from './types.js';

/** The contexts that are open while a turn runs. */
export class TurnContexts {
  readonly #declared: Readonly<Record<string, Context>>;
  readonly #at: string;
  readonly #before: Readonly<Record<string, OpenContext>>;
  readonly #open: Map<string, OpenContext>;
  /** Contexts that were opened since the event came: it does not count against their life. */
  readonly #fresh: Set<string>;

  /** `at` is the moment of the turn: what ended before it is closed. */
  constructor(
    declared: Readonly<Record<string, Context>> | undefined,
    before: Readonly<Record<string, OpenContext>> | undefined,
    at: string,
    fresh: readonly string[],
  ) {
    this.#declared = declared ?? {};
    this.#at = at;
    this.#before = before ?? {};
    this.#open = new Map(Object.entries(this.#before).filter(([, c]) => c.until === undefined || c.until > at));
    this.openBefore = [...this.#open.keys()];
    this.#fresh = new Set(fresh);
  }

  /** The names of those that were open when the turn began. */
  readonly openBefore: readonly string[];

  get fresh(): readonly string[] {
    return [...this.#fresh];
  }

  /** What each one that is open carries. */
  get carried(): readonly (readonly [string, Values])[] {
    return [...this.#open].map(([name, c]) => [name, c.values] as const);
  }

  /** The values that an open context carries; undefined while it is not open. */
  of(name: string): Values | undefined {
    return this.#open.get(name)?.values;
  }

  /** Opens a context, or opens it anew: its life begins again, and it carries just these values. */
  open(name: string, values: Values): void {
    const { turns, minutes } = this.#declared[name]?.lasts ?? {};
    const until = minutes === undefined ? {} : { until: new Date(Date.parse(this.#at) + minutes * 60_000).toISOString() };
    this.#open.set(name, { values, ...(turns === undefined ? {} : { turns }), ...until });
    this.#fresh.add(name);
  }

  close(name: string): void {
    this.#open.delete(name);
  }

  /** What is open after the turn; a message uses up one turn of those that were open before it. */
  left(spent: number): Record<string, OpenContext> {
    return Object.fromEntries(
      [...this.#open].flatMap(([name, c]): [string, OpenContext][] => {
        if (c.turns === undefined || spent === 0 || this.#fresh.has(name)) return [[name, c]];
        return c.turns > spent ? [[name, { ...c, turns: c.turns - spent }]] : [];
      }),
    );
  }

  /** For the sheet; undefined where none was open. */
  recorded(spent: number) {
    if (this.openBefore.length === 0 && this.#open.size === 0) return undefined;
    const before = Object.fromEntries(
      this.openBefore.flatMap((name) => {
        const open = this.#before[name];
        return open ? [[name, open] as const] : [];
      }),
    );
    return { before: this.openBefore, after: [...this.#open.keys()], states: { before, after: this.left(spent) } };
  }

  /** Opens and closes what a branch has opened and closed; told of each, so that it can be put in view. */
  merge(child: TurnContexts, opened: (name: string, values: Values) => void, closed: (name: string) => void): void {
    for (const name of child.#fresh) {
      const open = child.#open.get(name);
      if (open) opened(name, open.values);
    }
    for (const name of [...child.openBefore, ...child.#fresh]) if (!child.#open.has(name)) closed(name);
  }
}
