import { expect } from 'chai';
import type { Page } from 'playwright-core';
import { botOf } from '../../core/test/harbour.js';
import type { TestService } from '../../server/test/support/service.js';
import { botWith, inTheConsole } from './support.js';

const END = { kind: 'end' };
const ACTION = { kind: 'action', runs: 'office.book', into: 'flow.reference', exits: { done: 'z', failed: 'z' } };
const office = (action: object) => ({ connections: { office: { address: 'http://127.0.0.1:4810', actions: { book: action } } } });

describe('the details of a node', () => {
  let service: TestService;
  let page: Page;

  inTheConsole((opened) => ({ service, page } = opened));

  const open = async (document: ReturnType<typeof botOf>, node: string) => {
    const made = await botWith(service, document);
    await page.goto(`${service.address}/bots/${made.bot}/map/main/${node}`);
    await page.locator('.details section').first().waitFor();
    const draft = async () => {
      await page.getByText('· saved').waitFor();
      return made.draft();
    };
    return { ...made, draft };
  };
  const field = (name: string) => page.locator('.details').getByRole('textbox', { name, exact: true });

  it('describes an action: address with parameters, inputs, JSON body, what is taken from the answer', async () => {
    const { draft } = await open(botOf({ a: ACTION, z: END }, office({ post: '/bookings' })), 'a');
    await page.getByRole('button', { name: 'edit the action' }).click();
    await page.getByRole('button', { name: '+ an input' }).click();
    await page.getByLabel('Name', { exact: true }).fill('boat');
    await page.getByLabel('Method').selectOption('put');
    await field('Address').fill('/bookings/{{ boat }}');
    await page.getByRole('button', { name: '+ a parameter' }).click();
    await field('Value of input_1').fill('{{ boat }}');
    await field('JSON body').fill('{ "boat": ');
    await page.getByText('Not kept until it is JSON').waitFor();
    await field('JSON body').fill('{ "boat": "{{ boat }}", "people": [1, 2] }');
    await page.getByText('Not kept until it is JSON').waitFor({ state: 'detached' });
    await page.getByRole('button', { name: '+ a field' }).click();
    await field('Where input_1 is').fill('{{ answer.reference }}');
    expect((await draft()).connections?.['office']?.actions['book']).to.deep.equal({
      put: '/bookings/{{ boat }}',
      takes: { boat: 'text' },
      sends: { query: { input_1: '{{ boat }}' }, body: { boat: '{{ boat }}', people: [1, 2] } },
      gives: { input_1: '{{ answer.reference }}' },
    });
    await page.getByText('needs "boat"').first().waitFor();
    await field('boat').fill('{{ flow.reference }}');
    await page.getByText('needs "boat"').first().waitFor({ state: 'detached' });
  });

  it('keeps both inputs when one is given the name of the other', async () => {
    const { draft } = await open(botOf({ a: ACTION, z: END }, office({ post: '/b', takes: { boat: 'text', day: 'date' } })), 'a');
    await page.getByRole('button', { name: 'edit the action' }).click();
    await page.getByLabel('Name', { exact: true }).nth(1).fill('boat');
    await page.getByLabel('Name', { exact: true }).nth(1).fill('when');
    expect((await draft()).connections?.['office']?.actions['book']?.takes).to.deep.equal({ boat: 'text', when: 'date' });
  });

  it('formats words by key and by button, and shows them as each kind of channel does', async () => {
    const { draft } = await open(botOf({ a: { kind: 'say', says: 'Sail today', exits: { said: 'z' } }, z: END }), 'a');
    await field('The bot says').click();
    await page.keyboard.press('Control+a');
    await page.keyboard.press('Control+b');
    await page.getByRole('button', { name: 'List: The bot says' }).click();
    expect((await draft()).flows['main']?.nodes['a']?.['says']).to.equal('- **Sail today**');
    await page.getByRole('button', { name: 'preview' }).click();
    await page.locator('.previews li strong', { hasText: 'Sail today' }).waitFor();
    expect(await page.locator('.previews .plain').innerText()).to.match(/^\W*Sail today$/);
    await field('The bot says').click();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('See [here](https://example.org) {{ clock.today }}');
    await page.locator('.previews a[href="https://example.org"]').waitFor();
    expect(await page.locator('.previews dd').first().innerText()).to.contain('today');
  });

  it('takes a time as a number with its unit, or typed whole', async () => {
    const { draft } = await open(botOf({ a: { kind: 'pause', for: '2s', exits: { done: 'z' } }, z: END }), 'a');
    const pause = async () => (await draft()).flows['main']?.nodes['a']?.['for'];
    await page.getByLabel('How long', { exact: true }).fill('5');
    await page.getByLabel('Unit of How long').selectOption('minutes');
    expect(await pause()).to.equal('5m');
    await page.getByLabel('How long', { exact: true }).fill('800ms');
    expect(await pause()).to.equal('800ms');
    await page.getByLabel('How long', { exact: true }).fill('');
    await page.getByText('Write a number, such as 4').waitFor();
    expect(await pause()).to.equal('800ms');
  });

  it('goes back to the node by Escape, from every kind of field', async () => {
    await open(
      botOf({ a: { kind: 'ask', says: '?', expects: 'text', into: 'flow.a', exits: { answered: 'z', 'gave-up': 'z' } }, z: END }),
      'a',
    );
    for (const label of ['The bot asks', 'Keep the answer as', 'It expects', 'Title']) {
      await page.locator('#node-a').focus();
      await page.keyboard.press('Enter');
      await page.locator('.details').getByLabel(label, { exact: true }).focus();
      await page.keyboard.press('Escape');
      await page.locator('.details').waitFor({ state: 'detached' });
      await page.waitForFunction(() => document.activeElement?.id === 'node-a');
    }
  });
});
