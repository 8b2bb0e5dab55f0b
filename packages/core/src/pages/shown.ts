import { z } from 'zod';
import { isOutputPart, type OutputForm, type Page } from '../document/pages.js';
import type { BotDocument } from '../document/schema.js';
import { isTable, typeName, type Immutable, type TypeDeclaration, type Value } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';
import { readCsv } from '../tables/sheet.js';
import { blockShape, readMarkdown, safeAddress } from '../text/markdown.js';
import { fileOf } from './inputs.js';

/** A value as a page shows it, whatever draws it. */
export const shownShape = z.discriminatedUnion('as', [
  z.object({ as: z.literal('text'), blocks: z.array(blockShape) }),
  z.object({ as: z.literal('table'), columns: z.array(z.string()), rows: z.array(z.array(z.string())), left: z.int() }),
  z.object({ as: z.literal('list'), items: z.array(z.string()), left: z.int() }),
  z.object({ as: z.literal('fields'), fields: z.array(z.object({ name: z.string(), value: z.string() })) }),
  z.object({ as: z.literal('picture'), address: z.string(), alt: z.string() }),
  z.object({ as: z.literal('file'), name: z.string(), address: z.string() }),
]);
export type ShownValue = Immutable<z.infer<typeof shownShape>>;

/** So many rows, items and columns are shown; files have all of them. */
export const SHOWN_ROWS = 500;
const MOST_COLUMNS = 60;

/** How an output of a type is shown, unless its part says otherwise. */
export function outputForm(type: TypeDeclaration | undefined): OutputForm {
  const name = typeName(type).replace(/\?$/, '');
  const declared = typeof type === 'object' ? type : undefined;
  if (name === 'file') return 'file';
  if (name === 'object') return 'fields';
  if (name !== 'list') return 'text';
  return declared?.fields || declared?.of === 'object' ? 'table' : 'list';
}

/** The form of an output as a page shows it. */
export function formOf(document: BotDocument, page: Page, output: string): OutputForm {
  const part = page.parts.filter(isOutputPart).find((p) => p.output === output);
  return part?.as ?? outputForm(document.flows[page.flow]?.gives?.[output]);
}

/** An id in words: `packing_list` is "Packing list". */
export function inWords(id: string): string {
  const words = id.replace(/[_-]+/g, ' ').trim();
  return words.charAt(0).toUpperCase() + words.slice(1);
}

/** A value in a form. What does not fit it is shown as text: nothing is left out for its form. `most` rows and items. */
export function shownAs(form: OutputForm, value: Value, alt: string, most = SHOWN_ROWS): ShownValue {
  switch (form) {
    case 'table': {
      const table = tableIn(value);
      if (!table) break;
      return {
        as: 'table',
        columns: table.columns,
        rows: table.rows.slice(0, most),
        left: Math.max(0, table.rows.length - most),
      };
    }
    case 'list': {
      const items = itemsIn(value);
      if (items) return { as: 'list', items: items.slice(0, most), left: Math.max(0, items.length - most) };
      break;
    }
    case 'fields':
      if (isTable(value))
        return { as: 'fields', fields: Object.entries(value).map(([k, v]) => ({ name: inWords(k), value: cell(v) })) };
      break;
    case 'picture': {
      const address = pictureIn(value);
      if (address !== undefined) return { as: 'picture', address, alt };
      break;
    }
    case 'file': {
      const file = fileOf(value);
      if (file && safeAddress(file.address) !== undefined) return { as: 'file', name: file.name, address: file.address };
      break;
    }
    case 'text':
      break;
  }
  return { as: 'text', blocks: readMarkdown(asMarkdown(value)) };
}

/** A value as CommonMark: a text as it is, a list with dots, fields with their names in bold. */
export function asMarkdown(value: Value): string {
  if (typeof value === 'string') return value;
  if (Array.isArray(value)) return (value as readonly Value[]).map((v) => `- ${cell(v)}`).join('\n');
  if (isTable(value))
    return Object.entries(value)
      .map(([k, v]) => `**${inWords(k)}**: ${cell(v)}`)
      .join('\n\n');
  return textOf(value);
}

/** A value in one line. */
function cell(value: Value): string {
  if (value === null) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (Array.isArray(value)) return (value as readonly Value[]).map(cell).join(', ');
  if (isTable(value)) {
    const file = fileOf(value);
    if (file) return file.name;
    return Object.entries(value)
      .map(([k, v]) => `${inWords(k)}: ${cell(v)}`)
      .join(', ');
  }
  return textOf(value);
}

interface Table {
  readonly columns: string[];
  readonly rows: string[][];
}

function tableIn(value: Value): Table | undefined {
  if (typeof value === 'string') return pipeTable(value) ?? csvTable(value);
  if (isTable(value)) {
    const rows = Object.entries(value).map(([k, v]) => [inWords(k), cell(v)]);
    return rows.length > 0 ? { columns: ['', ''], rows } : undefined;
  }
  if (!Array.isArray(value)) return undefined;
  const list = value as readonly Value[];
  const keys = [...new Set(list.flatMap((row) => (isTable(row) ? Object.keys(row) : [])))].slice(0, MOST_COLUMNS);
  if (keys.length === 0) return list.length === 0 ? undefined : { columns: [''], rows: list.map((v) => [cell(v)]) };
  return {
    columns: keys.map(inWords),
    rows: list.map((row) => (isTable(row) ? keys.map((k) => cell(row[k] ?? null)) : [cell(row)])),
  };
}

/** A table drawn with bars, as models write them. */
function pipeTable(text: string): Table | undefined {
  const lines = text.split(/\r?\n/).map((l) => l.trim());
  const rule = lines.findIndex((l, i) => i > 0 && /^\|?\s*:?-+:?\s*(\|\s*:?-+:?\s*)*\|?$/.test(l) && lines[i - 1]?.includes('|'));
  if (rule < 0) return undefined;
  const cells = (line: string): string[] =>
    line
      .replace(/^\||\|$/g, '')
      .split(/(?<!\\)\|/)
      .slice(0, MOST_COLUMNS)
      .map((c) => c.trim().replaceAll('\\|', '|'));
  const columns = cells(lines[rule - 1] ?? '');
  const behind = lines.slice(rule + 1);
  const end = behind.findIndex((l) => !l.includes('|'));
  const rows = (end < 0 ? behind : behind.slice(0, end)).map(cells).map((row) => columns.map((_, i) => row[i] ?? ''));
  return { columns, rows };
}

function csvTable(text: string): Table | undefined {
  const [head, ...rows] = readCsv(text).map((row) => row.slice(0, MOST_COLUMNS));
  if (!head || head.length < 2 || rows.length === 0) return undefined;
  return { columns: head, rows: rows.map((row) => head.map((_, i) => row[i] ?? '')) };
}

function itemsIn(value: Value): string[] | undefined {
  if (Array.isArray(value)) return (value as readonly Value[]).map(cell);
  if (typeof value !== 'string') return undefined;
  const lines = value.split(/\r?\n/).filter((l) => l.trim() !== '');
  const marked = lines.flatMap((l) => /^\s*(?:[-*•]|\d+[.)])\s+(.*)$/.exec(l)?.[1] ?? []);
  return marked.length > 0 && marked.length === lines.length ? marked : undefined;
}

function pictureIn(value: Value): string | undefined {
  const address = typeof value === 'string' ? value : fileOf(value)?.address;
  if (address === undefined) return undefined;
  return /^data:image\/(png|jpeg|gif|webp);base64,/.test(address) ? address : safeAddress(address);
}

/** All of a table, for files: an output that is none is one column of its lines. */
export function tableFor(form: OutputForm, value: Value): Table {
  const table = form === 'table' || Array.isArray(value) || isTable(value) ? tableIn(value) : undefined;
  if (table) return table;
  return { columns: [''], rows: (itemsIn(value) ?? asMarkdown(value).split('\n')).map((line) => [line]) };
}

/** A passage that an output cites. */
export interface ShownSource {
  readonly number: number;
  readonly title: string;
  readonly heading: string;
  readonly page: number | null;
  readonly quote: string;
  readonly address: string | null;
}

const MOST_SOURCES = 60;

/** The passages among what a variable holds; those alone whose numbers a text cites in square brackets, where it cites any. */
export function sourcesIn(value: Value, said: Value): ShownSource[] {
  if (!Array.isArray(value)) return [];
  const cited = new Set([...asMarkdown(said).matchAll(/\[(\d{1,3})\]/g)].map((m) => Number(m[1])));
  return (value as readonly Value[])
    .flatMap((v): ShownSource[] => {
      if (!isTable(v) || typeof v['quote'] !== 'string' || typeof v['number'] !== 'number') return [];
      const { number, title, heading, page, quote, address } = v;
      const open = typeof address === 'string' ? safeAddress(address) : undefined;
      return [
        {
          number,
          title: typeof title === 'string' ? title : '',
          heading: typeof heading === 'string' ? heading : '',
          page: typeof page === 'number' ? page : null,
          quote,
          address: open ?? null,
        },
      ];
    })
    .filter((s) => cited.size === 0 || cited.has(s.number))
    .slice(0, MOST_SOURCES);
}
