import { request, type Dispatcher } from 'undici';
import { failureOf, type Failure } from '@primrose/core';
import { assertMayCall, createOutsideAgent, RefusedAddress, refusedReason, type AllowedAddresses } from './agent.js';

/** One call of an outside service over HTTP. */
export interface Call {
  readonly url: URL;
  readonly method: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: string;
  readonly timeoutMs: number;
  /** The time that was given to all tries, where this is one of several. */
  readonly wholeMs?: number;
  /** Ends the call when it is aborted: somebody stopped it. */
  readonly stop?: AbortSignal;
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
      let come: Come = 'nowhere';
      try {
        assertMayCall(call.url, allowed);
        return await send(agent.compose(noting(() => (come = 'sent'))), call, async (answer) => {
          come = 'answered';
          return read(answer);
        });
      } catch (error) {
        return explain(error, call, come, maxAnswerBytes);
      }
    },
    close: () => agent.close(),
  };
}

/** How far a call has come: nothing has left yet, it was written to a line that stood, or the head of an answer is there. */
type Come = 'nowhere' | 'sent' | 'answered';

/** Tells when a request is about to be written to a line that stands: what fails before has changed nothing. */
function noting(sent: () => void): Dispatcher.DispatcherComposeInterceptor {
  return (dispatch) => (options, handler) =>
    dispatch(options, {
      onRequestStart: (...args) => (sent(), handler.onRequestStart?.(...args)),
      onRequestUpgrade: (...args) => handler.onRequestUpgrade?.(...args),
      onResponseStart: (...args) => handler.onResponseStart?.(...args),
      onResponseData: (...args) => handler.onResponseData?.(...args),
      onResponseEnd: (...args) => handler.onResponseEnd?.(...args),
      onResponseError: (...args) => handler.onResponseError?.(...args),
    });
}

async function send<T>(dispatcher: Dispatcher, call: Call, read: (answer: Answer) => Promise<T>): Promise<T> {
  const response = await request(call.url, {
    dispatcher,
    method: call.method as 'GET',
    headers: call.headers,
    ...(call.body === undefined ? {} : { body: call.body }),
    signal: call.stop ? AbortSignal.any([AbortSignal.timeout(call.timeoutMs), call.stop]) : AbortSignal.timeout(call.timeoutMs),
  });
  return read({ status: response.statusCode, headers: response.headers, body: response.body });
}

/** Codes of a line that was cut. */
const CUT = new Set(['UND_ERR_SOCKET', 'ECONNRESET', 'EPIPE', 'ETIMEDOUT', 'UND_ERR_ABORTED', 'UND_ERR_DESTROYED']);
const TOO_SLOW = new Set(['UND_ERR_CONNECT_TIMEOUT', 'UND_ERR_HEADERS_TIMEOUT', 'UND_ERR_BODY_TIMEOUT']);

/** The one table of what can go wrong on the way to a service and back, by code and by how far the call had come. */
function explain(
  error: unknown,
  { url, timeoutMs, wholeMs = timeoutMs, changes, stop }: Call,
  come: Come,
  maxAnswerBytes: number,
): Failure {
  const { name = '', code = '' } = error as { name?: string; code?: string };
  const { host, href } = url;
  if (stop?.aborted) return failureOf('stopped', `somebody stopped the turn while ${host} was asked`, href);
  if (error instanceof RefusedAddress) return failureOf('refused', refusedReason(url.hostname), href);
  if (error instanceof BadAnswer) return failureOf('bad-answer', `${host} ${error.message}`, href);
  if (name === 'TimeoutError' || TOO_SLOW.has(code))
    return failureOf(
      'timeout',
      `${host} ${come === 'answered' ? 'was not done' : 'did not answer'} within ${wholeMs / 1000} s`,
      href,
    );
  if (error instanceof SyntaxError)
    return failureOf('bad-answer', `${host} said it answers with JSON, but what it sent cannot be read as JSON`, href);
  if (code === 'UND_ERR_RES_EXCEEDED_MAX_SIZE')
    return failureOf('bad-answer', `${host} answered with more than ${maxAnswerBytes / 1e6} MB`, href);
  if (come === 'nowhere')
    return failureOf('unreachable', `${host} cannot be reached (${code || name || 'no reason given'})${unreachable(code)}`, href);
  const when = come === 'answered' ? 'in the middle of its answer' : 'before it answered';
  const what = CUT.has(code) ? `broke off ${when}` : `sent an answer that cannot be read as HTTP (${code || name})`;
  if (come === 'sent' && changes) return failureOf('unknown-outcome', `${host} ${what}; whether it was done is not known`, href);
  return failureOf('bad-answer', `${host} ${what}`, href);
}

/** Why nothing came to a service at all, by the code of it. */
export function troubleOf(code: string): 'name' | 'tls' | 'refused' | 'other' {
  if (/^(?:ENOTFOUND|EAI_)/.test(code)) return 'name';
  if (/CERT|TLS|SSL|^EPROTO$|^UNABLE_TO_|SIGNATURE/.test(code)) return 'tls';
  return code === 'ECONNREFUSED' ? 'refused' : 'other';
}

function unreachable(code: string): string {
  const says = {
    name: 'no machine of this name is known',
    tls: 'its certificate or its encryption is not accepted',
    refused: 'nothing listens at this address',
    other: '',
  }[troubleOf(code)];
  return says === '' ? '' : `: ${says}`;
}

/** True for an answer that is a web page. */
export function isPage({ headers }: Answer): boolean {
  return /\b(?:text\/html|application\/xhtml\+xml)\b/.test(String(headers['content-type'] ?? ''));
}

/** True for an answer whose type is JSON. */
export function isJson({ headers }: Answer): boolean {
  return /\bjson\b/.test(String(headers['content-type'] ?? ''));
}
