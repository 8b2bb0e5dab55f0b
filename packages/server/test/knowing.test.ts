import { expect } from 'chai';
import { createHash } from 'node:crypto';
import { strToU8, zipSync } from 'fflate';
import { createConnection } from 'mysql2/promise';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import PDFDocument from 'pdfkit';
import { PNG } from 'pngjs';
import type { DocumentStateView } from '@primrose/contract';
import type { BotDocument, KnowledgeDocument } from '@primrose/core';
import { botWith } from './support/knower.js';
import { problemOf } from './support/problem.js';
import { DATABASE_URL, theService, type TestService } from './support/service.js';
import { until } from './support/until.js';

const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

const text = (words: string, more: Partial<KnowledgeDocument> = {}): KnowledgeDocument => ({
  form: 'markdown',
  text: words,
  ...more,
});

/** A PDF of some pages; one without words has a drawing only. */
function pdfOf(pages: readonly string[]): Promise<Uint8Array> {
  const doc = new PDFDocument({ autoFirstPage: false });
  const chunks: Buffer[] = [];
  doc.on('data', (c: Buffer) => chunks.push(c));
  const done = new Promise<Uint8Array>((resolve) => doc.on('end', () => resolve(Buffer.concat(chunks))));
  for (const words of pages) {
    doc.addPage({ size: 'A5' });
    if (words === '') doc.rect(40, 40, 100, 100).fill('black');
    else doc.fontSize(11).text(words);
  }
  doc.end();
  return done;
}

describe('knowledge bases', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });

  const create = async (documents: Readonly<Record<string, KnowledgeDocument>>) =>
    (await service.client.call('createBot', { body: { from: 'document', document: botWith(documents) as never } })).bot.id;
  const bring = async (bot: string, bytes: Uint8Array) => {
    const file = { type: 'application/octet-stream', bytes: Uint8Array.from(bytes) };
    return (await service.client.upload('addContent', { params: { bot } }, file)).hash;
  };
  const put = async (bot: string, id: string, value: KnowledgeDocument | undefined) => {
    const { revision, document } = await service.client.call('getDraft', { params: { bot } });
    const path = `/knowledge/guide/documents/${id}`;
    const there = document.knowledge?.['guide']?.documents[id] !== undefined;
    const patch = value ? [{ op: there ? 'replace' : 'add', path, value }] : [{ op: 'remove', path }];
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch: patch as never } });
  };
  const settled = async (bot: string): Promise<ReadonlyMap<string, DocumentStateView>> => {
    for (;;) {
      const { items } = await service.client.call('listDocuments', { params: { bot, knowledge: 'guide' } });
      if (items.every((d) => d.state === 'ready' || d.state === 'failed')) return new Map(items.map((d) => [d.document, d]));
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
  };
  const ask = async (bot: string, question: string, more: { labels?: string[]; before?: string } = {}) =>
    (await service.client.call('askKnowledge', { params: { bot, knowledge: 'guide' }, body: { question, ...more } })).found;

  it('keep contents beside the document: brought once, named by their hash, handed out as they came', async () => {
    const bot = await create({ dogs: text('# Dogs\n\nDogs travel free.') });
    const { document } = await service.client.call('getDraft', { params: { bot } });
    const own = document.knowledge?.['guide']?.documents['dogs'];
    const bytes = new TextEncoder().encode('# Dogs\n\nDogs travel free.');
    expect(own).to.deep.equal({ form: 'markdown', content: sha256(bytes) });
    expect((await service.client.download('getContent', { params: { bot, hash: sha256(bytes) } })).bytes).to.deep.equal(bytes);
    const cats = new TextEncoder().encode('Cats travel in a carrier.');
    const hashes = [sha256(bytes), sha256(cats)];
    expect(await service.client.call('missingContents', { params: { bot }, body: { hashes } })).to.deep.equal({
      missing: [sha256(cats)],
    });
    const wrong = { params: { bot, hash: sha256(cats) } };
    const file = { type: 'application/octet-stream', bytes };
    expect(await problemOf(service.client.upload('putContent', wrong, file))).to.include({ code: 'invalid-input' });
    const refers = put(bot, 'cats', { form: 'text', content: sha256(cats) });
    expect(await problemOf(refers)).to.include({
      code: 'invalid-document',
      detail:
        'The contents of the document "cats" are not here. Upload its file first, or bring the bot as a folder, which has its documents in it.',
    });
    await bring(bot, cats);
    await put(bot, 'cats', { form: 'text', content: sha256(cats) });
    await settled(bot);
    expect((await ask(bot, 'how do cats travel?')).passages[0]?.document).to.equal('cats');
  });

  it('read every form that the demo brings, with pages and headings', async () => {
    const { bot } = await service.client.call('createBot', {
      body: { from: 'example', example: 'harbour-desk', name: 'Reader' },
    });
    const params = { bot: bot.id, knowledge: 'ferry-papers' };
    const look = async (question: string) =>
      (await service.client.call('askKnowledge', { params, body: { question } })).found.passages[0];
    const closed = await look('is the pier at Port Anselm closed in January?');
    expect(closed).to.include({ document: 'winter-timetable', heading: 'Works at Port Anselm', page: 2 });
    expect((await look('how much is the month ticket?'))?.quote).to.include('Price in pounds: 95');
    expect(await look('which gas bottles are not carried')).to.include({
      document: 'conditions',
      heading: 'What we do not carry',
    });
    expect(await look('when is the lighthouse open?')).to.include({
      document: 'walks',
      heading: 'Gannet Quay › To the lighthouse',
    });
    expect(await look('may I fly a drone')).to.include({ document: 'notices' });
    expect((await look('which bus goes from Kelpwick?'))?.quote).to.include('line 4');
    const { items } = await service.client.call('listDocuments', { params });
    expect(items.map((d) => [d.form, d.state])).to.deep.equal(items.map((d) => [d.form, 'ready']));
    expect(new Set(items.map((d) => d.form)).size).to.equal(9);
    const { items: passages } = await service.client.call('listPassages', {
      params: { ...params, document: 'winter-timetable' },
    });
    expect(passages.map((p) => p.page)).to.deep.equal([1, 1, 2, 2]);
  });

  it('say of each file that cannot be read why, and leave the others alone', async () => {
    const bomb = zipSync({ 'word/document.xml': new Uint8Array(70_000_000), '[Content_Types].xml': strToU8('<x/>') });
    const bad: readonly (readonly [string, KnowledgeDocument['form'], Uint8Array, string])[] = [
      ['pictures', 'pdf', await pdfOf(['', '']), 'pictures of pages only'],
      ['broken-pdf', 'pdf', strToU8('%PDF-1.7 nothing behind'), 'it is no PDF file, or is damaged'],
      ['bomb', 'docx', bomb, 'unfolds into more than'],
      ['protected', 'docx', new Uint8Array([0xd0, 0xcf, 0x11, 0xe0, 1, 2, 3]), 'protected by a password'],
      ['no-zip', 'epub', strToU8('hello'), 'it is no EPUB file'],
      ['json', 'json', strToU8('{"a": '), 'it is no valid JSON'],
      ['empty', 'text', strToU8('   \n '), 'no text was found'],
      ['binary', 'text', new Uint8Array(3000).fill(1), 'it is no text'],
      ['scripts', 'html', strToU8('<script>alert(1)</script>'), 'no text was found'],
    ];
    const documents: Record<string, KnowledgeDocument> = {};
    const bot = await create({ good: text('Dogs travel free.') });
    for (const [id, form, bytes] of bad) documents[id] = { form, content: await bring(bot, bytes) };
    for (const [id, value] of Object.entries(documents)) await put(bot, id, value);
    const states = await settled(bot);
    for (const [id, , , why] of bad)
      expect([id, states.get(id)?.state, states.get(id)?.problem]).to.satisfy(
        ([, s, p]: string[]) => s === 'failed' && p?.includes(why),
      );
    expect(states.get('good')?.state).to.equal('ready');
    expect(await ask(bot, 'do dogs travel free?')).to.include({ covered: true });
    const release = () => service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    expect(await problemOf(release())).to.include({ code: 'release-stopped' });
    for (const [id, value] of Object.entries(documents)) await put(bot, id, { ...value, off: true });
    expect((await release()).number).to.equal(1);
    await service.client.call('readDocumentAgain', { params: { bot, knowledge: 'guide', document: 'json' } });
    expect((await settled(bot)).get('json')?.state).to.equal('failed');
  });

  it('have pages that are pictures read by the profile that the base names, and by nobody else', async () => {
    // A page with a black bar in its upper half, turned by a quarter; and one that has no picture at all.
    const scan = new PNG({ width: 900, height: 600 });
    for (let y = 0; y < 600; y++)
      for (let x = 0; x < 900; x++) scan.data.fill(y < 100 ? 0 : 255, (y * 900 + x) * 4, (y * 900 + x) * 4 + 3);
    for (let i = 3; i < scan.data.length; i += 4) scan.data[i] = 255;
    const pdf = new PDFDocument({ autoFirstPage: false });
    const chunks: Buffer[] = [];
    const drawn = new Promise<Buffer>((resolve) => {
      pdf.on('data', (c: Buffer) => chunks.push(c)).on('end', () => resolve(Buffer.concat(chunks)));
    });
    for (let page = 0; page < 3; page++) {
      pdf.addPage({ size: [900, 600], margin: 0 });
      if (page < 2) pdf.image(PNG.sync.write(scan), 0, 0, { width: 900 });
      if (page === 1) Object.assign(pdf.page.dictionary.data, { Rotate: 90 });
    }
    pdf.end();
    const asked: { role: string; content: string | { type: string; text?: string; image_url?: { url: string } }[] }[][] = [];
    let away = true;
    const eye = createServer((req, res) => {
      let body = '';
      req.on('data', (c: Buffer) => (body += c.toString()));
      req.on('end', () => {
        if (away) return void res.writeHead(401).end('{}');
        asked.push((JSON.parse(body) as { messages: (typeof asked)[number] }).messages);
        const content = asked.length === 1 ? '# Fares\n\nA crossing costs 8 pounds.' : 'Dogs: 2 pounds each.';
        const choices = [{ message: { role: 'assistant', content }, finish_reason: 'stop' }];
        res.setHeader('content-type', 'application/json');
        res.end(JSON.stringify({ choices, usage: { prompt_tokens: 900, completion_tokens: 20 } }));
      });
    });
    await new Promise<void>((resolve) => eye.listen(0, '127.0.0.1', resolve));
    try {
      const { port } = eye.address() as AddressInfo;
      const source = botWith({ other: text('# Pets\n\nDogs travel on deck.') });
      const seeing: BotDocument = {
        ...source,
        connections: { eyes: { address: `http://127.0.0.1:${port}/v1`, actions: {} } },
        models: { eye: { connection: 'eyes', model: 'sees' } },
      };
      const { bot: made } = await service.client.call('createBot', { body: { from: 'document', document: seeing as never } });
      const content = await bring(made.id, await drawn);
      await put(made.id, 'scan', { title: 'Scan', form: 'pdf', content });
      const state = async () => (await settled(made.id)).get('scan');
      expect((await state())?.problem)
        .to.contain('pictures of pages only')
        .and.to.contain('choose a model profile');
      const { revision } = await service.client.call('getDraft', { params: { bot: made.id } });
      const sees = { op: 'add' as const, path: '/knowledge/guide/sees', value: 'eye' };
      await service.client.call('patchDraft', { params: { bot: made.id }, body: { revision, patch: [sees] } });
      const refused = await state();
      expect(refused?.problem).to.contain('page 1 could not be read by the profile "eye"');
      away = false;
      const again = { bot: made.id, knowledge: 'guide', document: 'scan' };
      await service.client.call('readDocumentAgain', { params: again });
      const read = await state();
      expect(read).to.include({ state: 'ready', pages: 3 });
      expect(read?.note).to.contain('the profile "eye" has read them, for 1840 tokens');
      const { items } = await service.client.call('listPassages', { params: again, query: {} });
      expect(items.map((p) => [p.page, p.text])).to.deep.equal([[1, 'A crossing costs 8 pounds. Dogs: 2 pounds each.']]);
      // Two pages have been shown, upright: the bar is above on the one, and at the right on the one that is turned.
      const shown = asked.map((messages) => {
        const user = messages.at(-1)?.content;
        const url = Array.isArray(user) ? user.find((p) => p.type === 'image_url')?.image_url?.url : undefined;
        return PNG.sync.read(Buffer.from(url?.split(',')[1] ?? '', 'base64'));
      });
      const dark = (png: PNG, x: number, y: number) => (png.data[(y * png.width + x) * 4] ?? 255) < 60;
      expect(shown.map((p) => [p.width, p.height])).to.deep.equal([
        [900, 600],
        [600, 900],
      ]);
      expect(shown.map((p) => [dark(p, 450, 50), dark(p, 590, 500), dark(p, 10, 590)])).to.deep.equal([
        [true, false, false],
        [false, true, false],
      ]);
      expect(JSON.stringify(asked[0])).to.contain('never an instruction');
    } finally {
      eye.closeAllConnections();
      eye.close();
    }
  });

  it('read text in other letters, a long PDF in part, and a table of many lines', async () => {
    const bot = await create({});
    const latin = Buffer.from('Die F\u00e4hre f\u00e4hrt t\u00e4glich um acht.', 'latin1');
    await put(bot, 'latin', { form: 'text', content: await bring(bot, latin) });
    const pages = Array.from({ length: 1002 }, (_, i) => `Page ${i + 1} tells of buoy ${i + 1}.`);
    await put(bot, 'long', { form: 'pdf', content: await bring(bot, await pdfOf(pages)) });
    const lines = `buoy,colour\n${Array.from({ length: 20_000 }, (_, i) => `buoy${i},${i % 2 ? 'red' : 'green'}`).join('\n')}`;
    await put(bot, 'lines', { form: 'csv', content: await bring(bot, strToU8(lines)) });
    const states = await settled(bot);
    expect(states.get('latin')?.note).to.include('Windows-1252');
    expect(states.get('long')).to.deep.include({ state: 'ready', pages: 1000 });
    expect(states.get('long')?.note).to.include('first 1000 of its 1002 pages');
    expect(states.get('lines')).to.deep.include({ state: 'ready', passages: 20_000 });
    expect((await ask(bot, 'wann fährt die Fähre')).passages[0]?.quote).to.include('Fähre fährt täglich');
    expect((await ask(bot, 'colour of buoy777')).passages[0]?.quote).to.equal('buoy: buoy777, colour: red');
    expect((await ask(bot, 'dogs '.repeat(4000))).covered).to.equal(false);
  });

  it('are read on by whoever looks next, where their reader has died', async () => {
    const bot = await create({ dogs: text('Dogs travel free.') });
    const hash = (await settled(bot)).get('dogs')?.hash ?? '';
    const db = await createConnection(DATABASE_URL);
    // As a process leaves it that was killed while it read: taken, its lease over, nothing stored.
    await db.query('DELETE indexed FROM indexed JOIN readings ON readings.id = indexed.reading_id WHERE readings.hash = ?', [
      hash,
    ]);
    await db.query("UPDATE readings SET state = 'reading', lease_until = '2020-01-01', attempts = 1 WHERE hash = ?", [hash]);
    const [rows] = await db.query('SELECT state FROM readings WHERE hash = ?', [hash]);
    expect(rows).to.deep.equal([{ state: 'reading' }]);
    await db.end();
    expect((await settled(bot)).get('dogs')?.state).to.equal('ready');
    expect((await ask(bot, 'do dogs travel free?')).covered).to.equal(true);
  });

  it('are all read and indexed once, when the process is killed while it reads', async () => {
    const bot = await create({ first: text('The first one.') });
    const pages = Array.from({ length: 40 }, (_, i) => `Sheet ${i} of the log. `.repeat(40));
    const contents = await Promise.all(Array.from({ length: 6 }, (_, i) => pdfOf([`Log ${i}`, ...pages])));
    const hashes = [];
    for (const bytes of contents) hashes.push(await bring(bot, bytes));
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const patch = hashes.map((content, i) => ({
      op: 'add' as const,
      path: `/knowledge/guide/documents/log-${i}`,
      value: { form: 'pdf', content },
    }));
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch: patch } });
    const states = async () => (await service.client.call('listDocuments', { params: { bot, knowledge: 'guide' } })).items;
    let killed: string[] = [];
    await until(async () => (killed = (await states()).map((d) => d.state)).some((s) => s === 'reading'));
    await service.crash();
    expect(killed.filter((s) => s !== 'ready').length).to.be.greaterThan(0);
    const after = await settled(bot);
    expect([...after.values()].map((d) => d.state)).to.deep.equal(Array.from({ length: 7 }, () => 'ready'));
    expect(after.get('log-3')).to.include({ pages: 41, problem: null });
    const db = await createConnection(DATABASE_URL);
    const [rows] = await db.query(
      'SELECT r.hash, COUNT(i.id) AS n FROM readings r JOIN indexed i ON i.reading_id = r.id WHERE r.hash IN (?) GROUP BY r.hash',
      [hashes],
    );
    await db.end();
    expect((rows as { n: number }[]).map((r) => Number(r.n))).to.deep.equal(hashes.map(() => 1));
  });

  it('go by labels and days, replace and remove, also while others look', async () => {
    const bot = await create({
      summer: text('The summer boat sails at ten.', { labels: ['summer'] }),
      winter: text('The winter boat sails at noon.', { labels: ['winter'], until: '2020-03-01' }),
    });
    expect((await ask(bot, 'when does the boat sail?')).passages.map((p) => p.document)).to.deep.equal(['summer']);
    await put(bot, 'winter', text('The winter boat sails at noon.', { labels: ['winter'] }));
    expect((await ask(bot, 'when does the boat sail?', { labels: ['winter'] })).passages.map((p) => p.document)).to.deep.equal([
      'winter',
    ]);
    const looks = Array.from({ length: 20 }, () => ask(bot, 'when does the summer boat sail?'));
    await put(bot, 'summer', text('The summer boat sails at eleven.', { labels: ['summer'] }));
    expect((await Promise.all(looks)).every((f) => f.passages[0]?.document === 'summer')).to.equal(true);
    expect((await ask(bot, 'when does the summer boat sail?')).passages[0]?.quote).to.include('eleven');
    await put(bot, 'summer', undefined);
    expect((await ask(bot, 'when does the summer boat sail?')).passages.map((p) => p.document)).to.deep.equal(['winter']);
  });

  it('stay in a release as they were, or follow the draft where that is wanted', async () => {
    const bot = await create({ fares: text('A crossing costs 8 pounds.') });
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    await put(bot, 'fares', text('A crossing costs 9 pounds.'));
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    const { TestVisitor } = await import('./support/visitor.js');
    const first = new TestVisitor(service.address, channel?.link ?? '');
    await first.open();
    await first.until('Ask.');
    await first.say('what does a crossing cost?');
    const line = (await first.until('pounds')).find((l) => l.message.cites);
    expect(line?.message.text).to.include('8 pounds');
    expect(revision).to.equal(1);
    // The source can be opened in its surroundings; nobody guesses the address of another.
    const address = line?.message.cites?.[0]?.address ?? '';
    const page = await fetch(address);
    expect(page.status).to.equal(200);
    expect(await page.text()).to.include('<mark>A crossing costs 8 pounds.</mark>');
    expect((await fetch(`${address.slice(0, -2)}xx`)).status).to.equal(404);
    const draft = await service.client.call('getDraft', { params: { bot } });
    const follows = [{ op: 'add', path: '/knowledge/guide/follows', value: 'draft' }];
    await service.client.call('patchDraft', { params: { bot }, body: { revision: draft.revision, patch: follows as never } });
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    await put(bot, 'fares', text('A crossing costs 10 pounds.'));
    const second = new TestVisitor(service.address, channel?.link ?? '');
    await second.open();
    await second.until('Ask.');
    await second.say('what does a crossing cost?');
    expect((await second.until('pounds')).find((l) => l.message.cites)?.message.text).to.include('10 pounds');
  });

  it('look in what a visitor sent, in that conversation alone', async () => {
    const source = botWith({ fares: text('A crossing costs 8 pounds.') });
    const nodes = source.flows['welcome']?.nodes ?? {};
    const look = { ...nodes['look'], kind: 'lookup', files: true };
    const document = { ...source, flows: { welcome: { ...source.flows['welcome'], nodes: { ...nodes, look } } } };
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
    await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
    const [channel] = (await service.client.call('listChannels', { params: { bot: bot.id } })).items;
    const { TestVisitor } = await import('./support/visitor.js');
    const talk = async () => {
      const visitor = new TestVisitor(service.address, channel?.link ?? '');
      await visitor.open();
      await visitor.until('Ask.');
      return visitor;
    };
    const [isla, jonas] = [await talk(), await talk()];
    const pdf = Buffer.from(await pdfOf(['The anchor chain has 40 links of steel.']));
    const sent = await fetch(`${service.address}/api/chat/${channel?.link.split('/').at(-1)}/files?name=chain.pdf`, {
      method: 'POST',
      headers: { authorization: `Bearer ${isla.key}`, 'content-type': 'application/pdf' },
      body: pdf,
    });
    const { address } = (await sent.json()) as { address: string };
    await isla.post('/messages', { id: 'f1', text: 'here is a paper', files: [address] });
    await isla.until('Not covered.');
    await isla.say('how many links has the anchor chain?');
    const line = (await isla.until('40 links')).find((l) => l.message.cites);
    expect(line?.message.cites?.[0]).to.include({ title: 'chain.pdf', page: 1, address });
    await isla.say('what does a crossing cost?');
    await isla.until('8 pounds');
    await jonas.say('how many links has the anchor chain?');
    expect((await jonas.until('Not covered.')).some((l) => l.message.text.includes('40 links'))).to.equal(false);
  });

  it('propose for their set what visitors have asked, the most frequent first, with what answered it', async () => {
    const source = botWith({
      fares: text('# Guide\n\n## Fares\n\nA crossing costs 8 pounds.'),
      dogs: text('# Dogs\n\nDogs travel free on a lead.'),
    });
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: source as never } });
    await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
    const [channel] = (await service.client.call('listChannels', { params: { bot: bot.id } })).items;
    const { TestVisitor } = await import('./support/visitor.js');
    for (const words of [['What does a crossing cost?'], ['what does a  crossing cost?', 'is there a swimming pool?']]) {
      const visitor = new TestVisitor(service.address, channel?.link ?? '');
      await visitor.open();
      for (const said of words) {
        await visitor.until('Ask.');
        await visitor.say(said);
        await visitor.until(said.includes('pool') ? 'Not covered.' : '8 pounds');
      }
    }
    const params = { bot: bot.id, knowledge: 'guide' };
    const asked = async () =>
      (await service.client.call('proposeTestQuestions', { params, query: { from: 'conversations' } })).items;
    const items = await asked();
    expect(items.map((q) => [q.question.toLowerCase(), q.times, q.document, q.heading])).to.deep.equal([
      ['what does a crossing cost?', 2, 'fares', 'Fares'],
      ['is there a swimming pool?', 1, null, null],
    ]);
    const questions = items
      .slice(0, 1)
      .map(({ times: _times, heading, says, ...q }) => ({ ...q, heading: heading ?? '', says: says ?? '' }));
    await service.client.call('addTestQuestions', { params, body: { questions } });
    expect((await asked()).map((q) => q.question)).to.deep.equal(['is there a swimming pool?']);
    const { results } = await service.client.call('evaluateKnowledge', { params, body: {} });
    expect(results[0]?.figures).to.include({ questions: 1, hit1: 1 });
  });

  it('put what they do not answer among what was missed', async () => {
    const bot = await create({ fares: text('A crossing costs 8 pounds.') });
    const opened = await service.client.call('openSimulation', { params: { bot }, body: {} });
    const said = { params: { bot, conversation: opened.conversation }, body: { id: 'm1', text: 'is there a swimming pool?' } };
    await service.client.call('saySimulation', said);
    const { groups } = await service.client.call('listMissed', { params: { bot } });
    expect(groups.map((g) => [g.text, g.base])).to.deep.equal([['is there a swimming pool?', 'guide']]);
  });

  it('show no page of private documents, and never run what stands in one', async () => {
    const bot = await create({
      notes: text('Staff keep the <b onclick="x()">keys</b> in the safe & tell nobody.', { form: 'text' }),
    });
    const [found] = (await ask(bot, 'where do staff keep the keys')).passages;
    const page = await (await fetch(found?.address ?? '')).text();
    expect(page).to.include('&lt;b onclick=&quot;x()&quot;&gt;keys&lt;/b&gt;').and.not.include('<b onclick');
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const patch = [{ op: 'add', path: '/knowledge/guide/private', value: true }];
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch: patch as never } });
    expect((await ask(bot, 'where do staff keep the keys')).passages[0]).to.not.have.property('address');
  });

  it('show how they would be split otherwise, and how good each way is over a set of questions', async () => {
    const guide =
      '# Guide\n\n## Taking dogs\n\nDogs travel free on a lead.\n\n## Taking cats\n\nCats travel in a carrier.\n\n## Paying by card\n\nCards are taken at the pier.';
    const bot = await create({ guide: text(guide) });
    const params = { bot, knowledge: 'guide' };
    const preview = await service.client.call('previewSplit', {
      params: { ...params, document: 'guide' },
      body: { split: { by: 'size', size: 4000 } },
    });
    expect(preview).to.deep.include({ passages: 1 });
    expect((await settled(bot)).get('guide')?.passages).to.equal(3);
    const { items: proposed } = await service.client.call('proposeTestQuestions', { params, query: {} });
    expect(proposed.map((p) => [p.question, p.says])).to.deep.equal([
      ['Taking dogs', 'Dogs travel free on a lead.'],
      ['Taking cats', 'Cats travel in a carrier.'],
      ['Paying by card', 'Cards are taken at the pier.'],
    ]);
    const questions = [
      ...proposed.map(({ question, document, heading, says }) => ({
        question,
        document,
        heading: heading ?? '',
        says: says ?? '',
      })),
      { question: 'is there a swimming pool?', document: null },
    ];
    expect(await service.client.call('addTestQuestions', { params, body: { questions } })).to.deep.equal({
      added: 4,
      questions: 4,
    });
    expect((await service.client.call('addTestQuestions', { params, body: { questions } })).added).to.equal(0);
    const { results } = await service.client.call('evaluateKnowledge', {
      params,
      body: { splits: [{ by: 'size', size: 4000 }] },
    });
    expect(results.map((r) => r.passages)).to.deep.equal([3, 1]);
    expect(results[0]?.figures).to.include({ questions: 4, hit1: 1, reciprocal: 1, recall: 1 });
    const unknown = service.client.call('addTestQuestions', {
      params,
      body: { questions: [{ question: 'x', document: 'none' }] },
    });
    expect(await problemOf(unknown)).to.include({ detail: 'The knowledge base has no document "none".' });
    const { items } = await service.client.call('listTestQuestions', { params });
    await service.client.call('dropTestQuestion', { params: { ...params, question: items[0]?.id ?? '' } });
    expect((await service.client.call('listTestQuestions', { params })).items.length).to.equal(3);
  });
});
