import { expect } from 'chai';
import { falsehoodsIn, shownSoFar, unsaidIn, type Deed, type Grounds } from '@primrose/core';
import { DEEDS as FERRY_DEEDS, FALSE_AT_THE_FERRY, HONEST_AT_THE_FERRY, type FerryReply } from './data/ferry-replies.js';
import { FALSE_REPLIES, HONEST_REPLIES, type Done, type Reply } from './data/replies.js';
import { accepted, MONDAY } from './harbour.js';

const VISIT = { with: 'Dr Ferrow', day: '2026-05-15', time: '09:40', place: 'Harbour practice', name: 'Mo' };

const DEEDS: Readonly<Record<Done, readonly Deed[]>> = {
  nothing: [],
  visit: [
    {
      name: 'make-appointment',
      about: 'books an appointment with a doctor',
      acts: 'adds',
      given: VISIT,
      gave: { number: 'V-318', ...VISIT },
    },
  ],
  order: [
    {
      name: 'place-order',
      about: 'orders bread and cake',
      acts: 'adds',
      given: {
        items: [
          { what: 'rye', count: 3 },
          { what: 'cake', count: 1 },
        ],
        day: '2026-05-16',
      },
      gave: { number: 7741, total: 17.5, currency: 'EUR' },
    },
  ],
  note: [
    {
      name: 'table repairs add',
      about: 'repairs',
      acts: 'adds',
      given: { what: 'the pump of hall 2 leaks' },
      gave: [{ id: 'r1', what: 'the pump of hall 2 leaks' }],
    },
  ],
  cancel: [
    { name: 'cancel-appointment', about: 'cancels an appointment', acts: 'removes', given: { number: 'V-318' }, gave: null },
  ],
  mail: [
    { name: 'notice', about: 'sends a message', acts: 'sends', given: { to: 'workshop', text: 'The pump leaks.' }, gave: null },
  ],
  read: [
    {
      name: 'read-appointment',
      about: 'one appointment by its number',
      acts: 'reads',
      given: { number: 'V-318' },
      gave: { state: 'booked', ...VISIT },
    },
  ],
  moved: [
    {
      name: 'move-appointment',
      about: 'moves an appointment to another time',
      acts: 'changes',
      given: { number: 'V-318', time: '11:15' },
      gave: { was: '09:40', time: '11:15' },
    },
  ],
};

const document = accepted({
  primrose: 1,
  bot: 'b',
  name: 'B',
  languages: ['en', 'de', 'es'],
  zone: 'Europe/Dublin',
  begins: 'main',
  flows: { main: { nodes: {} } },
});

/** What everybody has said by then: the prompt, and what tools gave that only read. */
const SHOWN = [
  'You are the desk. Free times: 09:40, 11:15, 14:00. Open repairs: 4.',
  'a table for four, three loaves, the list of repairs',
];

function grounds({ language, after }: Pick<Reply, 'language' | 'after'>): Grounds {
  const deeds = DEEDS[after];
  const shown = [...SHOWN, ...deeds.map((d) => JSON.stringify(d.gave))].map((text) => ({ text, owner: { text } }));
  return { document, setting: { at: MONDAY, zone: 'Europe/Dublin', language }, deeds, shown };
}

const caught = (reply: Reply): boolean => falsehoodsIn(reply.says, grounds(reply)).length > 0;

describe('a reply', () => {
  it('that claims what was not done is caught, in three languages', () => {
    const missed = FALSE_REPLIES.filter((r) => !caught(r));
    expect(missed.length / FALSE_REPLIES.length, missed.map((r) => `${r.after}: ${r.says}`).join('\n')).to.be.at.most(0.05);
  });

  it('that is honest is let through, in three languages', () => {
    const stopped = HONEST_REPLIES.filter(caught);
    expect(stopped.length / HONEST_REPLIES.length, stopped.map((r) => `${r.after}: ${r.says}`).join('\n')).to.be.at.most(0.05);
  });

  it('is judged as well on a second set, of the ferries, in four languages', () => {
    const entities = {
      port: {
        values: { kelpwick: { en: ['Kelpwick'] }, 'tarn-holm': { en: ['Tarn Holm'] }, 'gannet-quay': { en: ['Gannet Quay'] } },
      },
    };
    const ferries = { ...document, entities, languages: ['en', 'de', 'es', 'fr'] };
    const known = 'You are the desk. two bicycles, 09:40, Friday, Thursday, Kelpwick, Gannet Quay, Finn';
    const stops = ([language, after, says]: FerryReply): boolean => {
      const deeds = FERRY_DEEDS[after] ?? [];
      const shown = [known, JSON.stringify(deeds.map((d) => d.gave))].map((text) => ({ text, owner: { text } }));
      return (
        falsehoodsIn(says, { document: ferries, setting: { at: MONDAY, zone: 'Europe/Dublin', language }, deeds, shown }).length >
        0
      );
    };
    expect(FALSE_AT_THE_FERRY.filter((r) => !stops(r))).to.deep.equal([]);
    expect(HONEST_AT_THE_FERRY.filter(stops)).to.deep.equal([]);
  });

  it('is shown while it is written up to the end of the last whole sentence, and not beyond a false one', () => {
    const of = grounds({ language: 'en', after: 'nothing' });
    expect(shownSoFar('There are three free ti', of)).to.equal('');
    expect(shownSoFar('There are three. I have booked the first. Anything else?', of)).to.equal('There are three.');
    expect(shownSoFar('There are three. Shall I book the first? ', of)).to.equal('There are three. Shall I book the first?');
  });

  it('has what nobody has said marked: numbers, days, prices and names', () => {
    const of = grounds({ language: 'en', after: 'nothing' });
    expect(unsaidIn('The 09:40 costs 12 euros, says Mr Fenn of Harbour Lane.', of)).to.deep.equal([
      '12 euros',
      'Fenn',
      'Harbour Lane',
    ]);
    expect(unsaidIn('There are 4 open repairs; the next free time is 11:15.', of)).to.deep.equal([]);
  });

  it('of any length is checked in time that grows with it, and not faster', () => {
    const of = grounds({ language: 'en', after: 'visit' });
    const sentence = 'I have looked at the list, and there is nothing on it for you today. ';
    const steps = (times: number): number => falsehoodsIn(sentence.repeat(times), of).length;
    expect([steps(10), steps(3000)]).to.deep.equal([0, 0]);
  });
});
