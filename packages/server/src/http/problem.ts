import type { NextFunction, Request, Response } from 'express';
import type { Logger } from 'pino';
import { isDatabaseTrouble, isNoRoom } from '../store/database.js';
import { problemDetails, type ApiProblemCode, type ProblemDetails } from '@primrose/contract';
import { Refused } from '../base/refused.js';
import { wordedProblem } from './wording.js';

/** Ends a request with a problem; `detail` says what to do. */
export class HttpProblem extends Error {
  readonly details: ProblemDetails;
  constructor(code: ApiProblemCode, detail: string, extra: Readonly<Record<string, unknown>> = {}) {
    super(detail);
    this.details = problemDetails(code, detail, extra);
  }
}

const RETRY_AFTER_SECONDS = 2;
const MAKES_WAIT = new Set([429, 503, 507]);

export function sendProblem(res: Response, details: ProblemDetails): void {
  const { retryAfter = RETRY_AFTER_SECONDS } = details;
  if (MAKES_WAIT.has(details.status)) res.setHeader('retry-after', String(retryAfter));
  res.status(details.status).type('application/problem+json').send(JSON.stringify(details));
}

/** What somebody has to be told of an error that was meant for them; undefined for one that nobody expected. */
export function detailsOf(error: unknown): ProblemDetails | undefined {
  if (error instanceof HttpProblem) return error.details;
  return error instanceof Refused ? wordedProblem(error) : undefined;
}

const sizeWords = (bytes: number): string =>
  bytes >= 2 ** 20 ? `${Math.round(bytes / 2 ** 20)} MB` : `${Math.round(bytes / 1024)} kB`;

/** Errors of the libraries in front of us and of the database, translated once, by code. */
function translate(error: unknown): ProblemDetails | undefined {
  const { type, status, limit = 0 } = error as { type?: string; status?: number; limit?: number };
  if (type === 'entity.too.large')
    return problemDetails('too-large', `The body is larger than ${sizeWords(limit)}. Send less at once.`);
  if (type === 'entity.parse.failed')
    return problemDetails('invalid-input', 'The body cannot be read as JSON. Check its quotes and commas.');
  if (type === 'charset.unsupported' || type === 'encoding.unsupported')
    return problemDetails('wrong-content-type', 'Send the body as JSON in UTF-8, not compressed in another way than gzip.');
  if (isDatabaseTrouble(error)) {
    return problemDetails('not-ready', 'The database does not answer. Nothing was changed; try again in a moment.');
  }
  if (isNoRoom(error)) {
    return problemDetails(
      'no-room',
      'The database has no room left on its disk. Nothing was stored; make room there, then try again.',
    );
  }
  if (typeof status === 'number' && status >= 400 && status < 500)
    return problemDetails('invalid-input', 'The request cannot be read. Check its address and body.');
  return undefined;
}

/** The last handler: every error becomes problem details; what nobody expected is logged whole and told as little as possible. */
export function problemHandler(log: Logger) {
  return (error: unknown, req: Request, res: Response, next: NextFunction): void => {
    if (res.headersSent) {
      next(error);
      return;
    }
    const known = detailsOf(error) ?? translate(error);
    if (!known) log.error({ err: error, method: req.method, path: req.path }, 'a request failed');
    sendProblem(
      res,
      known ?? problemDetails('internal', 'The reason is in the log of the service. Nothing of this request was stored in part.'),
    );
  };
}
