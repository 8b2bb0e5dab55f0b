import { expect } from 'chai';
import fc from 'fast-check';
import {
  compareCells,
  contrast,
  escapeMarkdown,
  estimateTokens,
  guardCell,
  keysOf,
  legibleColours,
  nextTimes,
  plainText,
  quotation,
  readCsv,
  readCsvRows,
  readMarkdown,
  rowFits,
  safeAddress,
  sentences,
  sortRows,
  splitReading,
  unguardCell,
  withoutSecrets,
  writeCsv,
  type Block,
  type Inline,
  type Splitting,
} from '@primrose/core';
import { workOut } from '../src/engine/agent/sums.js';
import { isCardNumber } from '../src/memory/never.js';
import { checksum } from '../src/text/checksum.js';
import { wellFormed } from '../src/text/well-formed.js';

/* What holds whatever comes in: laws of the parts that everything else stands on. */

const text = fc.string({ unit: 'grapheme', maxLength: 80 });
const marks = fc
  .array(
    fc.constantFrom(
      '*',
      '_',
      '`',
      '[',
      ']',
      '(',
      ')',
      '<',
      '>',
      '#',
      '-',
      '1.',
      '!',
      '&',
      '\\',
      '~',
      '|',
      ' ',
      '\n',
      'a',
      'ä',
      'https://x.test',
      'javascript:x',
      '&lt;',
      '\t',
    ),
    { maxLength: 30 },
  )
  .map((p) => p.join(''));

/** All inline pieces of some blocks, at any depth. */
function inlines(blocks: readonly Block[]): Inline[] {
  const within = (all: readonly Inline[]): Inline[] => all.flatMap((i) => ('inside' in i ? [i, ...within(i.inside)] : [i]));
  return blocks.flatMap((b): Inline[] => {
    if ('inside' in b) return within(b.inside);
    if (b.type === 'list') return b.items.flatMap((item) => inlines(item));
    return b.type === 'quote' ? inlines(b.blocks) : [];
  });
}

describe('bot text', () => {
  it('of escaped words is these words again, in one paragraph or several, and nothing else', () => {
    fc.assert(
      fc.property(fc.oneof(text, marks), (words) => {
        const blocks = readMarkdown(escapeMarkdown(words));
        const bare = (t: string) => t.replace(/\s+/g, '');
        for (const b of blocks) expect(b.type).to.equal('paragraph');
        for (const i of inlines(blocks)) expect(i.type).to.be.oneOf(['text', 'break']);
        expect(bare(plainText(blocks))).to.equal(bare(words));
      }),
      { seed: 1, numRuns: 400 },
    );
  });

  it('leads only to addresses that somebody may be sent to, whatever is written', () => {
    fc.assert(
      fc.property(marks, (words) => {
        for (const i of inlines(readMarkdown(words))) {
          if (i.type === 'link') expect(safeAddress(i.to)).to.equal(i.to);
          if (i.type === 'image') expect(i.from).to.match(/^https?:\/\//i);
        }
      }),
      { seed: 2, numRuns: 400 },
    );
  });

  it('is read in a time that grows with it', () => {
    for (const part of ['[', '*a_', '> ', '>', '`', '![](', '<a ', '- ', '1. ', '- > ', '&#', '\\', '**a', '*\n', '_ ']) {
      const begun = process.cpuUsage().user;
      const blocks = readMarkdown(part.repeat(Math.ceil(20_000 / part.length)));
      expect((process.cpuUsage().user - begun) / 1e6, part).to.be.below(2);
      // What is made of it can be stored and drawn: it is no deeper than that takes.
      expect(JSON.stringify(blocks)).to.be.a('string');
    }
  });
});

describe('a text', () => {
  it('is well formed once it was made so, and that changes nothing that was', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 40 }), text, (any, whole) => {
        expect(wellFormed(any)).to.not.match(/\p{Surrogate}/u);
        expect(wellFormed(wellFormed(any))).to.equal(wellFormed(any));
        expect(wellFormed(whole.normalize())).to.equal(whole.normalize());
      }),
      { seed: 3 },
    );
  });

  it('has the same mark as itself, and hardly ever that of another', () => {
    const seen = new Map<string, string>();
    for (let i = 0; i < 20_000; i++) seen.set(checksum(`text ${i}`), `text ${i}`);
    expect(seen.size).to.be.above(19_990);
    expect(checksum('a'))
      .to.equal(checksum('a'))
      .and.match(/^[0-9a-f]{8}$/);
    // The published values of FNV-1a, 32 bits.
    expect(['', 'a', 'foobar'].map(checksum)).to.deep.equal(['811c9dc5', 'e40c292c', 'bf9cf968']);
  });

  it('costs a model more the longer it is, and about what its parts cost', () => {
    fc.assert(
      fc.property(text, text, (a, b) => {
        const [one, other, both] = [estimateTokens(a), estimateTokens(b), estimateTokens(`${a} ${b}`)];
        expect(both).to.be.at.least(Math.max(one, other));
        expect(both).to.be.at.most(one + other);
      }),
      { seed: 4 },
    );
    expect(estimateTokens('')).to.equal(0);
  });

  it('is the same after it was cut into sentences and put together', () => {
    const bare = (t: string) => t.replace(/\s+/g, '');
    const written = fc
      .array(
        fc.constantFrom(
          'The boat sails.',
          'Really?',
          'At 7.40 p.m. it',
          'Dr. Orde said so!',
          'No. 5',
          '«Ja.»',
          'ä ö',
          '…',
          '\n',
          'e.g. dogs',
        ),
        { maxLength: 12 },
      )
      .map((p) => p.join(' '));
    fc.assert(
      fc.property(written, fc.integer({ min: 20, max: 200 }), (whole, longest) => {
        expect(bare(sentences(whole, longest).join(''))).to.equal(bare(whole));
      }),
      { seed: 5 },
    );
  });
});

describe('passages of a document', () => {
  const words = fc
    .array(fc.constantFrom('dogs', 'travel', 'free.', 'Cars', 'cost', '12 €.', 'Why?', 'Because.', 'long'.repeat(30)), {
      minLength: 1,
      maxLength: 40,
    })
    .map((w) => w.join(' '));
  const piece = fc.oneof(
    fc.record({ level: fc.integer({ min: 1, max: 3 }), text: fc.constantFrom('Dogs', 'Cars', 'What does it cost?') }),
    fc.record({ level: fc.constant(0), text: words }),
    fc.record({ level: fc.constant(0), text: words, page: fc.integer({ min: 1, max: 4 }) }),
  );
  const splitting: fc.Arbitrary<Splitting> = fc.oneof(
    fc.record({ by: fc.constantFrom('headings', 'size') as fc.Arbitrary<'size'>, size: fc.integer({ min: 200, max: 900 }) }),
    fc.constantFrom<Splitting>({ by: 'pages' }, { by: 'rows' }, { by: 'questions' }),
  );

  it('hold every word of it, in order, none too long, each with its place', () => {
    const bare = (t: string) => t.replace(/\s+/g, '');
    fc.assert(
      fc.property(fc.array(piece, { minLength: 1, maxLength: 12 }), splitting, (pieces, wanted) => {
        const passages = splitReading({ id: 'd', title: 'A title' }, { pieces }, wanted);
        expect(passages.map((p) => p.place)).to.deep.equal(passages.map((_, i) => i + 1));
        const longest = 'size' in wanted ? (wanted.size ?? 0) : 6000;
        for (const p of passages) {
          expect(p.text.trim()).to.not.equal('');
          expect(p.text.length).to.be.at.most(Math.max(longest, 200) + 200);
        }
        const all = bare(passages.map((p) => `${p.heading}${p.text}`).join(''));
        for (const p of pieces)
          if (p.level === 0 && !p.text.endsWith('?'))
            for (const w of p.text.split(' ').slice(0, 3)) expect(all).to.contain(bare(w));
      }),
      { seed: 6, numRuns: 150 },
    );
  });

  it('are quoted in their own words, and not at length', () => {
    fc.assert(
      fc.property(words, (quote) => {
        const quoted = quotation({ quote, number: 1 });
        const bare = (t: string) => t.replace(/\s+/g, '');
        expect(bare(quote)).to.contain(bare(quoted));
        if (quote.length <= 360) expect(quoted).to.equal(quote);
      }),
      { seed: 7 },
    );
  });
});

describe('cells and lines', () => {
  const cell = fc.oneof(
    text,
    fc.constantFrom('=1+1', '+12', '-3', '@x', "'=x", "''", '\t', 'a,b', 'a;b', 'a"b', 'x\ny', 'x\r\ny', ' '),
  );

  it('are guarded against spreadsheets, and come back as they were', () => {
    fc.assert(
      fc.property(cell, (held) => {
        expect(guardCell(held)).to.not.match(/^[=+\-@\t\r\n＝＋－＠]/);
        expect(unguardCell(guardCell(held))).to.equal(held);
      }),
      { seed: 8, numRuns: 300 },
    );
  });

  it('come back from CSV as they were written', () => {
    const head = ['one', 'two', 'three'];
    fc.assert(
      fc.property(fc.array(fc.tuple(cell, cell, cell), { minLength: 1, maxLength: 6 }), (rows) => {
        const written = writeCsv(head, rows);
        expect(readCsv(written).slice(0, rows.length + 1)).to.deep.equal([head, ...rows]);
        const { rows: read, open } = readCsvRows(written, 100);
        expect(open).to.equal(false);
        expect(read.slice(1).map((r) => r.join('|'))).to.deep.equal(
          rows.filter((r) => r.some((c) => c.trim() !== '')).map((r) => r.join('|')),
        );
      }),
      { seed: 9, numRuns: 150 },
    );
  });

  it('that are cut off in the middle of a text say so', () => {
    expect(readCsvRows('a,b\n"x,y', 10).open).to.equal(true);
    expect(readCsvRows('a,b\n"x",y', 10).open).to.equal(false);
  });
});

describe('rows', () => {
  const value = fc.oneof(
    fc.constant(null),
    fc.integer({ min: -5, max: 5 }),
    fc.constantFrom('a', 'B', ' b ', 'ä', '10', '2026-05-01'),
    fc.boolean(),
  );

  it('sort the same whichever way they stood, and keep what is equal in its place', () => {
    fc.assert(
      fc.property(fc.array(value, { maxLength: 10 }), fc.boolean(), (values, down) => {
        const numbers = values.filter((v) => v === null || typeof v === 'number');
        const rows = numbers.map((v, i) => ({ id: i, values: { c: v } }));
        const sorted = sortRows(rows, { column: 'c', down });
        const filled = sorted.map((r) => r.values.c).filter((v) => v !== null);
        const signs = filled.slice(1).map((v, i) => Math.sign(v - (filled[i] ?? 0)));
        expect(signs.every((s) => s === 0 || s === (down ? -1 : 1))).to.equal(true);
        const firstEmpty = sorted.findIndex((r) => r.values.c === null);
        if (firstEmpty >= 0) expect(sorted.slice(firstEmpty).every((r) => r.values.c === null)).to.equal(true);
        for (const v of new Set(numbers)) {
          const ids = sorted.filter((r) => r.values.c === v).map((r) => r.id);
          expect(ids).to.deep.equal([...ids].sort((a, b) => a - b));
        }
      }),
      { seed: 10 },
    );
  });

  it('compare in one order: each way round, and through a third', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('a', 'b', 'Ä', ' z', '10', '9'),
        fc.constantFrom('a', 'b', 'Ä', ' z', '10', '9'),
        fc.constantFrom('a', 'b', 'Ä', ' z', '10', '9'),
        (a, b, c) => {
          expect(Math.sign(compareCells(a, b)) + Math.sign(compareCells(b, a))).to.equal(0);
          if (compareCells(a, b) <= 0 && compareCells(b, c) <= 0) expect(compareCells(a, c)).to.be.at.most(0);
        },
      ),
      { seed: 11 },
    );
  });

  it('fit a condition or its opposite, never both, and never neither', () => {
    fc.assert(
      fc.property(value, value, (held, wanted) => {
        const fits = (relation: 'is' | 'is-not' | 'empty' | 'filled') =>
          rowFits({ c: held }, [{ column: 'c', relation, value: wanted }]);
        expect(fits('is')).to.equal(!fits('is-not'));
        expect(fits('empty')).to.equal(!fits('filled'));
        expect(fits('empty')).to.equal(keysOf(held).length === 0);
      }),
      { seed: 12 },
    );
  });

  it('are found by words whatever their case and the spaces around them', () => {
    for (const held of ['Wrackline', ' wrackline', 'WRACKLINE '])
      expect(rowFits({ boat: held }, [{ column: 'boat', relation: 'is', value: 'wrackLine' }])).to.equal(true);
  });
});

describe('sums of an agent', () => {
  const sums: [string, number][] = [
    ['1 + 2 * 3', 7],
    ['(1 + 2) * 3', 9],
    ['2 ^ 3 ^ 2', 512],
    ['-2 ^ 2', 4],
    ['10 - 2 - 3', 5],
    ['100 / 4 / 5', 5],
    ['7 % 4', 3],
    ['2 × 3 ÷ 4 − 1', 0.5],
    ['0.1 + 0.2', 0.3],
    ['-(3 - 5)', 2],
    ['2 * -3', -6],
    [' 12 ', 12],
  ];
  for (const [sum, value] of sums)
    it(`${sum} is ${value}`, () => {
      expect(workOut(sum)).to.deep.equal({ ok: true, value });
    });

  for (const [sum, reason] of [
    ['', 'stops'],
    ['1 +', 'stops'],
    ['1 2', 'cannot stand there'],
    ['1 / 0', 'divided by zero'],
    ['9 ^ 9999', 'too large'],
    ['(1', ''],
    ['twelve', 'figures'],
    ['1'.repeat(501), 'at most 500'],
    [`${'('.repeat(80)}1${')'.repeat(80)}`, ''],
    ['process.exit()', 'figures'],
  ] as const)
    it(`${sum.slice(0, 20) || 'nothing'} is none, and it says why`, () => {
      const found = workOut(sum);
      expect(found.ok).to.equal(false);
      if (!found.ok) expect(found.reason).to.match(/\S/);
      if (!found.ok && reason !== '' && reason !== 'stops' && reason !== 'figures') expect(found.reason).to.contain(reason);
    });

  it('come to what the language under us makes of them', () => {
    const figure = fc.integer({ min: 0, max: 99 });
    const sum = fc.letrec<{ sum: string }>((tie) => ({
      sum: fc.oneof(
        { maxDepth: 4 },
        figure.map(String),
        fc.tuple(tie('sum'), fc.constantFrom('+', '-', '*'), tie('sum')).map(([a, sign, b]) => `(${a} ${sign} ${b})`),
      ),
    })).sum;
    fc.assert(
      fc.property(
        sum.filter((s) => s.length <= 400),
        (written) => {
          const found = workOut(written);
          // eslint-disable-next-line @typescript-eslint/no-implied-eval, @typescript-eslint/no-unsafe-call
          const wanted = Number(new Function(`return ${written}`)());
          expect(found).to.deep.equal({ ok: true, value: wanted });
        },
      ),
      { seed: 13, numRuns: 200 },
    );
  });
});

describe('numbers of cards', () => {
  /** Adds the check digit (ISO/IEC 7812-1). */
  const checked = (digits: string): string => [...'0123456789'].map((d) => digits + d).find(isCardNumber) ?? '';
  const digits = fc.stringMatching(/^[1-9]\d{11,17}$/);

  it('are left out of what is kept, however they are written; others stay', () => {
    fc.assert(
      fc.property(digits, fc.constantFrom('', ' ', '-'), (some, between) => {
        const card = checked(some);
        const written = card.replace(/\d{4}(?=\d)/g, (four) => four + between);
        expect(withoutSecrets(`my card is ${written}, thanks`)).to.equal('my card is (left out), thanks');
        const last = Number(card.at(-1));
        const other = card.slice(0, -1) + String((last + 1) % 10);
        expect(isCardNumber(other)).to.equal(false);
        expect(withoutSecrets(`order ${other}`)).to.equal(`order ${other}`);
      }),
      { seed: 14 },
    );
  });
});

describe('colours of somebody’s own', () => {
  const colour = fc.stringMatching(/^#[0-9a-f]{6}$/);
  it('stay legible, whatever is chosen', () => {
    fc.assert(
      fc.property(colour, colour, (accent, ground) => {
        const { accent: button, onAccent, ground: paper, ink } = legibleColours({ accent, ground });
        expect(contrast(button ?? '', onAccent ?? '')).to.be.at.least(4.5);
        expect(contrast(paper ?? '', ink ?? '')).to.be.at.least(7);
      }),
      { seed: 15, numRuns: 300 },
    );
    expect(legibleColours({})).to.deep.equal({ accent: null, onAccent: null, ground: null, ink: null });
  });

  it('are compared as the recommendation says', () => {
    expect(contrast('#000000', '#ffffff')).to.be.closeTo(21, 0.001);
    expect(contrast('#777777', '#ffffff')).to.be.closeTo(4.48, 0.01);
    expect(contrast('#123456', '#123456')).to.equal(1);
  });
});

describe('moments of a schedule', () => {
  const ZONES = ['Europe/Dublin', 'America/New_York', 'Asia/Kolkata', 'Pacific/Auckland', 'Etc/UTC'] as const;
  it('come one after the other, each at the hour that was asked for, over a whole year with its changes of the clocks', () => {
    for (const zone of ZONES) {
      const times = nextTimes('30 9 * * *', zone, '2026-01-01T00:00:00Z', 370);
      expect(times).to.have.length(370);
      for (const [i, at] of times.entries()) {
        expect(Date.parse(at)).to.be.above(Date.parse(times[i - 1] ?? '2025-12-31T00:00:00Z'));
        const local = new Intl.DateTimeFormat('en-GB', { timeZone: zone, hour: '2-digit', minute: '2-digit' }).format(
          new Date(at),
        );
        expect([zone, at, local]).to.deep.equal([zone, at, '09:30']);
      }
    }
  });

  it('are none where there are none, and no more than are asked for', () => {
    expect(nextTimes('0 0 31 2 *', 'Etc/UTC', '2026-01-01T00:00:00Z', 5)).to.deep.equal([]);
    expect(nextTimes('0 0 29 2 *', 'Etc/UTC', '2026-01-01T00:00:00Z', 2)).to.deep.equal([
      '2028-02-29T00:00:00.000Z',
      '2032-02-29T00:00:00.000Z',
    ]);
    expect(nextTimes('* * * * *', 'Etc/UTC', '2026-01-01T00:00:00Z', 3)).to.have.length(3);
  });
});
