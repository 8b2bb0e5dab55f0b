import { createMind, type BotDocument, type Mind } from '@primrose/core';
import type { Listeners } from './listeners.js';

/** Gets a bot's listener ready, where it listens; what it then computes for a turn takes no time to wait for. Nothing of it is noted in the journal: the same bot gives the same. */
export async function prepareMind(listeners: Listeners, document: BotDocument, listens: boolean): Promise<Mind> {
  return createMind(document, listens ? await listeners.of(document) : undefined);
}
