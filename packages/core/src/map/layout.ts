import type { Flow } from '../document/schema.js';
import type { Band, Exit } from '../engine/kind.js';
import { nodeKinds } from '../engine/nodes/registry.js';

/** An exit as drawn. `to`, and `at`, its address, are undefined where it leads nowhere; a written one is not drawn as a rail. */
export interface PlacedChip {
  readonly exit: string;
  readonly about: string;
  readonly to?: string;
  readonly at?: string;
  readonly written: boolean;
}

/**
 * Where a node stands: beats are counted from 1. `address` is the beat, with the first letter of the band where the beat
 * holds several nodes: `7`, `4b`. Small, since a capital O would read as a nought.
 */
export interface PlacedNode {
  readonly id: string;
  readonly beat: number;
  readonly band: Band;
  readonly address: string;
  readonly chips: readonly PlacedChip[];
}

export interface FlowLayout {
  /** In reading order: by beat, then from left to right. */
  readonly nodes: readonly PlacedNode[];
  readonly beats: number;
}

export const BANDS: readonly Band[] = ['visitor', 'bot', 'outside'];
const WAYS = ['usual', undefined, 'aside'];
/** What fits on the edge of the narrowest node, in letters; up to how many it is worth cutting names a little. */
const EDGE_LETTERS = 24;
const CUT_LETTERS = 27;
/** What a chip needs besides its name. */
const CHIP_FRAME_LETTERS = 3;
const WRITTEN_LETTERS = 5;

/**
 * Places a flow in bands and beats. A node stands in the band of its kind, one beat below the first node that leads to it
 * when the story is followed by its usual exits first; one node per band and beat, the further ones take the next free
 * beats. What nothing leads to stands below the node that comes before it in the document.
 * A pure function of the flow: the same flow gives the same picture, and an edit leaves the order of all others as it was.
 */
export function layoutFlow(flow: Flow): FlowLayout {
  const beats = placeBeats(flow);
  const bandOf = (id: string) => bandOfNode(flow, id);
  const drawn = drawnLinks(flow, beats);
  const held = new Map<number, number>();
  for (const beat of beats.values()) held.set(beat, (held.get(beat) ?? 0) + 1);
  const addressOf = (id: string, beat = beats.get(id) ?? 0) =>
    (held.get(beat) ?? 0) > 1 ? `${beat}${bandOf(id).charAt(0)}` : String(beat);
  const nodes = [...beats].map(([id, beat]): PlacedNode => {
    const chips = exitsOf(flow, id).map(({ name, about }): PlacedChip => {
      const to = flow.nodes[id]?.exits?.[name];
      const known = to !== undefined && Object.hasOwn(flow.nodes, to);
      return { exit: name, about, ...(known ? { to, at: addressOf(to) } : {}), written: known && !drawn.has(`${id}/${name}`) };
    });
    return { id, beat, band: bandOf(id), address: addressOf(id), chips: sortChips(chips, bandOf) };
  });
  return {
    nodes: nodes.sort((a, b) => a.beat - b.beat || BANDS.indexOf(a.band) - BANDS.indexOf(b.band)),
    beats: Math.max(0, ...beats.values()),
  };
}

function bandOfNode(flow: Flow, id: string): Band {
  return nodeKinds.get(flow.nodes[id]?.kind ?? '')?.band ?? 'bot';
}

/** The exits of a node, in the order of its kind. */
export function exitsOf(flow: Flow, id: string): readonly Exit[] {
  const node = flow.nodes[id];
  return node ? (nodeKinds.get(node.kind)?.exits(node) ?? []) : [];
}

/** Where a node leads, each target once: by its usual ways, by the others, and aside. */
function waysOn(flow: Flow, id: string): readonly (readonly string[])[] {
  const exits = flow.nodes[id]?.exits ?? {};
  const seen = new Set<string>();
  return WAYS.map((way) =>
    exitsOf(flow, id).flatMap((exit) => {
      const to = exits[exit.name];
      if (exit.way !== way || to === undefined || seen.has(to) || !Object.hasOwn(flow.nodes, to)) return [];
      seen.add(to);
      return [to];
    }),
  );
}

/**
 * Depth first along the usual ways, so that the place of a node depends on its own way and not on how long others are.
 * Where no way is the usual one, as behind a branch or a menu, the nodes behind all of them stand together first.
 */
function placeBeats(flow: Flow): Map<string, number> {
  const beats = new Map<string, number>();
  const taken = new Set<string>();
  const walked = new Set<string>();
  const put = (id: string, wanted: number): void => {
    const band = bandOfNode(flow, id);
    let beat = wanted;
    while (taken.has(`${band}/${beat}`)) beat++;
    taken.add(`${band}/${beat}`);
    beats.set(id, beat);
  };
  const walk = (start: string, first: number): void => {
    const open: { id: string; beat: () => number }[] = [{ id: start, beat: () => first }];
    for (let at = open.pop(); at; at = open.pop()) {
      const { id } = at;
      if (walked.has(id)) continue;
      walked.add(id);
      if (!beats.has(id)) put(id, at.beat());
      const below = () => (beats.get(id) ?? 0) + 1;
      const [usual = [], others = [], aside = []] = waysOn(flow, id);
      if (usual.length === 0) for (const to of others) if (!beats.has(to)) put(to, below());
      open.push(...[...usual, ...others, ...aside].reverse().map((to) => ({ id: to, beat: below })));
    }
  };
  if (flow.begin !== undefined && Object.hasOwn(flow.nodes, flow.begin)) walk(flow.begin, 1);
  const ids = Object.keys(flow.nodes);
  for (const [i, id] of ids.entries()) if (!beats.has(id)) walk(id, (beats.get(ids[i - 1] ?? '') ?? 0) + 1);
  return beats;
}

/**
 * Links drawn as rails: all but those that climb or skip more than a beat and those that the edge of their node has no
 * room for; of these the nearest are drawn too, so that at most half the exits of the flow are written.
 */
function drawnLinks(flow: Flow, beats: ReadonlyMap<string, number>): Set<string> {
  const ids = Object.keys(flow.nodes);
  const byNode = ids.map((id) => linksOf(flow, id, beats));
  const links = byNode.flat();
  const near = ({ span }: DrawableLink) => span >= -1 && span <= 2 && span !== 0;
  const crowded = new Set(byNode.flatMap((own) => withoutRoom(own.filter(near))));
  const rather = links
    .filter((l) => !near(l) || crowded.has(l))
    .sort((a, b) => Number(crowded.has(b)) - Number(crowded.has(a)) || Math.abs(b.span) - Math.abs(a.span));
  const exits = ids.reduce((sum, id) => sum + exitsOf(flow, id).length, 0);
  const written = new Set(rather.slice(0, Math.floor(exits / 2)));
  return new Set(links.filter((l) => !written.has(l)).map((l) => `${l.from}/${l.exit}`));
}

interface DrawableLink {
  readonly from: string;
  readonly exit: string;
  /** Beats from the node to its target; negative upward. */
  readonly span: number;
}

function linksOf(flow: Flow, from: string, beats: ReadonlyMap<string, number>): DrawableLink[] {
  return exitsOf(flow, from).flatMap(({ name: exit }) => {
    const to = beats.get(flow.nodes[from]?.exits?.[exit] ?? '');
    return to === undefined ? [] : [{ from, exit, span: to - (beats.get(from) ?? 0) }];
  });
}

/** Of the near links of one node those whose chips do not fit beside the nearest ones on its edge. */
function withoutRoom(links: readonly DrawableLink[]): DrawableLink[] {
  let letters = 0;
  return [...links]
    .sort((a, b) => Math.abs(a.span) - Math.abs(b.span))
    .filter((l) => (letters += l.exit.length + CHIP_FRAME_LETTERS) > CUT_LETTERS);
}

/** Written exits first, then by the band they lead to, so that rails do not cross at birth; open ones last. */
function sortChips(chips: readonly PlacedChip[], bandOf: (id: string) => Band): PlacedChip[] {
  const rank = (c: PlacedChip) => (c.written ? 0 : c.to === undefined ? 4 : 1 + BANDS.indexOf(bandOf(c.to)));
  return chips
    .map((chip, i) => ({ chip, i }))
    .sort((a, b) => rank(a.chip) - rank(b.chip) || a.i - b.i)
    .map(({ chip }) => chip);
}

/**
 * The chips of a node in lines: those inside the node, then the one line on its lower edge. Where they need more than one
 * line the written ones go inside; a chip that has a rail always stands on the edge.
 */
export function chipLines(chips: readonly PlacedChip[]): {
  readonly inside: readonly PlacedChip[];
  readonly edge: readonly PlacedChip[];
} {
  const letters = (list: readonly PlacedChip[]) =>
    list.reduce((sum, c) => sum + c.exit.length + CHIP_FRAME_LETTERS + (c.written ? WRITTEN_LETTERS : 0), 0);
  const written = chips.filter((c) => c.written);
  if (letters(chips) <= EDGE_LETTERS || written.length === 0) return { inside: [], edge: chips };
  return { inside: written, edge: chips.filter((c) => !c.written) };
}
