import { expect } from 'chai';
import fc from 'fast-check';
import {
  fileHeaders,
  hookProfile,
  messageCalls,
  profileProblems,
  readHook,
  readMarkdown,
  splitText,
  typingCalls,
  type HookProfile,
  type Message,
} from '@primrose/core';

const PROFILE: HookProfile = hookProfile.parse({
  events: 'body.items',
  event: {
    when: 'item.kind != "seen"',
    id: 'item.id',
    sender: 'item.from.number',
    name: 'item.from.given + " " + item.from.family',
    first_name: 'item.from.given',
    text: 'item.words',
    choice: 'item.pick',
    pictures: 'item.pictures',
  },
  calls: {
    address: 'https://gull.test/api/',
    headers: { authorization: 'Bearer {{ secret.token }}' },
    message: {
      post: 'letters/{{ to }}',
      body: { words: '{{ text }}', picks: '{{ choices.map(c, {"id": c.id, "label": c.says}) }}', pictures: '{{ pictures }}' },
    },
    typing: { post: '/quills', body: { to: '{{ to }}' } },
  },
  longest: 60,
});
const TARGET = { to: '77 1', key: 'k', who: 'bot', secrets: { token: 't0ken' } };
const message = (text: string, more: Partial<Message> = {}): Message => ({ text, blocks: readMarkdown(text), ...more });
const from = { number: 771001, given: 'Isla', family: 'Marrick' };

describe('a mapping profile', () => {
  it('reads texts, presses and pictures with who sent them, and passes over the rest', () => {
    const read = readHook(PROFILE, {
      items: [
        { id: 'a', kind: 'words', from, words: 'hello' },
        { id: 'b', kind: 'pick', from, pick: 'yes', words: 'Yes' },
        { id: 'c', kind: 'words', from, pictures: ['https://x.test/1.png'] },
        { id: 'd', kind: 'seen', from },
      ],
    });
    const who = { sender: '771001', name: 'Isla Marrick', firstName: 'Isla' };
    expect(read).to.deep.equal([
      { as: 'event', event: { id: 'a', ...who, text: 'hello', pictures: [] } },
      { as: 'event', event: { id: 'b', ...who, text: 'Yes', choice: 'yes', pictures: [] } },
      { as: 'event', event: { id: 'c', ...who, pictures: ['https://x.test/1.png'] } },
      { as: 'passed-over' },
    ]);
  });

  it('says which field does not fit, and why', () => {
    expect(readHook(PROFILE, { other: 1 })).to.deep.equal([
      { as: 'unreadable', field: '/events', reason: 'it should be a list; there is none in this body' },
    ]);
    expect(readHook(PROFILE, { items: [{ kind: 'words', words: 'x', from }] })[0]).to.include({
      as: 'unreadable',
      field: '/event/id',
    });
    expect(readHook(PROFILE, { items: [{ id: 'a', kind: 'words', from }] })[0]).to.include({ field: '/event/text' });
  });

  it('never throws, whatever a webhook holds', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (body) => {
        expect(readHook(PROFILE, body as never)).to.be.an('array');
        expect(readHook(PROFILE, { items: [body] } as never)).to.have.length(1);
      }),
      { seed: 2 },
    );
  });

  it('writes a message as calls with secrets, buttons and pictures filled in', () => {
    const made = messageCalls(
      PROFILE,
      message('Hello **you** ![boat](https://x.test/b.png)', { choices: [{ id: 'yes', says: 'Yes' }] }),
      TARGET,
    );
    expect(made).to.deep.equal({
      ok: true,
      calls: [
        {
          url: 'https://gull.test/api/letters/77%201',
          headers: { authorization: 'Bearer t0ken' },
          body: { words: 'Hello you boat', picks: [{ id: 'yes', label: 'Yes' }], pictures: ['https://x.test/b.png'] },
        },
      ],
    });
    expect(typingCalls(PROFILE, TARGET)).to.deep.include({ ok: true });
  });

  it('splits a long text, with the buttons under its last part, and puts sources behind it', () => {
    const long = 'The first sentence of it all. The second sentence comes here. And a third one too.';
    const cites = [{ number: 1, title: 'Guide', heading: 'Dogs', quote: 'x' }];
    const made = messageCalls(PROFILE, message(long, { choices: [{ id: 'a', says: 'A' }], cites }), TARGET);
    const bodies = made.ok ? made.calls.map((c) => c.body as { words: string; picks: unknown[] }) : [];
    expect(bodies.map((b) => b.words)).to.deep.equal([
      'The first sentence of it all.',
      'The second sentence comes here. And a third one too.',
      '[1] Guide › Dogs',
    ]);
    expect(bodies.map((b) => b.picks.length)).to.deep.equal([0, 0, 1]);
  });

  it('does not send without a secret that it needs', () => {
    expect(messageCalls(PROFILE, message('x'), { ...TARGET, secrets: {} })).to.deep.include({
      ok: false,
      field: '/calls/headers/authorization',
    });
  });

  it('is checked before it is used', () => {
    const wrong = { ...PROFILE, events: 'body.items[', event: { ...PROFILE.event, text: 'itm.words' } };
    expect(profileProblems(wrong).map((p) => p.field)).to.deep.equal(['/events', '/event/text']);
    expect(profileProblems(PROFILE)).to.deep.equal([]);
    expect(hookProfile.safeParse({ ...PROFILE, evnts: 'x' }).success).to.equal(false);
  });
});

describe('a long text', () => {
  it('is cut into pieces that fit, and loses nothing but spaces', () => {
    const bare = (text: string) => text.replace(/\s+/g, '');
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 400 }), fc.integer({ min: 20, max: 80 }), (text, longest) => {
        const parts = splitText(text, longest);
        expect(bare(parts.join(''))).to.equal(bare(text));
        for (const part of parts) expect(part.length).to.be.at.most(longest);
      }),
      { seed: 9 },
    );
  });
});

describe('a file that came by its address', () => {
  it('is fetched with the token at the messenger’s own address, and nowhere else', () => {
    const headers = (address: string) => fileHeaders(PROFILE, address, TARGET.secrets);
    expect(headers('https://gull.test/media/1')).to.deep.equal({ authorization: 'Bearer t0ken' });
    for (const address of [
      'https://gull.test.example/media/1',
      'https://gull.test@elsewhere.test/media/1',
      'http://gull.test/media/1',
      'https://gull.test:8443/media/1',
      'https://elsewhere.test/?https://gull.test',
      'no address',
    ])
      expect(headers(address), address).to.deep.equal({});
  });
});
