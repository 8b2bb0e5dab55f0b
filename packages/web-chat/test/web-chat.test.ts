import { expect } from 'chai';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { botOf, demoDocument } from '../../core/test/harbour.js';
import { launchBrowser } from '../../server/test/support/browser.js';
import { theService, type TestService } from '../../server/test/support/service.js';

const TALKATIVE = botOf({
  show: {
    kind: 'say',
    says: '# Sailings\n\nTake **care** of the *tide*:\n\n- one\n- [two](https://ferry.example/two)\n\n![the quay](https://ferry.example/q.png)\n\n`code` <b onclick=x>tag</b>',
    exits: { said: 'ask' },
  },
  ask: { kind: 'ask', says: 'Say on.', expects: 'text', into: 'flow.t', exits: { answered: 'echo', 'gave-up': 'ask' } },
  echo: { kind: 'say', says: 'Heard: {{ flow.t }}', exits: { said: 'nod' } },
  nod: { kind: 'say', says: 'I see.', exits: { said: 'ask' } },
});

describe('the web chat page in a browser', () => {
  let service: TestService;
  let browser: Browser;
  let context: BrowserContext;
  let page: Page;
  before(async () => {
    service = await theService();
    browser = await launchBrowser();
  });
  after(() => browser.close());
  beforeEach(async () => {
    context = await browser.newContext({ locale: 'en-GB', viewport: { width: 900, height: 700 } });
    page = await context.newPage();
    page.setDefaultTimeout(90_000);
  });
  afterEach(() => context.close());

  const release = async (document: unknown) => {
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
    await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
    const [channel] = (await service.client.call('listChannels', { params: { bot: bot.id } })).items;
    return { bot: bot.id, link: channel?.link ?? '', channel: channel?.id ?? '' };
  };
  const say = async (text: string, on = page) => {
    await on.locator('#say').fill(text);
    await on.keyboard.press('Enter');
  };

  it('draws bot text, and never runs what is in it or in the visitor’s words', async () => {
    await page.goto((await release(TALKATIVE)).link);
    await page.getByText('Say on.').waitFor();
    const first = page.locator('.theirs').first();
    expect(await first.locator('strong').innerText()).to.equal('care');
    expect(await first.locator('li').count()).to.equal(2);
    expect(await first.locator('a').getAttribute('rel')).to.contain('noopener');
    expect(await first.locator('img').getAttribute('alt')).to.equal('the quay');
    expect(await first.innerText()).to.contain('<b onclick=x>tag</b>');
    await say('<img src=x onerror="document.title=1"> [a](javascript:alert(1)) *b*');
    await page.getByText('Heard: <img src=x').waitFor();
    expect(await page.locator('.mine').innerText()).to.equal(
      '<img src=x onerror="document.title=1"> [a](javascript:alert(1)) *b*',
    );
    expect(await page.title()).to.equal('Trial');
    expect(await page.locator('.theirs a[href^="javascript"]').count()).to.equal(0);
  });

  it('keeps words that did not reach us, and sends them once when it is tried again', async () => {
    await page.goto((await release(TALKATIVE)).link);
    await page.getByText('Say on.').waitFor();
    await page.route('**/messages', (route) => route.abort());
    await say('kept words');
    await page.getByText('That did not reach us.').waitFor();
    expect(await page.locator('.mine.unsent').innerText()).to.equal('kept words');
    await page.unroute('**/messages');
    await page.getByRole('button', { name: 'Try again' }).click();
    await page.getByText('Heard: kept words').waitFor();
    expect(await page.locator('.mine').count()).to.equal(1);
    expect(await page.locator('.mine.unsent').count()).to.equal(0);
  });

  it('takes the line up again after the service was away, without losing or doubling a word', async () => {
    await page.goto((await release(TALKATIVE)).link);
    await page.getByText('Say on.').waitFor();
    await say('before');
    await page.getByText('Heard: before').waitFor();
    await service.crash();
    await say('after');
    await page.getByText('Heard: after').waitFor();
    expect(await page.getByText('Heard: before').count()).to.equal(1);
    expect(await page.getByText('Heard: after').count()).to.equal(1);
  });

  it('comes back to a long conversation whole', async () => {
    const { link } = await release(TALKATIVE);
    await page.goto(link);
    await page.getByText('Say on.').waitFor();
    const key = await page.evaluate(() => localStorage.getItem(localStorage.key(0) ?? '') ?? '');
    const base = `${service.address}/api/chat/${link.split('/').at(-1)}/messages`;
    const headers = { 'content-type': 'application/json', authorization: `Bearer ${key}` };
    for (let i = 0; i < 55; i++)
      await fetch(base, { method: 'POST', headers, body: JSON.stringify({ id: `n${i}`, text: `number ${i}` }) });
    await page.getByText('Heard: number 54').waitFor();
    await page.reload();
    await page.getByText('Heard: number 54').waitFor();
    expect(await page.locator('.mine').count()).to.equal(55);
  });

  it('shows one conversation in two windows, and follows when it is started over in one', async () => {
    const { link } = await release(TALKATIVE);
    await page.goto(link);
    await page.getByText('Say on.').waitFor();
    const second = await context.newPage();
    await second.goto(link);
    await second.getByText('Say on.').waitFor();
    await say('from the first');
    await second.getByText('Heard: from the first').waitFor();
    await second.getByRole('button', { name: 'Start over' }).click();
    await page.getByText('Heard: from the first').waitFor({ state: 'detached' });
    await page.getByText('Say on.').waitFor();
  });

  it('speaks the visitor’s language', async () => {
    const german = await browser.newContext({ locale: 'de-AT' });
    const other = await german.newPage();
    await other.goto((await release(demoDocument())).link);
    await other.getByText('Hafenschalter').waitFor();
    expect(await other.locator('html').getAttribute('lang')).to.equal('de');
    await other.getByRole('button', { name: 'Öffnungszeiten' }).click();
    await other.getByText('täglich geöffnet').waitFor();
    await other.getByRole('button', { name: 'Neu beginnen' }).waitFor();
    await german.close();
  });

  it('takes a press as the visitor’s words and puts the buttons away', async () => {
    await page.goto((await release(demoDocument())).link);
    await page.getByRole('button', { name: 'Office hours' }).click();
    await page.getByText('The office is open').waitFor();
    expect(await page.locator('.mine').first().innerText()).to.equal('Office hours');
    expect(await page.locator('.choices').count()).to.equal(1);
  });

  it('says why it cannot be opened, and opens when it can', async () => {
    const { bot, link, channel } = await release(TALKATIVE);
    await service.client.call('updateChannel', { params: { bot, channel }, body: { on: false } });
    await page.goto(link);
    await page.getByRole('alert').getByText('switched off').waitFor();
    await service.client.call('updateChannel', { params: { bot, channel }, body: { on: true } });
    await page.getByRole('button', { name: 'Try again' }).click();
    await page.getByText('Say on.').waitFor();
    await page.goto(`${service.address}/chat/nothing-here`);
    await page.getByRole('alert').getByText('There is no chat at this address').waitFor();
  });
});
