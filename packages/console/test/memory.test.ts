import { expect } from 'chai';
import type { Page } from 'playwright-core';
import { canteen } from '../../core/test/keeper.js';
import { linesWhen, releasedBot, said } from '../../server/test/support/crowd.js';
import type { TestService } from '../../server/test/support/service.js';
import { until } from '../../server/test/support/until.js';
import { TestVisitor } from '../../server/test/support/visitor.js';
import { inTheConsole } from './support.js';

describe('memory, in a browser', () => {
  let service: TestService;
  let page: Page;
  let bot: string;
  let link: string;

  inTheConsole((opened) => ({ service, page } = opened));
  before(async () => {
    ({ bot, link } = await releasedBot(service, canteen()));
  });

  const talk = async (visitor: TestVisitor, ...words: string[]) => {
    let all = await visitor.open();
    for (const text of words) {
      const before = said(all).length;
      await visitor.say(text);
      all = await linesWhen(visitor, (lines) => said(lines).length > before);
    }
  };
  const draft = async () => (await service.client.call('getDraft', { params: { bot } })).document;

  it('shows what is known of a visitor, with what it was before; it is corrected, forgotten, taken out and erased', async () => {
    const visitor = new TestVisitor(service.address, link);
    await talk(visitor, 'hello', 'I always bring the dog', 'I no longer bring the dog', 'I am allergic to nuts');
    await page.goto(`${service.address}/bots/${bot}/visitors`);
    await page.getByRole('link', { name: 'without a name' }).first().click();
    await page.getByText('before: I always bring the dog').waitFor();
    await page.getByRole('button', { name: 'Correct allergy' }).click();
    await page.getByLabel('The fact allergy').fill('allergic to walnuts');
    await page.keyboard.press('Enter');
    await page.getByText('allergic to walnuts', { exact: false }).first().waitFor();
    await page.getByRole('button', { name: 'Forget dog' }).click();
    await page.getByText('before: I always bring the dog').waitFor({ state: 'detached' });
    const out = await page.evaluate(
      async (href) => (await fetch(href)).text(),
      (await page.getByRole('link', { name: 'Take everything out as JSON' }).getAttribute('href')) ?? '',
    );
    expect(out).to.contain('allergic to walnuts').and.contain('I no longer bring the dog');
    await page.getByRole('button', { name: 'Erase everything…' }).click();
    await page.getByRole('button', { name: 'Erase', exact: true }).click();
    await page.getByText('Nothing is kept of anybody').waitFor();
  });

  it('takes a kind of fact from its editor', async () => {
    await page.goto(`${service.address}/bots/${bot}/understanding/fact/dog`);
    await page.getByLabel('What it is about').fill('brings a dog along');
    await page.getByLabel('Words by which a sentence is about it, with commas between').fill('dog, hound');
    await page.keyboard.press('Tab');
    await page.getByLabel('Where they do not say for how long').selectOption({ label: 'for good' });
    await page.getByText('· saved').waitFor();
    await until(async () => (await draft()).memory?.facts?.['dog']?.lasts === 'always');
    const kind = (await draft()).memory?.facts?.['dog'];
    expect(kind).to.include({ about: 'brings a dog along', lasts: 'always' });
    expect(JSON.stringify(kind?.words)).to.contain('hound');
    await page.getByLabel('New fact').fill('needs a high chair');
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'needs a high chair' }).waitFor();
    await page.getByText('Nothing finds the fact').waitFor();
  });

  it('makes the fields of an answer from an example, and says what is wrong with one', async () => {
    const { bot: made } = await service.client.call('createBot', {
      body: {
        from: 'document',
        document: {
          ...canteen(),
          flows: {
            ...canteen().flows,
            hello: {
              begin: 'read',
              nodes: {
                read: {
                  kind: 'model',
                  uses: 'writer',
                  parts: [{ part: 'task', says: 'Read.' }],
                  into: 'flow.read',
                  exits: { done: 'done', failed: 'done' },
                },
                done: { kind: 'end', ends: 'flow' },
              },
            },
          },
        } as never,
      },
    });
    await page.goto(`${service.address}/bots/${made.id}/map/hello/read`);
    await page.getByRole('button', { name: 'from an example…' }).click();
    await page.getByLabel('The example').fill('&a\nboat: x\nagain: *a');
    await page.getByRole('button', { name: 'Take these fields' }).click();
    await page.getByText('The example refers to itself').waitFor();
    await page.getByLabel('The example').fill('{"boat": "Wrackline", "stops": [{"at": "09:40", "note": null}]}');
    await page.getByRole('button', { name: 'Take these fields' }).click();
    await page.getByRole('dialog').waitFor({ state: 'detached' });
    await page.getByText('Fields of each entry').waitFor();
    await page.getByRole('button', { name: '+ a way' }).click();
    await page.getByText('· saved').waitFor();
    const read = async () =>
      (await service.client.call('getDraft', { params: { bot: made.id } })).document.flows['hello']?.nodes['read'];
    await until(async () => (await read())?.['ways'] !== undefined);
    expect((await read())?.['gives']).to.deep.equal({
      boat: { type: 'text', about: 'boat', example: 'Wrackline' },
      stops: {
        type: 'list',
        about: 'stops',
        fields: { at: { type: 'time', about: 'at', example: '09:40' }, note: { type: 'text?', about: 'note' } },
      },
    });
    await page.locator('#node-read').getByText('none of them').waitFor();
  });
});
