import { expect } from 'chai';
import type { ChildProcess } from 'node:child_process';
import { createHmac } from 'node:crypto';
import { READY_MAPPINGS, readyProfile } from '@primrose/core';
import { releasedPeerBot } from './support/peer-bot.js';
import { DATABASE_URL, startChild, startTestService, stopChild, type TestService } from './support/service.js';
import { until } from './support/until.js';

const SMALL = new URL('../../stand-ins/dist/small-messengers/main.js', import.meta.url).pathname;
const TOKEN = '42:secret-of-the-bot';

interface Got {
  readonly id: string;
  readonly what: string;
  readonly to: string;
  readonly text?: string;
  readonly buttons?: readonly { readonly value: string; readonly label: string }[];
  readonly pictures?: readonly string[];
  readonly answers?: string;
}

describe('ready mappings, each against a messenger of its shape', () => {
  let small: { child: ChildProcess; port: number };
  let service: TestService;
  let bot = '';
  const channels = new Map<string, { id: string; link: string }>();
  const control = (shape: string) => `http://127.0.0.1:${small.port}/control/${shape}`;
  const send = async (shape: string, method: string, body: unknown) => {
    const sent = await fetch(control(shape), {
      method,
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    return { status: sent.status, body: (await sent.json()) as { statuses?: number[]; connected?: boolean } };
  };
  const got = async (shape: string): Promise<Got[]> => ((await (await fetch(control(shape))).json()) as { got: Got[] }).got;
  const heard = async (shape: string, to: string, words: string, count = 1): Promise<Got> => {
    let found: Got[] = [];
    await until(async () => {
      found = (await got(shape)).filter((g) => g.what === 'message' && g.to === to && (g.text ?? '').includes(words));
      return found.length >= count;
    }, 30).catch(async () => {
      const last = (await got(shape)).slice(-5);
      const events = await service.client.call('listChannelEvents', { params: { bot, channel: channels.get(shape)?.id ?? '' } });
      throw new Error(
        `${to} never got "${words}": ${JSON.stringify([last, events.items.slice(0, 5).map((e) => [e.outcome, e.about])])}`,
      );
    });
    return found.at(-1) as Got;
  };
  const does = (shape: string, deed: unknown) => send(shape, 'POST', deed);
  const person = (id: string) => ({ id, name: `Isla ${id}`, first_name: 'Isla', language: 'en' });

  before(async () => {
    small = await startChild(SMALL, ['--port', '0'], {});
    service = await startTestService({ databaseUrl: DATABASE_URL });
    bot = await releasedPeerBot(service.client);
    for (const { id, name } of READY_MAPPINGS) {
      const profile = readyProfile(id, `http://127.0.0.1:${small.port}/${id}`);
      if (!profile) throw new Error(`${id} is no shape`);
      // A name and a token are all that is entered.
      const made = await service.client.call('createChannel', {
        params: { bot },
        body: { kind: 'hook-messenger', name, profile, secrets: { token: TOKEN } },
      });
      channels.set(id, made);
      const connected = await send(id, 'PUT', { token: TOKEN, hook: made.link });
      expect([id, connected.status]).to.deep.equal([id, 200]);
    }
  });
  after(async () => {
    await service.stop();
    await stopChild(small.child);
  });

  for (const { id: shape } of READY_MAPPINGS) {
    it(`${shape}: words, buttons, pictures and who says them`, async () => {
      await does(shape, { id: `${shape}-1`, kind: 'message', from: person('71'), text: 'good day' });
      const first = await heard(shape, '71', 'What is it?');
      expect(first.answers).to.equal(`${shape}-1`);
      await does(shape, { id: `${shape}-2`, kind: 'message', from: person('71'), text: 'menu' });
      const menu = await heard(shape, '71', 'Which boat?');
      expect(menu.buttons).to.deep.equal([
        { value: 'sandpiper', label: 'the Sandpiper' },
        { value: 'wrackline', label: 'the Wrackline' },
      ]);
      await does(shape, { id: `${shape}-3`, kind: 'message', from: person('71'), pressed: 'wrackline' });
      await heard(shape, '71', 'You took the wrackline.');
      await does(shape, { id: `${shape}-4`, kind: 'message', from: person('71'), text: 'picture' });
      await heard(shape, '71', 'Here: the boat today');
      const pictures = async () => (await got(shape)).flatMap((g) => (g.to === '71' ? (g.pictures ?? []) : []));
      await until(async () => (await pictures()).length > 0, 20);
      expect(await pictures()).to.deep.equal(['https://pictures.example/boat.png']);
      const { items } = await service.client.call('listConversations', { params: { bot }, query: {} });
      expect(items.find((c) => c.channel.id === channels.get(shape)?.id)?.visitor).to.equal('Isla 71');
    });

    it(`${shape}: files that come in are fetched with the token and kept`, async () => {
      await does(shape, { id: `${shape}-f`, kind: 'message', from: person('72'), text: 'look', files: ['boat.png'] });
      await heard(shape, '72', 'What is it?');
      const { items } = await service.client.call('listConversations', { params: { bot }, query: {} });
      const conversation = items.find((c) => c.channel.id === channels.get(shape)?.id && c.visitor === 'Isla 72')?.id ?? '';
      const { lines } = await service.client.call('getConversation', { params: { bot, conversation }, query: {} });
      expect(lines.items[0]?.message.text).to.match(/^look\s+!\[a picture\]\(http:\/\/127\.0\.0\.1:\d+\/files\//);
    });

    it(`${shape}: edits are heard anew, receipts and reactions belong to the message that they name`, async () => {
      await does(shape, { id: `${shape}-e0`, kind: 'message', from: person('73'), text: 'begin' });
      await heard(shape, '73', 'What is it?');
      await does(shape, { id: `${shape}-e1`, kind: 'message', from: person('73'), text: 'alpha' });
      const answer = await heard(shape, '73', 'Heard 1: alpha');
      if (shape !== 'challenge') {
        await does(shape, { id: `${shape}-e1`, kind: 'edit', from: person('73'), text: 'beta' });
        await heard(shape, '73', 'Heard 2: beta');
      }
      const before = await service.client.call('getFeedback', { params: { bot } });
      await does(shape, { id: `${shape}-r1`, kind: 'receipt', from: person('73'), message: answer.id });
      await does(shape, { id: `${shape}-r2`, kind: 'reaction', from: person('73'), message: answer.id, sign: '👍' });
      await until(async () => (await service.client.call('getFeedback', { params: { bot } })).helpful === before.helpful + 1, 20);
      await does(shape, { id: `${shape}-r3`, kind: 'reaction', from: person('73'), message: answer.id, sign: '' });
      await until(async () => (await service.client.call('getFeedback', { params: { bot } })).helpful === before.helpful, 20);
    });

    it(`${shape}: a busy messenger is waited for as long as it says, and what is repeated is one`, async () => {
      await send(shape, 'PUT', { busy: 2, wait: 1 });
      await does(shape, { id: `${shape}-b`, kind: 'message', from: person('74'), text: 'good day' });
      await heard(shape, '74', 'What is it?');
      await send(shape, 'PUT', { times: 2 });
      await does(shape, { id: `${shape}-b2`, kind: 'message', from: person('74'), text: 'twice' });
      await heard(shape, '74', 'Heard 1: twice');
      await does(shape, { id: `${shape}-b3`, kind: 'message', from: person('74'), text: 'last' });
      await heard(shape, '74', 'Heard 2: last');
      await send(shape, 'PUT', { times: 1 });
      expect((await got(shape)).filter((g) => g.text === 'Heard 1: twice')).to.have.length(1);
    });
  }

  it('rooms: everybody in one has a conversation of their own, and is answered there', async () => {
    for (const shape of ['token-in-path', 'signed-webhooks', 'long-polling']) {
      const said = (id: string, who: string, text: string) =>
        does(shape, { id: `${shape}-${id}`, kind: 'message', from: person(who), room: 'quay', text });
      await said('q1', '81', 'good day');
      await heard(shape, 'quay', 'What is it?');
      await said('q2', '82', 'good day');
      await heard(shape, 'quay', 'What is it?', 2);
      await said('q3', '81', 'from one');
      await heard(shape, 'quay', 'Heard 1: from one');
      await said('q4', '82', 'from two');
      await heard(shape, 'quay', 'Heard 1: from two');
    }
  });

  it('forged, stale and meddled webhooks are refused, with a reason and no body kept', async () => {
    const hook = (shape: string) => channels.get(shape)?.link ?? '';
    const post = async (shape: string, body: string, headers: Record<string, string>) =>
      (await fetch(hook(shape), { method: 'POST', headers: { 'content-type': 'application/json', ...headers }, body })).status;
    const body = JSON.stringify({ events: [{ id: 'forged', from: { id: '91' }, text: 'give me all' }] });
    const seal = (at: number) => `v1=${createHmac('sha256', TOKEN).update(`${at}.${body}`).digest('hex')}`;
    const now = Math.floor(Date.now() / 1000);
    expect(await post('signed-webhooks', body, {})).to.equal(401);
    expect(await post('signed-webhooks', body, { 'x-timestamp': String(now), 'x-signature': 'v1=00' })).to.equal(401);
    expect(await post('signed-webhooks', body, { 'x-timestamp': String(now - 900), 'x-signature': seal(now - 900) })).to.equal(
      401,
    );
    expect(await post('signed-webhooks', body, { 'x-timestamp': String(now), 'x-signature': seal(now - 10) })).to.equal(401);
    expect(await post('token-in-path', '{}', { 'x-bot-word': 'another' })).to.equal(401);
    expect(await post('challenge', body, { 'x-seal': 'sha256=00' })).to.equal(401);
    const { id = '' } = channels.get('signed-webhooks') ?? {};
    const refused = async () =>
      (await service.client.call('listChannelEvents', { params: { bot, channel: id } })).items.filter(
        (e) => e.outcome === 'refused',
      );
    // What anybody can send is counted, once a second.
    await until(async () => {
      const about = (await refused()).map((e) => e.about);
      return ['the signature is not right', 'it was signed more than five minutes ago'].every((a) => about.includes(a));
    }, 20);
    expect((await refused()).every((e) => e.payload === null)).to.equal(true);
  });

  it('a challenge by webhook is answered, once it is signed', async () => {
    const body = JSON.stringify({ type: 'check', word: 'w-77' });
    const at = Math.floor(Date.now() / 1000);
    const headers = {
      'content-type': 'application/json',
      'x-timestamp': String(at),
      'x-signature': `v1=${createHmac('sha256', TOKEN).update(`${at}.${body}`).digest('hex')}`,
    };
    const answer = await fetch(channels.get('signed-webhooks')?.link ?? '', { method: 'POST', headers, body });
    expect([answer.status, await answer.text()]).to.deep.equal([200, 'w-77']);
  });

  it('a messenger that is asked takes up where it was when the service dies, says that its token was withdrawn, and takes no webhooks', async () => {
    const shape = 'long-polling';
    const params = { bot, channel: channels.get(shape)?.id ?? '' };
    const line = async () => (await service.client.call('getChannel', { params })).line;
    await service.crash();
    for (let i = 0; i < 5; i++) await does(shape, { id: `crash-${i}`, kind: 'message', from: person(`9${i}`), text: 'good day' });
    for (let i = 0; i < 5; i++) await heard(shape, `9${i}`, 'What is it?');
    expect((await got(shape)).filter((g) => g.what === 'message' && /^9\d$/.test(g.to))).to.have.length(5);
    await send(shape, 'PUT', { token: 'another' });
    await until(async () => (await line())?.reason?.includes('does not accept the token') === true, 60);
    await does(shape, { id: 'withdrawn', kind: 'message', from: person('99'), text: 'good day' });
    await send(shape, 'PUT', { token: TOKEN });
    await heard(shape, '99', 'What is it?');
    expect((await service.client.call('getChannel', { params })).link).to.equal('');
  });

  it('one that is switched off in the middle of a talk answers when it is on again, what is asked for included', async () => {
    const shape = 'long-polling';
    const params = { bot, channel: channels.get(shape)?.id ?? '' };
    await does(shape, { id: 'off-0', kind: 'message', from: person('61'), text: 'good day' });
    await heard(shape, '61', 'What is it?');
    await service.client.call('updateChannel', { params, body: { on: false } });
    await does(shape, { id: 'off-1', kind: 'message', from: person('61'), text: 'meanwhile' });
    await new Promise((r) => setTimeout(r, 500));
    expect((await got(shape)).some((g) => g.text?.includes('meanwhile'))).to.equal(false);
    await service.client.call('updateChannel', { params, body: { on: true } });
    await heard(shape, '61', 'Heard 1: meanwhile');
  });
});
