import type { Flow } from '../document/schema.js';
import type { Band } from '../engine/kind.js';
import { BANDS } from './layout.js';
import { drawingOf, HEAD_HEIGHT, HUNG_LINE, textWidth, type DrawingOptions, type DrawnChip, type DrawnNode } from './measure.js';

export interface SvgOptions extends DrawingOptions {
  readonly theme?: 'light' | 'dark';
  /** What stands in the picture's title, for those who cannot see it. */
  readonly title?: string;
}

interface Palette {
  readonly paper: string;
  readonly slip: string;
  readonly ink: string;
  readonly soft: string;
  readonly rule: string;
  readonly rail: string;
  readonly edge: string;
  readonly bands: Readonly<Record<Band, { readonly ink: string; readonly edge: string; readonly wash: string }>>;
}

/** The colours of the console's two themes, since a file has no style sheet. */
const PALETTES: Readonly<Record<'light' | 'dark', Palette>> = {
  light: {
    paper: '#FBF8EF',
    slip: '#FFFEFA',
    ink: '#17301F',
    soft: '#5E6B5D',
    rule: '#DED8C6',
    rail: '#7F8879',
    edge: '#858C7A',
    bands: {
      visitor: { ink: '#34527C', edge: '#788CA8', wash: '#F3F5F2' },
      bot: { ink: '#27634A', edge: '#6F917A', wash: '#F6F7EA' },
      outside: { ink: '#7C4A1B', edge: '#A4835A', wash: '#FBF3E5' },
    },
  },
  dark: {
    paper: '#131A16',
    slip: '#1B241E',
    ink: '#EFEAD9',
    soft: '#98A28F',
    rule: '#2D382F',
    rail: '#748172',
    edge: '#78867A',
    bands: {
      visitor: { ink: '#A4C1EA', edge: '#5F7594', wash: '#161D20' },
      bot: { ink: '#93CFAE', edge: '#547A64', wash: '#151F18' },
      outside: { ink: '#E2B684', edge: '#8B6F4C', wash: '#1F1C15' },
    },
  },
};

const HEADS: Readonly<Record<Band, readonly [string, string]>> = {
  visitor: ['Visitor', 'asked and heard'],
  bot: ['Bot', 'says and decides'],
  outside: ['Outside', 'looked up and done'],
};
const LEAN = 13;
const CORNER = 3;

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');
const n = (value: number): string => String(Math.round(value * 10) / 10);

/**
 * A flow as an SVG picture: the Map as the console draws it, for docs and for reading without a console. The letters are
 * those of the reader's machine, held to the measured width. Pure.
 */
export function drawFlow(flow: Flow, { theme = 'light', title = flow.title ?? 'A flow', ...options }: SvgOptions): string {
  const { width, height, bands, beats, nodes, rails } = drawingOf(flow, options);
  const p = PALETTES[theme];
  const columns = BANDS.map((band, i) => columnOf(band, bands[i] ?? { left: 0, right: 0 }, height, p));
  const numbers = beats.map(({ beat, top }) => text(13, top + 17, String(beat), { size: 12, fill: p.soft, anchor: 'middle' }));
  const lines = rails.flatMap(({ path, head }) => [
    `<path d="${path}" fill="none" stroke="${p.rail}" stroke-width="1.15"/>`,
    `<path d="${head}" fill="${p.rail}"/>`,
  ]);
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${n(width)}" height="${n(height)}" viewBox="0 0 ${n(width)} ${n(height)}" role="img">`,
    `<title>${escaped(title)}</title>`,
    `<rect width="100%" height="100%" fill="${p.paper}"/>`,
    ...columns,
    ...numbers,
    ...lines,
    ...nodes.map((node) => nodeOf(node, p)),
    '</svg>',
    '',
  ].join('\n');
}

function columnOf(band: Band, { left, right }: { left: number; right: number }, height: number, p: Palette): string {
  const { ink, wash } = p.bands[band];
  const [name, about] = HEADS[band];
  const nameWidth = textWidth(name, 16);
  const start = (left + right - nameWidth - 8 - textWidth(about, 11.5)) / 2;
  return [
    `<rect x="${n(left)}" y="0" width="${n(right - left)}" height="${n(height)}" fill="${wash}"/>`,
    `<path d="M${n(right)} 0V${n(height)}" stroke="${p.rule}"/>`,
    `<path d="M${n(left)} ${HEAD_HEIGHT - 0.5}H${n(right)}" stroke="${ink}"/>`,
    text(start, 20, name, { size: 16, fill: ink, style: 'italic', width: nameWidth }),
    text(start + nameWidth + 8, 20, about, { size: 11.5, fill: p.soft, face: 'sans' }),
  ].join('');
}

function nodeOf(node: DrawnNode, p: Palette): string {
  const { placed, left, top, width, lines, hangs, code, kind, name, off } = node;
  const { ink, edge } = p.bands[placed.band];
  const start = left + (placed.band === 'visitor' ? 14 : 11);
  const prose = lines.map((line, i) => {
    const at = top + 7 + i * 18 + 13;
    return text(start, at, line, {
      size: code ? 12 : 14,
      fill: off ? p.soft : p.ink,
      face: code ? 'mono' : 'serif',
      width: code ? undefined : textWidth(line, 14),
    });
  });
  const kindTop = top + 7 + lines.length * 18 + 12;
  const caps = kind.toUpperCase();
  const capsWidth = textWidth(caps, 10.5) * 1.15;
  const room = width - 30 - capsWidth - (off ? 22 : 0);
  const label = name.length > 0 && textWidth(name, 11.5) > room ? `${name.slice(0, Math.max(1, Math.floor(room / 6)))}…` : name;
  return [
    `<path d="${frame(node)}" fill="${off ? 'none' : p.slip}" stroke="${edge}"${off ? ' stroke-dasharray="1 3"' : ''}/>`,
    ...prose,
    text(start, kindTop, caps, { size: 10.5, fill: off ? p.soft : ink, face: 'sans', weight: 600, width: capsWidth }),
    text(start + capsWidth + 6, kindTop, off ? `${label}, off` : label, { size: 11.5, fill: p.soft, face: 'sans' }),
    ...hangs.map((line, i) =>
      text(start + 10, kindTop + 17 + i * HUNG_LINE, `· ${line}`, { size: 11.5, fill: p.soft, face: 'sans' }),
    ),
    ...node.chips.map((chip) => chipOf(chip, edge, p)),
  ].join('');
}

/** The outline: a Visitor node leans out on its left side, an Outside node on its right. */
function frame({ placed: { band }, left, top, width, height }: DrawnNode): string {
  const [a, b] = [band === 'visitor' ? LEAN : CORNER, band === 'outside' ? LEAN : CORNER];
  const [right, foot] = [left + width, top + height];
  const to = (x: number, y: number) => `${n(x)} ${n(y)}`;
  return [
    `M${to(left + a, top)}H${n(right - b)}Q${to(right, top)} ${to(right, top + b)}`,
    `V${n(foot - b)}Q${to(right, foot)} ${to(right - b, foot)}`,
    `H${n(left + a)}Q${to(left, foot)} ${to(left, foot - a)}`,
    `V${n(top + a)}Q${to(left, top)} ${to(left + a, top)}Z`,
  ].join('');
}

function chipOf({ chip, words, left, top, width }: DrawnChip, edge: string, p: Palette): string {
  const open = chip.to === undefined;
  return [
    `<rect x="${n(left)}" y="${n(top)}" width="${n(width)}" height="21" rx="3" fill="${p.slip}" stroke="${open ? p.edge : edge}"${open ? ' stroke-dasharray="3 2"' : ''}/>`,
    text(left + 6, top + 14.5, words, {
      size: 11.5,
      fill: p.ink,
      face: 'sans',
      width: Math.min(width - 12, textWidth(words, 11.5)),
    }),
  ].join('');
}

interface Setting {
  readonly size: number;
  readonly fill: string;
  readonly face?: 'serif' | 'sans' | 'mono';
  readonly anchor?: 'middle';
  readonly style?: 'italic';
  readonly weight?: number;
  readonly width?: number | undefined;
}

const FACES = {
  serif: "'Newsreader Variable',Newsreader,Georgia,'Times New Roman',serif",
  sans: "'Instrument Sans Variable','Instrument Sans',Helvetica,Arial,sans-serif",
  mono: "'Spline Sans Mono Variable','Spline Sans Mono',Menlo,Consolas,monospace",
};

function text(
  x: number,
  y: number,
  words: string,
  { size, fill, face = 'serif', anchor, style, weight, width }: Setting,
): string {
  const extra = [
    anchor ? ` text-anchor="${anchor}"` : '',
    style ? ` font-style="${style}"` : '',
    weight ? ` font-weight="${weight}"` : '',
    width !== undefined && words.length > 1 ? ` textLength="${n(width)}" lengthAdjust="spacingAndGlyphs"` : '',
  ].join('');
  return `<text x="${n(x)}" y="${n(y)}" font-size="${size}" fill="${fill}" font-family="${FACES[face]}"${extra}>${escaped(words)}</text>`;
}
