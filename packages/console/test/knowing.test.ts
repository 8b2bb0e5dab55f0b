import { expect } from 'chai';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Page } from 'playwright-core';
import type { KnowledgeDocument } from '@primrose/core';
import { botWith } from '../../server/test/support/knower.js';
import { axeFindings, inTheConsole } from './support.js';
import { TestVisitor } from '../../server/test/support/visitor.js';
import type { TestService } from '../../server/test/support/service.js';

const GUIDE = `# Guide

## Taking dogs along

Dogs travel on the open deck and need no ticket. ${'They are kept on a lead. '.repeat(12)}

## Paying at the pier

Cards and coins are taken at every pier. ${'Keep your ticket until you land. '.repeat(12)}`;

describe('the pages of knowledge, in a browser', () => {
  let service: TestService;
  let page: Page;

  inTheConsole((opened) => ({ service, page } = opened));

  const knower = async (documents: Readonly<Record<string, KnowledgeDocument>>): Promise<string> =>
    (await service.client.call('createBot', { body: { from: 'document', document: botWith(documents) as never } })).bot.id;
  const guide = { guide: { form: 'markdown' as const, text: GUIDE } };
  const at = (bot: string, path: string) => page.goto(`${service.address}/bots/${bot}/${path}`);
  const base = async (bot: string) => (await service.client.call('getDraft', { params: { bot } })).document.knowledge?.['guide'];
  const saved = () => page.getByText('· saved').waitFor();

  it('sends files one beside the other, and shows how far each is', async () => {
    const bot = await knower({});
    await at(bot, 'knowledge/guide');
    let letGo: () => void = () => undefined;
    const held = new Promise<void>((resolve) => (letGo = resolve));
    await page.route('**/contents', async (route) => {
      await held;
      await route.continue();
    });
    const file = (name: string) => ({ name, mimeType: 'text/markdown', buffer: Buffer.from(`# ${name}\n\n${name} says this.`) });
    await page.locator('input[type=file]').setInputFiles(['a', 'b', 'c'].map((n) => file(`${n}.md`)));
    const uploads = page.getByRole('list', { name: 'Uploads' });
    // Two at once; the third waits for its turn.
    await uploads.getByText('waiting', { exact: true }).waitFor();
    expect(await uploads.getByText(/^\d+ %$/).count()).to.equal(2);
    expect(await uploads.getByRole('progressbar').count()).to.equal(3);
    letGo();
    await uploads.getByText('done').nth(2).waitFor();
    await page.unroute('**/contents');
    await page.getByText('3 passages in 3 documents').waitFor();
    await saved();
    expect(Object.keys((await base(bot))?.documents ?? {})).to.have.members(['a', 'b', 'c']);
    await page.getByRole('button', { name: 'clear this list' }).click();
    await uploads.waitFor({ state: 'detached' });
  });

  it('shows how a document would be split before it is', async () => {
    const bot = await knower(guide);
    await at(bot, 'knowledge/guide/guide');
    await page.locator('ol.passages > li').nth(1).waitFor();
    const splitting = page.getByRole('region', { name: 'Splitting' });
    await splitting.getByLabel('Split').selectOption('size');
    const preview = splitting.getByRole('status');
    await preview.getByText(/1 passage of \d+ to \d+ characters/).waitFor();
    await splitting.getByLabel('up to characters').fill('300');
    await preview.getByText(/\d passages of \d+ to (?:[12]\d\d|300) characters/).waitFor();
    await preview.getByText('Nothing is changed yet.').waitFor();
    expect((await base(bot))?.documents['guide']?.split).to.equal(undefined);
    expect(await page.locator('ol.passages').last().locator('> li').count()).to.equal(2);
    await splitting.getByRole('button', { name: 'Apply' }).click();
    await saved();
    expect((await base(bot))?.documents['guide']?.split).to.deep.equal({ by: 'size', size: 300 });
    await page.locator('ol.passages > li').nth(2).waitFor();
  });

  it('compares splittings over a set of questions: by hand, from headings, by file and from conversations', async () => {
    const bot = await knower(guide);
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    const visitor = new TestVisitor(service.address, channel?.link ?? '');
    await visitor.open();
    await visitor.say('do dogs need a ticket?');
    await visitor.until('no ticket');
    await visitor.say('is there a swimming pool?');
    await visitor.until('Not covered.');
    await at(bot, 'evaluation/guide');
    await page.getByText('No questions yet.').waitFor();
    const questions = page.getByRole('table', { name: 'Questions' }).getByRole('row');
    await page.getByRole('textbox', { name: 'Question of the set' }).fill('can I pay with coins?');
    await page.getByLabel('Answered in').selectOption('guide');
    await page.getByLabel('Under the heading').fill('Paying at the pier');
    await page.getByRole('button', { name: 'Add to the set' }).click();
    await questions.nth(1).waitFor();
    await page.getByRole('button', { name: 'Propose from headings' }).click();
    await questions.nth(3).waitFor();
    const csv = 'question,document,heading\nwhere do I get a haircut?,,\nwho needs a lead?,guide,Taking dogs along\n';
    await page.getByLabel('Import CSV').setInputFiles({ name: 'set.csv', mimeType: 'text/csv', buffer: Buffer.from(csv) });
    await questions.nth(5).waitFor();
    await page.getByRole('button', { name: 'From conversations' }).click();
    const asked = page.getByRole('table', { name: 'Asked in conversations' });
    await asked.getByRole('button', { name: '“do dogs need a ticket?”: right, keep it so' }).click();
    await asked.getByRole('button', { name: 'Leave “is there a swimming pool?” out' }).click();
    await page.getByText('Nothing was looked up in conversations that is not in the set.').waitFor();
    await questions.nth(6).waitFor();
    await page.getByRole('button', { name: 'Compare splittings' }).click();
    const figures = page.getByRole('table', { name: 'Figures' }).getByRole('row');
    await figures.nth(3).waitFor();
    expect(await figures.nth(1).innerText()).to.match(/as it is\s+2\s+1\.0\s+1\.0\s+1\.0\s+1\.0\s+1\.0/);
    await page.getByText('not covered, as it should be').waitFor();
    expect(await axeFindings(page)).to.deep.equal([]);
    await page.getByRole('button', { name: 'Take out “where do I get a haircut?”' }).click();
    await page.getByText('where do I get a haircut?').waitFor({ state: 'detached' });
    const { items } = await service.client.call('listTestQuestions', { params: { bot, knowledge: 'guide' } });
    expect(items.map((q) => q.origin)).to.have.members(['hand', 'proposed', 'proposed', 'csv', 'conversation']);
  });

  it('fetches documents from an address by keyboard, and says what was left out', async () => {
    const words =
      'The evening boat does not sail on the first Monday of a month, as the ramp is looked after on that day. '.repeat(3);
    const site = createServer((req, res) => {
      if (req.url === '/')
        res
          .setHeader('content-type', 'text/html')
          .end(`<title>Notices</title><a href="/film">Film</a><main><p>${words}</p></main>`);
      else if (req.url === '/film') res.setHeader('content-type', 'video/mp4').end('x');
      else res.writeHead(404).end();
    });
    await new Promise<void>((resolve) => site.listen(0, '127.0.0.1', resolve));
    try {
      const bot = await knower(guide);
      await at(bot, 'knowledge/guide');
      await page.getByRole('button', { name: 'Fetch from an address' }).focus();
      await page.keyboard.press('Enter');
      const address = `http://127.0.0.1:${(site.address() as AddressInfo).port}/`;
      await page.getByLabel('Address', { exact: true }).focus();
      await page.keyboard.type('notices');
      expect(await page.getByRole('button', { name: 'Fetch it' }).isDisabled()).to.equal(true);
      await page.getByLabel('Address', { exact: true }).fill('');
      await page.keyboard.type(address);
      await page.keyboard.press('Tab');
      await page.keyboard.press('1');
      await page.getByLabel('Address', { exact: true }).focus();
      await page.keyboard.press('Enter');
      const fetched = page.getByRole('region', { name: 'Fetched from addresses' });
      await fetched.getByText(/1 page, 1 changed/).waitFor();
      await fetched.getByText('1 left out').click();
      await fetched.getByText('documents are not made of video/mp4').waitFor();
      await page.getByRole('table').getByRole('link', { name: 'Notices' }).waitFor();
      await fetched.getByLabel(`When ${address} is read again`).selectOption('week');
      await fetched.getByText(/again/).first().waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
      await saved();
      const kept = await base(bot);
      expect(Object.values(kept?.sources ?? {})).to.deep.equal([{ address, depth: 1, most: 50, every: 'week' }]);
      expect(kept?.documents['notices']).to.include({ title: 'Notices', address });
      await fetched.getByRole('button', { name: `No longer fetch ${address}` }).click();
      await fetched.getByText(address).waitFor({ state: 'detached' });
      await page.getByRole('table').getByRole('link', { name: 'Notices' }).click();
      await page.getByText(`Fetched from ${address}`).waitFor();
    } finally {
      site.closeAllConnections();
      site.close();
    }
  });
});
