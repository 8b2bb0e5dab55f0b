import { sameValue } from '../document/merge.js';
import { recorded, sizeOf } from '../document/size.js';
import type { Value } from '../document/shapes.js';
import { readMarkdown } from '../text/markdown.js';
import { wellFormed } from '../text/well-formed.js';
import type { WorkItem } from './agent/work.js';
import { storedRequest, type Performed } from './effects/registry.js';
import { RECORDED_SIZE } from './limits.js';
import type { Citation, Message } from './message.js';
import type { ResolvedValue, Step, TurnProblem } from './sheet.js';
import type { Observer, Values } from './types.js';

type OpenStep = { -readonly [Key in keyof Step]: Step[Key] } & { values: ResolvedValue[]; effects: string[] };

/** What is said with a text. */
export interface SaidWith {
  readonly choices?: Message['choices'];
  readonly cites?: readonly Citation[] | undefined;
  readonly signIn?: boolean;
  /** Other words for channels that speak. */
  readonly speech?: string | undefined;
}

/** Words for speech beyond this, in characters, are not heard to the end by anybody. */
const MOST_SPEECH = 4000;

/** How large a record is, in characters as JSON, and how large it may become. */
export interface Extent {
  size: number;
  readonly most: number;
}

/** What a record begins with. */
interface RecordSetting {
  /** What its places begin with; only a branch has one. */
  readonly prefix: string;
  readonly wait: number;
  readonly extent: Extent;
  readonly work: ((place: string, item: WorkItem) => void) | undefined;
}

/** About what the record of a node's run comes to besides its values. */
const STEP_SIZE = 150;

/** What a turn did, as it does it: nodes that ran, what they read as, did, said, and what went wrong. */
export class TurnRecord {
  readonly messages: Message[] = [];
  readonly effects: Performed[] = [];
  readonly problems: TurnProblem[] = [];
  readonly leftFlows: { flow: string; values: Values; failed?: true }[] = [];
  readonly #observe: Observer;
  /** What the places of this turn begin with; only a branch has one. */
  readonly #prefix: string;
  readonly #steps: OpenStep[] = [];
  #step: OpenStep | undefined;
  #opened = 0;
  #reserved = 0;
  #handedOver = 0;
  #wait: number;
  #paused = '';
  #pauses = 0;
  #byHand: Values | undefined;
  readonly #extent: Extent;
  readonly #within: () => readonly string[];
  readonly #tellWork: ((place: string, item: WorkItem) => void) | undefined;

  /** `within` tells the nodes that had called the flow which is under way, and go on when it is left. `wait` is a pause that nothing was said behind yet, in ms. */
  constructor(observe: Observer, within: () => readonly string[], { prefix, wait, extent, work }: RecordSetting) {
    this.#observe = observe;
    this.#within = within;
    this.#tellWork = work;
    this.#extent = extent;
    this.#prefix = prefix;
    this.#wait = wait;
  }

  /** About how many characters the record has come to, as JSON. */
  get size(): number {
    return this.#extent.size;
  }

  /** True when nothing more may be added to it: the turn is to be cut. */
  get full(): boolean {
    return this.#extent.size > this.#extent.most;
  }

  /** The run of a node that is being recorded. */
  get step(): Readonly<OpenStep> | undefined {
    return this.#step;
  }

  /** The place of the node that runs. */
  get place(): string {
    return this.#step?.place ?? '';
  }

  /** The place that the next node will have. */
  get nextPlace(): string {
    return `${this.#prefix}${this.#opened}`;
  }

  /** The path of a pause before the next node; another one at the same place is told from it. */
  pausePath(): string {
    const path = `${this.nextPlace}/step`;
    this.#pauses = this.#paused === path ? this.#pauses + 1 : 0;
    this.#paused = path;
    return this.#pauses === 0 ? path : `${path}-${this.#pauses}`;
  }

  /** How many `parallel` nodes this runs inside of. */
  get branching(): number {
    return this.#prefix.split('.').length >> 1;
  }

  /** What places inside one branch of the node that runs begin with. */
  branchPrefix(index: number): string {
    return `${this.place}.${index}.`;
  }

  get pendingWait(): number {
    return this.#wait;
  }

  get steps(): Step[] {
    return this.#steps.map((s) => ({ ...s }));
  }

  /** Opens the record of one run of a node; returns its place in the turn. */
  open(flow: string, node: string, kind: string): string {
    const place = `${this.#prefix}${this.#opened++}`;
    const set = this.#byHand ? { set: this.#byHand } : {};
    this.#byHand = undefined;
    const within = this.#within();
    this.#step = { place, flow, node, kind, values: [], effects: [], ...set, ...(within.length > 0 ? { within } : {}) };
    this.#steps.push(this.#step);
    this.#extent.size += STEP_SIZE;
    return place;
  }

  close(exit: string | undefined, note: string | undefined): void {
    const step = this.#step;
    if (!step) return;
    if (exit !== undefined) step.exit = exit;
    if (note !== undefined) step.note = note;
  }

  /** Tells the observer of a node's run. */
  tell(place: string, phase: 'begins' | 'ends'): void {
    const step = this.#steps.findLast((s) => s.place === place);
    if (step) this.#observe(place, phase, step);
  }

  /** Variables were changed by hand before the next node. */
  changedByHand(values: Values): void {
    this.#byHand = values;
  }

  /** A field of the node that runs read as a value; read again as the same it is told once. */
  read(field: string, source: string, value: Value): void {
    const shown = recorded(value, this.full ? 0 : RECORDED_SIZE);
    if (this.#step?.values.some((v) => v.field === field && v.source === source && sameValue(v.value, shown))) return;
    this.#extent.size += field.length + source.length + sizeOf(shown);
    this.#step?.values.push({ field, source, value: shown });
  }

  /** A model chose a way. */
  chose(way: string): void {
    if (this.#step) this.#step.chose = way;
  }

  /** An agent did something on its way. */
  work(item: WorkItem): void {
    const step = this.#step;
    if (!step) return;
    step.work = [...(step.work ?? []), item];
    this.#extent.size += sizeOf(item);
    this.#tellWork?.(step.place, item);
  }

  effectPath(): string {
    return `${this.place}/${this.#step?.effects.length ?? 0}`;
  }

  /** A place for an effect that is begun together with others, before any of them is recorded. */
  reserve(): string {
    return `${this.place}/t${this.#reserved++}`;
  }

  performed(performed: Performed): void {
    const stored = { ...performed, request: storedRequest(performed.request) } as Performed;
    this.effects.push(stored);
    this.#extent.size += sizeOf(stored);
    this.#step?.effects.push(performed.request.path);
  }

  /** A flow was left, what its variables held then, and whether it had failed. */
  leftFlow(flow: string, values: Values, failed = false): void {
    const shown = Object.fromEntries(Object.entries(values).map(([name, v]) => [name, recorded(v, RECORDED_SIZE)]));
    this.#extent.size += sizeOf(shown);
    this.leftFlows.push({ flow, values: this.full ? {} : shown, ...(failed ? { failed } : {}) });
  }

  /** Says a text; an empty one without buttons is not sent, nor anything once the record is full. */
  say(text: string, { choices, cites, signIn = false, speech }: SaidWith = {}): void {
    if ((text.trim() === '' && !choices?.length) || this.full) return;
    // Its blocks hold the text once more.
    this.#extent.size += 2 * text.length + sizeOf(choices ?? null) + sizeOf(cites ?? null) + (speech?.length ?? 0);
    const wait = this.#wait;
    this.#wait = 0;
    const more = {
      ...(choices?.length ? { choices } : {}),
      ...(wait > 0 ? { wait } : {}),
      ...(cites?.length ? { cites } : {}),
      ...(signIn ? { signIn } : {}),
      ...(speech ? { speech: wellFormed(speech.slice(0, MOST_SPEECH)) } : {}),
    };
    const at = this.messages.push({ text, blocks: readMarkdown(text), ...more });
    if (this.#step) this.#step.said = { from: this.#step.said?.from ?? at - 1, to: at };
  }

  /** The bot is to wait so long before it says what comes next, in ms. */
  pause(ms: number): void {
    this.#wait += ms;
  }

  /** What was said since the last hand-over to the runner. */
  takeSaid(): Message[] {
    const said = this.messages.slice(this.#handedOver);
    this.#handedOver = this.messages.length;
    return said;
  }

  /** Takes over the record of a branch and, where it came to its end, what it said. Returns how many nodes ran in it. */
  merge(child: TurnRecord, branch: string, ended: boolean): number {
    const before = this.messages.length;
    this.#steps.push(
      ...child.#steps.map(({ said, ...s }) => {
        const moved = said && ended ? { said: { from: said.from + before, to: said.to + before } } : {};
        return { branch, ...s, ...moved };
      }),
    );
    this.#extent.size += child.size;
    this.leftFlows.push(...child.leftFlows);
    this.effects.push(...child.effects);
    this.problems.push(...child.problems);
    if (ended) this.messages.push(...child.messages);
    return child.#opened;
  }
}
