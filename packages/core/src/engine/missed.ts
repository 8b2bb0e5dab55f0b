import { MATCH_FROM } from '../understanding/listener.js';
import { wordsIn } from './event.js';
import type { TurnSheet } from './sheet.js';

/** A message that matched nothing or only weakly: its words, and what it was nearest to. */
export interface MissedMessage {
  readonly text: string;
  readonly intent: string | null;
  readonly score: number;
}

/** What was taken with a score so little above what it had to reach was matched weakly. */
const WEAK_BY = 0.1;
/** Kinds that wait for words, and exits through which they are left when the words are of no use to them. */
const WAITS = new Set(['ask', 'choice', 'listen']);
const ASIDE = new Set(['gave-up', 'unmatched', 'other']);
const LONGEST = 500;

/** What a turn missed of what was said: nothing where an intent was sure enough, or the node that waited could use it. */
export function missedIn({ heard, understood, path }: TurnSheet): MissedMessage | undefined {
  const text = wordsIn(heard).trim();
  if (heard.type !== 'message' || heard.choice !== undefined || !understood || understood.learning === true || text === '')
    return undefined;
  const [best] = understood.intents;
  const from = understood.from ?? MATCH_FROM;
  const missed = { text: text.slice(0, LONGEST), intent: best?.intent ?? null, score: best?.score ?? 0 };
  if (understood.took !== undefined) return (best?.score ?? 0) < from + WEAK_BY ? missed : undefined;
  const [first] = path;
  const waited = first !== undefined && WAITS.has(first.kind);
  const used = waited && first.exit !== undefined && !ASIDE.has(first.exit);
  return used || understood.passed?.some((p) => p.why === 'answered') === true ? undefined : missed;
}
