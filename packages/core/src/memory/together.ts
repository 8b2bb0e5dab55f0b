import { joinedMemory } from './join.js';
import { clip, EMPTY_MEMORY, type Memory, type MemoryChange, type Summary } from './memory.js';

/** A summary of several is no longer than one of one. */
const SUMMARY_SIZE = 4000;

/**
 * What is known of one person who writes in several places, from what each of the visitors that they are there has said. Nothing
 * is stored of it: each keeps their own, so that whoever was taken for somebody else by mistake takes along what is theirs.
 */
export function togetherMemory(memories: readonly Memory[], many: (about: string) => boolean): Memory {
  const [first = EMPTY_MEMORY, ...others] = memories;
  if (others.length === 0) return first;
  const all = others.reduce((memory, other) => joinedMemory(memory, other, many), first);
  const summary = summariesOf(memories);
  const forgets = memories.reduce((sum, m) => sum + (m.forgets ?? 0), 0);
  const fresh = Math.min(
    all.exchanges.length,
    memories.reduce((sum, m) => sum + m.fresh, 0),
  );
  return { ...all, forgets, fresh, ...(summary ? { summary } : {}) };
}

function summariesOf(memories: readonly Memory[]): Summary | undefined {
  const summaries = memories.flatMap((m) => (m.summary ? [m.summary] : [])).sort((a, b) => a.at.localeCompare(b.at));
  const last = summaries.at(-1);
  if (!last || summaries.length === 1) return last;
  const says = clip(summaries.map((s) => s.says).join(' '), SUMMARY_SIZE);
  const turns = summaries.reduce((sum, s) => sum + s.turns, 0);
  const tokens = summaries.reduce<Summary['tokens']>(
    (sum, s) => (s.tokens ? { in: (sum?.in ?? 0) + s.tokens.in, out: (sum?.out ?? 0) + s.tokens.out } : sum),
    null,
  );
  return { ...last, says, turns, tokens };
}

/** True for a change that is about everything that is known of a person, wherever they said it; others are kept where they were said. */
export function isOfPerson(change: MemoryChange): boolean {
  return change.op === 'forget' || change.op === 'forget-all' || change.op === 'correct' || change.op === 'asked';
}
