import { expect } from 'chai';
import { startIrc, type Peer } from '../../../scripts/lib/peers.mjs';
import { peerBot, releasedPeerBot } from './support/peer-bot.js';
import { IrcPerson } from './support/peers.js';
import { DATABASE_URL, startTestService, type TestService } from './support/service.js';
import { until } from './support/until.js';

describe('IRC, against ngircd', () => {
  let server: Peer;
  let service: TestService;
  let bot = '';
  let channel = '';
  const people: IrcPerson[] = [];
  const person = async (nick: string): Promise<IrcPerson> => {
    const made = new IrcPerson(nick, server.port);
    people.push(made);
    await made.come();
    return made;
  };
  const params = () => ({ bot, channel });
  const state = () => service.client.call('getChannel', { params: params() });
  const connected = (seconds = 90) => until(async () => (await state()).line?.state === 'connected', seconds);

  before(async () => {
    server = await startIrc();
    service = await startTestService({ databaseUrl: DATABASE_URL });
    bot = await releasedPeerBot(service.client);
    const made = await service.client.call('createChannel', {
      params: { bot },
      body: {
        kind: 'irc',
        name: 'Old harbour',
        settings: { host: '127.0.0.1', port: server.port, tls: false, nick: 'desk', rooms: ['#harbour'] },
      },
    });
    channel = made.id;
    expect(made.link).to.equal(`irc://127.0.0.1:${server.port}/desk,isnick`);
    await connected();
  });
  after(async () => {
    people.forEach((p) => p.go());
    await service.stop();
    await server.end();
  });

  it('answers whoever writes, a line a message, with numbers for what can be chosen', async () => {
    const isla = await person('isla');
    isla.say('desk', 'hi there');
    await isla.until('desk', 'What is it?');
    isla.say('desk', 'menu');
    await isla.until('desk', '2. the Wrackline');
    isla.say('desk', '1');
    await isla.until('desk', 'You took the sandpiper.');
    isla.say('desk', 'picture');
    await isla.until('desk', 'Here: [the boat: https://pictures.example/boat.png] today');
  });

  it('splits a long text into lines that the protocol takes, in order, and none is lost', async () => {
    const jonas = await person('jonas');
    jonas.say('desk', 'hi there');
    await jonas.until('desk', 'What is it?');
    jonas.say('desk', 'long');
    await jonas.until('desk', 'The end.');
    const said = jonas
      .words('desk')
      .filter((w) => w !== 'What is it?')
      .join(' ');
    expect(said).to.equal(`${'All boats of the line sail today, as they do on every day. '.repeat(40)}The end.`);
    expect(Math.max(...jonas.lines.map((l) => Buffer.byteLength(l)))).to.be.at.most(510);
  });

  it('answers in a room whoever names it, and nobody else', async () => {
    const tamsin = await person('tamsin');
    tamsin.raw('JOIN #harbour');
    await until(() => Promise.resolve(tamsin.lines.some((l) => l.includes(' 366 tamsin #harbour'))), 20);
    tamsin.say('#harbour', 'what a day');
    tamsin.say('#harbour', 'desk: hello you');
    await tamsin.until('desk', 'tamsin: What is it?', { to: '#harbour' });
    expect(tamsin.words('desk', '#harbour')).to.have.length(1);
  });

  it('never answers a notice, and reads no colours and no commands in what is said', async () => {
    const morna = await person('morna');
    morna.raw('NOTICE desk :I am a program');
    morna.say('desk', '\u0002bold\u0002 and \u00034red\u0003 words');
    await morna.until('desk', 'What is it?');
    morna.say('desk', 'again \u00034red\u0003');
    await morna.until('desk', 'Heard 1: again red');
    morna.say('desk', '\u0001VERSION\u0001');
    morna.raw(`PRIVMSG desk :${'x'.repeat(400)}`);
    await morna.until('desk', 'Heard 2: xxx');
    expect(morna.words('desk').filter((w) => w.includes('VERSION') || w.includes('program'))).to.deep.equal([]);
  });

  it('knows somebody by more than a nickname, which anybody can have', async () => {
    const first = await person('piet');
    first.say('desk', 'hi there');
    await first.until('desk', 'What is it?');
    first.say('desk', 'menu');
    await first.until('desk', '1. the Sandpiper');
    first.say('desk', '1');
    await first.until('desk', 'You took the sandpiper.');
    first.go();
    const other = new IrcPerson('piet', server.port);
    people.push(other);
    // The same nickname, of another user.
    await other.come('stranger');
    other.say('desk', 'good day');
    await other.until('desk', 'What is it?');
    other.say('desk', 'my boat');
    await other.until('desk', 'Your boat: none.');
  });

  it('says so where nobody is called so, and goes on', async () => {
    const problem = await service.client
      .call('testChannel', { params: params(), body: { to: 'nobodyhere' } })
      .catch((e: unknown) => String(e));
    expect(problem).to.include('nobody is called nobodyhere');
    await service.client.call('testChannel', { params: params(), body: { to: 'isla', text: 'A try' } });
    await people[0]?.until('desk', 'A try');
  });

  it('serves the release that is live now, however long it has been connected', async () => {
    const document = peerBot() as unknown as { flows: { main: { nodes: Record<string, { says?: string }> } } };
    (document.flows.main.nodes['hear'] ?? {}).says = 'And now?';
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const patch = [{ op: 'replace' as const, path: '/flows', value: document.flows as never }];
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch } });
    await service.client.call('createRelease', { params: { bot }, body: { note: 'second' } });
    const late = await person('late');
    late.say('desk', 'hi there');
    await late.until('desk', 'And now?');
    await service.client.call('updateChannel', { params: params(), body: { serves: 1 } });
  });

  it('comes back when the server does, and sends then what waited', async () => {
    const isla = people[0];
    if (!isla) throw new Error('nobody is there');
    isla.say('desk', 'before it went');
    await isla.until('desk', 'before it went');
    await server.kill();
    await until(async () => (await state()).line?.state === 'trouble', 60);
    // Something that is to be said while there is no line.
    const conversation = (await service.client.call('listConversations', { params: { bot }, query: {} })).items.find(
      (c) => c.visitor === 'isla',
    );
    expect(conversation).to.not.equal(undefined);
    people.splice(0).forEach((p) => p.go());
    await server.start();
    await connected();
    const again = await person('isla');
    again.say('desk', 'after it came');
    await again.until('desk', 'after it came');
    expect(again.words('desk').filter((w) => w.includes('after it came'))).to.have.length(1);
  });

  it('tells that somebody else has its nickname', async () => {
    const made = await service.client.call('createChannel', {
      params: { bot },
      body: { kind: 'irc', name: 'Twin', settings: { host: '127.0.0.1', port: server.port, tls: false, nick: 'isla' } },
    });
    const line = async () => (await service.client.call('getChannel', { params: { bot, channel: made.id } })).line;
    await until(async () => (await line())?.reason?.includes('is called isla') === true, 60);
    await service.client.call('deleteChannel', { params: { bot, channel: made.id } });
  });
});
