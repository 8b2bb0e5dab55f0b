import type { FrozenResult, GalleryItem, PageResult, ProblemDetails, ShownPage } from '@primrose/contract';
import type { ChatLine } from '@primrose/contract';
import { eventsOf } from '../event-stream.js';

export type Values = Record<string, unknown>;

/** The service answered, but not with what was asked for; the message is fit to be shown. */
export class PageProblem extends Error {
  readonly status: number;
  readonly code: string;
  readonly errors: readonly { readonly pointer: string; readonly detail: string }[];
  constructor(status: number, { detail, code, errors }: Partial<ProblemDetails>) {
    super(detail ?? 'The page cannot be reached just now.');
    this.status = status;
    this.code = code ?? '';
    this.errors = errors ?? [];
  }
}

const RETRY_MS = 1500;

function remembered(store: string): string | undefined {
  try {
    return localStorage.getItem(store) ?? undefined;
  } catch {
    return undefined;
  }
}

function remember(store: string, key: string): void {
  try {
    localStorage.setItem(store, key);
  } catch {
    // Without storage results are found until the page is left.
  }
}

/** What is asked of the service without a key. */
export async function ask<T>(path: string, init: RequestInit = {}): Promise<T> {
  const response = await fetch(path, { ...init, headers: { 'x-primrose': 'page', ...init.headers } });
  const answer: unknown = await response.json().catch(() => ({}));
  if (!response.ok) throw new PageProblem(response.status, answer as Partial<ProblemDetails>);
  return answer as T;
}

export const openFrozen = (link: string): Promise<FrozenResult> => ask(`/api/results/${encodeURIComponent(link)}`);
export const listGallery = async (): Promise<readonly GalleryItem[]> =>
  (await ask<{ items: GalleryItem[] }>('/api/gallery')).items;

/** Where a page is reached: by visitors under its link, or by people who try it. */
interface Paths {
  readonly page: string;
  /** Where it is filled in, and where results are listed. */
  readonly results: string;
  readonly one: (id: string) => string;
  readonly files: string;
}

/** A line to a page: filling it in, following what comes of it, fetching it. */
export abstract class Line {
  protected abstract readonly paths: Paths;

  abstract enter(password?: string): Promise<ShownPage>;
  protected abstract headers(): Record<string, string>;
  /** What goes along when it is filled in. */
  protected filling(): Values {
    return {};
  }

  fill(inputs: Values, id: string): Promise<PageResult> {
    return ask(this.paths.results, this.json({ inputs, id, ...this.filling() }));
  }

  result(id: string): Promise<PageResult> {
    return ask(this.paths.one(id), { headers: this.headers() });
  }

  async results(): Promise<readonly PageResult[]> {
    return (await ask<{ items: PageResult[] }>(`${this.paths.results}?limit=10`, { headers: this.headers() })).items;
  }

  make(id: string, output: string): Promise<PageResult> {
    return ask(`${this.paths.one(id)}/outputs/${output}`, { method: 'POST', headers: this.headers() });
  }

  freeze(id: string, inputs: boolean): Promise<{ link: string }> {
    return ask(`${this.paths.one(id)}/frozen`, this.json({ inputs }));
  }

  say(id: string, text: string): Promise<{ lines: ChatLine[]; waits: boolean }> {
    return ask(`${this.paths.one(id)}/chat`, this.json({ id: crypto.randomUUID(), text }));
  }

  said(id: string): Promise<{ lines: ChatLine[]; waits: boolean }> {
    return ask(`${this.paths.one(id)}/chat`, { headers: this.headers() });
  }

  send(file: File): Promise<Values> {
    return ask(`${this.paths.files}?name=${encodeURIComponent(file.name)}`, {
      method: 'POST',
      headers: { ...this.headers(), 'content-type': file.type === '' ? 'application/octet-stream' : file.type },
      body: file,
    });
  }

  /** Fetches a file of a result and hands it to the browser to be kept. */
  async download(id: string, query: string): Promise<void> {
    await keepFile(`${this.paths.one(id)}/file?${query}`, this.headers());
  }

  /** Follows a result until it is over; takes the line up again when it is cut. */
  async follow(id: string, show: (result: PageResult) => void, stop: AbortSignal): Promise<void> {
    while (!stop.aborted) {
      try {
        const response = await fetch(`${this.paths.one(id)}/events`, { headers: this.headers(), signal: stop });
        if (response.status === 401 || response.status === 404) return;
        if (response.ok && response.body && (await read(response.body, show))) return;
      } catch {
        // The line was cut; the next round takes it up again.
      }
      if (!stop.aborted) await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
    }
  }

  protected json(body: unknown, known = true): RequestInit {
    return {
      method: 'POST',
      headers: { 'content-type': 'application/json', ...(known ? this.headers() : {}) },
      body: JSON.stringify(body),
    };
  }
}

/** A visitor's line to a shared page. */
export class VisitorLine extends Line {
  protected readonly paths: Paths;
  readonly #store: string;
  #key: string | undefined;

  constructor(link: string) {
    super();
    const page = `/api/pages/${encodeURIComponent(link)}`;
    this.paths = { page, results: `${page}/results`, one: (id) => `${page}/results/${id}`, files: `${page}/files` };
    this.#store = `primrose-page-${link}`;
    this.#key = remembered(this.#store);
  }

  open(): Promise<{ title: string; needs: 'nothing' | 'password' | 'sign-in'; language: string }> {
    return ask(this.paths.page);
  }

  async enter(password?: string): Promise<ShownPage> {
    const body = { ...(this.#key === undefined ? {} : { key: this.#key }), ...(password === undefined ? {} : { password }) };
    const { key, page } = await ask<{ key: string; page: ShownPage }>(`${this.paths.page}/enter`, this.json(body, false));
    this.#key = key;
    remember(this.#store, key);
    return page;
  }

  protected headers(): Record<string, string> {
    return this.#key === undefined ? {} : { authorization: `Bearer ${this.#key}` };
  }
}

/** The line of somebody who tries a page of a draft, signed in to the console. */
export class TryLine extends Line {
  protected readonly paths: Paths;

  constructor(bot: string, page: string) {
    super();
    const base = `/api/bots/${encodeURIComponent(bot)}`;
    const own = `${base}/pages/${encodeURIComponent(page)}`;
    this.paths = { page: own, results: `${own}/results`, one: (id) => `${base}/results/${id}`, files: `${base}/page-files` };
  }

  enter(): Promise<ShownPage> {
    return ask(`${this.paths.page}?on=draft`);
  }

  protected headers(): Record<string, string> {
    return { 'x-primrose': 'page' };
  }

  protected override filling(): Values {
    return { on: 'draft' };
  }
}

/** Fetches a file and hands it to the browser to be kept. */
export async function keepFile(address: string, headers: Record<string, string> = {}): Promise<void> {
  const response = await fetch(address, { headers });
  if (!response.ok) throw new PageProblem(response.status, (await response.json().catch(() => ({}))) as Partial<ProblemDetails>);
  const name = /filename="([^"]+)"/.exec(response.headers.get('content-disposition') ?? '')?.[1] ?? 'result';
  const url = URL.createObjectURL(await response.blob());
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}

/** Shows a result as often as it comes; true once it is over. */
async function read(body: ReadableStream<Uint8Array<ArrayBuffer>>, show: (result: PageResult) => void): Promise<boolean> {
  for await (const event of eventsOf(body)) {
    if (event.get('event') === 'over') return true;
    if (event.get('event') === 'result') show(JSON.parse(event.get('data') ?? 'null') as PageResult);
  }
  return false;
}
