import type { PageResult, PageShare } from '@primrose/contract';
import { readDocument, type BotDocument } from '@primrose/core';
import type { TestService } from './service.js';
import { until } from './until.js';

const model = (uses: string, task: string, into: string, given: Readonly<Record<string, string>>, next: string) => ({
  kind: 'model',
  uses,
  parts: [
    { part: 'task', says: task },
    { part: 'form', says: 'Write it as a list, one item a line, each begun with a dash, and nothing else.' },
    ...Object.entries(given).map(([part, says]) => ({ part, says, input: true })),
  ],
  into: `flow.${into}`,
  exits: { done: next, failed: next },
});

const branch = (uses: string, task: string) => ({
  takes: { words: 'text' },
  gives: { found: 'text?' },
  begin: 'make',
  nodes: {
    make: model(uses, task, 'found', { Words: '{{ flow.words }}' }, 'done'),
    done: { kind: 'end', ends: 'flow' },
  },
});

export interface PageBot {
  readonly models: string;
  /** The models of the two that run at once and of the one behind them. */
  readonly first?: string;
  readonly second?: string;
  readonly note?: string;
  readonly more?: Partial<BotDocument>;
}

/** A bot with a page: two outputs at once, a third that is made from the second, rows, and a chat. */
export function pageBot({ models, first = 'practice', second = 'practice', note = 'practice', more = {} }: PageBot): BotDocument {
  const profile = (model: string) => ({ connection: 'service', model, timeout: '30s', price: { in: 1000, out: 1000 } });
  const read = readDocument({
    primrose: 1,
    bot: 'pager',
    name: 'Pager',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'main',
    connections: { service: { address: `${models}/v1`, actions: {} } },
    models: { one: profile(first), two: profile(second), three: profile(note) },
    pages: {
      helper: {
        title: 'Helper',
        about: 'Reads what you bring.',
        category: 'Reading',
        flow: 'help',
        examples: [{ title: 'Rain', inputs: { words: 'It rained all day. The ramp was wet.' } }],
        parts: [
          { input: 'words', as: 'long-text', label: 'Your words' },
          { input: 'log', as: 'file', wide: 6 },
          { input: 'loud', as: 'yes-no', wide: 6 },
          { output: 'summary', wide: 6 },
          { output: 'reply', wide: 6 },
          { output: 'note', as: 'list' },
          { output: 'rows', as: 'table' },
          { chat: 'about', label: 'Ask about it' },
        ],
      },
    },
    flows: {
      main: { begin: 'end', nodes: { end: { kind: 'end', says: 'Goodbye.' } } },
      help: {
        takes: { words: 'text', log: 'file?', loud: 'yes_no?' },
        gives: { summary: 'text?', reply: 'text?', note: 'text?', rows: 'list?' },
        begin: 'rows',
        nodes: {
          rows: {
            kind: 'set',
            sets: [{ into: 'flow.rows', to: '{{ [{"what": "words", "held": flow.words}, {"what": "=1+1", "held": "2"}] }}' }],
            exits: { done: 'both' },
          },
          both: {
            kind: 'parallel',
            branches: [
              {
                id: 'summary',
                calls: 'write-summary',
                given: { words: '{{ flow.words }}' },
                into: { found: 'flow.summary' },
                within: '1m',
              },
              {
                id: 'reply',
                calls: 'write-reply',
                given: { words: '{{ flow.words }}' },
                into: { found: 'flow.reply' },
                within: '1m',
              },
            ],
            exits: { done: 'note', summary: 'note', reply: 'note' },
          },
          note: model('three', 'Note what to do.', 'note', { Reply: '{{ otherwise(flow.reply, "none") }}' }, 'done'),
          done: { kind: 'end', ends: 'flow' },
        },
      },
      'write-summary': branch('one', 'Sum it up.'),
      'write-reply': branch('two', 'Reply to it.'),
      about: {
        takes: { summary: 'text?' },
        begin: 'ask',
        nodes: {
          ask: {
            kind: 'ask',
            says: 'What about it?',
            expects: 'text',
            whatever: true,
            into: 'flow.q',
            exits: { answered: 'tell', 'gave-up': 'tell' },
          },
          tell: {
            kind: 'say',
            says: 'You asked {{ flow.q }}. It says: {{ otherwise(flow.summary, "nothing") }}',
            exits: { said: 'again' },
          },
          again: { kind: 'set', sets: [{ into: 'flow.q', to: null }], exits: { done: 'ask' } },
        },
      },
    },
    ...more,
  });
  if (!read.ok) throw new Error(JSON.stringify(read.problems));
  return read.document;
}

export interface SharedBot {
  readonly bot: string;
  readonly share: PageShare;
  readonly link: string;
}

/** Such a bot, released, with its page shared under a link. */
export async function sharedPage(service: TestService, document: BotDocument): Promise<SharedBot> {
  const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
  await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
  const share = await service.client.call('sharePage', { params: { bot: bot.id, page: 'helper' }, body: {} });
  return { bot: bot.id, share, link: share.link.split('/').at(-1) ?? '' };
}

/** What the API answered to somebody who is no client of ours. */
export interface Answer {
  readonly status: number;
  readonly body: Record<string, unknown>;
}

/** A stranger at a shared page, with nothing but its link. */
export class PageVisitor {
  readonly #base: string;
  #key = '';

  constructor(address: string, link: string) {
    this.#base = `${address}/api/pages/${link}`;
  }

  get key(): string {
    return this.#key;
  }

  async enter(body: Readonly<Record<string, unknown>> = {}, headers: Record<string, string> = {}): Promise<Answer> {
    const answer = await this.#ask('POST', '/enter', body, headers);
    if (typeof answer.body['key'] === 'string') this.#key = answer.body['key'];
    return answer;
  }

  ask(method: string, path: string, body?: unknown): Promise<Answer> {
    return this.#ask(method, path, body, { authorization: `Bearer ${this.#key}` });
  }

  async #ask(method: string, path: string, body: unknown, headers: Record<string, string>): Promise<Answer> {
    const response = await fetch(this.#base + path, {
      method,
      headers: { ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    return { status: response.status, body: (await response.json().catch(() => ({}))) as Record<string, unknown> };
  }

  async send(name: string, type: string, bytes: Uint8Array): Promise<Answer> {
    const response = await fetch(`${this.#base}/files?name=${encodeURIComponent(name)}`, {
      method: 'POST',
      headers: { authorization: `Bearer ${this.#key}`, 'content-type': type },
      body: Buffer.from(bytes),
    });
    return { status: response.status, body: (await response.json()) as Record<string, unknown> };
  }

  async fill(inputs: Readonly<Record<string, unknown>>, id?: string): Promise<PageResult> {
    const { status, body } = await this.ask('POST', '/results', { inputs, ...(id === undefined ? {} : { id }) });
    if (status !== 202) throw new Error(`${status} ${JSON.stringify(body)}`);
    return body as unknown as PageResult;
  }

  async result(id: string): Promise<PageResult> {
    return (await this.ask('GET', `/results/${id}`)).body as unknown as PageResult;
  }

  /** A result once it is over; `seen` is told of each that came by the stream before. */
  async follow(id: string, seen: (result: PageResult) => void = () => undefined): Promise<PageResult> {
    const response = await fetch(`${this.#base}/results/${id}/events`, { headers: { authorization: `Bearer ${this.#key}` } });
    let last: PageResult | undefined;
    for (const block of (await response.text()).split('\n\n')) {
      const data = /^event: result\ndata: (.*)$/m.exec(block)?.[1];
      if (data === undefined) continue;
      last = JSON.parse(data) as PageResult;
      seen(last);
    }
    if (!last) throw new Error('the stream told nothing');
    return last;
  }

  async file(id: string, query: string): Promise<{ readonly status: number; readonly bytes: Buffer; readonly type: string }> {
    const response = await fetch(`${this.#base}/results/${id}/file?${query}`, {
      headers: { authorization: `Bearer ${this.#key}` },
    });
    return {
      status: response.status,
      bytes: Buffer.from(await response.arrayBuffer()),
      type: response.headers.get('content-type') ?? '',
    };
  }
}

/** A result once it is over; what cannot be had for now is asked for again. */
export async function finished(look: () => Promise<PageResult | undefined>, seconds = 90): Promise<PageResult> {
  let found: PageResult | undefined;
  await until(async () => {
    found = await look().catch(() => undefined);
    return found?.state === 'done' || found?.state === 'failed';
  }, seconds);
  if (!found) throw new Error('it never came about');
  return found;
}
