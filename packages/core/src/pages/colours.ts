/*
 * The colours of a page's owner, kept legible: contrast by WCAG 2.2 (relative luminance, ratio of 4.5 for text and 3 for edges).
 */

/** What a page is drawn with; null leaves the usual colours, which follow light and dark. */
export interface PageColours {
  readonly accent: string | null;
  /** Of text on the accent. */
  readonly onAccent: string | null;
  readonly ground: string | null;
  readonly ink: string | null;
}

const DARK = '#17301f';
const LIGHT = '#fffefa';
const TEXT = 4.5;

function channels(colour: string): readonly [number, number, number] {
  const at = (i: number) => Number.parseInt(colour.slice(i, i + 2), 16);
  return [at(1), at(3), at(5)];
}

/** Relative luminance of a colour such as `#27634a`, from 0 to 1. */
export function luminance(colour: string): number {
  const linear = (c: number): number => (c / 255 <= 0.04045 ? c / 255 / 12.92 : ((c / 255 + 0.055) / 1.055) ** 2.4);
  const [r, g, b] = channels(colour);
  return 0.2126 * linear(r) + 0.7152 * linear(g) + 0.0722 * linear(b);
}

/** The contrast of two colours, from 1 to 21. */
export function contrast(a: string, b: string): number {
  const [high, low] = [luminance(a), luminance(b)].sort((x, y) => y - x) as [number, number];
  return (high + 0.05) / (low + 0.05);
}

const better = (on: string): string => (contrast(DARK, on) >= contrast(LIGHT, on) ? DARK : LIGHT);

/** A colour taken a step towards black or white. */
function towards(colour: string, end: 0 | 255, step: number): string {
  const part = (c: number) =>
    Math.round(c + (end - c) * step)
      .toString(16)
      .padStart(2, '0');
  return `#${channels(colour).map(part).join('')}`;
}

/** The colour nearest to one on which a text has enough contrast. */
function grounded(colour: string): string {
  const end = luminance(colour) > 0.18 ? 255 : 0;
  for (let step = 0; step <= 1; step += 0.05) {
    const tried = towards(colour, end, step);
    if (contrast(better(tried), tried) >= 7) return tried;
  }
  return end === 255 ? LIGHT : '#101510';
}

/** An owner's colours as they are used: what would not be legible is moved as far as it has to be. */
export function legibleColours({
  accent,
  ground,
}: {
  readonly accent?: string | undefined;
  readonly ground?: string | undefined;
}): PageColours {
  const paper = ground === undefined ? null : grounded(ground);
  const own = accent === undefined ? null : button(accent);
  return { accent: own, onAccent: own === null ? null : better(own), ground: paper, ink: paper === null ? null : better(paper) };
}

function button(accent: string): string {
  for (let step = 0; step <= 1; step += 0.05) {
    const tried = towards(accent, luminance(accent) > 0.18 ? 255 : 0, step);
    if (contrast(better(tried), tried) >= TEXT) return tried;
  }
  return DARK;
}
