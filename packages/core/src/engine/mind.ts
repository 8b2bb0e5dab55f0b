import type { BotDocument, KnowledgeBase } from '../document/schema.js';
import { createKnowledgeIndex, type KnowledgeIndex } from '../knowledge/rank.js';
import type { Listener } from '../understanding/listener.js';
import type { Performers } from './drive.js';
import { lookup } from './effects/lookup.js';

/** Performs what is computed from a bot alone. The same bot and the same effect give the same. */
export type Mind = Pick<Performers, 'understand' | 'lookup'>;

const indexes = new WeakMap<KnowledgeBase, KnowledgeIndex>();

/** The index of a knowledge base, made when it is first asked. */
export function knowledgeIndex(base: KnowledgeBase): KnowledgeIndex {
  const known = indexes.get(base);
  if (known) return known;
  const made = createKnowledgeIndex(base);
  indexes.set(base, made);
  return made;
}

/** What understands and looks up for a bot; without a listener it understands nothing. `learning`: the listener has not learned yet. */
export function createMind(document: BotDocument, listener: Listener | undefined, learning = false): Mind {
  return {
    lookup: ({ base: name, question, most }) => {
      const base = document.knowledge?.[name];
      if (!base) return lookup.failed('not-configured', `there is no knowledge base "${name}"`);
      return { outcome: 'looked-up', ...knowledgeIndex(base).look(question, most) };
    },
    understand: ({ text, language, at, zone }) => {
      const heard = listener?.(text, { at, zone, language }) ?? { intents: [], values: [] };
      return { outcome: 'understood', ...heard, ...(learning ? { learning } : {}) };
    },
  };
}
