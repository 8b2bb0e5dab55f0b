/**
 * The circles among places that lead to each other, each as its places in order: one for every way back to a place that the
 * search (depth first, in the order given) is still on. No recursion, so no chain is too long.
 */
export function circlesOf(places: Iterable<string>, leadsTo: (place: string) => readonly string[]): string[][] {
  const done = new Set<string>();
  const circles: string[][] = [];
  for (const start of places) {
    const path = done.has(start) ? [] : [{ id: start, rest: [...leadsTo(start)] }];
    while (path.length > 0) {
      const top = path.at(-1);
      const next = top?.rest.shift();
      if (top && next === undefined) {
        done.add(top.id);
        path.pop();
      } else if (next !== undefined) {
        const at = path.findIndex((p) => p.id === next);
        if (at >= 0) circles.push(path.slice(at).map((p) => p.id));
        else if (!done.has(next)) path.push({ id: next, rest: [...leadsTo(next)] });
      }
    }
  }
  return circles;
}
