import type { Band } from '../engine/kind.js';

/** Boxes as measured, in pixels from the corner of the drawing. `bands` are the three columns from left to right. */
export interface MapGeometry {
  readonly bands: readonly { readonly left: number; readonly right: number }[];
  readonly nodes: readonly {
    readonly id: string;
    readonly beat: number;
    readonly band: Band;
    readonly left: number;
    readonly right: number;
    readonly top: number;
    readonly bottom: number;
    readonly selected?: boolean;
  }[];
  readonly chips: readonly {
    readonly node: string;
    readonly exit: string;
    readonly to: string;
    readonly x: number;
    readonly bottom: number;
  }[];
}

/** A drawn link: an SVG path and the three corners of its arrowhead. */
export interface Rail {
  readonly node: string;
  readonly exit: string;
  readonly to: string;
  readonly path: string;
  readonly head: string;
}

type Box = MapGeometry['nodes'][number] & { readonly column: number };
type Point = readonly [number, number];

interface Link {
  readonly chip: MapGeometry['chips'][number];
  readonly from: Box;
  readonly to: Box;
  x2: number;
  form: 'straight' | 'lane' | 'channel';
  channel: number;
  channelX: number;
  lanes: Lane[];
}

/** A level run in the gap below beat `gap`. Runs with the same key share a lane and join. */
interface Lane {
  readonly gap: number;
  readonly key: string;
  a: number;
  b: number;
  y: number;
}

const BANDS: readonly Band[] = ['visitor', 'bot', 'outside'];
const CORNER = 5;
const LANE_STEP = 6;
const CHANNEL_STEP = 7;
/** What the channels offer between the nodes of two bands, less a little air. */
const CHANNEL_ROOM = 22;
const CHIP_OVERHANG = 10;
const ENTRY_CLEARANCE = 22;

/**
 * Routes the drawn links of a flow: down from a chip, along a lane in the gap between beats, down into the target from
 * above; past other nodes only in the channels between bands. Pure: the same boxes give the same rails.
 */
export function routeRails(geometry: MapGeometry): Rail[] {
  const boxes = new Map(geometry.nodes.map((n): [string, Box] => [n.id, { ...n, column: BANDS.indexOf(n.band) }]));
  const links = geometry.chips.flatMap((chip): Link[] => {
    const [from, to] = [boxes.get(chip.node), boxes.get(chip.to)];
    return from && to ? [{ chip, from, to, x2: (to.left + to.right) / 2, form: 'lane', channel: 0, channelX: 0, lanes: [] }] : [];
  });
  const channels = channelPositions(geometry.bands);
  for (const link of links) chooseForm(link, boxes, channels);
  clearEntries(links);
  spreadChannels(links, channels);
  spreadLanes(links, [...boxes.values()]);
  return links.map(draw);
}

function channelPositions(bands: MapGeometry['bands']): number[] {
  const [a, b, c] = bands;
  return a && b && c ? [a.left + 8, a.right, b.right, c.right - 8] : [0, 0, 0, 0];
}

function chooseForm(link: Link, boxes: ReadonlyMap<string, Box>, channels: readonly number[]): void {
  const { chip, from, to } = link;
  const down = to.beat > from.beat;
  const between = [...boxes.values()].filter((b) => b.beat > from.beat && b.beat < to.beat);
  const free = (column: number) => between.every((b) => b.column !== column);
  const inside = chip.x > to.left + 16 && chip.x < to.right - 16;
  if (down && from.column === to.column && inside && free(from.column)) {
    link.form = 'straight';
    link.x2 = chip.x;
    return;
  }
  const lane = (gap: number, key: string, a: number, b: number): Lane => ({ gap, key, a, b, y: 0 });
  if (down && free(to.column)) link.lanes = [lane(from.beat, to.id, chip.x, link.x2)];
  else if (down && free(from.column)) link.lanes = [lane(to.beat - 1, to.id, chip.x, link.x2)];
  else {
    link.form = 'channel';
    link.channel = channelFor(from, to);
    link.channelX = channels[link.channel] ?? 0;
    link.lanes = [
      lane(from.beat, `channel ${link.channel} ${to.id}`, chip.x, link.channelX),
      lane(to.beat - 1, to.id, link.channelX, link.x2),
    ];
  }
}

/** Upward in the outer channel of the source's band; downward in the one beside the source, towards the target. */
function channelFor(from: Box, to: Box): number {
  if (to.beat <= from.beat) return from.column === 0 ? 0 : from.column === 2 ? 3 : 1;
  if (to.column > from.column) return from.column + 1;
  if (to.column < from.column) return from.column;
  return from.column === 2 ? 2 : from.column + 1;
}

/** Entries from a lane stand clear of a straight entry into the same node. */
function clearEntries(links: readonly Link[]): void {
  for (const link of links) {
    if (link.form === 'straight') continue;
    const straight = links.filter((l) => l.form === 'straight' && l.to === link.to).map((l) => l.x2);
    if (straight.length === 0) continue;
    const fromLeft = link.chip.x < Math.min(...straight) || (link.form === 'channel' && link.channelX <= link.to.left);
    link.x2 = fromLeft
      ? Math.max(link.to.left + 20, Math.min(...straight) - ENTRY_CLEARANCE)
      : Math.min(link.to.right - 20, Math.max(...straight) + ENTRY_CLEARANCE);
    const last = link.lanes.at(-1);
    if (last) last.b = link.x2;
  }
}

/** Links that use one channel stand beside each other; those to one target share a line. */
function spreadChannels(links: readonly Link[], channels: readonly number[]): void {
  for (const [channel, x] of channels.entries()) {
    const using = links.filter((l) => l.form === 'channel' && l.channel === channel).sort((a, b) => a.from.beat - b.from.beat);
    const targets = [...new Set(using.map((l) => l.to.id))];
    const step = Math.min(CHANNEL_STEP, CHANNEL_ROOM / Math.max(1, targets.length - 1));
    const offset = (l: Link) => (targets.indexOf(l.to.id) - (targets.length - 1) / 2) * step;
    for (const link of using) {
      link.channelX = x + offset(link);
      const [first, second] = link.lanes;
      if (first) first.b = link.channelX;
      if (second) second.a = link.channelX;
    }
  }
}

function spreadLanes(links: readonly Link[], boxes: readonly Box[]): void {
  const lanes = links.flatMap((l) => l.lanes);
  for (const gap of new Set(lanes.map((l) => l.gap))) {
    const here = lanes.filter((l) => l.gap === gap);
    const rows = stackLanes([...new Set(here.map((l) => l.key))].map((key) => here.filter((l) => l.key === key)));
    const above = boxes.filter((b) => b.beat === gap).map((b) => b.bottom);
    const below = boxes.filter((b) => b.beat === gap + 1).map((b) => b.top);
    const top = above.length > 0 ? Math.max(...above) + CHIP_OVERHANG : 4;
    const bottom = below.length > 0 ? Math.min(...below) : top + 21;
    const step = Math.min(LANE_STEP, (bottom - top - 11) / Math.max(1, rows.length - 1));
    const middle = (top + bottom - 5) / 2;
    rows.forEach((row, i) => row.forEach((lane) => (lane.y = Math.round(middle + (i - (rows.length - 1) / 2) * step) + 0.5)));
  }
}

/** Packs groups of runs into as few rows as they fit; of rightward runs the longest starts highest. */
function stackLanes(groups: readonly Lane[][]): Lane[][] {
  const extent = (g: readonly Lane[]) => ({
    low: Math.min(...g.map((l) => Math.min(l.a, l.b))),
    high: Math.max(...g.map((l) => Math.max(l.a, l.b))),
  });
  const order = (g: readonly Lane[]): [number, number] => {
    const rightward = (g[0]?.b ?? 0) >= (g[0]?.a ?? 0);
    return rightward ? [0, -Math.max(...g.map((l) => l.a))] : [1, Math.min(...g.map((l) => l.a))];
  };
  const sorted = [...groups].sort((p, q) => order(p)[0] - order(q)[0] || order(p)[1] - order(q)[1]);
  const rows: { low: number; high: number; lanes: Lane[] }[][] = [];
  for (const lanes of sorted) {
    const { low, high } = extent(lanes);
    const free = rows.find((row) => row.every((r) => r.low >= high + 6 || r.high <= low - 6));
    if (free) free.push({ low, high, lanes });
    else rows.push([{ low, high, lanes }]);
  }
  return rows.map((row) => row.flatMap((r) => r.lanes));
}

const half = (n: number): number => Math.round(n) + 0.5;

function draw(link: Link): Rail {
  const { chip, to } = link;
  const end = to.top - 1 - (to.selected ? 5 : 0);
  const [x1, x2] = [half(chip.x), half(link.x2)];
  const [first, second] = link.lanes;
  const points: Point[] = [[x1, chip.bottom]];
  if (link.form === 'channel' && first && second) {
    const cx = half(link.channelX);
    points.push([x1, first.y], [cx, first.y], [cx, second.y], [x2, second.y]);
  } else if (first) points.push([x1, first.y], [x2, first.y]);
  points.push([link.form === 'straight' ? x1 : x2, end - 4]);
  const tip = points.at(-1)?.[0] ?? x2;
  return {
    node: chip.node,
    exit: chip.exit,
    to: to.id,
    path: rounded(points),
    head: `M${tip - 3.5} ${end - 6}L${tip + 3.5} ${end - 6}L${tip} ${end}Z`,
  };
}

/** A path through points with rounded corners. */
function rounded(points: readonly Point[]): string {
  let path = `M${points[0]?.join(' ')}`;
  for (let i = 1; i < points.length - 1; i++) {
    const [before, corner, after] = [points[i - 1], points[i], points[i + 1]];
    if (!before || !corner || !after) continue;
    path += `L${towards(corner, before)}Q${corner.join(' ')} ${towards(corner, after)}`;
  }
  return `${path}L${points.at(-1)?.join(' ')}`;
}

function towards(from: Point, to: Point): string {
  const length = Math.hypot(to[0] - from[0], to[1] - from[1]) || 1;
  const reach = Math.min(CORNER, length / 2) / length;
  return `${from[0] + (to[0] - from[0]) * reach} ${from[1] + (to[1] - from[1]) * reach}`;
}
