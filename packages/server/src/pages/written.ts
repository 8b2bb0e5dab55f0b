import { guardCell, resultMarkdown, resultRows, resultText, tableFor, writeCsv, type ResultDocument } from '@primrose/core';
import type { DownloadForm } from '@primrose/contract';
import Excel from 'exceljs';
import type { FindPicture } from './picture.js';
import { addSheet, XLSX } from '../tables/workbook.js';

export interface WrittenFile {
  readonly type: string;
  readonly name: string;
  readonly bytes: Uint8Array;
}

const DOCX = 'application/vnd.openxmlformats-officedocument.wordprocessingml.document';

/** What came of a page as a file. */
export async function writeResult(result: ResultDocument, as: DownloadForm, picture: FindPicture): Promise<WrittenFile> {
  const name = `${plainName(result.title)}-${result.at.slice(0, 10)}.${as}`;
  const text = (type: string, words: string): WrittenFile => ({ type, name, bytes: new TextEncoder().encode(words) });
  switch (as) {
    case 'txt':
      return text('text/plain; charset=utf-8', resultText(result));
    case 'md':
      return text('text/markdown; charset=utf-8', resultMarkdown(result));
    case 'csv': {
      const [head = [''], ...rows] = resultRows(result).map((r) => r.map(guardCell));
      return text('text/csv; charset=utf-8', writeCsv(head, rows));
    }
    case 'xlsx':
      return { type: XLSX, name, bytes: await workbook(result) };
    // Libraries that are large are loaded when the first such file is wanted.
    case 'docx':
      return { type: DOCX, name, bytes: await (await import('./written-docx.js')).writeDocx(result, picture) };
    case 'pdf':
      return { type: 'application/pdf', name, bytes: await (await import('./written-pdf.js')).writePdf(result, picture) };
  }
}

function plainName(title: string): string {
  const plain = title
    .normalize('NFKD')
    .toLowerCase()
    .replace(/\p{M}+/gu, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '');
  return plain.slice(0, 60) || 'page';
}

/** A sheet for each output. */
async function workbook({ sections, inputs }: ResultDocument): Promise<Uint8Array> {
  const book = new Excel.Workbook();
  const add = (title: string, rows: readonly (readonly string[])[]) => addSheet(book, title, rows);
  for (const s of sections) {
    const { columns, rows } = tableFor(s.form, s.value);
    add(s.title, columns.every((c) => c === '') ? rows : [columns, ...rows]);
    const cited = s.sources.map((c) => [String(c.number), c.title, c.heading, c.page === null ? '' : String(c.page), c.quote]);
    if (cited.length > 0) add(`${s.title.slice(0, 18)} sources`, [['Number', 'Title', 'Heading', 'Page', 'Passage'], ...cited]);
  }
  if (inputs.length > 0)
    add(
      'Filled in',
      inputs.map(([name, value]) => [name, value]),
    );
  if (sections.length === 0) add('Nothing', [['Nothing has come of it yet.']]);
  return new Uint8Array(await book.xlsx.writeBuffer());
}
