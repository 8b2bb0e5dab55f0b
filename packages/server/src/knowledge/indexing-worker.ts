import { parentPort } from 'node:worker_threads';
import { deflateSync, inflateSync, strFromU8, strToU8 } from 'fflate';
import { z } from 'zod';
import {
  boundedReading,
  buildPart,
  encodePart,
  htmlReading,
  languageOf,
  pageLinks,
  readText,
  splitReading,
  type DocumentForm,
  type DocumentReading,
  type PageLinks,
  type Splitting,
} from '@primrose/core';
import { Refused, type Refusals } from '../base/refused.js';
import { hashOf } from './identity.js';
import { readDocumentFile } from './readers.js';

/** What a thread is asked for: to read a file, to index what was read, or to show how it would be split. */
export interface IndexingTasks {
  readonly read: { readonly bytes: Uint8Array; readonly form: DocumentForm };
  /** What stands in a file, as text; where it has pages, each begins with a line that says so. */
  readonly text: { readonly bytes: Uint8Array; readonly form: DocumentForm; readonly most: number };
  readonly index: { readonly reading: Uint8Array } & IndexAbout;
  readonly headings: { readonly reading: Uint8Array };
  /** The pictures of a page of a PDF, from 1. */
  readonly pictures: { readonly bytes: Uint8Array; readonly page: number };
  /** What somebody wrote down of such pages, each in CommonMark. */
  readonly seen: { readonly texts: readonly string[]; readonly note: string };
  /** A page of a site, in UTF-8. */
  readonly page: { readonly bytes: Uint8Array };
  readonly split: { readonly reading: Uint8Array; readonly title: string | undefined; readonly split: Splitting | undefined };
}
export interface IndexAbout {
  /** What it is called where it says nothing of its own. */
  readonly name: string;
  readonly title: string | undefined;
  readonly language: string | undefined;
  /** The language it is taken to be in where its words do not tell. */
  readonly usual: string;
  readonly split: Splitting | undefined;
}
export interface IndexingResults {
  readonly read: {
    readonly bytes: Uint8Array;
    readonly pages: number | null;
    readonly characters: number;
    readonly note: string | null;
  };
  readonly text: { readonly text: string };
  readonly index: { readonly bytes: Uint8Array; readonly passages: number; readonly language: string };
  readonly headings: { readonly headings: DocumentReading['pieces'] };
  readonly pictures: { readonly pages: number; readonly pictures: readonly Uint8Array[] };
  readonly seen: IndexingResults['read'];
  readonly page: PageRead;
  readonly split: { readonly sizes: readonly number[]; readonly first: readonly SplitPassage[] };
}
/** A page of a site: where it leads, what it is called, and the hash of what it says, whatever stands around that. */
export interface PageRead extends PageLinks {
  readonly title: string | undefined;
  readonly said: string;
  readonly empty: boolean;
}
export interface SplitPassage {
  readonly heading: string;
  readonly page: number | null;
  readonly text: string;
}
export type IndexingTaskName = keyof IndexingTasks;
export interface IndexingTask<N extends IndexingTaskName = IndexingTaskName> {
  readonly id: number;
  readonly task: N;
  readonly of: IndexingTasks[N];
}
export type IndexingSays =
  | { readonly id: number; readonly result: IndexingResults[IndexingTaskName] }
  | { readonly id: number; readonly unreadable: Refusals['document-unreadable'] }
  | { readonly id: number; readonly error: string };

/** So many headings of a document are told, each with how what follows begins. */
const MOST_HEADINGS = 400;
/** So many passages of a preview are shown; the sizes of all are told. */
const SHOWN = 50;
/** A document's language is told by its beginning. */
const TELLING_PIECES = 60;

const piece = z.object({
  level: z.int(),
  text: z.string(),
  page: z.int().optional(),
  cells: z.array(z.tuple([z.string(), z.string()])).optional(),
});
const reading = z.object({
  title: z.string().optional(),
  pieces: z.array(piece),
  pages: z.int().optional(),
  note: z.string().optional(),
});

/** What `read` stored. */
function storedReading(bytes: Uint8Array): DocumentReading {
  return reading.parse(JSON.parse(strFromU8(inflateSync(bytes))));
}

function stored(came: DocumentReading): IndexingResults['read'] {
  return {
    bytes: deflateSync(strToU8(JSON.stringify(came)), { level: 1 }),
    pages: came.pages ?? null,
    characters: came.pieces.reduce((sum, p) => sum + p.text.length, 0),
    note: came.note ?? null,
  };
}

function textIn({ pieces }: DocumentReading, most: number): string {
  const lines: string[] = [];
  let page: number | undefined;
  let size = 0;
  for (const piece of pieces) {
    if (piece.page !== undefined && piece.page !== page) lines.push(`[page ${(page = piece.page)}]`);
    const text = piece.level > 0 ? `${'#'.repeat(Math.min(piece.level, 6))} ${piece.text}` : piece.text;
    lines.push(text);
    size += text.length;
    if (size > most) break;
  }
  return lines.join('\n\n').slice(0, most);
}

const WORK: { readonly [N in IndexingTaskName]: (of: IndexingTasks[N]) => IndexingResults[N] | Promise<IndexingResults[N]> } = {
  read: async ({ bytes, form }) => stored(await readDocumentFile(bytes, form)),
  text: async ({ bytes, form, most }) => ({ text: textIn(await readDocumentFile(bytes, form), most) }),
  // A library that is large is loaded when the first such file comes.
  pictures: async ({ bytes, page }) => (await import('./pdf-pictures.js')).picturesOfPage(bytes, page),
  seen: ({ texts, note }) => {
    const pieces = texts.flatMap((text, i) => readText('markdown', text).pieces.map((p) => ({ ...p, page: i + 1 })));
    if (!pieces.some((p) => p.level === 0))
      throw new Refused('document-unreadable', { reason: 'no text was found on its pages' });
    return stored(boundedReading({ pieces, pages: texts.length, note }));
  },
  index: ({ reading: bytes, name, title, language, usual, split }) => {
    const came = storedReading(bytes);
    const passages = splitReading({ id: name, title }, came, split);
    const beginning = came.pieces
      .slice(0, TELLING_PIECES)
      .map((p) => p.text)
      .join(' ');
    const about = { id: '', title: passages[0]?.title ?? title ?? name, language: language ?? languageOf(beginning, usual) };
    return { bytes: encodePart(buildPart(about, passages)), passages: passages.length, language: about.language.slice(0, 20) };
  },
  headings: ({ reading: bytes }) => {
    const { pieces } = storedReading(bytes);
    const telling = pieces.filter((p, i) => p.level > 0 || (pieces[i - 1]?.level ?? 0) > 0);
    return { headings: telling.slice(0, MOST_HEADINGS).map((p) => ({ level: p.level, text: p.text.slice(0, 400) })) };
  },
  page: ({ bytes }) => {
    const html = new TextDecoder().decode(bytes);
    const { title, pieces } = htmlReading(html);
    return {
      ...pageLinks(html),
      title,
      said: hashOf(strToU8(JSON.stringify(pieces))),
      empty: !pieces.some((p) => p.level === 0),
    };
  },
  split: ({ reading: bytes, title, split }) => {
    const passages = splitReading({ id: '', title }, storedReading(bytes), split);
    return {
      sizes: passages.map((p) => p.text.length),
      first: passages.slice(0, SHOWN).map((p) => ({ heading: p.heading, page: p.page ?? null, text: p.text })),
    };
  },
};

/** Reads and indexes documents beside the service, one after the other. */
parentPort?.on('message', (asked: IndexingTask) => void work(asked).then((says) => parentPort?.postMessage(says)));

async function work({ id, task, of }: IndexingTask): Promise<IndexingSays> {
  try {
    return {
      id,
      result: await (
        WORK[task] as (of: unknown) => IndexingResults[IndexingTaskName] | Promise<IndexingResults[IndexingTaskName]>
      )(of),
    };
  } catch (error) {
    if (error instanceof Refused && error.code === 'document-unreadable')
      return { id, unreadable: (error as Refused<'document-unreadable'>).facts };
    // The call stack ran over: something stands too deep in something else.
    if (error instanceof RangeError) return { id, unreadable: { reason: 'it is nested too deeply' } };
    return { id, error: String(error) };
  }
}
