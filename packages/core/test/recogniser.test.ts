import { expect } from 'chai';
import fc from 'fast-check';
import {
  createListener,
  crossValidate,
  groupMissed,
  markValues,
  matchFrom,
  missedIn,
  nearDuplicates,
  proposePhrases,
  readLabelled,
  reportOf,
  samplesOf,
  textsToEncode,
  trainListener,
  writeCsv,
  type BotDocument,
  type MissedText,
  type Vectors,
} from '@primrose/core';
import { cases, demoDocument, earsOf, LEXICON, listenerOf, MONDAY, Talk } from './harbour.js';

const setting = { at: MONDAY, zone: 'Europe/Dublin', language: 'en' };
const demo = demoDocument();

function bot(phrases: Readonly<Record<string, readonly string[]>>, more: Record<string, unknown> = {}): BotDocument {
  const intents = Object.fromEntries(Object.entries(phrases).map(([id, en]) => [id, { starts: 'main', phrases: { en } }]));
  return earsOf({ intents, ...more });
}

/** Vectors that know which words mean the same: a stand-in for an encoder, the same each time. */
function madeUpVectors(texts: readonly string[], same: Readonly<Record<string, string>>): Vectors {
  const size = 512;
  const ofWord = (word: string): number[] => {
    let state = [...(same[word] ?? word)].reduce((h, c) => Math.imul(h ^ c.charCodeAt(0), 16777619), 2166136261) >>> 0;
    return Array.from({ length: size }, () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 31 - 1);
  };
  return new Map(
    texts.map((text) => {
      const sum = text
        .toLowerCase()
        .split(/\W+/)
        .filter(Boolean)
        .map(ofWord)
        .reduce((a, b) => a.map((v, i) => v + (b[i] ?? 0)), new Array<number>(size).fill(0));
      const length = Math.hypot(...sum) || 1;
      return [text, Float32Array.from(sum, (v) => v / length)];
    }),
  );
}

const PETS = {
  pets: ['may I bring my dog', 'is my cat allowed', 'do dogs pay', 'can animals come along', 'my dog wants to travel'],
  luggage: [
    'how many bags may I bring',
    'where do I put my suitcase',
    'is there room for a kayak',
    'heavy bags',
    'may I bring a big suitcase',
  ],
  weather: ['do you sail in a storm', 'is the sea rough', 'what if it is windy', 'cancelled because of the wind', 'bad weather'],
};

describe('the recogniser', () => {
  it('learns the same in whatever order it is taught', () => {
    const turned = Object.fromEntries(
      Object.entries(PETS)
        .reverse()
        .map(([id, list]) => [id, [...list].reverse()]),
    );
    const [a, b] = [listenerOf(bot(PETS)), listenerOf(bot(turned))];
    for (const text of ['can my dog come', 'a bag and a kayak', 'storm tomorrow', 'pizza', 'dog bag'])
      expect(a.hear(text, setting).intents, text).to.deep.equal(b.hear(text, setting).intents);
  });

  it('never hears an intent less for one phrase more of it', () => {
    const word = fc.constantFrom('dog', 'bag', 'storm', 'may', 'I', 'bring', 'the', 'sea', 'where', 'pay', 'kayak', 'zebra');
    const phrase = fc.array(word, { minLength: 1, maxLength: 5 }).map((w) => w.join(' '));
    fc.assert(
      fc.property(phrase, fc.constantFrom('pets', 'luggage', 'weather'), (text, intent) => {
        const score = (document: BotDocument) =>
          createListener(document, trainListener(document, LEXICON), LEXICON)
            .hear(text, setting)
            .intents.find((i) => i.intent === intent)?.score ?? 0;
        const more = { ...PETS, [intent]: [...PETS[intent], text] };
        expect(score(bot(more))).to.be.at.least(score(bot(PETS)));
      }),
      { seed: 15, numRuns: cases(25) },
    );
  });

  it('is not sure of what is near nothing, in a bot of one intent too', () => {
    const one = listenerOf(bot({ bye: ['goodbye', 'bye', 'see you later', 'that is all, bye'] }));
    for (const text of ['at 3', 'can I bring a dog', 'my suitcase is heavy', 'Kelpwick'])
      expect(one.hear(text, setting).intents[0]?.score ?? 0, text).to.be.lessThan(0.5);
    expect(one.hear('ok bye then', setting).intents[0]?.score).to.be.greaterThan(0.5);
  });

  it('mends spelling by the bot’s words and common ones, and leaves codes, addresses and values alone', () => {
    const listener = listenerOf(demo);
    const mended = (text: string) => listener.hear(text, setting).mended?.map((m) => `${m.said}>${m.read}`) ?? [];
    expect(mended('can i brng my dgo')).to.deep.equal(['brng>bring', 'dgo>dog']);
    expect(mended('cancel KEL-4821 at isla.marow@exmple.org')).to.deep.equal([]);
    expect(listener.hear('to Gannt Quay tomorow', setting).values.map((v) => [v.entity, v.value, v.text])).to.deep.equal([
      ['port', 'gannet-quay', 'Gannt Quay'],
      ['date', '2026-05-12', 'tomorow'],
    ]);
  });

  it('tells which words decided, and the nearest phrase', () => {
    const { why } = listenerOf(demo).hear('is there a ramp for my wheelchair', setting);
    expect(why?.for.map((w) => w.word)).to.include('ramp');
    expect(why?.nearest).to.include({ intent: 'step-free', phrase: 'is there a ramp for wheelchairs' });
  });

  it('follows the visitor’s language, and does not flip on one foreign word', () => {
    const listener = listenerOf(demo);
    const language = (text: string, from = 'en') => listener.hear(text, { ...setting, language: from }).language;
    expect(language('ich möchte morgen nach Tarn Holm fahren')).to.equal('de');
    expect(language('I would like to go to Tarn Holm tomorrow', 'de')).to.equal('en');
    expect(language('quiero ir mañana a la isla con mi perro')).to.equal('es');
    for (const text of ['merci', 'the die is cast', 'Kelpwick', 'danke', 'ok', '9:40', 'may I bring my Dackel'])
      expect(language(text), text).to.equal(undefined);
  });

  it('asks an encoder only where words leave it unclear, and is better with it', () => {
    const document = bot(PETS);
    const same = { puppy: 'dog', hound: 'dog', gale: 'storm', trunk: 'suitcase' };
    const samples = samplesOf(document, LEXICON);
    const vectors = madeUpVectors([...textsToEncode(samples, 'en'), 'hound', 'gale', 'trunk'], same);
    const listener = createListener(document, trainListener(document, LEXICON, vectors), LEXICON, 'en');
    expect(listener.asks('may I bring my dog', setting)).to.deep.equal([]);
    for (const [text, intent] of [
      ['hound', 'pets'],
      ['gale', 'weather'],
      ['trunk', 'luggage'],
    ] as const) {
      expect(listener.asks(text, setting), text).to.include(text);
      expect(listener.hear(text, setting, vectors).intents[0]?.intent, text).to.equal(intent);
      expect(listener.hear(text, setting).intents[0]?.score ?? 0, text).to.be.lessThan(0.5);
    }
  });

  it('takes whatever comes, within bounds, and never throws', () => {
    const listener = listenerOf(demo);
    const odd = [
      '',
      ' ',
      '😀😀',
      '....',
      '\u0000\u0007',
      'а'.repeat(10_000),
      'dog '.repeat(2500),
      'שלום לכולם',
      'ｄｏｇ',
      'd\u200bog',
      '<<dog',
      '<<>>',
      '__proto__',
      'constructor',
      '٣ أيام',
      '\ud800',
    ];
    for (const text of odd)
      for (const language of ['en', 'de', 'xx', '__proto__']) {
        const { intents } = listener.hear(text, { ...setting, language });
        expect(intents.reduce((sum, i) => sum + i.score, 0)).to.be.at.most(1.001);
      }
    const reserved = bot({ 'has-own-property': ['make a boat', 'build it'], 'to-string': ['say it', 'tell me'] });
    expect(listenerOf(reserved).hear('build a boat', setting).intents[0]?.intent).to.equal('has-own-property');
  });
});

describe('quality', () => {
  const phrases = { ...PETS, storm: ['is the sea very rough', 'do you sail in storms', 'windy weather'] };
  const document = bot(phrases);
  const samples = samplesOf(document, LEXICON);
  const judged = crossValidate(samples, trainListener(document, LEXICON));

  it('reads each phrase by the others, once', () => {
    expect(judged.map((j) => j.text).sort()).to.deep.equal(Object.values(phrases).flat().sort());
    for (const j of judged) expect(j.score).to.be.within(0, 1);
  });

  it('names the pairs that are mixed up with the phrases at fault, and what would help', () => {
    const report = reportOf(judged, 0.5, nearDuplicates(samples, LEXICON));
    const pair = report.mixedUp.find((m) => m.intents.join() === 'storm,weather');
    expect(pair?.phrases.map((p) => p.text)).to.include('is the sea very rough');
    for (const p of pair?.phrases ?? []) expect(p.advice).to.be.oneOf(['move', 'more', 'delete']);
    expect(report.duplicates.map((d) => [d.first.text, d.second.text].sort())).to.deep.include([
      'do you sail in a storm',
      'do you sail in storms',
    ]);
    expect(report.right + report.wrong + report.unanswered).to.equal(judged.length);
    expect(report.intents.find((i) => i.intent === 'storm')?.few).to.equal(true);
  });

  it('counts by hand as it counts', () => {
    const j = (intent: string, read: string, score: number) => ({
      text: `${intent}${read}${score}`,
      language: 'en',
      intent,
      read,
      score,
    });
    const report = reportOf(
      [j('a', 'a', 0.9), j('a', 'b', 0.8), j('a', 'a', 0.2), j('b', 'b', 0.6), j('', 'b', 0.7), j('', 'a', 0.1)],
      0.5,
    );
    expect(report).to.include({ right: 3, wrong: 2, unanswered: 1, accuracy: 0.75 });
    expect(report.intents.find((i) => i.intent === 'a')).to.include({ recall: 1 / 3, precision: 1 });
    expect(report.intents.find((i) => i.intent === 'b')).to.include({ recall: 1, precision: 1 / 3 });
    expect(report.curve[0]).to.include({ threshold: 0, unanswered: 0 });
    expect(report.curve.at(-1)).to.include({ threshold: 1, right: 2, wrong: 0, unanswered: 4 });
  });
});

describe('a labelled file', () => {
  const read = (source: string) => readLabelled(source, ['pets', 'weather']);
  it('is read as CSV or JSON Lines, with a byte order mark, quotes and empty intents', () => {
    expect(read('\uFEFFtext,intent\r\n"my dog, and cat",pets\r\npizza,\r\n').rows).to.deep.equal([
      { text: 'my dog, and cat', intent: 'pets', line: 2 },
      { text: 'pizza', intent: '', line: 3 },
    ]);
    expect(read('{"text":"my dog","intent":"pets","language":"en"}\n{"text":"pizza"}').rows.map((r) => r.intent)).to.deep.equal([
      'pets',
      '',
    ]);
  });
  it('says what is wrong in which line, and reads the rest', () => {
    expect(read('text,intent\nfoo,nothere\nmy dog,pets').problems).to.deep.equal([
      { line: 2, problem: 'The bot has no intent "nothere".' },
    ]);
    expect(read('text,intent\nmy dog,pets\n"never closed,weather\n').problems[0]?.problem).to.include('never closed');
    expect(read('a,b\nc,d').problems[0]?.problem).to.include('names no columns');
    expect(read('').problems[0]?.problem).to.include('empty');
    expect(read('{"text":"x"}\n{broken').problems).to.have.length(1);
    expect(read(`text,intent\n${'my dog,pets\n'.repeat(10_050)}`).rows).to.have.length(10_000);
  });
  it('is written as it is read', () => {
    const rows = [
      ['a "quoted", line', 'pets'],
      ['two\nlines', ''],
    ] as const;
    expect(read(writeCsv(['text', 'intent'], rows)).rows.map((r) => [r.text, r.intent])).to.deep.equal(rows);
  });
});

describe('what was missed', () => {
  const missed = (id: number, text: string): MissedText => ({
    id: String(id).padStart(3, '0'),
    text,
    language: 'en',
    intent: null,
    score: 0,
    at: `2026-05-11T10:00:${String(id).padStart(2, '0')}Z`,
  });
  it('is grouped by likeness, the most frequent first, each in one group', () => {
    const all = [
      'do you have wifi on board',
      'is there wifi?',
      'wifi on the boat',
      'can I get a coffee',
      'Is there WIFI',
      'where is the coffee machine',
      '😀',
    ].map((t, i) => missed(i, t));
    const groups = groupMissed(all, LEXICON);
    expect(groups.map((g) => g.times)).to.deep.equal([4, 2, 1]);
    expect(groups.flatMap((g) => g.items.map((i) => i.id)).sort()).to.deep.equal(all.map((m) => m.id));
  });
});

describe('phrases', () => {
  it('get the values marked that are in them, in their roles', () => {
    expect(markValues(demo, 'book-crossing', 'a ticket from Kelpwick to Tarn Holm', 'en')).to.equal(
      'a ticket from <<Kelpwick | origin: port>> to <<Tarn Holm | destination: port>>',
    );
    expect(markValues(demo, 'book-crossing', 'as it is', 'en')).to.equal('as it is');
  });
  it('give each of two equal values its own role', () => {
    const source = 'a ticket from Kelpwick to Kelpwick';
    expect(markValues(demo, 'book-crossing', source, 'en')).to.equal(
      'a ticket from <<Kelpwick | origin: port>> to <<Kelpwick | destination: port>>',
    );
  });
  it('are proposed of each phrase in turn', () => {
    const ports = { port: { values: { a: ['Anselm'], b: ['Kelpwick'], c: ['Tarn Holm'] } } };
    const en = ['to <<Anselm | port>> or <<Kelpwick | port>> or <<Tarn Holm | port>>', 'I want to go', 'where is it'];
    const document = earsOf({ entities: ports, intents: { go: { starts: 'main', phrases: { en } } } });
    const first = proposePhrases(document, 'go', 'en').slice(0, 3);
    expect(first[0]).to.match(/^to </);
    expect(first[1]).to.match(/ go$/);
    expect(first[2]).to.match(/ it$/);
  });
  it('are proposed with other values and beginnings, none that is there already', () => {
    const proposed = proposePhrases(demo, 'book-crossing', 'en');
    expect(proposed.length).to.be.within(4, 12);
    const there = Object.values(demo.intents ?? {}).flatMap((i) => Object.values(i.phrases ?? {}).flat());
    for (const p of proposed) expect(there).to.not.include(p);
    expect(proposePhrases(demo, 'book-crossing', 'en')).to.deep.equal(proposed);
    expect(proposePhrases(demo, 'nothere', 'en')).to.deep.equal([]);
  });
});

describe('a turn', () => {
  const bot = earsOf({
    entities: { port: { values: { kelpwick: ['Kelpwick'] } } },
    intents: { dogs: { starts: 'main', phrases: { en: ['may I bring a dog', 'dogs on board', 'my dog'] } } },
    flows: {
      main: {
        begin: 'ask',
        nodes: {
          ask: { kind: 'ask', says: 'Where to?', expects: 'port', into: 'flow.port', exits: { answered: 'end' } },
          end: { kind: 'end', says: 'Bye.' },
        },
      },
    },
  });
  it('misses what nothing could use, and neither an answer nor what an intent was sure of', () => {
    const talk = new Talk(bot);
    const missed = (text: string) => missedIn(talk.turn({ type: 'message', text }).sheet)?.text;
    expect(missed('dogs on board')).to.equal(undefined);
    expect(missed('zorbing on deck')).to.equal('zorbing on deck');
    expect(missed('😀')).to.equal('😀');
    expect(missed('Kelpwick')).to.equal(undefined);
    expect(missed('x'.repeat(2000))).to.have.length(500);
  });
});

describe('a conversation', () => {
  it('goes on in the visitor’s language, and says so where the bot has not got it', () => {
    const talk = new Talk(demo);
    const german = talk.turn({ type: 'message', text: 'darf der Hund auch mit auf die Fähre kommen' });
    expect(german.session.language).to.equal('de');
    const french = talk.turn({ type: 'message', text: 'je voudrais aller demain sur l’île avec mon chien' });
    expect(french.messages[0]?.text).to.equal('Je ne peux répondre qu’en anglais, allemand ou espagnol.');
    expect(talk.turn({ type: 'message', text: 'où est le bateau pour l’île ?' }).messages[0]?.text).to.not.include('Je ne peux');
  });

  it('lets what no phrase marks give way to the context that an intent needs', () => {
    const tell = (phrases: string[]) => {
      const document = earsOf({
        contexts: { trip: { carries: { day: 'date' } } },
        intents: {
          begin: { starts: 'main', phrases: { en: ['begin', 'start now', 'go'] } },
          again: { starts: 'told', needs: 'trip', phrases: { en: phrases } },
        },
        flows: {
          main: { begin: 'keep', nodes: { keep: { kind: 'set', sets: [], opens: { trip: { day: '2026-12-01' } }, exits: {} } } },
          told: { takes: { day: 'date' }, begin: 'say', nodes: { say: { kind: 'say', says: '{{ flow.day }}', exits: {} } } },
        },
      });
      const talk = new Talk(document);
      talk.turn({ type: 'message', text: 'begin' });
      return talk.turn({ type: 'message', text: 'tell me once more on Friday' }).messages.map((m) => m.text);
    };
    expect(tell(['tell me once more', 'say it once more', 'once more please'])).to.deep.equal(['2026-12-01']);
    expect(tell(['tell me once more on <<Monday | day: date>>', 'say it once more', 'once more please'])).to.deep.equal([
      '2026-05-15',
    ]);
  });

  it('goes by the bot’s own threshold, and tells it in the sheet', () => {
    const strict = { ...demo, 'match-from': 0.95 };
    expect(matchFrom(strict)).to.equal(0.95);
    const { sheet } = new Talk(strict).turn({ type: 'message', text: 'may I take a dog along with me' });
    expect(sheet.understood?.from).to.equal(0.95);
    expect(sheet.understood?.took).to.equal(undefined);
  });
});
