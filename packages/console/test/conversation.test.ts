import { expect } from 'chai';
import type { Page } from 'playwright-core';
import { workshop } from '../../core/test/workshop.js';
import type { TestService } from '../../server/test/support/service.js';
import { axeFindings, botWith, inTheConsole } from './support.js';

describe('how a conversation is led, in a browser', () => {
  let service: TestService;
  let page: Page;
  let bot: string;
  let draft: Awaited<ReturnType<typeof botWith>>['draft'];

  inTheConsole((opened) => ({ service, page } = opened));
  beforeEach(async () => {
    const made = await botWith(service, workshop());
    ({ bot } = made);
    draft = async () => {
      await page.getByText('· saved').waitFor();
      return made.draft();
    };
  });

  const at = (path: string) => page.goto(`${service.address}/bots/${bot}/${path}`);
  const turn = (number: number) => page.locator('.sim').getByRole('region', { name: `Turn ${number}`, exact: true });
  const say = async (words: string, number: number) => {
    await page.getByLabel('Say something as the visitor').fill(words);
    await page.getByLabel('Say something as the visitor').press('Enter');
    await turn(number).locator('.strip').waitFor();
    await page.locator('.sim .live').waitFor({ state: 'detached' });
  };

  it('says in which other flow the bot waits; a key goes there, and a switch lets the Map follow', async () => {
    await at('map/hello');
    await page.locator('.node').first().waitFor();
    await say('can I borrow the ladder for three days?', 2);
    await page.getByRole('button', { name: 'waits in borrow' }).waitFor();
    await page.locator('.node').first().focus();
    await page.keyboard.press('w');
    await page.waitForURL(/map\/borrow$/);
    await page.getByRole('button', { name: 'waits in borrow' }).waitFor({ state: 'detached' });
    await page.getByLabel('follow').check();
    await say('return a tool', 3);
    await page.waitForURL(/map\/bring$/);
    await page.getByLabel('follow').uncheck();
  });

  it('says in the strip and in the sheet how a message was taken, and what was considered for it', async () => {
    await at('map/borrow');
    await page.locator('.node').first().waitFor();
    await say('can I borrow the ladder for three days?', 2);
    await say('no, the drill', 3);
    await turn(3).locator('.strip').getByText('a correction of tool').waitFor();
    await say('on Friday', 4);
    await turn(4).locator('.strip').click();
    const sheet = page.getByRole('main', { name: 'Turn sheet' });
    await sheet.getByRole('heading', { name: 'Taken as' }).waitFor();
    await sheet.getByText('the answer to day').waitFor();
    await sheet.getByText(/Considered: the answer/).waitFor();
  });

  it('shows what can be corrected from a node, and lets it depend on other variables and have other habits', async () => {
    await at('map/borrow/sure');
    await page.locator('#node-day').getByText('correctable').waitFor();
    await page.locator('.details').getByText('Conversation', { exact: true }).click();
    await page.getByText(/Can be corrected from here: tool, day, days, which, name/).waitFor();
    await page.getByLabel('Depends on').fill('flow.day, oops');
    await page.getByText('“oops” is none').waitFor();
    await page.getByLabel('Depends on').fill('flow.day, flow.days');
    await page.locator('.details').getByLabel('corrections').selectOption('off');
    expect((await draft()).flows['borrow']?.nodes['sure']).to.deep.include({
      'depends-on': ['flow.day', 'flow.days'],
      talk: { corrections: false },
    });
    expect(await axeFindings(page)).to.deep.equal([]);
  });

  it('edits what an ask does not take, and what visitors call a flow', async () => {
    await at('map/borrow/tool');
    await page.getByRole('button', { name: '+ a value that is wrong' }).click();
    await page.locator('.details').getByRole('textbox', { name: 'an answer when' }).fill('answer == "saw"');
    await page.locator('.details').getByRole('textbox', { name: 'and says' }).fill('The saw is away.');
    await page.keyboard.press('Escape');
    expect((await draft()).flows['borrow']?.nodes['tool']?.['refuses']).to.deep.equal([
      { when: 'answer == "saw"', says: 'The saw is away.' },
    ]);
    await at('map/borrow');
    await page.locator('.flowpick').click();
    await page.getByText('Conversation in this flow…').click();
    await page.getByLabel('What visitors call it, in de').fill('Ihrer Ausleihe');
    await page.getByRole('dialog').getByLabel('wishes').selectOption('off');
    expect(await axeFindings(page)).to.deep.equal([]);
    await page.getByRole('dialog').getByRole('button', { name: 'Close' }).last().click();
    expect((await draft()).flows['borrow']).to.deep.include({
      called: { en: 'your loan', de: 'Ihrer Ausleihe' },
      talk: { wishes: false },
    });
  });

  it('switches habits off for the whole bot, and takes words of anger of one’s own', async () => {
    await at('settings');
    await page.getByRole('heading', { name: /^Conversation/ }).waitFor();
    await page.getByLabel('follow ups').selectOption('off');
    await page.getByLabel('Words of anger and distress in en, one to a line').fill('barnacles\nwhat a mess');
    await page.keyboard.press('Tab');
    const { talk, upset } = await draft();
    expect([talk, upset]).to.deep.equal([{ 'follow-ups': false }, { en: ['barnacles', 'what a mess'] }]);
  });

  it('warns where a correction comes too late', async () => {
    const { flows } = workshop();
    const nodes = { ...flows['borrow']?.nodes };
    nodes['ok'] = {
      kind: 'ask',
      says: 'How was it?',
      expects: 'text',
      into: 'flow.how',
      exits: { answered: 'done', 'gave-up': 'done' },
    };
    const made = await botWith(service, workshop({ flows: { ...flows, borrow: { ...flows['borrow'], nodes } } }));
    await page.goto(`${service.address}/bots/${made.bot}/map/borrow/ok`);
    await page.getByText(/From here on nobody can correct .*“reserve” has been done by then/).waitFor();
  });
});
