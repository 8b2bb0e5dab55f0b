import { problemSentence, readDocument, type BotDocument, type Problem } from '@primrose/core';
import type { FieldError } from '@primrose/contract';
import { HttpProblem } from '../http/problem.js';

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
  const errors = fieldErrors(read.problems);
  throw new HttpProblem(
    'invalid-document',
    errors[0] ? `${errors[0].pointer}: ${errors[0].detail}` : 'The document cannot be read.',
    { errors },
  );
}
