import type { ChatLine, ProblemDetails } from '@primrose/contract';
import { eventsOf } from './event-stream.js';

export interface Opened {
  readonly key: string;
  readonly name: string;
  readonly language: string;
  readonly lines: readonly ChatLine[];
}

export interface Outgoing {
  readonly id: string;
  readonly text?: string;
  readonly choice?: string;
  /** What was sent before, by its address. */
  readonly files?: readonly string[];
}

/** What comes over the stream: a line, that the bot is about to say something, and whether the line stands. */
export interface Heard {
  readonly line: (line: ChatLine) => void;
  readonly typing: () => void;
  /** What is being written so far; the line that follows replaces it. */
  readonly words: (text: string) => void;
  /** What the bot is doing meanwhile, in words. */
  readonly doing: (text: string) => void;
  readonly state: (connected: boolean) => void;
}

/** The service answered, but not with what was asked for; the message is fit to be shown. */
export class ChatProblem extends Error {
  readonly status: number;
  constructor(status: number, detail: string) {
    super(detail);
    this.status = status;
  }
}

const RETRY_MS = 1500;

/** Resolves when somebody looks at this window again: as long as nobody does, another one has the line. */
function looked(): Promise<void> {
  return new Promise((resolve) => addEventListener('focus', () => resolve(), { once: true }));
}

/** The visitor's line to the service: opening, sending, and a stream that resumes after every interruption. */
export class Connection {
  readonly #base: string;
  #key: string | undefined;
  #lastId = '';
  #stream: AbortController | undefined;

  constructor(channel: string, key: string | undefined) {
    this.#base = `/api/chat/${encodeURIComponent(channel)}`;
    this.#key = key;
  }

  async open(language: string): Promise<Opened> {
    const opened = (await this.#post('/open', { language, ...(this.#key === undefined ? {} : { key: this.#key }) })) as Opened;
    this.#key = opened.key;
    return opened;
  }

  async say(message: Outgoing): Promise<void> {
    await this.#post('/messages', message);
  }

  /** Sends a file; it is said with the next message that names its address. */
  async send(file: File): Promise<string> {
    const response = await fetch(`${this.#base}/files?name=${encodeURIComponent(file.name)}`, {
      method: 'POST',
      headers: { ...this.#headers(), 'content-type': file.type === '' ? 'application/octet-stream' : file.type },
      body: file,
    });
    const answer = (await response.json().catch(() => ({}))) as { address?: string } & Partial<ProblemDetails>;
    if (!response.ok || answer.address === undefined)
      throw new ChatProblem(response.status, answer.detail ?? 'This file cannot be sent just now.');
    return answer.address;
  }

  /** Stops the turn that thinks. */
  async stop(): Promise<void> {
    await this.#post('/stop');
  }

  async startOver(): Promise<void> {
    await this.#post('/start-over');
  }

  async #post(path: string, body?: unknown): Promise<unknown> {
    const response = await fetch(this.#base + path, {
      method: 'POST',
      headers: this.#headers(),
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const answer: unknown = await response.json().catch(() => ({}));
    if (!response.ok)
      throw new ChatProblem(
        response.status,
        (answer as Partial<ProblemDetails>).detail ?? 'This chat cannot be reached just now.',
      );
    return answer;
  }

  #headers(): Record<string, string> {
    return { 'content-type': 'application/json', ...(this.#key === undefined ? {} : { authorization: `Bearer ${this.#key}` }) };
  }

  /** Follows the conversation until it is over or `close` is called; reconnects by itself and goes on where it was. */
  async follow(heard: Heard): Promise<'over' | 'closed'> {
    const stream = new AbortController();
    this.#stream = stream;
    while (!stream.signal.aborted) {
      try {
        const headers = { ...this.#headers(), ...(this.#lastId === '' ? {} : { 'last-event-id': this.#lastId }) };
        const response = await fetch(`${this.#base}/stream`, { headers, signal: stream.signal });
        if (response.status === 401 || response.status === 404) return 'over';
        if (response.ok && response.body) {
          heard.state(true);
          if (await this.#read(response.body, heard)) return 'over';
        }
      } catch {
        // The line was cut; the next round takes it up again.
      }
      if (stream.signal.aborted) break;
      heard.state(false);
      await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
    }
    return 'closed';
  }

  close(): void {
    this.#stream?.abort();
    this.#lastId = '';
  }

  /** Reads server-sent events until the stream ends; true when the conversation was ended. */
  async #read(body: ReadableStream<Uint8Array<ArrayBuffer>>, heard: Heard): Promise<boolean> {
    for await (const event of eventsOf(body)) {
      const type = event.get('event');
      const data = event.get('data') ?? '{}';
      const text = () => (JSON.parse(data) as { text?: string }).text ?? '';
      if (type === 'over') return true;
      if (type === 'elsewhere') await looked();
      if (type === 'typing') heard.typing();
      if (type === 'words') heard.words(text());
      if (type === 'doing') heard.doing(text());
      if (type !== 'line') continue;
      this.#lastId = event.get('id') ?? this.#lastId;
      heard.line(JSON.parse(data) as ChatLine);
    }
    return false;
  }
}
