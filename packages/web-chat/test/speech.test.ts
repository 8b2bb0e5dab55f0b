import { expect } from 'chai';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { botOf } from '../../core/test/harbour.js';
import { launchBrowser } from '../../server/test/support/browser.js';
import { theService, type TestService } from '../../server/test/support/service.js';

const TALKATIVE = botOf({
  ask: { kind: 'ask', says: 'Say on.', expects: 'text', into: 'flow.t', exits: { answered: 'echo', 'gave-up': 'ask' } },
  echo: { kind: 'say', says: 'Heard: **{{ flow.t }}**', speech: 'I heard {{ flow.t }}', exits: { said: 'nod' } },
  nod: { kind: 'say', says: 'I [see](https://ferry.example).', exits: { said: 'ask' } },
});

/** A browser that hears what a test says to it, and notes what it is told to say. */
const SPEECH = `
  window.spoken = [];
  window.hushed = 0;
  window.SpeechSynthesisUtterance = class { constructor(text) { this.text = text; } };
  Object.defineProperty(window, 'speechSynthesis', { value: { speak: (u) => window.spoken.push([u.lang, u.text]), cancel: () => { window.hushed++; } } });
  window.SpeechRecognition = window.webkitSpeechRecognition = class extends EventTarget {
    start() { window.listens = this; }
    stop() { window.listens = undefined; this.dispatchEvent(new Event('end')); }
    hear(text, isFinal) {
      const result = Object.assign([{ transcript: text }], { isFinal });
      this.dispatchEvent(Object.assign(new Event('result'), { results: [result] }));
      if (isFinal) this.stop();
    }
    refuse() { this.dispatchEvent(Object.assign(new Event('error'), { error: 'not-allowed' })); this.stop(); }
  };
`;

interface Window {
  readonly spoken: [string, string][];
  readonly hushed: number;
  readonly listens: { hear: (text: string, final: boolean) => void; refuse: () => void } | undefined;
}

describe('speaking with a web chat', () => {
  let service: TestService;
  let browser: Browser;
  let context: BrowserContext;
  let page: Page;
  let link = '';
  before(async () => {
    service = await theService();
    browser = await launchBrowser();
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: TALKATIVE as never } });
    await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
    link = (await service.client.call('listChannels', { params: { bot: bot.id } })).items[0]?.link ?? '';
  });
  after(() => browser.close());
  beforeEach(async () => {
    context = await browser.newContext({ locale: 'en-GB', viewport: { width: 900, height: 700 } });
    page = await context.newPage();
    page.setDefaultTimeout(90_000);
  });
  afterEach(() => context.close());

  const open = async (init: string) => {
    await page.addInitScript(init);
    await page.goto(link);
    await page.getByText('Say on.').first().waitFor();
  };

  it('hears what is said, shows it as it comes, and sends it when somebody has ended', async () => {
    await open(SPEECH);
    await page.getByRole('button', { name: 'Speak' }).click();
    expect(await page.locator('#say').getAttribute('placeholder')).to.equal('Listening… speak now');
    await page.evaluate(() => (window as unknown as Window).listens?.hear('two tick', false));
    expect(await page.locator('#say').inputValue()).to.equal('two tick');
    await page.evaluate(() => (window as unknown as Window).listens?.hear('two tickets', true));
    await page.getByText('Heard: two tickets').waitFor();
    expect(await page.getByRole('button', { name: 'Speak' }).getAttribute('aria-pressed')).to.equal('false');
  });

  it('reads answers aloud in their words for speech, once it is asked to, and falls silent when somebody speaks', async () => {
    await open(SPEECH);
    await page.locator('#say').fill('quietly');
    await page.keyboard.press('Enter');
    await page.getByText('Heard: quietly').waitFor();
    expect(await page.evaluate(() => (window as unknown as Window).spoken.length)).to.equal(0);
    await page.getByRole('button', { name: 'More' }).click();
    await page.getByRole('button', { name: 'Read answers aloud' }).click();
    await page.locator('#say').fill('aloud');
    await page.keyboard.press('Enter');
    await page.getByText('Say on.').nth(2).waitFor();
    const spoken = await page.evaluate(() => (window as unknown as Window).spoken);
    expect(spoken).to.deep.equal([
      ['en', 'I heard aloud'],
      ['en', 'I see.'],
      ['en', 'Say on.'],
    ]);
    const before = await page.evaluate(() => (window as unknown as Window).hushed);
    await page.getByRole('button', { name: 'Speak' }).click();
    expect(await page.evaluate(() => (window as unknown as Window).hushed)).to.equal(before + 1);
    await page.evaluate(() => (window as unknown as Window).listens?.refuse());
    await page.getByText('The browser may not use the microphone here.').waitFor();
    await page.getByRole('button', { name: 'More' }).click();
    await page.getByRole('button', { name: 'Do not read aloud' }).waitFor();
  });

  it('offers nothing that the browser has not', async () => {
    await open('delete window.webkitSpeechRecognition; delete window.SpeechRecognition; delete window.speechSynthesis;');
    expect(await page.getByRole('button', { name: 'Speak' }).count()).to.equal(0);
    await page.getByRole('button', { name: 'More' }).click();
    expect(await page.getByRole('button', { name: 'Read answers aloud' }).count()).to.equal(0);
  });
});
