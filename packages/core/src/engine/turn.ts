import { sameValue } from '../document/merge.js';
import { TARGET_PATTERN, type TalkHabit, type Value } from '../document/shapes.js';
import type { ChangeOperation } from '../document/variables.js';
import type { Expression } from '../expressions/expression.js';
import { fillPath, type FilledPath } from '../expressions/path.js';
import { Steps } from '../expressions/steps.js';
import type { Gap, Template } from '../expressions/template.js';
import { escapeMarkdown } from '../text/markdown.js';
import { onlyIn } from './language-words.js';
import { wellFormed } from '../text/well-formed.js';
import type { AnswerSetting } from '../understanding/moments.js';
import type { CompiledBot as Compiled, CompiledFlow } from './compiled.js';
import type { Performed } from './effects/registry.js';
import { broughtBy, firstNameOf, spokenEvent, wordsIn, type IncomingEvent, type VariableValues } from './event.js';
import type { EngineLimits } from './limits.js';
import type { Citation, Message } from './message.js';
import type { OneOutput } from './one-output.js';
import type { PreparedText, PreparedValue } from './prepared.js';
import type { HandedOver, Heard, PassedOver, TurnProblem, TurnSheet } from './sheet.js';
import type { Left } from './compiled.js';
import { changedSomething, closed, dayTalkedOf, leftInto, opened, passBy, type OpenFrame } from './talk/trail.js';
import { keptValues, TurnTalk } from './talk/turn-talk.js';
import { isStaffed } from './staffed.js';
import { TurnContexts } from './turn-contexts.js';
import { TurnRecord, type Extent, type SaidWith } from './turn-record.js';
import { clockFacts, held, heldBy, recordedVariables, StateGauge, TurnVariables, type View } from './turn-variables.js';
import type { Inside, TurnOptions } from './turn-options.js';
import { TurnKept } from './turn-kept.js';
import { TurnWords } from './turn-words.js';
import { TurnMemory } from './turn-memory.js';
import { TurnWork } from './turn-work.js';
import type { KnownAs, Session, TurnResult, Values, Waiting } from './types.js';

/** A bot whose nodes run on a turn. */
export type CompiledBot = Compiled<Turn>;

/**
 * One turn while it runs: what nodes read and write, and the record of it. Everything it changes is its own copy;
 * the session that came in stays as it was.
 */
export class Turn {
  readonly bot: CompiledBot;
  /** What came in; and what the turn is about, which is the same unless it goes on with one that rested. */
  readonly incoming: IncomingEvent;
  readonly event: IncomingEvent;
  /** The moment of the turn (ISO 8601, UTC). */
  readonly at: string;
  readonly options: TurnOptions;
  /** The language in which the bot speaks; it follows the visitor. */
  language: string;
  /** The time zone that counts for this turn. */
  readonly zone: string;
  readonly record: TurnRecord;
  readonly talk: TurnTalk;
  /** Values as visitors read them, and which wording comes next. */
  readonly words: TurnWords;
  frames: OpenFrame[];
  /** What the message was understood as, once it was. */
  heard: Heard | undefined;
  handed: HandedOver | undefined;
  waiting: Waiting | null;
  over: boolean;
  nodeRuns: number;
  stopped = false;
  /** The one output that is made, where it is made alone. */
  making: OneOutput | undefined;
  /** It rests here: an internal event goes on with it. */
  resting = false;
  /** How the flow was left that was left last. */
  left: Left | undefined;
  /** What agents did and spent. */
  readonly work: TurnWork;
  /** What connections keep for this conversation. */
  readonly kept: TurnKept;
  /** What is known about the visitor. */
  readonly memory: TurnMemory;
  /** How much may be shown of words that a model is still writing; all of it where nobody holds any back. */
  sieve: ((text: string) => string) | undefined;
  /** Languages of the visitor's that the bot has not, and has said so. */
  #toldOf: readonly string[];
  readonly #session: Session;
  readonly #inside: Inside | undefined;
  readonly #variables: TurnVariables;
  readonly #contexts: TurnContexts;
  readonly #limits: EngineLimits;
  readonly #gauge: StateGauge;
  readonly #steps: Steps;
  readonly #extent: Extent;

  constructor(bot: CompiledBot, session: Session, event: IncomingEvent, options: TurnOptions = {}, inside?: Inside) {
    const resting = event.type === 'go-on' || inside ? session.resting : undefined;
    this.bot = bot;
    this.options = options;
    this.#limits = bot.limits;
    this.#steps = inside?.steps ?? new Steps(this.#limits.turnSteps, this.#limits.expressionSteps);
    this.#extent = inside?.extent ?? { size: resting?.size ?? 0, most: this.#limits.sheetSize };
    this.#session = session;
    this.#inside = inside;
    this.incoming = event;
    this.event = resting?.event ?? event;
    this.at = event.at;
    this.language = session.language;
    this.zone = ('zone' in this.event ? this.event.zone : undefined) ?? bot.document.zone;
    this.frames = session.frames.map(opened);
    const language = () => this.language;
    const next = (key: string, many: number) => this.words.next(key, many);
    const soFar = resting ? (resting.talk ?? { said: [] }) : undefined;
    this.talk = new TurnTalk(session.talk, { language, others: bot.document.languages, next }, soFar);
    const { files } = broughtBy(event);
    if (files.length > 0) this.talk.sent(files);
    this.handed = session.handed;
    this.heard = resting?.heard;
    this.nodeRuns = resting?.nodeRuns ?? 0;
    this.memory = new TurnMemory(bot.document, session, event.at);
    this.work = new TurnWork(session.work, resting?.agentSteps ?? inside?.agentSteps ?? 0);
    this.kept = new TurnKept(session.kept);
    this.waiting = session.waiting;
    this.over = session.over;
    this.#toldOf = session.toldOf ?? [];
    const sight = { language, flow: () => this.frame?.flow, held: (r: string, f: string) => this.view[r as 'flow'][f] ?? null };
    this.words = new TurnWords(bot, { ...session.wordings }, sight);
    const recording = { prefix: inside?.prefix ?? '', wait: resting?.wait ?? 0, extent: this.#extent, work: options.work };
    this.record = new TurnRecord(options.observe ?? (() => undefined), () => this.#callers, recording);
    this.#gauge = new StateGauge(this.#limits, heldBy(session), ({ code, ...facts }) => this.problem(code, facts));
    this.#contexts = new TurnContexts(bot.document.contexts, session.contexts, this.at, resting?.fresh ?? []);
    this.#variables = new TurnVariables(bot.document, this.#firstView(session), this.#gauge, () => this.frame);
    if (resting?.heard?.took !== undefined) this.view.turn['intent'] = resting.heard.took;
    if (resting?.failure !== undefined) this.view.turn['failure'] = resting.failure;
  }

  #firstView(session: Session): View {
    const { bot, event } = this;
    const spoken = spokenEvent(event);
    const { files, pictures } = broughtBy(event);
    return {
      flow: {},
      session: { ...bot.emptySession, ...session.session },
      visitor: { ...bot.emptyVisitor, ...session.visitor },
      settings: bot.settings,
      turn: {
        text: wordsIn(event),
        reply: (session.resting?.talk?.said ?? session.talk?.said ?? []).at(-1)?.text ?? null,
        channel: spoken?.channel ?? null,
        language: session.language,
        name: spoken?.name ?? null,
        first_name: spoken?.firstName ?? null,
        email: spoken?.email ?? null,
        signed_in: spoken?.signedIn ?? false,
        pictures,
        files: files.map(({ name, type, size, address, text = null }) => ({ name, type, size, address, text })),
        intent: null,
        failure: null,
      },
      facts: this.memory.view(),
      context: { ...bot.emptyContexts, ...Object.fromEntries(this.#contexts.carried) },
      clock: clockFacts(this.at, this.zone, isStaffed(bot.document, this.at)),
    };
  }

  /** Everything that expressions can name now. */
  get view(): View {
    return this.#variables.view;
  }

  /** Nodes that called the flow on top, keep what they were at, and go on when it is left. */
  get #callers(): readonly string[] {
    return this.frames.slice(0, -1).flatMap((f) => (f.memo === undefined ? [] : [`${f.flow}/${f.node}`]));
  }

  get messages(): readonly Message[] {
    return this.record.messages;
  }

  get stepping(): boolean {
    return this.options.stepping ?? false;
  }

  /** The run of a flow that is on top of the stack. */
  get frame(): OpenFrame | undefined {
    return this.frames.at(-1);
  }

  /** Puts the top frame's variables in view; to be called whenever the top of the stack changes. */
  showFrame(flow: Pick<CompiledFlow<Turn>, 'empty'> | undefined): void {
    this.view.flow = { ...flow?.empty, ...this.frame?.values };
  }

  /** Turns of the conversation before this one. */
  get turns(): number {
    return this.#session.turns;
  }

  /** How many flows are under way inside each other here. */
  get depth(): number {
    return (this.#inside?.depth ?? 0) + this.frames.length;
  }

  /** It runs inside a branch of a `parallel` node. */
  get isBranch(): boolean {
    return this.#inside !== undefined;
  }

  /** How many `parallel` nodes this runs inside of. */
  get branching(): number {
    return this.record.branching;
  }

  /** True where the turn is to rest before the next node runs; `asked` where that node wants to. */
  mayRest(asked: boolean): boolean {
    return this.#inside === undefined && (this.options.rests?.(asked, this.nodeRuns) ?? false);
  }

  /** What the node that runs keeps for itself until it is left; undefined at first. Any JSON value. */
  get memo(): Value | undefined {
    return this.frame?.memo;
  }

  keep(memo: Value): void {
    if (this.frame) this.frame.memo = memo;
  }

  /** Moves the run of a flow on from its node by an exit to another one. */
  goOn(exit: string, to: string): void {
    const { frame } = this;
    if (!frame) return;
    passBy(frame, exit);
    frame.node = to;
    if (frame.memo !== undefined) delete frame.memo;
  }

  /** Takes the run of a flow on top back to one of its nodes. */
  goTo(node: string): void {
    const { frame } = this;
    if (!frame) return;
    frame.node = node;
    delete frame.memo;
  }

  /** Leaves the flows above one of those under way; what was wanted of them is remembered. */
  onlyUpTo(frame: OpenFrame): void {
    while (this.frame !== undefined && this.frame !== frame) this.leave();
    this.showFrame(this.frame && this.bot.flows.get(this.frame.flow));
  }

  /** Leaves everything that is under way. */
  clear(): void {
    while (this.frame) this.leave();
    this.waiting = null;
    this.over = false;
  }

  /** Whether the bot has a habit of conversation here: as the node says that waits, else its flow, else the bot. */
  may(habit: TalkHabit): boolean {
    const { frame } = this;
    const node = frame && this.bot.flows.get(frame.flow)?.nodes.get(frame.node);
    const { flows, talk } = this.bot.document;
    return node?.talk?.[habit] ?? (frame && flows[frame.flow]?.talk?.[habit]) ?? talk?.[habit] ?? true;
  }

  /** The node that is about to be left was answered by somebody. */
  answered(): void {
    if (this.frame) this.frame.answered = true;
  }

  #overOf: TurnResult['over'];

  /** Takes the run of a flow on top off the stack; what its variables held stands in the record. */
  leave(failed = false): OpenFrame | undefined {
    const gone = this.frames.pop();
    const did = gone !== undefined && (gone.did === true || gone.trail.some((p) => p.did));
    if (this.frame && gone && !gone.interrupts) leftInto(this.frame, gone, did);
    if (gone) this.record.leftFlow(gone.flow, held(gone.values), failed);
    if (gone && this.frames.length === 0) this.#overOf = { flow: gone.flow, values: held(gone.values), failed };
    if (gone?.wish)
      this.talk.remember({ ...gone.wish, flow: gone.flow, values: keptValues(gone.values), ...(did ? { did } : {}) });
    if (gone) this.#gauge.drops(gone.values);
    return gone;
  }

  begin(flow: string, node: string, values: Values): void {
    this.frames.push({ flow, node, values: { ...this.#gauge.takes('flow', values) }, reached: [], trail: [], wrote: {} });
  }

  /** Notes why the bot does not go by an intent that is sure enough; what was noted first stays. */
  passedOver(intent: string, why: PassedOver): void {
    const { passed = [] } = this.heard ?? {};
    if (!this.heard || passed.some((p) => p.intent === intent)) return;
    this.heard = { ...this.heard, passed: [...passed, { intent, why }] };
  }

  /** Notes by which intent the bot goes, and what it fills in. */
  took(intent: string, by: NonNullable<Heard['by']>, filled: Values = {}): void {
    const given = Object.keys(filled).length > 0 ? { filled } : {};
    if (this.heard) this.heard = { ...this.heard, took: intent, by, ...given };
    this.view.turn['intent'] = intent;
  }

  /** Notes what a message was meant as that was not understood, now that its visitor has said so. */
  meant(text: string, intent: string): void {
    this.heard = { intents: [], values: [], meant: { text, intent } };
    this.took(intent, this.frame ? 'interrupts' : 'begins');
  }

  /** The values that an open context carries; undefined while it is not open. */
  context(name: string): Values | undefined {
    return this.#contexts.of(name);
  }

  /** Opens a context, or opens it anew: its life begins again, and it carries just these values. */
  openContext(name: string, values: Values): void {
    this.#gauge.drops(this.#contexts.of(name) ?? {});
    const taken = this.#gauge.takes(`context.${name}`, values);
    this.#contexts.open(name, taken);
    this.view.context[name] = taken;
  }

  closeContext(name: string): void {
    this.#contexts.close(name);
    this.view.context[name] = null;
  }

  /** The bot falls silent until staff hand the conversation back. */
  handOver(reason: string): void {
    this.handed = { reason, at: this.at };
  }

  handBack(): void {
    this.handed = undefined;
  }

  /** The visitor has signed in while this turn ran, or before what it goes on with. */
  knownAs({ name, email }: KnownAs): void {
    Object.assign(this.view.turn, { signed_in: true, name, first_name: firstNameOf(name) ?? null, email });
  }

  /** Changes variables by hand before the next node runs; what is none of the bot's variables is left alone. */
  setByHand(values: Values): void {
    const known = Object.entries(values).filter(([target]) => TARGET_PATTERN.test(target));
    for (const [target, value] of known) this.write(target, value);
    if (known.length > 0) this.record.changedByHand(Object.fromEntries(known));
  }

  /** A turn of its own for one of `of` branches, with an equal share of what this one may still do: it sees what was known here, and what it changes is seen here once it is merged. */
  fork(index: number, of: number): Turn {
    const now = { ...this.session(), session: { ...this.view.session }, visitor: { ...this.view.visitor } };
    const contexts = this.#contexts.left(0);
    const resting = { ...this.#rest(), wait: 0, fresh: [] };
    const begun = { ...now, frames: [], waiting: null, contexts, resting };
    const { size, most } = this.#extent;
    const inside = {
      prefix: this.record.branchPrefix(index),
      depth: this.depth,
      steps: this.#steps.share(of),
      extent: { size: 0, most: (most - size) / of },
      agentSteps: this.work.asked,
    };
    const child = new Turn(this.bot, begun, this.incoming, this.options, inside);
    Object.assign(child.view.turn, this.view.turn);
    return child;
  }

  /** Takes over the record of a branch and, where it came to its end, what it said and changed. */
  merge(child: Turn, branch: string, ended: boolean): void {
    this.nodeRuns += this.record.merge(child.record, branch, ended);
    this.#steps.spend(child.#steps.spent);
    this.work.mergeAsked(child.work);
    if (child.view.turn['failure']) this.view.turn['failure'] = child.view.turn['failure'];
    if (!ended) return;
    Object.assign(this.words.wordings, child.words.wordings);
    this.#variables.merge(child.#variables);
    this.memory.merge(child.memory);
    this.refreshFacts();
    this.#contexts.merge(
      child.#contexts,
      (name, values) => this.openContext(name, values),
      (name) => this.closeContext(name),
    );
    this.over ||= child.over;
    this.work.merge(child.work);
    this.kept.merge(child.kept);
  }

  problem(code: TurnProblem['code'], facts: TurnProblem['facts']): void {
    const at = this.record.step ?? this.frame;
    this.record.problems.push({ code, flow: at?.flow ?? '', node: at?.node ?? '', facts });
  }

  #onGap(field: string): (gap: Gap) => void {
    return ({ expression, missing, reason }) =>
      this.problem(missing ? 'missing-value' : 'broken-value', { field, expression, reason });
  }

  #note(field: string, template: Template, value: Value): void {
    if (template.reads.length > 0) this.record.read(field, template.source, value);
  }

  #with(locals: Values | undefined): View {
    return locals ? { ...this.view, ...locals } : this.view;
  }

  /** Resolves a template to text, with other names in view where a field has its own. */
  text(field: string, template: Template, locals?: Values): string {
    const text = template.text(this.#with(locals), this.#onGap(field), { steps: this.#steps });
    this.#note(field, template, text);
    return text;
  }

  /** Resolves the path of an address; see `fillPath`. */
  path(template: Template, locals: Values): FilledPath {
    return fillPath(template, this.#with(locals), () => undefined, this.#steps);
  }

  /** Resolves a JSON value of templates; one that is a single expression keeps its type. `mayMiss`: an empty value is no problem. */
  value(field: string, source: PreparedValue, locals?: Values, mayMiss = false): Value {
    if ('constant' in source) return source.constant;
    if ('list' in source) return source.list.map((v, i) => this.value(`${field}/${i}`, v, locals));
    if ('fields' in source)
      return Object.fromEntries(source.fields.map(([key, v]) => [key, this.value(`${field}/${key}`, v, locals)]));
    const onGap = this.#onGap(field);
    const value = source.template.value(this.#with(locals), (gap) => (mayMiss && gap.missing ? undefined : onGap(gap)), {
      steps: this.#steps,
    });
    this.#note(field, source.template, value);
    return value;
  }

  /** Evaluates an expression; what cannot be evaluated is null and an entry in the sheet. */
  evaluate(field: string, expression: Expression, locals?: Values): Value {
    const found = expression.evaluate(this.#with(locals), this.#steps);
    if (!found.ok) {
      this.problem(found.missing ? 'missing-value' : 'broken-value', {
        field,
        expression: expression.source,
        reason: found.reason,
      });
      return null;
    }
    this.record.read(field, expression.source, found.value);
    return found.value;
  }

  /** The wording of a text whose turn it is, in the visitor's language or the bot's first, resolved. Marks in values are escaped. */
  wording(text: PreparedText, locals?: Values): string {
    const fallback = this.bot.document.languages[0] ?? 'en';
    const { byLanguage: all } = text;
    const list = all.get(this.language) ?? all.get('') ?? all.get(fallback) ?? [...all.values()][0] ?? [];
    const { step } = this.record;
    const key = `${step?.flow}/${step?.node}${text.field}`;
    const template = list[list.length > 1 ? this.words.next(key, list.length) : 0];
    if (!template) return '';
    const said = template.text(this.#with(locals), this.#onGap(text.field), {
      says: (value, reads) => this.words.ofReadings(value, reads),
      escape: escapeMarkdown,
      steps: this.#steps,
    });
    this.#note(text.field, template, said);
    return said;
  }

  /** Says a text; an empty one without buttons is not sent. One that is too long is cut, and the sheet says so. */
  say(words: string, choices?: Message['choices'], cites?: readonly Citation[], speech?: string): void {
    this.#say(words, { choices, cites, speech });
  }

  /** Asks the visitor to sign in: a channel that can shows how. */
  askSignIn(words: string): void {
    this.#say(words, { signIn: true });
  }

  #say(words: string, more: SaidWith): void {
    const { messageSize: most } = this.#limits;
    const { step } = this.record;
    const asks = step !== undefined && this.bot.flows.get(step.flow)?.nodes.get(step.node)?.waits === true;
    const text = this.talk.led(words, asks);
    if (text.length > most) this.problem('message-cut', { size: text.length, most });
    if (text.trim() !== '') this.view.turn['reply'] = text;
    this.record.say(text.length > most ? `${wellFormed(text.slice(0, most))}…` : text, more);
  }

  /** The day that is talked about: the last one among the values of the flow, or of the flow below; undefined where there is none. */
  get day(): string | undefined {
    return dayTalkedOf(this.frames);
  }

  /** What words for days and times are read with. */
  get answerSetting(): AnswerSetting {
    return { at: this.at, zone: this.zone, language: this.language, day: this.day };
  }

  /** Goes on in the language in which the visitor speaks; says so, once, where the bot has not got it. */
  speakAs(language: string): void {
    const { languages } = this.bot.document;
    if (languages.includes(language)) {
      this.language = language;
      this.view.turn['language'] = language;
    } else if (!this.#toldOf.includes(language)) {
      this.#toldOf = [...this.#toldOf, language];
      const words = onlyIn(language, languages);
      if (words !== undefined) this.say(words);
    }
  }

  read(target: string): Value {
    return this.#variables.read(target);
  }

  /** Writes a variable given as `flow.x`, `session.x` or `visitor.x`. */
  write(target: string, value: Value): void {
    this.change(target, 'set', value);
  }

  /** Sets a variable, adds to it (a number grows, a list gets one more) or removes from it. */
  change(target: string, op: ChangeOperation, value: Value): void {
    const { frame } = this;
    // What a node writes as it was before has been known without it.
    if (frame && target.startsWith('flow.') && !sameValue(this.#variables.read(target), value)) frame.wrote[target] = frame.node;
    this.#variables.change(target, op, value);
    if (frame) this.options.wrote?.({ flow: frame.flow, node: frame.node, target, value: this.#variables.read(target) });
  }

  /** False for what a run that makes one output alone has no part in; `targets` are the variables that come of it. */
  makes(targets: readonly string[]): boolean {
    return this.making === undefined || this.frames.length > 1 || targets.some((t) => this.making?.wants.has(t));
  }

  /** Where the next effect of the node that runs stands in the turn. */
  effectPath(): string {
    return this.record.effectPath();
  }

  recordEffect(performed: Performed): void {
    this.record.performed(performed);
    if (this.frame && changedSomething(performed)) this.frame.did = true;
    if (this.bot.holdsWords) this.work.did(this.bot.document, performed);
  }

  /** How many turns of their life the contexts have used up: a message counts once it is answered. */
  get #spent(): number {
    return this.event.type === 'message' && !this.resting ? 1 : 0;
  }

  #rest(): NonNullable<Session['resting']> {
    const { failure } = this.view.turn;
    return {
      event: this.event,
      nodeRuns: this.nodeRuns,
      ...(this.work.asked > 0 ? { agentSteps: this.work.asked } : {}),
      size: this.record.size,
      wait: this.record.pendingWait,
      fresh: this.#contexts.fresh,
      talk: this.talk.resting(this.messages),
      ...(this.heard ? { heard: this.heard } : {}),
      ...(failure === null || failure === undefined ? {} : { failure }),
    };
  }

  session(): Session {
    const contexts = this.#contexts.left(this.#spent);
    return {
      language: this.language,
      frames: this.frames.map(closed),
      ...this.#variables.kept(this.#session, { session: this.bot.emptySession, visitor: this.bot.emptyVisitor }),
      wordings: this.words.wordings,
      turns: this.#session.turns + 1,
      waiting: this.waiting,
      over: this.over,
      at: this.at,
      ...(Object.keys(contexts).length > 0 ? { contexts } : {}),
      ...(this.handed ? { handed: this.handed } : {}),
      talk: this.talk.state(this.messages),
      ...(this.#toldOf.length > 0 ? { toldOf: this.#toldOf } : {}),
      ...(this.resting ? { resting: this.#rest() } : {}),
      ...this.work.kept(),
      ...this.kept.state(),
      ...this.memory.state(),
    };
  }

  sheet(): TurnSheet {
    const { steps, effects, problems, messages, leftFlows } = this.record;
    const contexts = this.#contexts.recorded(this.#spent);
    const taken = this.talk.taken();
    return {
      turn: this.#session.turns + 1,
      heard: this.incoming,
      ...(this.heard && this.incoming.type !== 'go-on' ? { understood: this.heard } : {}),
      ...(taken ? { taken } : {}),
      ...(contexts ? { contexts } : {}),
      ...(this.handed ? { handed: this.handed } : {}),
      path: steps,
      effects,
      changes: this.#variables.changed(),
      problems,
      messages,
      ...(this.memory.notes.length > 0 ? { memory: this.memory.notes } : {}),
      ...this.memory.recorded(),
      ended: this.over,
      variables: recordedVariables(this.variables()),
      language: this.language,
      ...(leftFlows.length > 0 ? { left: leftFlows } : {}),
      ...(this.stopped ? { stopped: true } : {}),
      ...(this.resting ? { rests: true } : {}),
    };
  }

  result(): TurnResult {
    return {
      session: this.session(),
      visitorChanges: this.#variables.visitorChanges,
      memoryChanges: this.memory.changes,
      messages: this.messages,
      sheet: this.sheet(),
      rests: this.resting,
      ...(this.#overOf ? { over: this.#overOf } : {}),
      spent: this.work.spentHere,
    };
  }

  /** Puts what is known about the visitor in view; to be called whenever it has changed. */
  refreshFacts(): void {
    Object.assign(this.view.facts, this.memory.view());
  }

  /** What variables hold now; empty ones are left out. */
  variables(): VariableValues {
    return { flow: held(this.frame?.values ?? {}), session: held(this.view.session), visitor: held(this.view.visitor) };
  }
}
