import { expect } from 'chai';
import type { ActionEffect, BotDocument, TakenAs, TurnResult, Value } from '@primrose/core';
import { botOf, Talk, words } from './harbour.js';
import { shelf, workshop } from './workshop.js';

const document = workshop();

/** A conversation with Shore workshop that has come so far. */
function talked(lines: readonly string[], of: BotDocument = document, language = 'en'): Talk {
  const talk = new Talk(of, { answer: shelf, language });
  talk.open();
  for (const line of lines) talk.say(line);
  return talk;
}

/** What a turn took the message as, with what it is of in front where that is wanted. */
const takenAs = (turn: TurnResult): TakenAs | undefined => turn.sheet.taken?.as;
const held = (talk: Talk): Readonly<Record<string, Value>> => talk.session.frames.at(-1)?.values ?? {};
const reserved = (talk: Talk): ActionEffect[] =>
  talk.effects.flatMap((e) => (e.type === 'action' && e.action === 'reserve' ? [e] : []));

const BEGUN = ['can I borrow the ladder for three days?', 'on 15 May'];
const PICKED = [...BEGUN, 'the second'];
const LAST = [...PICKED, 'my name is Jo Marsh'];

type Row = readonly [after: readonly string[], saying: string, as: TakenAs, values?: Readonly<Record<string, Value>>];

function table(rows: readonly Row[], language = 'en'): void {
  for (const [after, saying, as, values = {}] of rows)
    it(`${language}: “${saying}” after ${after.length === 0 ? 'the greeting' : `“${after.at(-1)}”`}`, () => {
      const talk = talked(after, document, language);
      const turn = talk.turn({ text: saying });
      expect(takenAs(turn), words(turn).join(' ')).to.equal(as);
      expect(held(talk)).to.include(values);
    });
}

describe('a correction', () => {
  table([
    [BEGUN, 'no, the drill', 'correction', { tool: 'drill', day: '2026-05-15', days: 3 }],
    [BEGUN, 'I meant 16 May', 'correction', { day: '2026-05-16', tool: 'ladder' }],
    [BEGUN, 'actually for five days', 'correction', { days: 5 }],
    [BEGUN, 'sorry, the saw', 'correction', { tool: 'saw' }],
    [PICKED, 'not the ladder, the drill', 'correction', { tool: 'drill' }],
    [PICKED, 'wait, make it Saturday', 'correction', { day: '2026-05-16' }],
    [LAST, 'no, on Saturday', 'correction', { day: '2026-05-16', name: 'Jo Marsh' }],
    [LAST, 'with a saw instead', 'correction', { tool: 'saw' }],
    [LAST, 'no wait, the first', 'correction', { name: 'Jo Marsh' }],
    [LAST, 'rather the green one', 'correction', { name: 'Jo Marsh' }],
    [LAST, 'make that two days', 'correction', { days: 2, day: '2026-05-15' }],
    [LAST, 'I meant Jo March', 'correction', { name: 'Jo March' }],
    [LAST, 'yes, but for two days', 'correction', { days: 2 }],
    [LAST, 'Sunday, not Friday', 'correction', { day: '2026-05-17' }],
    [LAST, 'can we change the day to Sunday', 'correction', { day: '2026-05-17' }],
    [LAST, 'the ladder is wrong, I meant the saw', 'correction', { tool: 'saw' }],
    [LAST, 'and on Saturday?', 'correction', { day: '2026-05-16' }],
    // These are none.
    [LAST, 'yes', 'answer'],
    [LAST, 'is that a good one?', 'miss', { tool: 'ladder' }],
    [LAST, 'what does it cost?', 'question-between'],
    [BEGUN, 'the second', 'answer', { tool: 'ladder' }],
    [['can I borrow the ladder'], 'on Saturday', 'answer', { day: '2026-05-16', tool: 'ladder' }],
  ]);
  table([[['ich möchte eine Leiter ausleihen', 'am 15. Mai'], 'nein, die Säge', 'correction', { tool: 'saw' }]], 'de');
  table([[['quiero pedir prestado un taladro', 'el 15 de mayo'], 'no, la sierra', 'correction', { tool: 'saw' }]], 'es');

  it('asks anew only what hangs on it: a piece that is still there stays chosen', () => {
    const talk = talked(LAST);
    expect(talk.say('actually make it Saturday')).to.deep.equal([
      'Saturday 16 May, then. Jo Marsh, the blue ladder from 2026-05-16 for 3 days. Is that right?',
    ]);
    expect(talk.last?.sheet.effects.length).to.equal(1);
  });

  it('asks again for what has gone', () => {
    expect(talked(LAST).say('not the ladder, the drill')).to.deep.equal(['Drill, then. These are free. Which one?']);
  });

  it('never counts as a yes', () => {
    const talk = talked(LAST);
    for (const said of ['yes, but the saw', 'ok make it two days', 'yes on Sunday', 'fine, the drill then']) talk.say(said);
    expect(reserved(talk)).to.deep.equal([]);
  });

  it('of what was done stands, and says what can be done', () => {
    const talk = talked([...LAST, 'yes']);
    expect(reserved(talk)).to.have.length(1);
    talk.say('actually make it Saturday');
    expect(talk.last?.messages[0]?.text).to.contain('That has been done already');
    expect(talk.last?.messages[0]?.choices?.map((c) => c.says)).to.deep.equal([
      'Begin anew with Saturday 16 May',
      'A person, please',
    ]);
    expect(reserved(talk)).to.have.length(1);
  });

  it('to a value that is wrong is refused with its reason, and changes nothing', () => {
    const talk = talked(LAST);
    expect(talk.say('make it 40 days')[0]).to.contain('We lend for one to fourteen days, not 40.');
    expect(held(talk)['days']).to.equal(3);
  });

  it('and its reversal give the same state', () => {
    const talk = talked(LAST);
    const before = held(talk);
    for (const [there, back] of [
      ['actually make it Saturday', 'no, on Friday'],
      ['for five days instead', 'no, three days'],
      ['no wait, the first', 'no, the second'],
    ] as const) {
      talk.say(there);
      expect(held(talk), there).to.not.deep.equal(before);
      talk.say(back);
      expect(held(talk), back).to.deep.equal(before);
    }
  });

  it('can be switched off', () => {
    const talk = talked(LAST, workshop({ talk: { corrections: false } }));
    talk.say('actually make it Saturday');
    expect(held(talk)['day']).to.equal('2026-05-15');
  });
});

describe('two wishes', () => {
  table([
    [[], 'I want to bring back the drill. Also, when are you open?', 'two-wishes'],
    [[], 'bring back the saw and borrow a ladder', 'two-wishes'],
    [[], 'when are you open, and how much is a drill?', 'two-wishes'],
    [[], 'I broke the saw. Can I borrow another ladder?', 'two-wishes'],
    [['can I borrow the ladder'], 'Friday, and what does it cost?', 'two-wishes', {}],
    [BEGUN, 'the second, and when are you open?', 'two-wishes'],
    [LAST, 'yes, and when are you open?', 'two-wishes'],
    [[], "I don't want to borrow anything, just tell me what it costs", 'wish'],
    // One wish, in however many parts.
    [[], 'can I borrow the ladder and the drill', 'wish'],
    [[], 'hello, can I borrow a ladder please', 'wish'],
    [[], 'I need a saw. For two days. From Friday.', 'wish'],
    [['report damage'], 'the handle came off, and the blade is bent', 'answer'],
  ]);

  it('come to the same in one message and in two', () => {
    const one = talked(['bring back the saw and borrow a ladder', 'mill', 'Friday', '2 days', 'the first', 'Kim', 'yes']);
    const two = talked(['bring back the saw', 'mill', 'borrow a ladder', 'Friday', '2 days', 'the first', 'Kim', 'yes']);
    expect(reserved(one).map((e) => e.body)).to.deep.equal(reserved(two).map((e) => e.body));
    expect(reserved(one)).to.have.length(1);
  });

  it('are announced, and the second is not forgotten over questions in between', () => {
    const talk = talked(['bring back the saw and borrow a ladder']);
    expect(talk.last?.messages[0]?.text).to.contain('“borrow a ladder”');
    talk.say('when are you open?');
    expect(talk.say('mill').join(' ')).to.contain('From which day?');
  });
});

describe('a question in between', () => {
  table([
    [['can I borrow the ladder'], 'what does it cost?', 'question-between'],
    [['can I borrow the ladder'], 'when are you open?', 'question-between'],
    [BEGUN, 'how late are you open?', 'question-between'],
    [PICKED, 'when are you open?', 'question-between'],
    [LAST, 'how much is a drill?', 'question-between'],
    [['report damage'], 'when are you open?', 'question-between'],
    // Answers that touch on something else.
    [['report damage'], 'I used the drill and the cost of it is on me', 'answer'],
    [['bring back the saw'], 'east', 'answer'],
  ]);

  for (const [after, saying] of [
    [['can I borrow the ladder'], 'when are you open?'],
    [BEGUN, 'how much is a drill?'],
    [PICKED, 'when are you open?'],
    [LAST, 'how late are you open?'],
  ] as const)
    it(`changes nothing of what the flow knew: “${saying}” after “${after.at(-1)}”`, () => {
      const talk = talked(after);
      const { values, node } = talk.session.frames[0] ?? {};
      talk.say(saying);
      expect(talk.session.frames[0]).to.deep.include({ values, node });
      expect(talk.last?.messages.at(-1)?.text).to.match(/^(Back to your loan|Now, your loan again|To go on with your loan):/);
    });

  it('is no answer where a node takes whatever is said only if it does not say so', () => {
    const { flows } = document;
    const what = { ...flows['damage']?.nodes['what'], whatever: true };
    const anything = workshop({
      flows: { ...flows, damage: { ...flows['damage'], nodes: { ...flows['damage']?.nodes, what } } },
    });
    expect(talked(['report damage'], anything).say('when are you open?')).to.deep.equal(['Noted: when are you open?']);
  });
});

describe('a follow-up', () => {
  const asked = ['how much is a drill?'];
  table([
    [asked, 'and the ladder?', 'follow-up'],
    [asked, 'what about a saw', 'follow-up'],
    [asked, 'how about the ladder?', 'follow-up'],
    [asked, 'and a saw then?', 'follow-up'],
    [asked, 'the ladder?', 'follow-up'],
    [asked, 'no, the saw', 'follow-up'],
    [asked, 'I meant the ladder', 'follow-up'],
    // Wishes of their own.
    [asked, 'when are you open?', 'wish'],
    [asked, 'and when are you open?', 'wish'],
    [asked, 'I broke the saw', 'wish'],
    [asked, 'bring back the ladder', 'wish'],
    [asked, 'can I borrow the ladder', 'wish'],
    [asked, 'thanks', 'way-out'],
    [asked, 'ok', 'answer'],
    [asked, 'asdf', 'miss'],
    [asked, 'and xyzzy?', 'miss'],
    [[], 'and the ladder?', 'miss'],
  ]);

  it('books what was named', () => {
    const talk = talked([...asked, 'I want to borrow that one for two days']);
    expect(held(talk)).to.deep.include({ tool: 'drill', days: 2 });
  });

  it('takes nothing over where nothing points back', () => {
    const talk = talked([...asked, 'I want to borrow something']);
    expect(held(talk)['tool'] ?? null).to.equal(null);
  });
});

describe('answers as people give them', () => {
  table([
    [
      ['I want to borrow something'],
      'the ladder, from Friday, for two days',
      'answers',
      { tool: 'ladder', day: '2026-05-15', days: 2 },
    ],
    [['can I borrow the ladder'], 'Friday for three days', 'answers', { day: '2026-05-15', days: 3 }],
    [PICKED, 'Jo Marsh', 'answer', { name: 'Jo Marsh' }],
    [PICKED, "my name's Jo Marsh, thanks", 'answer', { name: 'Jo Marsh' }],
    [PICKED, "it's Jo", 'answer', { name: 'Jo' }],
    [PICKED, 'call me jo', 'answer', { name: 'Jo' }],
    [PICKED, 'yes please', 'miss'],
    [PICKED, 'ok', 'miss'],
    [BEGUN, 'neither', 'answer'],
    [BEGUN, 'the green one', 'answer'],
    [BEGUN, 'grean', 'answer'],
  ]);

  it('that are wrong are told so, with the reason', () => {
    const talk = talked(['can I borrow the ladder']);
    expect(talk.say('yesterday')[0]).to.match(/^Sunday 10 May is in the past\. From which day\?/);
    talk.say('Friday');
    expect(talk.say('99')[0]).to.contain('not 99');
    expect(held(talk)['days'] ?? null).to.equal(null);
  });
});

describe('ways out', () => {
  table([
    [BEGUN, 'never mind', 'way-out'],
    [PICKED, 'go back', 'way-out'],
    [PICKED, 'what was that again?', 'way-out'],
    [LAST, 'start over', 'way-out'],
    [LAST, 'what can you do?', 'way-out'],
    [LAST, 'a person please', 'way-out'],
    [PICKED, 'thanks', 'way-out'],
  ]);
  table([[['ich möchte eine Leiter ausleihen'], 'vergiss es', 'way-out']], 'de');
  table([[['quiero pedir prestado un taladro'], 'déjalo', 'way-out']], 'es');

  it('go back one question and no further, with what was known', () => {
    const talk = talked(PICKED);
    expect(talk.say('go back')).to.deep.equal(['These are free. Which one?']);
    expect(held(talk)).to.deep.include({ tool: 'ladder', day: '2026-05-15', days: 3 });
    expect(talk.say('back')).to.deep.equal(['From which day?']);
    expect(held(talk)['day'] ?? null).to.equal(null);
  });

  it('leave what came between, and then the rest', () => {
    const talk = talked([...BEGUN, 'return a tool']);
    expect(talk.say('never mind').at(-1)).to.contain('These are free.');
    talk.say('never mind');
    expect(talk.session.frames).to.deep.equal([]);
  });

  it('say the last answer once more, with its buttons', () => {
    const talk = talked(BEGUN);
    const before = talk.last?.messages;
    talk.say('what was that again?');
    expect(talk.last?.messages).to.deep.equal(before);
  });
});

describe('misses', () => {
  it('vary, then say what can be done, then offer a person', () => {
    const talk = talked(['can I borrow the ladder']);
    const [first] = talk.say('blarf');
    const second = talk.say('gnork');
    expect(first).to.not.equal(second.at(-1));
    expect(second[0]).to.match(/for example: “/);
    talk.say('zwerp');
    expect(talk.last?.messages[0]?.choices?.map((c) => c.says)).to.deep.equal(['A person, please']);
    talk.say('yes');
    expect(talk.session.handed?.reason).to.equal('asked');
  });

  it('are over with the first message that is understood', () => {
    const talk = talked(['can I borrow the ladder', 'blarf', 'gnork', 'Friday']);
    expect(talk.session.talk?.misses ?? 0).to.equal(0);
  });

  it('ask what was meant between two near intents, and the answer is kept for Missed', () => {
    const talk = talked([]);
    const { intents } = talk.bot.document;
    expect(intents).to.have.any.keys('price');
    const heard = { outcome: 'understood' as const, values: [], intents: [near('price', 0.4), near('hours', 0.35)] };
    const turn = talk.turn({ text: 'what is it like' }, heard);
    expect(turn.messages[0]?.choices).to.have.length(2);
    const chosen = talk.press(turn.messages[0]?.choices?.[1]?.id ?? '');
    expect(chosen).to.deep.equal(['We are open from 9 to 5.']);
    expect(talk.last?.sheet.understood?.meant).to.deep.equal({ text: 'what is it like', intent: 'hours' });
  });

  it('do not start what is denied', () => {
    const talk = talked([]);
    talk.say("I don't want to borrow anything");
    expect(takenAs(talk.last ?? expect.fail())).to.equal('denial');
    expect(talk.session.frames).to.deep.equal([]);
  });
});

const near = (intent: string, score: number) => ({ intent, score, roles: {} });

describe('tone', () => {
  for (const [language, saying] of [
    ['en', 'this is ridiculous'],
    ['en', 'you are useless'],
    ['de', 'das ist eine Frechheit'],
    ['es', 'estoy harta de esto'],
  ] as const)
    it(`${language}: “${saying}” opens the way to a person`, () => {
      const talk = talked(['can I borrow the ladder'], document, language);
      const turn = talk.turn({ text: saying });
      expect(takenAs(turn)).to.equal('distress');
      expect(turn.messages[0]?.choices).to.have.length(1);
    });

  for (const [language, saying] of [
    ['en', 'This is ridiculous, let me talk to a real person'],
    ['en', 'you are useless!! I want a human'],
    ['de', 'Das ist eine Frechheit. Ich will einen Menschen'],
    ['es', 'estoy harta de esto, quiero hablar con una persona'],
  ] as const)
    it(`${language}: “${saying}” goes to a person at once`, () => {
      const talk = talked(['can I borrow the ladder'], document, language);
      const turn = talk.turn({ text: saying });
      expect(takenAs(turn)).to.equal('distress');
      expect(turn.messages.map((m) => m.text)).to.deep.equal(['I am calling the desk.']);
    });

  it('goes by the bot’s own words where it has some', () => {
    const talk = talked([], workshop({ upset: { en: ['barnacles'] } }));
    talk.say('barnacles');
    expect(talk.last?.sheet.taken?.as).to.equal('distress');
    talk.say('this is ridiculous');
    expect(talk.last?.sheet.taken?.as).to.not.equal('distress');
  });
});

describe('wishes for later', () => {
  const LONG = 'what does it cost for all of us with everything that we carry on Mondays and Tuesdays and so on?';

  it('keep all their words, and are quoted shortly', () => {
    const talk = talked(['can I borrow the ladder', `on 15 May. Also ${LONG}`]);
    expect(talk.session.talk?.later?.map((l) => l.text)).to.deep.equal([LONG]);
    expect(words(talk.last as TurnResult).join(' '))
      .to.contain('what does it cost for all of us')
      .and.not.contain('and so on');
  });

  it('are no half of a letter where they are cut', () => {
    const talk = talked([`can I borrow the ladder ${'x'.repeat(475)}😀😀😀`]);
    expect(talk.session.frames.at(-1)?.wish?.text.length).to.be.within(480, 500);
    expect(talk.session.frames.at(-1)?.wish?.text).to.not.match(/\p{Surrogate}/u);
  });

  it('are kept within bounds, with all that was talked about beside them', () => {
    const talk = talked([]);
    const lines = [
      'can I borrow the ladder on 15 May',
      'for 3 days',
      'the second',
      'never mind',
      'what does it cost?',
      'and the saw?',
    ];
    for (let i = 0; i < 12; i++) for (const line of lines) talk.say(line);
    expect(talk.session.talk?.past).to.have.length.within(1, 5);
    expect(JSON.stringify(talk.session.talk).length + JSON.stringify(talk.session.frames).length).to.be.lessThan(30_000);
  });

  it('that are too many are said to be, and none of those is announced', () => {
    const talk = talked(['can I borrow the ladder']);
    const lines = Array.from({ length: 4 }, () => talk.say('on 15 May. Also I want to give back the saw').join(' '));
    expect(talk.session.talk?.later).to.have.length(3);
    expect(lines[2]).to.not.contain('once more after that');
    expect(lines[3])
      .to.contain('Please tell me “I want to give back the saw” once more after that.')
      .and.not.contain('right after this');
  });
});

describe('a yes or a no to two buttons', () => {
  const PAIRS: readonly (readonly [yes: string, no: string])[] = [
    ['Yes, cancel it', 'No, keep it'],
    ['Cancel it', 'Keep it'],
    ['Yes, do not send it', 'No, send it'],
    ['Send it', 'Not now'],
  ];
  for (const [yes, no] of PAIRS)
    it(`takes “${yes}” or “${no}”`, () => {
      const choices = [
        { id: 'one', says: yes },
        { id: 'keep-it', says: no },
      ];
      const bot = botOf({
        sure: { kind: 'choice', says: 'Shall I?', choices, exits: { one: 'first', 'keep-it': 'second', other: 'sure' } },
        first: { kind: 'say', says: 'the first', exits: { said: 'done' } },
        second: { kind: 'say', says: 'the second', exits: { said: 'done' } },
        done: { kind: 'end', ends: 'flow' },
      });
      expect(talked([], bot).say('yes')[0]).to.equal('the first');
      expect(talked([], bot).say('no thanks')[0]).to.equal('the second');
      expect(talked([], bot).say('nope')[0]).to.equal('the second');
    });
});

describe('a confirmation of a time', () => {
  const leave = { 'gave-up': 'leave' };
  const bot = botOf({
    when: { kind: 'ask', says: 'At what time?', expects: 'time', into: 'flow.time', exits: { answered: 'who', ...leave } },
    who: { kind: 'ask', says: 'What is your name?', expects: 'text', into: 'flow.name', exits: { answered: 'sure', ...leave } },
    sure: {
      kind: 'choice',
      says: 'At {{ flow.time }}, for {{ flow.name }}. Shall I book it?',
      choices: [
        { id: 'yes', says: 'Yes' },
        { id: 'no', says: 'No' },
      ],
      exits: { yes: 'booked', no: 'leave', other: 'sure' },
    },
    booked: { kind: 'say', says: 'Booked at {{ flow.time }}', exits: { said: 'done' } },
    leave: { kind: 'say', says: 'Left.', exits: { said: 'done' } },
    done: { kind: 'end', ends: 'flow' },
  });
  const said = (line: string): string => talked(['9am', 'Jo'], bot).say(line).join(' ');

  for (const line of ['yes but make it 10', 'not 9, 10', 'no, 10', 'actually at ten', 'no wait, make it 10:00'])
    it(`takes “${line}” as a correction`, () => {
      expect(said(line)).to.contain('At 10:00, for Jo.');
    });
  for (const line of ['yes but only with 3 dogs', 'ok but make it a big one', 'not 4711'])
    it(`takes “${line}” for neither a yes nor a no`, () => {
      expect(said(line)).to.contain('Shall I book it?').and.not.contain('Booked');
    });
  it('never parts “yes, but” into a yes and a wish', () => {
    for (const line of ['yes but what does it cost', 'ok but can I have the drill', 'yes, but the second one']) {
      const talk = talked(LAST);
      talk.say(line);
      expect(reserved(talk), line).to.deep.equal([]);
    }
  });
  for (const line of ['yes at 9', 'yes, sounds good', 'yes, 09:00 is fine'])
    it(`takes “${line}” as a yes`, () => {
      expect(said(line)).to.equal('Booked at 09:00');
    });
});
