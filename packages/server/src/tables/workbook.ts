import Excel from 'exceljs';
import { readCsv } from '@primrose/core';
import { Refused } from '../base/refused.js';

/** The most lines and cells of a file. */
const MOST_LINES = 100_000;
const MOST_CELLS = 5_000_000;
export const XLSX = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';

const unreadable = (reason: string): Refused => new Refused('sheet-unreadable', { reason });

/** The cells of a file as texts, by line, whatever its form. Throws Refused where it is none, or is too long. */
export async function linesOf(bytes: Uint8Array, type: string): Promise<string[][]> {
  const zipped = bytes[0] === 0x50 && bytes[1] === 0x4b;
  const lines = type === XLSX || zipped ? await xlsxLines(bytes) : readCsv(csvText(bytes));
  const last = lines.findLastIndex((cells) => cells.some((c) => c !== ''));
  const used = lines.slice(0, last + 1);
  if (used.length === 0) throw unreadable('it holds nothing');
  if (used.length > MOST_LINES) throw unreadable(`it has ${used.length} lines; at most ${MOST_LINES} are read at once`);
  if (used.reduce((sum, cells) => sum + cells.length, 0) > MOST_CELLS) throw unreadable(`it has more than ${MOST_CELLS} cells`);
  return used;
}

/** A text in UTF-8, or in UTF-16 where it says so. */
function csvText(bytes: Uint8Array): string {
  const wide = (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff);
  const form = wide ? (bytes[0] === 0xff ? 'utf-16le' : 'utf-16be') : 'utf-8';
  try {
    return new TextDecoder(form, { fatal: true }).decode(bytes);
  } catch {
    throw unreadable('it is no text in UTF-8; save it as "CSV UTF-8"');
  }
}

async function xlsxLines(bytes: Uint8Array): Promise<string[][]> {
  const book = new Excel.Workbook();
  try {
    await book.xlsx.load(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer);
  } catch {
    throw unreadable('it is no XLSX file, or is damaged');
  }
  const [sheet] = book.worksheets;
  if (!sheet) throw unreadable('it has no sheet');
  const lines: string[][] = [];
  const width = sheet.columnCount;
  if (sheet.rowCount * width > MOST_CELLS) throw unreadable(`it has more than ${MOST_CELLS} cells`);
  for (let line = 1; line <= sheet.rowCount; line++) {
    const row = sheet.getRow(line);
    lines.push(Array.from({ length: width }, (_, i) => cellText(row.getCell(i + 1).value)));
  }
  return lines;
}

/** What a cell shows. Of a formula its last result: nothing is worked out here. */
function cellText(value: Excel.CellValue): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'string') return value;
  if (typeof value === 'number') return String(value);
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (value instanceof Date) return dateText(value);
  if ('richText' in value) return value.richText.map((part) => part.text).join('');
  if ('text' in value) return cellText(value.text);
  if ('result' in value) return cellText(value.result);
  return '';
}

/** A day where the hour is none, a time of the day where the day is none (spreadsheets begin in 1899), else a moment. */
function dateText(at: Date): string {
  const iso = at.toISOString();
  if (iso < '1900-01-01') return iso.slice(11, 16);
  return iso.endsWith('T00:00:00.000Z') ? iso.slice(0, 10) : iso;
}

/** Lines as an XLSX file of one sheet. Every cell is a text, so nothing in it is run, and a plus stays a plus. */
export async function workbookOf(name: string, lines: readonly (readonly string[])[]): Promise<Uint8Array> {
  const book = new Excel.Workbook();
  const sheet = addSheet(book, name, lines);
  sheet.getRow(1).font = { bold: true };
  sheet.views = [{ state: 'frozen', ySplit: 1 }];
  return new Uint8Array(await book.xlsx.writeBuffer());
}

/** A cell of a sheet takes so many characters. */
const CELL = 32_000;

/** A sheet of texts in a workbook, under a name that a workbook takes and that no other sheet of it has. */
export function addSheet(book: Excel.Workbook, title: string, lines: readonly (readonly string[])[]): Excel.Worksheet {
  const base =
    xmlText(title)
      .replace(/[\\/*?:[\]']/g, ' ')
      .trim()
      .slice(0, 28) || 'Sheet';
  // A workbook keeps the name History for itself.
  const taken = new Set(['history', ...book.worksheets.map((s) => s.name.toLowerCase())]);
  let name = base;
  for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${base.slice(0, 26)} ${n}`;
  const sheet = book.addWorksheet(name);
  for (const cells of lines) {
    const row = sheet.addRow(cells.map((c) => xmlText(c).slice(0, CELL)));
    row.eachCell((cell) => (cell.numFmt = '@'));
  }
  return sheet;
}

/** XML has no room for most control characters. */
function xmlText(text: string): string {
  // eslint-disable-next-line no-control-regex
  return text.replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '');
}
