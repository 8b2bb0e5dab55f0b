import jpeg from 'jpeg-js';
import { PNG } from 'pngjs';

/*
 * How the practice model sees and draws: it measures a picture and names its main colours, and draws a plain one with the words in it.
 * It recognises nothing.
 */

interface Pixels {
  readonly width: number;
  readonly height: number;
  /** Red, green, blue, opacity; a byte each. */
  readonly data: Uint8Array;
}

const MOST_POINTS = 40_000_000;
/** So many points are looked at. */
const SAMPLES = 40_000;

function decoded(bytes: Buffer): Pixels | undefined {
  try {
    if (bytes.subarray(1, 4).toString('latin1') === 'PNG') {
      const [width, height] = [bytes.readUInt32BE(16), bytes.readUInt32BE(20)];
      return width * height > MOST_POINTS ? undefined : PNG.sync.read(bytes);
    }
    return jpeg.decode(bytes, { useTArray: true, maxResolutionInMP: 40, maxMemoryUsageInMB: 400 });
  } catch {
    return undefined;
  }
}

/** The name of a colour, by its hue, how full and how light it is. */
function colourName(red: number, green: number, blue: number): string {
  const [max, min] = [Math.max(red, green, blue), Math.min(red, green, blue)];
  const light = (max + min) / 510;
  const full = max === min ? 0 : (max - min) / (255 - Math.abs(max + min - 255));
  if (light > 0.93) return 'white';
  if (light < 0.1) return 'black';
  if (full < 0.15) return 'grey';
  const part =
    max === red
      ? ((green - blue) / (max - min) + 6) % 6
      : max === green
        ? (blue - red) / (max - min) + 2
        : (red - green) / (max - min) + 4;
  const hue = part * 60;
  if (hue < 15 || hue >= 345) return 'red';
  if (hue < 42) return light < 0.4 ? 'brown' : 'orange';
  if (hue < 70) return 'yellow';
  if (hue < 165) return 'green';
  if (hue < 195) return 'turquoise';
  if (hue < 260) return 'blue';
  return hue < 310 ? 'purple' : 'pink';
}

/** A picture in words: its size, its shape and its main colours. A `data:` address is measured; what is only a link is not fetched. */
export function described(address: string): string {
  const [head = '', data] = address.split(',', 2);
  if (data === undefined || !head.startsWith('data:')) return 'a picture that I cannot open from here';
  const pixels = decoded(Buffer.from(data, 'base64'));
  if (!pixels) return 'a picture that I cannot read';
  const { width, height } = pixels;
  const shape = width > height * 1.15 ? 'wider than high' : height > width * 1.15 ? 'higher than wide' : 'about square';
  const counts = new Map<string, number>();
  const step = Math.max(1, Math.floor((width * height) / SAMPLES));
  let seen = 0;
  for (let i = 0; i < width * height; i += step) {
    const at = i * 4;
    const name = colourName(pixels.data[at] ?? 0, pixels.data[at + 1] ?? 0, pixels.data[at + 2] ?? 0);
    counts.set(name, (counts.get(name) ?? 0) + 1);
    seen++;
  }
  const main = [...counts].sort((a, b) => b[1] - a[1]).slice(0, 3);
  const colours = main.filter(([, n]) => n / seen >= 0.05).map(([name, n]) => `${name} (${Math.round((n / seen) * 100)} %)`);
  return `a picture of ${width} by ${height} points, ${shape}, mainly ${colours.join(', ')}`;
}

/** Letters of 5 by 7 points, each row five bits, the leftmost highest. */
const LETTERS: Readonly<Record<string, readonly number[]>> = {
  A: [14, 17, 17, 31, 17, 17, 17],
  B: [30, 17, 17, 30, 17, 17, 30],
  C: [14, 17, 16, 16, 16, 17, 14],
  D: [30, 17, 17, 17, 17, 17, 30],
  E: [31, 16, 16, 30, 16, 16, 31],
  F: [31, 16, 16, 30, 16, 16, 16],
  G: [14, 17, 16, 23, 17, 17, 15],
  H: [17, 17, 17, 31, 17, 17, 17],
  I: [14, 4, 4, 4, 4, 4, 14],
  J: [7, 2, 2, 2, 2, 18, 12],
  K: [17, 18, 20, 24, 20, 18, 17],
  L: [16, 16, 16, 16, 16, 16, 31],
  M: [17, 27, 21, 21, 17, 17, 17],
  N: [17, 25, 21, 19, 17, 17, 17],
  O: [14, 17, 17, 17, 17, 17, 14],
  P: [30, 17, 17, 30, 16, 16, 16],
  Q: [14, 17, 17, 17, 21, 18, 13],
  R: [30, 17, 17, 30, 20, 18, 17],
  S: [15, 16, 16, 14, 1, 1, 30],
  T: [31, 4, 4, 4, 4, 4, 4],
  U: [17, 17, 17, 17, 17, 17, 14],
  V: [17, 17, 17, 17, 17, 10, 4],
  W: [17, 17, 17, 21, 21, 27, 17],
  X: [17, 17, 10, 4, 10, 17, 17],
  Y: [17, 17, 10, 4, 4, 4, 4],
  Z: [31, 1, 2, 4, 8, 16, 31],
  0: [14, 17, 19, 21, 25, 17, 14],
  1: [4, 12, 4, 4, 4, 4, 14],
  2: [14, 17, 1, 6, 8, 16, 31],
  3: [30, 1, 1, 14, 1, 1, 30],
  4: [2, 6, 10, 18, 31, 2, 2],
  5: [31, 16, 30, 1, 1, 17, 14],
  6: [6, 8, 16, 30, 17, 17, 14],
  7: [31, 1, 2, 4, 8, 8, 8],
  8: [14, 17, 17, 14, 17, 17, 14],
  9: [14, 17, 17, 15, 1, 2, 12],
  '.': [0, 0, 0, 0, 0, 12, 12],
  ',': [0, 0, 0, 0, 12, 4, 8],
  ':': [0, 12, 12, 0, 12, 12, 0],
  '-': [0, 0, 0, 31, 0, 0, 0],
  '?': [14, 17, 1, 6, 4, 0, 4],
  '!': [4, 4, 4, 4, 4, 0, 4],
};
const [WIDE, HIGH] = [6, 10];
const PAPER = [250, 246, 232] as const;
const INK = [40, 84, 120] as const;
const MOST_LINES = 12;

/** The size that is asked for, as `640x480`, within bounds. */
function sizeIn(size: string | undefined): readonly [number, number] {
  const [, width = '512', height = '512'] = /^(\d+)x(\d+)$/.exec(size ?? '') ?? [];
  const within = (n: string) => Math.min(1024, Math.max(64, Number(n)));
  return [within(width), within(height)];
}

/** A plain picture with words in it, as a PNG. */
export function drawn(words: string, size: string | undefined): Buffer {
  const [width, height] = sizeIn(size);
  const png = new PNG({ width, height });
  const put = (x: number, y: number, [red, green, blue]: readonly number[]) => {
    const at = (y * width + x) * 4;
    png.data[at] = red ?? 0;
    png.data[at + 1] = green ?? 0;
    png.data[at + 2] = blue ?? 0;
    png.data[at + 3] = 255;
  };
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) put(x, y, x < 8 || y < 8 || x >= width - 8 || y >= height - 8 ? INK : PAPER);
  const scale = Math.max(1, Math.floor(width / (WIDE * 24)));
  const across = Math.max(1, Math.floor((width - 32) / (WIDE * scale)));
  const lines = wrapped(
    words
      .normalize('NFKD')
      .replace(/\p{M}+/gu, '')
      .toUpperCase(),
    across,
  ).slice(0, MOST_LINES);
  lines.forEach((line, row) => {
    [...line].forEach((letter, column) => {
      (LETTERS[letter] ?? []).forEach((bits, dy) => {
        for (let dx = 0; dx < 5; dx++) {
          if (((bits >> (4 - dx)) & 1) === 0) continue;
          for (let sy = 0; sy < scale; sy++)
            for (let sx = 0; sx < scale; sx++) {
              const x = 16 + column * WIDE * scale + dx * scale + sx;
              const y = 20 + row * HIGH * scale + dy * scale + sy;
              if (x < width && y < height) put(x, y, INK);
            }
        }
      });
    });
  });
  return PNG.sync.write(png);
}

function wrapped(words: string, across: number): string[] {
  const lines: string[] = [''];
  for (const word of words.split(/\s+/).filter(Boolean)) {
    const last = lines.at(-1) ?? '';
    const fits = last === '' ? word : `${last} ${word}`;
    if (fits.length <= across) lines[lines.length - 1] = fits;
    else lines.push(word.slice(0, across));
  }
  return lines;
}
