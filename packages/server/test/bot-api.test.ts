import { expect } from 'chai';
import type { ChildProcess } from 'node:child_process';
import { readDocument } from '@primrose/core';
import { releasedPeerBot } from './support/peer-bot.js';
import { DATABASE_URL, startChild, startTestService, stopChild, type TestService } from './support/service.js';

const TIDES = new URL('../../stand-ins/dist/tide-bot/main.js', import.meta.url).pathname;

interface Line {
  readonly seq: number;
  readonly who: string;
  readonly message: { readonly text: string; readonly choices?: readonly { readonly id: string }[] };
}
interface Talk {
  readonly conversation: string;
  readonly visitor: string;
  readonly lines: readonly Line[];
}

describe('the bot API', () => {
  let service: TestService;
  let bot = '';
  let channel = '';
  let link = '';
  let key = '';
  const ask = async <T>(path: string, body?: unknown, as = key): Promise<{ status: number; body: T }> => {
    const answer = await fetch(`${link}${path}`, {
      method: body === undefined ? 'GET' : 'POST',
      headers: { authorization: `Bearer ${as}`, 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    return { status: answer.status, body: (await answer.json()) as T };
  };
  const open = async (visitor: string, as = key): Promise<Talk> => (await ask<Talk>('/conversations', { visitor }, as)).body;
  const say = async (talk: Talk, id: string, said: Record<string, unknown>) =>
    (
      await ask<{ lines: Line[]; done: boolean; repeat: boolean }>(`/conversations/${talk.conversation}/messages`, {
        id,
        wait: 20,
        ...said,
      })
    ).body;
  const params = () => ({ bot, channel });

  before(async () => {
    service = await startTestService({ databaseUrl: DATABASE_URL });
    bot = await releasedPeerBot(service.client);
    const made = await service.client.call('createChannel', { params: { bot }, body: { kind: 'bot-api', name: 'Programs' } });
    channel = made.id;
    link = made.link;
    ({ key } = await service.client.call('addCaller', { params: params(), body: { name: 'kiosk' } }));
  });
  after(() => service.stop());

  it('opens, says, presses and waits for the answer, for each visitor of a caller by themselves', async () => {
    const isla = await open('isla');
    expect(isla.lines.map((l) => l.message.text)).to.deep.equal(['What is it?']);
    const menu = await say(isla, '1', { text: 'menu', after: isla.lines.at(-1)?.seq });
    expect(menu.done).to.equal(true);
    const asked = menu.lines.at(-1)?.message;
    expect([asked?.text, asked?.choices?.map((c) => c.id)]).to.deep.equal(['Which boat?', ['sandpiper', 'wrackline']]);
    const took = await say(isla, '2', { choice: 'sandpiper', after: menu.lines.at(-1)?.seq });
    expect(took.lines.map((l) => l.message.text)).to.include('You took the sandpiper.');
    const again = await open('isla');
    expect(again.conversation).not.to.equal(isla.conversation);
    expect((await say(again, '1', { text: 'my boat' })).lines.some((l) => l.message.text === 'Your boat: sandpiper.')).to.equal(
      true,
    );
    const jonas = await open('jonas');
    expect((await say(jonas, '1', { text: 'my boat' })).lines.some((l) => l.message.text === 'Your boat: none.')).to.equal(true);
  });

  it('takes a message and an opening once, by their ids', async () => {
    const one = (await ask<Talk>('/conversations', { visitor: 'tamsin', id: 'o-1' })).body;
    const two = (await ask<Talk>('/conversations', { visitor: 'tamsin', id: 'o-1' })).body;
    expect(two.conversation).to.equal(one.conversation);
    await say(one, 'm-1', { text: 'once' });
    const repeat = await say(one, 'm-1', { text: 'once' });
    expect(repeat.repeat).to.equal(true);
    const { lines } = (await ask<{ lines: Line[] }>(`/conversations/${one.conversation}/lines`)).body;
    expect(lines.filter((l) => l.message.text === 'once')).to.have.length(1);
  });

  it('streams the lines as they come, and goes on behind the last one', async () => {
    const talk = await open('streams');
    const stop = new AbortController();
    const stream = await fetch(`${link}/conversations/${talk.conversation}/stream`, {
      headers: { authorization: `Bearer ${key}` },
      signal: stop.signal,
    });
    const reader = stream.body?.pipeThrough(new TextDecoderStream()).getReader();
    let text = '';
    await say(talk, 's-1', { text: 'hark' });
    while (!text.includes('Heard 1: hark')) {
      const part = await reader?.read();
      if (!part || part.done) throw new Error(`the stream ended: ${text}`);
      text += part.value;
    }
    stop.abort();
    expect(text).to.match(/event: line\nid: [^\n]+:\d+\ndata: /);
  });

  it('keeps what a visitor thinks of an answer', async () => {
    const talk = await open('thinks');
    const { lines } = await say(talk, 't-1', { text: 'the weather' });
    const line = lines.find((l) => l.message.text.startsWith('Heard'))?.seq;
    await ask(`/conversations/${talk.conversation}/feedback`, { line, helpful: true });
    expect((await service.client.call('getFeedback', { params: { bot } })).helpful).to.equal(1);
    expect((await ask(`/conversations/${talk.conversation}/feedback`, { line: 999, helpful: true })).status).to.equal(404);
  });

  it('lets a caller into its own conversations only, and nobody without a key that counts', async () => {
    const { key: other } = await service.client.call('addCaller', { params: params(), body: { name: 'other' } });
    const talk = await open('mine');
    expect((await ask(`/conversations/${talk.conversation}/lines`, undefined, other)).status).to.equal(404);
    expect((await ask(`/conversations/${talk.conversation}x/lines`)).status).to.equal(404);
    expect((await ask('/conversations', { visitor: 'x' }, 'no-key')).status).to.equal(401);
    expect((await ask('/conversations', { visitor: '' })).status).to.equal(422);
    await service.client.call('removeCaller', { params: { ...params(), caller: 'other' } });
    expect((await ask('/conversations', { visitor: 'x' }, other)).status).to.equal(401);
    const twin = await service.client
      .call('addCaller', { params: params(), body: { name: 'kiosk' } })
      .catch((e: unknown) => String(e));
    expect(twin).to.include('a caller "kiosk" already');
    expect((await service.client.call('getChannel', { params: params() })).callers.map((c) => c.name)).to.deep.equal(['kiosk']);
  });

  it('says so when the channel is off, and sends nothing by itself', async () => {
    await service.client.call('updateChannel', { params: params(), body: { on: false } });
    expect((await ask('/conversations', { visitor: 'x' })).status).to.equal(409);
    await service.client.call('updateChannel', { params: params(), body: { on: true } });
    const test = await service.client
      .call('testChannel', { params: params(), body: { to: 'x' } })
      .catch((e: unknown) => String(e));
    expect(test).to.include('sends nothing by itself');
  });
});

describe('another bot behind ours', () => {
  let service: TestService;
  let tides: { child: ChildProcess; port: number };
  let link = '';
  let key = '';

  before(async () => {
    tides = await startChild(TIDES, ['--port', '0'], {});
    service = await startTestService({ databaseUrl: DATABASE_URL });
    const read = readDocument({
      primrose: 1,
      bot: 'bridge',
      name: 'Bridge',
      languages: ['en'],
      zone: 'Europe/Dublin',
      begins: 'main',
      talk: {
        corrections: false,
        wishes: false,
        between: false,
        'follow-ups': false,
        'ways-out': false,
        misses: false,
        tone: false,
        memory: false,
      },
      connections: {
        'tide-bot': {
          address: `http://127.0.0.1:${tides.port}`,
          actions: {
            ask: {
              post: '/talk',
              reads: true,
              takes: { words: 'text' },
              sends: { body: { session: '{{ kept.session }}', says: '{{ words }}' } },
              gives: { reply: '{{ answer.reply }}' },
              keeps: { session: '{{ answer.session }}' },
            },
          },
        },
      },
      flows: {
        main: {
          begin: 'hear',
          nodes: {
            hear: {
              kind: 'ask',
              says: 'Tides?',
              expects: 'text',
              into: 'flow.said',
              exits: { answered: 'asks', 'gave-up': 'hear' },
            },
            asks: {
              kind: 'action',
              runs: 'tide-bot.ask',
              given: { words: '{{ flow.said }}' },
              into: 'flow.reply',
              exits: { done: 'says', failed: 'sorry' },
            },
            says: { kind: 'say', says: '{{ flow.reply }}', exits: { said: 'empty' } },
            sorry: { kind: 'say', says: 'It does not answer.', exits: { said: 'empty' } },
            empty: { kind: 'set', sets: [{ into: 'flow.said', to: '{{ null }}' }], exits: { done: 'hear' } },
          },
        },
      },
    });
    if (!read.ok) throw new Error(JSON.stringify(read.problems));
    const bot = await releasedPeerBot(service.client, read.document);
    const made = await service.client.call('createChannel', { params: { bot }, body: { kind: 'bot-api', name: 'Programs' } });
    link = made.link;
    ({ key } = await service.client.call('addCaller', { params: { bot, channel: made.id }, body: { name: 'tests' } }));
  });
  after(async () => {
    await service.stop();
    await stopChild(tides.child);
  });

  it('keeps its session under our conversation, parts those of two visitors, and begins anew where it is gone there', async () => {
    const post = async (path: string, body: unknown) =>
      (await (
        await fetch(`${link}${path}`, {
          method: 'POST',
          headers: { authorization: `Bearer ${key}`, 'content-type': 'application/json' },
          body: JSON.stringify(body),
        })
      ).json()) as { conversation: string; lines: Line[] };
    const talk = async (visitor: string) => {
      const { conversation } = await post('/conversations', { visitor });
      let count = 0;
      let seen = 0;
      return async (text: string): Promise<string> => {
        const { lines } = await post(`/conversations/${conversation}/messages`, {
          id: String(++count),
          text,
          wait: 20,
          after: seen,
        });
        seen = lines.at(-1)?.seq ?? seen;
        return lines
          .filter((l) => l.who === 'bot')
          .map((l) => l.message.text)
          .join(' | ');
      };
    };
    const [isla, jonas] = [await talk('isla'), await talk('jonas')];
    expect(await isla('the tides please')).to.include('For which harbour?');
    expect(await isla('tarn holm')).to.include('high at Tarn Holm');
    expect(await jonas('the tides please')).to.include('For which harbour?');
    expect(await isla('tomorrow then')).to.match(/Tomorrow the water is high at Tarn Holm/);
    // Its sessions are gone there: the first call says so, the next begins a new one.
    await fetch(`http://127.0.0.1:${tides.port}/talk`, { method: 'DELETE' });
    expect(await isla('tomorrow then')).to.include('It does not answer.');
    expect(await isla('gannet quay')).to.include('high at Gannet Quay');
  });
});
