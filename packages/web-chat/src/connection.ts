import type { ChatLine, OpenedChat, PastChat, ProblemDetails } from '@primrose/contract';
import { eventsOf } from './event-stream.js';

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
  /** Somebody of the staff is writing. */
  readonly staff: (name: string) => void;
  readonly state: (connected: boolean) => void;
}

/** The service answered, but not with what was asked for; the message is fit to be shown. */
export class ChatProblem extends Error {
  readonly status: number;
  readonly code: string;
  constructor(status: number, detail: string, code = '') {
    super(detail);
    this.status = status;
    this.code = code;
  }
}

/** As whom a chat is opened, and whether it only waits behind a closed bubble. */
export interface OpeningAs {
  readonly token: string | null;
  readonly waits: boolean;
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

  /** Opens the chat, or comes back to it; with a token as whom the page says that its user is. One that `waits` begins nothing. */
  async open(language: string, { token, waits }: OpeningAs): Promise<OpenedChat> {
    const known = this.#key === undefined ? {} : { key: this.#key };
    const as = { ...known, ...(token === null ? {} : { token }), ...(waits ? { waits } : {}) };
    const opened = (await this.#post('/open', { language, ...as })) as OpenedChat;
    this.#key = opened.key;
    return opened;
  }

  /** True where it speaks with a key. */
  get known(): boolean {
    return this.#key !== undefined;
  }

  /** Forgets who speaks: whoever opens the chat next is a stranger, or known by the key given. */
  forget(key?: string): void {
    this.#key = key;
    this.#lastId = '';
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

  /** Says what the visitor thinks of a line, or with 0 of the whole conversation. */
  async rate(line: number, helpful: boolean | null, words?: string): Promise<void> {
    await this.#post('/feedback', { line, helpful, ...(words === undefined ? {} : { words }) });
  }

  async past(): Promise<readonly PastChat[]> {
    return ((await this.#ask('GET', '/history')) as { items: PastChat[] }).items;
  }

  async pastLines(id: string): Promise<readonly ChatLine[]> {
    return ((await this.#ask('GET', `/history/${encodeURIComponent(id)}`)) as { lines: ChatLine[] }).lines;
  }

  async typing(): Promise<void> {
    await this.#post('/typing').catch(() => undefined);
  }

  async mailCode(email: string): Promise<void> {
    await this.#post('/sign-in/mail', { email });
  }

  async tryCode(code: string): Promise<void> {
    await this.#post('/sign-in/code', { code });
  }

  /** The address at which to sign in with the identity service. */
  async serviceAddress(): Promise<string> {
    return ((await this.#post('/sign-in/service')) as { address: string }).address;
  }

  async finish(grant: string): Promise<void> {
    await this.#post('/sign-in/finish', { grant });
  }

  async signOut(): Promise<void> {
    await this.#post('/sign-out');
  }

  #post(path: string, body?: unknown): Promise<unknown> {
    return this.#ask('POST', path, body);
  }

  async #ask(method: 'GET' | 'POST', path: string, body?: unknown): Promise<unknown> {
    const response = await fetch(this.#base + path, {
      method,
      headers: this.#headers(),
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const answer: unknown = await response.json().catch(() => ({}));
    if (response.ok) return answer;
    const { detail = 'This chat cannot be reached just now.', code = '' } = answer as Partial<ProblemDetails>;
    throw new ChatProblem(response.status, detail, code);
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
      if (type === 'staff-typing') heard.staff(text());
      if (type !== 'line') continue;
      this.#lastId = event.get('id') ?? this.#lastId;
      heard.line(JSON.parse(data) as ChatLine);
    }
    return false;
  }
}
