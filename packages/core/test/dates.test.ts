import { expect } from 'chai';
import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { createValueFinder, findMoments, readAnswer, type AnswerSetting, type Wants } from '@primrose/core';
import { earsOf, MONDAY } from './harbour.js';

interface Expression {
  readonly language: string;
  readonly words: string;
  readonly date: string;
  readonly time: string;
  readonly wants: Wants | undefined;
}

/** What people write, line by line, with what is meant on a Monday in Dublin. */
const EXPRESSIONS = readFileSync(new URL('data/dates.txt', import.meta.url), 'utf8')
  .split('\n')
  .filter((l) => l !== '' && !l.startsWith('#'))
  .map((line): Expression => {
    const [language = '', words = '', date = '', time = '', wants] = line.split('|').map((cell) => cell.trim());
    return { language, words, date, time, wants: wants === 'past' || wants === 'future' ? wants : undefined };
  });

const DUBLIN = { at: MONDAY, zone: 'Europe/Dublin', language: 'en' } as const;
const dates = (words: string, setting: Partial<AnswerSetting> = {}) =>
  findMoments(words, { ...DUBLIN, ...setting }).flatMap((m) => m.date ?? []);
const times = (words: string, setting: Partial<AnswerSetting> = {}) =>
  findMoments(words, { ...DUBLIN, ...setting }).flatMap((m) => m.time ?? []);

describe('days and times', () => {
  for (const language of ['en', 'de', 'es', 'fr']) {
    const own = EXPRESSIONS.filter((e) => e.language === language);
    it(`are read as they are written in ${language}, ${own.length} ways`, () => {
      const wrong = own.flatMap(({ words, date, time, wants }) => {
        const found = `${dates(words, { language, wants }).join()} ${times(words, { language, wants }).join()}`;
        return found === `${date} ${time}` ? [] : [`${words}: ${found} instead of ${date} ${time}`];
      });
      expect(wrong).to.deep.equal([]);
      expect(own.length).to.be.greaterThan(language === 'fr' ? 15 : 40);
    });
  }

  it('in figures stand in the order of the zone and the language', () => {
    expect(dates('03/11')).to.deep.equal(['2026-11-03']);
    expect(dates('03/11/2026', { zone: 'America/New_York' })).to.deep.equal(['2026-03-11']);
    expect(dates('03/11/2026', { language: 'en-US' })).to.deep.equal(['2026-03-11']);
    expect(dates('03/11', { zone: 'America/New_York', language: 'es' })).to.deep.equal(['2026-11-03']);
    expect(dates('03/25')).to.deep.equal(['2026-03-25'], 'what is no month is a day');
    expect(dates('31/02')).to.deep.equal([]);
  });

  it('that are relative count from the day that is talked about', () => {
    expect(dates('the day after', { day: '2026-12-01' })).to.deep.equal(['2026-12-02']);
    expect(dates('the day before', { day: '2026-12-01' })).to.deep.equal(['2026-11-30']);
    expect(dates('two days later', { day: '2026-12-30' })).to.deep.equal(['2027-01-01']);
    expect(dates('am Tag danach', { day: '2026-12-01', language: 'de' })).to.deep.equal(['2026-12-02']);
    expect(dates('al día siguiente', { day: '2026-12-01', language: 'es' })).to.deep.equal(['2026-12-02']);
    expect(dates('tomorrow', { day: '2026-12-01' })).to.deep.equal(['2026-05-12'], 'tomorrow is tomorrow');
  });

  it('go by the clock of the zone, on days when it changes too', () => {
    const spring = { at: '2026-03-29T00:30:00.000Z' };
    expect(times('in 2 hours', spring)).to.deep.equal(['03:30']);
    expect(dates('tomorrow', spring)).to.deep.equal(['2026-03-30']);
    const autumn = { at: '2026-10-25T00:30:00.000Z' };
    expect(times('in 2 hours', autumn)).to.deep.equal(['02:30']);
    expect(dates('today', { at: '2026-10-24T23:30:00.000Z' })).to.deep.equal(['2026-10-25']);
    expect(dates('today', { at: '2026-05-11T23:30:00.000Z', zone: 'America/New_York' })).to.deep.equal(['2026-05-11']);
  });

  it('without a year are those of the last two months or the next ones', () => {
    const november = { at: '2026-11-28T12:00:00.000Z' };
    expect(dates('3 November', november)).to.deep.equal(['2026-11-03']);
    expect(dates('3 November', { ...november, wants: 'future' })).to.deep.equal(['2027-11-03']);
    expect(dates('10 June', november)).to.deep.equal(['2027-06-10']);
    expect(dates('10 June', { ...november, wants: 'past' })).to.deep.equal(['2026-06-10']);
    expect(dates('29 February', { at: '2027-03-01T12:00:00.000Z', wants: 'future' })).to.deep.equal(['2028-02-29']);
  });

  it('are not seen where none are', () => {
    for (const words of [
      'I have 2 dogs',
      'may I come',
      'the second boat',
      'call 01 234 5678',
      'KEL-4821',
      'by car',
      'the 5 of us',
      '12.50 €',
    ])
      expect(findMoments(words, DUBLIN), words).to.deep.equal([]);
  });

  it('stand within the text, in order, and never over each other', () => {
    const word = fc.constantFrom(
      'on',
      'Friday',
      'the',
      '3rd',
      'of',
      'May',
      '9:40',
      'next',
      'week',
      '03/11',
      'half',
      'past',
      'nine',
      '2',
      'days',
      'ago',
      'übermorgen',
      '😀',
      '.',
      ',',
    );
    fc.assert(
      fc.property(fc.array(word, { maxLength: 14 }), fc.constantFrom('en', 'de', 'es', 'fr'), (words, language) => {
        const text = words.join(' ');
        let end = 0;
        for (const { from, to } of findMoments(text, { ...DUBLIN, language })) {
          expect(from).to.be.at.least(end);
          expect(to).to.be.greaterThan(from).and.at.most(text.length);
          end = to;
        }
      }),
      { seed: 15, numRuns: 400 },
    );
  });
});

describe('amounts and other values', () => {
  const read = (kind: Parameters<typeof readAnswer>[0], said: string, language = 'en') =>
    readAnswer(kind, said, { ...DUBLIN, language })?.value;

  it('are money with its currency', () => {
    expect(read('money', 'about 12.50 euros')).to.deep.equal({ amount: 12.5, currency: 'EUR' });
    expect(read('money', '£1,200')).to.deep.equal({ amount: 1200, currency: 'GBP' });
    expect(read('money', '1.200,50 €', 'de')).to.deep.equal({ amount: 1200.5, currency: 'EUR' });
    expect(read('money', 'veinte euros', 'es')).to.deep.equal({ amount: 20, currency: 'EUR' });
    expect(read('money', 'twenty')).to.equal(undefined);
  });

  it('are quantities with their unit, and durations', () => {
    expect(read('quantity', 'it is 3.5 m long')).to.deep.equal({ amount: 3.5, unit: 'm' });
    expect(read('quantity', 'zwölf Kilo', 'de')).to.deep.equal({ amount: 12, unit: 'kg' });
    expect(read('duration', 'for three days')).to.equal('P3D');
    expect(read('duration', 'an hour and a half')).to.equal('PT90M');
    expect(read('duration', 'zwei Wochen', 'de')).to.equal('P2W');
    expect(read('duration', 'una semana', 'es')).to.equal('P1W');
  });

  it('are ranges of days and of times', () => {
    expect(read('range', 'from Friday to Sunday')).to.deep.equal({ from: '2026-05-15', to: '2026-05-17' });
    expect(read('range', '3 to 5 June')).to.deep.equal({ from: '2026-06-03', to: '2026-06-05' });
    expect(read('range', 'between 9:00 and 10:30')).to.deep.equal({ from: '09:00', to: '10:30' });
    expect(read('range', 'vom 3. Juni bis 5. Juni', 'de')).to.deep.equal({ from: '2026-06-03', to: '2026-06-05' });
    expect(read('range', 'on Friday')).to.equal(undefined);
  });

  it('are names where somebody is introduced, ordinals, languages and addresses of pages', () => {
    expect(read('person', 'I am Isla Marrow')).to.equal('Isla Marrow');
    expect(read('person', 'it is Tom, thanks')).to.equal('Tom');
    expect(read('person', 'call me jo')).to.equal('Jo');
    expect(read('person', 'ich heiße Jonas Quay', 'de')).to.equal('Jonas Quay');
    expect(read('person', 'me llamo Rosa', 'es')).to.equal('Rosa');
    expect(read('ordinal', 'the second one')).to.equal(2);
    expect(read('ordinal', 'the 3rd')).to.equal(3);
    expect(read('language', 'can we speak German')).to.equal('de');
    expect(read('web_address', 'see www.example.org/boats.')).to.equal('https://www.example.org/boats');
  });

  it('that overlap are settled by length, then by the order of kinds', () => {
    const document = earsOf();
    const find = createValueFinder(document, ['number', 'money', 'duration', 'date', 'quantity', 'range', 'ordinal']);
    const kinds = (text: string) => find(text, DUBLIN).map((v) => `${v.entity} ${v.text}`);
    expect(kinds('12 euros for 3 days on 3 May')).to.deep.equal(['money 12 euros', 'duration 3 days', 'date 3 May']);
    expect(kinds('from Friday to Sunday')).to.deep.equal(['range Friday to Sunday']);
    for (const v of find('12 euros on Friday', DUBLIN)) expect(v.by, v.entity).to.be.a('string');
  });
});
