import { expect } from 'chai';
import type { Page } from 'playwright-core';
import { pageBot } from '../../server/test/support/page-bot.js';
import type { TestService } from '../../server/test/support/service.js';
import { axeFindings, botWith, inTheConsole } from './support.js';

describe('the pages of a bot, in a browser', () => {
  let service: TestService;
  let page: Page;
  inTheConsole((opened) => ({ service, page } = opened));

  const at = (bot: string, path: string) => page.goto(`${service.address}/bots/${bot}/${path}`);
  const saved = () => page.getByText('· saved').waitFor();
  const parts = () => page.getByRole('list', { name: 'Parts of the page' });
  const part = (name: string) => parts().locator('.pagepart > button', { has: page.getByText(name, { exact: true }) });
  const names = () => parts().locator('.pagepart b').allInnerTexts();
  const tried = () => page.frameLocator('iframe.tryframe');

  it('come from a description by keyboard, are tried, and are shared with strangers', async () => {
    const { bot, draft } = await botWith(service, { ...pageBot({ models: service.models }), pages: {} });
    await at(bot, 'pages');
    await page.getByLabel('Describe the page').focus();
    await page.keyboard.type(
      'A letter helper that takes a letter and how firm (friendly, firm) and gives a summary and a reply to the summary',
    );
    await page.keyboard.press('Tab');
    await page.keyboard.press('Tab');
    await page.keyboard.press('Enter');
    await part('summary').waitFor();
    await saved();
    expect(await names()).to.deep.equal(['letter', 'how firm', 'summary', 'reply']);
    expect(Object.keys((await draft()).flows)).to.include('letter-helper');
    await page.getByRole('navigation', { name: 'Of this page' }).getByRole('link', { name: 'Try it' }).press('Enter');
    await tried().getByLabel('Letter').fill('The boat was late.');
    await tried().getByLabel('How firm').selectOption('firm');
    await tried().getByRole('button', { name: 'Go' }).press('Enter');
    await tried().getByText('The boat was late.').nth(1).waitFor();
    await page.getByRole('link', { name: 'Results' }).click();
    await page.getByRole('cell', { name: 'Owner' }).waitFor();
    await page.getByRole('link', { name: 'all of it' }).click();
    await page.getByText('filled in by Owner').waitFor();
    await at(bot, 'pages/letter-helper/share');
    await page.getByRole('button', { name: 'Share under a new link' }).click();
    await page.getByText('not released yet').waitFor();
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    await page.reload();
    await page.getByText('serves Release 1').waitFor();
    const link = (await page.locator('.share header a').getAttribute('href')) ?? '';
    const stranger = await (await page.context().browser()?.newContext())?.newPage();
    await stranger?.goto(link);
    await stranger?.getByRole('heading', { name: 'Letter helper' }).waitFor();
    await stranger?.context().close();
    await page.getByRole('checkbox', { name: 'on', exact: true }).click();
    await page.getByText(', off').waitFor();
    await page.getByRole('button', { name: 'take it back' }).click();
    await page.getByText('Nobody can open this page yet.').waitFor();
  });

  it('are built over a flow from nothing, moved and widened by keyboard and by mouse', async () => {
    const { bot, draft } = await botWith(service, { ...pageBot({ models: service.models }), pages: {} });
    await at(bot, 'pages/new');
    await page.getByLabel('Or over a flow that is there').selectOption('help');
    await page.getByLabel('Title').fill('Mine');
    await page.keyboard.press('Enter');
    await part('summary').waitFor();
    expect(await names()).to.deep.equal(['words', 'log', 'loud', 'summary', 'reply', 'note', 'rows']);
    await part('words').focus();
    await page.keyboard.press('Alt+ArrowRight');
    await page.keyboard.press('Shift+ArrowRight');
    await page.keyboard.press('Shift+ArrowRight');
    await saved();
    expect(await names()).to.deep.equal(['log', 'words', 'loud', 'summary', 'reply', 'note', 'rows']);
    expect((await draft()).pages?.['mine']?.parts[1]).to.deep.equal({ input: 'words', as: 'text', wide: 8 });
    expect(await page.evaluate(() => document.activeElement?.textContent)).to.contain('words');
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('Delete');
    expect(await names()).to.deep.equal(['log', 'words', 'summary', 'reply', 'note', 'rows']);
    await page.getByRole('button', { name: '+ input loud' }).click();
    await part('loud').waitFor();
    // By mouse: dragged to the front, and drawn wider at its edge.
    await part('rows').dragTo(part('log'));
    expect((await names())[0]).to.equal('rows');
    const edge = page.getByRole('slider', { name: 'Width of summary, in columns' });
    const box = (await edge.boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
    await page.mouse.move(box.x + 4, box.y + 20);
    await page.mouse.down();
    await page.mouse.move(box.x - 300, box.y + 20, { steps: 5 });
    await page.mouse.up();
    await saved();
    const summary = (await draft()).pages?.['mine']?.parts.find((p) => 'output' in p && p.output === 'summary');
    expect(summary?.wide).to.be.lessThan(9);
    await edge.focus();
    await page.keyboard.press('ArrowRight');
    await saved();
  });

  it('let a prompt be changed where its output is, and that output alone be made anew beside the one before', async () => {
    const { bot, draft } = await botWith(service, pageBot({ models: service.models }));
    await at(bot, 'pages/helper/try');
    await tried().getByLabel('Your words').fill('It rained all day. The ramp was wet.');
    await tried().getByRole('button', { name: 'Go' }).click();
    await tried().locator('.output[data-state=ready]').nth(3).waitFor();
    await at(bot, 'pages/helper');
    await part('reply').click();
    const details = page.getByRole('complementary', { name: 'Details' });
    await details.getByText('Made from words.').waitFor();
    await details.getByLabel('task').fill('Say what to pack for this.');
    await details.getByLabel('form').fill('');
    await saved();
    expect(JSON.stringify((await draft()).flows['write-reply'])).to.contain('what to pack');
    await page.getByRole('link', { name: 'Try it' }).click();
    await tried().getByRole('navigation', { name: 'Earlier results' }).getByRole('link').first().click();
    await tried().getByRole('button', { name: 'Make anew: Reply' }).click();
    await tried().getByText('Version 2 of 2').waitFor();
    await tried().getByRole('button', { name: 'Beside each other: Reply' }).click();
    await tried().getByText('Out of date: Reply was made anew.').waitFor();
  });

  it('say what is wrong where it is put right, and have nothing that axe complains about', async () => {
    const { bot } = await botWith(service, pageBot({ models: service.models }));
    await at(bot, 'pages/helper');
    await part('Your words').click();
    await page.getByRole('complementary', { name: 'Details' }).getByRole('button', { name: 'remove' }).click();
    await page.getByText('needs "words", and no input of the page asks for it').waitFor();
    for (const theme of ['light', 'dark']) {
      await page.evaluate((t) => localStorage.setItem('primrose-theme', t), theme);
      for (const path of ['pages/helper', 'pages/helper/share', 'pages/helper/results', 'pages/new', 'pages/helper/try']) {
        await at(bot, path);
        await page.getByRole('heading').nth(1).waitFor();
        if (path === 'pages/helper') await part('reply').click();
        expect(await axeFindings(page), `${path} ${theme}`).to.deep.equal([]);
      }
    }
  });
});
