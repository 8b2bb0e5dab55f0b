import { createMind, type Mind } from '@primrose/core';
import type { LoadedBot } from '../bots/loader.js';
import type { LookOf } from '../knowledge/lookups.js';
import type { Listeners } from './listeners.js';

/** What minds are made with. */
export interface MindParts {
  readonly listeners: Listeners;
  readonly lookOf: LookOf;
}

/** What understands for a turn, and whether it does so without having learned. */
export interface PreparedMind {
  readonly mind: Mind;
  readonly learning: boolean;
}

/**
 * Gets a bot's listener ready, where it listens. What it computes by words is not noted in the journal, as the same bot gives the
 * same; what an encoder had a part in is. `begun` says how an earlier try of the turn went on, and so does this one.
 */
export async function prepareMind(
  { listeners, lookOf }: MindParts,
  { bot, botId, releaseId }: LoadedBot,
  begun?: 'trained' | 'untrained',
): Promise<PreparedMind> {
  const { document, listens } = bot;
  const look = lookOf({ botId, document, released: releaseId !== null });
  if (!listens) return { mind: createMind(document, { listener: undefined, look }), learning: false };
  const { encode } = listeners;
  if (begun === 'trained')
    return { mind: createMind(document, { listener: await listeners.of(document, botId), encode, look }), learning: false };
  if (begun === 'untrained')
    return { mind: createMind(document, { listener: listeners.untrained(document), learning: true, look }), learning: true };
  const { listener, learning } = await listeners.soon(document, botId, releaseId !== null);
  return { mind: createMind(document, { listener, learning, encode, look }), learning };
}
