import { expect } from 'chai';
import fc from 'fast-check';
import { strToU8, zipSync } from 'fflate';
import type { DocumentForm, DocumentReading, ResultDocument } from '@primrose/core';
import type { Refused } from '../src/base/refused.js';
import { mediaOf } from '../src/files/media.js';
import { readDocumentFile } from '../src/knowledge/readers.js';
import { writeResult } from '../src/pages/written.js';
import { linesOf, workbookOf, XLSX } from '../src/tables/workbook.js';

const SAID = ['Dogs travel on a lead', 'Bicycles cost 4.50', 'Ruhetag & Überfahrt, 3 < 4'] as const;
const DOCUMENT: ResultDocument = {
  title: 'Terms of carriage',
  at: '2026-05-12T18:00:00.000Z',
  inputs: [],
  sections: SAID.map((said, i) => ({ title: `Part ${i + 1}`, form: 'text', value: `${said}.`, sources: [] })),
};

const book = (parts: Readonly<Record<string, string>>): Uint8Array =>
  zipSync(Object.fromEntries(Object.entries(parts).map(([name, text]) => [name, strToU8(text)])), { level: 0 });
const chapter = (n: number, said: string): string =>
  `<html><body><h1>Part ${n}</h1><p>${said.replaceAll('&', '&amp;').replaceAll('<', '&lt;')}.</p></body></html>`;
const EPUB: Readonly<Record<string, string>> = {
  mimetype: 'application/epub+zip',
  'META-INF/container.xml': '<container><rootfiles><rootfile full-path="b/book.opf"/></rootfiles></container>',
  'b/book.opf': `<package><dc:title>Terms of carriage</dc:title>
    <item id="c" href="three.html"/><item id="a" href="part%20one.html"/><item id="b" href="two.html"/><item id="d" href="%ZZ.html"/>
    <itemref idref="a"/><itemref idref="b"/><itemref idref="d"/><itemref idref="nobody"/><itemref idref="c"/></package>`,
  'b/part one.html': chapter(1, SAID[0]),
  'b/two.html': chapter(2, SAID[1]),
  'b/three.html': chapter(3, SAID[2]),
};

/** The same document in every form that is read. */
async function inForm(form: DocumentForm): Promise<Uint8Array> {
  const rows = [['part', 'words'], ...SAID.map((said, i) => [`Part ${i + 1}`, said])];
  switch (form) {
    case 'pdf':
    case 'docx':
      return (await writeResult(DOCUMENT, form, () => undefined)).bytes;
    case 'text':
      return (await writeResult(DOCUMENT, 'txt', () => undefined)).bytes;
    case 'markdown':
      return (await writeResult(DOCUMENT, 'md', () => undefined)).bytes;
    case 'xlsx':
      return workbookOf('Terms', rows);
    case 'csv':
      return strToU8(rows.map((r) => r.join(',')).join('\n'));
    case 'epub':
      return book(EPUB);
    case 'html':
      return strToU8(SAID.map((said, i) => chapter(i + 1, said)).join(''));
    case 'json':
      return strToU8(JSON.stringify(SAID.map((said, i) => ({ part: i + 1, words: said }))));
  }
}

const FORMS = ['pdf', 'docx', 'text', 'markdown', 'xlsx', 'csv', 'epub', 'html', 'json'] as const;
const wordsOf = (reading: DocumentReading): string => reading.pieces.map((p) => p.text).join('\n');

/** What reading comes to: what was read, or the reason why not. Anything but a refusal is a fault of ours. */
async function read<T>(reading: Promise<T>, code: 'document-unreadable' | 'sheet-unreadable'): Promise<T | string> {
  try {
    return await reading;
  } catch (error) {
    // What is loaded late is loaded anew by the runner: its refusals are told by their code.
    const { code: known, facts } = error as Refused<'document-unreadable'>;
    if (known !== code) throw error;
    return facts.reason;
  }
}

/** A file that breaks off after a share of it, or in which some bytes are others, each where its share of the file lies. */
const breaks = fc.record({
  kept: fc.oneof(fc.constant(1), fc.double({ min: 0, max: 1, noNaN: true })),
  others: fc.array(fc.tuple(fc.double({ min: 0, max: 0.999, noNaN: true }), fc.nat(255)), { maxLength: 8 }),
});
type Breaks = typeof breaks extends fc.Arbitrary<infer B> ? B : never;

function broken(whole: Uint8Array, { kept, others }: Breaks): Uint8Array {
  const changed = Uint8Array.from(whole);
  for (const [at, byte] of others) changed[Math.floor(at * whole.length)] = byte;
  return changed.subarray(0, Math.floor(kept * whole.length));
}

describe('a document', () => {
  for (const form of FORMS)
    it(`is read from ${form.toUpperCase()} in its own words, in their order`, async () => {
      const words = wordsOf(await readDocumentFile(await inForm(form), form));
      const at = SAID.map((said) => words.indexOf(said));
      expect(at, words).to.not.include(-1);
      expect(at).to.deep.equal([...at].sort((a, b) => a - b));
    });

  it('that is broken is read as far as it goes, or it is said what is wrong with it', async () => {
    for (const form of FORMS) {
      const whole = await inForm(form);
      await fc.assert(
        fc.asyncProperty(breaks, async (how) => {
          const came = await read(readDocumentFile(broken(whole, how), form), 'document-unreadable');
          expect(typeof came === 'string' ? came : wordsOf(came)).to.not.equal('');
        }),
        { seed: 5, numRuns: 40 },
      );
    }
  });

  it('that is another than its name says is refused in words', async () => {
    const reasons = await Promise.all(
      (['docx', 'epub', 'xlsx', 'pdf', 'json'] as const).map((form) =>
        read(readDocumentFile(strToU8('Dogs travel on a lead.'), form), 'document-unreadable'),
      ),
    );
    expect(reasons.slice(0, 3)).to.deep.equal(['it is no DOCX file', 'it is no EPUB file', 'it is no XLSX file']);
    for (const reason of reasons) expect(reason).to.be.a('string').and.match(/^it /);
    for (const form of ['docx', 'epub', 'xlsx'] as const)
      expect(await read(readDocumentFile(book({ 'x.txt': 'x' }), form), 'document-unreadable')).to.match(/^it /);
    expect(await read(readDocumentFile(Uint8Array.of(0xd0, 0xcf, 1), 'docx'), 'document-unreadable')).to.contain('password');
    expect(
      await read(readDocumentFile(book({ ...EPUB, 'META-INF/encryption.xml': 'x' }), 'epub'), 'document-unreadable'),
    ).to.equal('it is protected');
  });

  it('that says not how its letters are written is read, and that is noted', async () => {
    const reading = await readDocumentFile(Uint8Array.from([0xdc, 0x62, 0x65, 0x72]), 'text');
    expect(wordsOf(reading)).to.equal('Über');
    expect(reading.note).to.contain('UTF-8');
    const wide = Uint8Array.from([0xff, 0xfe, ...Buffer.from('Über', 'utf16le')]);
    expect(wordsOf(await readDocumentFile(wide, 'text'))).to.equal('Über');
  });
});

describe('the rows of a file', () => {
  const cell = fc.string({ unit: 'grapheme', maxLength: 30 }).filter((s) => !/\p{Cc}|\uFEFF/u.test(s));

  it('come back from a workbook as they were written, whatever stands in them', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc
          .integer({ min: 1, max: 5 })
          .chain((width) => fc.array(fc.array(cell, { minLength: width, maxLength: width }), { maxLength: 6 })),
        async (rows) => {
          const width = rows[0]?.length ?? 1;
          const lines = [Array.from({ length: width }, (_, i) => `c${i}`), ...rows, Array.from({ length: width }, () => 'end')];
          expect(await linesOf(await workbookOf('rows', lines), XLSX)).to.deep.equal(lines);
        },
      ),
      { seed: 6, numRuns: 40 },
    );
  });

  it('of a broken file are read, or it is said what is wrong', async () => {
    const whole = await workbookOf('rows', [
      ['a', 'b'],
      ['1', '2'],
    ]);
    for (const [bytes, type] of [
      [whole, XLSX],
      [strToU8('a,"b"\n1,2\n'), 'text/csv'],
    ] as const)
      await fc.assert(
        fc.asyncProperty(breaks, async (how) => {
          const came = await read(linesOf(broken(bytes, how), type), 'sheet-unreadable');
          expect(came.length).to.be.above(0);
        }),
        { seed: 7, numRuns: 60 },
      );
  });
});

describe('a file that somebody sends', () => {
  it('is what stands in it, never only what is said of it', async () => {
    for (const form of FORMS) {
      const bytes = await inForm(form);
      expect((await mediaOf(bytes, `x.${form}`, '')).ok, form).to.equal(true);
      expect((await mediaOf(bytes, 'x.png', 'image/png')).ok, form).to.equal(false);
    }
  });

  it('is a text, a picture or a document, or is refused with a reason, whatever it holds', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 300 }), fc.string(), fc.string(), async (bytes, name, declared) => {
        const media = await mediaOf(bytes, name, declared);
        if (media.ok) expect(media.picture ? media.type : (media.text ?? media.type)).to.not.equal('');
        else expect(media.reason).to.match(/^it /);
      }),
      { seed: 8, numRuns: 300 },
    );
  });
});
