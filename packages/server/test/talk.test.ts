import { CHAT_SETTINGS } from '@primrose/contract';
import { expect } from 'chai';
import { createHash } from 'node:crypto';
import { createConnection } from 'mysql2/promise';
import {
  createClient,
  endpoints,
  fillPath,
  type ChatLine,
  type Endpoint,
  type EndpointName,
  type TurnRecord,
} from '@primrose/contract';
import type { BotDocument } from '@primrose/core';
import { botOf, demoDocument } from '../../core/test/harbour.js';
import { DATABASE_URL, theService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

const texts = (lines: readonly ChatLine[], who = 'bot') => lines.filter((l) => l.who === who).map((l) => l.message.text);

describe('talking to a bot', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });
  afterEach(() => switches({}));

  const switches = (body: Record<string, unknown>) => service.switches(body);
  const create = async (document: BotDocument) => {
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
    if (document.connections?.['booking-office'])
      await service.client.call('setConnection', {
        params: { bot: bot.id, connection: 'booking-office' },
        body: { address: service.office, standIn: service.office },
      });
    return bot.id;
  };
  const released = async (document: BotDocument) => {
    const bot = await create(document);
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    return { bot, channel, visitor: () => new TestVisitor(service.address, channel?.link ?? '') };
  };
  const simulate = async (bot: string, said: readonly string[]): Promise<TurnRecord> => {
    let turn = await service.client.call('openSimulation', { params: { bot }, body: {} });
    for (const text of said)
      turn = await service.client.call('saySimulation', {
        params: { bot, conversation: turn.conversation },
        body: { id: crypto.randomUUID(), text },
      });
    return turn;
  };
  const bookings = async () => ((await (await fetch(`${service.office}/`)).text()).match(/<b>[A-Z]{3}\d{4}<\/b>/g) ?? []).length;
  const TO_SAILINGS = ['find a crossing', 'kelpwick', 'tarn holm', '2031-05-16', 'car'];
  const TO_BOOKING = [...TO_SAILINGS, '1', 'yes', 'Mo'];

  describe('in the simulator', () => {
    it('books through the real API and shows what went out and came back', async () => {
      const before = await bookings();
      const turn = await simulate(await create(demoDocument()), TO_BOOKING);
      expect(await bookings()).to.equal(before + 1);
      const [call] = turn.sheet.effects;
      expect(call?.request).to.deep.include({
        method: 'POST',
        body: { sailing: 'kelpwick_tarn-holm_2031-05-16_0720', name: 'Mo', vehicle: 'car' },
      });
      expect(call?.result).to.include({ outcome: 'answered', status: 201 });
      expect(turn.timings).to.have.length(turn.sheet.path.length);
      expect(turn.sheet.changes.map((c) => c.name)).to.include.members([
        'visitor.first_name',
        'flow.booking',
        'session.last_reference',
      ]);
    });

    for (const [name, setting, reason] of [
      ['fails', { fail: 'always' }, 'answered with status 503'],
      ['is too slow', { delay_ms: 4600 }, 'did not answer within 4 s'],
      ['answers with broken JSON', { odd: 'not-json' }, 'cannot be read as JSON'],
    ] as const) {
      it(`says so when the office ${name}`, async () => {
        const bot = await create(demoDocument());
        await switches(setting);
        const turn = await simulate(bot, TO_SAILINGS);
        expect(turn.sheet.messages[0]?.text).to.contain('cannot reach the booking office');
        expect(JSON.stringify(turn.sheet.problems)).to.contain(reason);
      });
    }

    it('survives an answer of another shape', async () => {
      const bot = await create(demoDocument());
      await switches({ odd: 'wrong-shape' });
      const turn = await simulate(bot, TO_SAILINGS);
      expect(turn.sheet.path.at(-1)?.node).to.equal('offer');
      expect(turn.sheet.messages[0]?.choices?.map((c) => c.id)).to.deep.equal(['another-day']);
    });

    it('refuses addresses in private networks', async () => {
      const bot = await create(demoDocument());
      await service.client.call('setConnection', {
        params: { bot, connection: 'booking-office' },
        body: { address: 'http://10.0.0.1', standIn: 'http://10.0.0.1' },
      });
      expect(JSON.stringify((await simulate(bot, TO_SAILINGS)).sheet.problems)).to.contain('private address');
    });

    it('follows the draft from turn to turn', async () => {
      const bot = await create(demoDocument());
      const first = await service.client.call('openSimulation', { params: { bot }, body: {} });
      await service.client.call('patchDraft', {
        params: { bot },
        body: { revision: 1, patch: [{ op: 'replace', path: '/flows/welcome/nodes/ask-origin/says/en', value: 'Whence?' }] },
      });
      const body = { id: 'a1', text: 'find a crossing' };
      const turn = await service.client.call('saySimulation', { params: { bot, conversation: first.conversation }, body });
      expect(turn.sheet.messages[0]?.text).to.equal('Whence?');
      const repeat = await service.client.call('saySimulation', { params: { bot, conversation: first.conversation }, body });
      expect(repeat.number).to.equal(turn.number);
      expect(
        (await service.client.call('listTurns', { params: { bot, conversation: first.conversation } })).items,
      ).to.have.length(2);
    });
  });

  describe('in web chat', () => {
    it('opens, answers by stream, resumes after a cut, and remembers the visitor', async () => {
      const { visitor: make } = await released(demoDocument());
      const visitor = make();
      await visitor.open();
      await visitor.until('What can I do');
      await visitor.say('find a crossing');
      const first = await visitor.stream((l) => l.some((x) => x.message.text.includes('leave from')));
      await visitor.say('kelpwick');
      const rest = await visitor.stream((l) => texts(l).length > 0, first.lastId);
      expect(texts(rest.lines)).to.deep.equal(['And where to?']);
      const back = make();
      back.key = visitor.key;
      expect(texts(await back.open())).to.deep.equal(texts(await visitor.until('where to')));
    });

    it('takes the same message once, however often it comes', async () => {
      const { visitor: make } = await released(demoDocument());
      const visitor = make();
      await visitor.open();
      await visitor.until('What can I do');
      const answers = await Promise.all(Array.from({ length: 5 }, () => visitor.say('find a crossing', 'same-id')));
      expect(answers.map((a) => a.status)).to.deep.equal([202, 202, 202, 202, 202]);
      expect(answers.filter((a) => a.body['repeat'] === false)).to.have.length(1);
      const lines = await visitor.until('leave from');
      expect(texts(lines, 'visitor')).to.have.length(1);
    });

    it('answers twenty messages sent at once in the order in which they were accepted', async () => {
      const echo = botOf({
        a: { kind: 'ask', says: 'Say on.', expects: 'text', into: 'flow.t', exits: { answered: 'b', 'gave-up': 'b' } },
        b: { kind: 'say', says: 'Heard {{ flow.t }}', exits: { said: 'a' } },
      });
      const { visitor: make } = await released(echo);
      const visitor = make();
      await visitor.open();
      const sent = await Promise.all(Array.from({ length: 20 }, (_, i) => visitor.say(`m${i}`)));
      expect(sent.map((s) => s.status)).to.deep.equal(Array(20).fill(202));
      const { lines } = await visitor.stream((l) => texts(l).filter((t) => t.startsWith('Heard')).length === 20);
      const said = texts(lines, 'visitor');
      expect(texts(lines).filter((t) => t.startsWith('Heard'))).to.deep.equal(said.map((s) => `Heard ${s}`));
    });

    it('lets nobody read another’s conversation', async () => {
      const { visitor: make } = await released(demoDocument());
      const [a, b] = [make(), make()];
      await a.open();
      await b.open();
      await a.until('What can I do');
      await a.say('find a crossing');
      await a.until('leave from');
      expect(texts(await b.until('What can I do')).join()).to.not.contain('leave from');
      const forged = make();
      forged.key = 'x'.repeat(43);
      expect((await forged.say('hello')).body['code']).to.equal('visitor-unknown');
      const other = await released(demoDocument());
      const stranger = other.visitor();
      stranger.key = a.key;
      expect((await stranger.say('hello')).status).to.equal(401);
    });

    it('keeps a conversation on its release, and begins a new one on the latest', async () => {
      const { bot, visitor: make } = await released(demoDocument());
      const visitor = make();
      await visitor.open();
      await visitor.until('What can I do');
      const patch = [{ op: 'replace', path: '/flows/welcome/nodes/ask-origin/says/en', value: 'Whence?' }] as const;
      await service.client.call('patchDraft', { params: { bot }, body: { revision: 1, patch: [...patch] } });
      await service.client.call('createRelease', { params: { bot }, body: { note: 'shorter', despite: 'its words are new' } });
      await visitor.say('find a crossing');
      await visitor.until('Which port do you leave from?');
      await visitor.post('/start-over');
      await visitor.until('What can I do');
      await visitor.say('find a crossing');
      await visitor.until('Whence?');
    });

    it('greets by name in the next conversation', async () => {
      const { visitor: make } = await released(demoDocument());
      const visitor = make();
      await visitor.open();
      await visitor.until('What can I do');
      for (const text of TO_BOOKING) await visitor.say(text);
      await visitor.until('Goodbye');
      await visitor.post('/start-over');
      expect(texts(await visitor.until('What can I do'))[0]).to.contain('Mo');
    });

    it('is silent while it is switched off, unreleased or deleted', async () => {
      const unreleased = await create(demoDocument());
      const [channel] = (await service.client.call('listChannels', { params: { bot: unreleased } })).items;
      const visitor = new TestVisitor(service.address, channel?.link ?? '');
      expect((await visitor.post('/open', {})).body['code']).to.equal('no-release');
      const { bot, channel: on, visitor: make } = await released(demoDocument());
      await service.client.call('updateChannel', { params: { bot, channel: on?.id ?? '' }, body: { on: false } });
      expect((await make().post('/open', {})).body['code']).to.equal('channel-off');
      await service.client.call('deleteBot', { params: { bot } });
      expect((await make().post('/open', {})).body['code']).to.equal('not-found');
    });

    it('answers an accepted message after a crash in the middle of its turn, and books once', async () => {
      const { visitor: make } = await released(demoDocument());
      const visitor = make();
      await visitor.open();
      await visitor.until('What can I do');
      for (const text of TO_BOOKING.slice(0, -1)) await visitor.say(text);
      await visitor.until('first name');
      const before = await bookings();
      await switches({ delay_ms: 1500 });
      await visitor.say('Mo');
      await visitor.until('One moment');
      await service.crash();
      await switches({});
      const lines = await visitor.stream((l) => texts(l).some((t) => t.includes('You are booked') || t.includes('cannot reach')));
      expect(texts(lines.lines).filter((t) => t.startsWith('One moment'))).to.have.length(1);
      expect(await bookings()).to.be.at.most(before + 1);
      const again = createClient({ address: service.address, token: service.token });
      expect((await again.call('health', {})).ready).to.equal(true);
    });
  });

  it('shows another person’s bots to nobody', async () => {
    const bot = await create(demoDocument());
    const db = await createConnection(DATABASE_URL);
    const stranger = crypto.randomUUID();
    const secret = `prt_${'s'.repeat(43)}`;
    const hash = createHash('sha256').update(secret).digest('hex');
    await db.query('INSERT INTO people (id, name, created_at) VALUES (?, ?, NOW())', [stranger, 'Stranger']);
    await db.query('INSERT INTO tokens (id, person_id, name, hash, created_at) VALUES (?, ?, ?, ?, NOW())', [
      stranger,
      stranger,
      'x',
      hash,
    ]);
    await db.end();
    const other = createClient({ address: service.address, token: secret });
    expect((await other.call('listBots', {})).items).to.deep.equal([]);
    const more = { event: 'x', visitor: 'x', model: 'reader', knowledge: 'passenger-guide', question: 'x' };
    const params = {
      bot,
      release: 1,
      channel: 'x',
      connection: 'booking-office',
      intent: 'x',
      conversation: 'x',
      token: 'x',
      start: 'call-report',
      stage: 'live',
      run: 'x',
      notice: 'x',
      table: 'call-reports',
      row: 'x',
      hash: 'x',
      document: 'x',
      page: 'day-trip-planner',
      share: 'x',
      result: 'x',
      output: 'x',
      frozen: 'x',
      ...more,
    };
    const profile = {
      event: { id: 'item.id', sender: 'item.who' },
      calls: { address: 'http://x.test', message: { post: '/', body: {} } },
    };
    const missed = { ids: ['x'], as: 'left', source: 'text,intent', visitor: 'x' };
    const wanted = { ...missed, kind: 'hook-messenger', name: 'x', profile, sender: 'x', question: 'x', secret: 'x' };
    const place = { flow: 'welcome', node: 'hello', variables: { flow: {}, session: {}, visitor: {} } };
    const trying = { ...place, event: { type: 'open' }, go: 'run', turn: 'x' };
    for (const [name, e] of Object.entries(endpoints) as [EndpointName, Endpoint][]) {
      if (!e.path.includes(':bot')) continue;
      const query = e.path.endsWith('/compare')
        ? { from: 'draft', to: 'draft' }
        : e.upload
          ? { revision: 1 }
          : e.path.endsWith('/file')
            ? { as: 'md' }
            : { sender: 'x' };
      const path = fillPath(e, { params, query });
      const body = {
        revision: 1,
        patch: [],
        document: {},
        note: '',
        address: null,
        id: 'x',
        text: 'x',
        says: 'x',
        to: 1,
        ...wanted,
        ...trying,
        values: {},
        version: 1,
        rows: name === 'removeTableRows' ? [{ id: 'x', version: 1 }] : 'practice',
        came: {},
        given: {},
        on: ['beginRun', 'runAgain', 'tryPage'].includes(name) ? 'draft' : true,
        inputs: name === 'freezeResult' ? true : {},
        words: 'x',
        link: 'x',
        hashes: [],
        from: null,
        ...(name === 'takeConversation' ? { to: null } : {}),
        notifies: null,
        ...(/Canned$/.test(name) ? { title: 'x' } : {}),
        split: null,
        questions: [{ question: 'x', document: null }],
        ...(name === 'proposePage' ? { profile: 'x' } : {}),
      };
      // Some whose bodies bear nothing else.
      const alone: Partial<Record<EndpointName, object>> = {
        setRetention: {},
        testChannel: { to: 'x' },
        setWebChat: CHAT_SETTINGS,
        addTokenKey: { algorithm: 'HS256', id: 'x' },
      };
      const type = e.upload?.[0] ?? 'application/json';
      const init = {
        method: e.method,
        headers: { authorization: `Bearer ${secret}`, 'content-type': type },
        ...(e.method === 'GET' ? {} : { body: JSON.stringify(alone[name] ?? body) }),
      };
      expect([name, (await fetch(service.address + path, init)).status]).to.deep.equal([name, 404]);
    }
  });
});
