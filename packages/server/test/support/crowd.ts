import type { ChatLine, Client } from '@primrose/contract';
import type { BotDocument } from '@primrose/core';
import type { TestService } from './service.js';
import { type TestVisitor } from './visitor.js';

export const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Makes a bot, points it at the booking office and releases it; returns its id and chat link. */
export async function releasedBot(service: TestService, document: BotDocument): Promise<{ bot: string; link: string }> {
  const { client, office } = service;
  const { bot } = await client.call('createBot', { body: { from: 'document', document: document as never } });
  if (document.connections?.['booking-office'])
    await client.call('setConnection', {
      params: { bot: bot.id, connection: 'booking-office' },
      body: { address: office, standIn: office },
    });
  await client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
  return { bot: bot.id, link: await chatLink(client, bot.id) };
}

export async function chatLink(client: Client, bot: string): Promise<string> {
  const [channel] = (await client.call('listChannels', { params: { bot } })).items;
  return channel?.link ?? '';
}

/** What came of the tries to say something until it was taken. */
export interface Taken {
  readonly tries: number;
  /** Answers other than 202, by status; 0 where nobody answered at all. */
  readonly refusals: readonly number[];
  /** Whether every 503 said when to come back. */
  readonly saidWhen: boolean;
}

/** Says something as a client that tries again until it is taken, with the same id each time. */
export async function sayUntilTaken(visitor: TestVisitor, text: string, id: string, forMs = 60_000): Promise<Taken> {
  const refusals: number[] = [];
  let saidWhen = true;
  for (const end = Date.now() + forMs; Date.now() < end; await pause(60)) {
    const { status, retryAfter } = await visitor.tryToSay(text, id);
    if (status === 202) return { tries: refusals.length + 1, refusals, saidWhen };
    refusals.push(status);
    if (status === 503) saidWhen &&= retryAfter !== null;
  }
  throw new Error(`"${text}" was not taken within ${forMs} ms: ${refusals.slice(-5).join(', ')}`);
}

/** The lines of a visitor, by opening the chat again; tries until the service answers. */
export async function linesOf(visitor: TestVisitor, forMs = 90_000): Promise<ChatLine[]> {
  for (const end = Date.now() + forMs; Date.now() < end; await pause(60)) {
    try {
      const lines = (await visitor.open()) as ChatLine[] | undefined;
      if (lines) return lines;
    } catch {
      // Nobody answers just now.
    }
  }
  throw new Error(`the chat could not be opened again within ${forMs} ms`);
}

/** The lines of a visitor once they are as they should be. */
export async function linesWhen(
  visitor: TestVisitor,
  enough: (lines: readonly ChatLine[]) => boolean,
  forMs = 90_000,
): Promise<ChatLine[]> {
  let lines: ChatLine[] = [];
  for (const end = Date.now() + forMs; Date.now() < end; await pause(50)) {
    lines = await linesOf(visitor);
    if (enough(lines)) return lines;
  }
  throw new Error(`not within ${forMs} ms; the lines are: ${lines.map((l) => `${l.who}: ${l.message.text}`).join(' | ')}`);
}

export const said = (lines: readonly ChatLine[], who = 'bot'): string[] =>
  lines.filter((l) => l.who === who).map((l) => l.message.text);

/** A bot that answers every message with what it heard and how many it has heard in this conversation. */
export const ECHO_NODES = {
  ready: {
    kind: 'ask',
    says: 'Ready.',
    expects: 'text',
    whatever: true,
    into: 'flow.heard',
    exits: { answered: 'count', 'gave-up': 'ready' },
  },
  count: {
    kind: 'set',
    sets: [
      { into: 'session.count', add: 1 },
      { into: 'visitor.all', add: '{{ flow.heard }}' },
      { into: 'session.last', to: '{{ flow.heard }}' },
      { into: 'flow.heard', to: null },
    ],
    exits: { done: 'tell' },
  },
  tell: {
    kind: 'ask',
    says: '{{ session.count }}: {{ session.last }}',
    expects: 'text',
    whatever: true,
    into: 'flow.heard',
    exits: { answered: 'count', 'gave-up': 'tell' },
  },
} as const;
export const ECHO_VARIABLES = {
  variables: { session: { count: 'number', last: 'text' }, visitor: { all: { type: 'list', of: 'text' } } },
};
