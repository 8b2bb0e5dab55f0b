import { expect } from 'chai';
import { strToU8, zipSync } from 'fflate';
import { createHash } from 'node:crypto';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { FileContent } from '@primrose/contract';
import { systemClock } from '../src/base/clock.js';
import { addressKey } from '../src/base/rate-limit.js';
import { redact } from '../src/outside/redact.js';
import { Sweeper } from '../src/retention/sweeper.js';
import { readLimits, USUAL_LIMITS } from '../src/start/limits.js';
import { openDatabase, type Db } from '../src/store/database.js';
import { pino } from 'pino';
import { botOf } from '../../core/test/harbour.js';
import { ECHO_NODES, ECHO_VARIABLES, linesWhen, pause, releasedBot, said } from './support/crowd.js';
import { problemOf } from './support/problem.js';
import { ownDatabase, startTestService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

const DAY_MS = 86_400_000;
const log = pino({ level: 'silent' });

describe('the limits', () => {
  it('are read from the environment, and each that is no number within its bounds is named', () => {
    expect(readLimits({})).to.deep.equal({ limits: USUAL_LIMITS, problems: [] });
    const { limits, problems } = readLimits({ PRIMROSE_TURN_TRIES: '7', PRIMROSE_STREAMS: '0', PRIMROSE_VALUE_SIZE: 'much' });
    expect(limits.turnTries).to.equal(7);
    expect(problems).to.deep.equal([
      'PRIMROSE_VALUE_SIZE: a whole number from 1000 to 1000000000, not "much"',
      'PRIMROSE_STREAMS: a whole number from 1 to 1000000, not "0"',
    ]);
  });

  it('count an address of IPv6 by its network, and one of IPv4 by itself however it is written', () => {
    expect(addressKey('2001:db8:1:2:3:4:5:6')).to.equal('2001:db8:1:2::/64');
    expect(addressKey('2001:0db8:0001:0002::9')).to.equal('2001:db8:1:2::/64');
    expect(addressKey('2001:db8::1')).to.equal('2001:db8:0:0::/64');
    expect(addressKey('::ffff:192.0.2.1')).to.equal('192.0.2.1');
    expect(addressKey('fe80::1%eth0')).to.equal('fe80:0:0:0::/64');
    expect(addressKey(undefined)).to.equal('');
  });

  it('let no known secret stand in a reason', () => {
    const secret = 'bot:SE/CRET';
    const told = redact(
      `https://host/${secret}/x ${encodeURIComponent(secret)} Basic ${Buffer.from(secret).toString('base64')} abc`,
      [secret, 'abc'],
    );
    expect(told).to.equal('https://host/[secret]/x [secret] Basic [secret] abc');
  });
});

describe('trust', () => {
  let service: TestService;
  let db: Db;
  before(async () => {
    const databaseUrl = await ownDatabase('trust');
    const env = {
      PRIMROSE_LOG: 'silent',
      PRIMROSE_TRUSTED_PROXIES: 'loopback',
      PRIMROSE_OPENS_A_MINUTE: '40',
      PRIMROSE_REHEARSAL_SECONDS: '2',
      PRIMROSE_TURN_STEPS: '10000000',
      PRIMROSE_TRAINING_WAIT_SECONDS: '1',
    };
    service = await startTestService({ databaseUrl, env });
    db = openDatabase(databaseUrl, 2);
  });
  after(async () => {
    await db.destroy();
    await service.stop();
  });

  const echo = () => releasedBot(service, botOf(ECHO_NODES, ECHO_VARIABLES));
  let addresses = 0;
  /** A visitor at an address of their own, as a proxy in front of the service tells it. */
  const visitorAt = (link: string, address = `10.0.${++addresses >> 8}.${addresses & 255}`) => {
    const visitor = new TestVisitor(service.address, link);
    visitor.headers = { 'x-forwarded-for': address };
    return visitor;
  };
  const count = async (table: string) => Number((await db(table).count('* as n').first())?.['n']);

  describe('of visitors', () => {
    it('keeps one small row of a chat that is only opened, and everything once somebody speaks', async () => {
      const { link, bot } = await echo();
      const before = await Promise.all(['visitors', 'conversations', 'events', 'chat_lines', 'turns'].map(count));
      const visitors = Array.from({ length: 30 }, () => visitorAt(link));
      const greetings = await Promise.all(visitors.map((v) => v.open()));
      expect(greetings.map((g) => said(g))).to.deep.equal(greetings.map(() => ['Ready.']));
      expect(await Promise.all(['visitors', 'conversations', 'events', 'chat_lines', 'turns'].map(count))).to.deep.equal(before);
      const [first, second] = visitors as [TestVisitor, TestVisitor];
      const stream = first.stream((l) => said(l).some((t) => t === '1: hello'));
      await first.say('hello');
      const { lines } = await stream;
      expect(lines.map((l) => [l.seq, l.who, l.message.text])).to.deep.equal([
        [2, 'bot', 'Ready.'],
        [3, 'visitor', 'hello'],
        [4, 'bot', '1: hello'],
      ]);
      expect((await first.open()).map((l) => l.seq)).to.deep.equal([2, 3, 4]);
      // Who comes back without having spoken finds the same chat, and may begin it anew.
      expect(said(await second.open())).to.deep.equal(['Ready.']);
      const over = second.stream(
        () => false,
        '',
        (name) => name === 'over' && (left = true),
      );
      let left = false;
      await pause(100);
      expect((await second.post('/start-over')).status).to.equal(202);
      await over;
      expect(left).to.equal(true);
      const { items } = await service.client.call('listConversations', { params: { bot }, query: {} });
      expect(items).to.have.length(1);
    });

    it('lets the oldest of too many streams of one visitor go', async () => {
      const { link } = await echo();
      const visitor = visitorAt(link);
      await visitor.open();
      let elsewhere = false;
      const oldest = visitor.stream(
        () => false,
        '',
        (name) => name === 'elsewhere' && (elsewhere = true),
      );
      await pause(150);
      const held = await Promise.all(Array.from({ length: 4 }, () => visitor.holdStream()));
      await oldest;
      expect(elsewhere).to.equal(true);
      held.forEach((h) => h.abort());
    });

    it('counts by the address that a trusted proxy tells, and says when to come back', async () => {
      const { link } = await echo();
      // What is counted is counted by the minute: a flood that begins in one and ends in the next is sent anew from another network.
      const minute = () => Math.floor(Date.now() / 60_000);
      const send = (network: number) => visitorAt(link, `2001:db8:0:${network}::7`).post('/open', {});
      const flood = async (network: number): Promise<{ network: number; answers: Awaited<ReturnType<typeof send>>[] }> => {
        const begun = minute();
        const answers = await Promise.all(Array.from({ length: 60 }, () => send(network)));
        return begun === minute() ? { network, answers } : flood(network + 2);
      };
      const { network, answers } = await flood(1);
      const refused = answers.filter((a) => a.status === 429);
      expect(refused).to.have.length(20);
      expect(refused.every((a) => Number(a.retryAfter) >= 1 && Number(a.retryAfter) <= 60)).to.equal(true);
      expect((await visitorAt(link, `2001:db8:0:${network}:ffff::1`).post('/open', {})).status).to.equal(429);
      expect((await visitorAt(link, `2001:db8:0:${network + 1}::1`).post('/open', {})).status).to.equal(200);
    });

    it('stores a press with its words, and refuses a button that was never offered', async () => {
      const nodes = {
        pick: { kind: 'choice', says: 'Which?', choices: [{ id: 'dog', says: 'A dog' }], exits: { dog: 'told', other: 'told' } },
        told: { kind: 'say', says: 'You said {{ turn.text }}.', exits: { said: 'pick' } },
      };
      const { link } = await releasedBot(service, botOf(nodes));
      const visitor = visitorAt(link);
      await visitor.open();
      const wrong = await visitor.post('/messages', { id: 'a', choice: 'cat' });
      expect([wrong.status, wrong.body['detail']]).to.deep.equal([
        422,
        'The bot has offered no button "cat". Send the id of one of its last choices, or a text.',
      ]);
      await visitor.post('/messages', { id: 'b', choice: 'dog' });
      const lines = await visitor.until('You said');
      expect(lines.map((l) => l.message.text)).to.include.members(['A dog', 'You said A dog.']);
    });

    it('opens nobody’s conversation on a messenger with a key that is made up', async () => {
      const { bot, link } = await echo();
      const { channel, hook } = await connected(bot);
      await send(hook, [{ id: 'm1', from: '771001', text: 'hello' }]);
      const key = `${channel} 771001`;
      const visitor = visitorAt(link);
      expect((await visitor.post('/open', { key })).status).to.equal(422);
      visitor.key = key;
      expect((await visitor.say('read')).status).to.equal(401);
      // Also where the key itself could be one: the same hash under the other kind is somebody else.
      const hash = createHash('sha256').update(key).digest('hex');
      const [sender] = await db('visitors').where({ key_hash: hash }).select('kind');
      expect(sender).to.deep.equal({ kind: 'sender' });
    });
  });

  /** Connects a plain messenger to a bot. */
  const connected = async (bot: string) => {
    const profile = {
      events: 'body.list',
      event: { id: 'item.id', sender: 'item.from', text: 'item.text' },
      calls: { address: 'http://127.0.0.1:9/api', message: { post: '/send/{{ to }}', body: { text: '{{ text }}' } } },
    };
    const body = { kind: 'hook-messenger' as const, name: 'Plain', profile };
    const made = await service.client.call('createChannel', { params: { bot }, body });
    return { channel: made.id, hook: made.link };
  };
  const send = (hook: string, list: unknown[]) =>
    fetch(hook, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ list }) });

  describe('of webhooks', () => {
    it('bounds what one brings: events, ids, senders, words', async () => {
      const { bot } = await echo();
      const { channel, hook } = await connected(bot);
      const many = Array.from({ length: 500 }, (_, i) => ({ id: `x${i}`, from: 'a', text: 'x' }));
      expect(await (await send(hook, many)).json()).to.include({ taken: 0, passedOver: 1 });
      expect((await send(hook, [{ id: 'l', from: 'b'.repeat(300), text: 'x' }])).status).to.equal(200);
      expect((await send(hook, [{ id: 'i'.repeat(9000), from: 'b', text: 'x' }])).status).to.equal(200);
      expect(await (await send(hook, [{ id: 'w', from: 'c', text: 'word '.repeat(20_000) }])).json()).to.include({ taken: 1 });
      const { items } = await service.client.call('listChannelEvents', { params: { bot, channel } });
      const about = items.map((e) => e.about);
      expect(about).to.include('the mapping does not fit, /events: there are 500; at most 100 are taken at once');
      expect(about).to.include('the mapping does not fit, /event/sender: it has 300 characters, which no sender has');
      const longest = Math.max(...(await db('events').select('event')).map((e: { event: string }) => e.event.length));
      expect(longest).to.be.lessThan(10_000);
    });
  });

  describe('of operators', () => {
    it('deletes what has been kept for its time, kind by kind and bot by bot, and nothing else', async () => {
      const [short, usual] = [await echo(), await echo()];
      const params = { bot: short.bot };
      const set = await service.client.call('setRetention', { params, body: { sheets: 5, conversations: 50, events: null } });
      expect(set.items.filter((k) => k.days !== null).map((k) => [k.kind, k.days])).to.deep.equal([
        ['conversations', 50],
        ['sheets', 5],
      ]);
      const talk = async (link: string) => {
        const one = visitorAt(link);
        await one.open();
        await one.say('hello');
        await one.until('1: hello');
        await one.say('again');
        await one.until('2: again');
        return one;
      };
      const remembered = await talk(short.link);
      await talk(usual.link);
      const made = Date.now();
      const round = (days: number) => {
        const clock = { ...systemClock, now: () => new Date(made + days * DAY_MS) };
        return new Sweeper({ db, clock, log, everyMinutes: 60 }).sweep();
      };
      const left = async (bot: string) => {
        const [conversation] = await db('conversations').where({ bot_id: bot }).select('id');
        const of = async (table: string) =>
          Number(
            (
              await db(table)
                .where({ conversation_id: conversation?.id ?? '' })
                .count('* as n')
                .first()
            )?.['n'],
          );
        return { turns: await of('turns'), lines: await of('chat_lines'), events: await of('events') };
      };
      expect(await left(short.bot)).to.deep.equal({ turns: 3, lines: 5, events: 3 });
      await round(6);
      expect(await left(short.bot)).to.deep.equal({ turns: 0, lines: 5, events: 3 });
      expect(await left(usual.bot)).to.deep.equal({ turns: 3, lines: 5, events: 3 });
      await round(31);
      expect(await left(short.bot)).to.deep.equal({ turns: 0, lines: 5, events: 1 });
      await round(51);
      expect(await left(short.bot)).to.deep.equal({ turns: 0, lines: 0, events: 0 });
      expect((await left(usual.bot)).lines).to.equal(5);
      // The visitor outlives the conversation, and begins another one under the same key.
      const { key } = remembered;
      await remembered.open();
      expect(remembered.key).to.equal(key);
      await remembered.say('back');
      await remembered.until('1: back');
      const [visitor] = (await service.client.call('listVisitors', { params, query: {} })).items;
      expect([visitor?.conversations, visitor?.variables]).to.deep.equal([1, 1]);
      await service.client.call('deleteBot', { params });
      await round(82);
      expect(await db('bots').where({ id: short.bot }).first()).to.equal(undefined);
      expect(await db('releases').where({ bot_id: short.bot }).first()).to.equal(undefined);
      expect(await db('openings').first()).to.equal(undefined);
    });

    it('shows what is kept of one visitor, and erases it everywhere', async () => {
      const { bot, link } = await releasedBot(
        service,
        botOf(
          {
            ask: {
              kind: 'ask',
              says: 'Name?',
              expects: 'text',
              into: 'visitor.name',
              exits: { answered: 'end', 'gave-up': 'end' },
            },
            end: { kind: 'end', says: 'Thanks.' },
          },
          { variables: { visitor: { name: 'text' } } },
        ),
      );
      const [one, other] = [visitorAt(link), visitorAt(link)];
      for (const v of [one, other]) {
        await v.open();
        await v.say('Mo');
        await v.until('Thanks.');
      }
      const { items } = await service.client.call('listVisitors', { params: { bot }, query: {} });
      expect(items.map((v) => [v.by, v.conversations, v.variables])).to.deep.equal([
        ['key', 1, 1],
        ['key', 1, 1],
      ]);
      const visitor = items[1]?.id ?? '';
      const kept = await service.client.call('getVisitor', { params: { bot, visitor } });
      expect(kept.values).to.deep.equal({ name: 'Mo' });
      expect(kept.items.map((c) => [c.channel, c.lines, c.turns, c.events])).to.deep.equal([['web-chat', 3, 2, 2]]);
      await service.client.call('eraseVisitor', { params: { bot, visitor } });
      expect((await problemOf(service.client.call('getVisitor', { params: { bot, visitor } }))).code).to.equal('not-found');
      const id = kept.items[0]?.id ?? '';
      for (const table of ['chat_lines', 'turns', 'events', 'deliveries'])
        expect(await db(table).where({ conversation_id: id }).first(), table).to.equal(undefined);
      expect((await one.say('hello?')).body['code']).to.equal('visitor-unknown');
      expect((await other.say('hello?')).status).to.equal(202);
    });

    it('sees an event that was put aside, and has it answered after all', async () => {
      const { bot, link } = await echo();
      const visitor = visitorAt(link);
      await visitor.open();
      await visitor.say('one');
      await visitor.until('1: one');
      // As often as a process could have died over what comes next.
      await db('conversations').where({ bot_id: bot }).update({ tries: 50 });
      await visitor.say('two');
      const notice = await visitor.stream((l) => l.some((x) => x.who === 'notice'));
      expect(notice.lines.at(-1)?.message.text).to.contain('could not be answered');
      const { items } = await service.client.call('listAside', { params: { bot }, query: {} });
      expect(items.map((a) => [a.said, a.tries, a.againAt])).to.deep.equal([['two', 51, null]]);
      expect(items[0]?.reason).to.contain('ended before it was done');
      const params = { bot, event: items[0]?.event ?? '' };
      await service.client.call('tryAsideAgain', { params });
      await visitor.until('2: two');
      expect((await problemOf(service.client.call('tryAsideAgain', { params }))).code).to.equal('not-aside');
    });

    it('hands out turn sheets in pages that are bounded in bytes', async () => {
      const big = 'x'.repeat(3000);
      const nodes = {
        ask: { kind: 'ask', says: 'And?', expects: 'text', into: 'flow.t', exits: { answered: 'keep', 'gave-up': 'keep' } },
        keep: {
          kind: 'set',
          sets: [
            { into: 'session.all', add: '{{ flow.t }}' },
            { into: 'flow.t', to: null },
          ],
          exits: { done: 'ask' },
        },
      };
      const { bot, link } = await releasedBot(service, botOf(nodes, { variables: { session: { all: 'list' } } }));
      const visitor = visitorAt(link);
      await visitor.open();
      for (let i = 0; i < 50; i++) await visitor.say(`${i} ${big}`);
      await visitor.stream((l) => l.filter((x) => x.who === 'bot').length === 51);
      const [row] = await db('turns as t')
        .join('conversations as c', 'c.id', 't.conversation_id')
        .where('c.bot_id', bot)
        .sum({ bytes: db.raw('LENGTH(sheet)') })
        .count({ n: '*' });
      // Sheets tell what changed, and not all that is held again and again.
      expect(Number(row?.['n'])).to.equal(51);
      expect(Number(row?.['bytes'])).to.be.lessThan(3_000_000);
      const { items } = await service.client.call('listConversations', { params: { bot }, query: {} });
      const params = { bot, conversation: items[0]?.id ?? '' };
      const page = await service.client.call('listTurns', { params, query: { limit: 20 } });
      expect([page.items.length, page.next]).to.deep.equal([20, '20']);
      const rest = await service.client.call('listTurns', { params, query: { after: '40' } });
      expect([rest.items.length, rest.next]).to.deep.equal([11, null]);
    });

    it('lets no secret stand in what is kept of a call that failed', async () => {
      const { bot } = await echo();
      const body = {
        kind: 'hook-messenger' as const,
        name: 'Odd',
        profile: {
          event: { id: 'body.i', sender: 'body.f', text: 'body.t' },
          calls: { address: 'http://127.0.0.1:9', message: { post: '/bot{{ secret.token }}/send', body: {} } },
        },
        secrets: { token: 'SESAME-OPEN' },
      };
      const wrong = { ...body, profile: { ...body.profile, calls: { ...body.profile.calls, address: 'https://host:99999/x' } } };
      expect((await problemOf(service.client.call('createChannel', { params: { bot }, body: wrong }))).detail).to.contain(
        'an address such as',
      );
      const made = await service.client.call('createChannel', { params: { bot }, body });
      await fetch(made.link, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ i: '1', f: 'f', t: 'hello' }),
      });
      const list = async () => (await service.client.call('listChannelEvents', { params: { bot, channel: made.id } })).items;
      for (let i = 0; i < 50 && !(await list()).some((e) => e.direction === 'out'); i++) await pause(100);
      const out = (await list()).filter((e) => e.direction === 'out');
      expect(out.length).to.be.greaterThan(0);
      expect(JSON.stringify(out)).to.not.contain('SESAME');
    });
  });

  describe('of what people import', () => {
    const asZip = (bytes: Uint8Array<ArrayBuffer>): FileContent => ({ bytes, type: 'application/zip' });
    const zip = (entries: Record<string, string>) =>
      asZip(
        new Uint8Array(
          zipSync(Object.fromEntries(Object.entries(entries).map(([name, text]) => [name, strToU8(text)])), { level: 9 }),
        ),
      );
    const refusal = (file: FileContent) => problemOf(service.client.upload('importNewBot', {}, file));
    const bot = 'primrose: 1\nbot: x\nname: X\nlanguages: [en]\nzone: UTC\nbegins: main\n';

    it('survives files that unfold to very much', async () => {
      const list = zip({ 'bot.yaml': `${bot}about: [${'[],'.repeat(650_000)}]` });
      expect(list.bytes.length).to.be.lessThan(50_000);
      expect((await refusal(list)).status).to.be.within(400, 499);
      const large = zip({ 'bot.yaml': `${bot}about: ${'x'.repeat(6_000_000)}` });
      expect((await refusal(large)).detail).to.contain('bot.yaml, line 1: it has 6000');
      const deep = zip({ 'bot.yaml': `${bot}about: ${'['.repeat(200_000)}` });
      expect((await refusal(deep)).status).to.be.within(400, 499);
      expect((await service.client.call('health', {})).ready).to.equal(true);
    });

    it('refuses aliases, with the line', async () => {
      const laughs = `${bot}about: &a [x]\nidle: *a\n`;
      expect((await refusal(zip({ 'bot.yaml': laughs }))).detail).to.equal(
        'bot.yaml, line 8: "*a" stands for a value elsewhere in the file, which is not taken here; write the value itself, or put a text that begins with * in quotes. Nothing was imported.',
      );
    });

    it('believes no size that a zip tells of itself', async () => {
      const honest = zipSync({ 'bot.yaml': strToU8(' '.repeat(30_000_000)) }, { level: 9 });
      const lying = Buffer.from(honest);
      // The uncompressed size stands in the local header and in the central directory.
      for (let at = lying.indexOf('PK\u0003\u0004'); at >= 0; at = -1) lying.writeUInt32LE(100, at + 22);
      const central = lying.indexOf('PK\u0001\u0002');
      lying.writeUInt32LE(100, central + 24);
      expect((await refusal(asZip(new Uint8Array(lying)))).code).to.equal('too-large');
    });
  });

  describe('of what is answered', () => {
    it('does not take a web page for data, nor an answer of another type', async () => {
      const answers: { type: string; body: string }[] = [];
      const server = createServer((_req, res) => {
        const { type, body } = answers.shift() ?? { type: 'text/plain', body: '' };
        res.writeHead(200, { 'content-type': type }).end(body);
      });
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
      const nodes = {
        call: { kind: 'action', runs: 'office.get', into: 'flow.n', exits: { done: 'ok', failed: 'no' } },
        ok: { kind: 'end', says: 'It is {{ flow.n }}.' },
        no: { kind: 'end', says: '{{ turn.failure.reason }} | {{ turn.failure.says }}' },
      };
      const connections = {
        office: { address, actions: { get: { get: '/n', gives: { n: '{{ answer.n }}' }, types: { n: 'number' } } } },
      };
      const { bot } = await service.client.call('createBot', {
        body: { from: 'document', document: botOf(nodes, { connections }) as never },
      });
      const run = async (type: string, body: string) => {
        answers.push({ type, body });
        const turn = await service.client.call('openSimulation', {
          params: { bot: bot.id },
          body: { outside: { office: 'real' } },
        });
        return turn.sheet.messages[0]?.text ?? '';
      };
      try {
        expect(await run('application/json', '{"n":7}')).to.equal('It is 7.');
        expect(await run('text/html', '<h1>Sign in</h1>'))
          .to.contain('web page')
          .and.contain('something is wrong on our side');
        expect(await run('application/json', '{"n":"seven"}')).to.contain('should be number, but is');
        expect(await run('application/json', '{}')).to.contain('its answer has no');
      } finally {
        server.close();
      }
    });

    it('counts a rehearsal that does not come to its end as failed', async () => {
      // Half a minute of work and more, also on a machine that is ten times as quick as ours.
      const list = `[${Array.from({ length: 100 }, (_, i) => i).join(', ')}]`;
      const sets = Array.from({ length: 100 }, () => ({
        into: 'flow.x',
        to: `{{ ${list}.map(a, ${list}.map(b, a * b)).size() > 0 }}`,
      }));
      const nodes = {
        work: { kind: 'set', sets, exits: { done: 'ask' } },
        ask: { kind: 'ask', says: 'And?', expects: 'text', into: 'flow.t', exits: { answered: 'work', 'gave-up': 'work' } },
      };
      const slow = { turns: [{ opens: true }, ...Array.from({ length: 299 }, () => ({ says: 'go on' }))] };
      const quick = { turns: [{ opens: true }] };
      const document = botOf(nodes, { rehearsals: { slow, quick } });
      const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
      const run = await service.client.call('runRehearsals', { params: { bot: bot.id }, body: {} });
      const items = Object.fromEntries(run.items.map((i) => [i.rehearsal, i]));
      expect([items['quick']?.passed, items['slow']?.passed, run.failed]).to.deep.equal([true, false, 1]);
      expect(items['slow']?.problem).to.equal('It was not run to its end: it took longer than 2 s.');
      expect(
        (await problemOf(service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } }))).code,
      ).to.equal('rehearsals-failed');
    });
  });

  it('keeps nobody waiting for a bot that takes long to learn, and says so in the sheet', async () => {
    let seed = 1;
    const chance = () => (seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) / 2 ** 32;
    const word = () =>
      Array.from({ length: 3 + Math.floor(chance() * 8) }, () => 'abcdefghijklmnopqrstuvwxyz'[Math.floor(chance() * 26)]).join(
        '',
      );
    const phrases = (n: number) => Array.from({ length: n }, () => Array.from({ length: 6 }, word).join(' '));
    const nodes = {
      hear: { kind: 'listen', says: 'Yes?', hears: ['go'], exits: { go: 'went', unmatched: 'lost' } },
      went: { kind: 'end', says: 'Going.' },
      lost: { kind: 'end', says: 'What?' },
    };
    const taught = (n: number) =>
      botOf(nodes, {
        intents: {
          go: { phrases: { en: ['let us go', ...phrases(n)] } },
          ...Object.fromEntries(Array.from({ length: 8 }, (_, i) => [`i-${i}`, { phrases: { en: phrases(n) } }])),
        },
      });
    const big = await releasedBot(service, taught(2000));
    const visitor = visitorAt(big.link);
    await visitor.open();
    await visitor.say('let us go');
    await visitor.until('Going.');
    const { items } = await service.client.call('listConversations', { params: { bot: big.bot }, query: {} });
    const turns = await service.client.call('listTurns', {
      params: { bot: big.bot, conversation: items[0]?.id ?? '' },
      query: {},
    });
    // It was answered while the bot still learned: nobody waited for that.
    expect(turns.items.at(-1)?.sheet.understood).to.include({ learning: true });
    const small = await releasedBot(service, taught(10));
    const other = visitorAt(small.link);
    await other.open();
    await other.say('let us go');
    await other.until('Going.');
    await linesWhen(other, (l) => said(l).includes('Going.'));
    for (let i = 0; i < 100 && (await count('classifiers')) === 0; i++) await pause(100);
    expect(await count('classifiers')).to.be.greaterThan(0);
  });
});
