import type { Flow } from '../document/schema.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { BANDS, chipLines, layoutFlow, type PlacedChip, type PlacedNode } from './layout.js';
import { routeRails, type MapGeometry, type Rail } from './rails.js';

/** A chip with its box, in pixels. */
export interface DrawnChip {
  readonly chip: PlacedChip;
  readonly words: string;
  readonly left: number;
  readonly top: number;
  readonly width: number;
}

/** A node with its box and its words broken into lines, in pixels. */
export interface DrawnNode {
  readonly placed: PlacedNode;
  readonly kind: string;
  readonly name: string;
  readonly code: boolean;
  readonly off: boolean;
  readonly lines: readonly string[];
  /** What hangs on it as a list, cut to its width. */
  readonly hangs: readonly string[];
  readonly left: number;
  readonly top: number;
  readonly width: number;
  readonly height: number;
  readonly chips: readonly DrawnChip[];
}

/** A whole flow with every box and rail in place, in pixels from the upper left corner. */
export interface Drawing {
  readonly width: number;
  readonly height: number;
  readonly bands: readonly { readonly left: number; readonly right: number }[];
  readonly beats: readonly { readonly beat: number; readonly top: number }[];
  readonly nodes: readonly DrawnNode[];
  readonly rails: readonly Rail[];
}

export interface DrawingOptions {
  readonly language: string;
  /** Width of a band in pixels, at least 204. */
  readonly band?: number;
}

export const HEAD_HEIGHT = 30;
const MARGIN = 26;
const FIRST_TOP = HEAD_HEIGHT + 18;
const GAP = 31;
const FOOT = 24;
const MOST_LINES = 4;
const PROSE_LINE = 18;
const PROSE_SIZE = 14;
const KIND_HEIGHT = 17;
const PAD_TOP = 7;
/** So many things that hang on a node are listed. */
export const MOST_HUNG = 6;
export const HUNG_LINE = 15;
const CHIP_HEIGHT = 21;
const CHIP_SIZE = 11.5;
const CHIP_GAP = 3;
const CHIP_PAD = 12;
const NARROWEST_BAND = 204;
const WIDEST_NODE = 256;

const NARROW = /[iljtfr.,:;'|!()[\] ]/;
const WIDE = /[mwMW@%]/;
/** Letters of scripts that are set in squares. */
const SQUARE = /[\u1100-\u11ff\u2e80-\u9fff\uac00-\ud7af\uff00-\uff60]/;

/** About how wide a text is when set, in pixels; good to a tenth for the usual book and plain faces. */
export function textWidth(text: string, size: number): number {
  let em = 0;
  for (const c of text) em += SQUARE.test(c) ? 1 : NARROW.test(c) ? 0.3 : WIDE.test(c) ? 0.8 : /[A-Z0-9]/.test(c) ? 0.6 : 0.5;
  return em * size;
}

/** `flow.travel_day` as people call it: travel day; likewise where one function is put around it. */
export function plainName(expression: string): string {
  const trimmed = expression.trim();
  const path = /^(?:[a-zA-Z]+\()?\s*([a-z_]+(?:\.[a-z0-9_]+)+)(?:,[^,]*)?\)?$/.exec(trimmed)?.[1];
  return path === undefined ? trimmed : (path.split('.').at(-1) ?? path).replaceAll('_', ' ');
}

/** The words of a node as the Map shows them: values by their plain names, no marks of formatting. */
export function plainProse(text: string): string {
  const named = text.replace(/\{\{(.*?)\}\}/gs, (_, inside: string) => plainName(inside));
  return named
    .replace(/\*\*?|__/g, '')
    .replace(/\s+/g, ' ')
    .trim();
}

/** Breaks a text into at most `most` lines; the last one ends with an ellipsis where words are left over. */
function breakLines(text: string, width: number, size: number, most: number): string[] {
  const lines: string[] = [];
  let line = '';
  const words = text.split(' ').flatMap((word) => pieces(word, width, size));
  for (const [i, word] of words.entries()) {
    const longer = line === '' ? word : `${line} ${word}`;
    if (textWidth(longer, size) <= width) {
      line = longer;
      continue;
    }
    if (lines.length === most - 1) return [...lines, `${line}…`];
    lines.push(line);
    line = word;
    if (i === words.length - 1) break;
  }
  return [...lines, line];
}

/** A word that is wider than the line, in pieces that are not. */
function pieces(word: string, width: number, size: number): string[] {
  const found: string[] = [''];
  for (const c of word) {
    const last = found.at(-1) ?? '';
    if (textWidth(last + c, size) > width) found.push(c);
    else found[found.length - 1] = last + c;
  }
  return found;
}

/**
 * Draws a flow without a browser: lays it out, measures its nodes by the usual widths of letters, and routes its rails.
 * Pure: the same flow and options give the same drawing.
 */
export function drawingOf(flow: Flow, { language, band = 268 }: DrawingOptions): Drawing {
  const layout = layoutFlow(flow);
  const bandWidth = Math.max(NARROWEST_BAND, band);
  const bands = BANDS.map((_, i) => ({ left: MARGIN + i * bandWidth, right: MARGIN + (i + 1) * bandWidth }));
  const cards = layout.nodes.map((placed) => cardOf(flow, placed, bands, language));
  const usual = stack(cards, layout.beats, new Map());
  const { widen } = routeRails(geometryOf(usual.nodes, bands));
  const { nodes, beats, height } = widen.size === 0 ? usual : stack(cards, layout.beats, widen);
  const { rails } = routeRails(geometryOf(nodes, bands));
  return { width: MARGIN + 3 * bandWidth, height, bands, beats, nodes, rails };
}

/** A node with its boxes, its top still at 0. */
function cardOf(flow: Flow, placed: PlacedNode, bands: Drawing['bands'], language: string): DrawnNode {
  const node = flow.nodes[placed.id];
  const kind = node && nodeKinds.get(node.kind);
  const prose = node && kind ? kind.prose(node, language) : { text: '' };
  const column = bands[BANDS.indexOf(placed.band)] ?? { left: 0, right: 0 };
  const width = Math.min(column.right - column.left - 30, WIDEST_NODE);
  const left = (column.left + column.right - width) / 2;
  const padding = placed.band === 'visitor' ? 14 : 11;
  const lines = breakLines(plainProse(prose.text), width - 25, PROSE_SIZE, MOST_LINES);
  const hung = (node && kind?.hangs?.(node)) ?? [];
  const hangs = (
    hung.length > MOST_HUNG ? [...hung.slice(0, MOST_HUNG - 1), `and ${hung.length - MOST_HUNG + 1} more`] : hung
  ).map((h) => fitted(h, width - 40, CHIP_SIZE));
  const textBottom = PAD_TOP + lines.length * PROSE_LINE + KIND_HEIGHT + (hangs.length === 0 ? 0 : hangs.length * HUNG_LINE + 4);
  const { inside, edge } = chipLines(placed.chips);
  const within = setChips(inside, { left: left + padding - 4, right: left + width - 2, top: textBottom + 6 }, true);
  const insideBottom = within.length === 0 ? textBottom : Math.max(...within.map((c) => c.top)) + CHIP_HEIGHT;
  const height = insideBottom + 6 + (edge.length > 0 ? 8 : 1);
  const onEdge = setChips(edge, { left: left + padding - 4, right: left + width - 2, top: height - 10 }, false);
  return {
    placed,
    kind: node?.kind ?? '',
    name: node?.title ?? placed.id,
    code: prose.code === true,
    off: node?.off === true,
    lines,
    hangs,
    left,
    top: 0,
    width,
    height,
    chips: [...within, ...onEdge],
  };
}

interface Room {
  readonly left: number;
  readonly right: number;
  readonly top: number;
}

/** Sets chips side by side; `wrap` lets them take several lines, else they are narrowed until they fit in one. */
function setChips(chips: readonly PlacedChip[], room: Room, wrap: boolean): DrawnChip[] {
  const sized = chips.map((chip) => {
    const words = chip.exit.replaceAll('-', ' ') + (chip.written ? ` to ${chip.at}` : '');
    return { chip, words, width: Math.min(room.right - room.left, textWidth(words, CHIP_SIZE) + CHIP_PAD) };
  });
  const whole = sized.reduce((sum, c) => sum + c.width + CHIP_GAP, -CHIP_GAP);
  const narrow = wrap
    ? 1
    : Math.min(1, (room.right - room.left - CHIP_GAP * (chips.length - 1)) / (whole - CHIP_GAP * (chips.length - 1)));
  let { left, top } = room;
  return sized.map(({ chip, words, width: full }): DrawnChip => {
    const width = full * narrow;
    if (wrap && left > room.left && left + width > room.right) {
      left = room.left;
      top += CHIP_HEIGHT + 4;
    }
    const placed = { chip, words: fitted(words, width - CHIP_PAD, CHIP_SIZE), left, top, width };
    left += width + CHIP_GAP;
    return placed;
  });
}

function fitted(words: string, width: number, size: number): string {
  if (textWidth(words, size) <= width + 1) return words;
  let cut = words;
  while (cut.length > 1 && textWidth(`${cut}…`, size) > width) cut = cut.slice(0, -1);
  return `${cut}…`;
}

/** Sets the beats under each other: each as high as its highest node, with a gap that holds its lanes. */
function stack(cards: readonly DrawnNode[], count: number, widen: ReadonlyMap<number, number>) {
  const beats: { beat: number; top: number }[] = [];
  const nodes: DrawnNode[] = [];
  let top = FIRST_TOP + (widen.get(0) ?? 0);
  for (let beat = 1; beat <= count; beat++) {
    beats.push({ beat, top });
    const here = cards.filter((c) => c.placed.beat === beat);
    const y = top;
    nodes.push(...here.map((c) => ({ ...c, top: y, chips: c.chips.map((chip) => ({ ...chip, top: chip.top + y })) })));
    top += Math.max(0, ...here.map((c) => c.height)) + GAP + (widen.get(beat) ?? 0);
  }
  return { nodes, beats, height: top - GAP + FOOT };
}

function geometryOf(nodes: readonly DrawnNode[], bands: Drawing['bands']): MapGeometry {
  return {
    bands,
    nodes: nodes.map(({ placed: { id, beat, band }, left, top, width, height }) => {
      return { id, beat, band, left, right: left + width, top, bottom: top + height };
    }),
    chips: nodes.flatMap((n) =>
      n.chips.flatMap(({ chip, left, top, width }) =>
        chip.to === undefined || chip.written
          ? []
          : [{ node: n.placed.id, exit: chip.exit, to: chip.to, x: left + width / 2, bottom: top + CHIP_HEIGHT }],
      ),
    ),
  };
}
