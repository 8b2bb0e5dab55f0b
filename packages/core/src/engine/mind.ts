import type { BotDocument, KnowledgeBase } from '../document/schema.js';
import { lookAlone } from '../knowledge/alone.js';
import { inBase, isLookedAt, outOfBases, several, synonymsOf } from '../knowledge/bases.js';
import { createKnowledgeIndex, type KnowledgeIndex } from '../knowledge/rank.js';
import type { Vectors } from '../understanding/dense-view.js';
import { NO_LEXICON, type Lexicon } from '../understanding/lexicon.js';
import type { Listener } from '../understanding/listener.js';
import type { Performers } from './drive.js';
import { lookup, type LookupEffect, type LookupResult } from './effects/lookup.js';
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

/** Looks a question up in documents that stand in the bot itself. */
function lookInside(
  document: BotDocument,
  { base: first, also = [], question, before, most, labels, language }: LookupEffect,
  lexicon: Lexicon,
): LookupResult {
  const names = [first, ...also];
  const missing = names.find((name) => !document.knowledge?.[name]);
  if (missing !== undefined) return lookup.failed('not-configured', `there is no knowledge base "${missing}"`);
  const all = names.flatMap((name) =>
    Object.entries(document.knowledge?.[name]?.documents ?? {}).map(([id, d]) => ({
      key: several(names) ? inBase(name, id) : id,
      d,
    })),
  );
  const base = several(names)
    ? { documents: Object.fromEntries(all.map(({ key, d }) => [key, d])) }
    : document.knowledge?.[first];
  const index = knowledgeIndex(base ?? { documents: {} });
  const wanted = new Set(all.filter(({ d }) => isLookedAt(d, labels)).map(({ key }) => key));
  const looking = {
    synonyms: synonymsOf(document, language),
    ...(language === undefined
      ? {}
      : { language, isWord: (w: string) => lexicon.known(w, language), rank: (w: string) => lexicon.rank(w, language) }),
    ...(wanted.size === all.length ? {} : { only: (key: string) => wanted.has(key) }),
  };
  const found = lookAlone(question, before, (q) => index.look(q, most, looking));
  return { outcome: 'looked-up', ...(several(names) ? outOfBases(found) : found) };
}

/** What an encoder makes of texts; undefined where it does not answer in time. Never rejects. */
export type Encode = (texts: readonly string[]) => Promise<Vectors | undefined>;

/** Looks something up where contents are kept. */
export type Look = Mind['lookup'];

/** How a bot is listened for: `learning` where the listener has not learned yet, `encode` where an encoder helps. */
export interface Hearer {
  readonly listener: Listener | undefined;
  readonly learning?: boolean;
  readonly encode?: Encode | undefined;
  /** Looks up in contents that are kept beside the bot; without it, in what stands in the bot itself. */
  readonly look?: Look | undefined;
  /** What is known of languages, for looking up in the bot itself. */
  readonly lexicon?: Lexicon;
}

/**
 * What understands and looks up for a bot; without a listener it understands nothing. What an encoder has a part in comes later,
 * and is noted by whoever drives the turn; all else is computed at once, and the same each time.
 */
export function createMind(
  document: BotDocument,
  { listener, learning = false, encode, look, lexicon = NO_LEXICON }: Hearer,
): Mind {
  return {
    lookup: look ?? ((effect) => lookInside(document, effect, lexicon)),
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
