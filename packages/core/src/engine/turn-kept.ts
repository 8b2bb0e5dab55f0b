import type { Value } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';
import type { PreparedAction, PreparedValue } from './prepared.js';
import type { Session } from './types.js';

/** So long may one kept value be, in characters; what is longer is no name of a session. */
const LONGEST = 1000;
/** Answers that say that what was kept is not known there any more (RFC 9110, 15.5.5 and 15.5.11). */
const GONE: ReadonlySet<number> = new Set([404, 410]);

type Kept = NonNullable<Session['kept']>;

/** What connections keep for a conversation while a turn runs: the name of a session there, sent along with later calls. */
export class TurnKept {
  #kept: Kept;
  readonly #before: Kept;

  constructor(kept: Session['kept']) {
    this.#kept = kept ?? {};
    this.#before = this.#kept;
  }

  /** What is kept for the connection of an action, null where nothing is yet; undefined where the connection keeps nothing. */
  of({ connection, kept }: PreparedAction): Record<string, Value> | undefined {
    if (kept.length === 0) return undefined;
    return Object.fromEntries(kept.map((name) => [name, this.#kept[connection]?.[name] ?? null]));
  }

  /** Keeps what an action keeps of its answer; an empty value leaves what was kept before. */
  keep(action: PreparedAction, read: (field: string, source: PreparedValue) => Value): void {
    for (const [name, source] of action.keeps) {
      const found = textOf(read(`keeps/${name}`, source));
      if (found === '' || found.length > LONGEST) continue;
      this.#kept = { ...this.#kept, [action.connection]: { ...this.#kept[action.connection], [name]: found } };
    }
  }

  /** An answer that is no success: where the other side does not know what was kept any more, the next call begins anew. */
  answered({ connection }: PreparedAction, status: number): void {
    if (!GONE.has(status) || !(connection in this.#kept)) return;
    this.#kept = Object.fromEntries(Object.entries(this.#kept).filter(([name]) => name !== connection));
  }

  /** Takes over what a branch has changed. */
  merge(child: TurnKept): void {
    const names = new Set([...Object.keys(child.#kept), ...Object.keys(child.#before)]);
    for (const name of names) {
      const after = child.#kept[name];
      if (after === child.#before[name]) continue;
      const { [name]: _before, ...rest } = this.#kept;
      this.#kept = after === undefined ? rest : { ...rest, [name]: after };
    }
  }

  state(): Pick<Session, 'kept'> {
    return Object.keys(this.#kept).length > 0 ? { kept: this.#kept } : {};
  }
}
