import { createHmac } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect } from 'chai';
import { createConnection } from 'mysql2/promise';
import { PNG } from 'pngjs';
import type { Messenger } from '@primrose/contract';
import { plainText } from '@primrose/core';
import { seal, unseal } from '../src/outside/secrets.js';
import { Phone } from './support/phones.js';
import { problemOf } from './support/problem.js';
import { until } from './support/until.js';
import { DATABASE_URL, theService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

const ISLA = '771001';
const TAMSIN = '771002';
const JONAS = '771003';

describe('Harbour desk with all that it can do', () => {
  let service: TestService;
  let demo: string;
  let messenger: Messenger;
  before(async () => {
    service = await theService();
    const { items } = await service.client.call('listBots', { query: { limit: 200 } });
    for (const { id } of items) {
      const { items: channels } = await service.client.call('listChannels', { params: { bot: id } });
      const hook = channels.find((c) => c.kind === 'hook-messenger' && c.name === 'Gullpost');
      if (!hook) continue;
      demo = id;
      messenger = await service.client.call('getMessenger', { params: { bot: id, channel: hook.id } });
    }
  });
  const events = async () =>
    (await service.client.call('listChannelEvents', { params: { bot: demo, channel: messenger.id } })).items;
  const visitor = async () => {
    const made = new TestVisitor(service.address, service.chat);
    await made.open();
    await made.until('What can I do');
    return made;
  };
  const conversationOf = async (words: string) => {
    const { items } = await service.client.call('listConversations', { params: { bot: demo }, query: { limit: 200 } });
    const found = items.find((c) => c.said?.includes(words));
    if (!found) throw new Error(`no conversation ends with ${words}`);
    return found;
  };

  describe('in web chat', () => {
    it('names a sailing, then the one after it, and says how it understood that', async () => {
      const isla = await visitor();
      await isla.say('when is the next boat from Kelpwick to Tarn Holm tomorrow?');
      await isla.until('The next one is the');
      await isla.say('and the one after?');
      const lines = await isla.stream((all) => all.filter((l) => l.message.text.startsWith('The next one')).length === 2);
      const [first = '', second = ''] = lines.lines.flatMap((l) => /is the (\d\d:\d\d)/.exec(l.message.text)?.[1] ?? []);
      expect(second > first, `${second} is after ${first}`).to.equal(true);
      const { id } = await conversationOf('and the one after?');
      const turns = (await service.client.call('listTurns', { params: { bot: demo, conversation: id } })).items;
      expect(turns.at(-1)?.sheet.understood).to.include({ took: 'one-after', by: 'interrupts' });
      expect(turns.at(-1)?.sheet.contexts?.before).to.deep.equal(['sailing']);
    });

    it('answers from the passenger guide with where it stands', async () => {
      const isla = await visitor();
      await isla.say('may I take my bicycle along?');
      const lines = await isla.until('2 pounds');
      const cites = lines.at(-1)?.message.cites ?? lines.find((l) => l.message.cites)?.message.cites;
      expect(cites?.[0]).to.deep.include({ title: 'Luggage and bicycles', heading: 'Bicycles' });
      expect(cites?.[0]?.quote).to.contain('Electric bicycles are welcome');
    });

    it('reads a wish in free words into fields by a model, and books it', async () => {
      const isla = await visitor();
      await isla.say('I would like to book a crossing from Kelpwick to Tarn Holm on Friday with my bicycle');
      await isla.until('Which sailing suits you?');
      await isla.say('1');
      await isla.until('first name');
      await isla.say('Isla');
      await isla.until('Shall I book it?');
      await isla.say('Yes, book it');
      await isla.until('Your reference is');
      const { id } = await conversationOf('Yes, book it');
      const turns = (await service.client.call('listTurns', { params: { bot: demo, conversation: id } })).items;
      const call = turns.flatMap((t) => t.sheet.effects).find((e) => e.request.type === 'model');
      expect(call?.result).to.include({ outcome: 'written' });
      const wish = turns.flatMap((t) => t.sheet.changes).find((c) => c.name === 'flow.wish');
      expect(wish?.after).to.deep.include({ origin: 'kelpwick', destination: 'tarn-holm', vehicle: 'bicycle' });
    });

    it('gives the conversation to a person, who answers and hands it back', async () => {
      const tam = await visitor();
      await tam.say('can I talk to a person please');
      await tam.until('I am calling Shore desk');
      const talk = await conversationOf('can I talk to a person please');
      const params = { bot: demo, conversation: talk.id };
      expect(talk.handed?.reason).to.contain('asked for a person');
      const waiting = await service.client.call('listConversations', { params: { bot: demo }, query: { state: 'handed' } });
      expect(waiting.items.map((c) => c.id)).to.include(talk.id);
      await tam.say('hello? anybody?');
      const body = { id: 'one', text: 'This is Mo of *Shore desk*.' };
      const line = await service.client.call('answerConversation', { params, body });
      expect(await service.client.call('answerConversation', { params, body }), 'sent twice, said once').to.deep.equal(line);
      const { lines } = await tam.stream((all) => all.some((l) => l.who === 'staff'));
      expect(lines.filter((l) => l.who === 'staff').map((l) => l.message.blocks)).to.have.length(1);
      expect(lines.at(-1)?.by).to.equal('Owner');
      const back = await service.client.call('handBack', { params });
      expect(back.handed).to.equal(null);
      await tam.until('This is the Harbour desk again');
      expect(
        await problemOf(service.client.call('answerConversation', { params, body: { id: 'two', text: 'Late' } })),
      ).to.include({
        code: 'not-handed-over',
      });
      const read = await service.client.call('getConversation', { params });
      expect(read.lines.items.map((l) => l.who)).to.include.members(['visitor', 'bot', 'staff']);
    });
  });

  describe('in the messenger', () => {
    it('knows the first name and keeps people apart', async () => {
      const [isla, jonas] = [new Phone(service.messenger, ISLA), new Phone(service.messenger, JONAS)];
      await Promise.all([isla.ask('Hello', 'Hello Isla'), jonas.ask('Guten Tag', 'Hallo Jonas')]);
      const [said] = await isla.ask('do you have opinions on hay bales and tractors', '');
      expect(said).to.not.equal(undefined);
      const asked = await isla.ask('is the boat allowed to carry submarines? are pets allowed in a submarine', '');
      expect(asked.every((l) => !l.words.includes('Jonas'))).to.equal(true);
    });

    it('books by buttons, answers each event once though some come twice, and waits when it is told to', async () => {
      const isla = new Phone(service.messenger, ISLA);
      await isla.ask('book a crossing from Kelpwick to Tarn Holm on Sunday on foot', 'Which sailing suits you?');
      const offer = (await isla.letters()).at(-1);
      expect(offer?.picks.at(-1)).to.deep.equal({ id: 'none-of-them', label: 'None of them' });
      const before = (await isla.letters()).length;
      const [pick] = offer?.picks ?? [];
      if (!pick) throw new Error('nothing was offered');
      await isla.write({ pick });
      await isla.until('Isla, the', before);
      await isla.ask('Yes, book it', 'Your reference is');
      // The guide's question of before waits again; thanks would answer that.
      await isla.write({ words: 'No, thanks' });
      await new Promise((resolve) => setTimeout(resolve, 1500));
      const booked = (await isla.letters()).length;
      const thanked = async () =>
        (await isla.letters()).slice(booked).filter((l) => /^(You are welcome|With pleasure)\.$/.test(l.words)).length;
      for (let i = 1; i <= 12; i++) {
        await isla.write({ words: 'thanks' });
        for (let tries = 0; tries < 100 && (await thanked()) < i; tries++)
          await new Promise((resolve) => setTimeout(resolve, 50));
      }
      expect(await thanked(), 'each of twelve answered once').to.equal(12);
      const log = await events();
      expect(
        log.some((e) => e.outcome === 'repeat'),
        'a webhook came twice',
      ).to.equal(true);
      for (let i = 0; i < 100 && !(await events()).some((e) => e.outcome === 'retried'); i++) await isla.ask('thank you', '');
      expect((await events()).some((e) => e.outcome === 'retried' && e.about.includes('429'))).to.equal(true);
    });

    it('refuses a forged signature and a wrong handshake, and notes both', async () => {
      const body = JSON.stringify({ letters: [{ kind: 'words', letter: 'forged', from: { number: ISLA }, words: 'x' }] });
      const send = (seal: string) =>
        fetch(messenger.hook, { method: 'POST', headers: { 'content-type': 'application/json', 'gull-seal': seal }, body });
      const sign = (key: string) => `sha256=${createHmac('sha256', key).update(body).digest('hex')}`;
      for (const forged of [sign('another key'), '', 'sha256=', sign('gull-seal').slice(0, -1)]) {
        const answer = await send(forged);
        expect(answer.status).to.equal(401);
        expect((await answer.json()) as object).to.include({ code: 'forged-signature' });
      }
      expect((await fetch(`${messenger.hook}?gull_check=wrong&gull_word=w`)).status).to.equal(401);
      expect(await (await fetch(`${messenger.hook}?gull_check=gull-check&gull_word=w%3Cb%3E`)).text()).to.equal('w<b>');
      // All forgeries are one row, so that they hide nothing; it is written once a second.
      const refused = async () => (await events()).filter((e) => e.outcome === 'refused').map((e) => [e.about, e.times]);
      const wanted = [
        ['the handshake did not pass', 1],
        ['the signature is not right', 4],
      ];
      for (let i = 0; i < 50 && (await refused()).length < 2; i++) await new Promise((resolve) => setTimeout(resolve, 100));
      expect((await refused()).sort()).to.deep.equal(wanted);
    });

    it('says which part of a mapping does not fit, and takes nothing by halves', async () => {
      const params = { bot: demo, channel: messenger.id };
      const wrong = { ...messenger.profile, event: { ...messenger.profile.event, text: 'item.words[' } };
      expect(await problemOf(service.client.call('updateChannel', { params, body: { profile: wrong } }))).to.include({
        code: 'invalid-input',
      });
      const elsewhere = { ...messenger.profile, event: { ...messenger.profile.event, sender: 'item.writer.number' } };
      await service.client.call('updateChannel', { params, body: { profile: elsewhere } });
      try {
        const answer = await signed({ letters: [{ kind: 'words', letter: 'odd-1', from: { number: ISLA }, words: 'x' }] });
        expect(answer).to.deep.equal({ taken: 0, repeats: 0, passedOver: 1 });
        const [last] = await events();
        expect(last?.about).to.equal('the mapping does not fit, /event/sender: the event has no such value');
      } finally {
        await service.client.call('updateChannel', { params, body: { profile: messenger.profile } });
      }
    });

    const signed = async (content: unknown) => {
      const body = JSON.stringify(content);
      const headers = {
        'content-type': 'application/json',
        'gull-seal': `sha256=${createHmac('sha256', 'gull-seal').update(body).digest('hex')}`,
      };
      return (await (await fetch(messenger.hook, { method: 'POST', headers, body })).json()) as Record<string, unknown>;
    };

    it('lets a named tester talk to the draft while the others get the release', async () => {
      const params = { bot: demo, channel: messenger.id };
      const [tam, jonas] = [new Phone(service.messenger, TAMSIN), new Phone(service.messenger, JONAS)];
      const { revision, document } = await service.client.call('getDraft', { params: { bot: demo } });
      const path = '/flows/you-are-welcome/nodes/welcome/says';
      const before = document.flows['you-are-welcome']?.nodes['welcome']?.['says'];
      const patch = [{ op: 'replace' as const, path, value: 'Only the draft says this.' }];
      await service.client.call('patchDraft', { params: { bot: demo }, body: { revision, patch } });
      try {
        const set = await service.client.call('setTester', { params, body: { sender: TAMSIN, name: 'Tamsin' } });
        expect(set.testers).to.deep.equal([{ sender: TAMSIN, name: 'Tamsin' }]);
        await tam.ask('thanks', 'Only the draft says this.');
        const others = await jonas.ask('danke', '');
        expect(others.map((l) => l.words).join()).to.not.contain('draft');
        await service.client.call('removeTester', { params, query: { sender: TAMSIN } });
        expect((await tam.ask('thanks', '')).map((l) => l.words).join()).to.not.contain('draft');
      } finally {
        const now = await service.client.call('getDraft', { params: { bot: demo } });
        const back = [{ op: 'replace' as const, path, value: before as never }];
        await service.client.call('patchDraft', { params: { bot: demo }, body: { revision: now.revision, patch: back } });
      }
    });

    it('fetches what people send, with the messenger’s token, and keeps it; what is none of what is taken is left out', async () => {
      const tam = new Phone(service.messenger, TAMSIN);
      const dot = PNG.sync.write(new PNG({ width: 6, height: 4 })).toString('base64');
      await tam.write({ words: 'thanks', picture: `data:image/png;base64,${dot}` });
      await tam.until('welcome');
      const taken = async (words: string) => (await events()).find((e) => e.outcome === 'taken' && e.about.startsWith(words));
      const conversation = (await taken('thanks'))?.conversation ?? '';
      const pictures = async () => {
        const params = { bot: demo, conversation };
        const { items } = await service.client.call('listTurns', { params, query: {} });
        return items.flatMap((t) => ('pictures' in t.sheet.heard ? (t.sheet.heard.pictures as string[]) : []));
      };
      const [address = '', ...more] = await pictures();
      expect(more).to.deep.equal([]);
      expect(address.startsWith(`${service.address}/files/`)).to.equal(true);
      expect(Buffer.from(await (await fetch(address)).arrayBuffer()).toString('base64')).to.equal(dot);
      const read = await service.client.call('getConversation', { params: { bot: demo, conversation } });
      expect(JSON.stringify(read.lines.items)).to.contain(address);

      const page = Buffer.from('<!doctype html><p>no picture</p>').toString('base64');
      await tam.write({ words: 'thanks again', picture: `data:image/png;base64,${page}` });
      await until(async () => (await taken('thanks again')) !== undefined);
      expect((await taken('thanks again'))?.about)
        .to.contain('1 not kept')
        .and.contain('said to be image/png');
      expect(await pictures()).to.deep.equal([address]);
      const count = async () => {
        const { items } = await service.client.call('listVisitors', { params: { bot: demo }, query: { limit: 200 } });
        const kept = await Promise.all(
          items.map((v) => service.client.call('getVisitor', { params: { bot: demo, visitor: v.id } })),
        );
        return kept.find((v) => v.items.some((c) => c.id === conversation))?.files;
      };
      expect(await count()).to.equal(1);
    });

    it('answers nobody while it is switched off, and keeps an event as a sample', async () => {
      const params = { bot: demo, channel: messenger.id };
      const off = await service.client.call('updateChannel', { params, body: { on: false } });
      expect(off.on).to.equal(false);
      expect(await signed({ letters: [{ kind: 'words', letter: 'off-1', from: { number: ISLA }, words: 'hello' }] })).to.include({
        code: 'channel-off',
      });
      await service.client.call('updateChannel', { params, body: { on: true } });
      const event = (await events()).find((e) => e.outcome === 'refused' && e.about.includes('switched off'));
      const sample = await service.client.call('keepSample', {
        params: { ...params, event: event?.id ?? '' },
        body: { name: 'a hello' },
      });
      expect(sample.body).to.deep.equal({
        letters: [{ kind: 'words', letter: 'off-1', from: { number: ISLA }, words: 'hello' }],
      });
      const { items } = await service.client.call('listSamples', { params: { bot: demo } });
      expect(items.map((s) => s.name)).to.include('a hello');
    });

    it('sends what staff say, and shows what could not be delivered', async () => {
      const tam = new Phone(service.messenger, TAMSIN);
      await tam.ask('I lost my umbrella on the boat', 'On which boat');
      await tam.ask('on the Sandpiper, on Monday', 'Thank you');
      const talk = await conversationOf('on the Sandpiper, on Monday');
      const params = { bot: demo, conversation: talk.id };
      await service.client.call('answerConversation', { params, body: { id: 'found', text: 'We have it.' } });
      await tam.until('We have it.');
      await service.client.call('handBack', { params });
      await tam.until('This is the Harbour desk again.');
      const gone = { letters: [{ kind: 'words', letter: 'nobody-1', from: { number: '999' }, words: 'thanks' }] };
      expect(await signed(gone)).to.include({ taken: 1 });
      for (let i = 0; i < 50 && !(await events()).some((e) => e.outcome === 'failed'); i++)
        await new Promise((resolve) => setTimeout(resolve, 100));
      const failed = (await events()).find((e) => e.outcome === 'failed');
      expect(failed?.about).to.contain('nobody has the number 999');
      const read = await service.client.call('getConversation', {
        params: { bot: demo, conversation: failed?.conversation ?? '' },
      });
      expect(read.lines.items.at(-1)?.failed).to.contain('404');
    });

    it('keeps its secrets: they are told to nobody and stand encrypted in the database', async () => {
      const shown = await service.client.call('getMessenger', { params: { bot: demo, channel: messenger.id } });
      expect(shown.secrets).to.deep.equal(['check', 'seal', 'token']);
      expect(JSON.stringify(shown)).to.not.contain('gull-token');
      const connection = await createConnection(DATABASE_URL);
      const [rows] = await connection.query("SELECT * FROM secrets WHERE owner LIKE 'channel %'");
      await connection.end();
      expect(rows).to.have.length.of.at.least(3);
      expect(JSON.stringify(rows)).to.not.match(/gull-(token|seal|check)/);
    });
  });

  describe('tried part by part', () => {
    it('says what it understands', async () => {
      const { understood } = await service.client.call('understand', {
        params: { bot: demo },
        body: { text: 'two tickets from Kelpwick to Tarn Holm, please book them' },
      });
      expect(understood.intents[0]?.intent).to.equal('book-crossing');
      expect(understood.intents[0]?.roles).to.include({ origin: 'kelpwick', destination: 'tarn-holm' });
    });

    it('says what it knows, and what it does not', async () => {
      const ask = (question: string) =>
        service.client.call('askKnowledge', { params: { bot: demo, knowledge: 'passenger-guide' }, body: { question } });
      expect((await ask('is there a lift on the Wrackline?')).found).to.include({ covered: true });
      expect((await ask('do you sell hamburgers?')).found).to.deep.include({ covered: false });
      expect(
        await problemOf(
          service.client.call('askKnowledge', { params: { bot: demo, knowledge: 'gide' }, body: { question: 'x' } }),
        ),
      ).to.include({ detail: 'The draft has no knowledge base "gide". It has: ferry-papers, passenger-guide.' });
    });

    it('says whether a model answers', async () => {
      const tried = await service.client.call('tryModel', {
        params: { bot: demo, model: 'reader' },
        body: { text: 'Who are you?' },
      });
      expect(tried).to.include({ ok: true });
      expect(tried.text).to.contain('practice model');
      expect(tried.tokens?.in).to.be.greaterThan(0);
    });
  });
});

describe('a model service that', () => {
  let service: TestService;
  let bot: string;
  const servers: Server[] = [];
  before(async () => {
    service = await theService();
    const document = {
      primrose: 1,
      bot: 'minds',
      name: 'Minds',
      languages: ['en'],
      zone: 'Etc/UTC',
      begins: 'main',
      connections: { service: { address: `${service.models}/v1`, actions: {} } },
      models: Object.fromEntries(
        ['practice', 'practice-slow', 'practice-stalls', 'practice-breaks', 'practice-page', 'practice-refuses', 'nobody'].map(
          (m) => [m, { connection: 'service', model: m }],
        ),
      ),
      flows: {
        main: {
          begin: 'ask',
          nodes: {
            ask: {
              kind: 'ask',
              says: 'Which?',
              expects: 'text',
              into: 'flow.which',
              exits: { answered: 'think', 'gave-up': 'end' },
            },
            think: {
              kind: 'model',
              uses: 'practice',
              parts: [{ part: 'task', says: 'Say who you are.' }],
              into: 'flow.answer',
              aloud: true,
              timeout: '2s',
              exits: { done: 'end', failed: 'sorry' },
            },
            sorry: { kind: 'say', says: 'Sorry: {{ turn.failure.reason }}.', exits: { said: 'end' } },
            end: { kind: 'end', ends: 'flow' },
          },
        },
      },
    };
    const made = await service.client.call('createBot', { body: { from: 'document', document: document } });
    bot = made.bot.id;
  });
  after(() => servers.forEach((s) => s.close()));

  const use = async (model: string, more: readonly { path: string; value: unknown }[] = []) => {
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const patch = [{ path: '/flows/main/nodes/think/uses', value: model }, ...more].map(
      (p) => ({ op: 'replace', ...p }) as never,
    );
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch } });
    const opened = await service.client.call('openSimulation', { params: { bot }, body: { outside: { service: 'real' } } });
    const said = { params: { bot, conversation: opened.conversation }, body: { id: 'a', text: 'go' } };
    return plainText((await service.client.call('saySimulation', said)).sheet.messages.at(-1)?.blocks ?? []);
  };
  const tryIt = (model: string) => service.client.call('tryModel', { params: { bot, model }, body: { text: 'hello' } });

  it('answers is said aloud', async () => {
    expect(await use('practice')).to.contain('I am a practice model');
  });
  it('answers with a web page, breaks off, refuses or has no such model is told apart', async () => {
    expect(await use('practice-page')).to.match(/answered with a web page instead of a model's answer/);
    expect(await use('practice-breaks')).to.match(/broke off in the middle of its answer/);
    expect(await use('practice-refuses')).to.match(/refused with status 500: this model refuses, for an exercise/);
    expect((await tryIt('nobody')).reason).to.match(/refused with status 404: there is no model/);
  });
  it('stalls or is too slow ends by the time limit', async () => {
    expect(await use('practice-stalls')).to.match(/was not done within 2 s/);
  });
  it('cannot be reached is said', async () => {
    const reason = await use('practice', [{ path: '/connections/service/address', value: 'http://127.0.0.1:9/v1' }]);
    expect(reason).to.match(/127\.0\.0\.1:9 cannot be reached/);
    expect(await use('practice', [{ path: '/connections/service/address', value: `${service.models}/v1` }])).to.contain(
      'practice',
    );
  });
  it('answers in one piece, without streaming, is understood too', async () => {
    const answers = [
      ['application/json', JSON.stringify({ choices: [{ message: { content: 'In one piece.' }, finish_reason: 'stop' }] })],
      ['application/json', '{"choices": []}'],
      ['application/json', 'nonsense'],
      ['text/event-stream', 'data: {"error": {"message": "overloaded"}}\n\n'],
    ] as const;
    const results: string[] = [];
    for (const [type, text] of answers) {
      const server = createServer((_req, res) => res.writeHead(200, { 'content-type': type }).end(text));
      servers.push(server);
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/v1`;
      results.push(await use('practice', [{ path: '/connections/service/address', value: address }]));
    }
    await use('practice', [{ path: '/connections/service/address', value: `${service.models}/v1` }]);
    expect(results[0]).to.equal('In one piece.');
    expect(results[1]).to.contain('answered without any text');
    expect(results[2]).to.contain('cannot be read as JSON');
    expect(results[3]).to.contain('broke off: overloaded');
  });

  it('writes slowly is heard sentence by sentence in web chat, and the message replaces the words', async () => {
    await use('practice-slow', [{ path: '/flows/main/nodes/think/timeout', value: '20s' }]);
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    const { items } = await service.client.call('listChannels', { params: { bot } });
    const visitor = new TestVisitor(service.address, items[0]?.link ?? '');
    await visitor.open();
    await visitor.until('Which?');
    let words = 0;
    const listening = visitor.stream(
      (all) => all.some((l) => l.message.text.includes('practice model')),
      '',
      (name) => (words += name === 'words' ? 1 : 0),
    );
    await visitor.say('go');
    const { lines } = await listening;
    expect(words).to.be.within(1, 3);
    expect(lines.filter((l) => l.who === 'bot').at(-1)?.message.text).to.match(/cannot hold a conversation\.$/);
  });

  it('wants a secret is not called without one, and is shown it with one', async () => {
    const seen: (string | undefined)[] = [];
    const server = createServer((req, res) => {
      seen.push(req.headers.authorization);
      res.writeHead(200, { 'content-type': 'application/json' });
      res.end(JSON.stringify({ choices: [{ message: { content: 'Hello.' }, finish_reason: 'stop' }] }));
    });
    servers.push(server);
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/v1`;
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const patch = [{ op: 'add' as const, path: '/connections/service/auth', value: 'bearer' }];
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch } });
    const point = [{ path: '/connections/service/address', value: address }];
    expect(await use('practice', point)).to.contain('has no secret that can be read; enter it on the Actions page');
    const params = { bot, connection: 'service' };
    const kept = await service.client.call('setSecret', { params, body: { secret: 's3cret-of-ours' } });
    expect(kept).to.deep.include({ auth: 'bearer', secret: true });
    expect(JSON.stringify(kept)).to.not.contain('s3cret');
    expect(await use('practice', point)).to.equal('Hello.');
    expect(seen).to.deep.equal(['Bearer s3cret-of-ours']);
    const turns = JSON.stringify(await service.client.call('getDraft', { params: { bot } }));
    expect(turns).to.not.contain('s3cret');
    expect(await service.client.call('setSecret', { params, body: { secret: null } })).to.include({ secret: false });
  });
});

describe('a sealed secret', () => {
  const key = Buffer.alloc(32, 7);
  it('opens with the same key at the same place only', () => {
    const sealed = seal(key, 'the token', 'channel 1/token');
    expect(unseal(key, sealed, 'channel 1/token')).to.equal('the token');
    expect(() => unseal(Buffer.alloc(32, 8), sealed, 'channel 1/token')).to.throw();
    expect(() => unseal(key, sealed, 'channel 2/token')).to.throw();
    const parts = sealed.split('.');
    expect(() =>
      unseal(key, [...parts.slice(0, 3), Buffer.from('other').toString('base64')].join('.'), 'channel 1/token'),
    ).to.throw();
    expect(seal(key, 'the token', 'channel 1/token')).to.not.equal(sealed);
  });
});
