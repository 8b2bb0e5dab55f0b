import type { Problem } from '../document/problem.js';
import type { BotDocument } from '../document/schema.js';
import { calledFlows } from '../engine/refers.js';
import { circlesOf } from './circles.js';

/** Flows that call each other in a circle, one warning a circle: a walk through it ends only when it is too deep. */
export function circleProblems({ flows }: BotDocument): Problem[] {
  const calls = new Map(
    Object.entries(flows).map(([id, flow]) => {
      const called = Object.values(flow.nodes).flatMap((n) => (n.off ? [] : calledFlows(n)));
      return [id, [...new Set(called)].filter((c) => c in flows)] as const;
    }),
  );
  return circlesOf(calls.keys(), (id) => calls.get(id) ?? []).map((circle) => ({
    code: 'call-circle',
    severity: 'warning',
    flow: circle[0] ?? '',
    facts: { flows: circle },
  }));
}
