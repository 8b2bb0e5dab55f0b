import { MATCH_FROM } from '../understanding/listener.js';
import { wordsIn } from './event.js';
import { nodeKinds } from './nodes/registry.js';
import type { Step, TurnSheet } from './sheet.js';

/** A message that matched nothing or only weakly, with what it was nearest to; or a question that found no knowledge, with where. */
export interface MissedMessage {
  readonly text: string;
  readonly intent: string | null;
  readonly score: number;
  /** The knowledge base that did not answer it. */
  readonly base?: string;
}

/** What was taken with a score so little above what it had to reach was matched weakly. */
const WEAK_BY = 0.1;
const LONGEST = 500;

/** Whether the first node of a turn waited for words and could use them: it was left, and not by an exit for all else. */
function usedBy(first: Step | undefined): boolean {
  const kind = first && nodeKinds.get(first.kind);
  if (!first || !kind?.waits || first.exit === undefined) return false;
  const aside = kind.exits({ kind: first.kind, ...kind.blank() }).filter((e) => e.way === 'aside');
  return !aside.some((e) => e.name === first.exit);
}

/** What a turn missed of what was said: nothing where an intent was sure enough, or the node that waited could use it. */
export function missedIn(sheet: TurnSheet): MissedMessage | undefined {
  return notUnderstood(sheet) ?? notCovered(sheet);
}

/** A question that was looked up and not answered anywhere. */
function notCovered({ effects }: TurnSheet): MissedMessage | undefined {
  const looked = effects.flatMap(({ request, result }) =>
    request.type === 'lookup' && result.outcome === 'looked-up' ? [{ request, result }] : [],
  );
  const last = looked.at(-1);
  if (!last || looked.some((l) => l.result.covered) || last.request.question.trim() === '') return undefined;
  const { question, base } = last.request;
  return { text: question.trim().slice(0, LONGEST), intent: null, score: 0, base };
}

function notUnderstood({ heard, understood, path, taken }: TurnSheet): MissedMessage | undefined {
  const meant = understood?.meant;
  if (meant) return { text: meant.text.slice(0, LONGEST), intent: meant.intent, score: 1 };
  const text = wordsIn(heard).trim();
  if (heard.type !== 'message' || heard.choice !== undefined || !understood || understood.learning === true || text === '')
    return undefined;
  const [best] = understood.intents;
  const from = understood.from ?? MATCH_FROM;
  const missed = { text: text.slice(0, LONGEST), intent: best?.intent ?? null, score: best?.score ?? 0 };
  if (understood.took !== undefined) return (best?.score ?? 0) < from + WEAK_BY ? missed : undefined;
  if (taken && taken.as !== 'miss') return undefined;
  return usedBy(path[0]) || understood.passed?.some((p) => p.why === 'answered') === true ? undefined : missed;
}
