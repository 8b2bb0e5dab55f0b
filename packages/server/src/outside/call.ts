import { request, type Agent } from 'undici';
import { failureOf, type Failure } from '@primrose/core';
import { assertMayCall, createOutsideAgent, RefusedAddress, refusedReason, type AllowedAddresses } from './agent.js';

/** One call of an outside service over HTTP. */
export interface Call {
  readonly url: URL;
  readonly method: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: string;
  readonly timeoutMs: number;
  /** It changes something there: when the line is cut after it was sent, nobody knows whether it was done. */
  readonly changes: boolean;
}

/** What a service answered, while its body is still coming. */
export interface Answer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly body: AsyncIterable<Buffer> & { text: () => Promise<string> };
}

/** A service answered, but not as it should: ends the reading. The message is a sentence without its subject, the host. */
export class BadAnswer extends Error {}

/** Calls a service and reads its answer; what goes wrong on the way is a failure as data, with a full sentence. */
export interface Caller {
  readonly call: <T>(call: Call, read: (answer: Answer) => Promise<T>) => Promise<T | Failure>;
  readonly close: () => Promise<void>;
}

/** The address of a connection as a URL; undefined where it is none of HTTP. */
export function addressIn(text: string): URL | undefined {
  const url = URL.canParse(text) ? new URL(text) : undefined;
  return url && /^https?:$/.test(url.protocol) ? url : undefined;
}

/** Makes the caller that stands under actions, models and hooks. Private addresses are refused unless the operator allows them. */
export function createCaller(allowed: AllowedAddresses, maxAnswerBytes: number): Caller {
  const agent = createOutsideAgent(allowed, maxAnswerBytes);
  return {
    call: async (call, read) => {
      let answered = false;
      try {
        assertMayCall(call.url, allowed);
        return await send(agent, call, async (answer) => {
          answered = true;
          return read(answer);
        });
      } catch (error) {
        return explain(error, call, { answered, maxAnswerBytes });
      }
    },
    close: () => agent.close(),
  };
}

async function send<T>(agent: Agent, call: Call, read: (answer: Answer) => Promise<T>): Promise<T> {
  const response = await request(call.url, {
    dispatcher: agent,
    method: call.method as 'GET',
    headers: call.headers,
    ...(call.body === undefined ? {} : { body: call.body }),
    signal: AbortSignal.timeout(call.timeoutMs),
  });
  return read({ status: response.statusCode, headers: response.headers, body: response.body });
}

interface Told {
  readonly answered: boolean;
  readonly maxAnswerBytes: number;
}

/** Codes of a line that was cut: what was sent before may have been done. All other errors come before anything was sent. */
const CUT = new Set(['UND_ERR_SOCKET', 'ECONNRESET', 'EPIPE', 'ETIMEDOUT', 'UND_ERR_ABORTED', 'UND_ERR_DESTROYED']);
const TOO_SLOW = new Set(['UND_ERR_CONNECT_TIMEOUT', 'UND_ERR_HEADERS_TIMEOUT', 'UND_ERR_BODY_TIMEOUT']);

/** The one table of what can go wrong on the way to a service and back, by code. */
function explain(error: unknown, { url, timeoutMs, changes }: Call, { answered, maxAnswerBytes }: Told): Failure {
  const { name = '', code = '' } = error as { name?: string; code?: string };
  const { host, href } = url;
  if (error instanceof RefusedAddress) return failureOf('refused', refusedReason(url.hostname), href);
  if (error instanceof BadAnswer) return failureOf('bad-answer', `${host} ${error.message}`, href);
  if (name === 'TimeoutError' || TOO_SLOW.has(code))
    return failureOf('timeout', `${host} ${answered ? 'was not done' : 'did not answer'} within ${timeoutMs / 1000} s`, href);
  if (error instanceof SyntaxError)
    return failureOf('bad-answer', `${host} said it answers with JSON, but what it sent cannot be read as JSON`, href);
  if (code === 'UND_ERR_RES_EXCEEDED_MAX_SIZE')
    return failureOf('bad-answer', `${host} answered with more than ${maxAnswerBytes / 1e6} MB`, href);
  if (CUT.has(code) && answered) return failureOf('bad-answer', `${host} broke off in the middle of its answer`, href);
  if (CUT.has(code) && changes)
    return failureOf('unknown-outcome', `${host} broke off before it answered; whether it was done is not known`, href);
  if (CUT.has(code)) return failureOf('bad-answer', `${host} broke off before it answered`, href);
  return failureOf('unreachable', `${host} cannot be reached (${code || name || 'no reason given'})`, href);
}

/** True for an answer whose type is JSON. */
export function isJson({ headers }: Answer): boolean {
  return /\bjson\b/.test(String(headers['content-type'] ?? ''));
}
