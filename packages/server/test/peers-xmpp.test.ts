import { expect } from 'chai';
import { xml } from '@xmpp/client';
import { PEER_PASSWORD, startXmpp, XMPP_DOMAIN, XMPP_ROOMS, type Peer } from '../../../scripts/lib/peers.mjs';
import { releasedPeerBot } from './support/peer-bot.js';
import { XmppPerson } from './support/peers.js';
import { DATABASE_URL, startTestService, type TestService } from './support/service.js';
import { until } from './support/until.js';

const DESK = `desk@${XMPP_DOMAIN}`;
const ROOM = `quay@${XMPP_ROOMS}`;

describe('XMPP, against prosody', () => {
  let server: Peer;
  let service: TestService;
  let bot = '';
  let channel = '';
  const people: XmppPerson[] = [];
  const person = async (name: string): Promise<XmppPerson> => {
    const made = new XmppPerson(name, server.port);
    people.push(made);
    await made.come();
    return made;
  };
  const params = () => ({ bot, channel });
  const state = async () => service.client.call('getChannel', { params: params() });
  const connected = (seconds = 60) => until(async () => (await state()).line?.state === 'connected', seconds);

  before(async () => {
    server = await startXmpp({ accounts: ['desk', 'isla', 'jonas', 'tamsin', 'morna', 'other'] });
    service = await startTestService({ databaseUrl: DATABASE_URL });
    bot = await releasedPeerBot(service.client);
    const made = await service.client.call('createChannel', {
      params: { bot },
      body: {
        kind: 'xmpp',
        name: 'Chat server',
        settings: { address: DESK, host: '127.0.0.1', port: server.port, rooms: [ROOM], nick: 'desk' },
        secrets: { password: PEER_PASSWORD },
      },
    });
    channel = made.id;
    await connected();
  });
  after(async () => {
    await Promise.all(people.map((p) => p.go()));
    await service.stop();
    await server.end();
  });

  it('answers whoever writes, each in a conversation of their own, and numbers what can be chosen', async () => {
    const [isla, jonas] = [await person('isla'), await person('jonas')];
    await isla.say(DESK, 'hello');
    await jonas.say(DESK, 'good day');
    await isla.until('What is it?');
    await jonas.until('What is it?');
    await isla.say(DESK, 'menu');
    await isla.until('Which boat?\n\n1. the Sandpiper\n2. the Wrackline');
    await isla.say(DESK, '2');
    await isla.until('You took the wrackline.');
    await jonas.say(DESK, 'my boat');
    await jonas.until('Your boat: none.');
    await isla.say(DESK, 'picture');
    await isla.until('Here: [the boat: https://pictures.example/boat.png] today');
    expect(jonas.words.join(' ')).not.to.include('wrackline');
  });

  it('shows that it writes, tells that it has got a message, and takes receipts, reactions, corrections and answers', async () => {
    const tamsin = await person('tamsin');
    await tamsin.say(DESK, 'first', { more: [xml('request', { xmlns: 'urn:xmpp:receipts' })] });
    await tamsin.until('What is it?');
    expect(tamsin.heard.some((m) => m.getChild('received', 'urn:xmpp:receipts'))).to.equal(true);
    await tamsin.say(DESK, 'alpha', { id: 'typo' });
    await tamsin.until('Heard 1: alpha');
    await tamsin.say(DESK, 'beta', {
      id: 'mended',
      more: [xml('replace', { xmlns: 'urn:xmpp:message-correct:0', id: 'typo' })],
    });
    await tamsin.until('Heard 2: beta');
    const answer = tamsin.heard.find((m) => m.getChildText('body') === 'Heard 2: beta');
    const id = answer?.attrs['id'] ?? '';
    await tamsin.send(
      xml('message', { to: DESK, type: 'chat', id: 'read-1' }, xml('received', { xmlns: 'urn:xmpp:receipts', id })),
    );
    const reaction = (sign: string) =>
      xml(
        'message',
        { to: DESK, type: 'chat', id: `r-${sign}` },
        xml('reactions', { xmlns: 'urn:xmpp:reactions:0', id }, xml('reaction', {}, sign)),
      );
    await tamsin.send(reaction('👎'));
    await until(async () => (await service.client.call('getFeedback', { params: { bot } })).unhelpful === 1, 30);
    await tamsin.send(reaction('👍'));
    await until(async () => (await service.client.call('getFeedback', { params: { bot } })).helpful === 1, 30);
    const quoted = '> Heard 2: beta\nyes that';
    const fallback = xml(
      'fallback',
      { xmlns: 'urn:xmpp:fallback:0', for: 'urn:xmpp:reply:0' },
      xml('body', { start: '0', end: '16' }),
    );
    await tamsin.say(DESK, quoted, { more: [xml('reply', { xmlns: 'urn:xmpp:reply:0', id }), fallback] });
    await tamsin.until('Heard 3: yes that');
    // A number that answers a message means what stood under that one.
    await tamsin.say(DESK, 'menu');
    await tamsin.until('1. the Sandpiper');
    const menu = tamsin.heard.find((m) => m.getChildText('body')?.startsWith('Which boat?'))?.attrs['id'] ?? '';
    await tamsin.say(DESK, '2', { more: [xml('reply', { xmlns: 'urn:xmpp:reply:0', id: menu })] });
    await tamsin.until('You took the wrackline.');
  });

  it('says in a room only what it is asked there, by name, to whoever asked', async () => {
    const morna = await person('morna');
    await morna.send(xml('presence', { to: `${ROOM}/Morna` }, xml('x', { xmlns: 'http://jabber.org/protocol/muc' })));
    await until(() => Promise.resolve(morna.heard.some((m) => m.attrs['type'] === 'groupchat')), 20).catch(() => undefined);
    await morna.say(ROOM, 'nobody in particular', { type: 'groupchat' });
    await morna.say(ROOM, 'desk: hello there', { type: 'groupchat' });
    await morna.until('Morna: What is it?');
    await morna.say(ROOM, 'desk, again', { type: 'groupchat' });
    await morna.until('Morna: Heard 1: again');
    const events = await service.client.call('listChannelEvents', { params: params() });
    expect(events.items.some((e) => e.about.includes('nobody in particular'))).to.equal(false);
  });

  it('takes a message once that comes twice, and refuses nothing of a stranger who forges ids of others', async () => {
    const other = await person('other');
    await other.say(DESK, 'hi', { id: 'o-1' });
    await other.until('What is it?');
    await other.say(DESK, 'once', { id: 'same' });
    await other.until('Heard 1: once');
    await other.say(DESK, 'once', { id: 'same' });
    await other.say(DESK, 'mine', { id: 'isla-1' });
    await other.until('Heard 2: mine');
    expect(other.words.filter((w) => w.includes('once'))).to.deep.equal(['Heard 1: once']);
    await other.say(DESK, 'x'.repeat(9000), { id: 'large' });
    await other.until('Heard 3: xxx');
  });

  it('sends a test, and says when it cannot', async () => {
    const [isla] = people;
    await service.client.call('testChannel', { params: params(), body: { to: `isla@${XMPP_DOMAIN}`, text: 'A try' } });
    await isla?.until('A try');
    await service.client.call('updateChannel', { params: params(), body: { on: false } });
    const problem = await service.client.call('testChannel', { params: params(), body: { to: 'x' } }).catch((e: unknown) => e);
    expect(String(problem)).to.include('switched off');
    await isla?.say(DESK, 'while it was off');
    await service.client.call('updateChannel', { params: params(), body: { on: true } });
    await connected();
    await isla?.until('while it was off');
  });

  it('loses and doubles nothing while the server goes and comes back under load, and the service dies', async () => {
    const [isla, jonas] = people;
    if (!isla || !jonas) throw new Error('nobody is there');
    await isla.go();
    await jonas.go();
    const before = (await state()).conversations;
    const said: string[] = [];
    const talk = async (who: XmppPerson, round: string) => {
      await who.come();
      for (let i = 0; i < 6; i++) {
        said.push(`${who.name} ${round} ${i}`);
        await who.say(DESK, `${who.name} ${round} ${i}`, { id: `${who.name}-${round}-${i}` });
      }
    };
    await Promise.all([talk(isla, 'one'), talk(jonas, 'one')]);
    await server.stop();
    await until(async () => (await state()).line?.state === 'trouble', 60);
    await Promise.all([isla.go(), jonas.go()]);
    await server.start();
    await Promise.all([talk(isla, 'two'), talk(jonas, 'two')]);
    await service.crash();
    await connected(90);
    for (const who of [isla, jonas])
      for (const words of said.filter((s) => s.startsWith(who.name)))
        await until(() => Promise.resolve(who.words.some((w) => w.endsWith(`: ${words}`))), 60).catch(() => {
          throw new Error(`${who.name} was not answered to "${words}": ${JSON.stringify(who.words.slice(-14))}`);
        });
    const { items } = await service.client.call('listConversations', { params: { bot }, query: { limit: 50 } });
    for (const c of items.filter((x) => x.channel.id === channel)) {
      const { lines } = await service.client.call('getConversation', {
        params: { bot, conversation: c.id },
        query: { limit: 200 },
      });
      const mine = lines.items.filter((l) => l.who === 'visitor' && said.includes(l.message.text)).map((l) => l.message.text);
      expect(mine).to.deep.equal([...new Set(mine)]);
    }
    const heard = new Map<string, string>();
    for (const m of [...isla.heard, ...jonas.heard]) {
      const body = m.getChildText('body');
      const id = m.attrs['id'] ?? '';
      if (body?.startsWith('Heard')) expect(heard.get(id) ?? body, 'one id, one message').to.equal(body);
      heard.set(id, body ?? '');
    }
    expect((await state()).conversations).to.equal(before);
  });

  it('says on its page why it is not connected: a password that was changed, and a server that is away', async () => {
    await service.client.call('updateChannel', { params: params(), body: { secrets: { password: 'another one' } } });
    await until(async () => (await state()).line?.reason?.includes('does not accept the password') === true, 60);
    await service.client.call('updateChannel', { params: params(), body: { secrets: { password: PEER_PASSWORD } } });
    await connected();
    await server.stop();
    await until(async () => (await state()).line?.state === 'trouble', 60);
    expect((await state()).line?.reason).to.match(/closed the connection|nothing listens/);
    await server.start();
    await connected(90);
  });

  it('is copied, switched off, and deleted with its conversations kept', async () => {
    const copy = await service.client.call('copyChannel', { params: params(), body: { name: 'Second' } });
    expect(copy).to.deep.include({ name: 'Second', on: false, secrets: ['password'], conversations: 0 });
    await service.client.call('deleteChannel', { params: { bot, channel: copy.id } });
    const kept = (await service.client.call('listConversations', { params: { bot }, query: {} })).items.length;
    await service.client.call('deleteChannel', { params: params() });
    expect(await service.client.call('getChannel', { params: params() }).catch((e: unknown) => String(e))).to.include(
      'no such channel',
    );
    const { items } = await service.client.call('listConversations', { params: { bot }, query: {} });
    expect(items.length).to.equal(kept);
    expect(items.every((c) => c.channel.name === 'Chat server')).to.equal(true);
  });
});
