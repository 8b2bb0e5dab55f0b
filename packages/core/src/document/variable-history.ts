import { applyChange, type VariableChange } from './variables.js';
import type { Value } from './shapes.js';

/*
 * Kept variables of a visitor as the changes that led to them. One person who writes in several places is several visitors; each
 * keeps what was changed there, and together they read as one. So whoever is taken for somebody else by mistake, and is told apart
 * again, takes along what is theirs and nothing more.
 */

/** A change and when it was made (ISO 8601, UTC; empty where nobody knows any more). */
export interface DatedChange extends VariableChange {
  readonly at: string;
}

/** By variable the changes that count, in order: one that sets a value is the first. */
export type VariableHistory = Readonly<Record<string, readonly DatedChange[]>>;

/** So many changes of one variable are kept apart; older ones are folded into the value that they came to. */
const MOST_CHANGES = 40;

/** The history of values of which nobody knows how they came about. */
export function historyOf(values: Readonly<Record<string, Value>>): VariableHistory {
  return Object.fromEntries(
    Object.entries(values).map(([name, value]): [string, DatedChange[]] => [name, [{ op: 'set', value, at: '' }]]),
  );
}

/** A history with more changes, made at one moment in this order. */
export function withChanges(
  history: VariableHistory,
  changes: readonly (VariableChange & { readonly name: string })[],
  at: string,
): VariableHistory {
  const after: Record<string, readonly DatedChange[]> = { ...history };
  for (const { name, ...change } of changes) {
    const before = change.op === 'set' ? [] : own(after, name);
    after[name] = folded([...before, { ...change, at }]);
  }
  return after;
}

const own = (history: VariableHistory, name: string): readonly DatedChange[] =>
  Object.hasOwn(history, name) ? (history[name] ?? []) : [];

/** The newest changes as they are, those before as what they came to. */
function folded(changes: readonly DatedChange[]): readonly DatedChange[] {
  if (changes.length <= MOST_CHANGES) return changes;
  const old = changes.slice(0, -MOST_CHANGES / 2);
  const at = old.at(-1)?.at ?? '';
  return [{ op: 'set', value: replayed(old), at }, ...changes.slice(-MOST_CHANGES / 2)];
}

const replayed = (changes: readonly DatedChange[]): Value =>
  changes.reduce<Value>((value, change) => applyChange(value, change), null);

/** What variables hold by the histories of those who are one person: what was set last, and what was added or taken away since. */
export function valuesTogether(histories: readonly VariableHistory[]): Record<string, Value> {
  const names = new Set(histories.flatMap((h) => Object.keys(h)));
  return Object.fromEntries(
    [...names].map((name): [string, Value] => {
      const changes = histories.flatMap((h) => own(h, name)).sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0));
      const set = changes.findLastIndex((c) => c.op === 'set');
      return [name, replayed(changes.slice(Math.max(0, set)))];
    }),
  );
}
