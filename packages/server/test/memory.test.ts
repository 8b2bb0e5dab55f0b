import { expect } from 'chai';
import { pino } from 'pino';
import { PNG } from 'pngjs';
import type { BotDocument } from '@primrose/core';
import { chanceOf } from '../../core/test/chance.js';
import { accepted } from '../../core/test/harbour.js';
import { canteen } from '../../core/test/keeper.js';
import { systemClock } from '../src/base/clock.js';
import { Sweeper } from '../src/retention/sweeper.js';
import { openDatabase } from '../src/store/database.js';
import { chatLink, linesWhen, pause, releasedBot, said } from './support/crowd.js';
import { problemOf } from './support/problem.js';
import { DATABASE_URL, theService, type TestService } from './support/service.js';
import { until } from './support/until.js';
import { TestVisitor } from './support/visitor.js';

/** Deletes what has been kept for its time, as if so many days had gone by. */
async function sweepAfter(days: number): Promise<void> {
  const db = openDatabase(DATABASE_URL, 2);
  const clock = { ...systemClock, now: () => new Date(Date.now() + days * 86_400_000) };
  try {
    await new Sweeper({ db, clock, log: pino({ level: 'silent' }), everyMinutes: 60 }).sweep();
  } finally {
    await db.destroy();
  }
}

const picture = (red: number, green: number, blue: number): Uint8Array<ArrayBuffer> => {
  const png = new PNG({ width: 40, height: 20 });
  for (let i = 0; i < png.data.length; i += 4) png.data.set([red, green, blue, 255], i);
  return new Uint8Array(PNG.sync.write(png));
};

describe('memory', () => {
  let service: TestService;

  before(async () => {
    service = await theService();
  });

  const visitorAt = (link: string) => new TestVisitor(service.address, link);
  /** A visitor who says things one after the other, each once the bot has answered. */
  const talk = async (visitor: TestVisitor, ...words: string[]): Promise<string[]> => {
    let all = await visitor.open();
    for (const text of words) {
      const before = said(all).length;
      await visitor.say(text);
      all = await linesWhen(visitor, (lines) => said(lines).length > before);
    }
    return said(all);
  };
  /** A messenger that takes whatever is said; returns the way to write as one of its senders. */
  const plainMessenger = async (bot: string) => {
    const profile = {
      events: 'body.list',
      event: { id: 'item.id', sender: 'item.from', text: 'item.text' },
      calls: { address: 'http://127.0.0.1:9/api', message: { post: '/send/{{ to }}', body: { text: '{{ text }}' } } },
    };
    const { link: hook } = await service.client.call('createChannel', {
      params: { bot },
      body: { kind: 'hook-messenger', name: 'Plain', profile },
    });
    let events = 0;
    return (from: string, text: string) =>
      fetch(hook, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ list: [{ id: `m${events++}`, from, text }] }),
      });
  };
  const outside = (models: Record<string, unknown>) => ({
    connections: { kitchen: canteen().connections?.['kitchen'], service: { address: `${service.models}/v1`, actions: {} } },
    models: { writer: { connection: 'service', model: 'practice' }, ...models },
  });

  /** Keeps notes under the team that a visitor names, and what they always like of themselves. */
  const teams = (): BotDocument =>
    accepted({
      primrose: 1,
      bot: 'teams',
      name: 'Teams',
      languages: ['en'],
      zone: 'Europe/Dublin',
      begins: 'main',
      variables: { visitor: { team: 'text' } },
      memory: { facts: { colour: { about: 'the colour they like', type: 'text', words: ['colour'] } } },
      connections: { service: { address: `${service.models}/v1`, actions: {} } },
      models: { writer: { connection: 'service', model: 'practice' } },
      flows: {
        main: {
          begin: 'team',
          nodes: {
            team: {
              kind: 'ask',
              says: 'Which team?',
              expects: 'text',
              into: 'visitor.team',
              exits: { answered: 'more', 'gave-up': 'more' },
            },
            more: {
              kind: 'ask',
              says: 'Go on.',
              expects: 'text',
              into: 'flow.note',
              exits: { answered: 'think', 'gave-up': 'more' },
            },
            think: {
              kind: 'model',
              uses: 'writer',
              parts: [
                { part: 'task', says: 'Note it.' },
                { part: 'note', says: '{{ flow.note }}', input: true },
              ],
              recall: { turns: 5, key: '{{ visitor.team }}' },
              into: 'flow.thought',
              exits: { done: 'noted', failed: 'noted' },
            },
            noted: { kind: 'say', says: 'Noted {{ flow.note }}.', exits: { said: 'more' } },
          },
        },
      },
    });

  it('never mixes people up: 200 talks of 50 visitors over two channels, with shared keys, all at once', async () => {
    const { client } = service;
    const { bot, link } = await releasedBot(service, teams());
    await client.call('setConnection', {
      params: { bot, connection: 'service' },
      body: { address: `${service.models}/v1`, standIn: `${service.models}/v1` },
    });
    const send = await plainMessenger(bot);
    const next = chanceOf(19);
    const people = Array.from({ length: 50 }, (_, i) => {
      const visitor = i % 2 === 0 ? visitorAt(link) : undefined;
      const say = async (text: string) => (visitor ? void (await visitor.say(text)) : void (await send(`77${1000 + i}`, text)));
      return { id: `p${i}x`, team: `team-${i % 7}`, visitor, say };
    });
    await Promise.all(people.map(async (p) => p.visitor?.open()));
    // A messenger has no greeting: whoever writes first is greeted, and then asked for the team.
    await Promise.all(people.filter((p) => !p.visitor).map((p) => p.say('hello')));
    await pause(1500);
    await Promise.all(people.map((p) => p.say(p.team)));
    await pause(1500);
    const talks = Array.from({ length: 200 }, (_, i) => i).sort(() => next() - 0.5);
    for (let at = 0; at < talks.length; at += 20)
      await Promise.all(
        talks.slice(at, at + 20).map(async (n) => {
          const p = people[n % 50];
          await p?.say(`I always like the colour ${p.id}${n}`);
          await p?.say(`a note of ${p.id}${n}`);
        }),
      );
    const visitors = () => client.call('listVisitors', { params: { bot }, query: { limit: 200 } });
    const notes = async () =>
      (await client.call('listMemories', { params: { bot }, query: {} })).items.reduce((sum, m) => sum + m.exchanges, 0);
    await until(async () => (await notes()) >= 200, 90);
    const { items } = await visitors();
    expect(items).to.have.lengthOf(50);
    const seen = new Set<string>();
    for (const { id } of items) {
      const out = JSON.stringify(await client.call('exportVisitor', { params: { bot, visitor: id } }));
      const whose = new Set(out.match(/p\d+x/g));
      expect([...whose], 'of one visitor only').to.have.lengthOf(1);
      seen.add([...whose][0] ?? '');
      const kept = await client.call('getVisitor', { params: { bot, visitor: id } });
      expect(kept.known.map((f) => f.about)).to.deep.equal(['colour']);
      expect(kept.known[0]?.was?.length).to.equal(3);
    }
    expect(seen.size).to.equal(50);
    const keys = async () => (await client.call('listMemories', { params: { bot }, query: {} })).items;
    expect((await keys()).map((k) => k.key).sort()).to.deep.equal(Array.from({ length: 7 }, (_, i) => `team-${i}`));
    const [erased] = await keys();
    const params = { bot, memory: erased?.id ?? '' };
    await client.call('eraseMemory', { params });
    expect((await keys()).map((k) => k.key))
      .to.have.lengthOf(6)
      .and.not.include(erased?.key);
    expect((await problemOf(client.call('eraseMemory', { params }))).code).to.equal('not-found');
    const told = await talk(people[0]?.visitor ?? visitorAt(link), 'what do you know about me?');
    expect(new Set(told.join(' ').match(/p\d+x/g))).to.deep.equal(new Set(['p0x']));
  });

  it('is there in the next conversation, is the person’s and not the browser’s, and goes when they say so', async () => {
    const { bot, link } = await releasedBot(service, canteen());
    const visitor = visitorAt(link);
    await talk(visitor, 'hello', 'I always come with my dog');
    await visitor.post('/start-over');
    await until(async () => said(await visitor.open()).length === 1);
    expect((await talk(visitor, 'what do you know about me?')).join('\n')).to.contain('You come with a dog.');
    // Whose storage is cleared is a stranger, and what a stranger has forgotten is nobody else's.
    const stranger = visitorAt(link);
    expect((await talk(stranger, 'what do you know about me?')).join('\n')).to.contain('kept nothing in mind');
    await talk(stranger, 'forget everything');
    const { items } = await service.client.call('listVisitors', { params: { bot }, query: {} });
    expect(items.map((v) => v.facts).sort()).to.deep.equal([0, 1]);
    await talk(visitor, 'forget everything');
    const after = await service.client.call('listVisitors', { params: { bot }, query: {} });
    expect(after.items.map((v) => v.facts)).to.deep.equal([0, 0]);
  });

  it('goes once nothing has touched it for its time', async () => {
    const { client } = service;
    const { bot, link } = await releasedBot(service, canteen());
    const visitor = visitorAt(link);
    await talk(visitor, 'hello', 'I always come with my dog');
    await client.call('setRetention', { params: { bot }, body: { memory: 5 } });
    const facts = async () => (await client.call('listVisitors', { params: { bot }, query: {} })).items.map((v) => v.facts);
    await sweepAfter(4);
    expect(await facts()).to.deep.equal([1]);
    await sweepAfter(6);
    expect(await facts()).to.deep.equal([0]);
    expect((await talk(visitor, 'what do you know about me?')).join('\n')).to.contain('kept nothing in mind');
  });

  it('is one on two channels once somebody says who is the same person, and is parted and erased again', async () => {
    const { client } = service;
    const { bot, link } = await releasedBot(service, canteen());
    const send = await plainMessenger(bot);
    const visitor = visitorAt(link);
    await talk(visitor, 'hello', 'I always come with my dog');
    await send('771', 'hello');
    await send('771', 'I am allergic to nuts');
    const visitors = async () => (await client.call('listVisitors', { params: { bot }, query: {} })).items;
    await until(async () => (await visitors()).filter((v) => v.facts === 1).length === 2);
    const idOf = async (by: 'key' | 'sender') => (await visitors()).find((v) => v.by === by)?.id ?? '';
    const [one, other] = [await idOf('key'), await idOf('sender')];
    const params = { bot, visitor: one };
    await client.call('changeVisitor', { params: { bot, visitor: other }, body: { values: { first_name: 'Isla' } } });
    const joined = await client.call('joinVisitor', { params, body: { visitor: other } });
    expect(joined.known.map((f) => f.about).sort()).to.deep.equal(['allergy', 'dog']);
    expect([joined.values, joined.same.map((s) => s.id), joined.items.length]).to.deep.equal([
      { first_name: 'Isla' },
      [other],
      2,
    ]);
    // What is said on either channel counts on both.
    expect((await talk(visitor, 'what do you know about me?')).join('\n')).to.contain('allergic to nuts');
    await send('771', 'I no longer bring the dog');
    await until(async () => (await client.call('getVisitor', { params })).known.some((f) => f.value === false));
    await talk(visitor, 'I am allergic to milk');
    const known = (await client.call('getVisitor', { params: { bot, visitor: other } })).known.map((f) => f.says);
    expect(known).to.include.members(['I am allergic to milk', 'I no longer bring the dog']);
    // Twice is once, and nobody is joined to themselves or parted from nobody.
    await client.call('joinVisitor', { params: { bot, visitor: other }, body: { visitor: one } });
    expect((await client.call('getVisitor', { params })).same).to.have.lengthOf(1);
    expect((await problemOf(client.call('joinVisitor', { params, body: { visitor: one } }))).code).to.equal('invalid-input');
    expect((await problemOf(client.call('partVisitor', { params }))).detail).to.contain('part those');
    const parted = await client.call('partVisitor', { params: { bot, visitor: other } });
    // Each takes along what was said there, and nothing more.
    const about = (known: readonly { about: string; says: string }[]) => known.map((f) => f.says).sort();
    expect([about(parted.known), parted.same, parted.values]).to.deep.equal([
      ['I am allergic to nuts', 'I no longer bring the dog'],
      [],
      { first_name: 'Isla' },
    ]);
    const left = await client.call('getVisitor', { params });
    expect([about(left.known), left.values]).to.deep.equal([['I always come with my dog', 'I am allergic to milk'], {}]);
    await client.call('joinVisitor', { params, body: { visitor: other } });
    await client.call('eraseVisitor', { params: { bot, visitor: other } });
    expect(await visitors()).to.deep.equal([]);
  });

  it('is corrected, forgotten, taken out and erased by staff', async () => {
    const { client } = service;
    const { bot, link } = await releasedBot(service, canteen());
    const visitor = visitorAt(link);
    await talk(visitor, 'hello', 'I always come with my dog', 'I am allergic to nuts');
    const [row] = (await client.call('listVisitors', { params: { bot }, query: {} })).items;
    const params = { bot, visitor: row?.id ?? '' };
    const kept = await client.call('getVisitor', { params });
    const fact = kept.known.find((f) => f.about === 'allergy')?.id ?? '';
    expect(kept.known.every((f) => f.conversation === kept.items[0]?.id && (f.turn ?? 0) > 1)).to.equal(true);
    const corrected = await client.call('changeFact', { params: { ...params, fact }, body: { says: 'allergic to walnuts' } });
    expect(corrected.known.find((f) => f.id === fact)).to.deep.include({
      says: 'allergic to walnuts',
      value: 'allergic to walnuts',
      by: 'staff',
    });
    expect((await talk(visitor, 'what do you know about me?')).join('\n')).to.contain('walnuts');
    await client.call('changeVisitor', { params, body: { values: { first_name: 'Isla' } } });
    expect((await client.call('getVisitor', { params })).values).to.deep.equal({ first_name: 'Isla' });
    expect((await problemOf(client.call('changeVisitor', { params, body: { values: { shoe: 9 } } }))).detail).to.contain(
      'first_name',
    );
    const forgotten = await client.call('forgetFact', { params: { ...params, fact } });
    expect(forgotten.known.map((f) => f.about)).to.deep.equal(['dog']);
    const out = await client.call('exportVisitor', { params });
    expect(out.conversations[0]?.lines.some((l) => l.text === 'I always come with my dog')).to.equal(true);
    expect((await client.call('forgetVisitor', { params })).known).to.deep.equal([]);
    await client.call('eraseVisitor', { params });
    expect((await problemOf(client.call('getVisitor', { params }))).code).to.equal('not-found');
  });

  it('is summed up in the background, and what a model proposes is asked about', async () => {
    const { client } = service;
    const { bot, link } = await releasedBot(service, canteen(outside({}), { by: 'writer', after: 3 }));
    await client.call('setConnection', {
      params: { bot, connection: 'service' },
      body: { address: `${service.models}/v1`, standIn: `${service.models}/v1` },
    });
    const visitor = visitorAt(link);
    await talk(visitor, 'hello', 'when do you open', 'the puppy of ours eats fish', 'when do you open');
    const [row] = (await client.call('listVisitors', { params: { bot }, query: {} })).items;
    const kept = () => client.call('getVisitor', { params: { bot, visitor: row?.id ?? '' } });
    await until(async () => (await kept()).summary !== null);
    expect((await kept()).summary).to.include({ by: 'writer' });
  });

  it('of a made-up visitor is kept in the simulator over conversations, and can be written down', async () => {
    const { client } = service;
    const { bot } = await releasedBot(service, canteen());
    const made = await client.call('keepMadeUpVisitor', { params: { bot }, body: { name: 'Mo', facts: { dog: true } } });
    expect(made.facts).to.deep.equal({ dog: true });
    const speaker = { visitor: made.id };
    const say = async (conversation: string, text: string) => {
      const response = await fetch(`${service.address}/api/bots/${bot}/simulations/${conversation}/turns`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', authorization: `Bearer ${service.token}` },
        body: JSON.stringify({ id: crypto.randomUUID(), event: { type: 'message', text } }),
      });
      expect([response.status, await response.text()][0]).to.equal(200);
    };
    const first = await client.call('createSimulation', { params: { bot }, body: { speaker } });
    await say(first.id, 'hello');
    await say(first.id, 'I am allergic to nuts');
    const { items } = await client.call('listMadeUpVisitors', { params: { bot } });
    expect(items[0]?.facts).to.deep.equal({ dog: true, allergy: 'I am allergic to nuts' });
    expect(
      (await problemOf(client.call('keepMadeUpVisitor', { params: { bot }, body: { name: 'Mo', facts: { cat: true } } }))).detail,
    ).to.contain('dog');
  });
});

describe('pictures and files', () => {
  let service: TestService;
  let bot: string;
  let link: string;

  before(async () => {
    service = await theService();
    const document = accepted({
      primrose: 1,
      bot: 'eyes',
      name: 'Eyes',
      languages: ['en'],
      zone: 'Europe/Dublin',
      begins: 'main',
      connections: { service: { address: `${service.models}/v1`, actions: {} } },
      models: { writer: { connection: 'service', model: 'practice' } },
      flows: {
        main: {
          begin: 'ask',
          nodes: {
            ask: {
              kind: 'ask',
              says: 'Show me.',
              expects: 'text',
              whatever: true,
              into: 'flow.words',
              exits: { answered: 'which', 'gave-up': 'done' },
            },
            which: {
              kind: 'branch',
              cases: [
                { exit: 'draw', when: 'flow.words.startsWith("draw")' },
                { exit: 'file', when: 'size(turn.files) > 0' },
              ],
              exits: { draw: 'draw', file: 'tell', otherwise: 'look' },
            },
            draw: {
              kind: 'draw',
              uses: 'writer',
              says: '{{ flow.words }}',
              size: '200x120',
              exits: { done: 'clear', failed: 'clear' },
            },
            tell: { kind: 'say', says: 'It says: {{ turn.files[0].text }}', exits: { said: 'clear' } },
            look: {
              kind: 'model',
              uses: 'writer',
              parts: [{ part: 'task', says: 'Say what you see.' }],
              pictures: '{{ turn.pictures }}',
              into: 'flow.seen',
              aloud: true,
              exits: { done: 'clear', failed: 'clear' },
            },
            clear: { kind: 'set', sets: [{ into: 'flow.words', to: null }], exits: { done: 'ask' } },
            done: { kind: 'end', ends: 'flow' },
          },
        },
      },
    });
    ({ bot, link } = await releasedBot(service, document));
    await service.client.call('setConnection', {
      params: { bot, connection: 'service' },
      body: { address: `${service.models}/v1`, standIn: `${service.models}/v1` },
    });
    expect(link).to.equal(await chatLink(service.client, bot));
  });

  const visitorAt = () => new TestVisitor(service.address, link);
  const sends = async (visitor: TestVisitor, bytes: BodyInit, type: string, name = 'a.png') => {
    const response = await fetch(`${service.address}/api/chat/${link.split('/').at(-1)}/files?name=${name}`, {
      method: 'POST',
      headers: { 'content-type': type, authorization: `Bearer ${visitor.key}` },
      body: bytes,
    });
    return { status: response.status, body: (await response.json()) as Record<string, string> };
  };

  it('are seen by a model, shown in the talk, and handed out as what they are', async () => {
    const visitor = visitorAt();
    await visitor.open();
    const { status, body } = await sends(visitor, picture(200, 20, 20), 'image/png');
    expect([status, body['type']]).to.deep.equal([201, 'image/png']);
    const sent = await visitor.post('/messages', { id: 'p1', files: [body['address']] });
    expect(sent.status).to.equal(202);
    const lines = await linesWhen(visitor, (l) => said(l).some((w) => w.includes('40 by 20')));
    expect(said(lines).join('\n')).to.contain('mainly red');
    expect(JSON.stringify(lines.filter((l) => l.who === 'visitor'))).to.contain(body['address']);
    const fetched = await fetch(body['address'] ?? '');
    expect(fetched.headers.get('content-type')).to.equal('image/png');
    expect(fetched.headers.get('content-security-policy')).to.contain('sandbox');
    expect((await fetch(`${body['address']?.slice(0, -3)}abc`)).status).to.equal(404);
  });

  it('that are texts can be read in expressions', async () => {
    const visitor = visitorAt();
    await visitor.open();
    const { body } = await sends(visitor, 'The ramp jams.', 'text/plain', 'log.txt');
    await visitor.post('/messages', { id: 't1', files: [body['address']] });
    await linesWhen(visitor, (l) => said(l).some((w) => w.includes('It says: The ramp jams.')));
  });

  it('are drawn by a model, kept here, and shown', async () => {
    const visitor = visitorAt();
    await visitor.open();
    await visitor.say('draw a ferry');
    const lines = await linesWhen(visitor, (l) => said(l).some((w) => w.startsWith('![')));
    const address = /\((http[^)]+)\)/.exec(said(lines).find((w) => w.startsWith('![')) ?? '')?.[1] ?? '';
    const drawn = PNG.sync.read(Buffer.from(await (await fetch(address)).arrayBuffer()));
    expect([drawn.width, drawn.height]).to.deep.equal([200, 120]);
  });

  it('are refused where they are too large, another thing than they say, or somebody else’s', async () => {
    const visitor = visitorAt();
    await visitor.open();
    const page = await sends(visitor, '<!doctype html><script>alert(1)</script>', 'image/png');
    expect([page.status, page.body['code']]).to.deep.equal([422, 'invalid-input']);
    expect(page.body['detail']).to.contain('said to be image/png');
    const zip = await sends(visitor, new Uint8Array([0x50, 0x4b, 3, 4, 20, 0, 0, 0, 0, 0]), 'text/plain', 'a.txt');
    expect(zip.status).to.equal(422);
    const large = await sends(visitor, new Uint8Array(5_000_000), 'image/png');
    expect(large.status).to.equal(413);
    const { body } = await sends(visitor, picture(0, 0, 200), 'image/png');
    const other = visitorAt();
    await other.open();
    const stolen = await other.post('/messages', { id: 's1', files: [body['address']] });
    expect([stolen.status, stolen.body['code']]).to.deep.equal([422, 'invalid-input']);
    expect((await visitor.post('/messages', { id: 's2', files: ['https://example.org/a.png'] })).status).to.equal(422);
    expect((await sends(visitorAt(), 'x', 'text/plain')).status).to.equal(401);
  });

  it('that nobody says with a message go after a day', async () => {
    const visitor = visitorAt();
    await visitor.open();
    const [said, unsaid] = [
      await sends(visitor, picture(9, 9, 9), 'image/png'),
      await sends(visitor, picture(8, 8, 8), 'image/png'),
    ];
    await visitor.post('/messages', { id: 'u1', files: [said.body['address']] });
    await sweepAfter(2);
    const status = async (address = '') => (await fetch(address)).status;
    expect([await status(said.body['address']), await status(unsaid.body['address'])]).to.deep.equal([200, 404]);
  });

  it('go with their visitor', async () => {
    const visitor = visitorAt();
    await visitor.open();
    const { body } = await sends(visitor, picture(0, 200, 0), 'image/png');
    await visitor.post('/messages', { id: 'e1', files: [body['address']] });
    await linesWhen(visitor, (l) => said(l).some((w) => w.includes('green')));
    const { items } = await service.client.call('listVisitors', { params: { bot }, query: {} });
    const [newest] = items;
    const params = { bot, visitor: newest?.id ?? '' };
    expect((await service.client.call('getVisitor', { params })).files).to.equal(1);
    await service.client.call('eraseVisitor', { params });
    expect((await fetch(body['address'] ?? '')).status).to.equal(404);
  });
});
