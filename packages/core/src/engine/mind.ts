import type { BotDocument, KnowledgeBase } from '../document/schema.js';
import { createKnowledgeIndex, type KnowledgeIndex } from '../knowledge/rank.js';
import type { Vectors } from '../understanding/dense-view.js';
import type { Listener } from '../understanding/listener.js';
import type { Performers } from './drive.js';
import { lookup } from './effects/lookup.js';
import type { UnderstandResult } from './effects/understand.js';

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

/** What an encoder makes of texts; undefined where it does not answer in time. Never rejects. */
export type Encode = (texts: readonly string[]) => Promise<Vectors | undefined>;

/** How a bot is listened for: `learning` where the listener has not learned yet, `encode` where an encoder helps. */
export interface Hearer {
  readonly listener: Listener | undefined;
  readonly learning?: boolean;
  readonly encode?: Encode | undefined;
}

/**
 * What understands and looks up for a bot; without a listener it understands nothing. What an encoder has a part in comes later,
 * and is noted by whoever drives the turn; all else is computed at once, and the same each time.
 */
export function createMind(document: BotDocument, { listener, learning = false, encode }: Hearer): Mind {
  return {
    lookup: ({ base: name, question, most }) => {
      const base = document.knowledge?.[name];
      if (!base) return lookup.failed('not-configured', `there is no knowledge base "${name}"`);
      return { outcome: 'looked-up', ...knowledgeIndex(base).look(question, most) };
    },
    understand: ({ text, language, at, zone, day }) => {
      const setting = { at, zone, language, day };
      const understood = (vectors?: Vectors): UnderstandResult => {
        const heard = listener?.hear(text, setting, vectors) ?? { intents: [], values: [] };
        return { outcome: 'understood', ...heard, ...(learning ? { learning } : {}) };
      };
      const asks = encode && listener && !learning ? listener.asks(text, setting) : [];
      return encode && asks.length > 0 ? encode(asks).then(understood) : understood();
    },
  };
}
