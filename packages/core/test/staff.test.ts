import { expect } from 'chai';
import { checkBot, isStaffed, readDocument, talkSummary, type TurnSheet } from '@primrose/core';
import { botOf, demoDocument, Talk, words } from './harbour.js';

const end = { kind: 'end', ends: 'flow' };
const HOURS = { mon: '08:00-12:00, 13:00-17:30', fri: '08:00-24:00' };
const away = { en: 'Nobody is here now.', de: 'Gerade ist niemand da.' };

const bot = (staff: object | undefined, node: object = {}) =>
  botOf(
    {
      call: { kind: 'hand-over', reason: 'x', says: 'I am calling somebody.', exits: { 'handed-back': 'end' }, ...node },
      end,
    },
    staff === undefined ? {} : { staff },
  );

describe('office hours', () => {
  it('are in the zone of the bot, with spans, closed days and midnight', () => {
    const at = (moment: string) => isStaffed(bot({ hours: HOURS, closed: ['2026-05-18'] }), moment);
    // In May Dublin is an hour ahead of UTC; 11 May is a Monday.
    expect(at('2026-05-11T06:59:59.000Z')).to.equal(false);
    expect(at('2026-05-11T07:00:00.000Z')).to.equal(true);
    expect(at('2026-05-11T11:30:00.000Z')).to.equal(false);
    expect(at('2026-05-11T12:30:00.000Z')).to.equal(true);
    expect(at('2026-05-11T16:30:00.000Z')).to.equal(false);
    expect(at('2026-05-15T22:59:00.000Z')).to.equal(true);
    expect(at('2026-05-15T23:00:00.000Z')).to.equal(false);
    expect(at('2026-05-12T10:00:00.000Z')).to.equal(false);
    expect(at('2026-05-18T10:00:00.000Z')).to.equal(false);
    expect(isStaffed(bot(undefined), '2026-05-12T02:00:00.000Z')).to.equal(true);
  });

  it('are refused where they cannot be read', () => {
    for (const hours of [{ mon: '8-12' }, { mon: '08:00-25:00' }, { monday: '08:00-12:00' }]) {
      const { ...document } = bot(undefined);
      expect(readDocument({ ...document, staff: { hours } }).ok, JSON.stringify(hours)).to.equal(false);
    }
  });

  it('decide what is said at a hand-over: the node’s own words outside them, else the bot’s', () => {
    const at = (moment: string, node: object = {}, staff: object | undefined = { hours: HOURS, away }) =>
      words(new Talk(bot(staff, node)).turn({ type: 'open', at: moment }));
    const [day, night] = ['2026-05-11T08:00:00.000Z', '2026-05-11T21:00:00.000Z'];
    expect(at(day)).to.deep.equal(['I am calling somebody.']);
    expect(at(night)).to.deep.equal(['Nobody is here now.']);
    expect(at(night, { away: 'Sleep well.' })).to.deep.equal(['Sleep well.']);
    expect(at(night, {}, { hours: HOURS })).to.deep.equal(['I am calling somebody.']);
  });

  it('can be asked for by expressions', () => {
    const document = botOf(
      {
        say: { kind: 'say', says: '{{ clock.staffed ? "open" : "closed" }}', exits: { said: 'end' } },
        end,
      },
      { staff: { hours: HOURS } },
    );
    expect(checkBot(document)).to.deep.equal([]);
    expect(words(new Talk(document).turn({ type: 'open', at: '2026-05-11T21:00:00.000Z' }))).to.deep.equal(['closed']);
  });
});

describe('a conversation that staff close', () => {
  it('ends there, and what is said next begins anew', () => {
    const document = botOf({
      ask: { kind: 'ask', says: 'What?', expects: 'text', into: 'flow.what', exits: { answered: 'call', 'gave-up': 'end' } },
      call: { kind: 'hand-over', reason: 'x', says: 'Calling.', back: 'Back.', exits: { 'handed-back': 'end' } },
      end,
    });
    const talk = new Talk(document);
    talk.open();
    expect(talk.say('the boat')).to.deep.equal(['Calling.']);
    const closed = talk.turn({ type: 'hand-back', closes: true });
    expect([words(closed), closed.sheet.ended, talk.session.handed]).to.deep.equal([[], true, undefined]);
    expect(talk.say('hello again')).to.deep.equal(['What?']);
  });

  it('are not outdone by what the bot had put off: a conversation that they close is over', () => {
    const talk = new Talk(demoDocument());
    talk.open();
    talk.say('is there a boat to the holm tomorrow morning, also can my dog come?');
    talk.say('let me talk to a person please');
    expect(talk.session.handed).to.not.equal(undefined);
    const closed = talk.turn({ type: 'hand-back', closes: true });
    expect([words(closed), closed.sheet.ended]).to.deep.equal([[], true]);
  });
});

describe('the summary of a talk so far', () => {
  it('tells what was wanted, named, done and failed, and what is open', () => {
    const talk = new Talk(demoDocument(), {
      answer: () => ({ outcome: 'failed', code: 'unreachable', reason: 'the office does not answer' }),
    });
    const sheets: TurnSheet[] = [];
    const turn = (event: Parameters<Talk['turn']>[0]) => sheets.push(talk.turn(event).sheet);
    turn({ type: 'open' });
    turn({ text: 'when does the office open' });
    turn({ text: 'cancel my booking KEL 4821' });
    turn({ text: 'yes' });
    const summary = talkSummary(demoDocument(), sheets);
    expect(summary.wants).to.deep.equal(['asks when the office is open', 'does not want to travel any more']);
    expect(Object.fromEntries(summary.named)).to.include({ reference: 'KEL 4821' });
    expect(summary.failed.join()).to.contain('the office does not answer');
    expect(summary.done).to.deep.equal([]);
  });

  it('is empty for a talk of which nothing was understood, and bounded for a long one', () => {
    const document = botOf({
      ask: { kind: 'ask', says: 'What?', expects: 'text', into: 'flow.what', exits: { answered: 'ask', 'gave-up': 'end' } },
      end,
    });
    expect(talkSummary(document, [])).to.deep.equal({ wants: [], named: [], done: [], failed: [], missed: [], open: null });
    const talk = new Talk(document);
    const sheets = [talk.turn({ type: 'open' }).sheet];
    for (let i = 0; i < 60; i++) sheets.push(talk.turn({ text: `word ${'x'.repeat(i * 10)}` }).sheet);
    const { named } = talkSummary(document, sheets);
    expect(named.length).to.equal(1);
    expect(named[0]?.[1].length).to.be.at.most(160);
  });
});
