import { expect } from 'chai';
import type { Browser, BrowserContext, FrameLocator, Page } from 'playwright-core';
import { CHAT_SETTINGS, type ChatSettings } from '@primrose/contract';
import { axeFindings } from '../../console/test/support.js';
import { createHostSite, tokenFor } from '../../stand-ins/src/host-site/app.js';
import { CUSTOMERS } from '../../stand-ins/src/host-site/customers.js';
import { releasedBot } from '../../server/test/support/crowd.js';
import { knowingBot } from '../../server/test/support/known-bot.js';
import { theService, type TestService } from '../../server/test/support/service.js';
import { until } from '../../server/test/support/until.js';
import { hostedChat, KEY, pageOf, withHosting, type Hosting } from './hosting.js';

describe('a web chat in pages of another origin', () => {
  let service: TestService;
  let browser: Browser;
  let context: BrowserContext;
  let page: Page;
  let hosting: Hosting;
  const complaints: string[] = [];

  withHosting((made) => {
    hosting = made;
    ({ service, browser } = made);
  });
  const open = async (options: Parameters<Browser['newContext']>[0] = {}) => {
    context = await browser.newContext({ locale: 'en-GB', viewport: { width: 1280, height: 800 }, ...options });
    page = await context.newPage();
    page.setDefaultTimeout(60_000);
    complaints.length = 0;
    page.on('console', (m) => m.type() === 'error' && complaints.push(m.text()));
    page.on('pageerror', (e) => complaints.push(e.message));
  };
  beforeEach(() => open());
  afterEach(() => context.close());

  /** A bot with its chat, and the made-up site that shows it. */
  const site = async (settings: Partial<ChatSettings> = {}, more: Record<string, unknown> = {}) => {
    const { bot, params, chat } = await hostedChat(hosting, more);
    const set = (more: Partial<ChatSettings>) =>
      service.client.call('setWebChat', { params, body: { ...CHAT_SETTINGS, ...settings, ...more } });
    await set({});
    const address = await hosting.serve(createHostSite({ service: service.address, chat, key: KEY }));
    return { bot, chat, params, set, address };
  };
  const plain = (html: string) => hosting.serve(pageOf(html));
  const frame = (on = page): FrameLocator => on.frameLocator('iframe');
  /** Presses the bubble until it is open: a press while a frame is still being placed may fall on the page beneath it. */
  const press = (on = page) =>
    until(async () => {
      if (await frame(on).locator('#say').isVisible()) return true;
      await frame(on)
        .locator('button.bubble')
        .click({ timeout: 3000 })
        .catch(() => undefined);
      return false;
    });
  const openBubble = async (on = page) => {
    await press(on);
    await frame(on).getByText('And now?').first().waitFor();
  };
  const say = async (text: string, on = page) => {
    await frame(on).locator('#say').fill(text);
    await frame(on).locator('#say').press('Enter');
    await frame(on).getByText(`Kept: ${text}.`).waitFor();
  };
  const signOut = () =>
    page.evaluate(() => (window as unknown as { primroseChat: { signOut: () => void } }).primroseChat.signOut());
  /** Ines signs in on the host's site and says something in its chat. */
  const wordOfInes = async (address: string) => {
    await page.goto(`${address}/sign-in`);
    await page.getByRole('button', { name: 'Ines Marlow' }).click();
    await page.waitForURL('**/account');
    await openBubble();
    await say('a word of Ines');
  };
  const box = async () => (await page.locator('iframe').boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };

  for (const [width, height] of [
    [1280, 800],
    [390, 844],
  ] as const) {
    it(`stands over a page ${width} wide as a bubble, opens, closes, and is kept over pages and reloads`, async () => {
      await page.setViewportSize({ width, height });
      const { address } = await site({ words: { any: { open: 'Ask us', starters: ['my first question'] } } });
      await page.goto(address);
      await frame().getByRole('button', { name: 'Ask us' }).waitFor();
      const closed = await box();
      expect([closed.height, closed.width < 200, width - closed.x - closed.width]).to.deep.equal([56, true, 16]);
      await openBubble();
      const opened = await box();
      expect([opened.width, opened.height]).to.deep.equal(width === 390 ? [390, 844] : [400, 680]);
      await frame().getByRole('button', { name: 'my first question' }).click();
      await frame().getByText('Kept: my first question.').waitFor();
      expect(await frame().locator('.starters').count()).to.equal(0);
      await frame().getByRole('button', { name: 'Close the chat' }).click();
      await until(async () => (await box()).height === 56);
      await page.goto(`${address}/timetable`);
      await frame().getByText('Kept: my first question.').waitFor();
      await page.reload();
      await frame().getByText('Kept: my first question.').waitFor();
      expect(complaints).to.deep.equal([]);
    });

    it(`stands in a page ${width} wide in a place of its own, and as a page of its own`, async () => {
      await page.setViewportSize({ width, height });
      const { address, chat } = await site();
      await page.goto(`${address}/timetable`);
      await frame().getByText('And now?').waitFor();
      await say('inline words');
      const { width: wide, height: high } = await box();
      expect([wide <= width, high]).to.deep.equal([true, 460]);
      expect(await page.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth)).to.equal(true);
      await page.goto(`${service.address}/chat/${chat}`);
      await page.getByText('And now?').waitFor();
      expect(await page.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth)).to.equal(true);
    });
  }

  it('needs no more of a strict page than our origin for scripts and frames', async () => {
    const { address } = await site();
    for (const path of ['/?strict', '/timetable?strict']) {
      await page.goto(address + path);
      if (path === '/?strict') await openBubble();
      await say(`strict ${path.length}`);
      expect([path, complaints]).to.deep.equal([path, []]);
    }
  });

  it('is one chat where the tag stands twice, and says what is wrong in a tag', async () => {
    const { chat } = await site();
    const tag = `<script src="${service.address}/chat.js" data-chat="${chat}" async></script>`;
    await page.goto(await plain(tag + tag));
    await openBubble();
    expect([await page.locator('iframe').count(), complaints]).to.deep.equal([1, []]);
    await page.goto(await plain(`<script src="${service.address}/chat.js" data-chat=""></script>`));
    await until(async () => Promise.resolve(complaints.some((c) => c.includes('Copy the tag from the channel’s page'))));
    await page.goto(
      await plain(`<script src="${service.address}/chat.js" data-chat="${chat}" data-as="inline" data-in="#no"></script>`),
    );
    await until(async () => Promise.resolve(complaints.some((c) => c.includes('nothing on this page fits data-in="#no"'))));
    await page.goto(await plain(`<script src="${service.address}/chat.js" data-chat="no-such-chat" data-as="inline"></script>`));
    await frame().getByText('There is no chat at this address. Ask for a new link.').waitFor();
  });

  it('is shown by the pages that it names, and by no other', async () => {
    const { address, set } = await site();
    await set({ origins: [new URL(address).origin] });
    await page.goto(address);
    await openBubble();
    await set({ origins: ['https://elsewhere.example'] });
    await page.goto(address);
    await until(async () => Promise.resolve(complaints.some((c) => c.includes('frame-ancestors'))));
    expect(await page.locator('iframe').isVisible()).to.equal(false);
  });

  it('is used by keyboard alone, with the focus where it belongs', async () => {
    const { address } = await site({ words: { any: { open: 'Ask us' } } });
    await page.goto(address);
    await frame().getByRole('button', { name: 'Ask us' }).waitFor();
    const focused = () =>
      page
        .frames()[1]
        ?.evaluate(
          () =>
            document.activeElement?.id ||
            document.activeElement?.getAttribute('aria-label') ||
            document.activeElement?.className ||
            '',
        ) ?? Promise.resolve('');
    for (let i = 0; i < 8 && (await focused()) !== 'bubble'; i++) await page.keyboard.press('Tab');
    expect(await focused()).to.equal('bubble');
    await page.keyboard.press('Enter');
    await frame().getByText('And now?').waitFor();
    expect(await focused()).to.equal('say');
    await page.keyboard.type('by keyboard');
    await page.keyboard.press('Enter');
    await frame().getByText('Kept: by keyboard.').waitFor();
    for (let i = 0; i < 4 && (await focused()) !== 'This did not help'; i++) await page.keyboard.press('Shift+Tab');
    expect(await focused()).to.equal('This did not help');
    await page.keyboard.press('Enter');
    await frame().getByLabel('What was missing?').waitFor();
    await page.keyboard.press('Tab');
    await page.keyboard.type('the boats');
    await page.keyboard.press('Enter');
    await frame().getByText('Thank you, that was noted.').waitFor();
    await page.keyboard.press('Escape');
    await until(async () => (await focused()) === 'bubble');
  });

  for (const colorScheme of ['light', 'dark'] as const)
    it(`has nothing that axe complains about in ${colorScheme}: closed, open, with its menu, sign-in, history and feedback`, async () => {
      await context.close();
      await open({ colorScheme });
      const words = { any: { open: 'Ask us', starters: ['first'] } };
      const { chat, address } = await site({ words, signIn: { ...CHAT_SETTINGS.signIn, mail: true } });
      await page.goto(address);
      await frame().getByRole('button', { name: 'Ask us' }).waitFor();
      const whole = `${service.address}/chat/${chat}`;
      await page.goto(whole);
      await page.getByText('And now?').waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
      await page.locator('#say').fill('axe words');
      await page.locator('#say').press('Enter');
      await page.getByText('Kept: axe words.').waitFor();
      await page.getByRole('button', { name: 'This did not help' }).last().click();
      await page.getByLabel('What was missing?').waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
      await page.getByRole('button', { name: 'More' }).click();
      expect(await axeFindings(page)).to.deep.equal([]);
      await page.getByRole('button', { name: 'Sign in' }).click();
      await page.getByLabel('Your e-mail address').waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
      await page.getByRole('button', { name: 'Start over' }).click();
      await page.getByText('You told me: axe words').waitFor();
      await page.getByRole('button', { name: 'More' }).click();
      await page.getByRole('button', { name: 'Earlier conversations' }).click();
      await page.getByRole('button', { name: /axe words/ }).click();
      await page.locator('.history .log').waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
    });

  it('is written from right to left where the language is, and stands on the other side', async () => {
    const { address } = await site({}, { languages: ['ar', 'en'] });
    await page.goto(await plain(''));
    const [, chat = ''] = /data-chat="([^"]+)"/.exec(await (await fetch(address)).text()) ?? [];
    const tag = `<script src="${service.address}/chat.js" data-chat="${chat}" data-language="ar"></script>`;
    await page.goto(
      await hosting.serve((_req, res) => {
        res.setHeader('content-type', 'text/html');
        res.end(`<!doctype html><html lang="ar" dir="rtl"><title>x</title><body>${tag}</body></html>`);
      }),
    );
    await frame().locator('button.bubble').waitFor();
    const { x } = await box();
    expect(x).to.equal(16);
    await press();
    await frame().getByText('And now?').waitFor();
    await say('بيت');
    expect(await page.frames()[1]?.evaluate(() => document.documentElement.dir)).to.equal('rtl');
    const [mine, theirs] = [await frame().locator('.mine').boundingBox(), await frame().locator('.theirs').last().boundingBox()];
    expect((mine?.x ?? 0) < (theirs?.x ?? 0)).to.equal(true);
  });

  it('has the colours of its owner, legible whatever was chosen', async () => {
    const { chat } = await site({ accent: '#cccc00', ground: '#808080', theme: 'dark' });
    await page.goto(`${service.address}/chat/${chat}`);
    await page.getByText('And now?').waitFor();
    const ground = await page.evaluate(() => getComputedStyle(document.body).backgroundColor);
    expect(ground).to.not.equal('rgb(251, 248, 239)');
    expect(await axeFindings(page)).to.deep.equal([]);
  });

  it('knows who the page says that its user is, as long as the page says so', async () => {
    const { address } = await site();
    await page.goto(`${address}/sign-in`);
    await page.getByRole('button', { name: 'Ines Marlow' }).click();
    await page.waitForURL('**/account');
    await press();
    await frame().getByText('Hello Ines.').waitFor();
    await say('a word of Ines');
    // She goes to another page, and is still who she is; then she leaves, and nobody sees a word of hers.
    await page.goto(address);
    await press();
    await frame().getByText('Kept: a word of Ines.').waitFor();
    await page.goto(`${address}/account`);
    await page.getByRole('button', { name: 'Sign out' }).click();
    await page.waitForURL(`${address}/`);
    await openBubble();
    expect(await frame().getByText('a word of Ines').count()).to.equal(0);
    await page.goto(`${address}/sign-in`);
    await page.getByRole('button', { name: 'Tobias Fenn' }).click();
    await page.waitForURL('**/account');
    await press();
    await frame().getByText('Hello Tobias. You told me: nothing.').waitFor();
    expect(await frame().getByText('a word of Ines').count()).to.equal(0);
  });

  it('begins nothing for somebody whom the page knows before they open it, and counts then what came since', async () => {
    const { bot, address } = await site();
    const opened = () => page.waitForResponse((r) => r.url().endsWith('/open'));
    const talks = async () => (await service.client.call('listConversations', { params: { bot }, query: {} })).items;
    await page.goto(`${address}/sign-in`);
    const [looked] = await Promise.all([opened(), page.getByRole('button', { name: 'Ines Marlow' }).click()]);
    expect(await looked.json()).to.deep.include({ begun: false, lines: [] });
    await page.waitForURL('**/account');
    await openBubble();
    expect(await talks()).to.have.length(1);
    await frame().locator('#say').fill('talk to a person');
    await frame().locator('#say').press('Enter');
    await frame().getByText('Calling.').waitFor();
    const [again] = await Promise.all([opened(), page.goto(`${address}/`)]);
    expect(await again.json()).to.deep.include({ begun: true });
    const params = { bot, conversation: (await talks())[0]?.id ?? '' };
    await service.client.call('answerConversation', { params, body: { id: 'a1', text: 'Here I am.' } });
    await frame().locator('button.bubble b').getByText('1', { exact: true }).waitFor();
    expect(await talks()).to.have.length(1);
  });

  it('shows nobody what was on its way to somebody else who signs out meanwhile', async () => {
    const { address } = await site();
    await wordOfInes(address);
    let held: (() => void) | undefined;
    const asked = new Promise<void>((resolve) => {
      void page.route('**/open', async (route) => {
        if (held) return route.continue();
        const response = await route.fetch();
        await new Promise<void>((done) => {
          held = done;
          resolve();
        });
        await route.fulfill({ response });
      });
    });
    await page.goto(`${address}/`);
    await asked;
    await signOut();
    await press();
    held?.();
    await frame().getByText('Hello stranger.').first().waitFor();
    expect(await frame().getByText('a word of Ines').count()).to.equal(0);
  });

  it('takes away what somebody said as soon as they sign out, however long the service takes', async () => {
    const { address } = await site();
    await wordOfInes(address);
    await page.route('**/open', () => undefined);
    await signOut();
    await until(async () => (await frame().getByText('a word of Ines').count()) === 0);
    await page.unroute('**/open');
  });

  it('asks in the talk to sign in, by what the page offers, and goes on there', async () => {
    const { address } = await site();
    await page.goto(address);
    await openBubble();
    await frame().locator('#say').fill('show my bookings');
    await frame().locator('#say').press('Enter');
    await frame().getByRole('button', { name: 'Sign in on this page' }).click();
    await page.getByRole('button', { name: 'Ines Marlow' }).click();
    await page.waitForURL('**/account');
    await press();
    await frame().getByText('Bookings of ines.marlow@marrow-sound.example: KEL 4821, TAR 1130').waitFor();
    expect(await frame().getByText('show my bookings').count()).to.equal(1);
  });

  it('goes on as whom the page named, once its token is over, when it is started over and when the line is taken up again', async () => {
    const { chat } = await site();
    const [ines] = CUSTOMERS;
    const token = ines ? await tokenFor(ines, KEY) : '';
    const address = await plain(
      `<script src="${service.address}/chat.js" data-chat="${chat}" data-as="inline" data-token="${token}"></script>`,
    );
    await page.goto(address);
    await frame().getByText('Hello Ines.').waitFor();
    // A token is good for minutes; whatever opens the chat from now on has to do without it.
    const asked: string[] = [];
    page.on('request', (r) => r.url().endsWith('/open') && asked.push(r.postData() ?? ''));
    await say('a word of Ines');
    await frame().getByRole('button', { name: 'Start over' }).click();
    await frame().getByText('Hello Ines. You told me: a word of Ines.').waitFor();
    expect(asked.length).to.be.greaterThan(0);
    expect(asked.join(' ')).to.not.contain('token');
    expect(await frame().locator('.note').count()).to.equal(0);
  });

  it('goes on without a token that is not believed, and says what to do', async () => {
    const { chat } = await site();
    const tag = `<script src="${service.address}/chat.js" data-chat="${chat}" data-as="inline" data-token="x.y.z"></script>`;
    await page.goto(await plain(tag));
    await frame().getByText('This page could not sign you in.').waitFor();
    await frame().getByText('Hello stranger.').waitFor();
    await say('all the same');
  });

  it('says where nothing is kept, and keeps the key with the page where only our own storage is closed', async () => {
    const { chat, set } = await site();
    const tag = `<script src="${service.address}/chat.js" data-chat="${chat}" data-as="inline"></script>`;
    const address = await plain(tag);
    // Both storages closed: the talk ends with the page, and that is said.
    await context.addInitScript(() => {
      Object.defineProperty(window, 'localStorage', {
        get() {
          throw new DOMException('closed', 'SecurityError');
        },
      });
    });
    await page.goto(address);
    await frame().getByText('This browser keeps nothing for this chat').waitFor();
    await say('kept nowhere');
    await page.reload();
    await frame().getByText('Hello stranger. You told me: nothing.').waitFor();
    expect(await frame().getByText('kept nowhere').count()).to.equal(0);
    await context.close();
    await open();
    // Ours alone is closed inside pages of others: the page keeps the key of whom nobody knows.
    const own = new URL(service.address).host;
    await context.addInitScript((host) => {
      if (location.host !== host) return;
      Object.defineProperty(window, 'localStorage', {
        get() {
          throw new DOMException('closed', 'SecurityError');
        },
      });
    }, own);
    await page.goto(address);
    await frame().getByText('Hello stranger.').waitFor();
    await say('kept by the page');
    await page.reload();
    await frame().getByText('Kept: kept by the page.').waitFor();
    expect(await frame().getByText('This browser keeps nothing').count()).to.equal(0);
    // Where visitors sign in in the chat itself the page is handed no key, and none that it has is taken.
    await set({ signIn: { ...CHAT_SETTINGS.signIn, mail: true } });
    await page.reload();
    await frame().getByText('This browser keeps nothing for this chat').waitFor();
    await frame().getByText('Hello stranger. You told me: nothing.').waitFor();
    expect(await frame().getByText('kept by the page').count()).to.equal(0);
  });

  it('refuses a file that is too large before it is sent, and one of a false type when it is', async () => {
    const { chat } = await site();
    await page.goto(`${service.address}/chat/${chat}`);
    await page.getByText('And now?').waitFor();
    const file = (name: string, buffer: Buffer, mimeType: string) => ({ name, mimeType, buffer });
    const picker = page.locator('input[type=file]');
    const asked: string[] = [];
    page.on('request', (r) => r.url().includes('/files?') && asked.push(r.url()));
    await picker.setInputFiles([file('log.pdf', Buffer.alloc(49_000_000), 'application/pdf')]);
    await page.getByText('log.pdf is larger than 4 MB.').waitFor();
    await page.locator('#say').fill('words go all the same');
    await page.locator('#say').press('Enter');
    await page.getByText('Kept: words go all the same.').waitFor();
    expect(asked).to.deep.equal([]);
    await picker.setInputFiles([file('photo.png', Buffer.from('MZ this is no picture at all'), 'image/png')]);
    await page.locator('#say').fill('look at this');
    await page.locator('#say').press('Enter');
    await page.getByText('That did not reach us.').waitFor();
    const told = await page.locator('.problem').innerText();
    expect(told).to.match(/picture|type|file/i);
    expect(await page.locator('.mine.unsent').innerText()).to.contain('look at this');
  });

  it('sends the files of a message once, however often its words are tried again, and says which were too many', async () => {
    const { chat } = await site();
    await page.goto(`${service.address}/chat/${chat}`);
    await page.getByText('And now?').waitFor();
    const notes = Array.from({ length: 10 }, (_, i) => ({
      name: `note-${i}.txt`,
      mimeType: 'text/plain',
      buffer: Buffer.from(`The Sandpiper, trip ${i}`),
    }));
    const sent: string[] = [];
    page.on('request', (r) => r.url().includes('/files?') && sent.push(r.url()));
    await page.locator('input[type=file]').setInputFiles(notes);
    await page.getByText('note-9.txt is one file too many.').waitFor();
    expect(await page.locator('.attached .plum').allInnerTexts()).to.have.length(2);
    await page.getByRole('button', { name: 'note-0.txt' }).click();
    await page.route('**/messages', (route) => route.abort());
    await page.locator('#say').fill('seven notes');
    await page.locator('#say').press('Enter');
    for (let i = 0; i < 2; i++) {
      await page.getByText('That did not reach us.').waitFor();
      await page.getByRole('button', { name: 'Try again' }).click();
    }
    await page.getByText('That did not reach us.').waitFor();
    await page.unroute('**/messages');
    await page.getByRole('button', { name: 'Try again' }).click();
    await page.getByText('Kept: seven notes.').waitFor();
    expect(sent).to.have.length(7);
    expect(await page.locator('.mine').count()).to.equal(1);
  });

  it('says that it was switched off in mid-talk, keeps the words, and sends them once when it is on again', async () => {
    const { chat, params } = await site();
    await page.goto(`${service.address}/chat/${chat}`);
    await page.getByText('And now?').waitFor();
    const on = (value: boolean) => service.client.call('updateChannel', { params, body: { on: value } });
    await on(false);
    await page.locator('#say').fill('while it is off');
    await page.locator('#say').press('Enter');
    await page.getByText('This chat is switched off for now. Please come back later.').waitFor();
    await on(true);
    await page.getByRole('button', { name: 'Try again' }).click();
    await page.getByText('Kept: while it is off.').waitFor();
    expect(await page.locator('.mine').count()).to.equal(1);
  });

  it('comes back after the service was away, without a word lost or doubled', async () => {
    const { address } = await site();
    await page.goto(address);
    await openBubble();
    await say('before');
    await service.crash();
    await frame().locator('#say').fill('after');
    await frame().locator('#say').press('Enter');
    const again = frame().getByRole('button', { name: 'Try again' });
    await Promise.race([again.waitFor(), frame().getByText('Kept: after.').waitFor()]);
    if (await again.isVisible()) await again.click();
    await frame().getByText('Kept: after.').waitFor();
    expect(await frame().locator('.mine').allInnerTexts()).to.deep.equal(['before', 'after']);
    // A page that is loaded while it is away tries again by itself.
    expect(await frame().getByText('Kept: before.').count()).to.equal(1);
  });

  it('shows how many answers came while it was closed', async () => {
    const { bot, address } = await site();
    await page.goto(address);
    await openBubble();
    await frame().locator('#say').fill('talk to a person');
    await frame().locator('#say').press('Enter');
    await frame().getByText('Calling.').waitFor();
    await frame().getByRole('button', { name: 'Close the chat' }).click();
    const { items } = await service.client.call('listInbox', { params: { bot }, query: {} });
    const params = { bot, conversation: items[0]?.id ?? '' };
    await service.client.call('typeAsStaff', { params });
    await until(async () => (await box()).height === 56);
    const closed = (await box()).width;
    await service.client.call('answerConversation', { params, body: { id: 'a1', text: 'I am here.' } });
    await frame().locator('button.bubble b').getByText('1').waitFor();
    expect((await box()).width, 'somebody may be about to press it').to.equal(closed);
    await press();
    await frame().getByText('I am here.').waitFor();
    expect(await frame().locator('.theirs.staff small').innerText()).to.equal('Owner');
    expect(await frame().locator('button.bubble b').isVisible()).to.equal(false);
  });
});

describe('the answers of the service for pages of others', () => {
  it('let anybody load the script, and frames be shown by those that may', async () => {
    const service = await theService();
    const script = await fetch(`${service.address}/chat.js`);
    expect([script.status, script.headers.get('cross-origin-resource-policy')]).to.deep.equal([200, 'cross-origin']);
    expect(script.headers.get('content-type')).to.contain('javascript');
    const { link } = await releasedBot(service, knowingBot());
    const shown = await fetch(link);
    expect([shown.headers.get('x-frame-options'), shown.headers.get('set-cookie')]).to.deep.equal([null, null]);
    expect(shown.headers.get('content-security-policy')).to.contain('frame-ancestors *');
    const console_ = await fetch(`${service.address}/`);
    expect(console_.headers.get('content-security-policy')).to.contain("frame-ancestors 'none'");
  });

  it('hold no text of an owner’s that could end the data in them', async () => {
    const service = await theService();
    const { bot, link } = await releasedBot(service, knowingBot());
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    const words = { any: { name: '</script><script>alert(1)</script>' } };
    await service.client.call('setWebChat', { params: { bot, channel: channel?.id ?? '' }, body: { ...CHAT_SETTINGS, words } });
    const html = await (await fetch(link)).text();
    expect(html).to.contain('\\u003c/script>');
    expect(html).to.not.contain('<script>alert');
  });
});
