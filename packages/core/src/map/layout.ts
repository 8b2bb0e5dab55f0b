import type { Flow } from '../document/schema.js';
import type { Band, Exit } from '../engine/kind.js';
import { nodeKinds } from '../engine/nodes/registry.js';

/** An exit as drawn. `to` is undefined where it leads nowhere; a written one is not drawn as a rail. */
export interface PlacedChip {
  readonly exit: string;
  readonly about: string;
  readonly to?: string;
  readonly written: boolean;
}

/** Where a node stands: beats are counted from 1. */
export interface PlacedNode {
  readonly id: string;
  readonly beat: number;
  readonly band: Band;
  readonly chips: readonly PlacedChip[];
}

export interface FlowLayout {
  readonly nodes: readonly PlacedNode[];
  readonly beats: number;
}

const BANDS: readonly Band[] = ['visitor', 'bot', 'outside'];

/**
 * Places a flow in bands and beats. A node stands in the band of its kind, one beat below the first node that leads to
 * it; one node per band and beat, the further ones take the next free beats. What nothing leads to stands below.
 * A pure function of the flow: the same flow gives the same picture.
 */
export function layoutFlow(flow: Flow): FlowLayout {
  const beats = placeBeats(flow);
  const bandOf = (id: string) => nodeKinds.get(flow.nodes[id]?.kind ?? '')?.band ?? 'bot';
  const drawn = drawnLinks(flow, beats);
  const nodes = [...beats].map(([id, beat]): PlacedNode => {
    const chips = exitsOf(flow, id).map(({ name, about }): PlacedChip => {
      const to = flow.nodes[id]?.exits?.[name];
      const known = to !== undefined && to in flow.nodes;
      return { exit: name, about, ...(known ? { to } : {}), written: known && !drawn.has(`${id}/${name}`) };
    });
    return { id, beat, band: bandOf(id), chips: sortChips(chips, bandOf) };
  });
  return {
    nodes: nodes.sort((a, b) => a.beat - b.beat || BANDS.indexOf(a.band) - BANDS.indexOf(b.band)),
    beats: Math.max(0, ...beats.values()),
  };
}

function exitsOf(flow: Flow, id: string): readonly Exit[] {
  const node = flow.nodes[id];
  return node ? (nodeKinds.get(node.kind)?.exits(node) ?? []) : [];
}

function placeBeats(flow: Flow): Map<string, number> {
  const beats = new Map<string, number>();
  const taken = new Set<string>();
  const put = (id: string, wanted: number) => {
    const band = nodeKinds.get(flow.nodes[id]?.kind ?? '')?.band ?? 'bot';
    let beat = wanted;
    while (taken.has(`${band}/${beat}`)) beat++;
    taken.add(`${band}/${beat}`);
    beats.set(id, beat);
  };
  const walk = (start: string, beat: number) => {
    put(start, beat);
    const queue = [start];
    for (const id of queue) {
      const targets = exitsOf(flow, id).map((e) => flow.nodes[id]?.exits?.[e.name]);
      for (const to of targets) {
        if (to === undefined || !(to in flow.nodes) || beats.has(to)) continue;
        put(to, (beats.get(id) ?? 0) + 1);
        queue.push(to);
      }
    }
  };
  if (flow.begin !== undefined && flow.begin in flow.nodes) walk(flow.begin, 1);
  for (const id of Object.keys(flow.nodes)) if (!beats.has(id)) walk(id, Math.max(0, ...beats.values()) + 1);
  return beats;
}

/** Links drawn as rails: near ones, and the nearest of the others until at most half the exits are written. */
function drawnLinks(flow: Flow, beats: ReadonlyMap<string, number>): Set<string> {
  const links = Object.keys(flow.nodes).flatMap((id) =>
    exitsOf(flow, id).flatMap(({ name }) => {
      const to = flow.nodes[id]?.exits?.[name];
      if (to === undefined || !beats.has(to)) return [];
      return [{ key: `${id}/${name}`, span: (beats.get(to) ?? 0) - (beats.get(id) ?? 0) }];
    }),
  );
  const near = ({ span }: { span: number }) => span >= -1 && span <= 2 && span !== 0;
  const far = links.filter((l) => !near(l)).sort((a, b) => Math.abs(a.span) - Math.abs(b.span));
  const spare = Math.max(0, far.length - Math.floor(links.length / 2));
  return new Set([...links.filter(near), ...far.slice(0, spare)].map((l) => l.key));
}

/** Written exits first, then by the band they lead to, so that rails do not cross at birth; open ones last. */
function sortChips(chips: readonly PlacedChip[], bandOf: (id: string) => Band): PlacedChip[] {
  const rank = (c: PlacedChip) => (c.written ? 0 : c.to === undefined ? 4 : 1 + BANDS.indexOf(bandOf(c.to)));
  return chips
    .map((chip, i) => ({ chip, i }))
    .sort((a, b) => rank(a.chip) - rank(b.chip) || a.i - b.i)
    .map(({ chip }) => chip);
}
