import { expect } from 'chai';
import type { Page } from 'playwright-core';
import { axeFindings, inTheConsole } from './support.js';
import type { TestService } from '../../server/test/support/service.js';

describe('the pages of understanding, in a browser', () => {
  let service: TestService;
  let page: Page;

  inTheConsole((opened) => ({ service, page } = opened));

  const ferry = async (name: string) =>
    (await service.client.call('createBot', { body: { from: 'example', example: 'harbour-desk', name } })).bot.id;
  const at = (bot: string, path: string) => page.goto(`${service.address}/bots/${bot}/${path}`);
  const draft = async (bot: string) => (await service.client.call('getDraft', { params: { bot } })).document;

  it('mends a pair that is mixed up with one key, and shows the figure before and after', async () => {
    const bot = await ferry('Mended');
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    // Phrases about dogs that somebody has put among the luggage.
    const wrong = ['may I bring my dog on board', 'are dogs allowed on the boat', 'my dog wants to come along'];
    const patch = wrong.map((value) => ({ op: 'add' as const, path: '/intents/luggage/phrases/en/-', value }));
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch } });
    await at(bot, 'quality');
    const pair = page.getByRole('region', { name: 'luggage and pets' });
    await pair.waitFor();
    const faulty = pair.getByRole('listitem').filter({ hasText: 'dog' });
    const before = await faulty.count();
    expect(before).to.be.greaterThan(0);
    await faulty.first().getByRole('button', { name: 'Move to pets' }).focus();
    const text = (await faulty.first().locator('.it').innerText()).trim();
    await page.keyboard.press('v');
    await page.getByText(/read as another intent \(\d+ before\)/).waitFor();
    const { intents } = await draft(bot);
    expect(intents?.['pets']?.phrases?.['en']).to.include(text);
    expect(intents?.['luggage']?.phrases?.['en']).to.not.include(text);
    await pair
      .getByText(/\d+ before, \d+ now/)
      .or(page.getByText(/read right \(\.\d+ before\)/))
      .first()
      .waitFor();
  });

  it('draws the threshold along, and shows what it would come to', async () => {
    const bot = await ferry('Drawn');
    await at(bot, 'quality');
    const line = page.getByRole('slider', { name: 'Threshold' });
    await line.waitFor();
    const now = await line.getAttribute('aria-valuetext');
    await line.focus();
    for (let i = 0; i < 8; i++) await page.keyboard.press('ArrowRight');
    expect(await line.getAttribute('aria-valuetext')).to.not.equal(now);
    await page.getByText('· saved').waitFor();
    expect((await draft(bot))['match-from']).to.equal(0.7);
  });

  it('measures a labelled file, and names its mistakes by line', async () => {
    const bot = await ferry('Filed');
    await at(bot, 'quality');
    const content = 'text,intent\nhow much luggage can I take,luggage\nfoo,nothere\n';
    await page
      .getByLabel('Labelled file', { exact: true })
      .setInputFiles({ name: 'said.csv', mimeType: 'text/csv', buffer: Buffer.from(content) });
    await page.getByText('Line 3: The bot has no intent "nothere".').waitFor();
    await page.getByText(/1 lines, 1\.0 read right/).waitFor();
  });

  it('teaches what was missed, and the next turn matches it', async () => {
    const bot = await ferry('Taught');
    await at(bot, 'map');
    const say = async (text: string) => {
      await page.getByLabel('Say something as the visitor').fill(text);
      await page.keyboard.press('Enter');
      await page.locator('.strip').nth(1).waitFor();
    };
    await page.getByRole('button', { name: 'Let the bot begin' }).click();
    await say('zorbing for grandmothers');
    await at(bot, 'missed');
    const missed = page.getByRole('listitem').filter({ hasText: 'zorbing for grandmothers' });
    await missed.getByLabel('Teach “zorbing for grandmothers” as').selectOption('pets');
    await page.getByText('pets has 1 phrase more.').waitFor();
    await page.getByText('Everything was understood.').waitFor();
    expect((await draft(bot)).intents?.['pets']?.phrases?.['en']).to.include('zorbing for grandmothers');
    await at(bot, 'understanding/intent/pets');
    await page.getByLabel('Say something to try').fill('zorbing for grandmothers');
    await page.getByRole('list', { name: 'Intents by score' }).locator('.took').getByText('pets').waitFor();
    await page.getByText('nearest phrase:').waitFor();
  });

  it('marks values by itself, proposes phrases, and warns of what another intent claims', async () => {
    const bot = await ferry('Phrased');
    await at(bot, 'understanding/intent/pets');
    const add = async (text: string) => {
      await page.getByLabel('Add a phrase a visitor might say').fill(text);
      await page.keyboard.press('Enter');
    };
    await add('how much luggage can I take');
    await page.getByText('was read as luggage').waitFor();
    await at(bot, 'understanding/intent/book-crossing');
    await add('a hop over to Tarn Holm');
    await page.getByText('· saved').waitFor();
    expect((await draft(bot)).intents?.['book-crossing']?.phrases?.['en']).to.include(
      'a hop over to <<Tarn Holm | destination: port>>',
    );
    await page.getByRole('button', { name: 'Propose more' }).click();
    await page.getByRole('button', { name: 'take', exact: true }).first().click();
    await page.getByText('· saved').waitFor();
  });

  it('has nothing that axe complains about, in light and dark', async () => {
    const bot = await ferry('Accessible');
    for (const path of ['quality', 'missed', 'understanding/intent/pets']) {
      await at(bot, path);
      await page.getByRole('navigation', { name: 'Understanding' }).waitFor();
      if (path === 'quality') await page.getByRole('slider', { name: 'Threshold' }).waitFor();
      expect(await axeFindings(page), path).to.deep.equal([]);
    }
  });
});
