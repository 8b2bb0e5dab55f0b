import { openSession, type Source, type Values } from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import type { LoadedBot } from '../bots/loader.js';
import type { Accepted } from '../turns/accept.js';
import type { Turns } from '../turns/turns.js';

/** What begins a run: a flow of a bot, with what it takes. */
export interface Fired {
  readonly loaded: LoadedBot;
  readonly by: Source;
  /** The source's own id: a second one with the same id begins no second run. */
  readonly externalId: string;
  readonly flow: string;
  readonly given: Values;
}

/**
 * Begins a run: a flow that no conversation began. It has state, turns and sheets like a conversation, and neither visitor nor
 * channel. Returns once it is stored; a repeat of the same id is answered from the record.
 */
export function fire({ turns, clock }: { readonly turns: Turns; readonly clock: Clock }, fired: Fired): Promise<Accepted> {
  const { loaded, by, externalId, flow, given } = fired;
  const id = newId(clock);
  const at = clock.now();
  const { botId, releaseId } = loaded;
  const state = openSession(loaded.bot, {});
  return turns.take({
    conversationId: id,
    botId,
    source: `${by} ${botId}`,
    externalId,
    event: { type: 'fired', at: at.toISOString(), by, flow, given },
    begins: { id, botId, channelId: null, source: by, visitorId: null, releaseId, state, visitorName: null, at },
  });
}
