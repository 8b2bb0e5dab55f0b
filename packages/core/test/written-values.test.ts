import { expect } from 'chai';
import fc from 'fast-check';
import { readAnswer, type AnswerSetting } from '@primrose/core';

/*
 * Values as people and programs write them, in each language that is understood: written by the machine's own rules for the language
 * (Intl), which nobody has tuned the readers to, and read back.
 */
const LANGUAGES = ['en', 'de', 'fr', 'es'] as const;
type Language = (typeof LANGUAGES)[number];
/** Monday, 30 November 2026, at noon. */
const AT = '2026-11-30T12:00:00.000Z';
const setting = (language: Language): AnswerSetting => ({ at: AT, zone: 'UTC', language });
const LOCALE: Readonly<Record<Language, string>> = { en: 'en-GB', de: 'de-DE', fr: 'fr-FR', es: 'es-ES' };

const dayOf = (n: number): string => new Date(Date.UTC(2026, 10, 30) + n * 86_400_000).toISOString().slice(0, 10);
const soon = fc.integer({ min: 1, max: 300 }).map(dayOf);
const written = (day: string, language: Language, form: Intl.DateTimeFormatOptions): string =>
  new Intl.DateTimeFormat(LOCALE[language], { ...form, timeZone: 'UTC' }).format(new Date(day));

describe('a day as one writes it', () => {
  const forms: [string, Intl.DateTimeFormatOptions][] = [
    ['day, month and year', { day: 'numeric', month: 'long', year: 'numeric' }],
    ['day and month', { day: 'numeric', month: 'long' }],
    ['with the day of the week', { weekday: 'long', day: 'numeric', month: 'long' }],
    ['with all of it', { weekday: 'long', day: 'numeric', month: 'long', year: 'numeric' }],
    ['in figures', { day: '2-digit', month: '2-digit', year: 'numeric' }],
  ];
  for (const language of LANGUAGES)
    for (const [about, form] of forms)
      it(`${about}, in ${language}`, () => {
        fc.assert(
          fc.property(soon, (day) => {
            const said = written(day, language, form);
            expect([said, readAnswer('date', said, setting(language))?.value]).to.deep.equal([said, day]);
          }),
          { seed: 1, numRuns: 60 },
        );
      });

  const within: Readonly<Record<Language, (day: string) => string>> = {
    en: (day) => `We would like to travel on ${day} if that is possible`,
    de: (day) => `Wir möchten am ${day} fahren, wenn das geht`,
    fr: (day) => `Nous voudrions partir le ${day} si c’est possible`,
    es: (day) => `Queremos viajar el ${day} si es posible`,
  };
  for (const language of LANGUAGES)
    it(`in the middle of a sentence, in ${language}`, () => {
      fc.assert(
        fc.property(soon, (day) => {
          const said = within[language](written(day, language, { day: 'numeric', month: 'long' }));
          expect([said, readAnswer('date', said, setting(language))?.value]).to.deep.equal([said, day]);
        }),
        { seed: 2, numRuns: 40 },
      );
    });

  const weekdays: Readonly<Record<Language, (name: string) => string[]>> = {
    en: (name) => [name, `on ${name}`, `this coming ${name}`],
    de: (name) => [name, `am ${name}`, `kommenden ${name}`],
    fr: (name) => [name, `ce ${name}`],
    es: (name) => [name, `el ${name}`, `este ${name}`],
  };
  for (const language of LANGUAGES)
    it(`by the days of the week, in ${language}`, () => {
      // Tuesday to Sunday: the day itself may be meant by its name or a week later.
      for (let n = 1; n <= 6; n++) {
        const day = dayOf(n);
        const name = written(day, language, { weekday: 'long' });
        for (const said of weekdays[language](name))
          expect([said, readAnswer('date', said, setting(language))?.value]).to.deep.equal([said, day]);
      }
    });
});

describe('a time of day as one writes it', () => {
  const time = fc.tuple(fc.integer({ min: 0, max: 23 }), fc.integer({ min: 0, max: 59 }));
  const clock = (h: number, m: number): string => `${String(h).padStart(2, '0')}:${String(m).padStart(2, '0')}`;
  const forms: Readonly<Record<Language, ((h: number, m: number) => string)[]>> = {
    en: [
      (h, m) => clock(h, m),
      (h, m) => `at ${h}:${String(m).padStart(2, '0')}`,
      (h, m) => `${h % 12 === 0 ? 12 : h % 12}:${String(m).padStart(2, '0')} ${h < 12 ? 'am' : 'pm'}`,
      (h, m) => `around ${h % 12 === 0 ? 12 : h % 12}.${String(m).padStart(2, '0')}${h < 12 ? 'am' : 'pm'}`,
    ],
    de: [
      (h, m) => clock(h, m),
      (h, m) => `${h}:${String(m).padStart(2, '0')} Uhr`,
      (h, m) => `um ${h} Uhr ${m === 0 ? '' : m}`.trim(),
    ],
    fr: [
      (h, m) => `${h} heures ${String(m).padStart(2, '0')}`,
      (h, m) => clock(h, m),
      (h, m) => `${h}h${String(m).padStart(2, '0')}`,
      (h, m) => `à ${h} h ${String(m).padStart(2, '0')}`,
    ],
    es: [(h, m) => clock(h, m), (h, m) => `a las ${h}:${String(m).padStart(2, '0')}`],
  };
  for (const language of LANGUAGES)
    for (const [i, form] of forms[language].entries())
      it(`such as ${form(9, 40)}, in ${language} (${i + 1})`, () => {
        fc.assert(
          fc.property(time, ([h, m]) => {
            const said = form(h, m);
            expect([said, readAnswer('time', said, setting(language))?.value]).to.deep.equal([said, clock(h, m)]);
          }),
          { seed: 3, numRuns: 60 },
        );
      });
});

describe('a number as one writes it', () => {
  const around: Readonly<Record<Language, (n: string) => string[]>> = {
    en: (n) => [n, `${n} people`, `it is ${n}`, `about ${n} please`],
    de: (n) => [n, `${n} Personen`, `es sind ${n}`, `etwa ${n} bitte`],
    fr: (n) => [n, `${n} personnes`, `il y en a ${n}`],
    es: (n) => [n, `${n} personas`, `son ${n}`],
  };
  for (const language of LANGUAGES) {
    it(`whole, small, in ${language}`, () => {
      fc.assert(
        fc.property(fc.integer({ min: 0, max: 999 }), (n) => {
          for (const said of around[language](String(n)))
            expect([said, readAnswer('number', said, setting(language))?.value]).to.deep.equal([said, n]);
        }),
        { seed: 4, numRuns: 60 },
      );
    });

    it(`with marks between thousands and before parts, in ${language}`, () => {
      const format = new Intl.NumberFormat(LOCALE[language], {
        useGrouping: 'always',
        minimumFractionDigits: 2,
        maximumFractionDigits: 2,
      });
      fc.assert(
        fc.property(fc.integer({ min: 100_000, max: 99_999_999 }), (hundredths) => {
          const said = format.format(hundredths / 100);
          expect([said, readAnswer('number', said, setting(language))?.value]).to.deep.equal([said, hundredths / 100]);
        }),
        { seed: 5, numRuns: 60 },
      );
    });
  }
});

describe('money as one writes it', () => {
  for (const language of LANGUAGES)
    for (const currency of ['EUR', 'GBP', 'USD'])
      it(`${currency} in ${language}`, () => {
        const format = new Intl.NumberFormat(LOCALE[language], { style: 'currency', currency, currencyDisplay: 'narrowSymbol' });
        fc.assert(
          fc.property(fc.integer({ min: 1, max: 500_000 }), (cents) => {
            const said = format.format(cents / 100);
            expect([said, readAnswer('money', said, setting(language))?.value]).to.deep.equal([
              said,
              { amount: cents / 100, currency },
            ]);
          }),
          { seed: 6, numRuns: 50 },
        );
      });
});

describe('an address as one writes it', () => {
  const name = fc.stringMatching(/^[a-z][a-z0-9]{0,8}([._+-][a-z0-9]{1,6})?$/);
  const host = fc.stringMatching(/^[a-z][a-z0-9-]{0,8}[a-z0-9]\.(example|test)$/);
  const sentences = [
    (a: string) => a,
    (a: string) => `my mail is ${a}`,
    (a: string) => `it's ${a}, thanks`,
    (a: string) => `<${a}>`,
    (a: string) => `Schreiben Sie an ${a}.`,
    (a: string) => a.toUpperCase(),
  ];
  it('of mail is found in whatever stands around it', () => {
    fc.assert(
      fc.property(name, host, fc.constantFrom(...sentences), (local, domain, sentence) => {
        const address = `${local}@${domain}`;
        const said = sentence(address);
        expect([said, readAnswer('email', said, setting('en'))?.value]).to.deep.equal([said, address]);
      }),
      { seed: 7, numRuns: 150 },
    );
  });

  it('of mail is none where a part is missing', () => {
    for (const said of ['ines@', '@marrow.example', 'ines at home', 'ines@localhost', 'a@b@c', ''])
      expect([said, readAnswer('email', said, setting('en'))?.value]).to.deep.equal([said, undefined]);
  });
});

describe('what is no value', () => {
  const nothing: Readonly<Record<Language, string[]>> = {
    en: ['I do not know yet', 'whenever you like', 'ask my brother', 'hm', '?'],
    de: ['das weiß ich noch nicht', 'wie Sie möchten', 'fragen Sie meinen Bruder', 'hm'],
    fr: ['je ne sais pas encore', 'comme vous voulez', 'demandez à mon frère'],
    es: ['todavía no lo sé', 'como quiera', 'pregunte a mi hermano'],
  };
  for (const language of LANGUAGES)
    for (const said of nothing[language])
      it(`${said} (${language})`, () => {
        for (const kind of ['date', 'time', 'number', 'email', 'phone', 'money', 'duration'] as const)
          expect([kind, readAnswer(kind, said, setting(language))?.value]).to.deep.equal([kind, undefined]);
      });

  it('never makes a reader throw, in any language, whatever is said', () => {
    const bits = fc.constantFrom(
      '12',
      ':',
      '.',
      ',',
      '/',
      '-',
      ' ',
      'mai',
      'may',
      'uhr',
      'h',
      'pm',
      '€',
      '$',
      '@',
      '+',
      'ü',
      '1e9',
      '٣',
      '次',
      'monday',
      'le',
      'am',
      '\n',
    );
    fc.assert(
      fc.property(fc.array(bits, { maxLength: 14 }), fc.constantFrom(...LANGUAGES, 'nl', 'xx'), (parts, language) => {
        for (const kind of [
          'date',
          'time',
          'number',
          'email',
          'phone',
          'money',
          'duration',
          'range',
          'quantity',
          'ordinal',
          'person',
        ] as const)
          expect(() => readAnswer(kind, parts.join(''), { at: AT, zone: 'UTC', language })).to.not.throw();
      }),
      { seed: 8, numRuns: 400 },
    );
  });
});
