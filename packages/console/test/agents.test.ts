import { expect } from 'chai';
import type { AgentNode } from '@primrose/core';
import type { Page } from 'playwright-core';
import { demoDocument } from '../../core/test/harbour.js';
import { desk } from '../../core/test/desk.js';
import type { TestService } from '../../server/test/support/service.js';
import { inTheConsole } from './support.js';

describe('agents, in a browser', () => {
  let service: TestService;
  let page: Page;
  let bot: string;

  inTheConsole((opened) => ({ service, page } = opened));
  before(async () => {
    const harbour = demoDocument();
    const office = { ...harbour.connections?.['booking-office'], address: service.office };
    const document = desk(
      { tools: [{ runs: 'booking-office.list-sailings' }, { runs: 'booking-office.make-booking' }], stays: true },
      {
        entities: harbour.entities,
        languages: harbour.languages,
        connections: { service: { address: `${service.models}/v1`, actions: {} }, 'booking-office': office },
        models: { clerk: { connection: 'service', model: 'practice', price: { in: 1, out: 2, currency: 'EUR' } } },
        tables: {},
      },
    );
    bot = (await service.client.call('createBot', { body: { from: 'document', document: document as never } })).bot.id;
    for (const [connection, standIn] of [
      ['service', `${service.models}/v1`],
      ['booking-office', service.office],
    ] as const)
      await service.client.call('setConnection', { params: { bot, connection }, body: { standIn } });
  });

  const map = () => page.goto(`${service.address}/bots/${bot}/map/main`);
  const agent = async (): Promise<AgentNode> =>
    (await service.client.call('getDraft', { params: { bot } })).document.flows['main']?.nodes['help'] as AgentNode;
  const say = async (words: string) => {
    await page.getByLabel('Say something as the visitor').fill(words);
    await page.keyboard.press('Enter');
  };

  it('are given a tool, told what it is for, and what it need not be told', async () => {
    await map();
    await page.locator('#node-help').click();
    await page.getByText('Tools (2)').waitFor();
    await page.getByLabel('Add a tool').selectOption({ label: 'dates, worked out by Primrose' });
    await page.getByText('Tools (3)').waitFor();
    await page.getByLabel('Add a tool').selectOption({ label: 'notice' });
    await page.getByText('Tools (4)').waitFor();
    await page.getByLabel('What it is for, and when to use it').fill('tells the skipper of a booking');
    await page.getByLabel('How to is filled in').selectOption({ index: 1 });
    await page.getByText('· saved').waitFor();
    const { tools = [] } = await agent();
    expect(tools.map((t) => Object.keys(t)[0])).to.deep.equal(['runs', 'runs', 'own', 'notice']);
    expect(tools[3]).to.include({ about: 'tells the skipper of a booking' });
    expect(tools[3]?.given).to.have.property('to');
    await page.locator('#node-help').getByText('make-booking').waitFor();
    await page.getByRole('button', { name: 'Remove the tool send-notice' }).click();
    await page.getByText('Tools (3)').waitFor();
  });

  it('ask before they book, in the simulator, and their steps stand on the sheet', async () => {
    await map();
    await say('book the 09:40 from Kelpwick to Tarn Holm on 4 June on foot, my name is Isla');
    await page.getByText('Shall I do this: books a place').first().waitFor();
    await page.getByRole('button', { name: 'Yes, please' }).click();
    await page
      .getByText(/Done: books a place/)
      .first()
      .waitFor();
    await page.locator('.turn').last().locator('a.strip').click();
    const kinds = () => page.locator('[data-work]').evaluateAll((rows) => rows.map((r) => r.getAttribute('data-work')));
    await page.locator('[data-work]').first().waitFor();
    expect(await kinds()).to.deep.equal(['asked-first', 'called', 'asked', 'checked']);
    await page.getByText('make-booking, done').waitFor();
    await page.getByText('booking-office.make-booking').first().click();
    await page.getByText('Isla').first().waitFor();
    // Before that it looked the sailing up, and wanted to book.
    await page.goBack();
    await page.locator('.turn').nth(-2).locator('a.strip').click();
    await page.getByText('list-sailings, done').waitFor();
    expect(await kinds()).to.include.members(['asked', 'called', 'asked-first']);
  });

  it('take a no, and do nothing', async () => {
    await map();
    await page.getByRole('button', { name: 'start over' }).click();
    await say('book the 09:40 from Kelpwick to Tarn Holm on 4 June on foot, my name is Nell');
    await page.getByRole('button', { name: 'No', exact: true }).click();
    await page.getByText('All right, I leave it.').waitFor();
    expect(await (await fetch(`${service.office}/`)).text()).to.not.contain('Nell');
  });
});
