import Papa from 'papaparse';
import { pieceOf, type Piece, type DocumentReading } from './pieces.js';

/** So many lines of a table are read. */
export const MOST_LINES = 100_000;
/** JSON is gone down to this depth; what stands deeper is left as it is written. */
const DEEPEST = 20;

/** Rows as pieces: each cell with the name of its column. Cells without a value are left out. */
export function rowPieces(names: readonly string[], rows: readonly (readonly string[])[]): Piece[] {
  return rows.flatMap((row): Piece[] => {
    const cells = row.flatMap((value, i): [string, string][] =>
      value.trim() === '' ? [] : [[names[i]?.trim() ?? '', value.trim()]],
    );
    const text = cells.map(([name, value]) => (name === '' ? value : `${name}: ${value}`)).join(', ');
    return pieceOf(text).map((piece) => ({ ...piece, cells }));
  });
}

/** The lines of a table, the first of which are its names, as a reading. */
export function linesReading(lines: readonly (readonly string[])[]): DocumentReading {
  const [names = [], ...rows] = lines;
  const note =
    rows.length > MOST_LINES ? `Only the first ${MOST_LINES.toLocaleString('en')} lines were read. Split it up.` : undefined;
  const pieces = rowPieces(names, rows.slice(0, MOST_LINES));
  return { pieces, ...(note === undefined ? {} : { note }) };
}

/** Reads CSV (RFC 4180), whatever parts its values. The first line are the names of the columns. */
export function csvReading(text: string): DocumentReading {
  const { data } = Papa.parse<string[]>(text, { skipEmptyLines: 'greedy', preview: MOST_LINES + 2 });
  return linesReading(data);
}

/** Reads JSON: a list of objects as rows, everything else as values with the way to them. Throws a `SyntaxError` where it is broken. */
export function jsonReading(text: string): DocumentReading {
  const value: unknown = JSON.parse(text);
  const list = Array.isArray(value) ? value : Object.values(isObject(value) ? value : {}).find(isTable);
  if (isTable(list)) {
    const rows = list.slice(0, MOST_LINES).map((row) => [...flat(row, '', 0)]);
    const whole = Array.isArray(value) ? [] : [...flat(without(value, list), '', 0)];
    return { pieces: [...pairs(whole), ...rows.flatMap(rowOf)] };
  }
  return { pieces: pairs([...flat(value, '', 0)]) };
}

type Pair = readonly [name: string, value: string];

const isObject = (v: unknown): v is Record<string, unknown> => typeof v === 'object' && v !== null && !Array.isArray(v);
const isTable = (v: unknown): v is unknown[] => Array.isArray(v) && v.length > 0 && v.every(isObject);
const without = (value: unknown, part: unknown): unknown =>
  Object.fromEntries(Object.entries(isObject(value) ? value : {}).filter(([, v]) => v !== part));

function rowOf(cells: readonly Pair[]): Piece[] {
  const text = cells.map(([name, value]) => (name === '' ? value : `${name}: ${value}`)).join(', ');
  return pieceOf(text).map((piece) => ({ ...piece, cells }));
}

const pairs = (found: readonly Pair[]): Piece[] =>
  found.flatMap(([name, value]) => pieceOf(name === '' ? value : `${name}: ${value}`));

/** A value that is written as one: what is no object, a list of such, and what stands too deep. */
function plainly(value: unknown, depth: number): string | undefined {
  if (typeof value === 'string') return value;
  if (typeof value === 'number' || typeof value === 'boolean') return String(value);
  if (depth >= DEEPEST) return JSON.stringify(value).slice(0, 500);
  if (Array.isArray(value) && value.every((v) => typeof v !== 'object')) return value.map(String).join(', ');
  return undefined;
}

/** The plain values in a value, each with the way to it. */
function* flat(value: unknown, name: string, depth: number): Generator<Pair> {
  if (value === null || value === undefined || value === '') return;
  const plain = plainly(value, depth);
  if (plain !== undefined) {
    yield [name, plain];
    return;
  }
  for (const [key, inner] of Object.entries(value) as [string, unknown][]) {
    const own = Array.isArray(value) ? `${Number(key) + 1}` : key.replaceAll('_', ' ');
    yield* flat(inner, name === '' ? own : `${name} ${own}`, depth + 1);
  }
}
