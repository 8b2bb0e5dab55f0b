import { TARGET_PATTERN, typeName, type Value } from '../document/shapes.js';
import type { Expression } from '../expressions/expression.js';
import type { Gap, Template } from '../expressions/template.js';
import { escapeMarkdown, readMarkdown } from '../text/markdown.js';
import { localMoment } from '../understanding/moments.js';
import { addDays } from '../expressions/functions.js';
import { applyChange, type ChangeOperation } from '../document/variables.js';
import type { CompiledBot, CompiledFlow, PreparedText, PreparedValue } from './compiler.js';
import type { Left } from './kind.js';
import type {
  Change,
  Citation,
  Frame,
  HandedOver,
  Heard,
  IncomingEvent,
  Message,
  Observer,
  OpenContext,
  Performed,
  ResolvedValue,
  Session,
  Step,
  TurnProblem,
  TurnSheet,
  Values,
  VariableValues,
  VisitorChange,
  Waiting,
} from './types.js';

interface OpenStep {
  place: string;
  branch?: string;
  flow: string;
  node: string;
  kind: string;
  exit?: string;
  note?: string;
  values: ResolvedValue[];
  effects: string[];
  set?: Values;
  said?: { from: number; to: number };
}

interface View {
  flow: Record<string, Value>;
  session: Record<string, Value>;
  visitor: Record<string, Value>;
  readonly settings: Values;
  readonly turn: Record<string, Value>;
  readonly context: Record<string, Value>;
  readonly clock: Values;
  [local: string]: unknown;
}

/**
 * One turn while it runs: what nodes read and write, and the record of it. Everything it changes is its own copy;
 * the session that came in stays as it was.
 */
export class Turn {
  readonly bot: CompiledBot;
  readonly event: IncomingEvent;
  readonly observe: Observer;
  readonly language: string;
  /** The time zone that counts for this turn. */
  readonly zone: string;
  readonly view: View;
  readonly messages: Message[] = [];
  readonly visitorChanges: VisitorChange[] = [];
  frames: { flow: string; node: string; values: Record<string, Value>; reached: string[]; interrupts?: boolean }[];
  /** What the message was understood as, once it was. */
  heard: Heard | undefined;
  handed: HandedOver | undefined;
  waiting: Waiting | null;
  over: boolean;
  nodeRuns = 0;
  /** It pauses before each node. */
  stepping = false;
  stopped = false;
  /** How the flow was left that was left last. */
  left: Left | undefined;
  readonly #session: Session;
  /** What the places of this turn begin with; only a branch has one, and how many flows it stands in. */
  readonly #prefix: string;
  readonly #outer: number;
  readonly #wordings: Record<string, number>;
  readonly #steps: OpenStep[] = [];
  #step: OpenStep | undefined;
  #opened = 0;
  readonly #effects: Performed[] = [];
  readonly #contexts: Map<string, OpenContext>;
  readonly #openBefore: readonly string[];
  /** Contexts that were opened in this turn: it does not count against their life. */
  readonly #freshContexts = new Set<string>();
  readonly #changes = new Map<string, Change>();
  readonly #writes: { target: string; op: ChangeOperation; value: Value }[] = [];
  readonly #problems: TurnProblem[] = [];
  #handedOver = 0;
  #wait = 0;
  #byHand: Values | undefined;
  readonly #leftFlows: { flow: string; values: Values }[] = [];

  constructor(
    bot: CompiledBot,
    session: Session,
    event: IncomingEvent,
    observe: Observer,
    inside?: { prefix: string; depth: number },
  ) {
    this.bot = bot;
    this.observe = observe;
    this.#session = session;
    this.#prefix = inside?.prefix ?? '';
    this.#outer = inside?.depth ?? 0;
    this.event = event;
    this.language = session.language;
    this.zone = event.zone ?? bot.document.zone;
    this.frames = session.frames.map((f) => ({ ...f, values: { ...f.values }, reached: [...f.reached] }));
    this.handed = session.handed;
    this.#contexts = new Map(
      Object.entries(session.contexts ?? {}).filter(([, c]) => c.until === undefined || c.until > event.at),
    );
    this.#openBefore = [...this.#contexts.keys()];
    this.waiting = session.waiting;
    this.over = session.over;
    this.#wordings = { ...session.wordings };
    this.view = {
      flow: {},
      session: { ...bot.emptySession, ...session.session },
      visitor: { ...bot.emptyVisitor, ...session.visitor },
      settings: bot.settings,
      turn: {
        text: event.text ?? '',
        channel: event.channel,
        language: session.language,
        name: event.name ?? null,
        first_name: event.firstName ?? null,
        pictures: event.pictures ?? [],
        files: (event.files ?? []).map(({ name, type, size, address }) => ({ name, type, size, address })),
        intent: null,
        failure: null,
      },
      context: {
        ...bot.emptyContexts,
        ...Object.fromEntries([...this.#contexts].map(([name, c]) => [name, c.values])),
      },
      clock: clockFacts(event.at, this.zone),
    };
  }

  /** The run of a flow that is on top of the stack. */
  get frame(): (typeof this.frames)[number] | undefined {
    return this.frames.at(-1);
  }

  /** Puts the top frame's variables in view; to be called whenever the top of the stack changes. */
  showFrame(flow: CompiledFlow | undefined): void {
    this.view.flow = { ...flow?.empty, ...this.frame?.values };
  }

  /** Turns of the conversation before this one. */
  get turns(): number {
    return this.#session.turns;
  }

  /** How many flows are under way inside each other here. */
  get depth(): number {
    return this.#outer + this.frames.length;
  }

  /** How many `parallel` nodes this runs inside of. */
  get branching(): number {
    return this.#prefix.split('.').length >> 1;
  }

  /** Takes the run of a flow on top off the stack; what its variables held stands in the record. */
  leave(): (typeof this.frames)[number] | undefined {
    const gone = this.frames.pop();
    if (gone) this.#leftFlows.push({ flow: gone.flow, values: held(gone.values) });
    return gone;
  }

  begin(flow: string, node: string, values: Values): void {
    this.frames.push({ flow, node, values: { ...values }, reached: [] });
  }

  /** Notes by which intent the bot goes. */
  took(intent: string, by: NonNullable<Heard['by']>): void {
    if (this.heard) this.heard = { ...this.heard, took: intent, by };
    this.view.turn['intent'] = intent;
  }

  /** The values that an open context carries; undefined while it is not open. */
  context(name: string): Values | undefined {
    return this.#contexts.get(name)?.values;
  }

  /** Opens a context, or opens it anew: its life begins again, and it carries just these values. */
  openContext(name: string, values: Values): void {
    const { turns, minutes } = this.bot.document.contexts?.[name]?.lasts ?? {};
    const until = minutes === undefined ? {} : { until: new Date(Date.parse(this.event.at) + minutes * 60_000).toISOString() };
    this.#contexts.set(name, { values, ...(turns === undefined ? {} : { turns }), ...until });
    this.#freshContexts.add(name);
    this.view.context[name] = values;
  }

  closeContext(name: string): void {
    this.#contexts.delete(name);
    this.view.context[name] = null;
  }

  /** What is open after this turn: a message used up one turn of those that were open before it. */
  #contextsLeft(): Record<string, OpenContext> {
    const spent = this.event.type === 'message' ? 1 : 0;
    return Object.fromEntries(
      [...this.#contexts].flatMap(([name, c]): [string, OpenContext][] => {
        if (c.turns === undefined || this.#freshContexts.has(name)) return [[name, c]];
        return c.turns > spent ? [[name, { ...c, turns: c.turns - spent }]] : [];
      }),
    );
  }

  /** The bot falls silent until staff hand the conversation back. */
  handOver(reason: string): void {
    this.handed = { reason, at: this.event.at };
  }

  handBack(): void {
    this.handed = undefined;
  }

  /** Opens the record of one run of a node; returns its place in the turn. */
  openStep(flow: string, node: string, kind: string): string {
    const place = `${this.#prefix}${this.#opened++}`;
    const set = this.#byHand ? { set: this.#byHand } : {};
    this.#byHand = undefined;
    this.#step = { place, flow, node, kind, values: [], effects: [], ...set };
    this.#steps.push(this.#step);
    return place;
  }

  /** Tells the observer of a node's run. */
  tell(place: string, phase: 'begins' | 'ends'): void {
    const step = this.#steps.findLast((s) => s.place === place);
    if (step) this.observe(place, phase, step);
  }

  /** The place that the next node will have. */
  get nextPlace(): string {
    return `${this.#prefix}${this.#opened}`;
  }

  /** Changes variables by hand before the next node runs; what is none of the bot's variables is left alone. */
  setByHand(values: Values): void {
    const known = Object.entries(values).filter(([target]) => TARGET_PATTERN.test(target));
    for (const [target, value] of known) this.write(target, value);
    if (known.length > 0) this.#byHand = Object.fromEntries(known);
  }

  /** The place of the node that runs. */
  get place(): string {
    return this.#step?.place ?? '';
  }

  /** A turn of its own for one branch: it sees what was known here, and what it changes is seen here once it is merged. */
  fork(index: number): Turn {
    const session = { ...this.session(), session: { ...this.view.session }, visitor: { ...this.view.visitor } };
    const prefix = `${this.place}.${index}.`;
    const child = new Turn(this.bot, { ...session, frames: [], waiting: null }, this.event, this.observe, {
      prefix,
      depth: this.depth,
    });
    child.nodeRuns = this.nodeRuns;
    Object.assign(child.view.turn, this.view.turn);
    return child;
  }

  /** Takes over the record of a branch and, where it came to its end, what it said and changed. */
  merge(child: Turn, branch: string, ended: boolean): void {
    const before = this.messages.length;
    this.#steps.push(
      ...child.#steps.map(({ said, ...s }) => {
        const moved = said && ended ? { said: { from: said.from + before, to: said.to + before } } : {};
        return { branch, ...s, ...moved };
      }),
    );
    this.#leftFlows.push(...child.#leftFlows);
    this.#effects.push(...child.#effects);
    this.#problems.push(...child.#problems);
    this.nodeRuns += child.#opened;
    if (child.view.turn['failure']) this.view.turn['failure'] = child.view.turn['failure'];
    if (!ended) return;
    this.messages.push(...child.messages);
    Object.assign(this.#wordings, child.#wordings);
    child.#writes.forEach((w) => this.#change(w.target, w.op, w.value));
    for (const name of child.#freshContexts) this.openContext(name, child.#contexts.get(name)?.values ?? {});
    for (const name of child.#openBefore) if (!child.#contexts.has(name)) this.closeContext(name);
    this.over ||= child.over;
  }

  closeStep(exit: string | undefined, note: string | undefined): void {
    const step = this.#step;
    if (!step) return;
    if (exit !== undefined) step.exit = exit;
    if (note !== undefined) step.note = note;
  }

  problem(code: TurnProblem['code'], facts: TurnProblem['facts']): void {
    const at = this.#step ?? this.frame;
    this.#problems.push({ code, flow: at?.flow ?? '', node: at?.node ?? '', facts });
  }

  #onGap(field: string): (gap: Gap) => void {
    return ({ expression, missing, reason }) =>
      this.problem(missing ? 'missing-value' : 'broken-value', { field, expression, reason });
  }

  #note(field: string, template: Template, value: Value): void {
    if (template.reads.length > 0) this.#step?.values.push({ field, source: template.source, value });
  }

  /** Resolves a template to text, with other names in view where a field has its own. */
  text(field: string, template: Template, locals?: Values): string {
    const text = template.text(this.#with(locals), this.#onGap(field));
    this.#note(field, template, text);
    return text;
  }

  #with(locals: Values | undefined): View {
    return locals ? { ...this.view, ...locals } : this.view;
  }

  /** Resolves a JSON value of templates; one that is a single expression keeps its type. `mayMiss`: an empty value is no problem. */
  value(field: string, source: PreparedValue, locals?: Values, mayMiss = false): Value {
    if ('constant' in source) return source.constant;
    if ('list' in source) return source.list.map((v, i) => this.value(`${field}/${i}`, v, locals));
    if ('fields' in source)
      return Object.fromEntries(source.fields.map(([key, v]) => [key, this.value(`${field}/${key}`, v, locals)]));
    const onGap = this.#onGap(field);
    const value = source.template.value(this.#with(locals), (gap) => (mayMiss && gap.missing ? undefined : onGap(gap)));
    this.#note(field, source.template, value);
    return value;
  }

  /** Evaluates an expression; what cannot be evaluated is null and an entry in the sheet. */
  evaluate(field: string, expression: Expression, locals?: Values): Value {
    const found = expression.evaluate(this.#with(locals));
    if (!found.ok) {
      this.problem(found.missing ? 'missing-value' : 'broken-value', {
        field,
        expression: expression.source,
        reason: found.reason,
      });
      return null;
    }
    this.#step?.values.push({ field, source: expression.source, value: found.value });
    return found.value;
  }

  /** The wording of a text whose turn it is, in the visitor's language or the bot's first, resolved. Marks in values are escaped. */
  wording(text: PreparedText, locals?: Values): string {
    const fallback = this.bot.document.languages[0] ?? 'en';
    const { byLanguage: all } = text;
    const list = all.get(this.language) ?? all.get('') ?? all.get(fallback) ?? [...all.values()][0] ?? [];
    const step = this.#step;
    const key = `${step?.flow}/${step?.node}${text.field}`;
    const count = this.#wordings[key] ?? 0;
    const template = list[count % Math.max(1, list.length)];
    if (!template) return '';
    if (list.length > 1) this.#wordings[key] = (count + 1) % list.length;
    const said = template.text(this.#with(locals), this.#onGap(text.field), escapeMarkdown);
    this.#note(text.field, template, said);
    return said;
  }

  /** Says a text; an empty one without buttons is not sent. */
  say(text: string, choices?: Message['choices'], cites?: readonly Citation[]): void {
    if (text.trim() === '' && !choices?.length) return;
    const wait = this.#wait;
    this.#wait = 0;
    const more = {
      ...(choices?.length ? { choices } : {}),
      ...(wait > 0 ? { wait } : {}),
      ...(cites?.length ? { cites } : {}),
    };
    const at = this.messages.push({ text, blocks: readMarkdown(text), ...more });
    if (this.#step) this.#step.said = { from: this.#step.said?.from ?? at - 1, to: at };
  }

  /** The bot is to wait so long before it says what comes next, in ms. */
  pause(ms: number): void {
    this.#wait += ms;
  }

  /** Writes a variable given as `flow.x`, `session.x` or `visitor.x`. */
  write(target: string, value: Value): void {
    this.change(target, 'set', value);
  }

  /** Sets a variable, adds to it (a number grows, a list gets one more) or removes from it. */
  change(target: string, op: ChangeOperation, value: Value): void {
    if (!target.startsWith('flow.')) this.#writes.push({ target, op, value });
    this.#change(target, op, value);
  }

  #change(target: string, op: ChangeOperation, value: Value): void {
    const [scope, name] = target.split('.') as ['flow' | 'session' | 'visitor', string];
    const before = this.view[scope][name] ?? null;
    const list = op !== 'set' && this.#isList(scope, name) ? { list: true } : {};
    const after = applyChange(before, { op, value, ...list });
    this.view[scope][name] = after;
    if (scope === 'flow' && this.frame) this.frame.values[name] = after;
    if (scope === 'visitor') this.visitorChanges.push({ op, name, value, ...list });
    this.#changes.set(target, { name: target, before: (this.#changes.get(target) ?? { before }).before, after });
  }

  #isList(scope: 'flow' | 'session' | 'visitor', name: string): boolean {
    const { flows, variables } = this.bot.document;
    const declared = scope === 'flow' ? flows[this.frame?.flow ?? '']?.takes : variables?.[scope];
    return typeName(declared?.[name]).replace(/\?$/, '') === 'list';
  }

  read(target: string): Value {
    const [scope, name] = target.split('.') as ['flow' | 'session' | 'visitor', string];
    return this.view[scope][name] ?? null;
  }

  /** What was said since the last hand-over to the runner. */
  takeSaid(): Message[] {
    const said = this.messages.slice(this.#handedOver);
    this.#handedOver = this.messages.length;
    return said;
  }

  effectPath(): string {
    return `${this.place}/${this.#step?.effects.length ?? 0}`;
  }

  recordEffect(performed: Performed): void {
    this.#effects.push(performed);
    this.#step?.effects.push(performed.request.path);
  }

  session(): Session {
    const contexts = this.#contextsLeft();
    return {
      language: this.language,
      frames: this.frames.map((f): Frame => ({ ...f })),
      session: known(this.view.session, this.#session.session),
      visitor: known(this.view.visitor, this.#session.visitor),
      wordings: this.#wordings,
      turns: this.#session.turns + 1,
      waiting: this.waiting,
      over: this.over,
      at: this.event.at,
      ...(Object.keys(contexts).length > 0 ? { contexts } : {}),
      ...(this.handed ? { handed: this.handed } : {}),
    };
  }

  sheet(): TurnSheet {
    return {
      turn: this.#session.turns + 1,
      heard: this.event,
      ...(this.heard ? { understood: this.heard } : {}),
      ...(this.#openBefore.length > 0 || this.#contexts.size > 0 ? { contexts: this.#contextRecord() } : {}),
      ...(this.handed ? { handed: this.handed } : {}),
      path: this.#steps.map((s): Step => ({ ...s })),
      effects: this.#effects,
      changes: [...this.#changes.values()].filter((c) => JSON.stringify(c.before) !== JSON.stringify(c.after)),
      problems: this.#problems,
      messages: this.messages,
      ended: this.over,
      variables: this.variables(),
      language: this.language,
      ...(this.#leftFlows.length > 0 ? { left: this.#leftFlows } : {}),
      ...(this.stopped ? { stopped: true } : {}),
    };
  }

  #contextRecord(): NonNullable<TurnSheet['contexts']> {
    const before = Object.fromEntries(
      this.#openBefore.flatMap((name) => {
        const open = this.#session.contexts?.[name];
        return open ? [[name, open] as const] : [];
      }),
    );
    return {
      before: this.#openBefore,
      after: [...this.#contexts.keys()],
      states: { before, after: this.#contextsLeft() },
    };
  }

  /** What variables hold now; empty ones are left out. */
  variables(): VariableValues {
    return { flow: held(this.frame?.values ?? {}), session: held(this.view.session), visitor: held(this.view.visitor) };
  }
}

/** Values without the empty ones. */
function held(values: Readonly<Record<string, Value>>): Values {
  return Object.fromEntries(Object.entries(values).filter(([, v]) => v !== null));
}

/** Variables worth storing: those that hold something, or held something before. */
function known(view: Readonly<Record<string, Value>>, before: Values): Values {
  return Object.fromEntries(Object.entries(view).filter(([name, v]) => v !== null || name in before));
}

const WEEKDAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];

function clockFacts(at: string, zone: string): Values {
  const { date, time } = localMoment(at, zone);
  const weekday = WEEKDAYS[new Date(`${date}T00:00:00Z`).getUTCDay()] ?? '';
  return { now: at, today: date, tomorrow: addDays(date, 1), time, weekday, zone };
}
