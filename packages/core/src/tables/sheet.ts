import Papa from 'papaparse';
import type { BotDocument } from '../document/schema.js';
import { columnsOf, type Column, type TableDeclaration } from '../document/tables.js';
import type { Value } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';
import { nearest } from '../text/nearest.js';
import { fitCell } from './cells.js';
import type { RowValues } from './rows.js';

/*
 * Rows as lines of a sheet. A text that a spreadsheet would take for a formula or a number with a sign gets an apostrophe in
 * front, and one that begins with an apostrophe before such a sign gets another: reading takes one away, so every text
 * comes back as it was.
 */

/** Signs with which a spreadsheet begins a formula, behind any number of apostrophes of ours. */
const FORMULA = /^'*[=+\-@\t\r\n＝＋－＠]/;

/** A text as a cell that no spreadsheet runs. */
export function guardCell(text: string): string {
  return FORMULA.test(text) ? `'${text}` : text;
}

/** The text of a cell that `guardCell` may have written; others stay as they are. */
export function unguardCell(cell: string): string {
  return cell.startsWith("'") && FORMULA.test(cell.slice(1)) ? cell.slice(1) : cell;
}

const SEPARATOR = '; ';

/** A list as one cell: plain items with semicolons between, others as JSON. */
function listCell(items: readonly Value[]): string {
  const texts = items.map(textOf);
  const plain = items.every((i) => typeof i === 'string') && texts.every((t) => t !== '' && t === t.trim() && !/[;[]/.test(t));
  return plain ? texts.join(SEPARATOR) : JSON.stringify(items);
}

function cellOf(value: Value): string {
  if (value === null) return '';
  if (typeof value === 'number') return String(value);
  if (Array.isArray(value)) return guardCell(listCell(value as readonly Value[]));
  return guardCell(textOf(value));
}

/** A line of a sheet: one text for each column, in their order. */
export function rowLine(declared: TableDeclaration, values: RowValues): string[] {
  return columnsOf(declared).map((column) => cellOf(values[column.name] ?? null));
}

/** Rows as CSV (RFC 4180), the names of the columns first. */
export function writeSheet(declared: TableDeclaration, rows: readonly RowValues[]): string {
  const lines = [columnsOf(declared).map((c) => c.name), ...rows.map((values) => rowLine(declared, values))];
  return `${Papa.unparse(lines, { newline: '\r\n' })}\r\n`;
}

/** What separates cells and lines: told by the line with the headings, as texts further down may hold any sign. */
function formOf(text: string): { delimiter: string; newline: '\r\n' | '\n' | '\r' } {
  let quoted = false;
  const counts = new Map([',', ';', '\t'].map((sign) => [sign, 0]));
  for (let i = 0; i < text.length; i++) {
    const sign = text[i] ?? '';
    if (sign === '"') quoted = !quoted;
    else if (!quoted && (sign === '\n' || sign === '\r')) {
      const newline = sign === '\n' ? '\n' : text[i + 1] === '\n' ? '\r\n' : '\r';
      return { delimiter: most(counts), newline };
    } else if (!quoted && counts.has(sign)) counts.set(sign, (counts.get(sign) ?? 0) + 1);
  }
  return { delimiter: most(counts), newline: '\n' };
}

const most = (counts: ReadonlyMap<string, number>): string =>
  [...counts].reduce((best, one) => (one[1] > best[1] ? one : best), [',', 0] as [string, number])[0];

/** The cells of a CSV text (RFC 4180, with commas, semicolons or tabs), by line. */
export function readCsv(text: string): string[][] {
  const plainText = text.replace(/^\uFEFF/, '');
  return Papa.parse<string[]>(plainText, formOf(plainText)).data;
}

export interface ColumnMatch {
  /** The heading as it stands in the file, and how many columns stand before it. */
  readonly heading: string;
  readonly at: number;
  /** The column that it is read into; null where it is none. */
  readonly column: string | null;
  readonly suggestion: string | null;
}

const plain = (heading: string): string =>
  heading
    .normalize('NFKD')
    .toLowerCase()
    .replace(/\p{M}+/gu, '')
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^_+|_+$/g, '');

/** The headings of a file and the columns of their names. `chosen` says otherwise for some, by heading; null leaves one out. */
export function matchColumns(
  declared: TableDeclaration,
  headings: readonly string[],
  chosen: Readonly<Record<string, string | null>> = {},
): ColumnMatch[] {
  const columns = Object.keys(declared.columns);
  const taken = new Set<string>();
  return headings.map((heading, at) => {
    const said = Object.hasOwn(chosen, heading) ? chosen[heading] : undefined;
    const wanted = said === undefined ? columns.find((c) => c === heading || plain(c) === plain(heading)) : (said ?? undefined);
    const column = wanted !== undefined && columns.includes(wanted) && !taken.has(wanted) ? wanted : null;
    if (column !== null) taken.add(column);
    const suggestion = column === null && said === undefined ? (nearest(plain(heading), columns) ?? null) : null;
    return { heading, at, column, suggestion };
  });
}

/** What is wrong in a line of a file, counted from 1 as spreadsheets do; the first line has the headings. */
export interface SheetProblem {
  readonly line: number;
  readonly column: string;
  readonly reason: string;
}

export interface ReadSheet {
  readonly matches: readonly ColumnMatch[];
  /** Lines that hold a row, with what it is. */
  readonly rows: readonly { readonly line: number; readonly values: RowValues }[];
  readonly problems: readonly SheetProblem[];
}

/** The rows in the lines of a file, the first of which has the headings. A line with a problem gives no row. */
export function readSheet(
  document: BotDocument,
  declared: TableDeclaration,
  lines: readonly (readonly string[])[],
  chosen: Readonly<Record<string, string | null>> = {},
): ReadSheet {
  const [headings = [], ...rest] = lines;
  const matches = matchColumns(declared, headings, chosen);
  const columns = new Map(columnsOf(declared).map((c) => [c.name, c]));
  const problems: SheetProblem[] = [];
  const rows: { line: number; values: RowValues }[] = [];
  for (const [i, cells] of rest.entries()) {
    if (cells.every((c) => c === '')) continue;
    const line = i + 2;
    const found: SheetProblem[] = [];
    const values: Record<string, Value> = {};
    for (const { column: name, at } of matches) {
      const column = name === null ? undefined : columns.get(name);
      if (!column) continue;
      const fitted = fitCell(document, column, cellValue(column, cells[at] ?? ''));
      if (!fitted.ok) found.push({ line, column: column.name, reason: fitted.reason });
      else if (fitted.value !== null) values[column.name] = fitted.value;
    }
    if (cells.length > headings.length && cells.slice(headings.length).some((c) => c !== ''))
      found.push({ line, column: '', reason: 'has more cells than there are headings' });
    if (found.length > 0) problems.push(...found);
    else rows.push({ line, values });
  }
  return { matches, rows, problems };
}

function cellValue(column: Column, cell: string): Value {
  const text = unguardCell(cell);
  if (text === '') return null;
  if (column.type !== 'list') return text;
  if (text.startsWith('[')) {
    try {
      const read: unknown = JSON.parse(text);
      if (Array.isArray(read)) return read as Value[];
    } catch {
      // It is a text that begins with a bracket.
    }
  }
  return text
    .split(';')
    .map((t) => t.trim())
    .filter((t) => t !== '');
}
