import { expect } from 'chai';
import { createClient, type Client } from '@primrose/contract';
import { linesWhen, releasedBot, said } from './support/crowd.js';
import { knowingBot } from './support/known-bot.js';
import { problemOf } from './support/problem.js';
import { theService, type TestService } from './support/service.js';
import { until } from './support/until.js';
import { TestVisitor } from './support/visitor.js';

const id = () => crypto.randomUUID();

describe('the inbox', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });

  /** A bot with two people of staff besides its owner, each with a client of their own. */
  const staffed = async (more: Record<string, unknown> = {}) => {
    const { bot, link } = await releasedBot(service, knowingBot(more));
    const people = await Promise.all(
      ['Orla', 'Bram'].map((name) => service.client.call('addStaff', { params: { bot }, body: { name } })),
    );
    const clients = await Promise.all(people.map((p) => signedIn(p.link)));
    const [orla, bram] = clients as [Client, Client];
    return { bot, link, orla, bram, ids: people.map((p) => p.id) as [string, string], people };
  };
  /** A client with a token of whoever signs in by a link. */
  const signedIn = async (link: string): Promise<Client> => {
    const json = { 'content-type': 'application/json' };
    const answer = await fetch(`${service.address}/api/sign-in`, {
      method: 'POST',
      headers: json,
      body: JSON.stringify({ link: link.split('#')[1] }),
    });
    const cookie = (answer.headers.get('set-cookie') ?? '').split(';')[0] ?? '';
    const made = await fetch(`${service.address}/api/tokens`, {
      method: 'POST',
      headers: { ...json, cookie, 'x-primrose': '1', 'sec-fetch-site': 'same-origin' },
      body: JSON.stringify({ name: 'test' }),
    });
    const { secret } = (await made.json()) as { secret: string };
    return createClient({ address: service.address, token: secret });
  };
  type Staffed = Awaited<ReturnType<typeof staffed>>;
  /** A visitor whom the bot has handed over, and their conversation. */
  const handedOver = async ({ bot, link }: Pick<Staffed, 'bot' | 'link'>) => {
    const visitor = new TestVisitor(service.address, link);
    await visitor.open();
    await visitor.say('talk to a person');
    await visitor.until('Calling.');
    let conversation = '';
    await until(async () => {
      const { items } = await service.client.call('listInbox', { params: { bot }, query: { view: 'all' } });
      conversation = items.at(-1)?.id ?? '';
      return items.length > 0;
    });
    return { visitor, params: { bot, conversation } };
  };
  const staffLines = async (visitor: TestVisitor) =>
    (await linesWhen(visitor, () => true)).filter((l) => l.who === 'staff').map((l) => `${l.by}: ${l.message.text}`);

  it('shows who waits, whose each is, and what the talk is about', async () => {
    const desk = await staffed();
    const { params } = await handedOver(desk);
    const { bot } = desk;
    const list = await desk.orla.call('listInbox', { params: { bot }, query: {} });
    expect([list.counts, list.staffed, list.me.name, list.me.owner]).to.deep.equal([
      { waiting: 1, mine: 0, all: 1 },
      true,
      'Orla',
      false,
    ]);
    expect(list.staff.map((s) => s.name)).to.include.members(['Orla', 'Bram']);
    expect(list.items[0]).to.deep.include({ staff: null, asks: true, said: 'talk to a person' });
    expect(list.items[0]?.handed?.reason).to.equal('Wants a person: talk to a person');
    const talk = await desk.orla.call('getInboxTalk', { params });
    expect(talk.lines.items.map((l) => l.who)).to.deep.equal(['bot', 'bot', 'visitor', 'bot']);
    expect(talk.summary.wants).to.deep.equal(['person']);
    const taken = await desk.orla.call('takeConversation', { params, body: { from: null } });
    expect(taken.staff).to.deep.equal({ id: desk.ids[0], name: 'Orla' });
    const mine = await desk.orla.call('listInbox', { params: { bot }, query: { view: 'mine' } });
    expect([mine.items.length, mine.counts]).to.deep.equal([1, { waiting: 0, mine: 1, all: 1 }]);
    expect((await desk.bram.call('listInbox', { params: { bot }, query: { view: 'mine' } })).items).to.deep.equal([]);
  });

  it('lets one of two take a conversation, who do so at once', async () => {
    const desk = await staffed();
    for (let round = 0; round < 5; round++) {
      const { params } = await handedOver(desk);
      const tries = await Promise.allSettled(
        [desk.orla, desk.bram].map((c) => c.call('takeConversation', { params, body: { from: null } })),
      );
      const done = tries.filter((t) => t.status === 'fulfilled');
      expect(done.length).to.equal(1);
      const winner = done[0]?.value.staff?.name ?? '';
      const loser = winner === 'Orla' ? desk.bram : desk.orla;
      const refused = await problemOf(loser.call('answerConversation', { params, body: { id: id(), text: 'Hello' } }));
      expect([refused.code, refused.detail]).to.deep.equal([
        'taken',
        `${winner} has taken this conversation, so nothing was done. Ask ${winner}, or take it over first.`,
      ]);
      // Whoever takes it over says from whom, so that nobody takes from somebody whom they did not see.
      const wrong = await problemOf(loser.call('takeConversation', { params, body: { from: null } }));
      expect(wrong.code).to.equal('taken');
      const from = desk.ids[winner === 'Orla' ? 0 : 1];
      expect((await loser.call('takeConversation', { params, body: { from } })).staff?.name).to.not.equal(winner);
      await loser.call('closeConversation', { params, body: { id: id() } });
    }
  });

  it('says one answer of two that are sent at once, and tells the other why', async () => {
    const desk = await staffed();
    for (let round = 0; round < 5; round++) {
      const { visitor, params } = await handedOver(desk);
      const seen = (await desk.orla.call('getInboxTalk', { params })).lines.items.at(-1)?.seq ?? 0;
      const tries = await Promise.allSettled(
        [desk.orla, desk.bram].map((c, i) =>
          c.call('answerConversation', { params, body: { id: id(), text: `answer ${i}`, seen } }),
        ),
      );
      expect(tries.filter((t) => t.status === 'fulfilled').length).to.equal(1);
      await until(async () => (await staffLines(visitor)).length > 0);
      expect((await staffLines(visitor)).length).to.equal(1);
      // Taken over, what was answered before is seen first.
      const [winner, loser, loserId, winnerId] =
        tries[0]?.status === 'fulfilled'
          ? [desk.orla, desk.bram, desk.ids[1], desk.ids[0]]
          : [desk.bram, desk.orla, desk.ids[0], desk.ids[1]];
      await loser.call('takeConversation', { params, body: { from: winnerId } });
      const late = await problemOf(loser.call('answerConversation', { params, body: { id: id(), text: 'late', seen } }));
      expect(late.code).to.equal('answered-meanwhile');
      const now = (await loser.call('getInboxTalk', { params })).lines.items.at(-1)?.seq ?? 0;
      await loser.call('answerConversation', { params, body: { id: id(), text: 'now', seen: now } });
      expect((await problemOf(winner.call('handBack', { params }))).code).to.equal('taken');
      await winner.call('takeConversation', { params, body: { from: loserId } });
      await winner.call('handBack', { params });
    }
  });

  it('says an answer once that is sent again after a broken line', async () => {
    const desk = await staffed();
    const { visitor, params } = await handedOver(desk);
    const body = { id: id(), text: 'once', seen: 0 };
    await Promise.all([1, 2, 3].map(() => desk.orla.call('answerConversation', { params, body })));
    await until(async () => (await staffLines(visitor)).length > 0);
    expect(await staffLines(visitor)).to.deep.equal(['Orla: once']);
  });

  it('is told who is writing, on both sides', async () => {
    const desk = await staffed();
    const { visitor, params } = await handedOver(desk);
    const heard: string[] = [];
    const stream = visitor.stream(
      (lines) => lines.some((l) => l.who === 'staff'),
      '',
      (name) => heard.push(name),
    );
    await until(async () => {
      await desk.orla.call('typeAsStaff', { params });
      return heard.includes('staff-typing');
    });
    expect((await desk.bram.call('getInboxTalk', { params })).typing).to.deep.equal({ visitor: false, staff: ['Orla'] });
    expect((await desk.orla.call('getInboxTalk', { params })).typing.staff).to.deep.equal([]);
    await visitor.post('/typing');
    expect((await desk.bram.call('getInboxTalk', { params })).typing.visitor).to.equal(true);
    await visitor.say('there it is');
    expect((await desk.bram.call('getInboxTalk', { params })).typing.visitor).to.equal(false);
    await desk.orla.call('answerConversation', { params, body: { id: id(), text: 'Yes?' } });
    await stream;
    expect((await desk.bram.call('getInboxTalk', { params })).typing.staff).to.deep.equal([]);
  });

  it('keeps notes that no visitor sees, and canned words for all', async () => {
    const desk = await staffed();
    const { visitor, params } = await handedOver(desk);
    await desk.orla.call('addNote', { params, body: { text: 'was here on Monday, too' } });
    const { notes } = await desk.bram.call('getInboxTalk', { params });
    expect(notes.map((n) => [n.by, n.text])).to.deep.equal([['Orla', 'was here on Monday, too']]);
    expect(JSON.stringify(await visitor.post('/open', { key: visitor.key, language: 'en' }))).to.not.contain('Monday');
    const { bot } = desk;
    const made = await desk.orla.call('addCanned', { params: { bot }, body: { title: 'Bye', text: 'Goodbye.' } });
    await desk.bram.call('changeCanned', { params: { bot, canned: made.id }, body: { title: 'Bye', text: 'A calm crossing.' } });
    expect((await desk.orla.call('listCanned', { params: { bot } })).items).to.deep.equal([
      { id: made.id, title: 'Bye', text: 'A calm crossing.' },
    ]);
    await desk.bram.call('dropCanned', { params: { bot, canned: made.id } });
    expect((await problemOf(desk.bram.call('dropCanned', { params: { bot, canned: made.id } }))).code).to.equal('not-found');
  });

  it('closes a conversation with a last word; what is said next begins anew with the bot', async () => {
    const desk = await staffed();
    const { visitor, params } = await handedOver(desk);
    await desk.orla.call('takeConversation', { params, body: { from: null } });
    const closed = await desk.orla.call('closeConversation', { params, body: { id: id(), text: 'Found it. Goodbye.' } });
    expect([closed.handed, closed.endedAt === null]).to.deep.equal([null, false]);
    const last = (await linesWhen(visitor, (l) => l.some((x) => x.who === 'staff'))).at(-1);
    expect([last?.by, last?.message.ends]).to.deep.equal(['Orla', true]);
    expect((await problemOf(desk.orla.call('answerConversation', { params, body: { id: id(), text: 'x' } }))).code).to.equal(
      'not-found',
    );
    await visitor.say('one thing more');
    const all = said(await linesWhen(visitor, (l) => said(l).filter((t) => t.startsWith('Hello')).length > 1));
    expect(all.filter((t) => t.startsWith('Hello')).length).to.equal(2);
  });

  it('keeps words that come while it is handed back, and answers them with the bot', async () => {
    const desk = await staffed();
    const { visitor, params } = await handedOver(desk);
    await Promise.all([desk.orla.call('handBack', { params }), visitor.say('a late word')]);
    await until(async () => said(await linesWhen(visitor, () => true)).includes('Back.'));
    await visitor.say('and another');
    await visitor.until('Kept: and another.');
    const words = (await linesWhen(visitor, () => true)).filter((l) => l.who === 'visitor').map((l) => l.message.text);
    expect(words.filter((w) => w === 'a late word').length).to.equal(1);
  });

  it('is for staff of the bot alone, who see nothing else of it', async () => {
    const desk = await staffed();
    const { params } = await handedOver(desk);
    const { bot } = desk;
    const stranger = await staffed();
    for (const work of [
      () => stranger.orla.call('listInbox', { params: { bot }, query: {} }),
      () => stranger.orla.call('getInboxTalk', { params }),
      () => stranger.orla.call('answerConversation', { params, body: { id: id(), text: 'x' } }),
      () => desk.orla.call('getDraft', { params: { bot } }),
      () => desk.orla.call('listConversations', { params: { bot }, query: {} }),
      () => desk.orla.call('listVisitors', { params: { bot }, query: {} }),
      () => desk.orla.call('addStaff', { params: { bot }, body: { name: 'x' } }),
      () => desk.orla.call('setInboxSetting', { params: { bot }, body: { notifies: null } }),
    ])
      expect((await problemOf(work())).code).to.equal('not-found');
    // A conversation that the bot has again is theirs no more.
    await desk.orla.call('handBack', { params });
    expect((await problemOf(desk.orla.call('getInboxTalk', { params }))).code).to.equal('not-found');
    expect((await service.client.call('getInboxTalk', { params })).conversation.handed).to.equal(null);
    expect((await desk.orla.call('listInboxes', {})).items).to.deep.equal([{ bot, name: 'Knowing', waiting: 0 }]);
    expect((await desk.orla.call('listBots', { query: {} })).items).to.deep.equal([]);
  });

  it('gives back what somebody had taken who answers here no more, and signs them out', async () => {
    const desk = await staffed();
    const { params } = await handedOver(desk);
    await desk.orla.call('takeConversation', { params, body: { from: null } });
    await service.client.call('removeStaff', { params: { bot: desk.bot, person: desk.ids[0] } });
    expect((await problemOf(desk.orla.call('listInbox', { params: { bot: desk.bot }, query: {} }))).code).to.equal(
      'not-signed-in',
    );
    const { counts } = await desk.bram.call('listInbox', { params: { bot: desk.bot }, query: {} });
    expect(counts.waiting).to.equal(1);
    const again = await problemOf(service.client.call('addStaff', { params: { bot: desk.bot }, body: { name: 'bram' } }));
    expect(again.detail).to.contain('Choose a name by which visitors can tell them apart');
  });

  it('has a room told of a hand-over, in the same breath that it is handed over', async () => {
    const desk = await staffed();
    const { bot } = desk;
    const none = await problemOf(
      service.client.call('setInboxSetting', { params: { bot }, body: { notifies: { channel: 'Plain', to: 'room' } } }),
    );
    expect(none.detail).to.contain('no channel that can send');
    const profile = {
      events: 'body.list',
      event: { id: 'item.id', sender: 'item.from', text: 'item.text' },
      calls: {
        address: 'http://127.0.0.1:9/api',
        message: { post: '/send', body: { text: '{{ text }}', links: '{{ links }}' } },
      },
    };
    await service.client.call('createChannel', { params: { bot }, body: { kind: 'hook-messenger', name: 'Plain', profile } });
    await service.client.call('setInboxSetting', { params: { bot }, body: { notifies: { channel: 'Plain', to: 'room' } } });
    await handedOver(desk);
    const { items } = await service.client.call('listNotices', { params: { bot }, query: {} });
    expect(items.map((n) => [n.to, n.text])).to.deep.equal([
      ['room', 'Somebody waits for a person: Wants a person: talk to a person'],
    ]);
  });

  it('says outside office hours that nobody is there, and the question waits', async () => {
    const desk = await staffed({ staff: { hours: {}, away: 'Nobody is here before Monday.' } });
    const visitor = new TestVisitor(service.address, desk.link);
    await visitor.open();
    await visitor.say('talk to a person');
    await visitor.until('Nobody is here before Monday.');
    const list = await desk.orla.call('listInbox', { params: { bot: desk.bot }, query: {} });
    expect([list.staffed, list.counts.waiting]).to.deep.equal([false, 1]);
  });
});

describe('what visitors think of answers', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });

  it('is counted by release, flow and answer, comes into Missed, and can be taken back', async () => {
    const { bot, link } = await releasedBot(service, knowingBot());
    const visitor = new TestVisitor(service.address, link);
    await visitor.open();
    await visitor.say('my bag is blue');
    const lines = await linesWhen(visitor, (l) => said(l).some((t) => t.startsWith('Kept')));
    const seq = (start: string) => lines.find((l) => l.who === 'bot' && l.message.text.startsWith(start))?.seq ?? 0;
    const rate = (line: number, helpful: boolean | null, words?: string) =>
      visitor.post('/feedback', { line, helpful, ...(words === undefined ? {} : { words }) });
    expect((await rate(seq('Hello'), true)).status).to.equal(200);
    expect((await rate(seq('Kept'), false, 'I asked for my bag')).status).to.equal(200);
    expect((await rate(0, false)).status).to.equal(200);
    const own = lines.find((l) => l.who === 'visitor')?.seq ?? 0;
    expect((await rate(own, true)).body['detail']).to.contain('Name a line that it said');
    expect((await rate(9999, true)).status).to.equal(404);
    const found = await service.client.call('getFeedback', { params: { bot } });
    expect([found.helpful, found.unhelpful, found.releases]).to.deep.equal([1, 2, [{ release: 1, helpful: 1, unhelpful: 2 }]]);
    expect(found.flows).to.deep.equal([{ flow: 'main', helpful: 1, unhelpful: 1 }]);
    expect(found.answers[0]).to.deep.equal({
      flow: 'main',
      node: 'heard',
      said: 'Kept: my bag is blue.',
      words: ['I asked for my bag'],
      helpful: 0,
      unhelpful: 1,
    });
    const missed = async () => (await service.client.call('listMissed', { params: { bot } })).groups.flatMap((g) => g.items);
    expect((await missed()).map((m) => [m.text, m.thought])).to.deep.equal([['my bag is blue', 'I asked for my bag']]);
    const worst = await service.client.call('listConversations', { params: { bot }, query: { state: 'unhelpful' } });
    expect(worst.items.map((c) => c.feedback)).to.deep.equal([{ helpful: 1, unhelpful: 2 }]);
    const conversation = worst.items[0]?.id ?? '';
    const { feedback } = await service.client.call('getConversation', { params: { bot, conversation }, query: {} });
    expect(feedback.map((f) => [f.line, f.helpful, f.words])).to.deep.include.members([[0, false, null]]);
    // They think better of it, and take one back.
    await rate(seq('Kept'), true);
    await rate(0, null);
    expect(await missed()).to.deep.equal([]);
    const after = await service.client.call('getFeedback', { params: { bot } });
    expect([after.helpful, after.unhelpful]).to.deep.equal([2, 0]);
    const { body } = await visitor.post('/open', { key: visitor.key, language: 'en' });
    expect(body['rated']).to.deep.equal({ [String(seq('Hello'))]: true, [String(seq('Kept'))]: true });
  });

  it('is asked for at the end of a conversation, and is of nobody else’s talk', async () => {
    const { link } = await releasedBot(service, knowingBot());
    const visitor = new TestVisitor(service.address, link);
    await visitor.open();
    await visitor.say('that is all for now');
    const lines = await linesWhen(visitor, (l) => said(l).includes('Goodbye.'));
    expect(lines.at(-1)?.message).to.deep.include({ text: 'Goodbye.', ends: true });
    const stranger = new TestVisitor(service.address, link);
    await stranger.open();
    expect((await stranger.post('/feedback', { line: 0, helpful: true })).status).to.equal(404);
  });
});
