import { parentPort } from 'node:worker_threads';
import type { DownloadForm } from '@primrose/contract';
import type { BotDocument, ResultDocument } from '@primrose/core';
import { Refused, type RefusalCode, type Refusals } from '../base/refused.js';
import type { PictureRead } from '../pages/picture.js';
import { writeResult, type WrittenFile } from '../pages/written.js';
import { linesOf, workbookOf } from '../tables/workbook.js';
import { acceptDocument } from './documents.js';
import { readFile, type FileContents } from './files.js';

type Refusal = { readonly [C in RefusalCode]: { readonly code: C; readonly facts: Refusals[C] } }[RefusalCode];

/** What a thread is asked for: the document in a file, the lines of a sheet, lines as a workbook, or what came of a page as a file. */
export interface FileTasks {
  readonly document: { readonly bytes: Uint8Array };
  readonly lines: { readonly bytes: Uint8Array; readonly type: string };
  readonly workbook: { readonly name: string; readonly lines: readonly (readonly string[])[] };
  /** What came of a page, with the pictures in it by their addresses. */
  readonly page: {
    readonly result: ResultDocument;
    readonly as: DownloadForm;
    readonly pictures: ReadonlyMap<string, PictureRead>;
  };
}
export interface FileResults {
  readonly document: { readonly document: BotDocument; readonly contents: FileContents };
  readonly lines: string[][];
  readonly workbook: Uint8Array;
  readonly page: WrittenFile;
}
export type FileTaskName = keyof FileTasks;
export interface FileTask<N extends FileTaskName = FileTaskName> {
  readonly task: N;
  readonly of: FileTasks[N];
}

/** What a thread says of it: what came of it, or why nothing did. */
export type ReadMessage =
  { readonly result: FileResults[FileTaskName] } | { readonly refused: Refusal } | { readonly error: string };

const WORK: { readonly [N in FileTaskName]: (of: FileTasks[N]) => FileResults[N] | Promise<FileResults[N]> } = {
  document: ({ bytes }) => {
    const { source, contents } = readFile(bytes);
    return { document: acceptDocument(source), contents };
  },
  lines: ({ bytes, type }) => linesOf(bytes, type),
  workbook: ({ name, lines }) => workbookOf(name, lines),
  page: ({ result, as, pictures }) => writeResult(result, as, (address) => pictures.get(address)),
};

/** Reads what people import beside the service: however large or deep it unfolds, it is this thread that pays for it. */
parentPort?.on('message', (asked: FileTask) => void work(asked).then((message) => parentPort?.postMessage(message)));

async function work({ task, of }: FileTask): Promise<ReadMessage> {
  try {
    return { result: await (WORK[task] as (of: unknown) => FileResults[FileTaskName] | Promise<FileResults[FileTaskName]>)(of) };
  } catch (error) {
    if (error instanceof Refused) return { refused: refusalOf(error as Refused<RefusalCode>) };
    // The call stack ran over: values stand too deep in each other.
    if (error instanceof RangeError) return { refused: { code: 'file-too-deep', facts: {} } };
    return { error: String(error) };
  }
}

function refusalOf({ code, facts }: Refused<RefusalCode>): Refusal {
  return { code, facts } as Refusal;
}
