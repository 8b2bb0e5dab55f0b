import { createServer as createHttp, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createTcp, type AddressInfo, type Server as TcpServer } from 'node:net';
import { expect } from 'chai';
import { onTranscript, type ActionEffect, type ModelEffect, type ModelMessage, type ModelResult } from '@primrose/core';
import { systemClock } from '../src/base/clock.js';
import { createChatCompletions } from '../src/outside/chat-completions.js';
import { createHttpActions } from '../src/outside/http-action.js';

const listen = (server: Server | TcpServer): Promise<number> =>
  new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)));

const at = (address: string) => ({ ok: true, address, headers: {}, secrets: [] }) as const;

describe('what goes wrong on the way to a service', () => {
  const actions = createHttpActions('loopback');
  const servers: (Server | TcpServer)[] = [];
  after(async () => {
    await actions.close();
    for (const server of servers) await new Promise((resolve) => server.close(resolve));
  });
  /** A service that does with the bytes of a request what `talk` says. */
  const raw = async (answer: string, end: boolean): Promise<string> => {
    const server = createTcp((socket) => {
      socket.on('error', () => undefined);
      socket.once('data', () => {
        if (answer !== '') socket.write(answer);
        if (end) setImmediate(() => socket.destroy());
      });
    });
    servers.push(server);
    return `http://127.0.0.1:${await listen(server)}`;
  };
  const call = async (address: string, changes: boolean, more: Partial<ActionEffect> = {}) => {
    const effect: ActionEffect = {
      type: 'action',
      path: '0/0',
      connection: 'office',
      action: 'book',
      method: changes ? 'POST' : 'GET',
      target: '/bookings',
      query: {},
      headers: {},
      body: changes ? { name: 'Mo' } : null,
      timeoutMs: 2000,
      changes,
      repeatable: false,
      ...more,
    };
    const came = await actions.perform(effect, at(address), 'key');
    return came.outcome === 'failed' ? `${came.code}: ${came.reason}` : `answered ${came.status}`;
  };

  it('is an unknown outcome where the line is cut after a change was sent, and a bad answer where a reading was', async () => {
    const address = await raw('', true);
    expect(await call(address, true)).to.match(/^unknown-outcome: 127\.0\.0\.1:\d+ broke off before it answered/);
    expect(await call(address, false)).to.match(/^bad-answer: .* broke off before it answered$/);
  });
  it('is a bad answer where it breaks off in the middle, of a change as well: its status was heard', async () => {
    const address = await raw('HTTP/1.1 201 Created\r\ncontent-length: 500\r\n\r\n{"reference":', true);
    for (const changes of [true, false])
      expect(await call(address, changes)).to.match(/^bad-answer: .* broke off in the middle of its answer$/);
  });
  it('is out of reach where nothing was sent yet, also of a change: wrong protocol, a header that is none, a name that is none', async () => {
    const plain = await raw('HTTP/1.1 400 Bad Request\r\n\r\n', false);
    expect(await call(plain.replace('http:', 'https:'), true)).to.match(/^unreachable: .* cannot be reached \(/);
    expect(await call(plain, true, { headers: { 'x-desk': 'a\nb' } })).to.match(/^unreachable: .* cannot be reached \(/);
    expect(await call('http://no-such-host.invalid', true)).to.match(/^unreachable: /);
  });
  it('is out of reach where the line is cut before it was safe to send anything', async () => {
    const cut = (await raw('', true)).replace('http:', 'https:');
    for (const changes of [true, false]) expect(await call(cut, changes)).to.match(/^unreachable: .* cannot be reached \(/);
  });
  it('is too slow before an answer, and within one', async () => {
    const silent = await raw('', false);
    expect(await call(silent, true, { timeoutMs: 120 })).to.match(/^timeout: .* did not answer within 0\.12 s$/);
    const endless = await raw('HTTP/1.1 200 OK\r\ncontent-length: 9\r\n\r\nabc', false);
    expect(await call(endless, false, { timeoutMs: 120 })).to.match(/^timeout: .* was not done within 0\.12 s$/);
  });
  it('is a bad answer where its rest is no HTTP, of a change as well', async () => {
    const garbled = await raw('HTTP/1.1 200 OK\r\ntransfer-encoding: chunked\r\n\r\nnot a length\r\n', false);
    for (const changes of [true, false])
      expect(await call(garbled, changes)).to.match(/^bad-answer: .* cannot be read as HTTP \(HTTPParserError\)$/);
  });
  it('is no HTTP at all, and what a change did there is not known', async () => {
    const mail = await raw('220 mail.example ready\r\n', false);
    expect(await call(mail, false)).to.match(/^bad-answer: .* sent an answer that cannot be read as HTTP \(HTTPParserError\)$/);
    expect(await call(mail, true)).to.match(
      /^unknown-outcome: .* sent an answer that cannot be read as HTTP \(HTTPParserError\); whether/,
    );
  });
});

describe('a model service', () => {
  const models = createChatCompletions('loopback', systemClock);
  let server: Server;
  let address: string;
  let body: Record<string, unknown> = {};
  let answers: (res: ServerResponse) => void = (res) => res.end();
  before(async () => {
    server = createHttp((req: IncomingMessage, res) => {
      let text = '';
      req.on('data', (chunk: Buffer) => (text += chunk.toString()));
      req.on('end', () => {
        body = JSON.parse(text) as typeof body;
        answers(res);
      });
    });
    address = `http://127.0.0.1:${await listen(server)}/v1/`;
  });
  after(async () => {
    await models.close();
    server.closeAllConnections();
    await new Promise((resolve) => server.close(resolve));
  });

  const asked: ModelEffect = {
    type: 'model',
    path: '0/0',
    profile: 'clerk',
    connection: 'models',
    model: 'quick-1',
    messages: [{ role: 'user', content: 'Book the 09:40.' }],
    timeoutMs: 20_000,
    estimate: 4,
    aloud: false,
  };
  const whole = (answer: unknown, status = 200) => {
    answers = (res) => res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(answer));
  };
  const streamed = (...pieces: readonly unknown[]) => {
    const text = pieces.map((p) => `data: ${typeof p === 'string' ? p : JSON.stringify(p)}\n\n`).join('');
    answers = (res) => res.writeHead(200, { 'content-type': 'text/event-stream' }).end(text);
  };
  const ask = (effect: ModelEffect = asked, onWords?: (text: string) => void): Promise<ModelResult> =>
    models.perform(effect, at(address), onWords);
  const why = async (): Promise<string> => {
    const came = await ask();
    return came.outcome === 'failed' ? `${came.code}: ${came.reason.replace(/^127\.0\.0\.1:\d+ /, '')}` : came.text;
  };

  it('is sent roles, calls and tools as the form has them, a transcript whole', async () => {
    whole({ choices: [{ message: { content: 'Booked.' }, finish_reason: 'stop' }] });
    const before: ModelMessage[] = [
      { role: 'system', content: 'You book.' },
      { role: 'user', content: 'Book it.' },
      { role: 'assistant', content: '', calls: [{ id: 'c1', name: 'book', given: '{"sailing":"s1"}' }] },
    ];
    const effect = onTranscript({ ...asked, messages: [{ role: 'tool', call: 'c1', content: 'TST1005' }] }, before);
    const tools = [{ name: 'book', about: 'books a place', takes: { type: 'object' } }];
    expect(await ask({ ...effect, tools, temperature: 0, most: 50 })).to.include({ outcome: 'written', text: 'Booked.' });
    expect(body).to.deep.include({ model: 'quick-1', stream: true, temperature: 0, max_tokens: 50 });
    expect(body['messages']).to.deep.equal([
      { role: 'system', content: 'You book.' },
      { role: 'user', content: 'Book it.' },
      {
        role: 'assistant',
        content: '',
        tool_calls: [{ id: 'c1', type: 'function', function: { name: 'book', arguments: '{"sailing":"s1"}' } }],
      },
      { role: 'tool', tool_call_id: 'c1', content: 'TST1005' },
    ]);
    expect(body['tools']).to.deep.equal([
      { type: 'function', function: { name: 'book', description: 'books a place', parameters: { type: 'object' } } },
    ]);
  });

  it('asks for tools, whole or in pieces that come in any order', async () => {
    const call = { id: 'c1', function: { name: 'book', arguments: '{"a":1}' } };
    whole({ choices: [{ message: { content: null, tool_calls: [call] }, finish_reason: 'tool_calls' }], usage: null });
    const wanted = { outcome: 'written', text: '', stopped: 'calls', tokens: null };
    expect(await ask()).to.deep.equal({ ...wanted, calls: [{ id: 'c1', name: 'book', given: '{"a":1}' }] });
    const piece = (calls: unknown, finish: string | null = null) => ({
      choices: [{ delta: { content: null, tool_calls: calls }, finish_reason: finish }],
    });
    streamed(
      piece([{ index: 1, id: 'c2', function: { name: 'look' } }]),
      piece([{ index: 0, id: 'c1', function: { name: 'book', arguments: '{"a"' } }]),
      piece([{ index: 0, function: { arguments: ':1}' } }]),
      piece([{ index: 1, function: { arguments: '{}' } }]),
      piece(null, 'tool_calls'),
      { choices: [], usage: { prompt_tokens: 7, completion_tokens: 3 } },
      '[DONE]',
    );
    expect(await ask()).to.deep.equal({
      ...wanted,
      tokens: { in: 7, out: 3 },
      calls: [
        { id: 'c1', name: 'book', given: '{"a":1}' },
        { id: 'c2', name: 'look', given: '{}' },
      ],
    });
  });

  it('is heard while it writes, with what it has said so far', async () => {
    const piece = (content: string, finish: string | null = null) => ({
      choices: [{ delta: { content }, finish_reason: finish }],
    });
    streamed(piece('The next boat '), piece('leaves at 09:40.'), piece('', 'stop'), '[DONE]');
    const heard: string[] = [];
    expect(await ask(asked, (text) => heard.push(text))).to.include({ text: 'The next boat leaves at 09:40.', stopped: 'end' });
    expect(heard.at(-1)).to.equal('The next boat leaves at 09:40.');
    expect(heard.every((text) => 'The next boat leaves at 09:40.'.startsWith(text))).to.equal(true);
  });

  it('that stops at the most it may write says so, whatever it leaves out or sends as null', async () => {
    streamed({
      id: 'x',
      choices: [{ delta: { content: 'The', tool_calls: null }, finish_reason: 'length' }],
      error: null,
      usage: {},
    });
    expect(await ask()).to.deep.equal({ outcome: 'written', text: 'The', stopped: 'length', tokens: null });
  });

  for (const [what, answer] of [
    ['null', null],
    ['a list', []],
    ['choices that are none', { choices: 'many' }],
    ['words that are a number', { choices: [{ message: { content: 7 } }] }],
    ['a call with a number of its own making', { choices: [{ message: { tool_calls: [{ index: -1 }] } }] }],
    ['a call with half a number', { choices: [{ message: { tool_calls: [{ index: 0.5 }] } }] }],
  ] as const)
    it(`that answers with ${what} has not kept to the form`, async () => {
      whole(answer);
      expect(await why()).to.match(/^bad-answer: answered otherwise than in the chat-completions form \(/);
      streamed(answer);
      expect(await why()).to.match(/^bad-answer: answered otherwise than in the chat-completions form \(/);
    });

  it('that asks for very many tools at once is not followed', async () => {
    const calls = Array.from({ length: 65 }, (_, i) => ({ id: `c${i}`, function: { name: 'book', arguments: '{}' } }));
    whole({ choices: [{ message: { content: '', tool_calls: calls } }] });
    expect(await why()).to.equal('bad-answer: asked for more than 64 calls at once');
    streamed({ choices: [{ delta: { tool_calls: [{ index: 4_000_000_000, id: 'c' }] } }] });
    expect(await why()).to.equal('bad-answer: asked for more than 64 calls at once');
  });

  it('that refuses, or breaks off, is quoted', async () => {
    whole({ error: { message: 'no such model \\"quick-1\\"' } }, 404);
    expect(await why()).to.match(/^bad-answer: refused with status 404: no such model/);
    answers = (res) => res.writeHead(500, { 'content-type': 'text/html' }).end('<h1>Oops</h1>');
    expect(await why()).to.equal('bad-answer: refused with status 500; it was asked 3 times');
    answers = (res) => res.writeHead(200, { 'content-type': 'text/html' }).end('<h1>Welcome</h1>');
    expect(await why()).to.match(/^bad-answer: answered with a web page instead of a model's answer; is the address/);
    streamed({ choices: [{ delta: { content: 'The next' } }] });
    expect(await why()).to.equal('bad-answer: broke off in the middle of its answer; it was asked 3 times');
    streamed({ error: 'overloaded' });
    expect(await why()).to.equal('bad-answer: broke off: overloaded; it was asked 3 times');
  });

  it('whose address is none, or that is not set up, is not called', async () => {
    const none = await models.perform(asked, at('ferry desk'));
    expect(none).to.include({ outcome: 'failed', code: 'not-configured' });
    expect(await models.perform(asked, { ok: false, reason: 'it has no secret' })).to.include({ reason: 'it has no secret' });
  });
});
