import { endpoints, type EndpointName, type Endpoints } from './endpoints.js';
import type { BodyOf, Endpoint, ParamsOf, QueryOf, ReplyOf } from './endpoint.js';
import { problemDetails, type ProblemDetails } from './problems.js';

/** The service answered with a problem; `details.detail` says what to do. */
export class ApiError extends Error {
  readonly details: ProblemDetails;
  constructor(details: ProblemDetails) {
    super(details.detail);
    this.name = 'ApiError';
    this.details = details;
  }
}

/** The service could not be reached at all. */
export class UnreachableError extends Error {
  constructor(address: string, cause: unknown) {
    super(`Primrose does not answer at ${address || 'this address'}. Is it started?`, { cause });
    this.name = 'UnreachableError';
  }
}

type Part<Key extends string, T> = [T] extends [undefined]
  ? unknown
  : Record<never, never> extends T
    ? { readonly [k in Key]?: T }
    : { readonly [k in Key]: T };
export type CallInput<E> = Part<'params', ParamsOf<E>> & Part<'query', QueryOf<E>> & Part<'body', BodyOf<E>>;

export interface ClientOptions {
  /** Scheme, host and port; '' for the page's own. */
  readonly address: string;
  readonly token?: string;
  readonly fetch?: typeof fetch;
}

/** A file on its way: its bytes and their content type. */
export interface FileContent {
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly type: string;
}

/** A typed caller of every endpoint that does not stream. */
export interface Client {
  call: <N extends EndpointName>(name: N, input: CallInput<Endpoints[N]>) => Promise<ReplyOf<Endpoints[N]>>;
  /** Calls an endpoint that takes a file. */
  upload: <N extends EndpointName>(name: N, input: CallInput<Endpoints[N]>, file: FileContent) => Promise<ReplyOf<Endpoints[N]>>;
  /** Calls an endpoint that streams; `onEvent` is told of each event as it comes, by its name. Ends with the stream. */
  stream: <N extends EndpointName>(
    name: N,
    input: CallInput<Endpoints[N]>,
    onEvent: (event: string, data: unknown) => void,
  ) => Promise<void>;
  /** Calls an endpoint that answers with a file. */
  download: <N extends EndpointName>(name: N, input: CallInput<Endpoints[N]>) => Promise<FileContent>;
}

interface LooseInput {
  readonly params?: Readonly<Record<string, unknown>>;
  readonly query?: Readonly<Record<string, unknown>>;
  readonly body?: unknown;
}

/** The path of an endpoint with its parameters and query filled in. */
export function fillPath(e: Pick<Endpoint, 'path'>, { params = {}, query = {} }: LooseInput): string {
  const path = e.path.replace(/:(\w+)/g, (_, name: string) => encodeURIComponent(String(params[name])));
  const pairs = Object.entries(query).filter(([, v]) => v !== undefined);
  return pairs.length === 0 ? path : `${path}?${new URLSearchParams(pairs.map(([k, v]) => [k, String(v)])).toString()}`;
}

/** A client of the API. Throws ApiError for every problem that the service answers with, UnreachableError without an answer. */
export function createClient({ address, token, fetch: send = fetch }: ClientOptions): Client {
  const ask = async (name: EndpointName, input: LooseInput, file?: FileContent): Promise<Response> => {
    const e = endpoints[name] as Endpoint;
    const { body, ...where } = input;
    const accept = e.stream ? 'text/event-stream' : 'application/json';
    const headers: Record<string, string> = { accept, 'x-primrose': 'client' };
    if (token !== undefined) headers['authorization'] = `Bearer ${token}`;
    if (file) headers['content-type'] = file.type;
    else if (body !== undefined) headers['content-type'] = 'application/json';
    const content = file ? file.bytes : body === undefined ? undefined : JSON.stringify(body);
    let response: Response;
    try {
      response = await send(address + fillPath(e, where), {
        method: e.method,
        headers,
        ...(content === undefined ? {} : { body: content }),
      });
    } catch (cause) {
      throw new UnreachableError(address, cause);
    }
    if (!response.ok) throw new ApiError(readProblem(await response.text(), response.status));
    return response;
  };
  const json = async (response: Response): Promise<unknown> => {
    const text = await response.text();
    return text === '' ? undefined : JSON.parse(text);
  };
  return {
    call: async (name, input) => (await json(await ask(name, input as LooseInput))) as ReplyOf<Endpoints[typeof name]>,
    upload: async (name, input, file) =>
      (await json(await ask(name, input as LooseInput, file))) as ReplyOf<Endpoints[typeof name]>,
    stream: async (name, input, onEvent) => {
      const { body } = await ask(name, input as LooseInput);
      if (body) await readEvents(body, onEvent);
    },
    download: async (name, input) => {
      const response = await ask(name, input as LooseInput);
      const bytes = new Uint8Array(await response.arrayBuffer());
      return { bytes, type: response.headers.get('content-type') ?? 'application/octet-stream' };
    },
  };
}

/** Reads server-sent events (WHATWG HTML, 9.2) of one line of data each, as ours are. */
async function readEvents(body: ReadableStream<Uint8Array>, onEvent: (event: string, data: unknown) => void): Promise<void> {
  const reader = body.getReader();
  const decoder = new TextDecoder();
  let rest = '';
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const blocks = (rest + decoder.decode(value, { stream: true })).split('\n\n');
    rest = blocks.pop() ?? '';
    for (const block of blocks) {
      const name = /^event: (.*)$/m.exec(block)?.[1];
      const data = /^data: (.*)$/m.exec(block)?.[1];
      if (name !== undefined && data !== undefined) onEvent(name, JSON.parse(data));
    }
  }
}

function readProblem(text: string, status: number): ProblemDetails {
  try {
    const parsed = JSON.parse(text) as Partial<ProblemDetails>;
    if (typeof parsed.code === 'string' && typeof parsed.detail === 'string') return parsed as ProblemDetails;
  } catch {
    // Not ours: something between us and the service answered.
  }
  return {
    ...problemDetails('internal', `Something between here and Primrose answered with status ${status}. Check the address.`),
    status,
  };
}

/** A page of a list as the API hands it out. */
interface ListPage<T> {
  readonly items: readonly T[];
  readonly next: string | null;
}

/** All items of a list, page by page; at most so many pages. `fetch` gets the cursor of the page before. */
export async function everyPage<T>(fetch: (query: { after?: string }) => Promise<ListPage<T>>, most = 1000): Promise<T[]> {
  const items: T[] = [];
  let query: { after?: string } = {};
  for (let pages = 0; pages < most; pages++) {
    const page = await fetch(query);
    items.push(...page.items);
    if (page.next === null) break;
    query = { after: page.next };
  }
  return items;
}
