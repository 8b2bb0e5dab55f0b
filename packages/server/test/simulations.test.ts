import { expect } from 'chai';
import {
  turnRecord,
  type BodyOf,
  type Endpoints,
  type LiveEvent,
  type SimulatedEvent,
  type TurnRecord,
} from '@primrose/contract';
import { compareTurns, missSentence, valuesOf, wordsOf, type BotDocument, type Value } from '@primrose/core';
import { botOf, demoDocument } from '../../core/test/harbour.js';
import { knowingBot } from './support/known-bot.js';
import { theService, type TestService } from './support/service.js';

const FRIDAY = 'book a crossing from Kelpwick to Tarn Holm on Friday with the car';
const CLOCK = { at: '2026-05-14T09:00:00.000Z', runs: false };

describe('a simulation', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });
  afterEach(() => switches({}));

  const switches = (body: Record<string, unknown>) => service.switches(body);
  const create = async (document: BotDocument) => {
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
    const standIns = { 'booking-office': service.office, 'model-service': `${service.models}/v1` };
    for (const [connection, standIn] of Object.entries(standIns))
      if (document.connections?.[connection])
        await service.client.call('setConnection', { params: { bot: bot.id, connection }, body: { standIn } });
    return bot.id;
  };
  type Wanted = Omit<BodyOf<Endpoints['runTurn']>, 'id'>;
  /** Runs a turn and returns all that was told of it. */
  const live = async (bot: string, conversation: string, wanted: Wanted, onEvent?: (e: LiveEvent) => void) => {
    const told: LiveEvent[] = [];
    const body = { id: crypto.randomUUID(), ...wanted };
    await service.client.stream('runTurn', { params: { bot, conversation }, body }, (event, data) => {
      const one = { event, ...(data as object) } as LiveEvent;
      told.push(one);
      onEvent?.(one);
    });
    return told;
  };
  const turnIn = (told: readonly LiveEvent[]): TurnRecord => {
    const last = told.at(-1);
    if (last?.event !== 'turn') throw new Error(`no turn came: ${JSON.stringify(last).slice(0, 300)}`);
    return last.turn;
  };
  const run = async (bot: string, conversation: string, event: SimulatedEvent, after?: string | null) =>
    turnIn(await live(bot, conversation, { event, ...(after === undefined ? {} : { after }) }));
  const say = (bot: string, conversation: string, text: string, after?: string | null) =>
    run(bot, conversation, { type: 'message', text }, after);
  const begin = (bot: string, body: BodyOf<Endpoints['createSimulation']> = {}) =>
    service.client.call('createSimulation', { params: { bot }, body });
  const turnsOf = async (bot: string, conversation: string) =>
    (await service.client.call('getSimulation', { params: { bot, conversation } })).turns;
  const refused = async (work: Promise<unknown>): Promise<string> => {
    try {
      await work;
    } catch (error) {
      return (error as Error).message;
    }
    throw new Error('it was not refused');
  };

  it('is told as it happens: nodes, calls, words, then the turn', async () => {
    const bot = await create(demoDocument());
    const { id } = await begin(bot, { clock: CLOCK });
    const told = await live(bot, id, { event: { type: 'message', text: 'can the dog come?' } });
    const kinds = told.map((e) => e.event);
    expect(kinds.at(-1)).to.equal('turn');
    expect(kinds.indexOf('call')).to.be.below(kinds.indexOf('words'));
    expect(kinds.indexOf('words')).to.be.below(kinds.indexOf('came'));
    const begun = told.flatMap((e) => (e.event === 'step' && e.phase === 'begins' ? [e.step.node] : []));
    expect(begun).to.include.ordered.members(['keep-question', 'look-up', 'answer', 'done']);
    const { sheet, timings } = turnIn(told);
    const call = sheet.effects.find((e) => e.request.type === 'model')?.request;
    if (call?.type !== 'model') throw new Error('no model was asked');
    expect(call.parts?.map((p) => p.part)).to.deep.equal(['task', 'passages', 'question']);
    const task = call.parts?.[0];
    expect(call.messages[0]?.content.slice(task?.from, task?.to)).to.match(/^# task\nAnswer the question/);
    expect(timings.map((t) => t.begins)).to.deep.equal([...timings.map((t) => t.begins)].sort((a, b) => a - b));
  });

  it('keeps what was done when it is stopped, and says what nobody knows', async () => {
    const bot = await create(demoDocument());
    const { id } = await begin(bot);
    await switches({ delay_ms: 3000 });
    const told = await live(bot, id, { event: { type: 'message', text: FRIDAY } }, (e) => {
      if (e.event === 'call' && e.request.type === 'action')
        void service.client.call('stopTurn', { params: { bot, conversation: id } });
    });
    const { sheet, ms } = turnIn(told);
    expect(sheet.stopped).to.equal(true);
    expect(ms).to.be.below(2900);
    expect(sheet.effects.at(-1)?.result).to.deep.include({ outcome: 'failed', code: 'stopped' });
    expect(sheet.path.at(-1)?.effects).to.have.length(1);
    await switches({});
    expect(wordsOf((await say(bot, id, 'office hours')).sheet).join()).to.not.equal('');
  });

  it('goes back to any turn: another line begins there, and the first is as it was', async () => {
    const bot = await create(demoDocument());
    const { id } = await begin(bot, { clock: CLOCK });
    const first = await run(bot, id, { type: 'open' });
    const asked = await say(bot, id, 'book a crossing from Kelpwick to Tarn Holm on Friday');
    const car = await say(bot, id, 'with a car');
    const before = JSON.stringify(await turnsOf(bot, id));
    const bicycle = await say(bot, id, 'with a bicycle', asked.id);
    expect([bicycle.parent, bicycle.number, car.parent]).to.deep.equal([asked.id, 3, asked.id]);
    expect(valuesOf(bicycle.sheet)['flow.vehicle']).to.equal('bicycle');
    const all = await turnsOf(bot, id);
    expect(JSON.stringify(all.slice(0, 3))).to.equal(before);
    expect(all.map((t) => t.parent)).to.deep.equal([null, first.id, asked.id, asked.id]);
    // Said the same again from the same place, it is the same.
    const same = await say(bot, id, 'with a car', asked.id);
    expect(compareTurns(car.sheet, same.sheet)).to.deep.equal([]);
    expect(
      await refused(
        service.client.call('saySimulation', { params: { bot, conversation: id }, body: { id: 'x', text: 'a', after: 'gone' } }),
      ),
    ).to.contain('no such turn');
  });

  it('says all again after an edit, asks nothing outside twice, and shows what answers otherwise', async () => {
    const bot = await create(demoDocument());
    const { id } = await begin(bot, { clock: CLOCK });
    for (const text of [FRIDAY, '1', 'Ines', 'yes']) await say(bot, id, text);
    const line = await turnsOf(bot, id);
    expect(wordsOf(line.at(-1)?.sheet ?? ({} as never)).join()).to.contain('You are booked');
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const path = '/flows/book-crossing/nodes/booked/says/en';
    await service.client.call('patchDraft', {
      params: { bot },
      body: { revision, patch: [{ op: 'replace', path, value: 'All done.' }] },
    });
    await switches({ fail: 'always' });
    const { turns } = await service.client.call('sayAgain', {
      params: { bot, conversation: id },
      body: { turn: line.at(-1)?.id ?? '' },
    });
    const differences = turns.map((t) => compareTurns(line.find((o) => o.id === t.again)?.sheet ?? t.sheet, t.sheet));
    expect(differences.map((d) => d.map((x) => x.kind))).to.deep.equal([[], [], [], ['words']]);
    expect(differences[3]?.[0]?.after).to.deep.equal([
      'All done.',
      'Shall I keep this in mind for next time, or is it only for now? You travel like this: car.',
    ]);
    expect(turns.map((t) => t.sheet.heard.at)).to.deep.equal(line.map((t) => t.sheet.heard.at));
    expect(turns[0]?.parent).to.equal(null);
  });

  it('answers a repeat of an id with the turn that there is', async () => {
    const bot = await create(demoDocument());
    const { id } = await begin(bot);
    const body = { id: 'same', text: 'office hours' };
    const params = { bot, conversation: id };
    const [a, b] = await Promise.all([
      service.client.call('saySimulation', { params, body }),
      service.client.call('saySimulation', { params, body }),
    ]);
    expect(a).to.deep.equal(b);
    expect(await turnsOf(bot, id)).to.have.length(1);
  });

  it('calls nothing for real by accident: samples where there is no stand-in, and for real only when told, once', async () => {
    const document = demoDocument();
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
    const address = service.office;
    await service.client.call('setConnection', { params: { bot: bot.id, connection: 'booking-office' }, body: { address } });
    const made = await begin(bot.id, { clock: CLOCK });
    expect(made.outside).to.deep.equal({ 'booking-office': 'samples', 'model-service': 'samples', 'tide-bot': 'samples' });
    const sampled = await say(bot.id, made.id, FRIDAY);
    expect(Object.values(sampled.samples)).to.deep.equal([
      'reader-book-in-one-sentence',
      'sailings-kelpwick-tarn-holm-car-05-15',
    ]);
    expect(wordsOf(sampled.sheet).join()).to.contain('Which sailing suits you?');
    const other = await say(bot.id, made.id, 'when is the next boat from Gannet Quay to Tarn Holm', null);
    expect(JSON.stringify(other.sheet.problems)).to.contain('no sample answers this call of booking-office.list-sailings');
    const params = { bot: bot.id, conversation: made.id };
    const real = await service.client.call('changeSimulation', { params, body: { outside: { 'booking-office': 'real' } } });
    expect(real.outside['booking-office']).to.equal('real');
    expect((await say(bot.id, made.id, 'when is the next boat from Gannet Quay to Tarn Holm', null)).samples).to.deep.equal({});
    expect((await begin(bot.id)).outside['booking-office']).to.equal('samples');
    const failing = await begin(bot.id, { clock: CLOCK, samples: ['office-does-not-answer'] });
    expect(wordsOf((await say(bot.id, failing.id, FRIDAY)).sheet).join()).to.contain('cannot reach the booking office');
  });

  it('keeps what is set in the same moment, by several, and when somebody goes back', async () => {
    const bot = await create(demoDocument());
    const params = { bot, conversation: (await begin(bot, { clock: CLOCK })).id };
    const change = (body: BodyOf<Endpoints['changeSimulation']>) => service.client.call('changeSimulation', { params, body });
    for (let i = 0; i < 12; i += 1) {
      const mode = i % 2 === 0 ? 'real' : 'samples';
      await Promise.all([
        change({ outside: { 'booking-office': mode } }),
        change({ speaker: { name: `Visitor ${i}` } }),
        change({ head: null }),
      ]);
      const { simulation } = await service.client.call('getSimulation', { params });
      expect(simulation.outside['booking-office']).to.equal(mode);
      expect(simulation.speaker.name).to.equal(`Visitor ${i}`);
    }
  });

  it('shows a stand-in no real secret', async () => {
    const seen: (string | undefined)[] = [];
    const { createServer } = await import('node:http');
    const server = createServer((req, res) => {
      seen.push(req.headers.authorization);
      res.setHeader('content-type', 'application/json').end('{}');
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const place = server.address();
    const standIn = `http://127.0.0.1:${typeof place === 'object' && place ? place.port : 0}`;
    const document = botOf(
      { a: { kind: 'action', runs: 'shop.ask', exits: { done: 'z', failed: 'z' } }, z: { kind: 'end', ends: 'flow' } },
      { connections: { shop: { address: standIn, shows: 'bearer', actions: { ask: { get: '/x' } } } } },
    );
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
    const params = { bot: bot.id, connection: 'shop' };
    await service.client.call('setSecret', { params, body: { secret: 'the-real-one' } });
    await service.client.call('setConnection', { params, body: { standIn } });
    const { id } = await begin(bot.id);
    const turn = await run(bot.id, id, { type: 'open' });
    const conversation = { bot: bot.id, conversation: id };
    await service.client.call('changeSimulation', { params: conversation, body: { outside: { shop: 'real' } } });
    await run(bot.id, id, { type: 'open' });
    server.close();
    expect(seen).to.deep.equal(['Bearer stand-in', 'Bearer the-real-one']);
    expect(JSON.stringify([turn, await turnsOf(bot.id, id)])).to.not.contain('the-real-one');
  });

  describe('with somebody who speaks', () => {
    const telling = () =>
      botOf(
        {
          tell: {
            kind: 'say',
            says: '{{ otherwise(visitor.first_name, "nobody") }} {{ turn.name }} {{ turn.channel }} {{ clock.today }} {{ clock.time }} {{ size(turn.pictures) }} {{ size(turn.files) }}',
            exits: { said: 'keep' },
          },
          keep: {
            kind: 'ask',
            says: { en: 'Name?', de: 'Name?' },
            expects: 'text',
            into: 'visitor.first_name',
            exits: { answered: 'tell', 'gave-up': 'tell' },
          },
        },
        { variables: { visitor: { first_name: 'text' } } },
      );

    it('has their name, channel, time zone and moment; the clock stands or runs', async () => {
      const bot = await create(telling());
      const { id } = await begin(bot, {
        speaker: { name: 'Ada Quill', channel: 'web-chat', zone: 'Pacific/Auckland' },
        clock: CLOCK,
      });
      expect(wordsOf((await run(bot, id, { type: 'open' })).sheet)[0]).to.equal('nobody Ada Quill web-chat 2026-05-14 21:00 0 0');
      const params = { bot, conversation: id };
      await service.client.call('changeSimulation', {
        params,
        body: { clock: { at: '2027-01-01T00:00:00.000Z', runs: true }, speaker: { zone: null } },
      });
      const at = Date.parse((await run(bot, id, { type: 'open' }, null)).sheet.heard.at);
      expect(at - Date.parse('2027-01-01T00:00:00.000Z')).to.be.within(0, 60_000);
      expect(
        await refused(service.client.call('changeSimulation', { params, body: { speaker: { zone: 'Mars/Olympus' } } })),
      ).to.contain('no time zone');
    });

    it('has signed in with an address, or has not', async () => {
      const bot = await create(knowingBot());
      const email = 'ada@marrow-sound.example';
      const { id } = await begin(bot, { speaker: { name: 'Ada Quill', email } });
      await run(bot, id, { type: 'open' });
      expect(wordsOf((await run(bot, id, { type: 'message', text: 'show my bookings' })).sheet)[0]).to.contain(
        `Bookings of ${email}`,
      );
      await service.client.call('changeSimulation', { params: { bot, conversation: id }, body: { speaker: { email: null } } });
      const asked = wordsOf((await run(bot, id, { type: 'message', text: 'show my bookings' })).sheet).join(' ');
      expect(asked).to.not.contain(email);
      expect(asked).to.contain('What is your e-mail address?');
    });

    it('attaches pictures and files', async () => {
      const bot = await create(telling());
      const { id } = await begin(bot);
      await run(bot, id, { type: 'open' });
      const address = 'data:text/plain;base64,eA==';
      const files = [{ name: 'log.txt', type: 'text/plain', size: 1, address }];
      const turn = await run(bot, id, { type: 'message', text: 'Mo', pictures: [address], files });
      expect(wordsOf(turn.sheet)[0]).to.match(/ 1 1$/);
      expect(turn.sheet.heard).to.have.nested.property('files[0].name', 'log.txt');
    });

    it('keeps what is known of made-up visitors, one by one, from talk to talk', async () => {
      const bot = await create(telling());
      const make = (name: string, variables?: Record<string, Value>) =>
        service.client.call('keepMadeUpVisitor', { params: { bot }, body: { name, ...(variables ? { variables } : {}) } });
      const [ada, mo] = [await make('Ada'), await make('Mo', { first_name: 'Moritz' })];
      const one = await begin(bot, { speaker: { visitor: ada.id } });
      expect(one.speaker.name).to.equal('Ada');
      await run(bot, one.id, { type: 'open' });
      await say(bot, one.id, 'Adelheid');
      const first = async (visitor: string) =>
        wordsOf((await run(bot, (await begin(bot, { speaker: { visitor } })).id, { type: 'open' })).sheet)[0]?.split(' ')[0];
      expect([await first(ada.id), await first(mo.id)]).to.deep.equal(['Adelheid', 'Moritz']);
      await make('Ada', { first_name: 'Ade' });
      expect(await first(ada.id)).to.equal('Ade');
      await service.client.call('deleteMadeUpVisitor', { params: { bot, visitor: mo.id } });
      const { items } = await service.client.call('listMadeUpVisitors', { params: { bot } });
      expect(items.map((v) => v.name)).to.deep.equal(['Ada']);
      expect(await refused(begin(bot, { speaker: { visitor: mo.id } }))).to.contain('no such made-up visitor');
    });
  });

  it('pauses before each node, takes changed variables, outlives its window, and can be stopped there', async () => {
    const bot = await create(
      botOf({
        a: { kind: 'set', sets: [{ into: 'flow.x', to: 1 }], exits: { done: 'b' } },
        b: { kind: 'say', says: 'x is {{ flow.x }}', exits: { said: 'c' } },
        c: { kind: 'end', ends: 'flow' },
      }),
    );
    const { id } = await begin(bot);
    const params = { bot, conversation: id };
    const goOn = async (body: BodyOf<Endpoints['goOn']>) => {
      const told: LiveEvent[] = [];
      await service.client.stream('goOn', { params, body }, (event, data) =>
        told.push({ event, ...(data as object) } as LiveEvent),
      );
      return told.at(-1);
    };
    expect(await refused(goOn({ go: 'step' }))).to.contain('No turn pauses');
    const first = (await live(bot, id, { event: { type: 'open' }, step: true })).at(-1);
    expect(first?.event === 'paused' && first.paused.node).to.equal('a');
    const second = await goOn({ go: 'step' });
    expect(second?.event === 'paused' && [second.paused.node, second.paused.variables.flow]).to.deep.equal(['b', { x: 1 }]);
    expect((await service.client.call('getSimulation', { params })).paused?.node).to.equal('b');
    const last = await goOn({ go: 'run', set: { 'flow.x': 9 } });
    expect(last?.event === 'turn' && wordsOf(last.turn.sheet)).to.deep.equal(['x is 9']);
    expect(last?.event === 'turn' && last.turn.sheet.path[1]?.set).to.deep.equal({ 'flow.x': 9 });
    await live(bot, id, { event: { type: 'open' }, step: true, after: null });
    await goOn({ go: 'step' });
    const halted = await goOn({ go: 'stop' });
    expect(halted?.event === 'turn' && [halted.turn.sheet.stopped, halted.turn.sheet.path.length]).to.deep.equal([true, 1]);
  });

  it('starts at any node with values, says a kept event, and runs one node by itself', async () => {
    const bot = await create(demoDocument());
    const { id } = await begin(bot, { clock: CLOCK });
    const variables = {
      flow: { origin: 'kelpwick', destination: 'tarn-holm', day: '2026-05-15', vehicle: 'car' },
      session: {},
      visitor: {},
    };
    const start = { flow: 'book-crossing', node: 'find-sailings', variables };
    const started = await run(bot, id, { type: 'start', start });
    expect(started.waitsAt).to.deep.equal({ flow: 'book-crossing', node: 'offer' });
    expect(await refused(run(bot, id, { type: 'start', start: { ...start, node: 'nowhere' } }))).to.contain(
      'no node "book-crossing/nowhere"',
    );
    expect((await run(bot, id, { type: 'sample', sample: 'dog-question' }, null)).sheet.understood?.took).to.equal('pets');
    expect(await refused(run(bot, id, { type: 'sample', sample: 'no-such-booking' }, null))).to.contain('no kept event');
    const before = (await turnsOf(bot, id)).length;
    const alone = await service.client.call('tryNode', {
      params: { bot },
      body: {
        flow: 'book-crossing',
        node: 'book',
        variables: { ...variables, flow: { sailing: { id: 'x' } } },
        samples: ['last-place-gone'],
        outside: { 'booking-office': 'samples' },
      },
    });
    expect(alone.sheet.path.map((s) => [s.node, s.exit])).to.deep.equal([['book', 'full']]);
    expect(await turnsOf(bot, id)).to.have.length(before);
  });

  it('is named, found, taken up again and thrown away; nobody else has it', async () => {
    const bot = await create(demoDocument());
    const { id } = await begin(bot);
    await say(bot, id, 'purple wallpaper');
    const params = { bot, conversation: id };
    await service.client.call('changeSimulation', { params, body: { name: 'The odd one' } });
    const found = async (find: string) =>
      (await service.client.call('listSimulations', { params: { bot }, query: { find } })).items;
    expect((await found('odd'))[0]).to.deep.include({ id, name: 'The odd one', turns: 1, said: 'purple wallpaper' });
    expect(await found('WALLPAPER')).to.have.length(1);
    expect(await found('100%')).to.have.length(0);
    const query = { after: 'not-a-moment' };
    expect((await service.client.call('listSimulations', { params: { bot }, query })).items).to.have.length(1);
    const other = await create(demoDocument());
    expect(await refused(service.client.call('getSimulation', { params: { bot: other, conversation: id } }))).to.contain(
      'no such simulation',
    );
    await service.client.call('deleteSimulation', { params });
    expect(await found('')).to.have.length(0);
  });

  it('keeps the named ones and the last fifty others', async () => {
    const bot = await create(demoDocument());
    const named = await begin(bot);
    await service.client.call('changeSimulation', { params: { bot, conversation: named.id }, body: { name: 'kept' } });
    const first = await begin(bot);
    for (let i = 0; i < 50; i++) await begin(bot);
    const there = async (conversation: string) =>
      service.client.call('getSimulation', { params: { bot, conversation } }).then(
        () => true,
        () => false,
      );
    expect([await there(named.id), await there(first.id)]).to.deep.equal([true, false]);
  });

  it('writes records that fit the schema that is served, whatever came in', async () => {
    const bot = await create(demoDocument());
    const { id } = await begin(bot, { clock: CLOCK });
    for (const text of ['can the dog come?', FRIDAY, 'and the one after?', 'talk to a person', 'purple'])
      await say(bot, id, text);
    await run(bot, id, { type: 'hand-back' });
    for (const turn of await turnsOf(bot, id)) expect(turnRecord.safeParse(turn).error?.issues ?? []).to.deep.equal([]);
    const schema = (await service.client.call('turnSchema', {})) as { properties: Record<string, unknown> };
    expect(schema.properties).to.include.keys('sheet', 'timings', 'parent', 'waitsAt');
    expect(JSON.stringify(schema)).to.contain('what each template and expression of the node read as');
  });

  describe('kept as rehearsals', () => {
    it('runs them side by side and covers the bot; the last run is kept', async () => {
      const bot = await create(demoDocument());
      expect((await service.client.call('lastRehearsalRun', { params: { bot } })).run).to.equal(null);
      const some = await service.client.call('runRehearsals', { params: { bot }, body: { only: ['dog-aboard'] } });
      expect([some.passed, some.items.length]).to.deep.equal([1, 1]);
      const wrong = service.client.call('runRehearsals', { params: { bot }, body: { only: ['dog-abord'] } });
      expect(await refused(wrong)).to.equal('There is no rehearsal "dog-abord". Did you mean dog-aboard?');
      const all = await service.client.call('runRehearsals', { params: { bot }, body: {} });
      expect([all.failed, all.passed]).to.deep.equal([0, Object.keys(demoDocument().rehearsals ?? {}).length]);
      expect(all.coverage.nodes['book-crossing/offer']).to.be.above(5);
      expect((await service.client.call('lastRehearsalRun', { params: { bot } })).run).to.deep.equal(all);
      const document = demoDocument() as never;
      expect((await service.client.call('rehearseDocument', { body: { document } })).failed).to.equal(0);
    });

    it('stand before a release: one that fails asks for a reason, which is kept with the release', async () => {
      const document = demoDocument();
      const bot = await create(document);
      const path = '/flows/book-crossing/nodes/just-gone/says/en';
      await service.client.call('patchDraft', {
        params: { bot },
        body: { revision: 1, patch: [{ op: 'replace', path, value: 'Too late.' }] },
      });
      const release = (despite?: string) =>
        service.client.call('createRelease', {
          params: { bot },
          body: { note: '', ...(despite === undefined ? {} : { despite }) },
        });
      const error: unknown = await release().then(
        () => undefined,
        (e: unknown) => e,
      );
      const { details } = error as { details: { code: string; status: number; errors: { pointer: string; detail: string }[] } };
      expect([details.code, details.status]).to.deep.equal(['rehearsals-failed', 409]);
      expect(details.errors).to.deep.equal([
        {
          pointer: '/rehearsals/last-place-gone/turns/2',
          detail:
            'The bot should say “the last place was taken a moment ago”; it said “Too late. On Friday 15 May there is room on these. Which sailing suits you?”.'.replace(
              'late. ',
              'late.\n',
            ),
        },
      ]);
      const run = (await service.client.call('lastRehearsalRun', { params: { bot } })).run;
      const failed = run?.items.filter((i) => !i.passed) ?? [];
      expect(failed.map((i) => i.rehearsal)).to.deep.equal(['last-place-gone']);
      expect(failed[0]?.turns[2]?.record?.sheet.path.map((s) => s.node)).to.include('just-gone');
      expect(failed[0]?.turns[2]?.misses.map(missSentence)).to.have.length(1);
      expect((await release('the words are new, the rehearsal follows')).despite).to.equal(
        'the words are new, the rehearsal follows',
      );
      const { items } = await service.client.call('listReleases', { params: { bot }, query: {} });
      expect(items[0]?.despite).to.equal('the words are new, the rehearsal follows');
    });
  });
});
