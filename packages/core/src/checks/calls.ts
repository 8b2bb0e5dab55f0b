import type { Problem } from '../document/problem.js';
import type { BotDocument } from '../document/schema.js';
import { calledFlows } from '../engine/refers.js';

/** Flows that call each other in a circle, one warning a circle: a walk through it ends only when it is too deep. */
export function circleProblems({ flows }: BotDocument): Problem[] {
  const calls = new Map(
    Object.entries(flows).map(([id, flow]) => {
      const called = Object.values(flow.nodes).flatMap((n) => (n.off ? [] : calledFlows(n)));
      return [id, [...new Set(called)].filter((c) => c in flows)] as const;
    }),
  );
  const done = new Set<string>();
  const problems: Problem[] = [];
  for (const start of calls.keys()) {
    const path: { id: string; rest: string[] }[] = done.has(start) ? [] : [{ id: start, rest: [...(calls.get(start) ?? [])] }];
    while (path.length > 0) {
      const top = path.at(-1);
      const next = top?.rest.shift();
      if (top && next === undefined) {
        done.add(top.id);
        path.pop();
      } else if (next !== undefined) {
        const at = path.findIndex((p) => p.id === next);
        const circle = at < 0 ? [] : path.slice(at).map((p) => p.id);
        if (circle.length > 0)
          problems.push({ code: 'call-circle', severity: 'warning', flow: circle[0] ?? next, facts: { flows: circle } });
        else if (!done.has(next)) path.push({ id: next, rest: [...(calls.get(next) ?? [])] });
      }
    }
  }
  return problems;
}
