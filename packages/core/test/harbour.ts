import { expect } from 'chai';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { isDeepStrictEqual } from 'node:util';
import {
  advance,
  compile,
  createMind,
  manyOf,
  PracticeMemories,
  createListener,
  isBotFile,
  NOTHING_SPENT,
  openSession,
  practiceSignIn,
  PracticeTables,
  trainListener,
  trainingKey,
  readDocument,
  readFolder,
  type ActionEffect,
  type BotDocument,
  type CompiledBot,
  type Completed,
  type ActionResult,
  type Effect,
  type EventOf,
  type Listener,
  type McpEffect,
  type McpResult,
  type ModelEffect,
  type ModelResult,
  type Folder,
  type IncomingEvent,
  type Session,
  type SignInEffect,
  type SignInResult,
  type SpentResult,
  type TurnResult,
  type UnderstandResult,
  type Value,
} from '@primrose/core';
import { ownLexicon } from '../../server/src/understanding/lexicon.js';

/** The word lists that the service reads with. */
export const LEXICON = ownLexicon();

const DEMO = new URL('../../../demo/', import.meta.url).pathname;

/** The files of one of the demo's bots. */
export function demoFolder(bot: 'harbour-desk' | 'shore-desk' = 'harbour-desk'): Folder {
  const at = join(DEMO, bot);
  const names = readdirSync(at, { recursive: true, encoding: 'utf8' });
  return Object.fromEntries(
    names
      .filter((f) => isBotFile(f) && !NO_TEXT.test(f) && statSync(join(at, f)).isFile())
      .map((f) => [f, withoutOthers(f, readFileSync(join(at, f), 'utf8'))]),
  );
}

/** Documents that are no text stand beside a bot as bytes: the demo is looked at without them here. */
const NO_TEXT = /\.(?:pdf|docx|xlsx|epub)$/;
const withoutOthers = (file: string, text: string): string =>
  file.startsWith('knowledge/') ? text.replace(/^.*form: (?:pdf|docx|xlsx|epub)\b.*\n/gm, '') : text;

export function demoDocument(bot?: 'harbour-desk' | 'shore-desk'): BotDocument {
  const folder = readFolder(demoFolder(bot));
  if (!folder.ok) throw new Error(JSON.stringify(folder.problems));
  return accepted(folder.source);
}

/** How many cases a property is tried on: many more before a release, when the tests run long. */
export function cases(many: number): number {
  return process.env['PRIMROSE_TEST_LONG'] === 'true' ? many * 10 : many;
}

/** Expects two values to be the same; Node compares them ten times faster than Chai, which says what differs. */
export function expectSame(found: unknown, wanted: unknown): void {
  if (!isDeepStrictEqual(found, wanted)) expect(found).to.deep.equal(wanted);
}

/** A document that must be valid, or the test ends here. */
export function accepted(source: unknown): BotDocument {
  const read = readDocument(source);
  if (!read.ok) throw new Error(JSON.stringify(read.problems, null, 1));
  return read.document;
}

/** A bot of one flow, for tests of a few nodes. */
export function botOf(
  nodes: Record<string, unknown>,
  more: Record<string, unknown> = {},
  begin = Object.keys(nodes)[0],
): BotDocument {
  return accepted({
    primrose: 1,
    bot: 'trial',
    name: 'Trial',
    languages: ['en', 'de'],
    zone: 'Europe/Dublin',
    begins: 'main',
    flows: { main: { title: 'Main', begin, nodes } },
    ...more,
  });
}

/** A bot with nothing but what it listens for. */
export function earsOf(more: Record<string, unknown> = {}): BotDocument {
  return accepted({
    primrose: 1,
    bot: 'ears',
    name: 'Ears',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'main',
    flows: { main: { nodes: {} } },
    ...more,
  });
}

export const MONDAY = '2026-05-11T10:00:00.000Z';

const listeners = new Map<string, Listener>();

/** The listener of a bot; trained once for all tests that teach the same. */
export function listenerOf(document: BotDocument): Listener {
  const key = trainingKey(document);
  const made = listeners.get(key) ?? createListener(document, trainListener(document, LEXICON), LEXICON);
  listeners.set(key, made);
  return made;
}

interface TalkOptions {
  readonly language?: string;
  readonly visitor?: Session['visitor'];
  readonly answer?: (effect: ActionEffect) => ActionResult;
  readonly model?: (effect: ModelEffect) => ModelResult;
  readonly mcp?: (effect: McpEffect) => McpResult;
  /** What agents have spent in turns before. */
  readonly spent?: Partial<Pick<SpentResult, 'visitor' | 'day'>>;
  readonly signIn?: (effect: SignInEffect) => SignInResult;
  /** What its tables begin with. */
  readonly rows?: Readonly<Record<string, readonly Readonly<Record<string, Value>>[]>>;
}

/** What a model wrote, as the runner would hand it over. */
export function written(text: string): ModelResult {
  return { outcome: 'written', text, stopped: 'end', tokens: { in: 10, out: 5 } };
}

/** What comes in, a message of the test's channel in all that is left out. */
type LooseEvent = { readonly [T in IncomingEvent['type']]: Partial<EventOf<T>> }[IncomingEvent['type']];

/** Talks to a bot in memory; outside effects are answered by a function, the bot's own are computed. */
export class Talk {
  readonly bot: CompiledBot;
  session: Session;
  last: TurnResult | undefined;
  readonly effects: Effect[] = [];
  readonly #options: TalkOptions;
  /** What is kept under keys. */
  readonly memories = new PracticeMemories();
  /** Tables in memory, as rehearsals have them. */
  get tables(): PracticeTables {
    return (this.#rows ??= new PracticeTables(this.bot.document, this.#options.rows));
  }
  #rows: PracticeTables | undefined;

  constructor(document: BotDocument, options: TalkOptions = {}) {
    this.bot = compile(document);
    this.session = openSession(this.bot, options.visitor ?? {}, options.language);
    this.#options = options;
  }

  /** `heard` is what the message is understood as, where that is not to be computed. */
  turn(event: LooseEvent, heard?: UnderstandResult): TurnResult {
    const whole = { type: 'message', at: MONDAY, channel: 'test', ...event } as IncomingEvent;
    const running = advance(this.bot, this.session, whole);
    let next = running.next();
    const timers: Effect[] = [];
    while (!next.done) {
      const { effects } = next.value;
      this.effects.push(...effects);
      timers.push(...effects.filter((e) => e.type === 'timer'));
      const others = effects.filter((e) => e.type !== 'timer');
      next = running.next(
        others.length > 0
          ? others.map((e) => ({ path: e.path, result: heard && e.type === 'understand' ? heard : this.#perform(e) }))
          : elapsed(timers),
      );
    }
    this.last = next.value;
    this.session = next.value.session;
    this.memories.change(next.value.memoryChanges, manyOf(this.bot.document));
    return next.value;
  }

  #perform(effect: Exclude<Effect, { type: 'timer' }>): Completed['result'] {
    const { document } = this.bot;
    switch (effect.type) {
      case 'action':
        return (this.#options.answer ?? (() => ({ outcome: 'answered', status: 200, body: null })))(effect);
      case 'model':
        return (this.#options.model ?? (() => written('I am a model.')))(effect);
      case 'lookup':
        return createMind(document, { listener: undefined, lexicon: LEXICON }).lookup(effect) as Completed['result'];
      case 'understand': {
        const { text, language, at, zone } = effect;
        return { outcome: 'understood', ...listenerOf(document).hear(text, { at, zone, language }) };
      }
      case 'table':
        return this.tables.perform(effect);
      case 'notice':
        return { outcome: 'queued', notice: 'noted' };
      case 'mcp':
        return (this.#options.mcp ?? (() => ({ outcome: 'gave', content: null, wrong: false })))(effect);
      case 'spent':
        return { outcome: 'counted', visitor: NOTHING_SPENT, day: NOTHING_SPENT, ...this.#options.spent };
      case 'draw':
        return { outcome: 'drawn', address: 'https://pictures.invalid/drawn.png', media: 'image/png', size: 1 };
      case 'recall':
        return { outcome: 'recalled', memory: this.memories.of(effect.key) };
      case 'sign-in':
        return (this.#options.signIn ?? practiceSignIn)(effect);
      case 'step':
        return { outcome: 'go-on' };
      default:
        return effect satisfies never;
    }
  }

  open(): string[] {
    return words(this.turn({ type: 'open' }));
  }

  say(text: string): string[] {
    return words(this.turn({ text }));
  }

  press(choice: string): string[] {
    return words(this.turn({ choice }));
  }
}

/** Time passes only when nothing else is under way. */
function elapsed(timers: Effect[]): Completed[] {
  return timers.splice(0, 1).map((t) => ({ path: t.path, result: { outcome: 'elapsed' } }));
}

export function words(result: TurnResult): string[] {
  return result.messages.map((m) => m.text);
}
