import type { Band } from '../engine/kind.js';
import { BANDS } from './layout.js';

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

const CORNER = 5;
const LANE_STEP = 6;
const CHANNEL_STEP = 7;
/** How far a channel reaches into a band at most, and what stays free beside a node. */
const SIDE = 15;
const NODE_AIR = 3;
const CHIP_OVERHANG = 10;
/** Lanes that the usual gap holds without being widened, and the air above the arrowheads. */
const USUAL_LANES = 3;
const ARROW_ROOM = 11;
/** Falls of two links that are not to look like one stand this far apart. */
const FALL_CLEARANCE = 5;
const ENTRY_CLEARANCE = 22;

export interface Routed {
  readonly rails: readonly Rail[];
  /** By beat: how much higher than usual the gap below it must be so that its lanes stand apart, in pixels. 0 is the gap above the first. */
  readonly widen: ReadonlyMap<number, number>;
}

/**
 * Routes the drawn links of a flow: down from a chip, along a lane in the gap between beats, down into the target from
 * above; past other nodes only in the channels between bands, so no rail runs through a node. Pure: the same boxes give
 * the same rails.
 */
export function routeRails(geometry: MapGeometry): Routed {
  const boxes = new Map(geometry.nodes.map((n): [string, Box] => [n.id, { ...n, column: BANDS.indexOf(n.band) }]));
  const links = geometry.chips.flatMap((chip): Link[] => {
    const [from, to] = [boxes.get(chip.node), boxes.get(chip.to)];
    return from && to ? [{ chip, from, to, x2: (to.left + to.right) / 2, form: 'lane', channel: 0, channelX: 0, lanes: [] }] : [];
  });
  const channels = channelsOf(geometry.bands, [...boxes.values()]);
  const columns = new Map<number, Set<number>>(BANDS.map((_, c) => [c, new Set()]));
  for (const box of boxes.values()) columns.get(box.column)?.add(box.beat);
  for (const link of links) chooseForm(link, columns, channels);
  clearEntries(links);
  spreadChannels(links, channels);
  partFalls(links);
  const widen = spreadLanes(links, [...boxes.values()]);
  return { rails: links.map(draw), widen };
}

/** Where rails may pass nodes: before the first band, between two, and after the last. */
interface Channel {
  readonly x: number;
  readonly room: number;
}

function channelsOf(bands: MapGeometry['bands'], boxes: readonly Box[]): Channel[] {
  const first = bands[0]?.left ?? 0;
  const last = bands[2]?.right ?? 0;
  return [0, 1, 2, 3].map((i) => {
    const before = boxes.filter((b) => b.column === i - 1).map((b) => b.right);
    const after = boxes.filter((b) => b.column === i).map((b) => b.left);
    const left = Math.max(i === 0 ? first : (bands[i - 1]?.right ?? first) - SIDE, ...before) + NODE_AIR;
    const right = Math.min(i === 3 ? last : (bands[i]?.left ?? last) + SIDE, ...after) - NODE_AIR;
    return { x: (left + right) / 2, room: Math.max(0, right - left) };
  });
}

function chooseForm(link: Link, columns: ReadonlyMap<number, ReadonlySet<number>>, channels: readonly Channel[]): void {
  const { chip, from, to } = link;
  const down = to.beat > from.beat;
  const free = (column: number) => {
    for (let beat = from.beat + 1; beat < to.beat; beat++) if (columns.get(column)?.has(beat)) return false;
    return true;
  };
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
    link.channelX = channels[link.channel]?.x ?? 0;
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

/** Links that use one channel stand beside each other; those to one target share a line, and so do those that never meet. */
function spreadChannels(links: readonly Link[], channels: readonly Channel[]): void {
  for (const [channel, { x, room }] of channels.entries()) {
    const using = links.filter((l) => l.form === 'channel' && l.channel === channel);
    const lines = linesOf(using);
    const step = Math.min(CHANNEL_STEP, room / Math.max(1, lines.length - 1));
    for (const [i, line] of lines.entries()) {
      for (const link of line) {
        link.channelX = x + (i - (lines.length - 1) / 2) * step;
        const [first, second] = link.lanes;
        if (first) first.b = link.channelX;
        if (second) second.a = link.channelX;
      }
    }
  }
}

/** Packs the links of a channel into as few lines as they fit, by the beats between which they run. */
function linesOf(using: readonly Link[]): Link[][] {
  const groups = new Map<string, Link[]>();
  for (const link of using) groups.set(link.to.id, [...(groups.get(link.to.id) ?? []), link]);
  const lines: { readonly top: number; readonly bottom: number; readonly links: Link[] }[][] = [];
  const spans = [...groups.values()].map((group) => {
    const gaps = group.flatMap((l) => l.lanes.map((lane) => lane.gap));
    return { top: Math.min(...gaps), bottom: Math.max(...gaps), links: group };
  });
  for (const span of spans.sort((a, b) => a.top - b.top || a.bottom - b.bottom)) {
    const free = lines.find((line) => line.every((other) => other.bottom < span.top || other.top > span.bottom));
    if (free) free.push(span);
    else lines.push([span]);
  }
  return lines.map((line) => line.flatMap((span) => span.links));
}

/** Two links to different nodes that would fall along the same line are set apart where they enter their nodes. */
function partFalls(links: readonly Link[]): void {
  const falls = (l: Link) => ({ top: l.from.beat, bottom: l.to.beat - 1, x: l.lanes[0]?.gap === l.from.beat ? l.x2 : l.chip.x });
  const entering = links.filter((l) => l.form === 'lane' && l.lanes[0]?.gap === l.from.beat && l.to.beat - l.from.beat > 1);
  const others = links.filter((l) => l.form === 'straight' || l.form === 'lane');
  for (const link of entering) {
    const mine = falls(link);
    const close = others.filter((o) => {
      const theirs = falls(o);
      const apart = theirs.bottom <= mine.top || theirs.top >= mine.bottom || Math.abs(theirs.x - mine.x) >= FALL_CLEARANCE;
      return o.to !== link.to && !apart;
    });
    if (close.length === 0) continue;
    link.x2 = Math.min(link.to.right - 20, link.x2 + 2 * FALL_CLEARANCE);
    for (const lane of link.lanes) lane.b = link.x2;
  }
}

/** Gives the lanes of each gap their heights; tells by how much a gap is too low for them. */
function spreadLanes(links: readonly Link[], boxes: readonly Box[]): Map<number, number> {
  const lanes = links.flatMap((l) => l.lanes);
  const bottoms = new Map<number, number>();
  const tops = new Map<number, number>();
  for (const b of boxes) {
    bottoms.set(b.beat, Math.max(bottoms.get(b.beat) ?? -Infinity, b.bottom));
    tops.set(b.beat, Math.min(tops.get(b.beat) ?? Infinity, b.top));
  }
  const byGap = new Map<number, Lane[]>();
  for (const lane of lanes) byGap.set(lane.gap, [...(byGap.get(lane.gap) ?? []), lane]);
  const widen = new Map<number, number>();
  for (const [gap, here] of byGap) {
    const rows = stackLanes([...new Set(here.map((l) => l.key))].map((key) => here.filter((l) => l.key === key)));
    const above = bottoms.get(gap);
    const top = above === undefined ? 4 : above + CHIP_OVERHANG;
    const bottom = tops.get(gap + 1) ?? top + 21;
    if (rows.length > USUAL_LANES) widen.set(gap, (rows.length - USUAL_LANES) * LANE_STEP);
    const step = Math.min(LANE_STEP, Math.max(0, bottom - top - ARROW_ROOM) / Math.max(1, rows.length - 1));
    const middle = (top + bottom - 5) / 2;
    rows.forEach((row, i) => row.forEach((lane) => (lane.y = Math.round(middle + (i - (rows.length - 1) / 2) * step) + 0.5)));
  }
  return widen;
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
