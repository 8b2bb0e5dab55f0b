import {
  createKnowledgeIndex,
  type BotDocument,
  type Completed,
  type KnowledgeBase,
  type KnowledgeIndex,
  type LookedUp,
  type LookupEffect,
  type UnderstandEffect,
} from '@primrose/core';
import type { Listeners } from './listeners.js';

/** Performs what is computed from a bot alone. The same bot gives the same, so nothing of it is noted in the journal. */
export type Compute = (effect: UnderstandEffect | LookupEffect) => Completed['result'];

const indexes = new WeakMap<KnowledgeBase, KnowledgeIndex>();

/** The index of a knowledge base, made when it is first asked. */
export function knowledgeIndex(base: KnowledgeBase): KnowledgeIndex {
  const known = indexes.get(base);
  if (known) return known;
  const made = createKnowledgeIndex(base);
  indexes.set(base, made);
  return made;
}

const NOTHING: LookedUp = { passages: [], covered: false, share: 0, missing: [] };

/** Gets a bot's listener ready, where it listens; what it then computes for a turn at a moment (ISO 8601, UTC) takes no time to wait for. */
export async function prepareMind(listeners: Listeners, document: BotDocument, listens: boolean, at: string): Promise<Compute> {
  const listener = listens ? await listeners.of(document) : undefined;
  return (effect) => {
    if (effect.type === 'lookup') {
      const base = document.knowledge?.[effect.base];
      return { outcome: 'looked-up', ...(base ? knowledgeIndex(base).look(effect.question, effect.most) : NOTHING) };
    }
    const { text, language } = effect;
    const understood = listener?.(text, { at, zone: document.zone, language });
    return { outcome: 'understood', ...(understood ?? { intents: [], values: [] }) };
  };
}
