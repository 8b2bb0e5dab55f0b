import type { BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import type { TurnResult } from '../engine/types.js';

/** What a run has come to. */
export const RUN_OUTCOMES = ['running', 'done', 'failed', 'aside'] as const;
export type RunOutcome = (typeof RUN_OUTCOMES)[number];

export interface RunResult {
  readonly outcome: Exclude<RunOutcome, 'aside'>;
  /** What its flow gives, as far as the flow declares it. */
  readonly gave: Readonly<Record<string, Value>>;
  /** Why it failed, in a sentence; null where it did not. */
  readonly reason: string | null;
}

/** What a run came to with a turn: its flow was left, well or not, goes on later, or waits for somebody who is not there. */
export function runResult(document: BotDocument, flow: string, { rests, over, session, sheet }: TurnResult): RunResult {
  if (rests) return { outcome: 'running', gave: {}, reason: null };
  // The sheet keeps the beginning of what is long; whoever called gets all of it.
  const left = over?.flow === flow ? over : undefined;
  const gives = document.flows[flow]?.gives ?? {};
  const gave = Object.fromEntries(Object.entries(left?.values ?? {}).filter(([name]) => Object.hasOwn(gives, name)));
  if (session.waiting !== null)
    return { outcome: 'failed', gave, reason: 'it came to a node that waits for somebody, and in a run nobody is there' };
  if (!Object.hasOwn(document.flows, flow))
    return { outcome: 'failed', gave, reason: `there is no flow "${flow}" in this version` };
  if (sheet.ended || (left && !left.failed)) return { outcome: 'done', gave, reason: null };
  return { outcome: 'failed', gave, reason: 'its flow ended as failed' };
}
