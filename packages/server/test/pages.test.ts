import { expect } from 'chai';
import Excel from 'exceljs';
import mammoth from 'mammoth';
import { createConnection } from 'mysql2/promise';
import PDFDocument from 'pdfkit';
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs';
import type { PageResult } from '@primrose/contract';
import { openDatabase } from '../src/store/database.js';
import { failWaiting, runsOf } from '../src/store/pages.js';
import { finished, pageBot, PageVisitor, sharedPage, type SharedBot } from './support/page-bot.js';
import { problemOf } from './support/problem.js';
import { DATABASE_URL, ownDatabase, startTestService, theService, type TestService } from './support/service.js';

const RAIN = { words: 'It rained all day. The ramp was wet.' };
const stateOf = (result: PageResult, output: string) => result.outputs.find((o) => o.output === output)?.state;
const valueOf = (result: PageResult, output: string) => result.outputs.find((o) => o.output === output)?.versions.at(-1)?.value;

describe('shared pages', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });

  const shared = (more: Partial<Parameters<typeof pageBot>[0]> = {}) =>
    sharedPage(service, pageBot({ models: service.models, ...more }));
  const visitorOf = async ({ link }: SharedBot): Promise<PageVisitor> => {
    const visitor = new PageVisitor(service.address, link);
    expect((await visitor.enter()).status).to.equal(200);
    return visitor;
  };
  const change = ({ bot, share }: SharedBot, body: object) =>
    service.client.call('changeShare', { params: { bot, share: share.id }, body });

  it('are filled in by a stranger with the link alone, and show each output as it is made', async () => {
    const page = await shared({ second: 'practice-slow' });
    const visitor = await visitorOf(page);
    const begun = await visitor.fill(RAIN, 'mine');
    const seen: string[] = [];
    const written: string[] = [];
    const result = await visitor.follow(begun.id, (r) => {
      seen.push(r.outputs.map((o) => o.state[0]).join(''));
      const writing = r.outputs.find((o) => o.output === 'reply')?.writing;
      if (writing) written.push(writing);
    });
    expect(result.state).to.equal('done');
    expect(result.outputs.map((o) => [o.output, o.state])).to.deep.equal([
      ['summary', 'ready'],
      ['reply', 'ready'],
      ['note', 'ready'],
      ['rows', 'ready'],
    ]);
    // The quick one was there while the slow one was being written, and what is made from that still waited.
    expect(seen.some((s) => s.startsWith('rmw'))).to.equal(true);
    expect(written.length).to.be.greaterThan(0);
    expect(JSON.stringify(valueOf(result, 'reply')).startsWith(JSON.stringify(written[0] ?? '?').slice(0, -1))).to.equal(true);
    expect(result.tokens).to.be.greaterThan(0);
    expect(result.price).to.be.greaterThan(0);
    // The same once more is the same result, and another visitor does not find it.
    expect((await visitor.fill(RAIN, 'mine')).id).to.equal(begun.id);
    const other = await visitorOf(page);
    expect((await other.ask('GET', `/results/${begun.id}`)).status).to.equal(404);
    expect((await other.ask('POST', `/results/${begun.id}/outputs/note`)).status).to.equal(404);
    expect(((await other.ask('GET', '/results')).body['items'] as unknown[]).length).to.equal(0);
    expect(((await visitor.ask('GET', '/results')).body['items'] as unknown[]).length).to.equal(1);
  });

  it('say at each input what is wrong in it, and begin nothing', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    const { status, body } = await visitor.ask('POST', '/results', { inputs: { loud: 'perhaps' } });
    expect(status).to.equal(422);
    expect(body['errors']).to.deep.equal([
      { pointer: '/inputs/words', detail: 'is needed' },
      { pointer: '/inputs/loud', detail: 'should be yes or no' },
    ]);
    const { items } = await service.client.call('listResults', { params: { bot: page.bot, page: 'helper' }, query: {} });
    expect(items).to.deep.equal([]);
  });

  it('make one output anew, keep both versions, and mark what is made from it as out of date', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    const first = await visitor.follow((await visitor.fill(RAIN)).id);
    expect((await visitor.ask('POST', `/results/${first.id}/outputs/reply`)).status).to.equal(202);
    const second = await visitor.follow(first.id);
    expect(second.outputs.map((o) => [o.output, o.state, o.versions.length])).to.deep.equal([
      ['summary', 'ready', 1],
      ['reply', 'ready', 2],
      ['note', 'stale', 1],
      ['rows', 'ready', 1],
    ]);
    expect(second.outputs[2]?.staleBy).to.deep.equal(['reply']);
    await visitor.ask('POST', `/results/${first.id}/outputs/note`);
    const third = await visitor.follow(first.id);
    expect(stateOf(third, 'note')).to.equal('ready');
    expect(third.runs.map((r) => r.part)).to.deep.equal([null, 'reply', 'note']);
    // Only what makes it was asked: one call of a model each.
    const sheets = await service.client.call('getRun', { params: { bot: page.bot, run: third.runs[1]?.id ?? '' } });
    expect(sheets.turns.flatMap((t) => t.sheet.effects.filter((e) => e.request.type === 'model')).length).to.equal(1);
    expect((await visitor.ask('POST', `/results/${first.id}/outputs/nothing`)).status).to.equal(404);
  });

  it('go on where one output fails, and make it anew once the draft is put right', async () => {
    const document = pageBot({ models: service.models, second: 'practice-refuses' });
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
    const call = { params: { bot: bot.id, page: 'helper' } };
    const over = (id: string) => finished(() => service.client.call('getResult', { params: { bot: bot.id, result: id } }));
    const { id } = await service.client.call('tryPage', { ...call, body: { inputs: RAIN, on: 'draft' } });
    const result = await over(id);
    expect(result.outputs.map((o) => o.state)).to.deep.equal(['ready', 'failed', 'ready', 'ready']);
    expect(result.outputs[1]?.reason).to.contain('two');
    const { revision } = await service.client.call('getDraft', { params: { bot: bot.id } });
    const patch = [{ op: 'replace', path: '/models/two/model', value: 'practice' }];
    await service.client.call('patchDraft', { params: { bot: bot.id }, body: { revision, patch: patch as never } });
    await service.client.call('makeOutput', { params: { bot: bot.id, result: id, output: 'reply' } });
    const mended = await over(id);
    expect(mended.outputs.map((o) => o.state)).to.deep.equal(['ready', 'ready', 'stale', 'ready']);
    expect(mended.by).to.equal('Owner');
    const busy = await service.client.call('makeOutput', { params: { bot: bot.id, result: id, output: 'note' } });
    expect(busy.state).to.be.oneOf(['waiting', 'running', 'done']);
    await over(id);
  });

  it('are closed to whoever guesses, comes too late, or has a link that was taken back', async () => {
    const page = await shared();
    const at = (link: string) =>
      fetch(`${service.address}/api/pages/${link}`).then(async (r) => [
        r.status,
        ((await r.json()) as { detail?: string }).detail,
      ]);
    expect((await at('AAAAAAAAAAAAAAAAAAAAAA'))[0]).to.equal(404);
    const visitor = await visitorOf(page);
    await change(page, { on: false });
    expect(await at(page.link)).to.deep.equal([
      409,
      'This page is switched off just now. Ask whoever shares it, or come back later.',
    ]);
    expect((await visitor.ask('POST', '/results', { inputs: RAIN })).status).to.equal(409);
    await change(page, { on: true, until: '2020-01-01T00:00:00.000Z' });
    expect((await at(page.link))[1]).to.contain('The time of this link is over');
    const moved = await change(page, { until: null, newLink: true });
    expect((await at(page.link))[0]).to.equal(404);
    expect((await at(moved.link.split('/').at(-1) ?? ''))[0]).to.equal(200);
    await service.client.call('endShare', { params: { bot: page.bot, share: page.share.id } });
    expect((await at(moved.link.split('/').at(-1) ?? ''))[0]).to.equal(404);
    const { items } = await service.client.call('listPages', { params: { bot: page.bot } });
    expect(items[0]?.shares).to.deep.equal([]);
    expect((await problemOf(change(page, { on: true }))).status).to.equal(404);
  });

  it('ask for a password, count guesses, and know nobody by a key of before another password', async () => {
    const page = await shared();
    expect((await problemOf(change(page, { access: 'password' }))).detail).to.contain('needs one');
    await change(page, { access: 'password', password: 'fair winds' });
    const visitor = new PageVisitor(service.address, page.link);
    expect((await visitor.enter()).status).to.equal(401);
    expect((await visitor.enter({ password: 'foul winds' })).body['code']).to.equal('wrong-password');
    expect((await visitor.enter({ password: 'fair winds' })).status).to.equal(200);
    const { id } = await visitor.fill(RAIN);
    await visitor.follow(id);
    const { key } = visitor;
    await change(page, { password: 'other winds' });
    expect((await visitor.ask('GET', `/results/${id}`)).status).to.equal(401);
    // With the new one they come back to what was theirs.
    expect((await visitor.enter({ key, password: 'other winds' })).status).to.equal(200);
    expect((await visitor.ask('GET', `/results/${id}`)).status).to.equal(200);
    const forged = new PageVisitor(service.address, page.link);
    await forged.enter({ key: 'A'.repeat(65) });
    expect((await forged.ask('POST', '/results', { inputs: RAIN })).status).to.equal(401);
    // Ten a minute are read. A minute may end among them, and then ten more are.
    let last = 0;
    for (let i = 0; i <= 20 && last !== 429; i++)
      last = (await new PageVisitor(service.address, page.link).enter({ password: `guess ${i}` })).status;
    expect(last).to.equal(429);
  });

  it('are opened by people of the service alone where that is set', async () => {
    const page = await shared();
    await change(page, { access: 'signed-in' });
    const visitor = new PageVisitor(service.address, page.link);
    expect((await visitor.enter()).body['code']).to.equal('not-signed-in');
    expect((await visitor.enter({}, { authorization: `Bearer ${service.token}` })).status).to.equal(200);
    expect((await visitor.follow((await visitor.fill(RAIN)).id)).state).to.equal('done');
  });

  it('end at what one visitor, a day and its budget may, and say which', async () => {
    const page = await shared();
    await change(page, { limits: { visitor: 1 } });
    const visitor = await visitorOf(page);
    await visitor.follow((await visitor.fill(RAIN)).id);
    const again = await visitor.ask('POST', '/results', { inputs: RAIN });
    expect([again.status, again.body['detail']]).to.deep.equal([
      429,
      'You have had this worked out 1 times today, which is all that one visitor may. Come back tomorrow.',
    ]);
    await change(page, { limits: { visitor: null, day: 2 } });
    await visitor.follow((await visitor.fill(RAIN)).id);
    expect((await visitor.ask('POST', '/results', { inputs: RAIN })).body['detail']).to.contain('2 times today');
    const { today } = await change(page, { limits: { day: null, budget: 0.0001 } });
    // What was refused was not counted.
    expect(today.runs).to.equal(2);
    expect(today.price).to.be.greaterThan(0);
    expect((await visitor.ask('POST', '/results', { inputs: RAIN })).body['detail']).to.contain('may cost a day is spent');
  });

  it('take files of many kinds, and say of each other one what is wrong with it', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    const text = await visitor.send('log.md', 'text/markdown', Buffer.from('# Log\n\nThe ramp stuck.'));
    expect(text.body).to.deep.include({ name: 'log.md', type: 'text/markdown' });
    const pdf = new PDFDocument();
    const parts: Buffer[] = [];
    pdf.on('data', (p: Buffer) => parts.push(p));
    const done = new Promise((resolve) => pdf.once('end', resolve));
    pdf.text('First page.').addPage().text('Second page.').end();
    await done;
    const read = await visitor.send('log.pdf', 'application/pdf', Buffer.concat(parts));
    const given = async (log: unknown) => {
      const result = await visitor.follow((await visitor.fill({ ...RAIN, log })).id);
      const { run } = await service.client.call('getRun', { params: { bot: page.bot, run: result.runs[0]?.id ?? '' } });
      return { result, log: run.given['log'] };
    };
    expect((await given(read.body)).log).to.deep.include({ text: '[page 1]\n\nFirst page.\n\n[page 2]\n\nSecond page.' });
    const locked = new PDFDocument({ userPassword: 'secret' });
    const closed: Buffer[] = [];
    locked.on('data', (p: Buffer) => closed.push(p));
    const ended = new Promise((resolve) => locked.once('end', resolve));
    locked.text('Secret.').end();
    await ended;
    const refused = await visitor.send('locked.pdf', 'application/pdf', Buffer.concat(closed));
    expect([refused.status, String(refused.body['detail']).includes('password')]).to.deep.equal([422, true]);
    expect((await visitor.send('x.exe', 'application/octet-stream', Buffer.from([0x4d, 0x5a, 0, 0, 1]))).status).to.equal(422);
    expect((await visitor.send('x.png', 'image/png', Buffer.from('no picture'))).status).to.equal(422);
    expect((await visitor.send('big.txt', 'text/plain', Buffer.alloc(4_300_000, 97))).status).to.equal(413);
    // What somebody says of a file does not count, and a file of somebody else is no input.
    const liar = { ...text.body, text: 'It never rained.', name: 'other.md' };
    const { result, log } = await given(liar);
    expect(log).to.include({ name: 'log.md', text: '# Log\n\nThe ramp stuck.' });
    expect(result.inputs['log']).to.not.have.property('text');
    const long = 'x'.repeat(90_000);
    expect((await visitor.fill({ words: long })).inputs['words']).to.equal(long);
    const other = await visitorOf(page);
    expect((await other.ask('POST', '/results', { inputs: { ...RAIN, log: text.body } })).status).to.equal(422);
    expect(
      (await other.ask('POST', '/results', { inputs: { ...RAIN, log: { name: 'a', address: 'http://127.0.0.1:1/files/x' } } }))
        .status,
    ).to.equal(422);
  });

  it('are written as files that open, whole and output by output', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    const { id } = await visitor.follow((await visitor.fill(RAIN)).id);
    const get = async (query: string) => {
      const file = await visitor.file(id, query);
      expect(file.status, query).to.equal(200);
      return file.bytes;
    };
    expect((await get('as=txt')).toString()).to.contain('Helper\n======\n\nYour words: It rained all day.');
    expect((await get('as=md')).toString()).to.contain('## Rows\n\n| What | Held |\n| --- | --- |\n| words | It rained all day.');
    expect((await get('as=csv&output=rows')).toString()).to.equal(`What,Held\r\nwords,${RAIN.words}\r\n'=1+1,2\r\n`);
    const words = (await mammoth.extractRawText({ buffer: await get('as=docx') })).value;
    expect(words).to.contain('Helper').and.contain('It rained all day.').and.contain('=1+1');
    const book = new Excel.Workbook();
    await book.xlsx.load((await get('as=xlsx')).buffer as ArrayBuffer);
    expect(book.worksheets.map((s) => s.name)).to.deep.equal(['Summary', 'Reply', 'Note', 'Rows', 'Filled in']);
    expect(book.getWorksheet('Rows')?.getCell('A3').value).to.equal('=1+1');
    const pdf = await getDocument({ data: Uint8Array.from(await get('as=pdf')), verbosity: 0 }).promise;
    const content = await (await pdf.getPage(1)).getTextContent();
    const text = content.items.map((i) => ('str' in i ? i.str : '')).join(' ');
    expect(text).to.contain('Helper').and.contain('Your words:').and.contain('It rained all day.');
    await pdf.destroy();
    expect((await visitor.file(id, 'as=exe')).status).to.equal(422);
  });

  it('keep a result as it is under a link, with what was filled in or without, until it is taken back', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    const { id } = await visitor.follow((await visitor.fill(RAIN)).id);
    const freeze = async (inputs: boolean) =>
      String((await visitor.ask('POST', `/results/${id}/frozen`, { inputs })).body['link'])
        .split('/')
        .at(-1) ?? '';
    const [bare, whole] = [await freeze(false), await freeze(true)];
    const open = async (link: string) => {
      const response = await fetch(`${service.address}/api/results/${link}`);
      return {
        status: response.status,
        body: (await response.json()) as { inputs: unknown; outputs: { versions: unknown[] }[]; page: { parts: object[] } },
      };
    };
    await visitor.ask('POST', `/results/${id}/outputs/reply`);
    await visitor.follow(id);
    const kept = await open(bare);
    expect([kept.status, kept.body.inputs, kept.body.outputs.map((o) => o.versions.length)]).to.deep.equal([
      200,
      null,
      [1, 1, 1, 1],
    ]);
    expect(JSON.stringify(kept.body.page.parts)).to.not.contain('"input"');
    expect((await open(whole)).body.inputs).to.deep.equal(RAIN);
    const file = await fetch(`${service.address}/api/results/${bare}/file?as=md`);
    expect(await file.text())
      .to.contain('# Helper')
      .and.not.contain('Your words');
    const { items } = await service.client.call('listFrozen', { params: { bot: page.bot, page: 'helper' } });
    expect(items.map((f) => f.inputs)).to.have.members([true, false]);
    const gone = items.find((f) => !f.inputs)?.id ?? '';
    await service.client.call('endFrozen', { params: { bot: page.bot, frozen: gone } });
    expect((await open(bare)).status).to.equal(404);
    expect((await open(whole)).status).to.equal(200);
    const more = await Promise.all(
      Array.from({ length: 21 }, () => visitor.ask('POST', `/results/${id}/frozen`, { inputs: false })),
    );
    expect(more.filter((m) => m.status === 201 || m.status === 200)).to.have.length(19);
    expect(more.find((m) => m.status === 429)?.body['detail']).to.contain('kept under 20 links');
  });

  it('are asked about in a chat that knows what came of them', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    const { id } = await visitor.follow((await visitor.fill(RAIN)).id);
    const said = async (text: string) => {
      const { body } = await visitor.ask('POST', `/results/${id}/chat`, { id: text.replace(' ', '-'), text });
      return (body['lines'] as { who: string; message: { text: string } }[]).map((l) => `${l.who}: ${l.message.text}`);
    };
    const lines = await said('the ramp');
    expect(lines[0]).to.equal('bot: What about it?');
    expect(lines[2]).to.contain('You asked the ramp. It says:').and.contain('It rained all day.');
    expect((await said('more')).length).to.be.greaterThan(lines.length);
    expect((await visitor.ask('GET', `/results/${id}/chat`)).body['lines']).to.have.length.greaterThan(4);
    const other = await visitorOf(page);
    expect((await other.ask('POST', `/results/${id}/chat`, { id: 'x', text: 'x' })).status).to.equal(404);
  });

  it('count what their chats cost, and end these too when the day is spent', async () => {
    const document = pageBot({ models: service.models });
    const { about, 'write-summary': summed } = document.flows;
    const think = { ...summed?.nodes['make'], exits: { done: 'tell', failed: 'tell' } };
    const ask = { ...about?.nodes['ask'], exits: { answered: 'think', 'gave-up': 'tell' } };
    const chat = { ...about, takes: { words: 'text?', summary: 'text?', found: 'text?' } };
    const flows = { ...document.flows, about: { ...chat, nodes: { ...about?.nodes, think, ask } } };
    const page = await sharedPage(service, { ...document, flows } as never);
    const visitor = await visitorOf(page);
    const { id } = await visitor.follow((await visitor.fill(RAIN)).id);
    const before = (await change(page, {})).today;
    const said = (text: string) => visitor.ask('POST', `/results/${id}/chat`, { id: text, text });
    expect((await said('ramp')).status).to.be.lessThan(300);
    const { today } = await change(page, { limits: { budget: before.price } });
    expect(today.runs).to.equal(before.runs);
    expect(today.price).to.be.greaterThan(before.price);
    expect(today.tokens).to.be.greaterThan(before.tokens);
    const refused = await said('rain');
    expect(refused.status).to.equal(429);
    expect(refused.body['detail']).to.equal('What this page may cost a day is spent. Come back tomorrow.');
  });

  it('stand in Runs with who and what they cost, can be run again, and go out as CSV', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    const { id } = await visitor.follow((await visitor.fill({ words: '=HYPERLINK("x")' })).id);
    const { items } = await service.client.call('listRuns', { params: { bot: page.bot }, query: {} });
    expect(items[0]).to.include({ by: 'page', flow: 'help', outcome: 'done' });
    expect(items[0]?.page).to.include({ page: 'helper', result: id, part: null, who: null, share: 'helper' });
    expect(items[0]?.page?.tokens).to.be.greaterThan(0);
    const again = await service.client.call('runAgain', {
      params: { bot: page.bot, run: items[0]?.id ?? '' },
      body: { on: 'live' },
    });
    expect(again.againOf).to.equal(items[0]?.id);
    const { bytes } = await service.client.download('exportResults', { params: { bot: page.bot, page: 'helper' } });
    const csv = new TextDecoder().decode(bytes);
    expect(csv.split('\r\n')[0]).to.equal('Result,At,By,State,Tokens,Price,Your words,Summary,Reply,Note,Rows');
    expect(csv).to.contain(`'=HYPERLINK`).and.contain('visitor of helper');
  });

  it('go by the release that is live, also where their flow is another one now', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    const { id } = await visitor.follow((await visitor.fill(RAIN)).id);
    const { revision, document } = await service.client.call('getDraft', { params: { bot: page.bot } });
    const help = document.flows['help'];
    const { reply: _reply, ...gives } = help?.gives ?? {};
    const parts = (document.pages?.['helper']?.parts ?? []).filter((p) => !('output' in p && p.output === 'reply'));
    const next = {
      ...document,
      pages: { helper: { ...document.pages?.['helper'], parts } },
      flows: { ...document.flows, help: { ...help, gives: { ...gives, extra: 'text?' } } },
    };
    await service.client.call('replaceDraft', { params: { bot: page.bot }, body: { revision, document: next as never } });
    await service.client.call('createRelease', { params: { bot: page.bot }, body: { note: 'other' } });
    const after = await visitor.result(id);
    expect(after.outputs.map((o) => o.output)).to.deep.equal(['summary', 'note', 'rows']);
    expect((await visitor.ask('POST', `/results/${id}/outputs/reply`)).body['detail']).to.contain('makes "reply" any more');
    expect((await visitor.follow((await visitor.fill(RAIN)).id)).state).to.equal('done');
  });

  it('stand in a gallery, for anybody or for people of the service, and are copied where that is allowed', async () => {
    const page = await shared();
    const gallery = async (headers: Record<string, string> = {}) =>
      (
        (await (await fetch(`${service.address}/api/gallery`, { headers })).json()) as {
          items: { link: string; copies: boolean; category: string }[];
        }
      ).items.filter((i) => i.link === page.link);
    const mine = { authorization: `Bearer ${service.token}` };
    expect(await gallery(mine)).to.deep.equal([]);
    await change(page, { gallery: 'private' });
    expect([await gallery(), (await gallery(mine)).length]).to.deep.equal([[], 1]);
    await change(page, { gallery: 'public' });
    expect((await gallery())[0]).to.include({ category: 'Reading', copies: false });
    const target = (await service.client.call('createBot', { body: { from: 'blank', name: 'Target' } })).bot.id;
    expect(
      (await problemOf(service.client.call('copyPage', { params: { bot: target }, body: { link: page.link } }))).status,
    ).to.equal(404);
    await change(page, { copies: true });
    const copied = await service.client.call('copyPage', { params: { bot: target }, body: { link: page.link } });
    expect(copied).to.deep.equal({ page: 'helper', flows: ['help', 'about', 'write-summary', 'write-reply'], left: [] });
    const { document } = await service.client.call('getDraft', { params: { bot: target } });
    expect(document.pages?.['helper']?.title).to.equal('Helper');
  });

  it('come from a description, planned by rules or by a model', async () => {
    const { bot } = await service.client.call('createBot', {
      body: { from: 'document', document: pageBot({ models: service.models }) as never },
    });
    const words = 'A letter helper that takes a letter and a day and gives a summary and a list of steps for the summary';
    for (const profile of [undefined, 'one']) {
      const made = await service.client.call('proposePage', {
        params: { bot: bot.id },
        body: { words, ...(profile === undefined ? {} : { profile }) },
      });
      expect(made.by).to.equal(profile === undefined ? 'rules' : 'model');
      expect(made.page.parts.filter((p) => 'input' in p).length).to.equal(2);
      expect(made.page.parts.filter((p) => 'output' in p).length).to.equal(2);
      const { revision, document } = await service.client.call('getDraft', { params: { bot: bot.id } });
      const next = {
        ...document,
        flows: { ...document.flows, ...made.flows },
        pages: { ...document.pages, [made.id]: made.page },
      };
      await service.client.call('replaceDraft', { params: { bot: bot.id }, body: { revision, document: next as never } });
      const begun = await service.client.call('tryPage', {
        params: { bot: bot.id, page: made.id },
        body: { on: 'draft', inputs: { letter: 'The boat was late.', day: '2026-03-01' } },
      });
      const over = await finished(() => service.client.call('getResult', { params: { bot: bot.id, result: begun.id } }));
      expect(over.outputs.map((o) => o.state)).to.deep.equal(['ready', 'ready']);
    }
    const refuses = await service.client.call('proposePage', { params: { bot: bot.id }, body: { words, profile: 'nobody' } });
    expect([refuses.by, refuses.notes[0]?.includes('no model profile "nobody"')]).to.deep.equal(['rules', true]);
  });

  it('make an output anew once, however many ask for it at the same moment', async () => {
    // Slowly, so that it is still being made when the last of them asks.
    const visitor = await visitorOf(await shared({ second: 'practice-slow' }));
    const { id } = await visitor.follow((await visitor.fill(RAIN)).id);
    const asked = await Promise.all(Array.from({ length: 4 }, () => visitor.ask('POST', `/results/${id}/outputs/reply`)));
    expect(asked.filter((a) => a.status < 300)).to.have.length(1);
    expect((await visitor.follow(id)).runs).to.have.length(2);
  });

  it('tell why a run that waited could not begin any more', async () => {
    const visitor = await visitorOf(await shared());
    const { id } = await visitor.follow((await visitor.fill(RAIN)).id);
    const db = openDatabase(DATABASE_URL, 2);
    try {
      for (const run of await runsOf(db, [id])) await failWaiting(db, run.id, 'The page was taken away.');
    } finally {
      await db.destroy();
    }
    expect(await visitor.result(id)).to.include({ state: 'failed', reason: 'The page was taken away.' });
  });

  it('go with their bot, and are nobody else’s', async () => {
    const page = await shared();
    const visitor = await visitorOf(page);
    await visitor.follow((await visitor.fill(RAIN)).id);
    await service.client.call('deleteBot', { params: { bot: page.bot } });
    expect((await fetch(`${service.address}/api/pages/${page.link}`)).status).to.equal(404);
    const { items } = await service.client.call('getRetention', { params: { bot: (await shared()).bot } });
    expect(items.map((k) => k.kind)).to.include('results');
  });
});

describe('a page that many want at once', () => {
  it('takes all of them in turn, tells each their place, and loses none when the process is killed', async () => {
    const databaseUrl = await ownDatabase('pages');
    const env = { PRIMROSE_PAGE_RUNS_AT_ONCE: '3', PRIMROSE_PAGE_RUNS_WAITING: '26', PRIMROSE_LOG: 'silent' };
    const service = await startTestService({ databaseUrl, env, all: true });
    const db = await createConnection(databaseUrl);
    try {
      const page = await sharedPage(service, pageBot({ models: service.models, second: 'practice-slow' }));
      const visitors = await Promise.all(
        Array.from({ length: 24 }, async () => {
          const visitor = new PageVisitor(service.address, page.link);
          await visitor.enter();
          return visitor;
        }),
      );
      const begun = await Promise.all(visitors.map((v, i) => v.fill(RAIN, `fill-${i}`)));
      const places = await Promise.all(begun.map(async (b, i) => (await visitors[i]?.result(b.id))?.place ?? 0));
      expect(Math.max(...places)).to.be.greaterThan(8);
      expect(new Set(places.filter((p) => p > 0)).size).to.be.greaterThan(5);
      const [[running]] = (await db.query(`SELECT COUNT(*) AS n FROM runs WHERE outcome = 'running'`)) as unknown as [
        [{ n: number }],
      ];
      expect(Number(running.n)).to.be.at.most(3);
      await service.crash();
      const results = await Promise.all(begun.map((b, i) => finished(async () => visitors[i]?.result(b.id), 240)));
      expect(results.map((r) => r.state)).to.deep.equal(results.map(() => 'done'));
      expect(results.every((r) => r.outputs.every((o) => o.state === 'ready'))).to.equal(true);
      const [[runs]] = (await db.query('SELECT COUNT(*) AS n FROM runs')) as unknown as [[{ n: number }]];
      expect(Number(runs.n)).to.equal(24);
      // Beyond what may wait, they are told so, and nothing is begun.
      const more = await Promise.all(
        visitors.flatMap((v) => [1, 2].map((n) => v.ask('POST', '/results', { inputs: RAIN, id: `more-${n}` }))),
      );
      const refused = more.filter((m) => m.status === 429);
      expect(refused.length).to.be.greaterThan(0);
      expect(refused[0]?.body['detail']).to.contain('wait here already');
    } finally {
      await db.end();
      await service.stop();
    }
  });
});
