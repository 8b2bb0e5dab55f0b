import { strFromU8 } from 'fflate';
import {
  boundedReading,
  htmlReading,
  isTextForm,
  linesReading,
  pieceOf,
  readText,
  type DocumentForm,
  type DocumentReading,
  type Piece,
  type TextForm,
} from '@primrose/core';
import { Refused } from '../base/refused.js';
import { unzipped } from '../base/unzip.js';
import { linesOf, XLSX } from '../tables/workbook.js';

const unreadable = (reason: string): Refused => new Refused('document-unreadable', { reason });

type BinaryForm = Exclude<DocumentForm, TextForm>;

/** Reads the files that libraries take apart. Each throws a refusal that says what is wrong with the file. */
const READERS: { readonly [F in BinaryForm]: (bytes: Uint8Array) => Promise<DocumentReading> } = {
  // Libraries are large: each is loaded when the first such file comes.
  pdf: async (bytes) => (await import('./read-pdf.js')).readPdf(bytes),
  docx: readDocx,
  epub: (bytes) => Promise.resolve(readEpub(bytes)),
  xlsx: async (bytes) => linesReading(await sheetLines(bytes)),
};

/** What a document says, whatever its form. Throws a refusal where that cannot be had. */
export async function readDocumentFile(bytes: Uint8Array, form: DocumentForm): Promise<DocumentReading> {
  if (bytes.length === 0) throw unreadable('it is empty');
  const reading = isTextForm(form) ? readAsText(bytes, form) : boundedReading(await READERS[form](bytes));
  if (!reading.pieces.some((p) => p.level === 0)) throw unreadable('no text was found in it');
  return reading;
}

/** Text in UTF-8, in UTF-16 where it says so, and in Windows-1252 where it is none of these. */
function decoded(bytes: Uint8Array): { readonly text: string; readonly guessed: boolean } {
  const wide = (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff);
  if (wide) return { text: new TextDecoder(bytes[0] === 0xff ? 'utf-16le' : 'utf-16be').decode(bytes), guessed: false };
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), guessed: false };
  } catch {
    return { text: new TextDecoder('windows-1252').decode(bytes), guessed: true };
  }
}

const BINARY_SHARE = 0.02;

function readAsText(bytes: Uint8Array, form: TextForm): DocumentReading {
  const { text, guessed } = decoded(bytes);
  const sample = text.slice(0, 10_000);
  let controls = 0;
  for (let i = 0; i < sample.length; i++) if (sample.charCodeAt(i) < 9) controls++;
  if (controls > sample.length * BINARY_SHARE) throw unreadable('it is no text; perhaps its name has the wrong ending');
  try {
    const reading = readText(form, text);
    if (!guessed) return reading;
    return {
      ...reading,
      note: 'It says not how its letters are written; they were read as Windows-1252. Save it as UTF-8 to be sure.',
    };
  } catch (error) {
    const why = error instanceof SyntaxError ? error.message : 'it cannot be read';
    throw unreadable(form === 'json' ? `it is no valid JSON: ${why}` : why);
  }
}

/** A path as it is written in a link; one that is not written so stays as it is. */
function decodedPath(path: string): string {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}

/** What a zip may hold, unfolded. */
const MOST_UNPACKED = 60_000_000;
const MOST_ENTRIES = 5000;

/** The files of a zip that are wanted. */
function filesOf(bytes: Uint8Array, wanted: (name: string) => boolean): Map<string, Uint8Array> {
  const room = { left: MOST_UNPACKED };
  const refusal = (why: unknown) => {
    if (why === 'damaged') return unreadable('it is damaged');
    return unreadable(
      why === 'entries' ? 'it unfolds into too many parts' : `it unfolds into more than ${MOST_UNPACKED / 1_000_000} MB`,
    );
  };
  return unzipped(bytes, { entries: MOST_ENTRIES, roomFor: (name) => (wanted(name) ? room : undefined), refusal }).files;
}

/** A zip, or what such a file is when it is protected (a compound file). */
function assertZip(bytes: Uint8Array, what: string): void {
  if (bytes[0] === 0xd0 && bytes[1] === 0xcf)
    throw unreadable(`it is protected by a password, or is an old ${what} file; save it anew without`);
  if (bytes[0] !== 0x50 || bytes[1] !== 0x4b) throw unreadable(`it is no ${what} file`);
}

/** What a document calls its title stands above its headings. */
const DOCX_STYLES = [
  "p[style-name='Title'] => h1:fresh",
  ...[1, 2, 3, 4, 5].map((level) => `p[style-name='Heading ${level}'] => h${level + 1}:fresh`),
];

async function readDocx(bytes: Uint8Array): Promise<DocumentReading> {
  assertZip(bytes, 'DOCX');
  // Unfolded once and counted, so that what unfolds without end is met here and not in the library.
  const parts = filesOf(bytes, () => true);
  if (!parts.has('word/document.xml')) throw unreadable('it is no DOCX file');
  const { default: mammoth } = await import('mammoth');
  try {
    const { value } = await mammoth.convertToHtml(
      { buffer: Buffer.from(bytes) },
      { styleMap: DOCX_STYLES, convertImage: mammoth.images.imgElement(() => Promise.resolve({ src: '' })) },
    );
    return htmlReading(value);
  } catch {
    throw unreadable('it is damaged');
  }
}

async function sheetLines(bytes: Uint8Array): Promise<string[][]> {
  assertZip(bytes, 'XLSX');
  filesOf(bytes, () => true);
  try {
    return await linesOf(bytes, XLSX);
  } catch (error) {
    if (error instanceof Refused && error.code === 'sheet-unreadable')
      throw unreadable((error as Refused<'sheet-unreadable'>).facts.reason);
    throw error;
  }
}

/** The chapters of a book in the order of its spine (EPUB 3.3, 5.7), each as a page of HTML. */
function readEpub(bytes: Uint8Array): DocumentReading {
  assertZip(bytes, 'EPUB');
  const files = filesOf(bytes, (name) => /\.(xml|opf|x?html?)$/i.test(name));
  const text = (name: string): string => strFromU8(files.get(name) ?? new Uint8Array());
  const opf = /full-path="([^"]+)"/.exec(text('META-INF/container.xml'))?.[1] ?? '';
  const book = text(opf);
  if (book === '') throw unreadable('it is no EPUB file');
  if (files.has('META-INF/encryption.xml')) throw unreadable('it is protected');
  const folder = opf.includes('/') ? opf.slice(0, opf.lastIndexOf('/') + 1) : '';
  const items = new Map<string, string>();
  for (const [item] of book.matchAll(/<item\s[^>]*>/g)) {
    const [id, href] = [/\bid="([^"]+)"/.exec(item)?.[1], /\bhref="([^"]+)"/.exec(item)?.[1]];
    if (id !== undefined && href !== undefined) items.set(id, decodedPath(href));
  }
  const pieces: Piece[] = [];
  for (const [, id = ''] of book.matchAll(/<itemref\s[^>]*\bidref="([^"]+)"/g)) {
    const page = text(`${folder}${items.get(id) ?? ''}`);
    if (page !== '') for (const piece of htmlReading(page).pieces) pieces.push(piece);
  }
  const title = pieceOf(/<dc:title[^>]*>([^<]*)</.exec(book)?.[1] ?? '')[0]?.text;
  return { ...(title === undefined ? {} : { title: title.slice(0, 200) }), pieces };
}
