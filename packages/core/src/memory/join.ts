import { changedMemory, EMPTY_MEMORY, MOST_PROPOSED, type Memory } from './memory.js';

const at = (one: { readonly at: string }, other: { readonly at: string }): number => one.at.localeCompare(other.at);

/**
 * What is known of one person who was taken for two: what was said last counts, the rest stays in the history of the facts, and the
 * exchanges of both stand in the order of time. Summaries say of which exchanges they are no more, so what there is is summed up anew.
 */
export function joinedMemory(one: Memory, other: Memory, many: (about: string) => boolean): Memory {
  const facts = [...one.facts, ...other.facts].sort(at);
  const exchanges = [...one.exchanges, ...other.exchanges].sort(at);
  const kept = facts.reduce((memory, fact) => changedMemory(memory, { op: 'keep', fact }, many), EMPTY_MEMORY);
  const all = exchanges.reduce((memory, exchange) => changedMemory(memory, { op: 'exchange', exchange }, many), kept);
  const declined = [...(one.declined ?? []), ...(other.declined ?? [])];
  const rest = declined.reduce((memory, { about, value }) => changedMemory(memory, { op: 'decline', about, value }, many), all);
  const proposed = [...(one.proposed ?? []), ...(other.proposed ?? [])].slice(-MOST_PROPOSED);
  // Whoever sums one of them up just now does so of what is no more.
  return { ...rest, forgets: (one.forgets ?? 0) + (other.forgets ?? 0) + 1, ...(proposed.length > 0 ? { proposed } : {}) };
}
