import { readFileSync } from 'node:fs';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { expect } from 'chai';
import type { ModelEffect, ModelResult } from '@primrose/core';
import { systemClock } from '../src/base/clock.js';
import { createChatCompletions } from '../src/outside/chat-completions.js';

/** What is sent and what comes back, to the byte, as it is written down in `data/wire`. */
interface Exchange {
  readonly asked: string;
  readonly answered: string;
}

function transcript(name: string): Exchange[] {
  const text = readFileSync(new URL(`./data/wire/${name}.txt`, import.meta.url), 'utf8');
  return text
    .split('>>> asked\n')
    .slice(1)
    .map((exchange) => {
      const [asked = '', answered = ''] = exchange.split('<<< answered\n');
      const [head = '', ...body] = answered.split('\n\n');
      return { asked: asked.trimEnd(), answered: `${head.replaceAll('\n', '\r\n')}\r\n\r\n${body.join('\n\n')}` };
    });
}

/** The body of a request once all of it has come; undefined before. */
function bodyOf(bytes: Buffer): string | undefined {
  const head = bytes.indexOf('\r\n\r\n');
  if (head < 0) return undefined;
  const length = Number(/content-length: (\d+)/i.exec(bytes.subarray(0, head).toString())?.[1]);
  const body = bytes.subarray(head + 4);
  return body.length >= length ? body.toString() : undefined;
}

/** Bytes in pieces of a few, so that marks and letters fall apart. */
async function dribble(socket: Socket, bytes: Buffer, piece: number): Promise<void> {
  for (let at = 0; at < bytes.length; at += piece) {
    socket.write(bytes.subarray(at, at + piece));
    await new Promise((resolve) => setImmediate(resolve));
  }
  socket.end();
}

describe('the form on the wire', () => {
  const models = createChatCompletions('loopback', systemClock);
  let server: Server;
  let exchanges: Exchange[] = [];
  let asked: string[] = [];
  let piece = 7;
  before(async () => {
    server = createServer((socket) => {
      socket.on('error', () => undefined);
      let bytes = Buffer.alloc(0);
      socket.on('data', (chunk: Buffer) => {
        bytes = Buffer.concat([bytes, chunk]);
        const body = bodyOf(bytes);
        if (body === undefined) return;
        bytes = Buffer.alloc(0);
        asked.push(body);
        void dribble(socket, Buffer.from(exchanges[asked.length - 1]?.answered ?? ''), piece);
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  });
  after(async () => {
    await models.close();
    await new Promise((resolve) => server.close(resolve));
  });

  const CAKE: ModelEffect = {
    type: 'model',
    path: '0/0',
    profile: 'clerk',
    connection: 'models',
    model: 'quick-1',
    messages: [{ role: 'user', content: 'Is there cake?' }],
    timeoutMs: 5000,
    estimate: 4,
    aloud: false,
  };
  const string = { type: 'string' };
  const look = { name: 'look', about: 'what is there', takes: { type: 'object', properties: { what: string } } };
  const aside = {
    name: 'set-aside',
    about: 'sets bread aside',
    takes: { type: 'object', properties: { what: string, for: string }, required: ['what'] },
  };
  const schema = {
    type: 'object',
    properties: { loaves: { type: ['number', 'null'] } },
    required: ['loaves'],
    additionalProperties: false,
  };

  const CASES: readonly (readonly [name: string, about: string, more: Partial<ModelEffect>, came: ModelResult])[] = [
    [
      'words',
      'words in a stream, with settings, usage, and letters of several bytes',
      {
        messages: [
          { role: 'system', content: 'You sell bread.' },
          { role: 'user', content: '¿Qué hay hoy?' },
        ],
        temperature: 0.2,
        topP: 0.9,
        stop: ['END'],
        most: 60,
      },
      { outcome: 'written', text: 'Hoy hay pan de centéno 🍞.', stopped: 'end', tokens: { in: 19, out: 9 } },
    ],
    [
      'calls-in-pieces',
      'two calls of tools whose pieces come mixed',
      { messages: [{ role: 'user', content: 'Rye for Ida, and is there cake?' }], tools: [aside, look] },
      {
        outcome: 'written',
        text: '',
        calls: [
          { id: 'call_7', name: 'set-aside', given: '{"what":"rye","for":"Ida"}' },
          { id: 'call_8', name: 'look', given: '{"what":"cake"}' },
        ],
        stopped: 'calls',
        tokens: null,
      },
    ],
    [
      'results-of-calls',
      'results that go back, and an answer that is not streamed',
      {
        messages: [
          ...CAKE.messages,
          { role: 'assistant', content: '', calls: [{ id: 'call_8', name: 'look', given: '{"what":"cake"}' }] },
          { role: 'tool', call: 'call_8', content: '{"left":2}' },
        ],
      },
      { outcome: 'written', text: 'Two pieces are left.', stopped: 'end', tokens: { in: 31, out: 5 } },
    ],
    [
      'call-in-one-piece',
      'calls without numbers, whole',
      {},
      {
        outcome: 'written',
        text: '',
        calls: [
          { id: 'x', name: 'look', given: '{"what":"cake"}' },
          { id: 'y', name: 'look', given: '{"what":"tart"}' },
        ],
        stopped: 'calls',
        tokens: null,
      },
    ],
    [
      'schema',
      'an answer by a JSON Schema',
      { messages: [{ role: 'user', content: 'Three loaves on Friday.' }], schema },
      { outcome: 'written', text: '{"loaves": 3}', stopped: 'end', tokens: null },
    ],
    [
      'pictures',
      'a picture beside the words, and an end at the most that may be written',
      {
        messages: [{ role: 'user', content: 'Which bread is this?', pictures: ['data:image/png;base64,iVBORw0KGgo='] }],
      },
      { outcome: 'written', text: 'Rye.', stopped: 'length', tokens: null },
    ],
    [
      'come-back-later',
      'a refusal with a time to wait, a stream that is cut, and then an answer',
      {},
      { outcome: 'written', text: 'There is.', stopped: 'end', tokens: null, tries: 3 },
    ],
  ];

  for (const [name, about, more, came] of CASES)
    for (const size of [1, 7, 100_000])
      it(`${name}: ${about}; ${size === 1 ? 'byte by byte' : size > 1000 ? 'at once' : `in pieces of ${size}`}`, async () => {
        [exchanges, asked, piece] = [transcript(name), [], size];
        const { port } = server.address() as AddressInfo;
        const reach = { ok: true, address: `http://127.0.0.1:${port}/v1`, headers: {}, secrets: [] } as const;
        const result = await models.perform({ ...CAKE, ...more }, reach);
        expect(asked).to.deep.equal(exchanges.map((e) => e.asked));
        expect(result).to.deep.equal(came);
      });

  it('an answer that ends in the middle of its JSON is none, and says so', async () => {
    [exchanges, asked, piece] = [transcript('ends-in-json'), [], 5];
    const { port } = server.address() as AddressInfo;
    const reach = { ok: true, address: `http://127.0.0.1:${port}/v1`, headers: {}, secrets: [] } as const;
    const result = await models.perform(CAKE, reach);
    expect(result).to.include({ outcome: 'failed', code: 'bad-answer' });
  });
});
