import {
  lineOf,
  NOTHING_SAID,
  talked,
  type BodyOf,
  type Endpoints,
  type LiveEvent,
  type Paused,
  type SimulatedEvent,
  type Simulation,
  type TalkAction,
  type Talking,
  type TurnRecord,
} from '@primrose/contract';
import {
  byScope,
  idOf,
  keepConversation,
  lastOf,
  layoutTurns,
  saidIn,
  typeOf,
  valuesOf,
  wordsIn,
  type Value,
} from '@primrose/core';
import type { Context } from '../../context.js';
import { CommandFailure, EXIT } from '../../outcome.js';
import { differenceText, sheetText, spoken } from '../sheet.js';
import { assignment, clockOf, modeOf } from './words.js';

type Changes = BodyOf<Endpoints['changeSimulation']>;

/** A conversation with the draft: its tree of turns, and the turn that is talked on from. */
export class Conversation {
  readonly #context: Context;
  readonly #bot: string;
  readonly #sheets: boolean;
  #talking: Talking = NOTHING_SAID;
  #stepping = false;
  #set: Record<string, Value> = {};

  constructor(context: Context, bot: string, sheets: boolean) {
    this.#context = context;
    this.#bot = bot;
    this.#sheets = sheets;
  }

  get #at() {
    return { bot: this.#bot, conversation: this.#talking.simulation?.id ?? '' };
  }

  #act(action: TalkAction): void {
    this.#talking = talked(this.#talking, action);
  }

  print(text: string): void {
    if (!this.#context.asJson) this.#context.print(text);
  }

  async create(settings: { speaker?: Partial<Simulation['speaker']> }): Promise<void> {
    const simulation = await this.#context.client.call('createSimulation', { params: { bot: this.#bot }, body: settings });
    this.#act({ did: 'open', simulation });
  }

  /** Takes up a kept conversation, by its id or its name. */
  async open(word: string): Promise<void> {
    const { client } = this.#context;
    const list = await client.call('listSimulations', { params: { bot: this.#bot }, query: { limit: 200 } });
    const id = list.items.find((s) => s.id === word || s.name === word)?.id ?? word;
    const found = await client.call('getSimulation', { params: { bot: this.#bot, conversation: id } });
    this.#act({ did: 'open', ...found });
    for (const turn of this.line()) {
      const words = wordsIn(turn.sheet.heard);
      if (words !== '') this.print(`you  ${words}`);
      this.print(spoken(turn));
    }
  }

  async startOver(): Promise<void> {
    await this.create({ speaker: this.#talking.simulation?.speaker ?? {} });
    await this.run({ type: 'open' });
  }

  line(): TurnRecord[] {
    return lineOf(this.#talking);
  }

  async run(event: SimulatedEvent, after: string | null = this.#talking.head): Promise<void> {
    const body = { id: crypto.randomUUID(), after, event, step: this.#stepping };
    await this.#follow((tell) => this.#context.client.stream('runTurn', { params: this.#at, body }, tell));
  }

  /** Goes on with a turn that pauses; variables that were set since go along. */
  async goOn(go: 'step' | 'run' | 'stop'): Promise<void> {
    const body = { go, set: this.#set };
    this.#set = {};
    await this.#follow((tell) => this.#context.client.stream('goOn', { params: this.#at, body }, tell));
  }

  /** Hears a turn to its end. */
  async #follow(work: (tell: (name: string, data: unknown) => void) => Promise<void>): Promise<void> {
    let last = '';
    await work((name, data) => {
      last = name;
      this.#heard(name, data);
    });
    if (last !== 'turn' && last !== 'paused')
      throw new CommandFailure(
        EXIT.failed,
        'The line broke before the turn was done. Take the conversation up again to see what came of it.',
      );
  }

  #heard(name: string, data: unknown): void {
    const event = { event: name, ...(data as object) } as LiveEvent;
    if (event.event === 'problem') throw new CommandFailure(EXIT.failed, event.detail);
    this.#act({ did: 'hear', event });
    if (event.event === 'call' && this.#context.io.tty) {
      const { request } = event;
      this.print(`     … ${typeOf(request).line(request)}`);
    }
    if (event.event === 'paused') this.#show(event.paused);
    if (event.event === 'turn') this.#took(event.turn);
  }

  #show(paused: Paused): void {
    const held = Object.entries(valuesOf(paused.record.sheet)).map(([name, v]) => `     ${name} = ${JSON.stringify(v)}`);
    if (this.#context.asJson) return this.#context.json(paused);
    this.print([`     pauses before ${paused.flow}/${paused.node}: /next, /run, /stop, /set flow.x=…`, ...held].join('\n'));
  }

  #took(turn: TurnRecord): void {
    if (this.#context.asJson) return this.#context.json(turn);
    this.print(spoken(turn));
    if (this.#sheets) this.print(sheetText(turn));
  }

  /** The sheet of a turn by its number in the line; of the last one without. */
  sheet(words: string): void {
    const turn = words === '' ? this.line().at(-1) : this.#numbered(words);
    if (!turn) throw new CommandFailure(EXIT.usage, 'Nothing was said yet.');
    if (this.#context.asJson) this.#context.json(turn);
    else this.print(sheetText(turn));
  }

  #numbered(words: string): TurnRecord {
    const turn = this.line().find((t) => t.number === Number(words));
    if (turn) return turn;
    throw new CommandFailure(EXIT.usage, `There is no turn ${words} here; there are 1 to ${this.line().length}.`);
  }

  /** Talks on from a turn of the line, by its number; from the one before the last without, and 0 is before the first. */
  async back(words: string): Promise<void> {
    const line = this.line();
    const to = words === '0' ? undefined : words === '' ? line.at(-2) : this.#numbered(words);
    await this.#place(to?.id ?? null);
    this.print(to ? `     after turn ${to.number}:\n${spoken(to)}` : '     before the first turn');
  }

  async #place(head: string | null): Promise<void> {
    this.#act({ did: 'place', head });
    await this.change({ head });
  }

  /** The tree of turns, one line each, numbered in the order in which they were run. */
  branches(): void {
    const here = new Set(this.line().map((t) => t.id));
    const rows = layoutTurns(this.#talking.turns).map((p, i) => {
      const { sheet, number } = this.#talking.turns[i] ?? {};
      const mark = p.id === this.#talking.head ? '*' : here.has(p.id) ? '|' : ' ';
      const said = (sheet && saidIn(sheet.heard)) ?? `(${sheet?.heard.type})`;
      return `     ${mark} ${String(i + 1).padStart(3)}  ${'    '.repeat(p.lane)}turn ${number}: ${said}`;
    });
    this.print([...rows, '     /branch NUMBER talks on there'].join('\n'));
  }

  async branch(words: string): Promise<void> {
    const { turns } = this.#talking;
    const turn = turns[Number(words) - 1];
    if (!turn) throw new CommandFailure(EXIT.usage, `There is no turn ${words} in the tree; /branches shows it.`);
    await this.#place(lastOf(turns, turn.id));
    const last = this.line().at(-1);
    if (last) this.print(spoken(last));
  }

  async again(): Promise<void> {
    const { head } = this.#talking;
    if (head === null) throw new CommandFailure(EXIT.usage, 'Nothing was said yet.');
    const before = this.line();
    const { turns } = await this.#context.client.call('sayAgain', { params: this.#at, body: { turn: head } });
    this.#act({ did: 'again', turns });
    if (this.#context.asJson) return turns.forEach((t) => this.#context.json(t));
    turns.forEach((t, i) => before[i] && this.print(differenceText(before[i], t)));
  }

  /** Begins at a node: `flow/node flow.day=2026-05-15 visitor.first_name=Ada`; what the last turn left is filled in. */
  async start(words: string): Promise<void> {
    const [place = '', ...given] = words.split(/\s+(?=(?:flow|session|visitor)\.)/);
    const [flow = '', node = ''] = place.split('/');
    const last = this.line().at(-1);
    const held = last ? valuesOf(last.sheet) : {};
    const values = { ...held, ...Object.fromEntries(given.map(assignment)) };
    await this.run({ type: 'start', start: { flow, node, variables: byScope(values) } }, null);
  }

  set(words: string): void {
    if (!this.#talking.paused)
      throw new CommandFailure(EXIT.usage, 'No turn pauses. Switch stepping on with /step, then say something.');
    const [name, value] = assignment(words);
    this.#set[name] = value;
  }

  step(words: string): void {
    this.#stepping = words === '' ? !this.#stepping : words === 'on';
    this.print(`     ${this.#stepping ? 'pauses before each node' : 'does not pause'}`);
  }

  async change(body: Changes): Promise<void> {
    const simulation = await this.#context.client.call('changeSimulation', { params: this.#at, body });
    this.#act({ did: 'change', simulation });
  }

  /** Speaks as a made-up visitor of this name, who is made up where there is none; as nobody in particular without one. */
  async speakAs(name: string): Promise<void> {
    if (name === '' || name === 'nobody') return this.change({ speaker: { visitor: null, name: null } });
    const params = { bot: this.#bot };
    const made = await this.#context.client.call('keepMadeUpVisitor', { params, body: { name } });
    await this.change({ speaker: { visitor: made.id } });
    this.print(`     as ${name}, of whom is kept: ${JSON.stringify(made.variables)}`);
  }

  /** `now`, a moment at which the clock stands, or `run` with one from which it runs. */
  async setClock(words: string): Promise<void> {
    await this.change({ clock: clockOf(words) });
    const { clock } = this.#talking.simulation ?? {};
    this.print(`     the clock ${clock ? `${clock.runs ? 'runs from' : 'stands at'} ${clock.at}` : 'is the real one'}`);
  }

  async outside(words: string): Promise<void> {
    const [connection = '', ...mode] = words.split(/\s+/);
    const wanted = mode.join(' ').replace(/,/g, '');
    const how = wanted.replace(/ yes$/, '');
    // What is called for real changes something there, so it is asked whether that is meant.
    if (connection !== '' && modeOf(how) === 'real' && how === wanted)
      throw new CommandFailure(
        EXIT.usage,
        `Then calls of ${connection} change things for real. If that is meant: /outside ${connection} for real, yes`,
      );
    if (connection !== '') await this.change({ outside: { [connection]: modeOf(how) } });
    const modes = Object.entries(this.#talking.simulation?.outside ?? {});
    this.print(modes.map(([name, m]) => `     ${name}: ${m === 'real' ? 'for real' : m}`).join('\n') || '     nothing is called');
  }

  async keep(words: string): Promise<void> {
    const { client } = this.#context;
    const id = idOf(words);
    if (id === '') throw new CommandFailure(EXIT.usage, 'Give it a name: /keep dog on friday');
    const { document, revision } = await client.call('getDraft', { params: { bot: this.#bot } });
    const line = this.line();
    const kept = keepConversation(id, line, document, line[0]?.kept);
    const changed = {
      ...document,
      samples: { ...document.samples, ...kept.samples },
      rehearsals: { ...document.rehearsals, [id]: kept.rehearsal },
    };
    await client.call('replaceDraft', { params: { bot: this.#bot }, body: { revision, document: changed as never } });
    this.print(`     kept as rehearsals/${id}.yaml, with ${Object.keys(kept.samples).length} new samples`);
  }

  async list(): Promise<void> {
    const { items } = await this.#context.client.call('listSimulations', { params: { bot: this.#bot }, query: { limit: 20 } });
    this.print(items.map((s) => `     ${s.id}  ${s.name ?? `“${s.said ?? ''}”`}, ${s.turns} turns`).join('\n'));
  }
}
