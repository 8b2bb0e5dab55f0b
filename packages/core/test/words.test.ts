import { expect } from 'chai';
import fc from 'fast-check';
import {
  compileExpression,
  compileTemplate,
  editDistance,
  escapeMarkdown,
  matchOption,
  nearest,
  plainText,
  readAnswer,
  readEntity,
  readMarkdown,
  safeAddress,
} from '@primrose/core';
import { botOf, cases, listenerOf, MONDAY } from './harbour.js';

const setting = { at: MONDAY, zone: 'Europe/Dublin', language: 'en' };
const OPTIONS = [
  { id: 'find', words: ['Find a crossing'] },
  { id: 'hours', words: ['Office hours'] },
  { id: 'cancel', words: ['Cancel a crossing'] },
];

describe('answers', () => {
  for (const [said, id, by] of [
    ['office hours', 'hours', 'words'],
    ['2', 'hours', 'number'],
    ['the office hours please', 'hours', 'part'],
    ['ofice houres', 'hours', 'slip'],
    ['FIND A CROSSING!', 'find', 'words'],
    ['is the office open', 'hours', 'part'],
  ] as const) {
    it(`takes "${said}" for ${id}, by ${by}`, () => expect(matchOption(said, OPTIONS)).to.deep.equal({ id, by }));
  }
  it('takes what tells one option from the others: its numbers, or its own words', () => {
    const sailings = [
      { id: 'a', words: ['09:40 Wrackline'] },
      { id: 'b', words: ['13:15 Sandpiper'] },
      { id: 'c', words: ['16:20 Wrackline'] },
    ];
    for (const [said, id] of [
      ['the 13:15 one', 'b'],
      ['the sandpiper please', 'b'],
      ['sandpipper', 'b'],
      ['at 16.20', 'c'],
    ] as const) {
      expect([said, matchOption(said, sailings)?.id]).to.deep.equal([said, id]);
    }
    expect(matchOption('the wrackline', sailings)).to.equal(undefined);
    const twins = [
      { id: 'w', words: ['09:40 Wrackline'] },
      { id: 's', words: ['09:40 Sandpiper'] },
    ];
    expect(matchOption('the 09:40 with the sandpiper', twins)?.id).to.equal('s');
    expect(matchOption('the 09:40', twins)).to.equal(undefined);
    expect(matchOption('these are late', [{ id: 'n', words: ['None of these'] }])).to.equal(undefined);
  });
  it('takes nothing for words that fit two options or none', () => {
    for (const said of ['a crossing', 'bananas', '', '9']) expect(matchOption(said, OPTIONS)).to.equal(undefined);
  });

  for (const [said, value, language] of [
    ['Friday', '2026-05-15', 'en'],
    ['tomorrow', '2026-05-12', 'en'],
    ['15 May', '2026-05-15', 'en'],
    ['am Freitag', '2026-05-15', 'de'],
    ['2026-12-01', '2026-12-01', 'en'],
    ['mañana', '2026-05-12', 'es'],
  ] as const) {
    it(`reads "${said}" as ${value}`, () => expect(readAnswer('date', said, { ...setting, language })?.value).to.equal(value));
  }
  it('reads today in the bot’s zone, not in the service’s', () => {
    const late = { at: '2026-05-11T23:30:00.000Z', zone: 'Pacific/Auckland', language: 'en' };
    expect(readAnswer('date', 'today', late)?.value).to.equal('2026-05-12');
  });
  it('reads numbers as digits, words and with marks of the language', () => {
    expect(readAnswer('number', 'two adults', setting)?.value).to.equal(2);
    expect(readAnswer('number', '1,200', setting)?.value).to.equal(1200);
    expect(readAnswer('number', '1.200,5', { ...setting, language: 'de' })?.value).to.equal(1200.5);
    expect(readAnswer('number', 'many', setting)).to.equal(undefined);
  });
  it('reads yes and no, also misspelt and in German', () => {
    expect(readAnswer('yes_no', 'Yes please', setting)?.value).to.equal(true);
    expect(readAnswer('yes_no', 'nope', setting)?.value).to.equal(false);
    expect(readAnswer('yes_no', 'gerne', { ...setting, language: 'de' })?.value).to.equal(true);
    expect(readAnswer('yes_no', 'perhaps', setting)).to.equal(undefined);
  });
  it('reads an entity by its words in a sentence', () => {
    const ports = [
      { id: 'tarn-holm', words: ['Tarn Holm'] },
      { id: 'kelpwick', words: ['Kelpwick', 'north pier'] },
    ];
    expect(readEntity('from the north pier', ports)?.value).to.equal('kelpwick');
    expect(readEntity('1', ports)).to.equal(undefined);
  });
});

/** Swaps of neighbours, changes, insertions and deletions between two texts, by the whole matrix. */
function wholeDistance(a: string, b: string): number {
  const d = Array.from({ length: a.length + 1 }, (_, i) =>
    Array.from({ length: b.length + 1 }, (_, j) => (i === 0 ? j : j === 0 ? i : 0)),
  );
  const at = (i: number, j: number): number => d[i]?.[j] ?? Infinity;
  for (let i = 1; i <= a.length; i++)
    for (let j = 1; j <= b.length; j++) {
      const swapped = a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1] ? at(i - 2, j - 2) + 1 : Infinity;
      const row = d[i] ?? [];
      row[j] = Math.min(at(i - 1, j) + 1, at(i, j - 1) + 1, at(i - 1, j - 1) + (a[i - 1] === b[j - 1] ? 0 : 1), swapped);
    }
  return at(a.length, b.length);
}

describe('nearest words', () => {
  it('are as far apart as the whole matrix says, up to a limit', () => {
    const word = fc.string({ unit: fc.constantFrom('a', 'b', 'c'), maxLength: 12 });
    fc.assert(
      fc.property(word, word, fc.nat(14), (a, b, limit) => {
        expect(editDistance(a, b, limit)).to.equal(Math.min(wholeDistance(a, b), limit + 1));
      }),
      { numRuns: cases(500) },
    );
  });

  it('are found among very many, with a slip or two, in a text of any length', () => {
    // Words of letters that are told apart by at least two of them: a slip in one makes no other.
    const words = Array.from({ length: 20_000 }, (_, i) =>
      [...String(i).padStart(5, '0')].map((d) => 'bdfghklmnp'[Number(d)]).join('a'),
    );
    const document = botOf(
      { ask: { kind: 'ask', says: 'Which?', expects: 'thing', into: 'flow.x', exits: { answered: 'ask', 'gave-up': 'ask' } } },
      {
        languages: ['en'],
        intents: { want: { phrases: { en: ['I want <<babababab | thing>>', 'give me one', 'may I have it'] } } },
        entities: { thing: { values: Object.fromEntries(words.map((w, i) => [`v${i}`, [w]])) } },
      },
    );
    const listener = listenerOf(document);
    const slips: Record<number, (w: string) => string> = {
      7: (w) => w.slice(1),
      12_345: (w) => w.replace('a', ''),
      19_999: (w) => `${w}z`,
    };
    for (const [i, slip] of Object.entries(slips)) {
      const text = `${slip(words[Number(i)] ?? '')} ${'please '.repeat(3000)}`;
      const { values } = listener.hear(text, setting);
      expect(values.map((v) => v.value)).to.deep.equal([`v${i}`]);
    }
  });

  it('counts a swap of neighbours as one slip', () => expect(editDistance('sialing', 'sailing')).to.equal(1));
  it('suggests only what is near', () => {
    expect(nearest('orign', ['origin', 'day'])).to.equal('origin');
    expect(nearest('xyz', ['origin', 'day'])).to.equal(undefined);
  });
});

describe('expressions', () => {
  const value = (source: string, view = {}) => {
    const compiled = compileExpression(source);
    if (!compiled.ok) throw new Error(compiled.problem.message);
    return compiled.value.evaluate({ flow: {}, ...view });
  };
  const problem = (source: string) => {
    const compiled = compileExpression(source);
    return compiled.ok ? undefined : compiled.problem;
  };
  for (const [source, result] of [
    ['flow.n + 1 == 4', true],
    ['flow.n % 2 == 1 && size(flow.list) == 2', true],
    ['flow.list.map(x, x.t * 2)', [2, 4]],
    ['otherwise(flow.nothing, "some")', 'some'],
    ['known(flow.nothing)', false],
    ['addDays("2026-05-31", 1)', '2026-06-01'],
    ['longDate("2026-05-15", "en")', 'Friday 15 May'],
    ['longDate("2026-05-15", "de")', 'Freitag 15. Mai'],
    ['join(["a", "b"], " and ")', 'a and b'],
    ['round(2.005 * 100.0, 0)', 201],
  ] as const) {
    it(`${source} is ${JSON.stringify(result)}`, () =>
      expect(value(source, { flow: { n: 3, nothing: null, list: [{ t: 1 }, { t: 2 }] } })).to.deep.equal({
        ok: true,
        value: result,
      }));
  }
  it('says where a mistake is and what was meant', () => {
    expect(problem('flow.a = 1')).to.deep.include({ code: 'expression-syntax', start: 7, suggestion: '==' });
    expect(problem('lenght(flow.a)')?.message).to.contain('no function');
    expect(problem('upperr(flow.a)')?.suggestion).to.equal('upper');
    expect(problem('1 +')?.message).to.equal('it stops too early');
  });
  it('refuses a pattern match, deep loops and endless texts', () => {
    expect(problem('flow.a.matches("(a+)+$")')?.code).to.equal('expression-function');
    expect(problem('flow.a.map(x, flow.a.map(y, flow.a.map(z, 1)))')?.code).to.equal('expression-limit');
    expect(problem(`"${'a'.repeat(3000)}"`)?.code).to.equal('expression-limit');
  });
  it('reaches nothing of JavaScript', () => {
    for (const source of ['flow.constructor', 'flow.__proto__', 'flow.s.constructor.name', 'constructor', 'globalThis']) {
      expect(value(source, { flow: { s: 'a' } })).to.include({ ok: false });
    }
  });
  it('tells a missing value from a wrong sum', () => {
    expect(value('flow.zz.y')).to.include({ ok: false, missing: true });
    expect(value('flow.s + 1', { flow: { s: 'a' } })).to.include({ ok: false, missing: false });
  });
  it('keeps the type of a template that is one expression, and braces in quotes', () => {
    const read = (source: string) => {
      const compiled = compileTemplate(source);
      return compiled.ok ? compiled.value.value({ flow: { list: [1] } }, () => undefined) : compiled.problem.code;
    };
    expect(read('{{ flow.list }}')).to.deep.equal([1]);
    expect(read('list: {{ flow.list }}')).to.equal('list: 1');
    expect(read('{{ "}}" }}!')).to.equal('}}!');
    expect(read('a {{ flow.list')).to.equal('template-open');
  });
});

describe('bot text', () => {
  it('lets only safe addresses through', () => {
    expect(safeAddress('https://ferry.example/a')).to.equal('https://ferry.example/a');
    for (const bad of ['javascript:alert(1)', 'data:text/html,x', ' vbscript:x', '//x'])
      expect(safeAddress(bad)).to.equal(undefined);
    expect(JSON.stringify(readMarkdown('[x](javascript:alert(1))'))).to.not.contain('link');
  });
  it('keeps HTML as the text it is', () => {
    expect(plainText(readMarkdown('<b>hi</b> <script>alert(1)</script>'))).to.equal('<b>hi</b> <script>alert(1)</script>');
  });
  it('reads lists, pictures and emphasis', () => {
    expect(plainText(readMarkdown('Take *care*:\n\n- one\n- two\n\n![the quay](https://ferry.example/q.png)'))).to.equal(
      'Take care:\n- one\n- two\n[the quay: https://ferry.example/q.png]',
    );
  });
  it('escapes any text so that it stands for itself', () => {
    for (const text of ['# no heading', '1. no list', '- no', '*a* _b_ `c`', '![x](http://a)', 'a\\b', '<i>', '> q', '~~x~~']) {
      expect(plainText(readMarkdown(escapeMarkdown(text)))).to.equal(text);
    }
  });
});
