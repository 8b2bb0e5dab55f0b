import { expect } from 'chai';
import type { BotDocument, Value, WorkItem } from '@primrose/core';
import { demoDocument } from '../../core/test/harbour.js';
import { desk } from '../../core/test/desk.js';
import { startChild, stopChild, stopTheService, theService, type TestService } from './support/service.js';
import { until } from './support/until.js';
import { TestVisitor } from './support/visitor.js';
import type { ChildProcess } from 'node:child_process';

const HARBOUR_TOOLS = new URL('../../../packages/stand-ins/dist/harbour-tools/main.js', import.meta.url).pathname;

describe('an agent on web chat', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });
  after(stopTheService);

  /** A bot like the tool shed, whose shelf is the booking office: one tool that reads, one that books. */
  function shed(model: string, agent: Record<string, unknown> = {}, profile: Record<string, unknown> = {}): BotDocument {
    const harbour = demoDocument();
    return desk(
      {
        tools: [
          { runs: 'booking-office.list-sailings' },
          { runs: 'booking-office.make-booking', deduced: { name: 'name of the passenger' } },
        ],
        parts: [
          { part: 'who you are', says: 'You help passengers. Answer in plain text.' },
          { part: 'the wish', says: '{{ turn.text }}', input: true },
        ],
        ...agent,
      },
      {
        entities: harbour.entities,
        languages: harbour.languages,
        connections: {
          service: { address: `${service.models}/v1`, actions: {} },
          'booking-office': { ...harbour.connections?.['booking-office'], address: service.office },
        },
        models: { clerk: { connection: 'service', model, ...profile } },
        tables: {},
      },
    );
  }

  async function released(document: BotDocument) {
    const { client, address } = service;
    const { bot } = await client.call('createBot', { body: { from: 'document', document: document as never } });
    await client.call('createRelease', { params: { bot: bot.id }, body: { revision: 1, note: '' } });
    const [channel] = (await client.call('listChannels', { params: { bot: bot.id } })).items;
    const visitor = new TestVisitor(address, channel?.link ?? '');
    await visitor.open();
    return { bot: bot.id, visitor };
  }

  const bookings = async (name: string): Promise<number> => {
    const page = await (await fetch(`${service.office}/`)).text();
    return page.split(`value="${name}"`).length - 1;
  };

  /** What the agents of a bot's last turn did. */
  const worked = async (bot: string): Promise<readonly WorkItem[]> => {
    const { client } = service;
    const [conversation] = (await client.call('listConversations', { params: { bot } })).items;
    const turns = await client.call('listTurns', { params: { bot, conversation: conversation?.id ?? '' } });
    return turns.items.flatMap((t) => t.sheet.path.flatMap((s) => s.work ?? []));
  };

  const ASKED = 'book the 09:40 from Kelpwick to Tarn Holm on 4 June on foot, my name is Isla';

  it('looks up, asks first with the values as they are, and books once, though the service is killed before the yes', async () => {
    const { visitor } = await released(shed('practice'));
    await visitor.say(ASKED);
    const lines = await visitor.until('Shall I do this');
    const question = lines.at(-1)?.message;
    expect(question?.text).to.contain('sailing: **kelpwick').and.contain('name: **Isla**');
    expect(question?.choices?.map((c) => c.id)).to.deep.equal(['agent-yes', 'agent-no']);
    expect(await bookings('Isla')).to.equal(0);
    await service.crash();
    await visitor.press('agent-yes');
    await visitor.until('Done');
    expect(await bookings('Isla')).to.equal(1);
  });

  it('does nothing on a no, and says so', async () => {
    const { visitor } = await released(shed('practice'));
    await visitor.say(ASKED.replace('Isla', 'Nell'));
    await visitor.until('Shall I do this');
    await visitor.say('no, thanks');
    await visitor.until('All right, I leave it.');
    expect(await bookings('Nell')).to.equal(0);
  });

  it('killed with its process between two steps goes on where it was, and does nothing twice', async () => {
    const tools = [{ runs: 'booking-office.list-sailings' }, { runs: 'booking-office.make-booking', confirm: false }];
    const { bot, visitor } = await released(shed('practice-slow', { tools }));
    await visitor.say(ASKED.replace('Isla', 'Orla'));
    await until(async () => (await bookings('Orla')) === 1);
    await service.crash();
    await visitor.until('Done');
    expect(await bookings('Orla')).to.equal(1);
    const calls = (await worked(bot)).filter((w) => w.did === 'called' && w.tool === 'make-booking');
    expect(calls).to.have.length(1);
  });

  for (const [model, words, profile] of [
    ['practice-page', 'Sorry:', {}],
    ['practice-refuses', 'Sorry:', {}],
    ['practice-stalls', 'Sorry:', { timeout: '1s' }],
    ['practice-drips', 'Sorry:', { timeout: '1s' }],
    ['practice-breaks', 'Sorry:', {}],
    ['practice-cut', 'Sorry:', {}],
    ['practice-endless', 'Sorry:', {}],
    ['practice-broken-json', 'For that I need to know', {}],
    ['practice-circles', 'I have to stop here', {}],
    ['practice-crowds', 'Sorry:', {}],
    ['practice-claims', 'To be clear: I have not booked anything.', {}],
    ['practice-invents', 'Shall I do this', {}],
    ['practice-flaky', 'Shall I do this', {}],
    ['practice-limited', 'Shall I do this', {}],
  ] as const)
    it(`with a model like ${model} comes to an end, and books nothing`, async () => {
      const name = `Name${model.replaceAll('-', '')}`;
      const { bot, visitor } = await released(shed(model, {}, profile));
      await visitor.say(ASKED.replace('Isla', name));
      await visitor.until(words);
      expect(await bookings(name)).to.equal(0);
      expect(await worked(bot), 'the sheet').to.not.deep.equal([]);
    });

  it('asks the fallback where its own model gives no answer', async () => {
    const document = shed('practice-refuses', {}, { fallback: 'spare' });
    const models = { ...document.models, spare: { connection: 'service', model: 'practice' } };
    const { visitor } = await released({ ...document, models });
    await visitor.say(ASKED.replace('Isla', 'Una'));
    await visitor.until('Shall I do this');
  });

  it('is stopped by its visitor', async () => {
    const { visitor } = await released(shed('practice-stalls', {}, { timeout: '60s' }));
    await visitor.say('what sailings are there?');
    await new Promise((resolve) => setTimeout(resolve, 700));
    expect((await visitor.post('/stop')).status).to.equal(202);
    const lines = await visitor.until('Sorry: somebody stopped the turn');
    expect(lines.at(-1)?.message.text).to.contain('somebody stopped the turn');
  });

  it('shows what it does meanwhile, and its words sentence by sentence, but none that claims what was not done', async () => {
    const tools = [{ runs: 'booking-office.list-sailings', while: 'Looking up sailings …' }];
    const { visitor } = await released(shed('practice-slow', { tools, shows: true }));
    const events: string[] = [];
    await visitor.say('which sailings go from Kelpwick to Tarn Holm on 4 June?');
    await visitor.stream(
      (lines) => lines.some((l) => l.message.text.includes('I found')),
      '',
      (name) => events.push(name),
    );
    expect(events).to.include('doing');
    const liar = await released(shed('practice-claims'));
    const shown: string[] = [];
    await liar.visitor.say('hello there');
    await liar.visitor.stream(
      (lines) => lines.some((l) => l.who === 'bot'),
      '',
      (name) => shown.push(name),
    );
    expect(shown).to.not.include('words');
  });

  it('keeps to what it may spend for one visitor on a day, in whatever conversation', async () => {
    // One step greets, two answer.
    const limits = { visitor: { steps: 3 } };
    const { visitor } = await released(shed('practice', { limits }));
    await visitor.say('which sailings go from Kelpwick to Tarn Holm on 4 June?');
    await visitor.until('I found');
    await visitor.post('/start-over');
    await visitor.open();
    await visitor.say('which sailings go from Kelpwick to Gannet Quay on 4 June?');
    await visitor.until('I have to stop here');
  });

  describe('with tools of an MCP server', () => {
    let tools: { child: ChildProcess; port: number };
    before(async () => {
      tools = await startChild(HARBOUR_TOOLS, ['--port', '0'], {});
    });
    after(() => stopChild(tools.child));
    const lamps = async () => (await (await fetch(`http://127.0.0.1:${tools.port}/lamps`)).json()) as { switches: number };

    it('lists them, calls one that reads, and asks before one that does not', async () => {
      const document = shed('practice', { tools: [{ mcp: 'harbour' }] });
      const harbour = { address: `http://127.0.0.1:${tools.port}/mcp`, actions: {} };
      const bare = { ...document, connections: { ...document.connections, harbour } } as BotDocument;
      const { client } = service;
      const { bot } = await client.call('createBot', { body: { from: 'document', document: bare as never } });
      const listed = await client.call('listTools', { params: { bot: bot.id, connection: 'harbour' } });
      expect(Object.keys(listed.tools)).to.deep.equal(['tides', 'switch-lamp']);
      expect(listed.tools['tides']).to.deep.include({ about: 'high waters at a port on a day', reads: true });
      const chosen = {
        ...bare,
        connections: { ...bare.connections, harbour: { ...harbour, tools: listed.tools as Record<string, { takes?: Value }> } },
      };
      const { visitor, bot: id } = await released(chosen);
      await visitor.say('when is high water at Kelpwick on 4 June?');
      await visitor.until('high waters 07:15, 19:40');
      expect((await worked(id)).some((w) => w.did === 'called' && w.tool === 'tides' && w.outcome === 'done')).to.equal(true);
      const { visitor: keeper } = await released(chosen);
      await keeper.say('switch on the lamp at the pier of Tarn Holm');
      await keeper.until('Shall I do this');
      expect((await lamps()).switches).to.equal(0);
      await keeper.say('yes');
      await keeper.until('Done');
      expect((await lamps()).switches).to.equal(1);
    });

    it('says why the tools of something else cannot be listed', async () => {
      const document = shed('practice', { tools: [] });
      const connections = {
        ...document.connections,
        page: { address: service.office, actions: {} },
        nobody: { address: 'http://127.0.0.1:9/mcp', actions: {} },
      };
      const { client } = service;
      const { bot } = await client.call('createBot', {
        body: { from: 'document', document: { ...document, connections } as never },
      });
      for (const [connection, words] of [
        ['page', /cannot be listed: .* status 404/],
        ['nobody', /cannot be reached|cannot be listed/],
      ] as const) {
        const problem: unknown = await client.call('listTools', { params: { bot: bot.id, connection } }).catch((e: unknown) => e);
        expect(String(problem)).to.match(words);
      }
    });
  });

  it('tries connections, and says clearly how that came out', async () => {
    const document = shed('practice', { tools: [] });
    const connections = {
      ...document.connections,
      'wrong-path': { address: service.models, actions: {} },
      nobody: { address: 'http://127.0.0.1:9/v1', actions: {} },
      nameless: { address: 'http://no-such-machine.invalid/v1', actions: {} },
      plain: { address: `${service.models.replace('http:', 'https:')}/v1`, actions: {} },
      page: { address: service.address, actions: {} },
    };
    const { client } = service;
    const { bot } = await client.call('createBot', {
      body: { from: 'document', document: { ...document, connections } as never },
    });
    const outcomes = await Promise.all(
      ['service', 'wrong-path', 'nobody', 'nameless', 'plain', 'page'].map(async (connection) => {
        const tested = await client.call('testConnection', { params: { bot: bot.id, connection } });
        return tested.outcome;
      }),
    );
    expect(outcomes).to.deep.equal(['works', 'wrong-path', 'nothing-listens', 'unknown-name', 'no-tls', 'other-form']);
    const { models } = await client.call('testConnection', { params: { bot: bot.id, connection: 'service' } });
    expect(models).to.include('practice').and.include('practice-slow');
  });
});

describe('Shore desk in its room', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });
  after(stopTheService);

  const room = async () => {
    const state = (await (await fetch(`${service.messenger}/phones`)).json()) as {
      rooms: { letters: { words: string; by: string }[] }[];
    };
    return state.rooms[0]?.letters.filter((l) => l.by === 'desk').map((l) => l.words) ?? [];
  };
  const write = (from: string, words: string) =>
    fetch(`${service.messenger}/rooms/shore-room`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ from, words }),
    });
  const says = (words: string) => until(async () => (await room()).some((w) => w.includes(words)));

  it('has one talk with each of its people, who answer only for themselves', async () => {
    const people =
      ((await (await fetch(`${service.messenger}/phones`)).json()) as { rooms: { people: { number: string }[] }[] }).rooms[0]
        ?.people ?? [];
    const [one = '772001', two = '772002'] = people.map((p) => p.number);
    await write(one, 'put Finn on the rota for Thursday after next, six till eight in the evening');
    await says('Shall I put Finn on the rota');
    await write(two, 'yes');
    await new Promise((resolve) => setTimeout(resolve, 1500));
    const bots = (await service.client.call('listBots', { query: { limit: 200 } })).items;
    const shore = bots.find((b) => b.bot === 'shore-desk')?.id ?? '';
    const rota = async () =>
      (await service.client.call('findTableRows', { params: { bot: shore, table: 'rota' }, body: {} })).items.map(
        (r) => r.values,
      );
    expect(await rota()).to.deep.equal([]);
    await write(one, 'yes');
    await says('Done');
    const [row] = await rota();
    expect(row).to.include({ who: 'Finn', from: '18:00', until: '20:00' });
  });
});
