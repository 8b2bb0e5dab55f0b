import type { TestService } from '../../server/test/support/service.js';
import { DraftStore } from '../src/draft/store.js';

/** One event source as a browser has it, read from the service: as many lines as come, until it is closed. */
class Source extends EventTarget {
  static service: TestService;
  /** While true, what comes waits. */
  static held = false;
  static readonly #late: (() => void)[] = [];
  readonly #end = new AbortController();

  constructor(path: string) {
    super();
    void this.#read(path).catch(() => undefined);
  }

  close(): void {
    this.#end.abort();
  }

  /** Lets come what waits. */
  static release(): void {
    Source.held = false;
    for (const tell of Source.#late.splice(0)) tell();
  }

  async #read(path: string): Promise<void> {
    const { address, token } = Source.service;
    const response = await realFetch(`${address}${path}`, {
      headers: { authorization: `Bearer ${token}` },
      signal: this.#end.signal,
    });
    let text = '';
    const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader();
    for (let read = await reader?.read(); read && !read.done; read = await reader?.read()) {
      text += read.value;
      const blocks = text.split('\n\n');
      text = blocks.pop() ?? '';
      for (const block of blocks) this.#tell(block);
    }
  }

  #tell(block: string): void {
    const event = /^event: (.*)$/m.exec(block)?.[1];
    const data = /^data: (.*)$/m.exec(block)?.[1];
    if (event === undefined || data === undefined) return;
    const tell = () => this.dispatchEvent(new MessageEvent(event, { data }));
    if (Source.held) Source.#late.push(tell);
    else tell();
  }
}

const realFetch = globalThis.fetch;
const realSource = (globalThis as { EventSource?: unknown }).EventSource;

/** What stands between a window and the service: it may be away, and answers may be held back. */
export const line = {
  away: false,
  hold: undefined as Promise<void> | undefined,
  asked: [] as string[],
};

/** Has what the console fetches in this process go to the service, as the service's person. */
export function openLine(service: TestService): void {
  Source.service = service;
  globalThis.fetch = async (input, init) => {
    const path = input instanceof Request ? input.url : String(input);
    if (!path.startsWith('/')) return realFetch(input, init);
    if (line.away) throw new TypeError('fetch failed');
    line.asked.push(`${init?.method ?? 'GET'} ${path}`);
    const headers = new Headers(init?.headers);
    headers.set('authorization', `Bearer ${service.token}`);
    const response = await realFetch(`${service.address}${path}`, { ...init, headers });
    await line.hold;
    return response;
  };
  (globalThis as { EventSource?: unknown }).EventSource = Source;
}

export function closeLine(): void {
  globalThis.fetch = realFetch;
  (globalThis as { EventSource?: unknown }).EventSource = realSource;
}

/** Holds back what the service tells of edits, until the returned function is called. */
export function holdNews(): () => void {
  Source.held = true;
  return () => Source.release();
}

/** A window of the console with a bot's draft open in it. */
export async function openWindow(service: TestService, bot: string): Promise<DraftStore> {
  return new DraftStore(await service.client.call('getDraft', { params: { bot } }));
}
