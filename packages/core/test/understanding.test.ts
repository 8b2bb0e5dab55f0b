import { expect } from 'chai';
import fc from 'fast-check';
import {
  createListener,
  createValueFinder,
  EVERYDAY,
  EVERYDAY_LANGUAGES,
  MATCH_FROM,
  readAnswer,
  readPhrase,
  trainListener,
  writePhrase,
  type BotDocument,
} from '@primrose/core';
import { demoDocument, earsOf, LEXICON, listenerOf, MONDAY } from './harbour.js';

const setting = { at: MONDAY, zone: 'Europe/Dublin', language: 'en' };

describe('a phrase', () => {
  it('holds its marks with their roles, and is written as it was read', () => {
    const source = 'from <<Kelpwick | origin: port>> on <<Friday | date>>';
    const phrase = readPhrase(source);
    expect(phrase.text).to.equal('from Kelpwick on Friday');
    expect(phrase.marks).to.deep.equal([
      { from: 5, to: 13, entity: 'port', role: 'origin' },
      { from: 17, to: 23, entity: 'date' },
    ]);
    expect(writePhrase(phrase)).to.equal(source);
  });

  it('says what is wrong with a mark and keeps the words', () => {
    expect(readPhrase('to <<Tarn Holm').problems).to.deep.equal([{ code: 'mark-open', at: 3 }]);
    const odd = readPhrase('to <<Tarn Holm>> please');
    expect(odd.text).to.equal('to Tarn Holm please');
    expect(odd.problems.map((p) => p.code)).to.deep.equal(['mark-form']);
  });

  it('comes back from its parts whatever it holds', () => {
    const word = fc.stringMatching(/^[a-z]{1,8}$/);
    const part = fc.record({ before: word, marked: word, role: fc.option(word, { nil: undefined }), entity: word });
    fc.assert(
      fc.property(fc.array(part, { maxLength: 5 }), (parts) => {
        const source = parts
          .map((p) => `${p.before} <<${p.marked} | ${p.role === undefined ? '' : `${p.role}: `}${p.entity}>>`)
          .join(' ');
        expect(writePhrase(readPhrase(source))).to.equal(source);
      }),
      { seed: 4 },
    );
  });
});

describe('values in a message', () => {
  const document = earsOf({
    languages: ['en', 'de'],
    entities: {
      port: {
        values: { kelpwick: { en: ['Kelpwick', 'north pier'], de: ['Nordmole'] }, 'tarn-holm': ['Tarn Holm', 'the holm'] },
      },
      vehicle: { values: { foot: ['no', 'on foot'], bicycle: ['bike', 'bicycle'] } },
      reference: { pattern: '[A-Z]{3} ?[0-9]{4}' },
    },
  });
  const find = createValueFinder(document, ['port', 'vehicle', 'reference', 'date', 'time', 'number', 'email', 'phone']);
  const found = (text: string, language = 'en') => find(text, { ...setting, language }).map((v) => [v.entity, v.value]);

  it('are found by the words of lists, in the bot’s languages, with slips', () => {
    expect(found('from the north pier to Tarn Holm')).to.deep.equal([
      ['port', 'kelpwick'],
      ['port', 'tarn-holm'],
    ]);
    expect(found('ab Nordmole', 'de')).to.deep.equal([['port', 'kelpwick']]);
    expect(found('a ticket to Kelpwik')).to.deep.equal([['port', 'kelpwick']]);
  });

  it('are not found in words that are merely like them', () => {
    expect(found('I would like that')).to.deep.equal([]);
    expect(found('no, I would rather not')).to.deep.equal([]);
  });

  it('are found by patterns, on an engine that no pattern can hang', () => {
    expect(found('my booking is kel 4821')).to.deep.equal([['reference', 'kel 4821']]);
    const slow = earsOf({ entities: { evil: { pattern: '(a+)+b' } } });
    expect(createValueFinder(slow, ['evil'])('a'.repeat(5000), setting)).to.deep.equal([]);
  });

  it('are dates and times by the bot’s clock and zone', () => {
    expect(found('on Friday at 9:30')).to.deep.equal([
      ['date', '2026-05-15'],
      ['time', '09:30'],
    ]);
    expect(found('morgen', 'de')).to.deep.equal([['date', '2026-05-12']]);
    const late = find('tomorrow', { ...setting, at: '2026-05-11T23:30:00.000Z' });
    expect(late[0]?.value).to.equal('2026-05-13');
  });

  it('are numbers, e-mail addresses and phone numbers', () => {
    expect(found('two adults and 3 dogs')).to.deep.equal([
      ['number', 2],
      ['number', 3],
    ]);
    expect(found('write to Isla@example.org')).to.deep.equal([['email', 'isla@example.org']]);
    expect(found('call +353 1 555 0199 please')).to.deep.equal([['phone', '+35315550199']]);
  });

  it('stand where they say they stand', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom('to', 'Tarn Holm', 'bike', 'Friday', 'KEL 1234', 'né', '12')), (words) => {
        const text = words.join(' ');
        for (const v of find(text, setting)) expect(text.slice(v.from, v.to)).to.equal(v.text);
      }),
      { seed: 7 },
    );
  });

  it('answer an ask as time, e-mail or phone as well', () => {
    expect(readAnswer('time', 'at half past nine? no, 17.45', setting)?.value).to.equal('17:45');
    expect(readAnswer('email', 'it is A.B@Example.org, thanks', setting)?.value).to.equal('a.b@example.org');
    expect(readAnswer('phone', '00353 1 555 0199', setting)?.value).to.equal('+35315550199');
    expect(readAnswer('phone', '12 34', setting)).to.equal(undefined);
  });
});

describe('the classifier', () => {
  const document = demoDocument();
  const listen = listenerOf(document);
  const best = (text: string, language = 'en') => listen.hear(text, { ...setting, language }).intents[0];

  it('recognises what it was not taught to the letter', () => {
    const said: [string, string][] = [
      ['book a ferry from Kelpwick to Gannet Quay tomorrow', 'book-crossing'],
      ['what time is the next ship to Tarn Holm', 'next-sailing'],
      ['may my dog come with us', 'pets'],
      ['I think I lost my umbrella on board', 'lost-property'],
      ['please let me talk to a human', 'a-person'],
      ['thanks a bunch', 'thanks'],
      ['please cancel the booking', 'cancel-booking'],
    ];
    for (const [text, intent] of said) {
      expect(best(text)?.intent, text).to.equal(intent);
      expect(best(text)?.score, text).to.be.greaterThan(MATCH_FROM);
    }
    expect(best('darf mein Hund mitkommen', 'de')?.intent).to.equal('pets');
  });

  it('is not sure of what the bot is not for', () => {
    for (const text of ['what is the meaning of life', 'xyzzy plugh', 'my neighbour plays the trombone', 'tell me a joke'])
      expect(best(text)?.score ?? 0, text).to.be.lessThan(MATCH_FROM);
  });

  it('gives scores that are at most 1 together', () => {
    const words = fc.constantFrom('book', 'dog', 'when', 'the', 'ferry', 'cancel', 'hello', 'wind', 'Tarn Holm', 'qqq');
    fc.assert(
      fc.property(fc.array(words, { maxLength: 8 }), (text) => {
        const { intents } = listen.hear(text.join(' '), setting);
        expect(intents.reduce((sum, i) => sum + i.score, 0)).to.be.at.most(1.001);
        for (const [i, { score }] of intents.entries()) expect(score).to.be.at.most(intents[i - 1]?.score ?? 1);
      }),
      { seed: 11 },
    );
  });

  it('is right about as often as it says, on phrases that were held out', () => {
    const intents = Object.entries(document.intents ?? {});
    const held = intents.flatMap(([id, i]) =>
      Object.values(i.phrases ?? {})
        .flat()
        .filter((_, n) => n % 4 === 0)
        .map((p) => ({ id, p })),
    );
    const kept = Object.fromEntries(
      intents.map(([id, i]) => [
        id,
        {
          ...i,
          phrases: Object.fromEntries(
            Object.entries(i.phrases ?? {}).map(([l, list]) => [l, list.filter((p) => !held.some((h) => h.p === p))]),
          ),
        },
      ]),
    );
    const reduced = { ...document, intents: kept };
    const ear = createListener(reduced, trainListener(reduced, LEXICON), LEXICON);
    const judged = held.map(({ id, p }) => {
      const [first] = ear.hear(readPhrase(p).text, setting).intents;
      return { right: first?.intent === id ? 1 : 0, score: first?.score ?? 0 };
    });
    const mean = (of: number[]) => of.reduce((a, b) => a + b, 0) / of.length;
    const sure = judged.filter((j) => j.score >= MATCH_FROM);
    const unsure = judged.filter((j) => j.score < MATCH_FROM);
    expect(mean(judged.map((j) => j.right)), 'far above chance').to.be.greaterThan(5 / intents.length);
    expect(mean(sure.map((j) => j.right)), 'more when it is sure').to.be.greaterThan(mean(unsure.map((j) => j.right)));
    expect(Math.abs(mean(judged.map((j) => j.right)) - mean(judged.map((j) => j.score)))).to.be.lessThan(0.2);
  });

  it('learns the same from the same', () => {
    const again = createListener(document, trainListener(document, LEXICON), LEXICON);
    for (const text of ['book a boat', 'is my cat allowed', 'what now'])
      expect(again.hear(text, setting)).to.deep.equal(listen.hear(text, setting));
  });

  it('takes a phrase of its own to the letter, and learns what is out of scope', () => {
    const small = {
      pets: { phrases: { en: ['dogs', 'cats aboard'] } },
      fares: { phrases: { en: ['prices', 'what does it cost'] } },
    };
    const open = earsOf({ intents: small });
    expect(listenerOf(open).hear('Dogs?', setting).intents[0]).to.include({ intent: 'pets' });
    expect(listenerOf(open).hear('Dogs?', setting).intents[0]?.score).to.be.at.least(0.9);
    const closed = earsOf({
      intents: small,
      'out-of-scope': { en: ['hot dogs and crisps', 'prices of houses', 'houses for sale'] },
    });
    const score = (d: BotDocument) => listenerOf(d).hear('what is the price of a big house', setting).intents[0]?.score ?? 0;
    expect(score(closed)).to.be.lessThan(score(open));
  });

  it('hears nothing where nothing was taught', () => {
    expect(listenerOf(earsOf({ intents: { empty: {} } })).hear('hello', setting).intents).to.deep.equal([]);
  });
});

describe('the ready set of everyday wishes', () => {
  it('has eight wishes in eight languages, each with ways of saying it', () => {
    expect(Object.keys(EVERYDAY)).to.have.length(8);
    for (const { phrases } of Object.values(EVERYDAY)) {
      expect(Object.keys(phrases)).to.deep.equal([...EVERYDAY_LANGUAGES]);
      for (const list of Object.values(phrases)) expect(list.length).to.be.at.least(5);
    }
  });

  it('is recognised in every language', () => {
    const said: Record<string, [string, string]> = {
      de: ['ich hätte gern einen Menschen', 'a-person'],
      en: ['many thanks to you', 'thanks'],
      es: ['hasta luego, adiós', 'goodbye'],
      fr: ['bonjour, salut', 'hello'],
      it: ['vorrei ricominciare da capo', 'start-over'],
      pt: ['preciso de ajuda, por favor', 'help'],
      nl: ['nee, liever niet', 'no'],
      pl: ['tak, oczywiście', 'yes'],
    };
    const intents = Object.fromEntries(Object.keys(EVERYDAY).map((w) => [w, { ready: w }]));
    const listen = listenerOf(earsOf({ languages: [...EVERYDAY_LANGUAGES], intents }));
    for (const [language, [text, wish]] of Object.entries(said)) {
      const [first] = listen.hear(text, { ...setting, language }).intents;
      expect(first?.intent, text).to.equal(wish);
      expect(first?.score, text).to.be.greaterThan(MATCH_FROM);
    }
  });
});
