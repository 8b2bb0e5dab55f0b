import express, { type Express, type NextFunction, type Request, type Response } from 'express';
import type { z } from 'zod';
import {
  endpoints,
  type Endpoint,
  type EndpointName,
  type Endpoints,
  type BodyOf,
  type ParamsOf,
  type QueryOf,
  type ReplyOf,
  type FieldError,
} from '@primrose/contract';
import { misfitOf, pointer, sizeOf, type Issue } from '@primrose/core';
import { Refused } from '../base/refused.js';
import type { Person } from '../store/people.js';
import { bearer } from './auth.js';
import { HttpProblem } from './problem.js';

/** What a handler gets: input that its endpoint's schemas accepted, and who asks. */
export interface Asked<E> {
  readonly params: ParamsOf<E>;
  readonly query: QueryOf<E>;
  readonly body: BodyOf<E>;
  /** Nobody (empty id) where the endpoint asks for no person. */
  readonly person: Person;
  readonly req: Request;
  readonly res: Response;
}

export type Handler<N extends EndpointName> = (asked: Asked<Endpoints[N]>) => Promise<ReplyOf<Endpoints[N]>>;
export type Handlers = { readonly [N in EndpointName]?: Handler<N> };
export type FindPerson = (req: Request) => Promise<Person>;

export const PAGE = 50;
/** What people may send, and what anybody may. */
const BODY_LIMIT = '4mb';
const PUBLIC_LIMIT = '64kb';
const HOOK_LIMIT = '1mb';

/** Cuts a list that was read one longer than a page; `next` is the cursor of the following page. */
export function paged<T, V>(
  rows: readonly T[],
  limit: number,
  view: (row: T) => V,
  cursor: (row: T) => string,
): { items: V[]; next: string | null } {
  const shown = rows.slice(0, limit);
  const last = shown.at(-1);
  return { items: shown.map(view), next: rows.length > limit && last !== undefined ? cursor(last) : null };
}

/** The number in a cursor; one that is none of ours counts as none at all. */
export function numberCursor(after: string | undefined): number {
  return after !== undefined && /^\d{1,9}$/.test(after) ? Number(after) : Number.MAX_SAFE_INTEGER;
}

/** The number behind which a list goes on from its beginning; one that is none of ours counts as none at all. */
export function firstNumber(after: string | undefined): number {
  return after !== undefined && /^\d{1,9}$/.test(after) ? Number(after) : 0;
}

/** A file as an answer, offered under a name. */
export function sendFile(res: Response, type: string, name: string, bytes: Uint8Array): void {
  res.setHeader('content-disposition', `attachment; filename="${name.replace(/[^A-Za-z0-9._-]/g, '-')}"`);
  res.type(type).send(Buffer.from(bytes));
}

const NOBODY: Person = { id: '', name: '' };

/** Adds the routes of some endpoints to the service. A stream's handler answers by itself. */
export function addRoutes(app: Express, findPerson: FindPerson, handlers: Handlers): void {
  for (const [name, handler] of Object.entries(handlers) as [EndpointName, Handler<EndpointName>][]) {
    const e = endpoints[name] as Endpoint;
    const method = e.method.toLowerCase() as 'get';
    // Who asks is known before anything that they send is read.
    const identified = async (req: Request, res: Response, next: NextFunction): Promise<void> => {
      if (e.access === 'visitor' && bearer(req) === undefined) throw new Refused('visitor-unknown', {});
      if (e.access === 'person') res.locals['person'] = await findPerson(req);
      next();
    };
    app[method](e.path, identified, bodyReader(e), async (req: Request, res: Response) => {
      const person = (res.locals['person'] as Person | undefined) ?? NOBODY;
      const asked = {
        params: read(e.params, req.params, ''),
        query: read(e.query, req.query, ''),
        body: e.upload ? readUpload(e.upload, req) : readBody(e, req),
        person,
        req,
        res,
      };
      const reply: unknown = await handler(asked as never);
      if (e.stream || e.download || e.open || res.headersSent) return;
      if (reply === undefined) res.status(e.status ?? 204).end();
      else res.status(e.status ?? 200).json(reply);
    });
  }
}

function bodyReader(e: Endpoint) {
  if (e.open) return (_req: Request, _res: Response, next: NextFunction) => next();
  const known = e.access === 'person';
  if (e.upload) return express.raw({ type: [...e.upload], limit: e.uploadMost ?? (known ? BODY_LIMIT : HOOK_LIMIT) });
  return express.json({ limit: e.bodyMost ?? (known ? BODY_LIMIT : PUBLIC_LIMIT) });
}

function readBody(e: Endpoint, req: Request): unknown {
  if (!e.body) return undefined;
  if (!req.is('application/json'))
    throw new HttpProblem('wrong-content-type', 'Send the body as JSON with the header content-type: application/json.');
  if (sizeOf(req.body) === Infinity)
    throw new HttpProblem('invalid-input', 'The body is nested too deeply. Send something flatter.');
  return read(e.body, req.body, '');
}

function readUpload(types: readonly string[], req: Request): Buffer {
  if (Buffer.isBuffer(req.body)) return req.body;
  throw new HttpProblem('wrong-content-type', `Send the file itself as the body, as ${types.join(' or ')}.`);
}

function read(schema: z.ZodType | undefined, source: unknown, prefix: string): unknown {
  if (!schema) return undefined;
  const parsed = schema.safeParse(source);
  if (parsed.success) return parsed.data;
  const errors = parsed.error.issues
    .flatMap((i) => flattened(i))
    .slice(0, 20)
    .map((i): FieldError => ({ pointer: prefix + pointer(i.path), detail: issueDetail(i, source) }));
  const [first] = errors;
  throw new HttpProblem(
    'invalid-input',
    `${first?.pointer || 'The request'}: ${first?.detail}. Correct this and send it again.`,
    { errors },
  );
}

/** Of several forms that something could have, what is wrong in the one that came furthest. */
function flattened(issue: Issue): Issue[] {
  if (issue.code !== 'invalid_union') return [issue];
  const deepest = (issues: readonly Issue[]) => Math.max(0, ...issues.map((i) => i.path.length));
  const [best] = [...issue.errors].sort((a, b) => deepest(b) - deepest(a));
  if (!best || deepest(best) === 0) return [issue];
  return best.map((i) => ({ ...i, path: [...issue.path, ...i.path] }));
}

function issueDetail(issue: Issue, source: unknown): string {
  if (issue.code === 'unrecognized_keys') return `nothing is called ${issue.keys.map((k) => `"${k}"`).join(', ')} here`;
  const found = issue.path.reduce<unknown>(
    (at, key) => (at !== null && typeof at === 'object' ? (at as Record<PropertyKey, unknown>)[key] : undefined),
    source,
  );
  const { value, write } = misfitOf(issue, found);
  return found === undefined ? `it is missing; give ${write}` : `${value} does not fit; give ${write}`;
}
