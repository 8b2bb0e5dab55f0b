import { expect } from 'chai';
import type { Page } from 'playwright-core';
import { releasedBot } from '../../server/test/support/crowd.js';
import { knowingBot } from '../../server/test/support/known-bot.js';
import type { TestService } from '../../server/test/support/service.js';
import { until } from '../../server/test/support/until.js';
import { TestVisitor } from '../../server/test/support/visitor.js';
import { tokenFor } from '../../stand-ins/src/host-site/app.js';
import { axeFindings, inTheConsole, type Opened } from './support.js';

describe('the inbox in two windows, and the pages about it', () => {
  let service: TestService;
  let page: Page;
  let browser: Opened['browser'];

  inTheConsole((opened) => ({ service, page, browser } = opened));

  /** Somebody of the staff, signed in by their link in a browser of their own. */
  const staffWindow = async (bot: string, name: string) => {
    const { link } = await service.client.call('addStaff', { params: { bot }, body: { name } });
    const own = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
    own.setDefaultTimeout(60_000);
    await own.goto(link);
    await own.getByRole('link', { name: 'Knowing' }).waitFor();
    return own;
  };
  const handedOver = async (link: string, says = 'talk to a person') => {
    const visitor = new TestVisitor(service.address, link);
    await visitor.open();
    await visitor.say(says);
    await visitor.until('Calling.');
    return visitor;
  };
  /** Words of staff, once the visitor has them. */
  const told = (visitor: TestVisitor, text: string) =>
    until(async () => (await visitor.open()).some((l) => l.who === 'staff' && l.message.text === text));
  const answer = (on: Page, text: string) => on.getByLabel('Answer as staff').fill(text);
  const send = (on: Page) => on.getByRole('button', { name: 'Answer', exact: true }).click();

  it('keeps two staff apart on one conversation, and loses no word of either', async () => {
    const { bot, link } = await releasedBot(service, knowingBot());
    const orla = await staffWindow(bot, 'Orla');
    const bram = await staffWindow(bot, 'Bram');
    const visitor = await handedOver(link);
    for (const window of [orla, bram]) {
      await window.goto(`${service.address}/inbox/${bot}`);
      await window.getByRole('link', { name: /talk to a person/ }).click();
      await window.getByText('Nobody has taken it.').waitFor();
    }
    expect(await orla.title()).to.match(/^\(1\) /);
    await answer(orla, 'Good day, Orla here.');
    // Who writes is seen by the other, who writes all the same.
    await bram.getByText('Orla is writing').waitFor();
    await answer(bram, 'Hello, this is Bram.');
    await send(orla);
    await told(visitor, 'Good day, Orla here.');
    await bram.getByText('Orla has it.').waitFor();
    expect(await bram.getByRole('button', { name: 'Answer', exact: true }).isDisabled()).to.equal(true);
    expect(await bram.getByLabel('Answer as staff').inputValue()).to.equal('Hello, this is Bram.');
    await visitor.say('are you still there?');
    await bram.getByText('are you still there?').first().waitFor();
    await bram.getByRole('button', { name: 'Take it over from Orla' }).click();
    await bram.getByText('You have it.').waitFor();
    await send(bram);
    await told(visitor, 'Hello, this is Bram.');
    await orla.getByText('Bram has it.').waitFor();
    const said = (await visitor.open()).filter((l) => l.who === 'staff').map((l) => [l.by, l.message.text]);
    expect(said).to.deep.equal([
      ['Orla', 'Good day, Orla here.'],
      ['Bram', 'Hello, this is Bram.'],
    ]);
    // Both see that it is over, whoever closed it.
    await bram.getByRole('button', { name: 'Close', exact: true }).click();
    for (const window of [orla, bram]) await window.getByText(/^This conversation is with staff no more/).waitFor();
    await Promise.all([orla, bram].map((window) => window.context().close()));
  });

  it('shows staff the inbox and nothing else of the bot', async () => {
    const { bot } = await releasedBot(service, knowingBot());
    const orla = await staffWindow(bot, 'Orla');
    await orla.getByRole('link', { name: 'Knowing' }).click();
    await orla.getByText('Nobody waits for a person.').waitFor();
    expect(new URL(orla.url()).pathname).to.equal(`/inbox/${bot}`);
    await orla.goto(`${service.address}/bots/${bot}/map`);
    await orla
      .getByText(/no bot|not found|There is no/i)
      .first()
      .waitFor();
    await orla.context().close();
  });

  it('notes, keeps canned words and what was begun, closes with a last word, and says nothing of a note to the visitor', async () => {
    const { bot, link } = await releasedBot(service, knowingBot());
    const first = await handedOver(link);
    await handedOver(link, 'let me talk to a human');
    await page.goto(`${service.address}/bots/${bot}/inbox`);
    await page.getByText('Choose a conversation to answer it.').waitFor();
    await page.getByRole('button', { name: 'canned words…' }).click();
    await page.getByLabel('Title').fill('wait');
    await page.getByLabel('Words', { exact: true }).fill('One moment, I am looking.');
    await page.getByRole('button', { name: 'Keep them' }).click();
    await page.getByRole('dialog').getByText('One moment, I am looking.').first().waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('link', { name: /talk to a person/ }).click();
    await page.getByLabel('A note for the staff').fill('Called twice today.');
    await page.getByRole('button', { name: 'Note it' }).click();
    await page.locator('.staffnote').getByText('Called twice today.').waitFor();
    await page.getByLabel('Canned words').selectOption('wait');
    // Another is looked into meanwhile; what was begun is still there.
    await page.getByRole('link', { name: /talk to a human/ }).click();
    await page.getByRole('heading', { name: /talk to a human/ }).waitFor();
    expect(await page.getByLabel('Answer as staff').inputValue()).to.equal('');
    await page.getByRole('link', { name: /talk to a person/ }).click();
    await page.getByRole('heading', { name: /talk to a person/ }).waitFor();
    expect(await page.getByLabel('Answer as staff').inputValue()).to.equal('One moment, I am looking.');
    expect(await axeFindings(page)).to.deep.equal([]);
    await page.getByLabel('Answer as staff').press('Control+Enter');
    await told(first, 'One moment, I am looking.');
    await until(async () => (await page.title()).startsWith('(1) '));
    await answer(page, 'It is done. Goodbye.');
    await page.getByRole('button', { name: 'Say this and close' }).click();
    await told(first, 'It is done. Goodbye.');
    await page.getByText('With staff no more; the bot answers what comes next.').waitFor();
    expect(JSON.stringify(await first.open())).to.not.contain('Called twice');
  });

  it('shows who writes while they write, and rings and counts when somebody more waits', async () => {
    const { bot, link } = await releasedBot(service, knowingBot());
    await page.goto(`${service.address}/bots/${bot}/inbox`);
    await page.getByText('Nobody waits for a person.').waitFor();
    // Heard by what the browser was asked to play.
    await page.evaluate(() => {
      const counted = window as unknown as { rung: number };
      counted.rung = 0;
      OscillatorNode.prototype.start = () => void counted.rung++;
      OscillatorNode.prototype.stop = () => undefined;
    });
    const rung = () => page.evaluate(() => (window as unknown as { rung: number }).rung);
    const visitor = await handedOver(link);
    await until(async () => (await page.title()).startsWith('(1) '));
    expect(await rung()).to.equal(2);
    await page.getByRole('button', { name: 'sound is on' }).click();
    await handedOver(link, 'let me talk to a human');
    await until(async () => (await page.title()).startsWith('(2) '));
    expect(await rung()).to.equal(2);
    await page.getByRole('link', { name: /talk to a person/ }).click();
    await visitor.post('/typing');
    await page.getByText('the visitor is writing').waitFor();
    await page.getByRole('button', { name: 'sound is off' }).click();
  });

  it('lets the owner see to staff, hours and days, and says what is no day', async () => {
    const { bot } = await releasedBot(service, knowingBot());
    const draft = async () => (await service.client.call('getDraft', { params: { bot } })).document;
    await page.goto(`${service.address}/bots/${bot}/people`);
    await page.getByLabel('Name of somebody who answers').fill('Orla');
    await page.getByRole('button', { name: 'Let them answer' }).click();
    await page.getByText(/Orla signs in with this link, once and within a day/).waitFor();
    await page.getByLabel('Monday').fill('8 to 12');
    await page.getByText('Spans such as 08:00-12:00, 13:00-17:30.').waitFor();
    await page.getByLabel('Monday').fill('08:00-12:00');
    await page.getByLabel(/^Closed all the same/).fill('2026-02-30\n2026-12-25');
    await page.getByText('No day of the calendar: 2026-02-30.').waitFor();
    expect((await draft()).staff?.closed).to.equal(undefined);
    await page.getByLabel(/^Closed all the same/).fill('2026-12-25');
    await page.getByRole('textbox', { name: 'What visitors are told' }).fill('Nobody is here now.');
    await page.getByText('· saved').waitFor();
    await until(async () => (await draft()).staff?.away !== undefined);
    expect((await draft()).staff).to.deep.equal({
      hours: { mon: '08:00-12:00' },
      closed: ['2026-12-25'],
      away: 'Nobody is here now.',
    });
    expect(await axeFindings(page)).to.deep.equal([]);
    await page.getByRole('button', { name: 'answers here no more' }).click();
    await until(async () => (await page.getByRole('button', { name: 'answers here no more' }).count()) === 0);
  });

  it('shows with what was missed what visitors thought of the answer, and of visitors who they are', async () => {
    const { bot, link } = await releasedBot(service, knowingBot());
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    const secret = 'a-secret-of-both-sides-that-is-long-enough';
    const params = { bot, channel: channel?.id ?? '' };
    await service.client.call('addTokenKey', { params, body: { algorithm: 'HS256', id: 'site', secret } });
    const visitor = await handedOver(link);
    const line = (await visitor.open()).find((l) => l.message.text === 'Calling.')?.seq ?? 0;
    await visitor.post('/feedback', { line, helpful: false, words: 'nobody came' });
    await page.goto(`${service.address}/bots/${bot}/missed`);
    await page.getByText('the answer did not help: nobody came').waitFor();
    const known = new TestVisitor(service.address, link);
    const token = await tokenFor(
      { id: 'c-1', name: 'Ines Marlow', email: 'ines@marrow-sound.example', bookings: [] },
      { id: 'site', secret },
    );
    expect((await known.post('/open', { language: 'en', token })).status).to.equal(200);
    await page.goto(`${service.address}/bots/${bot}/visitors`);
    await page
      .getByRole('row', { name: /Ines Marlow.*a person/ })
      .getByRole('link')
      .click();
    await page.getByText(/^a person since .*, ines@marrow-sound\.example/).waitFor();
    await page.getByRole('button', { name: 'sign out everywhere (1)' }).click();
    await until(async () => (await page.getByRole('button', { name: /^sign out everywhere/ }).count()) === 0);
    expect(await axeFindings(page)).to.deep.equal([]);
  });

  it('sets a web chat up beside what it looks like, with keys that are shown once', async () => {
    const { bot } = await releasedBot(service, knowingBot());
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    const params = { bot, channel: channel?.id ?? '' };
    const setting = async () => (await service.client.call('getWebChat', { params })).settings;
    await page.goto(`${service.address}/bots/${bot}/channels`);
    await page.getByRole('link', { name: channel?.name ?? '' }).click();
    await page
      .getByText(/^<script src="http/)
      .first()
      .waitFor();
    const preview = page.frameLocator('iframe[title="Preview of the chat"]');
    await page.getByLabel('Name', { exact: true }).fill('Ferry desk');
    await preview.getByText('Ferry desk').first().waitFor();
    await page.getByLabel('Colour of bubble and button').fill('#777777');
    await page.getByText(/^Text on the button has a contrast of (4\.[5-9]|[5-9]|1\d)/).waitFor();
    await page.getByLabel('Visitors sign in by a code that comes by mail').check();
    expect((await setting()).accent).to.equal(null);
    expect(await axeFindings(page)).to.deep.equal([]);
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByRole('button', { name: 'Saved' }).waitFor();
    expect([(await setting()).accent, (await setting()).signIn.mail]).to.deep.equal(['#777777', true]);
    await page.getByLabel('Id of the key (kid)').fill('site-2');
    await page.getByRole('button', { name: 'Add the key' }).click();
    await page.getByText('Its secret, shown this once:').waitFor();
    await page.reload();
    await page.getByText('site-2').waitFor();
    expect(await page.getByText('Its secret, shown this once:').count()).to.equal(0);
    await page.getByRole('button', { name: 'Withdraw' }).click();
    await page.getByText('None, so no page can say who its user is.').waitFor();
  });
});

describe('the inbox in the dark', () => {
  let service: TestService;
  let page: Page;
  inTheConsole((opened) => ({ service, page } = opened), { colorScheme: 'dark', viewport: { width: 390, height: 844 } });

  it('has nothing that axe complains about on a small screen: inbox, people, web chat', async () => {
    const { bot, link } = await releasedBot(service, knowingBot());
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    const visitor = new TestVisitor(service.address, link);
    await visitor.open();
    await visitor.say('talk to a person');
    await visitor.until('Calling.');
    await page.goto(`${service.address}/bots/${bot}/inbox`);
    await page.getByRole('link', { name: /talk to a person/ }).click();
    await page.getByLabel('Answer as staff').waitFor();
    expect(await axeFindings(page)).to.deep.equal([]);
    for (const path of ['people', `channels/${channel?.id}`]) {
      await page.goto(`${service.address}/bots/${bot}/${path}`);
      await page.getByRole('heading', { level: 2 }).first().waitFor();
      expect([path, await axeFindings(page)]).to.deep.equal([path, []]);
    }
  });
});
