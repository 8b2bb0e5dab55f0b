import { expect } from 'chai';
import { MAX_NODE_RUNS, type ActionResult } from '@primrose/core';
import { botOf, demoDocument, Talk } from './harbour.js';

const SAILINGS = [
  { id: 'a', time: '09:40', boat: 'Wrackline', price: 34 },
  { id: 'b', time: '13:15', boat: 'Sandpiper', price: 8 },
];
const office =
  (sailings: unknown, booking: ActionResult = { outcome: 'answered', status: 201, body: { reference: 'KPG1001' } }) =>
  (effect: { method: string }): ActionResult =>
    effect.method === 'POST' ? booking : { outcome: 'answered', status: 200, body: { sailings } as never };

describe('a turn of the engine', () => {
  it('books a crossing of Harbour desk from greeting to goodbye', () => {
    const talk = new Talk(demoDocument(), { answer: office(SAILINGS) });
    expect(talk.open()[0]).to.contain('Harbour desk');
    for (const text of ['find a crosing', 'kelpwik', 'to Tarn Holm please', 'Friday', 'with the car']) talk.say(text);
    const actions = () => talk.effects.filter((e) => e.type === 'action');
    expect(actions()[0]).to.deep.include({
      target: '/sailings',
      query: { from: 'kelpwick', to: 'tarn-holm', on: '2026-05-15', vehicle: 'car' },
      changes: false,
    });
    talk.say('2');
    talk.press('yes-please');
    expect(talk.say('Mo')).to.deep.equal([
      'One moment, Mo…',
      'You are booked. Your reference is **KPG1001**.',
      'Goodbye, and fair winds.',
      'Shall I keep this in mind for next time, or is it only for now? You travel like this: car.',
    ]);
    expect(actions()[1]).to.deep.include({
      method: 'POST',
      body: { sailing: 'b', name: 'Mo', vehicle: 'car' },
      changes: true,
    });
    expect(talk.last?.visitorChanges).to.deep.equal([{ op: 'set', name: 'first_name', value: 'Mo' }]);
    expect(talk.last?.sheet.ended).to.equal(true);
    expect(talk.say('hm')[0]).to.equal('Welcome back, Mo.');
    talk.press('leave');
    expect(talk.say('hello')[0]).to.match(/^Hello Mo\./);
  });

  it('says so when nothing sails, and asks for another day although one is known', () => {
    const talk = new Talk(demoDocument(), { answer: office([]) });
    talk.open();
    for (const text of ['find a crossing', 'kelpwick', 'gannet quay', 'sunday']) talk.say(text);
    expect(talk.say('on foot')[0]).to.contain('Nothing with room for you sails that way on Sunday 17 May');
    expect(talk.press('another-day')[0]).to.equal('Which day would you like to sail?');
  });

  it('says so when the office cannot be reached, with the reason in the sheet', () => {
    const answer = (): ActionResult => ({ outcome: 'failed', code: 'timeout', reason: 'no answer within 4 s' });
    const talk = new Talk(demoDocument(), { answer });
    talk.open();
    for (const text of ['find a crossing', 'kelpwick', 'tarn holm', 'friday']) talk.say(text);
    expect(talk.say('bike')[0]).to.contain('cannot reach the booking office');
    expect(talk.last?.sheet.problems).to.deep.include({
      code: 'action-failed',
      flow: 'welcome',
      node: 'find-sailings',
      facts: { action: 'booking-office.list-sailings', status: null, reason: 'no answer within 4 s' },
    });
  });

  it('decides by a case even when the answer is an error, such as a full sailing', () => {
    const full: ActionResult = { outcome: 'answered', status: 409, body: { error: 'full' } };
    const talk = new Talk(demoDocument(), { answer: office(SAILINGS, full), visitor: { first_name: 'Mo' } });
    talk.open();
    for (const text of ['find a crossing', 'kelpwick', 'tarn holm', 'friday', 'car', '1']) talk.say(text);
    expect(talk.say('yes')).to.include('I am sorry, the last place was taken a moment ago.');
  });

  it('hands out what was said before an outside call together with the call', () => {
    const talk = new Talk(demoDocument(), { answer: office(SAILINGS), visitor: { first_name: 'Mo' } });
    talk.open();
    for (const text of ['find a crossing', 'kelpwick', 'tarn holm', 'friday', 'car', '1', 'yes']) talk.say(text);
    const path = talk.last?.sheet.path.map((s) => s.node);
    expect(path).to.deep.equal(['confirm', 'ask-name', 'one-moment', 'book', 'keep-reference', 'booked', 'goodbye']);
    expect(talk.last?.sheet.path[1]).to.include({ exit: 'answered', note: 'already known' });
  });

  it('speaks the visitor’s language, and the first one where a text has no other', () => {
    const german = new Talk(demoDocument(), { language: 'de-AT' });
    expect(german.open()[0]).to.contain('Hafenschalter');
    expect(new Talk(demoDocument(), { language: 'fr' }).open()[0]).to.contain('Harbour desk');
  });

  it('takes several wordings in turn', () => {
    const talk = new Talk(
      botOf({
        hi: { kind: 'say', says: ['one', 'two', 'three'], exits: { said: 'wait' } },
        wait: { kind: 'choice', says: '?', choices: [{ id: 'on', says: 'go on' }], exits: { on: 'hi', other: 'hi' } },
      }),
    );
    expect([talk.open()[0], talk.say('go on')[0], talk.say('go on')[0], talk.say('go on')[0]]).to.deep.equal([
      'one',
      'two',
      'three',
      'one',
    ]);
  });

  it('retries an ask with its own wording and gives up after the tries', () => {
    const talk = new Talk(
      botOf({
        n: {
          kind: 'ask',
          says: 'How many?',
          again: 'A number, please.',
          expects: 'number',
          into: 'flow.n',
          tries: 1,
          exits: { answered: 'ok', 'gave-up': 'no' },
        },
        ok: { kind: 'say', says: 'So {{ flow.n + 1 }}.', exits: { said: 'fin' } },
        no: { kind: 'say', says: 'Never mind.', exits: { said: 'fin' } },
        fin: { kind: 'end' },
      }),
    );
    talk.open();
    expect(talk.say('many')).to.deep.equal(['A number, please.']);
    expect(talk.say('lots')).to.deep.equal(['Never mind.']);
    talk.turn({ type: 'open' });
    expect(talk.say('three of us')).to.deep.equal(['So 4.']);
  });

  it('prints nothing for a missing value and notes it', () => {
    const talk = new Talk(botOf({ a: { kind: 'say', says: 'Dear {{ flow.who }}!', exits: { said: 'b' } }, b: { kind: 'end' } }));
    expect(talk.open()).to.deep.equal(['Dear !']);
    expect(talk.last?.sheet.problems[0]).to.deep.include({ code: 'missing-value', node: 'a' });
  });

  it('never reads a visitor’s words as markup', () => {
    const talk = new Talk(
      botOf({
        a: { kind: 'ask', says: 'Name?', expects: 'text', into: 'flow.who', exits: { answered: 'b', 'gave-up': 'b' } },
        b: { kind: 'say', says: 'Hello **{{ flow.who }}**', exits: { said: 'c' } },
        c: { kind: 'end' },
      }),
    );
    talk.open();
    talk.say('[x](https://e.example) <img src=x> _y_');
    const [block] = talk.last?.messages[0]?.blocks ?? [];
    const inner = (block as unknown as { inside: { inside?: { type: string; text: string }[] }[] }).inside[1]?.inside ?? [];
    expect(inner.every((i) => i.type === 'text')).to.equal(true);
    expect(inner.map((i) => i.text).join('')).to.equal('[x](https://e.example) <img src=x> _y_');
  });

  it('cuts a loop that never waits', () => {
    const talk = new Talk(
      botOf({ a: { kind: 'set', sets: [], exits: { done: 'b' } }, b: { kind: 'set', sets: [], exits: { done: 'a' } } }),
    );
    talk.open();
    expect(talk.last?.sheet.path).to.have.length(MAX_NODE_RUNS);
    expect(talk.last?.sheet.problems.at(-1)?.code).to.equal('loop-cut');
  });

  it('passes through a node that is off by its first exit', () => {
    const talk = new Talk(
      botOf({
        a: { kind: 'say', says: 'not said', off: true, exits: { said: 'b' } },
        b: { kind: 'say', says: 'said', exits: { said: 'c' } },
        c: { kind: 'end' },
      }),
    );
    expect(talk.open()).to.deep.equal(['said']);
  });

  it('begins a flow again with its values when an edit took the waiting node away', () => {
    const before = botOf({
      a: { kind: 'ask', says: 'A?', expects: 'text', into: 'flow.a', exits: { answered: 'b', 'gave-up': 'b' } },
      b: { kind: 'ask', says: 'B?', expects: 'text', into: 'flow.b', exits: { answered: 'c', 'gave-up': 'c' } },
      c: { kind: 'end' },
    });
    const talk = new Talk(before);
    talk.open();
    talk.say('alpha');
    const after = new Talk(
      botOf({
        a: { kind: 'ask', says: 'A?', expects: 'text', into: 'flow.a', exits: { answered: 'z', 'gave-up': 'z' } },
        z: { kind: 'say', says: 'Kept {{ flow.a }}.', exits: { said: 'c' } },
        c: { kind: 'end' },
      }),
    );
    after.session = talk.session;
    expect(after.say('beta')).to.deep.equal(['Kept alpha.']);
    expect(after.last?.sheet.problems[0]?.code).to.equal('node-gone');
  });
});
