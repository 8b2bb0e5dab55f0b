import { expect } from 'chai';
import type { ChildProcess } from 'node:child_process';
import { releasedPeerBot } from './support/peer-bot.js';
import { DATABASE_URL, startChild, startTestService, stopChild, type TestService } from './support/service.js';
import { until } from './support/until.js';

const HOMESERVER = new URL('../../stand-ins/dist/homeserver/main.js', import.meta.url).pathname;
const HOST = 'matrix.marrow-sound.example';
const DESK = `@desk:${HOST}`;
const ISLA = `@isla:${HOST}`;
const JONAS = `@jonas:${HOST}`;

interface Said {
  readonly by: string;
  readonly body: string;
  readonly id: string;
  readonly content: Readonly<Record<string, unknown>>;
}

describe('Matrix, against a small homeserver', () => {
  let server: { child: ChildProcess; port: number };
  let service: TestService;
  let bot = '';
  let channel = '';
  const address = () => `http://127.0.0.1:${server.port}`;
  const post = async (path: string, body: unknown, method = 'POST'): Promise<{ event_id?: string }> =>
    (await (
      await fetch(`${address()}${path}`, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
    ).json()) as { event_id?: string };
  const at = (room: string) => `/control/rooms/${encodeURIComponent(room)}`;
  const room = (id: string, people: { user: string; name: string }[]) => post(at(id), { people });
  const said = async (id: string): Promise<Said[]> => ((await (await fetch(address() + at(id))).json()) as { said: Said[] }).said;
  const says = async (id: string, by: string, content: Record<string, unknown>, more = {}) =>
    (await post(`${at(id)}/events`, { by, content: { msgtype: 'm.text', ...content }, ...more })).event_id ?? '';
  const heard = async (id: string, words: string): Promise<Said> => {
    let found: Said | undefined;
    await until(
      async () => (found = (await said(id)).find((s) => s.by === DESK && s.body.includes(words))) !== undefined,
      40,
    ).catch(async () => {
      const events = await service.client.call('listChannelEvents', { params: params() });
      throw new Error(
        `"${words}" was never said: ${JSON.stringify([(await said(id)).slice(-5), events.items.slice(0, 4).map((e) => [e.outcome, e.about])])}`,
      );
    });
    return found as Said;
  };
  const params = () => ({ bot, channel });
  const state = () => service.client.call('getChannel', { params: params() });

  before(async () => {
    server = await startChild(HOMESERVER, ['--port', '0'], {});
    service = await startTestService({ databaseUrl: DATABASE_URL });
    bot = await releasedPeerBot(service.client);
    const made = await service.client.call('createChannel', {
      params: { bot },
      body: { kind: 'matrix', name: 'Rooms', settings: { address: address(), user: DESK }, secrets: { token: 'matrix-token' } },
    });
    channel = made.id;
    await until(async () => (await state()).line?.state === 'connected', 60);
  });
  after(async () => {
    await service.stop();
    await stopChild(server.child);
  });

  it('follows an invitation, answers in a talk of two, with numbers and marks, and knows the name', async () => {
    await room('!two:x', [{ user: ISLA, name: 'Isla' }]);
    await until(async () => (await (await fetch(address() + at('!two:x'))).json()) !== null, 5);
    await says('!two:x', ISLA, { body: 'good day' });
    await heard('!two:x', 'What is it?');
    await says('!two:x', ISLA, { body: 'menu' });
    await heard('!two:x', '1. the Sandpiper\n2. the Wrackline');
    await says('!two:x', ISLA, { body: '2' });
    await heard('!two:x', 'You took the wrackline.');
    await says('!two:x', ISLA, { body: 'picture' });
    await heard('!two:x', 'Here: [the boat](https://pictures.example/boat.png) **today**');
    const { items } = await service.client.call('listConversations', { params: { bot }, query: {} });
    expect(items.find((c) => c.channel.id === channel)?.visitor).to.equal('Isla');
  });

  it('hears edits and answers, keeps files, takes receipts and reactions', async () => {
    const first = await says('!two:x', ISLA, { body: 'alpha' });
    await heard('!two:x', 'Heard 3: alpha');
    await says('!two:x', ISLA, {
      body: '* beta',
      'm.new_content': { msgtype: 'm.text', body: 'beta' },
      'm.relates_to': { rel_type: 'm.replace', event_id: first },
    });
    const answer = await heard('!two:x', 'Heard 4: beta');
    await says('!two:x', ISLA, {
      body: '> <@desk:x> Heard 4: beta\n\nyes that one',
      'm.relates_to': { 'm.in_reply_to': { event_id: answer.id } },
    });
    await heard('!two:x', 'Heard 5: yes that one');
    await post(`${at('!two:x')}/receipts`, { by: ISLA, event: answer.id });
    const reaction = { 'm.relates_to': { rel_type: 'm.annotation', event_id: answer.id, key: '👎' } };
    await post(`${at('!two:x')}/events`, { by: ISLA, type: 'm.reaction', content: reaction });
    await until(async () => (await service.client.call('getFeedback', { params: { bot } })).unhelpful === 1, 20);
    await says('!two:x', ISLA, { msgtype: 'm.image', body: 'boat.png', url: `mxc://${HOST}/boat1` });
    const conversation = (await service.client.call('listConversations', { params: { bot }, query: {} })).items[0]?.id ?? '';
    await until(async () => {
      const { lines } = await service.client.call('getConversation', { params: { bot, conversation }, query: { limit: 100 } });
      return lines.items.some((l) => l.who === 'visitor' && l.message.text.includes('![a picture]'));
    }, 20);
  });

  it('answers in a room of many whoever names it, each in a conversation of their own, and never a notice', async () => {
    await room('!many:x', [
      { user: ISLA, name: 'Isla' },
      { user: JONAS, name: 'Jonas' },
    ]);
    await says('!many:x', ISLA, { body: 'what a day' });
    await says('!many:x', JONAS, { body: 'desk: good day' });
    const answer = await heard('!many:x', `${JONAS}: What is it?`);
    expect(answer.content['m.mentions']).to.deep.equal({ user_ids: [JONAS] });
    await says('!many:x', JONAS, { msgtype: 'm.notice', body: 'desk: from a program' });
    await says('!many:x', ISLA, { body: 'and you?', 'm.mentions': { user_ids: [DESK] } });
    await heard('!many:x', `${ISLA}: What is it?`);
    expect((await said('!many:x')).filter((s) => s.by === DESK)).to.have.length(2);
  });

  it('waits as long as the homeserver says, takes an event once, and passes over what fits nothing', async () => {
    await post('/control', { busy: 2, waitMs: 400 }, 'PUT');
    await says('!two:x', ISLA, { body: 'patience' }, { id: '$same' });
    await heard('!two:x', 'patience');
    await says('!two:x', ISLA, { body: 'patience' }, { id: '$same' });
    await says('!two:x', ISLA, { body: 7, msgtype: ['odd'] });
    await says('!two:x', ISLA, { body: 'after all' });
    await heard('!two:x', 'after all');
    expect((await said('!two:x')).filter((s) => s.by === DESK && s.body.includes('patience'))).to.have.length(1);
  });

  it('keeps what is to be said while the token is withdrawn, says why, and goes on where it was', async () => {
    await post('/control', { token: 'another' }, 'PUT');
    await until(async () => (await state()).line?.reason?.includes('does not accept the token') === true, 60);
    await says('!two:x', ISLA, { body: 'meanwhile' });
    await service.client.call('updateChannel', { params: params(), body: { secrets: { token: 'another' } } });
    await heard('!two:x', 'meanwhile');
    await service.crash();
    await says('!two:x', ISLA, { body: 'crashed' });
    await heard('!two:x', 'crashed');
    expect((await said('!two:x')).filter((s) => s.by === DESK && s.body.includes('crashed'))).to.have.length(1);
    // A line that was made anew knows who is in a room all the same.
    await says('!many:x', ISLA, { body: 'to nobody in particular' });
    await says('!two:x', ISLA, { body: 'still there' });
    await heard('!two:x', 'still there');
    expect((await said('!many:x')).filter((s) => s.by === DESK)).to.have.length(2);
  });
});
