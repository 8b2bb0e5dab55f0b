import { layoutFlow, type Flow, type FlowLayout, type PlacedNode } from '@primrose/core';
import { useMemo, useState } from 'react';

/** The layout of a flow; what stands as it stood before is the same object, so that only the rest is drawn anew. */
export function useLayout(flow: Flow): FlowLayout {
  const [layoutOf] = useState(createSteadyLayout);
  return useMemo(() => layoutOf(flow), [layoutOf, flow]);
}

function createSteadyLayout(): (flow: Flow) => FlowLayout {
  let kept = new Map<string, { placed: PlacedNode; same: string }>();
  let last: FlowLayout = { nodes: [], beats: 0 };
  return (flow) => {
    const made = layoutFlow(flow);
    const entries = made.nodes.map((placed) => {
      const same = JSON.stringify(placed);
      const before = kept.get(placed.id);
      return before?.same === same ? before : { placed, same };
    });
    kept = new Map(entries.map((e) => [e.placed.id, e]));
    const nodes = entries.map((e) => e.placed);
    const asBefore = nodes.length === last.nodes.length && nodes.every((n, i) => n === last.nodes[i]);
    if (!asBefore) last = { ...made, nodes };
    return last;
  };
}
