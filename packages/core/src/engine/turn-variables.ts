import { typeName, type Value } from '../document/shapes.js';
import { applyChange, type ChangeOperation } from '../document/variables.js';
import type { BotDocument } from '../document/schema.js';
import { recorded, sizeOf } from '../document/size.js';
import { addDays } from '../expressions/functions.js';
import { localMoment } from '../understanding/calendar.js';
import type { VariableValues } from './event.js';
import { RECORDED_SIZE, type EngineLimits } from './limits.js';
import type { Change } from './sheet.js';
import type { Session, Values, VisitorChange } from './types.js';

type Scope = 'flow' | 'session' | 'visitor';

/** Everything that the expressions of a turn can name. */
export interface View {
  flow: Record<string, Value>;
  session: Record<string, Value>;
  visitor: Record<string, Value>;
  readonly settings: Values;
  readonly turn: Record<string, Value>;
  /** What is known about the visitor, by kind of fact. */
  readonly facts: Record<string, Value>;
  readonly context: Record<string, Value>;
  readonly clock: Values;
  [local: string]: unknown;
}

/** A run of a flow, and the variables that it holds. */
export interface Holder {
  readonly flow: string;
  readonly values: Record<string, Value>;
}

/** Why a value was not taken, with the size that it has, or would make of all that is held. */
export interface TooLarge {
  readonly code: 'value-too-large' | 'state-too-large';
  readonly name: string;
  readonly size: number;
  readonly most: number;
}

/** Measures all that a conversation holds as it changes, and refuses what would be too much. */
export class StateGauge {
  readonly #limits: EngineLimits;
  readonly #refused: (why: TooLarge) => void;
  #size: number;

  /** `size` is what is held already; `refused` is told of what is not taken. */
  constructor(limits: EngineLimits, size: number, refused: (why: TooLarge) => void) {
    this.#limits = limits;
    this.#refused = refused;
    this.#size = size;
  }

  get size(): number {
    return this.#size;
  }

  /** True where a value may take the place of another one; what makes it smaller always may. */
  replaces(name: string, before: Value, after: Value): boolean {
    const [was, size] = [sizeOf(before), sizeOf(after)];
    const { valueSize, stateSize } = this.#limits;
    const whole = this.#size + size - was;
    if (size > was && size > valueSize) return this.#refuse({ code: 'value-too-large', name, size, most: valueSize });
    if (size > was && whole > stateSize) return this.#refuse({ code: 'state-too-large', name, size: whole, most: stateSize });
    this.#size = whole;
    return true;
  }

  /** Of some new values those for which there is room; `what` names them as a whole. */
  takes(what: string, values: Values): Values {
    return Object.fromEntries(Object.entries(values).filter(([name, v]) => this.replaces(`${what}.${name}`, null, v)));
  }

  drops(values: Values): void {
    for (const v of Object.values(values)) this.#size -= sizeOf(v) - sizeOf(null);
  }

  #refuse(why: TooLarge): false {
    this.#refused(why);
    return false;
  }
}

/** What variables hold while a turn runs, and how it changed them. */
export class TurnVariables {
  readonly view: View;
  readonly visitorChanges: VisitorChange[] = [];
  readonly #document: BotDocument;
  readonly #holder: () => Holder | undefined;
  readonly #gauge: StateGauge;
  readonly #changes = new Map<string, Change>();
  readonly #writes: { target: string; op: ChangeOperation; value: Value }[] = [];

  /** `holder` tells the run of a flow that is on top now. */
  constructor(document: BotDocument, view: View, gauge: StateGauge, holder: () => Holder | undefined) {
    this.#document = document;
    this.#gauge = gauge;
    this.view = view;
    this.#holder = holder;
  }

  read(target: string): Value {
    const [scope, name] = parts(target);
    return this.view[scope][name] ?? null;
  }

  /** Sets a variable, adds to it (a number grows, a list gets one more) or removes from it. What is too large is not taken. */
  change(target: string, op: ChangeOperation, value: Value): void {
    if (this.#change(target, op, value) && !target.startsWith('flow.')) this.#writes.push({ target, op, value });
  }

  #change(target: string, op: ChangeOperation, value: Value): boolean {
    const [scope, name] = parts(target);
    const before = this.view[scope][name] ?? null;
    const list = op !== 'set' && this.#isList(scope, name) ? { list: true } : {};
    const after = applyChange(before, { op, value, ...list });
    if (!this.#gauge.replaces(target, before, after)) return false;
    this.view[scope][name] = after;
    const holder = scope === 'flow' ? this.#holder() : undefined;
    if (holder) holder.values[name] = after;
    if (scope === 'visitor') this.visitorChanges.push({ op, name, value, ...list });
    this.#changes.set(target, { name: target, before: (this.#changes.get(target) ?? { before }).before, after });
    return true;
  }

  #isList(scope: Scope, name: string): boolean {
    const { flows, variables } = this.#document;
    const declared = scope === 'flow' ? flows[this.#holder()?.flow ?? '']?.takes : variables?.[scope];
    return typeName(declared?.[name]).replace(/\?$/, '') === 'list';
  }

  /** Variables that hold something else than before the turn. */
  changed(): Change[] {
    return [...this.#changes.values()]
      .filter((c) => JSON.stringify(c.before) !== JSON.stringify(c.after))
      .map(({ name, before, after }) => ({
        name,
        before: recorded(before, RECORDED_SIZE),
        after: recorded(after, RECORDED_SIZE),
      }));
  }

  /** Does again what a branch has changed outside its own flow. */
  merge(child: TurnVariables): void {
    child.#writes.forEach((w) => this.#change(w.target, w.op, w.value));
  }

  /** What is worth storing of the two scopes that outlive a flow; `usual` is what variables hold that were never set. */
  kept(before: Pick<Session, 'session' | 'visitor'>, usual: Pick<Session, 'session' | 'visitor'>) {
    const of = (scope: 'session' | 'visitor') => known(this.view[scope], before[scope], usual[scope]);
    return { session: of('session'), visitor: of('visitor') };
  }
}

function parts(target: string): [Scope, string] {
  return target.split('.') as [Scope, string];
}

/** Values without the empty ones. */
export function held(values: Readonly<Record<string, Value>>): Values {
  return Object.fromEntries(Object.entries(values).filter(([, v]) => v !== null));
}

/** Variables worth storing: those that hold something, held something before, or would hold something if they were never emptied. */
function known(view: Readonly<Record<string, Value>>, before: Values, usual: Values): Values {
  const stays = ([name, v]: [string, Value]) => v !== null || name in before || (usual[name] ?? null) !== null;
  return Object.fromEntries(Object.entries(view).filter(stays));
}

/** All that outlives a node, in characters of JSON. */
export function heldBy({ frames, session, visitor, contexts }: Session): number {
  return sizeOf(frames.map((f) => f.values)) + sizeOf(session) + sizeOf(visitor) + sizeOf(contexts ?? null);
}

/** What variables held in all, as far as a record keeps it: those that are long stand among the changes of the turn that changed them. */
const VARIABLE_SIZE = 2000;

/** What variables hold as a record keeps it. */
export function recordedVariables({ flow, session, visitor }: VariableValues): VariableValues {
  let left = RECORDED_SIZE;
  const kept = (values: Values): Values =>
    Object.fromEntries(
      Object.entries(values).map(([name, value]) => {
        const shown = recorded(value, Math.min(VARIABLE_SIZE, Math.max(0, left)));
        left -= sizeOf(shown);
        return [name, shown];
      }),
    );
  return { flow: kept(flow), session: kept(session), visitor: kept(visitor) };
}

const WEEKDAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];

/** What expressions can name of the moment of a turn. */
export function clockFacts(at: string, zone: string, staffed = true): Values {
  const { date, time } = localMoment(at, zone);
  const weekday = WEEKDAYS[new Date(`${date}T00:00:00Z`).getUTCDay()] ?? '';
  return { now: at, today: date, tomorrow: addDays(date, 1), time, weekday, zone, staffed };
}
