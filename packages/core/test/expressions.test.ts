import { expect } from 'chai';
import fc from 'fast-check';
import { compileExpression, compileTemplate, escapeMarkdown, type Value } from '@primrose/core';
import { typeMistake } from '../src/expressions/types.js';

type Held = Readonly<Record<string, unknown>>;

const evaluated = (source: string, flow: Held = {}, more: Held = {}) => {
  const compiled = compileExpression(source);
  if (!compiled.ok) throw new Error(`${source}: ${compiled.problem.message}`);
  return compiled.value.evaluate({ flow, ...more });
};
/** What an expression comes to; the reason where it comes to nothing. */
const worth = (source: string, flow: Held = {}, more: Held = {}): Value => {
  const found = evaluated(source, flow, more);
  return found.ok ? found.value : `[${found.missing ? 'missing' : 'wrong'}] ${found.reason}`;
};
const problem = (source: string) => {
  const compiled = compileExpression(source);
  return compiled.ok ? undefined : compiled.problem;
};

const FLOW = {
  name: ' Isla Marrick ',
  boats: ['Wrackline', 'Sandpiper'],
  none: [],
  empty: '',
  nothing: null,
  price: 12.5,
  seats: 3,
  open: true,
  sailings: [
    { at: '07:10', boat: 'Wrackline', seats: 0 },
    { at: '09:40', boat: 'Sandpiper', seats: 4 },
    { at: '16:20', boat: 'Wrackline', seats: 12 },
  ],
  fares: { adult: 12, child: 6.5 },
};

describe('what an expression comes to', () => {
  const wholes: [string, Value][] = [
    // texts
    ['upper(flow.name)', ' ISLA MARRICK '],
    ['lower("ÄÖÜ")', 'äöü'],
    ['trim(flow.name)', 'Isla Marrick'],
    ['replace("a-b-c", "-", "")', 'abc'],
    ['replace("aaa", "aa", "b")', 'ba'],
    ['replace("abc", "", "x")', 'abc'],
    ['replace("a.b", ".", "$&")', 'a$&b'],
    ['ending("one\\ntwo\\nthree", 9)', 'three'],
    ['ending("one\\ntwo", 100)', 'one\ntwo'],
    ['ending("abcdef", 3)', 'def'],
    ['ending("abc", 0)', ''],
    ['"Wrack" + "line"', 'Wrackline'],
    ['flow.name.contains("Isla")', true],
    ['flow.name.startsWith("Isla")', false],
    ['"a,b".split(",")', ['a', 'b']],
    ['size(flow.name)', 14],
    ['"abc".substring(1)', 'bc'],
    ['"abc" < "abd"', true],
    // lists
    ['join(flow.boats, " or ")', 'Wrackline or Sandpiper'],
    ['join([1, true, null, "x"], "|")', '1|yes||x'],
    ['join(flow.none, ", ")', ''],
    ['first(flow.boats)', 'Wrackline'],
    ['last(flow.boats)', 'Sandpiper'],
    ['first(flow.none)', null],
    ['last(flow.none)', null],
    ['size(flow.boats)', 2],
    ['"Wrackline" in flow.boats', true],
    ['"Gannet" in flow.boats', false],
    ['flow.boats + ["Gannet"]', ['Wrackline', 'Sandpiper', 'Gannet']],
    ['flow.sailings.filter(s, s.seats > 0).map(s, s.at)', ['09:40', '16:20']],
    ['flow.sailings.exists(s, s.boat == "Sandpiper")', true],
    ['flow.sailings.all(s, s.seats > 0)', false],
    ['flow.sailings.exists_one(s, s.seats == 0)', true],
    ['sum(flow.sailings.map(s, s.seats))', 16],
    ['sum(flow.none)', 0],
    ['flow.sailings[1].boat', 'Sandpiper'],
    // numbers, however they are written
    ['flow.seats + 1', 4],
    ['flow.price * 2', 25],
    ['flow.price * flow.seats', 37.5],
    ['7 / 2', 3],
    ['7.0 / 2', 3.5],
    ['flow.seats / 2', 1.5],
    ['flow.seats % 2 == 1', true],
    ['flow.seats == 3 && flow.seats == 3.0 && 3 == 3.0', true],
    ['flow.price > 12 && flow.price < 13', true],
    ['-flow.seats', -3],
    ['round(2.345, 2)', 2.35],
    ['round(-2.5, 0)', -3],
    ['round(2.5, 0)', 3],
    ['round(7, 2)', 7],
    ['int("42") + 1', 43],
    ['string(flow.seats) + " seats"', '3 seats'],
    // what is there and what is not
    ['known(flow.name)', true],
    ['known(flow.empty)', false],
    ['known(flow.none)', false],
    ['known(flow.nothing)', false],
    ['known(flow.seats - 3)', true],
    ['known(flow.open)', true],
    ['otherwise(flow.empty, "nobody")', 'nobody'],
    ['otherwise(flow.seats, 1)', 3],
    ['otherwise(flow.none, flow.boats)', ['Wrackline', 'Sandpiper']],
    ['has(flow.fares.adult)', true],
    ['has(flow.fares.dog)', false],
    ['flow.open ? "open" : "closed"', 'open'],
    ['flow.nothing == null', true],
    // days
    ['addDays("2026-12-31", 1)', '2027-01-01'],
    ['addDays("2028-02-28", 1)', '2028-02-29'],
    ['addDays("2026-03-01", -1)', '2026-02-28'],
    ['addDays("2026-05-15T09:00:00Z", 1)', '2026-05-16'],
    ['addDays("2026-05-15", 1.9)', '2026-05-16'],
    ['daysBetween("2026-05-15", "2026-05-20")', 5],
    ['daysBetween("2026-05-20", "2026-05-15")', -5],
    ['daysBetween("2027-03-27", "2027-03-29")', 2],
    ['weekday("2026-11-30")', 'Monday'],
    ['longDate("2026-11-30", "fr")', 'lundi 30 novembre'],
    ['longDate("2026-11-30", "es")', 'lunes 30 de noviembre'],
    // objects
    ['{"at": flow.sailings[0].at, "n": flow.seats}', { at: '07:10', n: 3 }],
    ['flow.fares["child"]', 6.5],
    ['[flow.seats, [flow.open]]', [3, [true]]],
    ['timestamp("2026-05-15T09:00:00Z")', '2026-05-15T09:00:00.000Z'],
  ];
  for (const [source, value] of wholes)
    it(`${source} is ${JSON.stringify(value)}`, () => {
      expect(worth(source, FLOW)).to.deep.equal(value);
    });

  it('has the year of a day where that is another one than today’s', () => {
    const on = (today: string) => worth('longDate("2027-01-01", "en")', {}, { clock: { today } });
    expect(on('2027-06-01')).to.equal('Friday 1 January');
    expect(on('2026-12-30')).to.equal('Friday 1 January 2027');
  });
});

describe('what an expression does not come to', () => {
  const wrong: [string, string][] = [
    ['addDays("soon", 1)', 'is not a date such as'],
    ['weekday("")', 'is not a date such as'],
    ['flow.name + 1', '[wrong]'],
    ['sum(flow.seats)', '[wrong]'],
    ['flow.boats[7]', '['],
    ['flow.zz', '[missing]'],
    ['flow.zz.y.z', '[missing]'],
    ['nobody.knows', '[missing]'],
  ];
  for (const [source, reason] of wrong)
    it(`${source}: ${reason}`, () => {
      expect(worth(source, FLOW)).to.be.a('string').and.contain(reason);
    });

  const unreadable: [string, string, string | undefined][] = [
    ['', 'expression-syntax', undefined],
    ['flow.a &&', 'expression-syntax', undefined],
    ['flow.a = 1', 'expression-syntax', '=='],
    ['(flow.a', 'expression-syntax', undefined],
    ['flow.a ==== 1', 'expression-syntax', undefined],
    ['trimm(flow.a)', 'expression-function', 'trim'],
    ['joins(flow.a, "")', 'expression-function', 'join'],
    ['flow.a.matches("x")', 'expression-function', undefined],
    ['eval("1")', 'expression-function', undefined],
    [`"${'x'.repeat(2000)}"`, 'expression-limit', undefined],
    [`${'('.repeat(80)}1${')'.repeat(80)}`, 'expression-limit', undefined],
    [`[${'1,'.repeat(600)}1]`, 'expression-limit', undefined],
  ];
  for (const [source, code, suggestion] of unreadable)
    it(`${source.slice(0, 40)}: ${code}`, () => {
      const found = problem(source);
      expect(found?.code).to.equal(code);
      if (suggestion !== undefined) expect(found?.suggestion).to.equal(suggestion);
      expect(found?.start).to.be.at.least(0);
      expect(found?.end).to.be.at.most(source.length);
      expect(found?.message).to.match(/\S/);
    });

  it('is told in words of ours where it is larger than the library allows', () => {
    const told = (source: string) => problem(source)?.message;
    expect(told(`${'('.repeat(80)}1${')'.repeat(80)}`)).to.equal('its parts stand more than 60 deep in each other');
    expect(told(`[${'1,'.repeat(600)}1]`)).to.equal('a list in it has more than 500 items');
    expect(told(`size(${'1,'.repeat(30)}1)`)).to.equal('a function in it is given more than 16 values');
    const entries = Array.from({ length: 210 }, (_, i) => `${i}:1`);
    expect(told(`{${entries.join()}}`)).to.equal('an object in it has more than 200 entries');
    expect(told('flow.a &&')).to.equal('it stops too early');
  });

  it('never is an error that is thrown, whatever is written and whatever is held', () => {
    const parts = fc.constantFrom(
      'flow',
      '.a',
      '.b',
      '[0]',
      ' + ',
      ' == ',
      '(',
      ')',
      '"x"',
      '1',
      '1.5',
      'known',
      'size',
      '?',
      ':',
      '!',
      ' in ',
      '{',
      '}',
      '[',
      ']',
      ',',
      '.map(x, x)',
      'null',
      'true',
      '-',
    );
    const source = fc.array(parts, { minLength: 1, maxLength: 12 }).map((p) => p.join(''));
    fc.assert(
      fc.property(source, fc.dictionary(fc.constantFrom('a', 'b'), fc.jsonValue()), (written, held) => {
        const compiled = compileExpression(written);
        if (!compiled.ok) expect(compiled.problem.message).to.be.a('string');
        else expect(compiled.value.evaluate({ flow: held })).to.have.property('ok');
      }),
      { seed: 14, numRuns: 1500 },
    );
  });
});

describe('laws of what expressions offer', () => {
  const day = fc
    .integer({ min: Date.UTC(1970, 0, 1) / 86_400_000, max: Date.UTC(2199, 11, 31) / 86_400_000 })
    .map((n) => new Date(n * 86_400_000).toISOString().slice(0, 10));

  it('days are added and counted the same way', () => {
    fc.assert(
      fc.property(day, fc.integer({ min: -5000, max: 5000 }), (from, days) => {
        const to = worth(`addDays(flow.from, ${days})`, { from });
        expect(worth('daysBetween(flow.from, flow.to)', { from, to })).to.equal(days);
      }),
      { seed: 1 },
    );
  });

  it('a week later is the same day of the week', () => {
    fc.assert(
      fc.property(day, (from) => {
        expect(worth('weekday(addDays(flow.from, 7)) == weekday(flow.from)', { from })).to.equal(true);
        expect(worth('weekday(addDays(flow.from, 1)) == weekday(flow.from)', { from })).to.equal(false);
      }),
      { seed: 2 },
    );
  });

  it('replacing and joining are what the language under us does, letter by letter', () => {
    const text = fc.string({ maxLength: 30 });
    fc.assert(
      fc.property(text, fc.string({ minLength: 1, maxLength: 3 }), text, (a, b, c) => {
        expect(worth('replace(flow.a, flow.b, flow.c)', { a, b, c })).to.equal(a.split(b).join(c));
        expect(worth('join(flow.list, flow.b)', { list: [a, c], b })).to.equal(`${a}${b}${c}`);
        expect(worth('ending(flow.a, 5)', { a: a.replace(/\n/g, ' ') })).to.satisfy((v: string) => v.length <= 5);
      }),
      { seed: 3 },
    );
  });

  it('a rounded number is no further away than half a place, and rounding it again changes nothing', () => {
    fc.assert(
      fc.property(fc.double({ min: -1e6, max: 1e6, noNaN: true }), fc.integer({ min: 0, max: 6 }), (n, places) => {
        const rounded = worth(`round(flow.n, ${places})`, { n }) as number;
        expect(Math.abs(rounded - n)).to.be.at.most(0.5 * 10 ** -places + 1e-6);
        expect(worth(`round(flow.r, ${places})`, { r: rounded === Math.floor(rounded) ? rounded + 0 : rounded })).to.equal(
          rounded,
        );
      }),
      { seed: 4 },
    );
  });

  it('numbers compare the same however they are written', () => {
    fc.assert(
      fc.property(fc.integer({ min: -1000, max: 1000 }), fc.integer({ min: -1000, max: 1000 }), (a, b) => {
        for (const [sign, holds] of [
          ['==', a === b],
          ['!=', a !== b],
          ['<', a < b],
          ['<=', a <= b],
          ['>', a > b],
          ['>=', a >= b],
        ] as const) {
          expect(worth(`flow.a ${sign} ${b}`, { a }), `${a} ${sign} ${b}`).to.equal(holds);
          expect(worth(`flow.a ${sign} ${b}.0`, { a })).to.equal(holds);
          expect(worth(`${a} ${sign} flow.b`, { b })).to.equal(holds);
        }
      }),
      { seed: 5, numRuns: 60 },
    );
  });

  it('a value that is held is given back as it is', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 3 }), (held) => {
        const plain = JSON.parse(JSON.stringify(held, (_k, v: unknown) => (v === 0 ? 0 : v))) as Value;
        expect(worth('flow.held', { held: plain })).to.deep.equal(plain);
      }),
      { seed: 6 },
    );
  });
});

describe('a template', () => {
  const filled = (source: string, flow: Held = FLOW, escape?: (text: string) => string) => {
    const compiled = compileTemplate(source);
    if (!compiled.ok) throw new Error(compiled.problem.message);
    const gaps: string[] = [];
    const text = compiled.value.text({ flow }, (gap) => gaps.push(gap.expression), escape ? { escape } : {});
    return { text, gaps, value: compiled.value.value({ flow }, () => undefined) };
  };
  const texts: [string, string][] = [
    ['', ''],
    ['no place', 'no place'],
    ['{{ flow.seats }} seats', '3 seats'],
    ['{{flow.seats}}{{flow.seats}}', '33'],
    ['{{ flow.boats }}', 'Wrackline, Sandpiper'],
    ['{{ flow.open }}', 'yes'],
    ['{{ flow.fares }}', '{"adult":12,"child":6.5}'],
    ['{{ flow.sailings.filter(s, s.seats > 0).map(s, s.at) }}', '09:40, 16:20'],
    ['{ flow.seats }', '{ flow.seats }'],
    ['{{ "{{" }}', '{{'],
    ['{{ "a}}b" }}', 'a}}b'],
    ["{{ 'it\\'s' }}", "it's"],
    ['{{ {"a": 1} }}', '{"a":1}'],
  ];
  for (const [source, text] of texts)
    it(`${source} reads ${text}`, () => {
      expect(filled(source).text).to.equal(text);
    });

  it('keeps the type of a value that stands alone, and only then', () => {
    expect(filled('{{ flow.seats }}').value).to.equal(3);
    expect(filled(' {{ flow.seats }}').value).to.equal(' 3');
    expect(filled('{{ flow.sailings }}').value).to.deep.equal(FLOW.sailings);
    expect(filled('{{ flow.nothing }}').value).to.equal(null);
  });

  it('says what was not there, and puts nothing in its place', () => {
    expect(filled('Hello {{ flow.zz }}, {{ flow.seats }} of {{ flow.yy.x }}.')).to.deep.include({
      text: 'Hello , 3 of .',
      gaps: ['flow.zz', 'flow.yy.x'],
    });
  });

  it('escapes what is put in, and nothing that is written', () => {
    expect(filled('**{{ flow.s }}**', { s: '*x* [a](b)' }, escapeMarkdown).text).to.equal('**\\*x\\* \\[a\\](b)**');
  });

  it('names each place that it reads, with where it stands in the whole', () => {
    const source = 'From {{ flow.from }} to {{ upper(flow.to) }} at {{ clock.time }}';
    const compiled = compileTemplate(source);
    if (!compiled.ok) throw new Error('unreadable');
    expect(compiled.value.reads.map((r) => [r.root, r.field, source.slice(r.start, r.end)])).to.deep.equal([
      ['flow', 'from', 'flow.from'],
      ['flow', 'to', 'flow.to'],
      ['clock', 'time', 'clock.time'],
    ]);
    const wrong = compileTemplate('From {{ flow.from }} to {{ uppr(flow.to) }}');
    expect(
      wrong.ok ? undefined : 'From {{ flow.from }} to {{ uppr(flow.to) }}'.slice(wrong.problem.start, wrong.problem.end),
    ).to.contain('uppr');
  });

  it('is what it says between its places, whatever stands there', () => {
    const words = fc.string({ maxLength: 12 }).filter((s) => !s.includes('{'));
    fc.assert(
      fc.property(fc.array(fc.tuple(words, words), { maxLength: 5 }), words, (pairs, end) => {
        const flow = Object.fromEntries(pairs.map(([, v], i) => [`v${i}`, v]));
        const source = pairs.map(([before], i) => `${before}{{ flow.v${i} }}`).join('') + end;
        expect(filled(source, flow).text).to.equal(pairs.map(([before, v]) => before + v).join('') + end);
      }),
      { seed: 7 },
    );
  });
});

describe('types of what is declared', () => {
  const SCOPES = { flow: { n: 'number', s: 'text', d: 'date', l: 'list', b: 'yes_no', any: 'any' } };
  const mistakes: [string, string | undefined][] = [
    ['flow.n + 1', undefined],
    ['flow.s == "a"', undefined],
    ['flow.any + 1', undefined],
    ['flow.d == "2026-05-15"', undefined],
    ['flow.s == null', undefined],
    ['flow.b && flow.n > 2', undefined],
    ['flow.n == "a"', 'a number and a text'],
    ['flow.s > 3', 'a text and a number'],
    ['flow.s + flow.n', 'a text and a number'],
    ['upper(flow.n)', 'upper cannot be used with a number; it is used as upper(text)'],
    ['addDays(flow.d, "1")', 'addDays cannot be used with a text, a text'],
    ['join(flow.s, ",")', 'join cannot be used with a text, a text'],
    ['flow.n && flow.b', 'yes or no'],
    ['flow.s ? 1 : 2', 'yes or no'],
  ];
  for (const [source, told] of mistakes)
    it(`${source}: ${told ?? 'nothing is wrong'}`, () => {
      const found = typeMistake(source, SCOPES);
      if (told === undefined) expect(found).to.equal(undefined);
      else expect(found).to.contain(told);
    });
});
