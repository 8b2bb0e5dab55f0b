import { createInterface, type Interface } from 'node:readline';
import type {
  BodyOf,
  Endpoints,
  LiveEvent,
  OutsideMode,
  Paused,
  SimulatedEvent,
  Simulation,
  TurnRecord,
} from '@primrose/contract';
import {
  saidIn,
  typeOf,
  wordsIn,
  byScope,
  idOf,
  keepConversation,
  lastOf,
  layoutTurns,
  lineTo,
  TARGET_PATTERN,
  valuesOf,
  type Value,
} from '@primrose/core';
import { findBot, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';
import { differenceText, sheetText, spoken } from './sheet.js';

export interface TalkOptions {
  readonly sheet?: boolean;
  readonly language?: string;
  readonly as?: string;
  readonly clock?: string;
  readonly simulation?: string;
}

type Changes = BodyOf<Endpoints['changeSimulation']>;

interface Command {
  readonly takes: string;
  readonly about: string;
  readonly run: (talk: Talk, words: string) => Promise<void>;
}

/** Talks to the draft in the terminal. Reads lines from a pipe just as well; with --json it prints one turn a line. */
export async function cmdTalk(context: Context, word: string, options: TalkOptions): Promise<void> {
  const bot = await findBot(context.client, word);
  const talk = new Talk(context, bot.id, options.sheet === true);
  if (!context.asJson) context.print(`Talking to the draft of ${bot.name}. /help lists what else can be done.\n`);
  if (options.simulation === undefined) {
    const speaker = options.language === undefined ? {} : { language: options.language };
    await talk.create({ speaker });
    if (options.as !== undefined) await talk.speakAs(options.as);
    if (options.clock !== undefined) await talk.setClock(options.clock);
    await talk.run({ type: 'open' });
  } else await talk.open(options.simulation);
  const tty = process.stdin.isTTY;
  const lines = createInterface({
    input: process.stdin,
    terminal: tty,
    output: process.stdout,
    prompt: 'you  ',
    historySize: 200,
  });
  const prompt = () => void (tty && lines.prompt());
  prompt();
  for await (const line of lines) {
    const text = line.trim();
    if (text === '/quit') break;
    await oneLine(talk, lines, text, context, tty);
    prompt();
  }
  lines.close();
}

/** What was typed: a command, or words for the bot. A mistake is told, and the talk goes on. */
async function oneLine(talk: Talk, lines: Interface, text: string, context: Context, tty: boolean): Promise<void> {
  if (text === '') return;
  try {
    if (!context.asJson && !tty) context.print(text.startsWith('/') ? `     ${text}` : `you  ${text}`);
    if (!text.startsWith('/')) {
      return await talk.run({ type: 'message', text });
    }
    const [name = '', ...rest] = text.slice(1).split(/\s+/);
    const command = COMMANDS[name];
    if (!command) throw new CommandFailure(EXIT.usage, `There is no /${name}. /help lists what there is.`);
    await command.run(talk, rest.join(' '));
  } catch (error) {
    // At the keyboard one goes on; in a pipe what follows would make no sense.
    if (!tty) throw error;
    lines.write('');
    context.print(`     ${error instanceof Error ? error.message : String(error)}`);
  }
}

/** A conversation with the draft: its tree of turns, and the turn that is talked on from. */
class Talk {
  readonly #context: Context;
  readonly #bot: string;
  readonly #sheets: boolean;
  #simulation: Simulation | undefined;
  #turns: TurnRecord[] = [];
  #head: string | null = null;
  #stepping = false;
  #paused: Paused | undefined;
  #set: Record<string, Value> = {};

  constructor(context: Context, bot: string, sheets: boolean) {
    this.#context = context;
    this.#bot = bot;
    this.#sheets = sheets;
  }

  get #at() {
    return { bot: this.#bot, conversation: this.#simulation?.id ?? '' };
  }

  print(text: string): void {
    if (!this.#context.asJson) this.#context.print(text);
  }

  async create(settings: { speaker?: Partial<Simulation['speaker']> }): Promise<void> {
    this.#simulation = await this.#context.client.call('createSimulation', { params: { bot: this.#bot }, body: settings });
    this.#turns = [];
    this.#head = null;
    this.#paused = undefined;
  }

  /** Takes up a kept conversation, by its id or its name. */
  async open(word: string): Promise<void> {
    const { client } = this.#context;
    const list = await client.call('listSimulations', { params: { bot: this.#bot }, query: { limit: 200 } });
    const id = list.items.find((s) => s.id === word || s.name === word)?.id ?? word;
    const found = await client.call('getSimulation', { params: { bot: this.#bot, conversation: id } });
    this.#simulation = found.simulation;
    this.#turns = [...found.turns];
    this.#head = found.simulation.head;
    this.#paused = found.paused ?? undefined;
    for (const turn of this.line()) {
      const words = wordsIn(turn.sheet.heard);
      if (words !== '') this.print(`you  ${words}`);
      this.print(spoken(turn));
    }
  }

  async startOver(): Promise<void> {
    await this.create({ speaker: this.#simulation?.speaker ?? {} });
    await this.run({ type: 'open' });
  }

  line(): TurnRecord[] {
    return lineTo(this.#turns, this.#head);
  }

  async run(event: SimulatedEvent, after: string | null = this.#head): Promise<void> {
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
    if (event.event === 'call' && process.stdin.isTTY) {
      const { request } = event;
      this.print(`     … ${typeOf(request).line(request)}`);
    }
    if (event.event === 'paused') this.#show(event.paused);
    if (event.event === 'turn') this.#took(event.turn);
  }

  #show(paused: Paused): void {
    this.#paused = paused;
    const held = Object.entries(valuesOf(paused.record.sheet)).map(([name, v]) => `     ${name} = ${JSON.stringify(v)}`);
    if (this.#context.asJson) return this.#context.json(paused);
    this.print([`     pauses before ${paused.flow}/${paused.node}: /next, /run, /stop, /set flow.x=…`, ...held].join('\n'));
  }

  #took(turn: TurnRecord): void {
    this.#paused = undefined;
    this.#turns.push(turn);
    this.#head = turn.id;
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
    this.#head = head;
    this.#simulation = await this.#context.client.call('changeSimulation', { params: this.#at, body: { head } });
  }

  /** The tree of turns, one line each, numbered in the order in which they were run. */
  branches(): void {
    const here = new Set(this.line().map((t) => t.id));
    const rows = layoutTurns(this.#turns).map((p, i) => {
      const { sheet, number } = this.#turns[i] ?? {};
      const mark = p.id === this.#head ? '*' : here.has(p.id) ? '|' : ' ';
      const said = (sheet && saidIn(sheet.heard)) ?? `(${sheet?.heard.type})`;
      return `     ${mark} ${String(i + 1).padStart(3)}  ${'    '.repeat(p.lane)}turn ${number}: ${said}`;
    });
    this.print([...rows, '     /branch NUMBER talks on there'].join('\n'));
  }

  async branch(words: string): Promise<void> {
    const turn = this.#turns[Number(words) - 1];
    if (!turn) throw new CommandFailure(EXIT.usage, `There is no turn ${words} in the tree; /branches shows it.`);
    await this.#place(lastOf(this.#turns, turn.id));
    const last = this.line().at(-1);
    if (last) this.print(spoken(last));
  }

  async again(): Promise<void> {
    if (this.#head === null) throw new CommandFailure(EXIT.usage, 'Nothing was said yet.');
    const before = this.line();
    const { turns } = await this.#context.client.call('sayAgain', { params: this.#at, body: { turn: this.#head } });
    this.#turns.push(...turns);
    this.#head = turns.at(-1)?.id ?? this.#head;
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
    if (!this.#paused) throw new CommandFailure(EXIT.usage, 'No turn pauses. Switch stepping on with /step, then say something.');
    const [name, value] = assignment(words);
    this.#set[name] = value;
  }

  step(words: string): void {
    this.#stepping = words === '' ? !this.#stepping : words === 'on';
    this.print(`     ${this.#stepping ? 'pauses before each node' : 'does not pause'}`);
  }

  async change(body: Changes): Promise<void> {
    this.#simulation = await this.#context.client.call('changeSimulation', { params: this.#at, body });
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
    const [first = '', second = ''] = words.split(/\s+/);
    if (first === 'now' || first === '') await this.change({ clock: null });
    else {
      const runs = first === 'run';
      const at = new Date(runs ? second : first);
      if (Number.isNaN(at.getTime()))
        throw new CommandFailure(EXIT.usage, `"${runs ? second : first}" is no moment. Write it as 2026-05-14T09:00Z.`);
      await this.change({ clock: { at: at.toISOString(), runs } });
    }
    const { clock } = this.#simulation ?? {};
    this.print(`     the clock ${clock ? `${clock.runs ? 'runs from' : 'stands at'} ${clock.at}` : 'is the real one'}`);
  }

  async outside(words: string): Promise<void> {
    const [connection = '', ...mode] = words.split(/\s+/);
    if (connection !== '') await this.change({ outside: { [connection]: modeOf(mode.join(' ')) } });
    const modes = Object.entries(this.#simulation?.outside ?? {});
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

/** Where calls go, as it is typed. */
function modeOf(words: string): OutsideMode {
  const found = (['samples', 'stand-in', 'real'] as const).find((m) => m === words.replace(/^for /, ''));
  if (found) return found;
  throw new CommandFailure(EXIT.usage, `"${words}" is nowhere to go. Say samples, stand-in or for real.`);
}

/** `flow.day=2026-05-15` as a name and a value: JSON where it is some, else text. */
function assignment(words: string): [string, Value] {
  const at = words.indexOf('=');
  const name = words.slice(0, at).trim();
  if (at < 0 || !TARGET_PATTERN.test(name))
    throw new CommandFailure(EXIT.usage, `"${words}" sets nothing. Write it as flow.day=2026-05-15.`);
  const text = words.slice(at + 1).trim();
  try {
    return [name, JSON.parse(text) as Value];
  } catch {
    return [name, text === '' ? null : text];
  }
}

/** What can be typed besides words, in the order in which /help lists it. */
const COMMANDS: Readonly<Record<string, Command>> = {
  help: { takes: '', about: 'this list', run: (talk) => Promise.resolve(talk.print(helpText())) },
  sheet: {
    takes: '[TURN]',
    about: 'how a turn came about: the last one, or by its number',
    run: (talk, w) => done(() => talk.sheet(w)),
  },
  back: {
    takes: '[TURN]',
    about: 'talk on from an earlier turn; the other line stays as a branch',
    run: (talk, w) => talk.back(w),
  },
  branches: { takes: '', about: 'the tree of what was said', run: (talk) => done(() => talk.branches()) },
  branch: { takes: 'NUMBER', about: 'talk on where another branch ends', run: (talk, w) => talk.branch(w) },
  again: {
    takes: '',
    about: 'say all again to the draft as it is now, and see what answers otherwise',
    run: (talk) => talk.again(),
  },
  start: { takes: 'FLOW/NODE [flow.x=…]', about: 'begin at a node, with variables filled in', run: (talk, w) => talk.start(w) },
  new: { takes: '', about: 'start over', run: (talk) => talk.startOver() },
  step: {
    takes: '[on|off]',
    about: 'pause before each node; then /next, /run, /stop',
    run: (talk, w) => done(() => talk.step(w)),
  },
  next: { takes: '', about: 'run the node that the turn pauses at', run: (talk) => talk.goOn('step') },
  run: { takes: '', about: 'run the turn to its end', run: (talk) => talk.goOn('run') },
  stop: { takes: '', about: 'stop the turn that pauses; what was done is kept', run: (talk) => talk.goOn('stop') },
  set: { takes: 'flow.x=…', about: 'change a variable before going on', run: (talk, w) => done(() => talk.set(w)) },
  as: { takes: 'NAME', about: 'speak as a made-up visitor; "nobody" for somebody new', run: (talk, w) => talk.speakAs(w) },
  language: {
    takes: 'TAG',
    about: 'speak in another language',
    run: (talk, w) => talk.change({ speaker: { language: w || null } }),
  },
  zone: { takes: 'ZONE', about: 'be in another time zone', run: (talk, w) => talk.change({ speaker: { zone: w || null } }) },
  channel: {
    takes: 'NAME',
    about: 'act as another channel',
    run: (talk, w) => talk.change({ speaker: { channel: w || 'simulator' } }),
  },
  clock: {
    takes: 'now|MOMENT|run MOMENT',
    about: 'what time it is: it stands, or runs from there',
    run: (talk, w) => talk.setClock(w),
  },
  outside: { takes: '[CONNECTION samples|stand-in|for real]', about: 'where calls go', run: (talk, w) => talk.outside(w) },
  samples: {
    takes: '[NAMES]',
    about: 'samples that answer before all others, with spaces between',
    run: (talk, w) => talk.change({ samples: w.split(/\s+/).filter(Boolean) }),
  },
  say: { takes: 'SAMPLE', about: 'say a kept event', run: (talk, w) => talk.run({ type: 'sample', sample: w }) },
  'hand-back': {
    takes: '',
    about: 'hand back what was handed over, as staff would',
    run: (talk) => talk.run({ type: 'hand-back' }),
  },
  name: {
    takes: 'WORDS',
    about: 'name this conversation, so that it is kept',
    run: (talk, w) => talk.change({ name: w || null }),
  },
  open: { takes: 'NAME', about: 'take up a kept conversation', run: (talk, w) => talk.open(w) },
  list: { takes: '', about: 'the conversations in the simulator', run: (talk) => talk.list() },
  keep: { takes: 'NAME', about: 'keep this conversation as a rehearsal of the bot', run: (talk, w) => talk.keep(w) },
  quit: { takes: '', about: 'end (Ctrl-D too)', run: () => Promise.resolve() },
};

/** What /help prints. */
function helpText(): string {
  return Object.entries(COMMANDS)
    .map(([name, { takes, about }]) => `     ${`/${name} ${takes}`.padEnd(46)} ${about}`)
    .join('\n');
}

async function done(work: () => void): Promise<void> {
  await Promise.resolve();
  work();
}
