/** A turn of a conversation that may have branches: `parent` is the turn that it follows, null for one that begins. */
export interface TreeTurn {
  readonly id: string;
  readonly parent: string | null;
}

/** Where a turn stands in the small drawing: `depth` counts turns from 0, `lane` is the column of its branch, 0 the oldest. */
export interface PlacedTurn {
  readonly id: string;
  readonly parent: string | null;
  readonly depth: number;
  readonly lane: number;
}

/**
 * Lays out a tree of turns, given in the order in which they were run: the first turn said after another goes straight
 * on in its lane, each later one opens the next free lane to the right.
 */
export function layoutTurns(turns: readonly TreeTurn[]): PlacedTurn[] {
  const placed = new Map<string, PlacedTurn>();
  const goesOn = new Set<string>();
  let lanes = 0;
  for (const { id, parent } of turns) {
    const before = parent === null ? undefined : placed.get(parent);
    const straight = before !== undefined && !goesOn.has(before.id);
    if (before) goesOn.add(before.id);
    placed.set(id, { id, parent, depth: before ? before.depth + 1 : 0, lane: straight ? before.lane : lanes++ });
  }
  return [...placed.values()];
}

/** The turns that lead to one, from the first on; empty where there is no such turn. */
export function lineTo<T extends TreeTurn>(turns: readonly T[], id: string | null): T[] {
  const byId = new Map(turns.map((t) => [t.id, t]));
  const line: T[] = [];
  for (let at = id === null ? undefined : byId.get(id); at; at = at.parent === null ? undefined : byId.get(at.parent))
    line.push(at);
  return line.reverse();
}

/** The last turn of the line that goes on from a turn, always with what was said there last. */
export function lastOf(turns: readonly TreeTurn[], id: string): string {
  const next = new Map<string, string>();
  for (const t of turns) if (t.parent !== null) next.set(t.parent, t.id);
  let at = id;
  for (let to = next.get(at); to !== undefined; to = next.get(at)) at = to;
  return at;
}

/** By turn, what was said after it, in the order in which it was said; under null what began a line. */
export function followersOf<T extends TreeTurn>(turns: readonly T[]): ReadonlyMap<string | null, readonly T[]> {
  const found = new Map<string | null, T[]>();
  for (const turn of turns) found.set(turn.parent, [...(found.get(turn.parent) ?? []), turn]);
  return found;
}
