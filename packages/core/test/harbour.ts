import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import {
  advance,
  compile,
  isBotFile,
  openSession,
  readDocument,
  readFolder,
  type ActionEffect,
  type BotDocument,
  type CompiledBot,
  type Completed,
  type EffectResult,
  type Effect,
  type Folder,
  type IncomingEvent,
  type Session,
  type TurnResult,
} from '@primrose/core';

const DEMO = new URL('../../../demo/harbour-desk/', import.meta.url).pathname;

/** The demo's files. */
export function demoFolder(): Folder {
  const names = readdirSync(DEMO, { recursive: true, encoding: 'utf8' });
  return Object.fromEntries(
    names.filter((f) => isBotFile(f) && statSync(join(DEMO, f)).isFile()).map((f) => [f, readFileSync(join(DEMO, f), 'utf8')]),
  );
}

export function demoDocument(): BotDocument {
  const folder = readFolder(demoFolder());
  if (!folder.ok) throw new Error(JSON.stringify(folder.problems));
  return accepted(folder.source);
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

export const MONDAY = '2026-05-11T10:00:00.000Z';

/** Talks to a bot in memory; effects are answered by a function. */
export class Talk {
  readonly bot: CompiledBot;
  session: Session;
  last: TurnResult | undefined;
  readonly effects: Effect[] = [];
  readonly #answer: (effect: ActionEffect) => EffectResult;

  constructor(
    document: BotDocument,
    options: { language?: string; visitor?: Session['visitor']; answer?: (effect: ActionEffect) => EffectResult } = {},
  ) {
    this.bot = compile(document);
    this.session = openSession(this.bot, options.visitor ?? {}, options.language);
    this.#answer = options.answer ?? (() => ({ outcome: 'answered', status: 200, body: null }));
  }

  turn(event: Partial<IncomingEvent>): TurnResult {
    const running = advance(this.bot, this.session, { type: 'message', at: MONDAY, channel: 'test', ...event });
    let next = running.next();
    const timers: Effect[] = [];
    while (!next.done) {
      const { effects } = next.value;
      this.effects.push(...effects);
      timers.push(...effects.filter((e) => e.type === 'timer'));
      const actions = effects.filter((e) => e.type === 'action');
      next = running.next(actions.length > 0 ? actions.map((e) => ({ path: e.path, result: this.#answer(e) })) : elapsed(timers));
    }
    this.last = next.value;
    this.session = next.value.session;
    return next.value;
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
