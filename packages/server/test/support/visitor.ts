import { connect } from 'node:net';
import type { ChatLine } from '@primrose/contract';

/** A visitor of a web chat who speaks HTTP as the page does. */
export class TestVisitor {
  key: string | undefined;
  /** Sent with everything that is asked. */
  headers: Readonly<Record<string, string>> = {};
  readonly #base: string;

  constructor(address: string, chatLink: string) {
    this.#base = `${address}/api/chat/${chatLink.split('/').at(-1)}`;
  }

  async post(
    path: string,
    body?: unknown,
  ): Promise<{ status: number; body: Record<string, unknown>; retryAfter: string | null }> {
    const headers = {
      ...this.headers,
      'content-type': 'application/json',
      ...(this.key === undefined ? {} : { authorization: `Bearer ${this.key}` }),
    };
    const response = await fetch(this.#base + path, {
      method: 'POST',
      headers,
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const retryAfter = response.headers.get('retry-after');
    return { status: response.status, body: (await response.json()) as Record<string, unknown>, retryAfter };
  }

  async open(language = 'en'): Promise<ChatLine[]> {
    const { body } = await this.post('/open', { language, ...(this.key === undefined ? {} : { key: this.key }) });
    this.key = body['key'] as string;
    return body['lines'] as ChatLine[];
  }

  /** Says something once, whatever comes of it; status 0 where nobody answers. */
  async tryToSay(text: string, id: string): Promise<{ status: number; retryAfter: string | null }> {
    try {
      const response = await fetch(`${this.#base}/messages`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', authorization: `Bearer ${this.key}` },
        body: JSON.stringify({ id, text }),
        signal: AbortSignal.timeout(10_000),
      });
      await response.text();
      return { status: response.status, retryAfter: response.headers.get('retry-after') };
    } catch {
      return { status: 0, retryAfter: null };
    }
  }

  say(text: string, id: string = crypto.randomUUID()) {
    return this.post('/messages', { id, text });
  }

  press(choice: string) {
    return this.post('/messages', { id: crypto.randomUUID(), choice });
  }

  /** Reads the stream until `enough` says so; returns the lines and the last event id. */
  async stream(
    enough: (lines: readonly ChatLine[]) => boolean,
    lastId = '',
    onEvent: (name: string) => void = () => undefined,
  ): Promise<{ lines: ChatLine[]; lastId: string }> {
    const stop = new AbortController();
    const headers = { authorization: `Bearer ${this.key}`, ...(lastId === '' ? {} : { 'last-event-id': lastId }) };
    const response = await fetch(`${this.#base}/stream`, {
      headers,
      signal: AbortSignal.any([stop.signal, AbortSignal.timeout(90_000)]),
    });
    const lines: ChatLine[] = [];
    let rest = '';
    for await (const chunk of response.body?.pipeThrough(new TextDecoderStream()) ?? []) {
      const events = (rest + chunk).split('\n\n');
      rest = events.pop() ?? '';
      for (const event of events) {
        const field = (name: string) =>
          event
            .split('\n')
            .find((l) => l.startsWith(`${name}: `))
            ?.slice(name.length + 2);
        if (field('event')) onEvent(field('event') ?? '');
        if (field('event') !== 'line') continue;
        lastId = field('id') || lastId;
        lines.push(JSON.parse(field('data') || '{}') as ChatLine);
      }
      if (enough(lines)) break;
    }
    stop.abort();
    return { lines, lastId };
  }

  /** Opens the stream and keeps it open without looking at what comes. */
  async holdStream(): Promise<AbortController> {
    const stop = new AbortController();
    const headers = { authorization: `Bearer ${this.key}` };
    const response = await fetch(`${this.#base}/stream`, { headers, signal: stop.signal });
    void response.body?.pipeTo(new WritableStream()).catch(() => undefined);
    return stop;
  }

  /** Asks for the stream over a socket from which nothing is ever read; returns the way to close it. */
  neverRead(): Promise<() => void> {
    const { hostname, port, pathname } = new URL(this.#base);
    return new Promise((resolve, reject) => {
      const socket = connect({ host: hostname, port: Number(port) }, () => {
        socket.pause();
        socket.write(`GET ${pathname}/stream HTTP/1.1\r\nhost: ${hostname}\r\nauthorization: Bearer ${this.key}\r\n\r\n`);
        resolve(() => socket.destroy());
      });
      socket.once('error', reject);
    });
  }

  /** All lines once the bot has said something that holds `words`. */
  async until(words: string): Promise<ChatLine[]> {
    let seen: readonly ChatLine[] = [];
    const enough = (all: readonly ChatLine[]) => {
      seen = all;
      return all.some((l) => l.who === 'bot' && l.message.text.includes(words));
    };
    try {
      return (await this.stream(enough)).lines;
    } catch (cause) {
      const said = seen.map((l) => `${l.who}: ${l.message.text}`).join('\n');
      throw new Error(`“${words}” was never said; what came was:\n${said}`, { cause });
    }
  }
}
