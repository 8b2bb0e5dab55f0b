import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { expect } from 'chai';
import type { BotDocument } from '@primrose/core';
import type { Browser, BrowserContextOptions, Page } from 'playwright-core';
import { launchBrowser } from '../../server/test/support/browser.js';
import { theService, type TestService } from '../../server/test/support/service.js';

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

interface Finding {
  readonly id: string;
  readonly nodes: { readonly html: string }[];
}

/** Waits until nothing on the page fades or moves any more, but for what does so without end. */
async function atRest(page: Page): Promise<void> {
  await page.evaluate(async () => {
    for (let still = 0; still < 2; still++) {
      await new Promise((done) => requestAnimationFrame(done));
      const moving = document.getAnimations().filter((a) => a.effect?.getComputedTiming().endTime !== Infinity);
      const running = moving.filter((a) => a.playState === 'running');
      if (running.length > 0) still = -1;
      await Promise.allSettled(running.map((a) => a.finished));
    }
  });
}

/** What axe finds on the page as it comes to rest, one line each; only in the part that a selector names, where one is given. */
export async function axeFindings(page: Page, part?: string): Promise<string[]> {
  await atRest(page);
  await page.evaluate(AXE);
  const found = await page.evaluate(async (where) => {
    type Run = (where?: string) => Promise<{ violations: Finding[] }>;
    const { axe } = globalThis as unknown as { axe: { run: Run } };
    return (await (where === undefined ? axe.run() : axe.run(where))).violations;
  }, part);
  return found.map((f) => `${f.id}: ${f.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`);
}

/** A new bot of a document, and its draft as the service has it. */
export async function botWith(service: TestService, document: BotDocument) {
  const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
  const draft = async () => (await service.client.call('getDraft', { params: { bot: bot.id } })).document;
  return { bot: bot.id, draft };
}

/** What the tests of the console work with; `page` is signed in, and so is each that `newPage` opens, in a session of its own. */
export interface Opened {
  readonly service: TestService;
  readonly browser: Browser;
  readonly page: Page;
  readonly newPage: () => Promise<Page>;
}

/** Opens the console for the tests of a suite, and closes it after them. What a page complains of fails the test that it shows. */
export function inTheConsole(ready: (opened: Opened) => unknown, more: BrowserContextOptions = {}): void {
  const complaints: string[] = [];
  let browser: Browser;
  before(async () => {
    const service = await theService();
    browser = await launchBrowser();
    const newPage = async () => {
      const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, ...more });
      const page = await context.newPage();
      page.setDefaultTimeout(90_000);
      page.on('pageerror', (error) => complaints.push(error.message));
      page.on('console', (m) => m.type() === 'error' && !m.text().includes('the server responded') && complaints.push(m.text()));
      await page.goto(await service.link());
      await page.getByRole('heading', { name: 'Bots' }).waitFor();
      return page;
    };
    await ready({ service, browser, page: await newPage(), newPage });
  });
  after(() => browser.close());
  afterEach(() => expect(complaints.splice(0)).to.deep.equal([]));
}
