import { expect } from 'chai';
import { checkBot, problemSentence, secretProblems, type BotDocument } from '@primrose/core';
import { accepted, botOf } from './harbour.js';

const end = { kind: 'end' };
const said = (document: BotDocument) => checkBot(document).map((p) => `${p.field} ${problemSentence(p)}`);
const english = (more: Record<string, unknown> = {}, nodes: Record<string, unknown> = { end }) =>
  botOf(nodes, { languages: ['en'], ...more });
const office = (action: object, more: object = {}) =>
  english({ connections: { office: { address: 'http://office.test', actions: { book: action } } }, ...more });

describe('the checks', () => {
  it('look into what actions send and give', () => {
    const action = {
      post: '/{{ harbor }}',
      takes: { harbour: 'text' },
      sends: { query: { a: '{{ thng }}' }, headers: { 'x-b': '{{ harbour }}' }, body: { c: ['{{ flow.x }}'] } },
      gives: { d: '{{ anser.d }}', e: '{{ answer.e }}' },
    };
    expect(said(office(action))).to.deep.equal([
      '/connections/office/actions/book/post Nothing is called harbor (at character 5). Did you mean harbour?',
      '/connections/office/actions/book/sends/query/a Nothing is called thng (at character 4). Set it somewhere first, or choose a name that is known here.',
      '/connections/office/actions/book/sends/body/c/0 Nothing is called flow (at character 4). Set it somewhere first, or choose a name that is known here.',
      '/connections/office/actions/book/gives/d Nothing is called anser (at character 4). Did you mean answer?',
    ]);
  });

  it('know every type that can be declared, wherever one is', () => {
    const action = { get: '/', takes: { a: 'txt' }, gives: { b: '{{ answer.b }}' }, types: { b: 'numbr', c: 'text' } };
    const document = office(action, {
      variables: { session: { d: 'dat' }, settings: { e: { type: 'port', value: 'x' } } },
      contexts: { trip: { carries: { f: 'harbour' } } },
      entities: { harbour: { values: { tarn: ['Tarn'] } } },
    });
    const codes = checkBot(document).map((p) => `${p.code} ${p.field}`);
    expect(codes).to.include.members([
      'unknown-type /variables/session/d',
      'unknown-type /variables/settings/e',
      'unknown-type /connections/office/actions/book/takes/a',
      'unknown-type /connections/office/actions/book/types/b',
      'unknown-output /connections/office/actions/book/types/c',
    ]);
    expect(codes.filter((c) => c.includes('/carries'))).to.deep.equal([]);
  });

  const typed = (when: string) => {
    const nodes = {
      count: {
        kind: 'ask',
        says: 'How many?',
        expects: 'number',
        into: 'flow.count',
        exits: { answered: 'day', 'gave-up': 'end' },
      },
      day: { kind: 'ask', says: 'When?', expects: 'date', into: 'flow.day', exits: { answered: 'is', 'gave-up': 'end' } },
      is: { kind: 'branch', cases: [{ exit: 'yes', when }], exits: { yes: 'end', otherwise: 'end' } },
      end,
    };
    return checkBot(english({}, nodes)).filter((p) => p.code === 'expression-type');
  };

  for (const [when, why] of [
    ['round(2.5) > 2', 'round cannot be used with a number; it is used as round(number, places)'],
    ['flow.count > "0"', '> does not work between a number and a text'],
    ['flow.day == 3', '== does not work between a text and a number'],
    ['upper(flow.count) == "A"', 'upper cannot be used with a number; it is used as upper(text)'],
    ['addDays(flow.day) == "x"', 'addDays cannot be used with a text; it is used as addDays(date, days)'],
    ['flow.count && true', 'a condition has to be yes or no here'],
  ] as const)
    it(`see that ${when} will not work`, () => {
      expect(typed(when).map(problemSentence)).to.deep.equal([`"${when}" will not work: ${why}.`]);
    });

  it('say nothing of what may well work', () => {
    for (const when of [
      'flow.count > 0',
      'flow.count == 1.5 || flow.count != 2',
      'flow.day == clock.today',
      'known(flow.count) && flow.count + 1 > 2',
      'flow.count == null',
      'turn.pictures.exists(p, p.contains("x"))',
      'daysBetween(clock.today, flow.day) <= 14',
      'round(flow.count, 1) == 2.5',
    ])
      expect(typed(when), when).to.deep.equal([]);
  });

  it('find flows that call each other in a circle', () => {
    const calls = (to: string) => ({
      begin: 'c',
      nodes: { c: { kind: 'flow', calls: to, exits: { done: 'e', failed: 'e' } }, e: end },
    });
    const flows = { main: calls('a'), a: calls('b'), b: calls('a'), alone: calls('alone') };
    const document = accepted({ primrose: 1, bot: 'x', name: 'X', languages: ['en'], zone: 'UTC', begins: 'main', flows });
    const circles = checkBot(document).filter((p) => p.code === 'call-circle');
    expect(circles.map((p) => p.facts['flows'])).to.deep.equal([['a', 'b'], ['alone']]);
  });

  it('count what is not said in each language, once a language', () => {
    const nodes = {
      hello: { kind: 'say', says: { en: 'Hello.', de: ['Hallo.', 'Moin.'] }, exits: { said: 'more' } },
      more: { kind: 'say', says: { en: 'More.' }, exits: { said: 'value' } },
      value: { kind: 'say', says: '{{ turn.text }}', exits: { said: 'ok' } },
      ok: { kind: 'say', says: 'OK', exits: { said: 'end' } },
      end,
    };
    const more = {
      languages: ['en', 'de', 'fr'],
      intents: { go: { phrases: { en: ['go', 'leave', 'away', 'off', 'out'] } } },
      entities: { port: { values: { tarn: { en: ['Tarn'], de: ['Tarn'] } } } },
    };
    expect(said(botOf(nodes, more))).to.deep.equal([
      '/languages/1 Not everything is said in "de": 1 text, 1 intent without a phrase. The first is main/more/says. Write the words, or take the language away.',
      '/languages/2 Not everything is said in "fr": 2 texts, 1 intent without a phrase, 1 listed value. The first is main/hello/says. Write the words, or take the language away.',
    ]);
    const once = botOf({ hello: { kind: 'say', says: 'Hello.', exits: { said: 'end' } }, end }, { languages: ['en', 'fr'] });
    expect(said(once)).to.deep.equal([
      '/languages/1 Not everything is said in "fr": 1 text. Write the words, or take the language away.',
    ]);
  });

  it('warn of a connection that wants a secret and has none', () => {
    const connections = { office: { auth: 'bearer', actions: {} }, open: { actions: {} } };
    const document = english({ connections });
    expect(secretProblems(document, []).map((p) => `${p.field} ${problemSentence(p)}`)).to.deep.equal([
      '/connections/office/auth The connection "office" shows a secret, and none is kept for it. With a stand-in it works, with visitors it fails: enter the secret on the Actions page.',
    ]);
    expect(secretProblems(document, ['office'])).to.deep.equal([]);
  });

  it('warn of more phrases than there is time to learn, and of lists that are too long for all misspellings', () => {
    const phrases = (i: number) =>
      Array.from({ length: 60 }, (_, j) => `${i} ${j} ${'some words that are long enough to be a sentence '.repeat(4)}`);
    const intents = Object.fromEntries(Array.from({ length: 150 }, (_, i) => [`i-${i}`, { phrases: { en: phrases(i) } }]));
    const values = Object.fromEntries(
      Array.from({ length: 40_000 }, (_, i) => [`v-${i}`, [`harbour number ${i} of the long coast`]]),
    );
    const codes = checkBot(english({ intents, entities: { place: { values } } })).map((p) => p.code);
    expect(codes).to.include.members(['too-many-phrases', 'entity-crowded']);
  });
});
