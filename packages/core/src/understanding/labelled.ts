import Papa from 'papaparse';

/** A line of a labelled file: what somebody says, and the intent that it means; '' where it means none. */
export interface LabelledText {
  readonly text: string;
  readonly intent: string;
  readonly language?: string;
  readonly line: number;
}

/** What is wrong with a labelled file, and in which line; line 0 is the file as a whole. */
export interface LabelledProblem {
  readonly line: number;
  readonly problem: string;
}

export interface LabelledFile {
  readonly rows: readonly LabelledText[];
  readonly problems: readonly LabelledProblem[];
}

const MOST_LABELLED = 10_000;
const MOST_TEXT = 500;
const MOST_PROBLEMS = 50;
const FORM =
  'It should begin with a line "text,intent" (CSV), or hold one object such as {"text":"…","intent":"…"} a line (JSON Lines).';

/**
 * Reads a labelled file: CSV (RFC 4180) with a head line `text,intent` and if wanted `language`, or JSON Lines. Never throws;
 * lines that cannot be read are named, the others are taken. An intent that is not in `known` is named as well.
 */
export function readLabelled(source: string, known: readonly string[]): LabelledFile {
  const text = source.replace(/^\uFEFF/, '');
  if (text.trim() === '') return { rows: [], problems: [{ line: 0, problem: `The file is empty. ${FORM}` }] };
  const read = text.trimStart().startsWith('{') ? readJsonLines(text) : readCsv(text);
  const problems = [...read.problems];
  const rows: LabelledText[] = [];
  for (const row of read.rows) {
    if (row.text.trim() === '') problems.push({ line: row.line, problem: 'There is no text.' });
    else if (row.intent !== '' && !known.includes(row.intent))
      problems.push({ line: row.line, problem: `The bot has no intent "${row.intent.slice(0, 60)}".` });
    else if (rows.length >= MOST_LABELLED) {
      problems.push({ line: row.line, problem: `Only the first ${MOST_LABELLED} lines are read.` });
      break;
    } else rows.push({ ...row, text: row.text.slice(0, MOST_TEXT) });
  }
  return { rows, problems: problems.slice(0, MOST_PROBLEMS) };
}

type Read = { readonly rows: readonly LabelledText[]; readonly problems: readonly LabelledProblem[] };

function readCsv(source: string): Read {
  const { data, errors } = Papa.parse<string[]>(source, { skipEmptyLines: 'greedy', preview: MOST_LABELLED + 2 });
  const head = (data[0] ?? []).map((h) => h.trim().toLowerCase());
  const [textAt, intentAt, languageAt] = ['text', 'intent', 'language'].map((name) => head.indexOf(name));
  if (textAt === undefined || intentAt === undefined || textAt < 0 || intentAt < 0)
    return { rows: [], problems: [{ line: 1, problem: `The first line names no columns "text" and "intent". ${FORM}` }] };
  const open = errors.find((e) => e.code === 'MissingQuotes');
  const problems = open
    ? [{ line: (open.row ?? 0) + 1, problem: 'A quotation mark is opened and never closed; what follows it was not read.' }]
    : [];
  const end = open?.row ?? data.length;
  const rows = data.slice(1, Math.max(1, end)).map((cells, i): LabelledText => {
    const language = languageAt === undefined || languageAt < 0 ? undefined : cells[languageAt]?.trim();
    return {
      text: cells[textAt] ?? '',
      intent: (cells[intentAt] ?? '').trim(),
      line: i + 2,
      ...(language ? { language } : {}),
    };
  });
  return { rows, problems };
}

function readJsonLines(source: string): Read {
  const rows: LabelledText[] = [];
  const problems: LabelledProblem[] = [];
  source.split('\n').forEach((line, i) => {
    if (line.trim() === '' || rows.length > MOST_LABELLED) return;
    const row = objectIn(line);
    const { text, intent, language } = row ?? {};
    if (typeof text !== 'string' || (intent !== undefined && intent !== null && typeof intent !== 'string'))
      problems.push({ line: i + 1, problem: 'This is no object with a "text" and an "intent".' });
    else
      rows.push({
        text,
        intent: intent ?? '',
        line: i + 1,
        ...(typeof language === 'string' && language !== '' ? { language } : {}),
      });
  });
  return { rows, problems };
}

function objectIn(line: string): Readonly<Record<string, unknown>> | undefined {
  try {
    const value: unknown = JSON.parse(line);
    return typeof value === 'object' && value !== null && !Array.isArray(value) ? { ...value } : undefined;
  } catch {
    return undefined;
  }
}

/** A table as CSV (RFC 4180), with a line for its head; every line is as wide as the widest, so no cell is left out. */
export function writeCsv(head: readonly string[], rows: readonly (readonly string[])[]): string {
  const width = rows.reduce((most, r) => Math.max(most, r.length), head.length);
  const fields = Array.from({ length: width }, (_, i) => head[i] ?? '');
  return `${Papa.unparse({ fields, data: rows.map((r) => [...r]) }, { newline: '\r\n' })}\r\n`;
}

/** The rows of a CSV text as lists of cells, without a byte order mark and empty lines; at most `most`. */
export function readCsvRows(
  source: string,
  most: number,
): { readonly rows: readonly (readonly string[])[]; readonly open: boolean } {
  const { data, errors } = Papa.parse<string[]>(source.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy', preview: most });
  return { rows: data, open: errors.some((e) => e.code === 'MissingQuotes') };
}
