import { expect } from 'chai';
import { readFileSync } from 'node:fs';
import {
  correcting,
  denies,
  distressIn,
  followingUp,
  pickOffered,
  polarityOf,
  saysNothing,
  wayOut,
  waysToPart,
  type Offered,
} from '@primrose/core';

interface Row {
  readonly language: string;
  readonly what: string;
  readonly saying: string;
  readonly as: string;
}

const rows: Row[] = readFileSync(new URL('data/sayings.txt', import.meta.url), 'utf8')
  .split('\n')
  .filter((line) => line.trim() !== '' && !line.startsWith('#'))
  .map((line) => {
    const [language = '', what = '', saying = '', as = ''] = line.split(' | ');
    return { language, what, saying, as };
  });

const yesOrNo = (is: boolean): string => (is ? 'yes' : 'no');

/** What each kind of row reads; '-' is nothing. */
const READERS: Readonly<Record<string, (saying: string, language: string) => string>> = {
  'yes-no': (saying, language) => {
    const found = polarityOf(saying, language);
    return found ? yesOrNo(found.agrees) : '-';
  },
  'way-out': (saying, language) => wayOut(saying, language) ?? '-',
  corrects: (saying, language) => correcting(saying, language)?.to ?? '-',
  follows: (saying, language) => followingUp(saying, language) ?? '-',
  upset: (saying, language) => distressIn(saying, language) ?? '-',
  denies: (saying, language) => yesOrNo(denies(saying, language)),
  nothing: (saying, language) => yesOrNo(saysNothing(saying, language)),
  parts: (saying, language) =>
    waysToPart(saying, language)[0]
      ?.map((p) => p.text)
      .join(' / ') ?? '-',
};

describe('set expressions', () => {
  for (const [what, read] of Object.entries(READERS)) {
    const own = rows.filter((r) => r.what === what);
    it(`of the kind “${what}” are read, and others are not: ${own.length} sayings`, () => {
      const wrong = own.flatMap(({ saying, language, as }) => {
        const found = read(saying, language);
        const right = what === 'upset' && as !== '-' ? found.includes(as) : found === as;
        return right ? [] : [`${language}: ${saying}: ${found}, not ${as}`];
      });
      expect(wrong).to.deep.equal([]);
    });
  }

  it('are all of a kind that is known', () => {
    expect(rows.filter((r) => !Object.hasOwn(READERS, r.what))).to.deep.equal([]);
  });

  it('are bounded: long nonsense is read in no time', () => {
    const long = 'no wait and then not the other one please '.repeat(2000);
    for (const read of Object.values(READERS)) expect(read(long.slice(0, 500), 'en')).to.be.a('string');
  });
});

const SAILINGS: Offered[] = (
  [
    ['08:30', 'Wrackline', 24],
    ['09:40', 'Sandpiper', 9],
    ['13:15', 'Wrackline', 21],
    ['17:40', 'Sandpiper', 8],
  ] as const
).map(([time, boat, price], i) => ({ id: String(i + 1), says: `${time} ${boat}`, value: { id: `s${i}`, time, boat, price } }));

/** What is taken of the sailings: their numbers, 'none', or '-' where the words are about something else. */
function picked(saying: string, language: string, now?: string): string {
  const found = pickOffered(saying, SAILINGS, { at: '2026-05-11T10:00:00.000Z', zone: 'Europe/Dublin', language }, now);
  if (!found) return '-';
  return 'refuses' in found ? 'none' : found.takes.join(' ');
}

describe('a pick from what is offered', () => {
  const table: readonly (readonly [language: string, saying: string, takes: string])[] = [
    ['en', 'the last one please', '4'],
    ['en', 'the second', '2'],
    ['en', 'number 3', '3'],
    ['en', '2', '2'],
    ['en', 'the earliest', '1'],
    ['en', 'the cheapest please', '4'],
    ['en', 'the afternoon one', '3 4'],
    ['en', 'the Wrackline', '1 3'],
    ['en', 'the later Wrackline', '3'],
    ['en', 'the Wrackline in the afternoon', '3'],
    ['en', 'sandpipper at 9:40', '2'],
    ['en', 'half past eight', '1'],
    ['en', 'the 5:40', '4'],
    ['en', 'around one', '3'],
    ['en', 'neither', 'none'],
    ['en', 'none of these', 'none'],
    ['en', 'either', '1'],
    ['en', "I don't mind", '1'],
    ['en', 'not the first', '2 3 4'],
    ['en', 'second to last', '3'],
    ['en', 'how long does it take with a car', '-'],
    ['en', 'can I take my bicycle along', '-'],
    ['en', 'I want to cancel my booking', '-'],
    ['de', 'die letzte bitte', '4'],
    ['de', 'die zweite', '2'],
    ['de', 'die früheste', '1'],
    ['de', 'die günstigste', '4'],
    ['de', 'am Nachmittag', '3 4'],
    ['de', 'um halb neun', '1'],
    ['de', 'keine davon', 'none'],
    ['de', 'egal', '1'],
    ['de', 'die Wrackline am Vormittag', '1'],
    ['de', 'darf der Hund mit', '-'],
    ['es', 'la última', '4'],
    ['es', 'el segundo por favor', '2'],
    ['es', 'el más barato', '4'],
    ['es', 'el de la tarde', '3 4'],
    ['es', 'a las 13:15', '3'],
    ['es', 'ninguno', 'none'],
    ['es', 'cualquiera', '1'],
    ['es', 'puede venir el perro', '-'],
  ];
  for (const [language, saying, takes] of table)
    it(`${language}: “${saying}”`, () => {
      expect(picked(saying, language)).to.equal(takes);
    });

  it('knows the other one from the one that was taken', () => {
    const two = SAILINGS.slice(0, 2);
    const setting = { at: '2026-05-11T10:00:00.000Z', zone: 'Europe/Dublin', language: 'en' };
    expect(pickOffered('the other one', two, setting, '1')).to.deep.equal({ takes: ['2'], by: 'the other' });
  });
});
