import { fileURLToPath } from 'node:url';
import { getDocument, type PDFDocumentProxy } from 'pdfjs-dist/legacy/build/pdf.mjs';
import type { DocumentReading, Piece } from '@primrose/core';
import { Refused } from '../base/refused.js';

/** So many pages are read. */
const MOST_PAGES = 1000;
/** A line whose letters are so much larger than usual is a heading; the largest are of the highest level. */
const HEADING_FROM = 1.15;
const LONGEST_HEADING = 120;
/** A gap between lines that is so much larger than usual parts paragraphs. */
const GAP = 1.6;
/** Lines that stand at the top or the bottom of so large a share of the pages are running titles. */
const RUNNING_SHARE = 0.5;
const LEAST_RUNNING = 4;
/** A page of so few lines has no running title. */
const FEW_LINES = 2;

const unreadable = (reason: string): Refused => new Refused('document-unreadable', { reason });

/** A line of a page: its words, how large they are, and how far it stands from the one above. */
interface Line {
  readonly text: string;
  readonly size: number;
  readonly gap: number;
  readonly page: number;
}

interface Item {
  readonly str: string;
  readonly transform: readonly number[];
  readonly height: number;
  readonly width: number;
  readonly hasEOL: boolean;
}

/** Reads the text of a PDF with its pages; larger lines are headings. Nothing in it is run. */
export async function readPdf(bytes: Uint8Array): Promise<DocumentReading> {
  const pdf = await openedPdf(bytes);
  try {
    const pages = Math.min(pdf.numPages, MOST_PAGES);
    const lines: Line[] = [];
    for (let page = 1; page <= pages; page++) for (const line of await linesOf(pdf, page)) lines.push(line);
    if (lines.every((l) => l.text.trim() === ''))
      throw new Refused('document-unreadable', {
        reason: 'it has pictures of pages only, and no text. Have its text recognised, or choose a model profile that reads them',
        pictured: true,
      });
    const note = pdf.numPages > MOST_PAGES ? `Only the first ${MOST_PAGES} of its ${pdf.numPages} pages were read.` : undefined;
    return { pieces: piecesOf(withoutRunning(lines, pages)), pages, ...(note === undefined ? {} : { note }) };
  } finally {
    await pdf.destroy();
  }
}

/** Opens a PDF; rejects with `document-unreadable`. */
export function openedPdf(bytes: Uint8Array): Promise<PDFDocumentProxy> {
  const opening = getDocument({
    data: Uint8Array.from(bytes),
    isEvalSupported: false,
    useSystemFonts: false,
    disableFontFace: true,
    verbosity: 0,
    // What scans are packed with is unpacked by these parts of the library.
    wasmUrl: fileURLToPath(new URL('../../wasm/', import.meta.resolve('pdfjs-dist/legacy/build/pdf.mjs'))),
    stopAtErrors: false,
  });
  return readable(opening.promise);
}

/** What the library is asked about a file; rejects with `document-unreadable` where it gives up, which may be at any page. */
export async function readable<T>(asked: Promise<T>): Promise<T> {
  try {
    return await asked;
  } catch (error) {
    const name = error instanceof Error ? error.name : '';
    if (name === 'PasswordException') throw unreadable('it is protected by a password; save it anew without');
    throw unreadable('it is no PDF file, or is damaged');
  }
}

async function linesOf(pdf: PDFDocumentProxy, number: number): Promise<Line[]> {
  const page = await readable(pdf.getPage(number));
  const { items } = await readable(page.getTextContent());
  const lines: Line[] = [];
  let text = '';
  let [size, last, above] = [0, Number.NaN, Number.NaN];
  let end = 0;
  const close = () => {
    const tidy = text.replace(/\s+/g, ' ').trim();
    if (tidy !== '') {
      lines.push({ text: tidy, size, gap: Number.isNaN(above) ? 0 : above - last, page: number });
      above = last;
    }
    [text, size] = ['', 0];
  };
  for (const item of items) {
    if (!('str' in item)) continue;
    const { str, transform, height, width, hasEOL } = item as Item;
    const [x = 0, y = 0] = [transform[4], transform[5]];
    if (text !== '' && Math.abs(y - last) > Math.max(2, height / 2)) close();
    // Words that stand apart on a line are words, though no space is written between them.
    if (text !== '' && x - end > height * 0.2 && !text.endsWith(' ') && !str.startsWith(' ')) text += ' ';
    if (str.trim() !== '') last = y;
    text += str;
    size = Math.max(size, Math.round(height * 10) / 10);
    end = x + width;
    if (hasEOL) close();
  }
  close();
  page.cleanup();
  return lines;
}

const bare = (text: string): string => text.replace(/\d+/g, '#').toLowerCase();

/** Titles and page numbers that stand on most pages at the same edge are no part of the text. */
function withoutRunning(lines: readonly Line[], pages: number): Line[] {
  if (pages < LEAST_RUNNING) return [...lines];
  const counts = new Map<string, Set<number>>();
  const lengths = new Map<number, number>();
  for (const { page } of lines) lengths.set(page, (lengths.get(page) ?? 0) + 1);
  const edges = lines.filter(
    (l, i) => (lengths.get(l.page) ?? 0) > FEW_LINES && (lines[i - 1]?.page !== l.page || lines[i + 1]?.page !== l.page),
  );
  for (const line of edges) counts.set(bare(line.text), (counts.get(bare(line.text)) ?? new Set()).add(line.page));
  const running = new Set([...counts].filter(([, on]) => on.size >= pages * RUNNING_SHARE).map(([text]) => text));
  const atEdge = new Set(edges);
  return lines.filter((l) => !(atEdge.has(l) && running.has(bare(l.text))));
}

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0;

function piecesOf(lines: readonly Line[]): Piece[] {
  // Each line as often as it has letters: the size of most letters is the usual one.
  const usual = median(lines.flatMap((l) => Array.from({ length: Math.ceil(l.text.length / 20) }, () => l.size)));
  const spacing = median(lines.filter((l) => l.gap > 0).map((l) => l.gap));
  const isHeading = (l: Line) => l.size > usual * HEADING_FROM && l.text.length <= LONGEST_HEADING;
  const sizes = [...new Set(lines.filter(isHeading).map((l) => l.size))].sort((a, b) => b - a);
  const pieces: Piece[] = [];
  let open: { text: string; page: number } | undefined;
  let before = 0;
  const close = () => {
    if (open) pieces.push({ level: 0, text: open.text, page: open.page });
    open = undefined;
  };
  for (const line of lines) {
    if (isHeading(line)) {
      close();
      const level = Math.min(6, sizes.indexOf(line.size) + 1);
      const above = pieces.at(-1);
      // A heading of two lines is one heading.
      if (above && above.level === level && above.page === line.page && line.gap < line.size * 1.6)
        pieces[pieces.length - 1] = { ...above, text: `${above.text} ${line.text}` };
      else pieces.push({ level, text: line.text, page: line.page });
      continue;
    }
    // A sentence goes on over the end of a page; anything else begins anew there.
    if (open && line.page !== before && !(/[^.!?:;]$/.test(open.text) && /^\p{Ll}/u.test(line.text))) close();
    before = line.page;
    if (open && (line.gap > spacing * GAP || /^(?:[•▪–*-]|\d{1,2}[.)])\s/.test(line.text))) close();
    if (!open) open = { text: line.text, page: line.page };
    // A word that is parted at the end of a line is one word.
    else
      open.text =
        /\p{L}-$/u.test(open.text) && /^\p{Ll}/u.test(line.text)
          ? `${open.text.slice(0, -1)}${line.text}`
          : `${open.text} ${line.text}`;
  }
  close();
  return pieces;
}
