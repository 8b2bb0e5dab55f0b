import { beginTurn, drive, createMind, type IncomingEvent, type Performers } from '@primrose/core';
import type { BotLoader, LoadedBot } from '../../bots/loader.js';
import type { LineRow } from '../../store/lines.js';
import type { OpeningRow } from '../../store/openings.js';
import { firstState } from '../../turns/turns.js';
import { schedule } from '../../turns/schedule.js';
import { webChat } from './web-chat.js';

/** The opening of a turn needs something from outside, so it cannot be made again and has to be stored. */
class NeedsOutside extends Error {}

const refuse = (): never => {
  throw new NeedsOutside();
};
const NOTHING_OUTSIDE: Pick<
  Performers,
  'action' | 'model' | 'draw' | 'mcp' | 'table' | 'notice' | 'recall' | 'spent' | 'sign-in' | 'timer' | 'step' | 'lookup'
> = {
  action: refuse,
  model: refuse,
  draw: refuse,
  table: refuse,
  notice: refuse,
  mcp: refuse,
  recall: refuse,
  lookup: refuse,
  spent: refuse,
  'sign-in': refuse,
  timer: refuse,
  step: refuse,
};

/** The event with which a chat is opened. */
export function openEvent(at: Date): IncomingEvent {
  return { type: 'open', at: at.toISOString(), channel: webChat.kind };
}

/**
 * What a bot says when a chat is opened, as the lines that its turn would store. The same opening gives the same lines, so they
 * need not be kept: whoever only opens a page leaves one small row. Undefined for a bot whose first words need something from
 * outside; such a conversation is stored at once.
 */
export async function greeting(
  loaded: LoadedBot,
  { conversation_id: id, at, language }: OpeningRow,
): Promise<LineRow[] | undefined> {
  const state = firstState(loaded, language ?? undefined);
  const performers: Performers = { ...createMind(loaded.bot.document, { listener: undefined }), ...NOTHING_OUTSIDE };
  try {
    const driven = await drive(beginTurn(loaded.bot, state, openEvent(at)), { performers });
    const { messages } = driven.result;
    const { due } = schedule(messages, at, null);
    return messages.map((message, i) => ({
      conversation_id: id,
      // The event itself has the first number.
      seq: i + 2,
      who: 'bot',
      external_id: null,
      message: JSON.stringify(message),
      at,
      due_at: due[i] ?? null,
    }));
  } catch (error) {
    if (error instanceof NeedsOutside) return undefined;
    throw error;
  }
}

/** The lines of an opening that is kept; empty where they cannot be made any more. */
export async function greetingOf(loader: BotLoader, opening: OpeningRow): Promise<LineRow[]> {
  return (await greeting(await loader.release(opening.release_id), opening)) ?? [];
}
