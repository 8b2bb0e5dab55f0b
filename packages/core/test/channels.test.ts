import { expect } from 'chai';
import fc from 'fast-check';
import {
  answerSubject,
  automaticLetter,
  fileAddress,
  hookAbility,
  messageCalls,
  nextSince,
  numberedChoice,
  ownWords,
  pollCall,
  profileProblems,
  READY_MAPPINGS,
  readCallAnswer,
  readHook,
  readMarkdown,
  readyProfile,
  SAMPLE_MESSAGES,
  shownOn,
  spokenMessage,
  spokenText,
  thoughtOf,
  utf8Length,
  type Ability,
  type HookProfile,
  type Message,
} from '@primrose/core';

const PLAIN: Ability = {
  choices: 'numbered',
  pictures: 'links',
  links: 'written',
  marks: false,
  longest: 200,
  oneLine: false,
  typing: false,
  takes: { files: false, replies: false, edits: false, receipts: false, reactions: false, rooms: false },
};
const message = (text: string, more: Partial<Message> = {}): Message => ({ text, blocks: readMarkdown(text), ...more });
const ready = (id: string): HookProfile => {
  const found = readyProfile(id, 'https://post.example/api/');
  if (!found) throw new Error(`there is no mapping ${id}`);
  return found;
};
const SECRETS = { token: '7:abc' };

describe('a message on a channel', () => {
  it('is never longer than the channel takes, in letters and in bytes, and loses no word', () => {
    const words = fc.array(
      fc.string({ unit: 'grapheme', minLength: 1, maxLength: 12 }).filter((w) => /^[\p{L}\p{N}]+$/u.test(w)),
      {
        minLength: 1,
        maxLength: 120,
      },
    );
    fc.assert(
      fc.property(
        words,
        fc.integer({ min: 20, max: 120 }),
        fc.integer({ min: 60, max: 200 }),
        fc.boolean(),
        (list, longest, bytes, oneLine) => {
          const text = list.join(' ');
          const parts = shownOn(
            { ...PLAIN, longest, bytes, oneLine },
            { text, blocks: [{ type: 'paragraph', inside: [{ type: 'text', text }] }] },
            'en',
          );
          for (const { text: part } of parts) {
            expect(part.length).to.be.at.most(longest);
            expect(utf8Length(part)).to.be.at.most(bytes);
          }
          expect(
            parts
              .map((p) => p.text)
              .join('')
              .replace(/\s/g, ''),
          ).to.equal(text.replace(/\s/g, ''));
        },
      ),
      { seed: 23, numRuns: 200 },
    );
  });

  it('has what stands apart with its last part, and nothing that the channel cannot show', () => {
    const long = message(`${'All boats sail today. '.repeat(20)}![a boat](https://x.example/b.png)`, {
      choices: [{ id: 'a', says: 'Aye' }],
      links: [{ says: 'Open', opens: 'https://x.example' }],
    });
    const apart = shownOn({ ...PLAIN, choices: 'buttons', pictures: 'apart', links: 'buttons' }, long, 'en');
    expect(apart.length).to.be.greaterThan(2);
    expect(apart.slice(0, -1).every((p) => p.choices.length + p.links.length + p.pictures.length === 0)).to.equal(true);
    expect(apart.at(-1)).to.deep.include({ pictures: ['https://x.example/b.png'], choices: [{ id: 'a', says: 'Aye' }] });
    const plain = shownOn(PLAIN, long, 'en');
    expect(plain.every((p) => p.choices.length + p.links.length + p.pictures.length === 0)).to.equal(true);
    expect(plain.map((p) => p.text).join('\n'))
      .to.include('1. Aye')
      .and.include('Open: https://x.example')
      .and.include('b.png');
  });

  it('says each line on its own where a message is one line', () => {
    const parts = shownOn({ ...PLAIN, oneLine: true }, message('Bring:\n\n- a coat\n- a ticket'), 'en');
    expect(parts.map((p) => p.text)).to.deep.equal(['Bring:', '- a coat', '- a ticket']);
  });

  it('is never empty of parts, whatever is said', () => {
    for (const { message: m } of SAMPLE_MESSAGES)
      for (const oneLine of [true, false]) expect(shownOn({ ...PLAIN, oneLine }, m, 'en')).not.to.deep.equal([]);
    expect(shownOn(PLAIN, message(''), 'en')).to.have.length(1);
  });

  it('takes a number for what was offered, and nothing else', () => {
    const choices = [
      { id: 'a', says: 'A' },
      { id: 'b', says: 'B' },
    ];
    for (const said of ['2', ' 2. ', '(2)', '#2', '2)']) expect(numberedChoice(said, choices)?.id, said).to.equal('b');
    for (const said of ['0', '3', '2 tickets', 'two', '', '22', '-1'])
      expect(numberedChoice(said, choices), said).to.equal(undefined);
  });
});

describe('words that are spoken', () => {
  const spoken: readonly (readonly [language: string, written: string, said: string])[] = [
    ['en', 'The 07:40 boat costs €12.50.', 'The seven forty boat costs twelve euros fifty.'],
    ['en', 'At 00:00 and 13:05, 08:00', "At midnight and thirteen oh five, eight o'clock"],
    ['en', 'MS-4412 on 2026-05-12', 'M S four four one two on the twelfth of May twenty twenty-six'],
    [
      'en',
      '1 December, 21 places, 105 people, 1100',
      'the first of December, twenty-one places, one hundred and five people, one thousand one hundred',
    ],
    ['en', 'ring +353155501234', 'ring three five three one five five five zero one two three four'],
    ['en', '£1 or 2 €, 3.5 km, v2, 1,200', 'one pound or two euros, 3.5 km, v2, 1,200'],
    ['de', 'um 13:05 Uhr für 12,50 €', 'um dreizehn Uhr fünf für zwölf Euro fünfzig'],
    ['de', 'am 3. Mai 2026, 21 Plätze, 101', 'am dritten Mai zweitausendsechsundzwanzig, einundzwanzig Plätze, einhunderteins'],
    ['es', 'a las 13:15, 21 plazas, 2026-05-01', 'a las trece quince, veintiuno plazas, primero de mayo de dos mil veintiséis'],
    ['fr', 'à 07:40, 12 €', 'à 07:40, 12 €'],
  ];
  for (const [language, written, said] of spoken)
    it(`${language}: ${written}`, () => expect(spokenText(written, language)).to.equal(said));

  it('leave out addresses, pictures and numbers of sources, and follow a list', () => {
    const m = message('See [the page](https://x.example) and ![the boat](https://x.example/b.png) [1].\n\n- one\n- two');
    expect(spokenMessage(m, 'fr')).to.equal('See the page and the boat. one; two');
    expect(spokenMessage({ ...m, speech: 'Short.', choices: [{ id: 'a', says: 'Aye' }] }, 'en')).to.equal('Short. Aye.');
  });

  it('come of any text, and say every whole number that they find', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 999_999 }), fc.constantFrom('en', 'de', 'es'), (n, language) => {
        expect(spokenText(`${n} Boote`, language)).to.match(/^\P{N}+ Boote$/u);
      }),
      { seed: 5 },
    );
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (text) => void expect(spokenText(text, 'en')).to.be.a('string')),
      { seed: 6 },
    );
  });
});

describe('what somebody wrote in a letter', () => {
  const own: readonly (readonly [title: string, letter: string, words: string])[] = [
    ['without what is quoted', 'Yes.\n\nOn Tue, 12 May 2026 at 10:00, Desk <d@x.example> wrote:\n> Which?\n', 'Yes.'],
    [
      'without a leading line that is broken',
      'Yes.\nOn Tue, 12 May 2026 at 10:00, Harbour desk\n<desk@x.example> wrote:\n> a',
      'Yes.',
    ],
    ['in German', 'Ja.\n\nAm 12.05.2026 um 10:00 schrieb Desk:\n> Was?', 'Ja.'],
    ['in Spanish', 'Sí.\n\nEl mar, 12 may 2026 a las 10:00, Desk escribió:\n> ¿Qué?', 'Sí.'],
    ['without a block of headers', 'Yes.\n\nFrom: Desk <d@x.example>\nSent: Tuesday\nTo: Isla\nSubject: x\n\nWhich?', 'Yes.'],
    ['without a line that begins the original', 'Yes.\n\n-----Original Message-----\nWhich?', 'Yes.'],
    ['without a signature', 'Yes.\n-- \nIsla\nBoats and more', 'Yes.'],
    ['without what a telephone adds', 'Yes.\n\nSent from my pocket', 'Yes.'],
    ['below what is quoted', '> Which boat?\n\nThe second.', 'The second.'],
    ['below the line that leads to it', 'On Mon, Desk wrote:\n> Which?\n\nThe second.', 'The second.'],
    ['between what is quoted', '> Which boat?\nThe second.\n> And when?\nTomorrow.', 'The second.\nTomorrow.'],
    [
      'with a sentence that begins with on',
      'On Friday we come, he wrote to me.\nIs that so?',
      'On Friday we come, he wrote to me.\nIs that so?',
    ],
    ['of nothing but quotes', '> a\n> b', ''],
  ];
  for (const [title, letter, words] of own) it(`counts ${title}`, () => expect(ownWords(letter)).to.equal(words));

  it('is found in any text, in time, and never more than there is', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('> a', 'On x wrote:', '-- ', 'From: a', 'words', '', '>', 'Sent from x'), { maxLength: 60 }),
        (lines) => {
          const text = lines.join('\n');
          expect(ownWords(text).length).to.be.at.most(text.length);
        },
      ),
      { seed: 9 },
    );
    expect(ownWords('On a '.repeat(20_000))).to.be.a('string');
  });

  it('is answered under one Re:', () => {
    expect(['Boats', 'Re: Boats', 'RE: AW: re[2]: Boats', ' '].map(answerSubject)).to.deep.equal([
      'Re: Boats',
      'Re: Boats',
      'Re: Boats',
      'Re: your letter',
    ]);
  });

  it('is told from letters that nobody wrote', () => {
    const why = (headers: Record<string, string>, from = 'isla@x.example') => automaticLetter(headers, from);
    expect(why({})).to.equal(undefined);
    expect(why({ 'auto-submitted': 'no', precedence: 'first-class', 'return-path': '<isla@x.example>' })).to.equal(undefined);
    expect(why({ 'auto-submitted': 'auto-replied; owner=x' })).to.include('automatic');
    expect(why({ 'return-path': '<>' })).to.include('report');
    expect(why({ 'list-unsubscribe': '<mailto:x>' })).to.include('list');
    expect(why({ precedence: 'Bulk' })).to.include('bulk');
    for (const from of [
      'MAILER-DAEMON@x.example',
      'no-reply@x.example',
      'noreply+7@x.example',
      'boats-request@x.example',
      'bounces+isla=x@y.example',
    ])
      expect(why({}, from), from).to.include('nobody reads');
  });
});

describe('a mapping that is ready', () => {
  for (const { id, profile } of READY_MAPPINGS)
    it(`${id} has no mistake, and puts every kind of message into calls`, () => {
      expect(profileProblems(profile)).to.deep.equal([]);
      for (const { message: m } of SAMPLE_MESSAGES) {
        const made = messageCalls(ready(id), m, { to: '71', key: 'k', who: 'bot', answers: 'a', secrets: SECRETS });
        expect(made.ok && made.calls.every((c) => c.url.startsWith('https://post.example/api/')), `${id} ${m.text}`).to.equal(
          true,
        );
      }
    });

  it('reads events in batches, edits, receipts and reactions', () => {
    const from = { id: '71', name: 'Isla' };
    const read = readHook(ready('challenge'), {
      batches: [
        { items: [{ id: '1', type: 'message', from, text: 'hello' }] },
        {
          items: [
            { id: '2', type: 'status', status: 'read', of: 'm1', from },
            { id: '3', type: 'status', status: 'sent', of: 'm1', from },
            { id: '4', type: 'reaction', of: 'm1', sign: '👍', from },
          ],
        },
      ],
    });
    expect(read.map((r) => r.as)).to.deep.equal(['event', 'sign', 'passed-over', 'sign']);
    expect(read[1]).to.deep.equal({ as: 'sign', sign: { id: '2', sender: '71', about: 'm1' } });
    const edit = (text: string) => readHook(ready('token-in-path'), { updates: [{ id: '5', type: 'edited', from, text }] })[0];
    expect(edit('a')).not.to.deep.equal(edit('b'));
    expect(edit('a')).to.deep.equal(edit('a'));
    expect(readHook(ready('token-in-path'), { updates: [{ id: '6', type: 'seen', from }] })[0]).to.include({
      as: 'unreadable',
      field: '/event/about',
    });
  });

  it('asks for what is new behind the last, and reads where to go on', () => {
    const profile = ready('long-polling');
    const asked = pollCall(profile, '7', SECRETS);
    expect(asked).to.deep.equal({
      ok: true,
      calls: [{ url: 'https://post.example/api/updates?after=7&wait=20', headers: { 'x-token': '7:abc' }, body: null }],
    });
    expect(pollCall(profile, '', {})).to.include({ ok: false });
    expect(pollCall(ready('challenge'), '', SECRETS)).to.include({ ok: false });
    expect([nextSince(profile, { last: 9 }, '7'), nextSince(profile, {}, '7')]).to.deep.equal(['9', '7']);
  });

  it('reads answers to calls, and makes addresses of ids of files', () => {
    const profile = ready('token-in-path');
    expect(readCallAnswer(profile, 200, { ok: true, message: 'm7' })).to.deep.equal({ id: 'm7' });
    expect(readCallAnswer(profile, 200, { ok: false, trouble: 'too many', wait: 3 })).to.deep.equal({
      fails: 'too many',
      wait: 3,
    });
    expect(readCallAnswer(profile, 500, null)).to.deep.equal({});
    expect(fileAddress(profile, 'a/../b', SECRETS)).to.equal('https://post.example/api/bot/7%3Aabc/files/a%2F..%2Fb');
    expect(fileAddress(profile, 'https://x.example/a', SECRETS)).to.equal('https://x.example/a');
    expect(fileAddress(ready('challenge'), 'f1', SECRETS)).to.equal(undefined);
  });

  it('tells what its messenger shows, and what it names goes out as words otherwise', () => {
    expect(hookAbility(ready('token-in-path'))).to.deep.include({
      choices: 'buttons',
      pictures: 'apart',
      links: 'buttons',
      longest: 4000,
    });
    const bare: HookProfile = {
      event: { id: 'item.id', sender: 'item.from' },
      calls: { address: 'https://x.example', message: { post: '/say', body: { text: '{{ text }}' } } },
    };
    expect(hookAbility(bare)).to.deep.include({ choices: 'numbered', pictures: 'links', links: 'written' });
    const made = messageCalls(bare, message('Which?', { choices: [{ id: 'a', says: 'Aye' }] }), {
      to: '7',
      key: 'k',
      who: 'bot',
      secrets: {},
    });
    expect(made.ok && made.calls[0]?.body).to.deep.equal({ text: 'Which?\n\n1. Aye' });
  });
});

describe('a reaction', () => {
  it('tells what somebody thinks, takes it back, or tells nothing', () => {
    expect(['👍', '👍🏽', '❤️', ':thumbsup:', '+1'].map(thoughtOf)).to.deep.equal([true, true, true, true, true]);
    expect(['👎', '😡', '-1'].map(thoughtOf)).to.deep.equal([false, false, false]);
    expect(['', ' '].map(thoughtOf)).to.deep.equal([null, null]);
    expect(['🐬', 'boat'].map(thoughtOf)).to.deep.equal([undefined, undefined]);
  });
});
