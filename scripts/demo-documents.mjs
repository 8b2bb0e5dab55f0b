// Makes the documents of the demo that are no text: node scripts/demo-documents.mjs. All of it is made up.
import { createWriteStream, mkdirSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { Document, HeadingLevel, Packer, Paragraph, Table, TableCell, TableRow } from 'docx';
import Excel from 'exceljs';
import { strToU8, zipSync } from 'fflate';
import PDFDocument from 'pdfkit';

const folder = fileURLToPath(new URL('../demo/harbour-desk/knowledge/ferry-papers', import.meta.url));
const at = (name) => `${folder}/${name}`;
// Files say when they were made; these always say the same.
const MADE = new Date('2026-01-05T09:00:00Z');

/** A PDF with a title, and pages of headings and paragraphs. */
function pdf(name, title, pages) {
  const doc = new PDFDocument({ size: 'A5', margin: 48, info: { Title: title, CreationDate: MADE, ModDate: MADE } });
  const done = new Promise((resolve) => doc.pipe(createWriteStream(at(name))).on('finish', resolve));
  pages.forEach((page, i) => {
    if (i > 0) doc.addPage();
    else doc.font('Helvetica-Bold').fontSize(20).text(title).moveDown(0.8);
    for (const [heading, ...paragraphs] of page) {
      doc.font('Helvetica-Bold').fontSize(14).text(heading).moveDown(0.3);
      for (const p of paragraphs) doc.font('Helvetica').fontSize(10).text(p).moveDown(0.6);
    }
  });
  doc.end();
  return done;
}

const conditions = [
  [
    'Your booking',
    'A booking holds a place until ten minutes before the sailing. Whoever comes later may travel if there is room left.',
  ],
  [
    'Changing and cancelling',
    'A booking can be moved to another day without charge until midnight before the sailing. Whoever cancels on the day of the sailing gets half of the fare back; whoever does not come gets nothing back.',
  ],
  [
    'What we do not carry',
    'Gas bottles larger than 3 kg, fireworks and loose fuel are not carried. Spare fuel for boats travels in closed cans of up to 10 litres, on the open deck of the Wrackline only.',
  ],
  [
    'Our liability',
    'For luggage that is lost or damaged through our fault we pay up to 400 pounds a passenger. Tell the crew before you leave the boat, or the office within three days.',
  ],
  [
    'Complaints',
    'Complaints are answered by the office at Kelpwick within ten working days. Whoever is not content may ask the Harbour Board of Marrow Sound.',
  ],
];

async function docx() {
  const children = [
    new Paragraph({ text: 'Conditions of carriage', heading: HeadingLevel.TITLE }),
    ...conditions.flatMap(([heading, text]) => [
      new Paragraph({ text: heading, heading: HeadingLevel.HEADING_1 }),
      new Paragraph(text),
    ]),
    new Paragraph({ text: 'Charges', heading: HeadingLevel.HEADING_1 }),
    new Table({
      rows: [
        ['Service', 'Charge'],
        ['Sending lost property within the islands', '6 pounds'],
        ['Storing a suitcase at Kelpwick, a day', '3 pounds'],
        ['A printed ticket', '1 pound'],
      ].map((row) => new TableRow({ children: row.map((text) => new TableCell({ children: [new Paragraph(text)] })) })),
    }),
  ];
  const made = new Document({ title: 'Conditions of carriage', creator: 'Marrow Sound Ferries', sections: [{ children }] });
  writeFileSync(at('conditions.docx'), await Packer.toBuffer(made));
}

async function xlsx() {
  const book = new Excel.Workbook();
  book.created = MADE;
  book.modified = MADE;
  const sheet = book.addWorksheet('Season tickets');
  sheet.addRows([
    ['Ticket', 'For', 'Valid', 'Price in pounds'],
    ['Ten-crossing card', 'one person on foot', 'twelve months', 64],
    ['Month ticket', 'one person on foot', 'one calendar month', 95],
    ['Islander year ticket', 'people who live on the islands', 'one calendar year', 480],
    ['Bicycle month ticket', 'a bicycle with its rider', 'one calendar month', 18],
  ]);
  writeFileSync(at('season-tickets.xlsx'), Buffer.from(await book.xlsx.writeBuffer()));
}

function epub() {
  const page = (title, body) =>
    `<?xml version="1.0" encoding="UTF-8"?><html xmlns="http://www.w3.org/1999/xhtml"><head><title>${title}</title></head><body>${body}</body></html>`;
  const files = {
    mimetype: 'application/epub+zip',
    'META-INF/container.xml':
      '<?xml version="1.0"?><container version="1.0" xmlns="urn:oasis:names:tc:opendocument:xmlns:container"><rootfiles><rootfile full-path="OEBPS/book.opf" media-type="application/oebps-package+xml"/></rootfiles></container>',
    'OEBPS/book.opf':
      '<?xml version="1.0"?><package xmlns="http://www.idpf.org/2007/opf" version="3.0" unique-identifier="id"><metadata xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:identifier id="id">marrow-sound-walks</dc:identifier><dc:title>Walks from the piers</dc:title><dc:language>en</dc:language></metadata><manifest><item id="a" href="gannet.xhtml" media-type="application/xhtml+xml"/><item id="b" href="tarn.xhtml" media-type="application/xhtml+xml"/></manifest><spine><itemref idref="a"/><itemref idref="b"/></spine></package>',
    'OEBPS/gannet.xhtml': page(
      'Gannet Quay',
      '<h1>Gannet Quay</h1><h2>To the lighthouse</h2><p>From the quay a path of 5 km leads along the cliffs to the lighthouse. Allow two hours there; the lighthouse is open on Saturdays from May to September.</p><h2>The seal beach</h2><p>Seals lie on the north beach at low water, twenty minutes on foot from the quay. Keep fifty metres away and dogs on a lead.</p>',
    ),
    'OEBPS/tarn.xhtml': page(
      'Tarn Holm',
      '<h1>Tarn Holm</h1><h2>Round the tarn</h2><p>The path round the tarn is 3 km long, level and fit for prams. The tea room at its far end opens from 10:00 to 16:00.</p>',
    ),
  };
  writeFileSync(
    at('walks.epub'),
    zipSync(Object.fromEntries(Object.entries(files).map(([n, t]) => [n, strToU8(t)])), { mtime: MADE }),
  );
}

mkdirSync(folder, { recursive: true });
await pdf('winter-timetable.pdf', 'Winter timetable and works', [
  [
    [
      'Winter timetable',
      'From 2 November to 27 March the boats sail three times a day: at 08:10, 12:40 and 17:20 from Kelpwick. There is no late boat in winter.',
      'On 25 December and 1 January no boat sails.',
    ],
    ['Days with fewer boats', 'On Sundays in winter the boat at 12:40 does not sail.'],
  ],
  [
    [
      'Works at Port Anselm',
      'From 11 to 22 January the pier at Port Anselm is closed for repairs. Boats call at the old slip instead, 300 metres to the east; it has no ramp for wheelchairs.',
    ],
    [
      'Boats in the dock',
      'The Wrackline is in the dock from 1 to 14 February. In these two weeks the Sandpiper sails alone, and no cars are carried.',
    ],
  ],
]);
await pdf('merkblatt-gruppen.pdf', 'Merkblatt für Gruppen und Schulen', [
  [
    [
      'Anmeldung',
      'Gruppen ab zehn Personen melden sich mindestens fünf Tage vorher im Büro in Kelpwick an. Der Gruppenpreis beträgt 6 Pfund je Person und Überfahrt.',
    ],
    [
      'Schulklassen',
      'Schulklassen zahlen 3 Pfund je Kind; zwei Begleitpersonen fahren frei. Für je acht Kinder muss eine erwachsene Person dabei sein.',
    ],
  ],
  [
    [
      'Führungen',
      'An Bord der Wrackline zeigt die Mannschaft nach Absprache die Brücke, höchstens acht Personen zugleich. Die Führung dauert zwanzig Minuten und kostet nichts.',
    ],
  ],
]);
await docx();
await xlsx();
epub();
writeFileSync(
  at('questions.csv'),
  `question,answer
Can I charge an electric wheelchair aboard?,"Yes: the Wrackline has a socket beside the two wheelchair places. Ask the crew for the adapter."
Is there a place to change a baby?,"The toilet on the saloon deck of the Wrackline has a changing table. The Sandpiper has none."
May I smoke aboard?,"Smoking is allowed on the after deck only, and nowhere while cars are driven aboard."
Do you take part in the islands' music festival?,"In the week of the festival in July two further boats sail at 22:30 and 23:50 from Tarn Holm."
Can I hire a bicycle?,"We hire no bicycles. The shop beside the pier at Port Anselm does."
`,
);
writeFileSync(
  at('piers.json'),
  `${JSON.stringify(
    [
      { pier: 'Kelpwick', waiting_room: 'heated, open from 06:30', toilets: true, bus: 'line 4 to the market' },
      { pier: 'Port Anselm', waiting_room: 'shelter without a door', toilets: true, bus: 'line 7 to the school' },
      { pier: 'Gannet Quay', waiting_room: 'none', toilets: false, bus: 'none; taxis on call' },
      { pier: 'Tarn Holm', waiting_room: 'in the tea room, when it is open', toilets: true, bus: 'none' },
    ],
    null,
    2,
  )}\n`,
);
writeFileSync(
  at('notices.html'),
  `<!doctype html><html lang="en"><head><title>Notices to passengers</title><script>alert(1)</script></head><body>
<nav><a href="/">Start</a> <a href="/boats">Boats</a></nav>
<main><h1>Notices to passengers</h1>
<h2>Photographs of the crew</h2><p>Please ask before you photograph members of the crew at work.</p>
<h2>Drones</h2><p>Drones are not flown from our boats or piers. A drone in your luggage is carried like any other piece.</p>
<h2>Bathing</h2><p>Bathing from the piers is not allowed while a boat is within 500 metres.</p></main>
<footer>Marrow Sound Ferries</footer></body></html>
`,
);
writeFileSync(
  at('medical-help.md'),
  `# Medical help aboard

## First aid

Two of the crew on every sailing are trained in first aid. A defibrillator hangs beside the galley of the *Wrackline* and behind
the wheel of the *Sandpiper*.

## Medicines

Medicines that have to be kept cool can be given to the crew in the galley, marked with your name. Seasickness tablets are not
sold aboard.

## In an emergency

The skipper can call a doctor to the pier; the nearest surgery to Kelpwick is open from 09:00 to 17:00.
`,
);
writeFileSync(
  at('lost-children.txt'),
  `Children who are lost
=====================

What the crew do
----------------

A child who is found alone is taken to the bridge, and the name is called out over the loudspeakers. No child leaves the boat
without the grown-up it came with.
`,
);
