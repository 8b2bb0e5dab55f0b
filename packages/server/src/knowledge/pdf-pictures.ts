import { OPS, type PDFPageProxy } from 'pdfjs-dist/legacy/build/pdf.mjs';
import { PNG } from 'pngjs';
import { openedPdf, readable } from './read-pdf.js';

/** A picture as the library decodes it: bits (0 is black), bytes of red, green and blue, or of these with how solid they are. */
interface Decoded {
  readonly width: number;
  readonly height: number;
  readonly kind?: number;
  readonly data?: Uint8Array | Uint8ClampedArray | string;
}

const BITS = 1;
const COLOURS = 3;
/** A picture is made smaller until its longer side has so many points: enough to read a page of small print. */
const LONGEST = 1600;
/** Marks and lines are no page. */
const LEAST_SIDE = 200;
/** Scanners cut a page into strips at times; so many of the largest are taken, in their order. */
const MOST_OF_A_PAGE = 4;
const MOST_POINTS = 100_000_000;

/** The pictures that a page of a PDF consists of, as PNG, in their order; and how many pages there are. */
export async function picturesOfPage(
  bytes: Uint8Array,
  number: number,
): Promise<{ readonly pages: number; readonly pictures: readonly Uint8Array[] }> {
  const pdf = await openedPdf(bytes);
  try {
    const page = await readable(pdf.getPage(number));
    const found = (await decodedIn(page)).filter(
      (p) => Math.min(p.width, p.height) >= LEAST_SIDE && p.width * p.height <= MOST_POINTS,
    );
    const bySize = [...found].sort((a, b) => b.width * b.height - a.width * a.height).slice(0, MOST_OF_A_PAGE);
    return { pages: pdf.numPages, pictures: found.filter((p) => bySize.includes(p)).flatMap((p) => pngOf(p, page.rotate)) };
  } finally {
    await pdf.destroy();
  }
}

const DRAWN = new Set<number>([OPS.paintImageXObject, OPS.paintInlineImageXObject, OPS.paintImageMaskXObject]);

async function decodedIn(page: PDFPageProxy): Promise<Decoded[]> {
  const { fnArray, argsArray } = await readable(page.getOperatorList());
  const found: Decoded[] = [];
  for (const [i, operation] of fnArray.entries()) {
    if (!DRAWN.has(operation)) continue;
    const [first] = argsArray[i] as readonly [string | Decoded];
    const drawn = typeof first === 'string' ? await objectOf(page, first) : first;
    const data = typeof drawn?.data === 'string' ? (await objectOf(page, drawn.data))?.data : drawn?.data;
    // A mask says of each point whether it is painted.
    const kind = operation === OPS.paintImageMaskXObject ? BITS : drawn?.kind;
    if (drawn && data && kind !== undefined) found.push({ width: drawn.width, height: drawn.height, kind, data });
  }
  return found;
}

function objectOf(page: PDFPageProxy, id: string): Promise<Decoded | undefined> {
  const objects = id.startsWith('g_') ? page.commonObjs : page.objs;
  return new Promise((resolve) => {
    objects.get(id, (found: unknown) => resolve(found === null ? undefined : (found as Decoded)));
  });
}

/** A picture made smaller and turned as its page is, in greys: letters need no colour. */
function pngOf({ width, height, kind, data }: Decoded, turned: number): Uint8Array[] {
  if (data === undefined || typeof data === 'string') return [];
  const step = Math.max(1, Math.ceil(Math.max(width, height) / LONGEST));
  const [across, down] = [Math.floor(width / step), Math.floor(height / step)];
  const lying = turned % 180 !== 0;
  const png = new PNG({ width: lying ? down : across, height: lying ? across : down, colorType: 0 });
  const grey = greyOf(width, kind ?? COLOURS, data);
  for (let y = 0; y < down; y++) {
    for (let x = 0; x < across; x++) {
      let sum = 0;
      for (let dy = 0; dy < step; dy++) for (let dx = 0; dx < step; dx++) sum += grey(x * step + dx, y * step + dy);
      const value = Math.round(sum / (step * step));
      const at = placeOf(x, y, across, down, turned) * 4;
      png.data.fill(value, at, at + 3);
      png.data[at + 3] = 255;
    }
  }
  return [PNG.sync.write(png, { colorType: 0, inputHasAlpha: true })];
}

/** How light a point is, from 0 to 255. */
function greyOf(width: number, kind: number, data: Uint8Array | Uint8ClampedArray): (x: number, y: number) => number {
  if (kind === BITS) {
    const row = Math.ceil(width / 8);
    return (x, y) => (((data[y * row + (x >> 3)] ?? 0) >> (7 - (x & 7))) & 1) * 255;
  }
  const each = kind === COLOURS ? 4 : 3;
  return (x, y) => {
    const at = (y * width + x) * each;
    return 0.299 * (data[at] ?? 255) + 0.587 * (data[at + 1] ?? 255) + 0.114 * (data[at + 2] ?? 255);
  };
}

/** Where a point comes to stand when its page is turned clockwise. */
function placeOf(x: number, y: number, across: number, down: number, turned: number): number {
  switch (((turned % 360) + 360) % 360) {
    case 90:
      return x * down + (down - 1 - y);
    case 180:
      return (down - 1 - y) * across + (across - 1 - x);
    case 270:
      return (across - 1 - x) * down + y;
    default:
      return y * across + x;
  }
}
