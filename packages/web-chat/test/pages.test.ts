import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import mammoth from 'mammoth';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { axeFindings } from '../../console/test/support.js';
import { launchBrowser } from '../../server/test/support/browser.js';
import { pageBot, sharedPage } from '../../server/test/support/page-bot.js';
import { theService, type TestService } from '../../server/test/support/service.js';

describe('a shared page in a browser', () => {
  let service: TestService;
  let browser: Browser;
  let context: BrowserContext;
  let page: Page;
  const complaints: string[] = [];
  before(async () => {
    service = await theService();
    browser = await launchBrowser();
  });
  after(() => browser.close());
  const opened = async (width: number, colorScheme: 'light' | 'dark' = 'light') => {
    context = await browser.newContext({
      locale: 'en-GB',
      viewport: { width, height: 800 },
      colorScheme,
      acceptDownloads: true,
      permissions: ['clipboard-read', 'clipboard-write'],
    });
    page = await context.newPage();
    page.setDefaultTimeout(90_000);
    page.on('pageerror', (error) => complaints.push(error.message));
  };
  beforeEach(() => opened(1280));
  afterEach(async () => {
    await context.close();
    expect(complaints.splice(0)).to.deep.equal([]);
  });

  const shared = (more: Partial<Parameters<typeof pageBot>[0]> = {}) =>
    sharedPage(service, pageBot({ models: service.models, ...more }));
  const output = (name: string) => page.locator('section.output', { has: page.getByRole('heading', { name, exact: true }) });
  const ready = (name: string) =>
    page.locator('section.output[data-state=ready]', { has: page.getByRole('heading', { name, exact: true }) }).waitFor();
  const overflows = () => page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth);

  it('is filled in, made anew in part, compared, copied and downloaded by keyboard alone', async () => {
    const { share } = await shared();
    await page.goto(share.link);
    await page.getByRole('heading', { name: 'Helper' }).waitFor();
    await page.keyboard.press('Tab');
    await page.keyboard.type('It rained all day. The ramp was wet.');
    await page.getByRole('button', { name: 'Go' }).focus();
    await page.keyboard.press('Enter');
    for (const name of ['Summary', 'Reply', 'Note', 'Rows']) await ready(name);
    expect(await output('Summary').innerText()).to.contain('It rained all day.');
    expect(await output('Rows').locator('td').allInnerTexts()).to.deep.equal([
      'words',
      'It rained all day. The ramp was wet.',
      '=1+1',
      '2',
    ]);
    await output('Reply').getByRole('button', { name: 'Make anew: Reply' }).focus();
    await page.keyboard.press('Enter');
    await output('Reply').getByText('Version 2 of 2').waitFor();
    await output('Note').getByText('Out of date: Reply was made anew.').waitFor();
    await output('Reply').getByRole('button', { name: 'Beside each other: Reply' }).focus();
    await page.keyboard.press('Enter');
    expect(await output('Reply').locator('.two h3').allInnerTexts()).to.deep.equal(['Version 1 of 2', 'Version 2 of 2']);
    await output('Reply').getByRole('button', { name: 'Copy: Reply' }).press('Enter');
    await output('Reply').getByText('Copied').waitFor();
    expect(await page.evaluate(() => navigator.clipboard.readText())).to.contain('It rained all day.');
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByLabel('Download all as').selectOption('docx'),
    ]);
    expect(download.suggestedFilename()).to.match(/^helper-\d{4}-\d{2}-\d{2}\.docx$/);
    const words = (await mammoth.extractRawText({ buffer: readFileSync(await download.path()) })).value;
    expect(words).to.contain('It rained all day.').and.contain('=1+1');
    // After a reload it is all there.
    await page.reload();
    await output('Reply').getByText('Version 2 of 2').waitFor();
    expect(await page.getByLabel('Your words').inputValue()).to.equal('It rained all day. The ramp was wet.');
    expect(await page.getByRole('navigation', { name: 'Earlier results' }).getByRole('link').count()).to.equal(1);
  });

  it('says at the inputs what is wrong, keeps what was filled in, and says where it was changed since', async () => {
    const { share } = await shared();
    await page.goto(share.link);
    await page.getByRole('button', { name: 'Go' }).click();
    await page.getByText('Your words is needed.').waitFor();
    expect(await page.evaluate(() => document.activeElement?.id)).to.equal('in-words');
    await page
      .getByLabel('Log')
      .setInputFiles({ name: 'x.exe', mimeType: 'application/octet-stream', buffer: Buffer.from([0x4d, 0x5a, 0, 0]) });
    await page.getByText('The file is not taken').waitFor();
    await page.getByRole('button', { name: 'Fill in an example: Rain' }).click();
    await page.route('**/results', (route) => route.abort());
    await page.getByRole('button', { name: 'Go' }).click();
    await page.getByText('What you filled in is kept.').waitFor();
    await page.unroute('**/results');
    await page.getByRole('button', { name: 'Try again' }).click();
    await ready('Note');
    await page.getByLabel('Your words').fill('Something else.');
    await page.getByText('You have changed what you filled in.').waitFor();
  });

  it('shows what is being written, and what is there while others are still made', async () => {
    const { share } = await shared({ second: 'practice-slow' });
    await page.goto(share.link);
    await page.getByLabel('Your words').fill('It rained all day and all night. The ramp was very wet.');
    await page.getByRole('button', { name: 'Go' }).click();
    await output('Reply').locator('.provisional').waitFor();
    expect(await output('Summary').getAttribute('data-state')).to.equal('ready');
    expect(await output('Note').innerText()).to.contain('Waiting');
    await ready('Note');
    expect(await page.locator('.provisional').count()).to.equal(0);
  });

  it('never runs what is in words, outputs or names', async () => {
    const { share } = await shared();
    await page.goto(share.link);
    await page
      .getByLabel('Your words')
      .fill('<img src=x onerror="document.title=1"> [a](javascript:alert(1)) <script>document.title=2</script>.');
    await page.getByRole('button', { name: 'Go' }).click();
    await ready('Note');
    expect(await page.title()).to.equal('Helper');
    expect(await page.locator('a[href^="javascript"]').count()).to.equal(0);
    expect(await output('Summary').innerText()).to.contain('<img src=x');
  });

  it('is asked about in its chat, and kept under a link that a stranger opens', async () => {
    const { share } = await shared();
    await page.goto(share.link);
    await page.getByLabel('Your words').fill('It rained all day. The ramp was wet.');
    await page.getByRole('button', { name: 'Go' }).click();
    await ready('Note');
    await page.getByLabel('Your question').fill('the ramp');
    await page.keyboard.press('Enter');
    await page.getByText('You asked the ramp.').waitFor();
    await page.getByRole('button', { name: 'Keep under a link' }).click();
    const link = (await page.locator('.kept a').getAttribute('href')) ?? '';
    const stranger = await browser.newPage({ viewport: { width: 390, height: 800 } });
    await stranger.goto(link);
    await stranger.getByText('It rained all day.').first().waitFor();
    expect(await stranger.getByText('Your words').count()).to.equal(0);
    expect(await stranger.getByRole('button', { name: /Make anew/ }).count()).to.equal(0);
    expect(await axeFindings(stranger)).to.deep.equal([]);
    await stranger.close();
  });

  it('asks for its password, and says what to do where it is closed', async () => {
    const { bot, share } = await shared();
    const params = { bot, share: share.id };
    await service.client.call('changeShare', { params, body: { access: 'password', password: 'fair winds' } });
    await page.goto(share.link);
    await page.getByLabel('Password').fill('foul');
    await page.keyboard.press('Enter');
    await page.getByText('This is not the password of the page.').waitFor();
    await page.getByLabel('Password').fill('fair winds');
    await page.keyboard.press('Enter');
    await page.getByLabel('Your words').waitFor();
    await service.client.call('changeShare', { params, body: { access: 'signed-in' } });
    await page.reload();
    await page.getByText('This page is for people of this service.').waitFor();
    await service.client.call('changeShare', { params, body: { on: false } });
    await page.reload();
    await page.getByText('This page is switched off just now.').waitFor();
  });

  for (const [width, theme] of [
    [1280, 'light'],
    [390, 'dark'],
  ] as const)
    it(`fits a window ${width} wide, and has nothing that axe complains about in ${theme}, empty and with a result`, async () => {
      await context.close();
      await opened(width, theme);
      const colours = { colours: { accent: '#777777', ...(theme === 'light' ? { ground: '#8a8a8a' } : {}) } };
      const document = pageBot({ models: service.models });
      const helper = { ...document.pages?.['helper'], ...colours };
      const { share } = await sharedPage(service, { ...document, pages: { helper } } as typeof document);
      await page.goto(share.link);
      await page.getByLabel('Your words').waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
      expect(await overflows()).to.equal(false);
      await page.getByLabel('Your words').fill(`It rained all day. ${'x'.repeat(300)}`);
      await page.getByRole('button', { name: 'Go' }).click();
      await ready('Note');
      await page.getByLabel('Your question').waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
      expect(await overflows()).to.equal(false);
      if (width === 390) {
        const lefts = await page
          .locator('.part:visible')
          .evaluateAll((all) => all.map((e) => Math.round(e.getBoundingClientRect().left)));
        expect(new Set(lefts).size).to.equal(1);
      }
    });

  it('is found in the gallery by its category', async () => {
    const { bot, share } = await shared();
    await service.client.call('changeShare', { params: { bot, share: share.id }, body: { gallery: 'public' } });
    await page.goto(`${service.address}/pages?category=Reading`);
    await page.getByRole('link', { name: 'Helper' }).first().waitFor();
    expect(await page.getByRole('link', { name: 'Day trip planner' }).count()).to.equal(0);
    expect(await axeFindings(page)).to.deep.equal([]);
    await page.goto(`${service.address}/pages`);
    await page.getByRole('link', { name: 'Day trip planner' }).waitFor();
  });
});
