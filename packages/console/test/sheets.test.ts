import { expect } from 'chai';
import fc from 'fast-check';
import {
  advance,
  compile,
  openSession,
  plainText,
  type ActionResult,
  type BotDocument,
  type IncomingEvent,
  type Message,
  type TurnResult,
} from '@primrose/core';
import { anyBot, anyEvent, resultOf } from '../../core/test/any-bot.js';
import { desk, scripted, shelf } from '../../core/test/desk.js';
import { botOf, demoDocument, Talk } from '../../core/test/harbour.js';
import { Alarm } from '../src/parts/Alarm.js';
import { Citations } from '../src/parts/Citations.js';
import { Markdown } from '../src/parts/Markdown.js';
import { PassageList } from '../src/parts/PassageList.js';
import { SentPictures } from '../src/parts/SentPictures.js';
import { Shown } from '../src/parts/Shown.js';
import { duration, plainName, scoreText } from '../src/parts/words.js';
import { Sheet } from '../src/turn/Sheet.js';
import { Strip } from '../src/turn/Strip.js';
import { drawn, readable, recordOf, sections } from './drawn.js';

const sheetOf = (result: TurnResult, document: BotDocument, more: Partial<Parameters<typeof Sheet>[0]> = {}) =>
  drawn(Sheet, { turn: recordOf(result), earlier: undefined, later: undefined, back: '/', ...more }, document);
/** The last turn of a talk, drawn whole. */
const lastSheet = (talk: Talk): string => {
  if (!talk.last) throw new Error('nothing was said');
  return sheetOf(talk.last, talk.bot.document);
};
const square = (text: string): string => text.replace(/\s+/g, ' ').trim();
const bare = (text: string): string => text.replace(/\s+/g, '');

describe('the sheet of a turn', () => {
  it('of the demo tells what was heard, how it was understood, which way it went and what was said', () => {
    const document = demoDocument();
    const talk = new Talk(document);
    talk.open();
    talk.say('I would like to book a crossing from Kelpwick to Tarn Holm on Friday');
    const page = sections(lastSheet(talk));
    expect(page['Heard']).to.contain('I would like to book a crossing from Kelpwick');
    expect(page['Understood']).to.match(/book/i);
    expect(page['Path']).to.match(/\d/);
    for (const message of talk.last?.messages ?? [])
      expect(page['Said']).to.contain(square(plainText(message.blocks)).slice(0, 30));
    const strip = readable(drawn(Strip, { turn: recordOf(talk.last as TurnResult), to: '/t', shown: false }));
    expect(strip).to.match(/book/i);
  });

  it('tells what went out to a service and what came back, without what is secret in its headers', () => {
    const document = botOf(
      {
        ask: {
          kind: 'action',
          runs: 'office.list',
          given: { day: '2026-05-15' },
          exits: { ok: 'told', error: 'told', failed: 'told' },
        },
        told: { kind: 'say', says: 'So much: {{ flow.result }}', exits: { said: 'end' } },
        end: { kind: 'end', ends: 'flow' },
      },
      {
        connections: {
          office: {
            auth: 'bearer',
            actions: { list: { about: 'lists', get: '/list', takes: { day: 'date' }, sends: { query: { on: '{{ day }}' } } } },
          },
        },
      },
    );
    const answered = new Talk(document, { answer: () => ({ outcome: 'answered', status: 200, body: { free: 3 } }) });
    answered.open();
    const came = sections(lastSheet(answered));
    expect(came['API']).to.contain('/list?on=2026-05-15').and.contain('free 3');
    const failing: ActionResult = { outcome: 'failed', code: 'timeout', reason: 'office.example did not answer within 8 s' };
    const failed = new Talk(document, { answer: () => failing });
    failed.open();
    const page = readable(lastSheet(failed));
    expect(page).to.contain('office.example did not answer within 8 s').and.contain('timeout');
  });

  it('tells what a model was asked and wrote, what it cost, and each step of an agent', () => {
    const { model } = scripted([
      { calls: [['look', { tool: 'drill', day: '2026-05-15' }]], says: 'I will look.' },
      'There is a drill of size 8 on Friday.',
    ]);
    const talk = new Talk(desk(), { model, answer: shelf });
    talk.say('Is a drill free on Friday?');
    const page = readable(lastSheet(talk));
    for (const words of ['You are the clerk of a tool shed.', 'There is a drill of size 8 on Friday.', 'look', 'drill'])
      expect(page).to.contain(words);
    expect(page)
      .to.match(/\d+ tokens/)
      .and.match(/EUR|€/);
  });

  it('says what was not as it should be, and what was expected and did not come', () => {
    const document = botOf({
      a: { kind: 'say', says: 'Hello {{ flow.nobody }}.', exits: { said: 'end' } },
      end: { kind: 'end', ends: 'flow' },
    });
    const talk = new Talk(document);
    talk.open();
    const turn = talk.last as TurnResult;
    const page = readable(
      sheetOf(turn, document, { misses: [{ expects: 'says', wanted: 'Good day', got: ['Hello .'] } as never] }),
    );
    expect(page).to.contain('Problems met').and.contain('flow.nobody had no value');
    expect(page).to.contain('Not as expected');
  });

  it('of a turn that repeats another says first how they differ', () => {
    const before = botOf({ a: { kind: 'say', says: 'Hello.', exits: { said: 'end' } }, end: { kind: 'end', ends: 'flow' } });
    const after = botOf({ a: { kind: 'say', says: 'Good day.', exits: { said: 'end' } }, end: { kind: 'end', ends: 'flow' } });
    const [one, two] = [new Talk(before), new Talk(after)];
    one.open();
    two.open();
    const page = readable(sheetOf(two.last as TurnResult, after, { repeats: recordOf(one.last as TurnResult) }));
    expect(page).to.contain('Hello.').and.contain('Good day.');
  });

  it('leads to the turns around it, and to none where there is none', () => {
    const document = botOf({ a: { kind: 'say', says: 'Hello.', exits: { said: 'end' } }, end: { kind: 'end', ends: 'flow' } });
    const talk = new Talk(document);
    talk.open();
    const turn = talk.last as TurnResult;
    expect(sheetOf(turn, document))
      .to.match(/aria-label="Earlier turn" disabled/)
      .and.match(/aria-label="Later turn" disabled/);
    expect(sheetOf(turn, document, { later: '/next' })).to.match(/aria-label="Later turn">/);
  });

  it('of any bot in any turn is drawn whole, says all that was said, and runs nothing of it', () => {
    const script = '<script>alert(1)</script>';
    fc.assert(
      fc.property(anyBot, fc.array(anyEvent, { minLength: 1, maxLength: 4 }), fc.nat(), (document, events, n) => {
        const bot = compile(document);
        let session = openSession(bot, {}, undefined);
        let count = n;
        const hostile: IncomingEvent = { type: 'message', at: '2026-05-11T10:00:00.000Z', channel: 'test', text: script };
        for (const event of [
          { type: 'open', at: '2026-05-11T10:00:00.000Z', channel: 'test' } as IncomingEvent,
          ...events,
          hostile,
        ]) {
          const running = advance(bot, session, event);
          let next = running.next();
          while (!next.done) {
            const { effects } = next.value;
            next = running.next(effects.map((e) => ({ path: e.path, result: resultOf(e, count++) })));
          }
          session = next.value.session;
          const html = sheetOf(next.value, document);
          expect(html).to.not.contain('<script');
          const page = bare(readable(html));
          for (const message of next.value.messages.slice(0, 3)) {
            const said = bare(plainText(message.blocks));
            // Lists and links are drawn, and not written as they are in plain text.
            const plain = message.blocks.every((b) => b.type === 'paragraph') && !said.includes('http');
            if (plain && said.length < 100) expect(page).to.contain(said);
          }
          expect(readable(drawn(Strip, { turn: recordOf(next.value), to: '/', shown: true }))).to.match(/\S/);
        }
      }),
      { seed: 11, numRuns: 25, endOnFailure: true },
    );
  });
});

describe('parts of pages', () => {
  it('draw bot text as what it is, and addresses as they were let through', () => {
    const talk = new Talk(
      botOf({
        a: {
          kind: 'say',
          says: '# Sailings\n\n- **07:40** to [Tarn Holm](https://x.test/a)\n- [bad](javascript:alert(1))\n\n> quoted\n\n`code` <b>x</b>',
          exits: { said: 'end' },
        },
        end: { kind: 'end', ends: 'flow' },
      }),
    );
    talk.open();
    const [message] = talk.last?.messages ?? [];
    const html = drawn(Markdown, { blocks: (message as Message).blocks });
    expect(html).to.contain('<strong>07:40</strong>').and.contain('href="https://x.test/a"').and.contain('<blockquote>');
    expect(html).to.contain('&lt;b&gt;x&lt;/b&gt;').and.not.contain('javascript:');
  });

  it('show values of every form, long ones folded, with what is copied named', () => {
    const shown = (value: never) => drawn(Shown, { value, what: 'flow.x' });
    expect(readable(shown(null as never))).to.equal('empty');
    expect(readable(shown([] as never))).to.contain('an empty list');
    expect(readable(shown({} as never))).to.contain('nothing in it');
    expect(readable(shown([1, 'a'] as never)))
      .to.contain('2 items')
      .and.contain('“a”');
    expect(shown('x'.repeat(500) as never))
      .to.contain('500 characters')
      .and.contain('<details');
    expect(shown('short' as never)).to.contain('Copy flow.x');
  });

  it('draw any value whatever it is', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        expect(drawn(Shown, { value: value as never, what: 'x' })).to.match(/^<span class="shown">/);
      }),
      { seed: 2, numRuns: 150 },
    );
  });

  it('tell passages with why they rank where they do, and sources with where they stand', () => {
    const passage = {
      number: 1,
      document: 'guide',
      title: 'Guide',
      heading: 'Dogs',
      place: 4,
      quote: 'Dogs travel free.',
      score: 3.2,
      page: 7,
      why: { words: [{ word: 'dogs', as: 'dogs', by: 'said', weight: 2 }], titled: [], near: 0 },
    };
    const list = readable(drawn(PassageList, { passages: [passage as never] }));
    expect(list).to.contain('Dogs travel free.').and.contain('Guide').and.contain('dogs');
    const cites = readable(drawn(Citations, { cites: [{ number: 1, title: 'Guide', heading: 'Dogs', quote: 'x', page: 7 }] }));
    expect(cites).to.contain('Guide').and.contain('Dogs');
    expect(drawn(Citations, { cites: undefined })).to.equal('');
  });

  it('show pictures that were sent, and nothing where there are none', () => {
    expect(drawn(SentPictures, { pictures: ['https://x.test/1.png'] })).to.contain('https://x.test/1.png');
    expect(readable(drawn(SentPictures, { pictures: [] }))).to.equal('');
  });

  it('say alarms aloud', () => {
    expect(drawn(Alarm, { children: 'The service does not answer.' }))
      .to.match(/role="alert"/)
      .and.contain('does not answer');
  });

  it('put times, scores and names in words', () => {
    expect([0, 12.4, 949, 950, 1949, 61_000].map(duration)).to.deep.equal([
      '0 ms',
      '12 ms',
      '949 ms',
      '0.9 s',
      '1.9 s',
      '61.0 s',
    ]);
    expect([0, 0.05, 0.5, 0.994, 0.995, 1].map(scoreText)).to.deep.equal(['.00', '.05', '.50', '.99', '1.0', '1.0']);
    expect(plainName('book-a_crossing')).to.equal('book a crossing');
  });
});
