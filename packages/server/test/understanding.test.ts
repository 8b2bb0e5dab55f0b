import { expect } from 'chai';
import { pino } from 'pino';
import { newId, systemClock } from '../src/base/clock.js';
import { USUAL_LIMITS } from '../src/start/limits.js';
import { openDatabase, type Db } from '../src/store/database.js';
import { loadVectors } from '../src/store/vectors.js';
// What has threads runs as it is built.
import { ENCODES, Encoder } from '../dist/understanding/encoder.js';
import { Listeners } from '../dist/understanding/listeners.js';
import { prepareMind } from '../dist/understanding/minds.js';
import { demoDocument } from '../../core/test/harbour.js';
import { compile } from '@primrose/core';
import { theService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';
import { noLookups } from './support/lookups.js';

const log = pino({ level: 'silent' });
const setting = { at: '2026-05-11T10:00:00.000Z', zone: 'Europe/Dublin', language: 'en' };

describe('understanding, over HTTP', () => {
  let service: TestService;
  before(async () => void (service = await theService()));

  const ferry = async (name: string) =>
    (await service.client.call('createBot', { body: { from: 'example', example: 'harbour-desk', name } })).bot.id;
  const documentOf = async (bot: string) => (await service.client.call('getDraft', { params: { bot } })).document;
  const simulate = async (bot: string, text: string) => {
    const { id } = await service.client.call('createSimulation', { params: { bot }, body: {} });
    await service.client.call('saySimulation', { params: { bot, conversation: id }, body: { id: newId(systemClock), text } });
  };

  it('measures a draft on its own phrases, and a file that somebody brings', async () => {
    const bot = await ferry('Measured');
    const { report, encoder } = await service.client.call('measureQuality', { params: { bot }, body: {} });
    expect(encoder).to.equal(false);
    expect(report.intents.map((i) => i.intent)).to.include('book-crossing');
    expect(report.right + report.wrong + report.unanswered).to.equal(report.phrases);
    expect(report.accuracy).to.be.greaterThan(0.5);
    const strict = await service.client.call('measureQuality', { params: { bot }, body: { threshold: 0.9 } });
    expect(strict.report.unanswered).to.be.greaterThan(report.unanswered);
    const source = '\uFEFFtext,intent\n"my dog, and my cat",pets\npizza,\nx,nothere\n';
    const file = await service.client.call('judgeFile', { params: { bot }, body: { source } });
    expect(file).to.deep.include({ rows: 2, problems: [{ line: 4, problem: 'The bot has no intent "nothere".' }] });
    expect(file.report.right).to.equal(2);
  });

  it('keeps what visitors and the simulator said that was not understood, until each is settled, once', async () => {
    const bot = await ferry('Missing');
    await service.client.call('createRelease', { params: { bot }, body: { note: 'first', despite: 'a test' } });
    const { items } = await service.client.call('listChannels', { params: { bot } });
    const visitor = new TestVisitor(service.address, items[0]?.link ?? '');
    await visitor.open();
    await visitor.say('zorbing on deck seven');
    await simulate(bot, 'when is there zorbing on deck');
    const until = Date.now() + 20_000;
    let missed = await service.client.call('listMissed', { params: { bot } });
    while (missed.open < 2 && Date.now() < until) missed = await service.client.call('listMissed', { params: { bot } });
    expect(missed.groups.map((g) => g.times)).to.deep.equal([2]);
    const [group] = missed.groups;
    expect(group?.items.map((i) => i.conversation === null).sort()).to.deep.equal([false, true]);
    const ids = group?.items.map((i) => i.id) ?? [];
    const done = await service.client.call('settleMissed', { params: { bot }, body: { ids, as: 'phrases', intent: 'zorbing' } });
    expect(done).to.deep.include({ settled: 2 });
    expect((await documentOf(bot)).intents?.['zorbing']?.phrases?.['en']).to.have.members([
      'zorbing on deck seven',
      'when is there zorbing on deck',
    ]);
    const again = await service.client.call('settleMissed', { params: { bot }, body: { ids, as: 'outside' } });
    expect(again).to.deep.include({ settled: 0, phrases: [] });
    const nothing = await service.client.call('settleMissed', {
      params: { bot },
      body: { ids, as: 'phrases', intent: 'made-of-nothing' },
    });
    expect(nothing.settled).to.equal(0);
    expect((await documentOf(bot)).intents).to.not.have.property('made-of-nothing');
    expect((await service.client.call('listMissed', { params: { bot } })).open).to.equal(0);
    const now = await service.client.call('understand', { params: { bot }, body: { text: 'is there zorbing on the deck' } });
    expect(now.understood.intents[0]?.intent).to.equal('zorbing');
  });

  it('proposes phrases, and says which intent there is none of', async () => {
    const bot = await ferry('Proposing');
    const { phrases } = await service.client.call('proposePhrases', {
      params: { bot, intent: 'book-crossing' },
      body: { language: 'en' },
    });
    expect(phrases.length).to.be.greaterThan(3);
    const none = service.client.call('proposePhrases', { params: { bot, intent: 'nothere' }, body: {} });
    expect(
      await none.then(
        () => '',
        (e: Error) => e.message,
      ),
    ).to.include('no intent "nothere"');
  });
});

describe('the encoder', () => {
  const document = demoDocument();
  const loaded = { bot: compile(document), botId: newId(systemClock), releaseId: null, revision: 1, version: 'draft 1' } as never;
  let db: Db;
  let encoder: Encoder;
  before(() => {
    db = openDatabase(process.env['PRIMROSE_TEST_DATABASE_URL'] ?? '', 4, { cluster: false, statementMs: 15_000 });
    encoder = new Encoder({ db, clock: systemClock, log });
  });
  after(async () => {
    await encoder.close();
    await db.destroy();
  });
  const listenersWith = (of: Encoder | undefined) => new Listeners({ db, clock: systemClock, log, encoder: of, ...USUAL_LIMITS });
  const understood = async (listeners: Listeners, text: string) => {
    const { mind } = await prepareMind({ listeners, lookOf: noLookups }, loaded);
    return mind.understand({ type: 'understand', path: 'heard', text, ...setting });
  };

  it('has a part where words leave a message unclear, and none where they do not', async () => {
    const listeners = listenersWith(encoder);
    const best = await listeners.bestOf(document);
    expect(best.dense, 'it was learned with the encoder').to.not.equal(undefined);
    await listeners.of(document);
    expect(await understood(listeners, 'hello')).to.not.be.instanceOf(Promise);
    const clear = understood(listeners, 'hello');
    const unclear = (await prepareMind({ listeners, lookOf: noLookups }, loaded)).mind.understand({
      type: 'understand',
      path: 'heard',
      text: 'we would like to take our puppy',
      ...setting,
    });
    expect(unclear).to.be.instanceOf(Promise);
    expect(await unclear).to.have.nested.property('intents[0].intent', 'pets');
    expect(await clear).to.have.nested.property('intents[0].intent', 'hello');
    await listeners.close();
  });

  it('reads the phrases of a bot once, and keeps them by their text', async () => {
    const texts = ['a dog on the boat', 'a kayak on the boat'];
    const vectors = await encoder.ofBot(texts);
    expect(vectors?.get('a dog on the boat')).to.have.length(512);
    const length = Math.hypot(...(vectors?.get('a kayak on the boat') ?? []));
    expect(length).to.be.closeTo(1, 1e-5);
    const elsewhere = new Encoder({ db, clock: systemClock, log });
    const stored = await elsewhere.ofBot(texts);
    expect([...(stored?.keys() ?? [])]).to.have.members(texts);
    await elsewhere.close();
    expect(await loadVectors(db, ['nothere'], new Date())).to.deep.equal([]);
  });

  it('that is closed, or not there, or slow leaves everything to the words', async () => {
    const closed = new Encoder({ db, clock: systemClock, log });
    await closed.close();
    expect(await closed.ofMessage(['hello'])).to.equal(undefined);
    for (const of of [closed, undefined]) {
      const listeners = listenersWith(of);
      await listeners.of(document);
      expect(await understood(listeners, 'may I take my dog with me')).to.have.nested.property('intents[0].intent', 'pets');
      expect((await listeners.quality(document, 'x')).judged.length).to.be.greaterThan(100);
      await listeners.close();
    }
    const late = new Encoder({ db, clock: { ...systemClock, after: (_ms, work) => systemClock.after(0, work) }, log });
    expect(await late.ofMessage(['nobody waits for this one'])).to.equal(undefined);
    await late.close();
    expect(ENCODES).to.equal('en');
  });
});
