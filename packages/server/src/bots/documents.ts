import { problemSentence, readDocument, type BotDocument, type Problem } from '@primrose/core';
import type { FieldError } from '@primrose/contract';
import { jsonColumn } from '../store/columns.js';
import { Refused } from '../base/refused.js';

/** Where a problem stands in the whole document, as a JSON Pointer. */
function documentPointer(p: Problem): string {
  if (p.flow === undefined) return p.field ?? '';
  return `/flows/${p.flow}${p.node === undefined ? '' : `/nodes/${p.node}`}${p.field ?? ''}`;
}

export function fieldErrors(problems: readonly Problem[]): FieldError[] {
  return problems.slice(0, 100).map((p) => ({ pointer: documentPointer(p), detail: problemSentence(p), code: p.code }));
}

/** A document from outside, or the end of the request with everything that is wrong in it. */
export function acceptDocument(source: unknown): BotDocument {
  const read = readDocument(source);
  if (read.ok) return read.document;
  throw new Refused('invalid-document', { errors: fieldErrors(read.problems) });
}

/** A document of our own database; that it cannot be read is a fault of ours. */
export function storedDocument(text: string): BotDocument {
  const read = readDocument(jsonColumn.read(text));
  if (!read.ok) throw new Error(`a stored document cannot be read: ${JSON.stringify(read.problems.slice(0, 3))}`);
  return read.document;
}
