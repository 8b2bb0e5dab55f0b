import type { z } from 'zod';
import type { ApiProblemCode } from './problems.js';

/** Who may call: a person of the console or an API token; a visitor with a key; or anybody. */
export type Access = 'person' | 'visitor' | 'anybody';

/** One operation of the HTTP API. Server routes, the OpenAPI document and the client come from it. */
export interface Endpoint<P = unknown, Q = unknown, B = unknown, R = unknown> {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE' | 'OPTIONS';
  /** Express form: `/api/bots/:bot`. */
  readonly path: string;
  readonly about: string;
  readonly access: Access;
  readonly params?: z.ZodType<P>;
  readonly query?: z.ZodType<Q>;
  readonly body?: z.ZodType<B>;
  readonly reply?: z.ZodType<R>;
  readonly status?: number;
  /** A stream of server-sent events instead of one answer. */
  readonly stream?: boolean;
  /** Content types of a body that is no JSON of ours, and of such an answer: files. */
  readonly upload?: readonly string[];
  readonly download?: readonly string[];
  /** How many bytes such a body may have, where that is another number than usual. */
  readonly uploadMost?: number;
  /** How many bytes a body of JSON may have, where that is another number than usual. */
  readonly bodyMost?: number;
  /** The handler reads the body itself, whatever it is, and answers by itself. */
  readonly open?: boolean;
  readonly problems?: readonly ApiProblemCode[];
}

/** Keeps the types of one endpoint while it stands in the list. */
export function endpoint<P = Record<never, never>, Q = Record<never, never>, B = undefined, R = undefined>(
  e: Endpoint<P, Q, B, R>,
): Endpoint<P, Q, B, R> {
  return e;
}

export type ParamsOf<E> = E extends Endpoint<infer P, infer _Q, infer _B, infer _R> ? P : never;
export type QueryOf<E> = E extends Endpoint<infer _P, infer Q, infer _B, infer _R> ? Q : never;
export type BodyOf<E> = E extends Endpoint<infer _P, infer _Q, infer B, infer _R> ? B : never;
export type ReplyOf<E> = E extends Endpoint<infer _P, infer _Q, infer _B, infer R> ? R : never;
