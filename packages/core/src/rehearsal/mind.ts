import type { BotDocument, KnowledgeBase } from '../document/schema.js';
import type { Completed, LookupEffect, UnderstandEffect } from '../engine/types.js';
import { createKnowledgeIndex, type KnowledgeIndex, type LookedUp } from '../knowledge/rank.js';
import type { Listener } from '../understanding/listener.js';

/** Performs what is computed from a bot alone. The same bot and the same effect give the same. */
export type Compute = (effect: UnderstandEffect | LookupEffect) => Completed['result'];

const indexes = new WeakMap<KnowledgeBase, KnowledgeIndex>();
const NOTHING: LookedUp = { passages: [], covered: false, share: 0, missing: [] };

/** The index of a knowledge base, made when it is first asked. */
export function knowledgeIndex(base: KnowledgeBase): KnowledgeIndex {
  const known = indexes.get(base);
  if (known) return known;
  const made = createKnowledgeIndex(base);
  indexes.set(base, made);
  return made;
}

/** What understands and looks up for a bot; without a listener it understands nothing. */
export function createMind(document: BotDocument, listener: Listener | undefined): Compute {
  return (effect) => {
    if (effect.type === 'lookup') {
      const base = document.knowledge?.[effect.base];
      return { outcome: 'looked-up', ...(base ? knowledgeIndex(base).look(effect.question, effect.most) : NOTHING) };
    }
    const { text, language, at, zone } = effect;
    return { outcome: 'understood', ...(listener?.(text, { at, zone, language }) ?? { intents: [], values: [] }) };
  };
}
