import { expect } from 'chai';
import fc from 'fast-check';
import {
  buildPart,
  createKnowledgeIndex,
  decodePart,
  encodePart,
  evaluate,
  languageOf,
  leansOn,
  lookAlone,
  mergeParts,
  quotation,
  Ranking,
  readText,
  sentences,
  splitReading,
  type IndexPart,
  type Passage,
} from '@primrose/core';

const text = (t: string) => ({ form: 'text' as const, text: t });
const index = (documents: Readonly<Record<string, string>>) =>
  createKnowledgeIndex({ documents: Object.fromEntries(Object.entries(documents).map(([id, t]) => [id, text(t)])) });

describe('reading', () => {
  it('takes a page apart without running it: its main part, tables with their names, no menus', () => {
    const page = `<html><head><title>Fares - Ferries</title><script>var x = "alert"</script></head><body><nav>Home Boats</nav>
      <main><h1>Fares</h1><p>All fares are one way.</p><table><tr><th>For</th><th>Fare</th></tr><tr><td>a dog</td><td>free</td></tr></table>
      <ul><li>Pay aboard</li><li>or ashore</li></ul></main><footer>Imprint</footer></body></html>`.replace(
      'All fares',
      `All fares ${'are printed here and '.repeat(12)}`,
    );
    const { pieces, title } = readText('html', page);
    expect(title).to.equal('Fares - Ferries');
    expect(pieces.map((p) => p.text).join('|'))
      .to.include('For: a dog, Fare: free')
      .and.not.match(/alert|Home|Imprint/);
    expect(pieces[0]).to.deep.equal({ level: 1, text: 'Fares' });
  });

  it('survives ten megabytes of menus and very deep nesting', () => {
    const menus = `<nav>${'<a href="x">Menu</a>'.repeat(400_000)}</nav><p>The text.</p>`;
    expect(readText('html', menus).pieces).to.deep.equal([{ level: 0, text: 'The text.' }]);
    const deep = `${'<div>'.repeat(1500)}far down${'</div>'.repeat(1500)}`;
    expect(readText('html', deep).pieces.length).to.be.at.most(1);
  });

  it('reads rows with their names from CSV and JSON, however values are parted', () => {
    const rows = [
      {
        level: 0,
        text: 'boat: Wrackline, cars: six',
        cells: [
          ['boat', 'Wrackline'],
          ['cars', 'six'],
        ],
      },
    ];
    expect(readText('csv', 'boat;cars\r\nWrackline;six\r\n').pieces).to.deep.equal(rows);
    expect(readText('json', '{"made":"by hand","boats":[{"boat":"Wrackline","cars":"six"}]}').pieces).to.deep.equal([
      { level: 0, text: 'made: by hand' },
      ...rows,
    ]);
    expect(() => readText('json', '{"boats":[')).to.throw(SyntaxError);
  });

  it('bounds what it keeps of a long table', () => {
    const { pieces, note } = readText('csv', `n\n${Array.from({ length: 100_500 }, (_, i) => i + 1).join('\n')}`);
    expect(pieces.length).to.equal(100_000);
    expect(note).to.include('100,000 lines');
  });

  it('tells languages by their small words, and leaves undecided what does not tell', () => {
    expect(languageOf('Hunde fahren auf beiden Booten frei und bleiben an der Leine.', 'en')).to.equal('de');
    expect(languageOf('Los perros viajan gratis en los dos barcos con correa.', 'en')).to.equal('es');
    expect(languageOf('Wrackline 08:10', 'fr')).to.equal('fr');
  });
});

describe('splitting', () => {
  const reading = readText(
    'markdown',
    `# Guide\n\n## Dogs\n\n${'Dogs are welcome aboard. '.repeat(40)}\n\n## Cats\n\nCats travel in a carrier.`,
  );

  it('goes by headings, and by size with an overlap of whole sentences', () => {
    const byHeadings = splitReading({ id: 'g' }, reading, { by: 'headings', size: 400 });
    expect(new Set(byHeadings.map((p) => p.heading))).to.deep.equal(new Set(['Dogs', 'Cats']));
    expect(byHeadings.every((p) => p.text.length <= 400)).to.equal(true);
    const overlapping = splitReading({ id: 'g' }, reading, { by: 'headings', size: 400, overlap: 60 });
    expect(overlapping.length).to.be.at.least(byHeadings.length);
    const [first, second] = overlapping;
    const shared = sentences(second?.text ?? '', 4000)[0] ?? '-';
    expect(first?.text.endsWith(shared)).to.equal(true);
  });

  it('goes by pages, by rows, and by questions with their answers', () => {
    const paged = {
      pieces: [
        { level: 0, text: 'One.', page: 1 },
        { level: 1, text: 'Two', page: 2 },
        { level: 0, text: 'Three.', page: 2 },
      ],
    };
    expect(splitReading({ id: 'p' }, paged, { by: 'pages' }).map((p) => [p.page, p.text])).to.deep.equal([
      [1, 'One.'],
      [2, 'Two Three.'],
    ]);
    const rows = readText('csv', 'question,answer\nMay I smoke?,Only on deck.\nIs there wifi?,No.');
    expect(splitReading({ id: 'r' }, rows).map((p) => p.text)).to.deep.equal([
      'question: May I smoke?, answer: Only on deck.',
      'question: Is there wifi?, answer: No.',
    ]);
    expect(splitReading({ id: 'q' }, rows, { by: 'questions' }).map((p) => [p.heading, p.text])).to.deep.equal([
      ['May I smoke?', 'Only on deck.'],
      ['Is there wifi?', 'No.'],
    ]);
  });

  it('ends sentences where they end', () => {
    expect(sentences('It costs 3.50 pounds, i.e. little. See Nr. 5. Ask Dr. Low! Yes? No', 500)).to.deep.equal([
      'It costs 3.50 pounds, i.e. little.',
      'See Nr. 5.',
      'Ask Dr. Low!',
      'Yes?',
      'No',
    ]);
    expect(sentences('。。', 10).join('')).to.equal('。。');
    expect(sentences('x'.repeat(25), 10).map((s) => s.length)).to.deep.equal([10, 10, 5]);
  });
});

describe('ranking', () => {
  const boats = index({
    pets: 'Pets\n====\n\nDogs and cats travel free of charge on both boats.',
    codes: 'Spare parts\n====\n\nThe pump MSF-204 fits the Wrackline. The pump MSF-205 fits the Sandpiper.',
    names: 'Settings\n====\n\nSet maxRowsShown in the file to the number of rows.',
    dock: 'Werft\n====\n\nDie Fahrradmitnahme ist im Winter nicht möglich.',
  });
  const first = (q: string, looking = {}) => boats.look(q, 3, looking).passages[0];

  it('keeps codes whole, takes names apart, and mends what is misspelt', () => {
    expect(first('where does the MSF-205 fit?')?.quote).to.include('MSF-205');
    expect(first('max rows')?.document).to.equal('names');
    expect(first('how do I set maxRowsShown')?.document).to.equal('names');
    const mended = boats.look('do dogs travle fere', 3);
    expect(mended.passages[0]?.document).to.equal('pets');
    expect(mended.mended).to.have.property('travle');
    // What is a word of the language is not taken for another one.
    expect(boats.look('pomp', 1, { isWord: (w: string) => w === 'pomp' }).passages).to.deep.equal([]);
  });

  it('looks for words that mean the same, and for parts of compounds', () => {
    expect(first('hounds')).to.equal(undefined);
    expect(first('hounds', { synonyms: [['dogs', 'hounds']] })?.document).to.equal('pets');
    expect(first('Fahrrad im Winter', { language: 'de' })?.document).to.equal('dock');
  });

  it('says why a passage ranks', () => {
    const why = first('are dogs free')?.why;
    expect(why?.words.map((w) => [w.word, w.by])).to.deep.include(['dogs', 'said']);
    expect(first('pets')?.why?.titled).to.deep.equal(['pets']);
  });

  it('prefers the language of whoever asks, and folds what says the same', () => {
    const both = createKnowledgeIndex({
      documents: {
        en: { form: 'text', text: 'Wifi\n====\n\nThere is no wifi on the boats and it is not sold.' },
        de: { form: 'text', text: 'Wifi\n====\n\nEs gibt kein Wifi auf den Booten und es ist nicht zu haben.' },
        copy: { form: 'text', text: 'Wifi\n====\n\nThere is no wifi on the boats and it is not sold.' },
      },
    });
    const german = both.look('wifi', 3, { language: 'de' }).passages;
    expect(german[0]?.document).to.equal('de');
    const english = both.look('wifi', 3, { language: 'en' }).passages;
    expect(english.map((p) => p.document)).to.deep.equal(['en', 'de']);
    expect(english[0]?.also).to.deep.equal([{ document: 'copy', place: 1 }]);
  });

  it('takes a question of any length and any letters', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 300 }), (q) => {
        expect(boats.look(q, 3).passages.length).to.be.at.most(3);
      }),
    );
    expect(boats.look('dogs '.repeat(4000), 3).passages[0]?.document).to.equal('pets');
  });
});

describe('an index', () => {
  const words = ['dog', 'cat', 'boat', 'pier', 'fare', 'wind', 'lead', 'deck'];
  const passage = fc.array(fc.constantFrom(...words), { minLength: 1, maxLength: 12 }).map((w) => w.join(' '));
  const documents = fc.array(fc.array(passage, { minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: 6 });
  const partOf = (texts: readonly string[], id: string): IndexPart =>
    buildPart(
      { id, title: id, language: 'en' },
      texts.map((t, i): Passage => ({ document: id, title: id, heading: `h${i}`, text: t, place: i + 1 })),
    );

  it('finds the same in one part, in several, in stored ones, and after a document was taken out', () => {
    fc.assert(
      fc.property(documents, fc.constantFrom(...words), fc.constantFrom(...words), (all, a, b) => {
        const parts = all.map((texts, i) => partOf(texts, `d${i}`));
        const found = (r: Ranking) => r.look(`${a} ${b}`, 10).passages.map((p) => [p.document, p.place, p.score]);
        const apart = found(new Ranking(parts.map((part) => ({ part }))));
        expect(found(new Ranking([{ part: mergeParts(parts) }]))).to.deep.equal(apart);
        const stored = decodePart(encodePart(mergeParts(parts)));
        expect(stored && found(new Ranking([{ part: stored }]))).to.deep.equal(apart);
        const without = new Ranking([{ part: mergeParts(parts), without: new Set(['d0']) }]);
        expect(without.look(`${a} ${b}`, 10).passages.some((p) => p.document === 'd0')).to.equal(false);
      }),
      { numRuns: 60 },
    );
  });

  it('is not read from bytes that are none', () => {
    const bytes = encodePart(partOf(['a dog'], 'd'));
    expect(decodePart(bytes.slice(0, bytes.length - 3))).to.equal(undefined);
    expect(decodePart(new Uint8Array([1, 2, 3]))).to.equal(undefined);
    // Where they begin does not matter.
    const shifted = new Uint8Array(bytes.length + 1);
    shifted.set(bytes, 1);
    expect(decodePart(shifted.subarray(1))?.terms).to.deep.equal(decodePart(bytes)?.terms);
  });
});

describe('a question that leans on the one before', () => {
  const pets = index({
    dogs: 'Dogs\n====\n\nDogs travel free of charge on a lead.',
    cats: 'Cats\n====\n\nCats travel in a carrier for 3 pounds.',
    wifi: 'Wifi\n====\n\nThere is no wifi.',
  });
  const look = (question: string, before?: string) => lookAlone(question, before, (q) => pets.look(q, 3));

  it('is known by how it begins, what it points to, or how little it says', () => {
    for (const q of ['and for cats?', 'what about Sundays', 'how much is it?', 'und mit Hund?', '¿y los niños?', 'cats?'])
      expect(leansOn(q), q).to.equal(true);
    for (const q of ['how much luggage may each passenger take aboard', 'which boats take cars and bicycles today'])
      expect(leansOn(q), q).to.equal(false);
  });

  it('is looked up with it, and by itself where that is answered', () => {
    const found = look('and for cats?', 'do dogs travel free?');
    expect(found.asked).to.equal('and for cats? do dogs travel free?');
    expect(found.passages.map((p) => p.document)).to.include.members(['cats', 'dogs']);
    expect(look('is there wifi', 'do dogs travel free?').asked).to.equal(undefined);
    expect(look('and for cats?').asked).to.equal(undefined);
  });
});

describe('quoting and evaluating', () => {
  it('quotes the sentences that hold the question, and a short passage whole', () => {
    const long = `${'The boats are old and white and much loved. '.repeat(10)}Dogs stay on a lead at all times. Thank you.`;
    const [found] = index({ d: long }).look('do dogs need a lead', 1).passages;
    expect(found && quotation(found)).to.equal('Dogs stay on a lead at all times. Thank you.');
    expect(quotation({ number: 1, quote: 'Short.' })).to.equal('Short.');
  });

  it('counts hits, ranks and what was rightly not covered', () => {
    const guide = index({ dogs: 'Dogs\n====\n\nDogs travel free.', cats: 'Cats\n====\n\nCats travel in a carrier.' });
    const { figures, judged } = evaluate(
      [
        { question: 'do dogs travel free?', document: 'dogs' },
        { question: 'do cats travel in a carrier?', document: 'cats', says: 'carrier' },
        { question: 'cats', document: 'dogs' },
        { question: 'is there a swimming pool?', nothing: true },
      ],
      (q) => guide.look(q, 10),
    );
    expect(judged.map((j) => j.rank).slice(0, 2)).to.deep.equal([1, 1]);
    expect(figures).to.include({ questions: 4, answered: 3, precision: 1, recall: 1 });
    expect([figures.hit1, figures.hit3, figures.reciprocal]).to.deep.equal([0.667, 0.667, 0.667]);
    expect(evaluate([], () => guide.look('x', 1)).figures).to.deep.include({ hit1: null, precision: null });
  });
});
