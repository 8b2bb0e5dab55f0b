import { expect } from 'chai';
import { writeFileSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { FOLDER, type TestService } from '../../server/test/support/service.js';
import { until } from '../../server/test/support/until.js';
import { botOf } from '../../core/test/harbour.js';
import { axeFindings, botWith, inTheConsole } from './support.js';

const END = { done: { kind: 'end', ends: 'flow' }, failed: { kind: 'end', ends: 'failed' } };
const BOT = botOf(
  {},
  {
    bot: 'pages',
    name: 'Kept by hand',
    tables: {
      repairs: {
        title: 'Repairs',
        columns: {
          number: { type: 'text', search: true },
          what: { type: 'text', needed: true },
          state: { type: 'one_of', of: ['open', 'done'], default: 'open' },
          cost: 'number',
        },
        key: ['number'],
      },
    },
    starts: { report: { by: 'hook', flow: 'file', given: { what: 'to be chosen' } } },
    flows: {
      main: { begin: 'hello', nodes: { hello: { kind: 'say', says: 'Hello.', exits: { said: 'done' } }, ...END } },
      file: {
        takes: { number: 'text?', what: 'text' },
        gives: { what: 'text' },
        begin: 'add',
        nodes: {
          add: { kind: 'table', table: 'repairs', does: 'add', exits: { done: 'done', conflict: 'failed', failed: 'failed' } },
          ...END,
        },
      },
    },
  },
  'main',
);

describe('the pages of tables, starts and runs, in a browser', () => {
  let service: TestService;
  let page: Page;
  let bot: string;
  let draft: Awaited<ReturnType<typeof botWith>>['draft'];
  let folder: string;

  inTheConsole((opened) => ({ service, page } = opened));
  before(async () => {
    ({ bot, draft } = await botWith(service, BOT));
    await service.client.call('createRelease', { params: { bot }, body: { note: '' } });
    folder = mkdtempSync(join(FOLDER || tmpdir(), 'keeping-'));
  });
  after(async () => {
    rmSync(folder, { recursive: true, force: true });
  });

  const at = (path: string) => page.goto(`${service.address}/bots/${bot}/${path}`);
  const rows = async () =>
    (await service.client.call('findTableRows', { params: { bot, table: 'repairs' }, body: { order: { column: 'number' } } }))
      .items;

  it('edits a table in place: a row is added, changed, sorted, filtered and removed', async () => {
    await at('tables');
    await page.getByText('No rows yet. A flow adds them, or you').waitFor();
    await page.getByRole('button', { name: 'Add a row' }).click();
    await page.getByLabel('New number').fill('+353 86 1');
    await page.getByLabel('New what').fill('Cracked window');
    await page.getByLabel('New what').press('Enter');
    await page.getByRole('button', { name: 'number: +353 86 1' }).waitFor();
    await page.getByRole('button', { name: 'what: Cracked window' }).click();
    await page.getByLabel('what', { exact: true }).fill('Cracked windscreen');
    await page.getByLabel('what', { exact: true }).press('Enter');
    await page.getByRole('button', { name: 'what: Cracked windscreen' }).waitFor();
    await page.getByRole('button', { name: 'state: open' }).click();
    await page.getByLabel('state', { exact: true }).selectOption('done');
    await page.getByRole('button', { name: 'state: done' }).waitFor();
    expect((await rows()).map((r) => [r.version, r.values])).to.deep.equal([
      [3, { number: '+353 86 1', what: 'Cracked windscreen', state: 'done' }],
    ]);
    await page.getByText('changed 2 times, the last time by Owner').waitFor();

    // A value that does not fit is told, and stays what it was.
    await page.getByRole('button', { name: 'cost: empty' }).click();
    await page.getByLabel('cost', { exact: true }).fill('dear');
    await page.getByLabel('cost', { exact: true }).press('Enter');
    await page.getByText('cost takes a number such as 12 or 12.5, and this is dear').waitFor();

    await service.client.call('addTableRow', {
      params: { bot, table: 'repairs' },
      query: {},
      body: { values: { number: 'r-2', what: 'Bow ramp' } },
    });
    await page.reload();
    await page.getByRole('main', { name: 'Rows' }).getByRole('button', { name: 'number', exact: true }).click();
    await page.getByRole('columnheader', { name: 'number ↑' }).waitFor();
    await page.getByRole('button', { name: '+ filter' }).click();
    await page.getByLabel('Column', { exact: true }).selectOption('what');
    await page.getByLabel('Value', { exact: true }).fill('ramp');
    await until(async () => (await page.getByLabel('Mark the row').count()) === 1);
    await page.getByLabel('Mark the row').check();
    await page.getByRole('button', { name: 'Remove 1 row' }).click();
    await page.getByText('No row is like this.').waitFor();
    expect(await rows()).to.have.length(1);
    expect(await axeFindings(page)).to.deep.equal([]);
  });

  it('shows of a bad CSV line by line what is wrong, and imports the rest', async () => {
    const file = join(folder, 'repairs.csv');
    writeFileSync(file, 'Number,Whatt,Cost\r\nc-1,Mast,12\r\nc-2,,1\r\nc-3,Horn,dear\r\nc-4,Bell,3\r\n');
    await at('tables/repairs');
    await page.getByRole('button', { name: 'Import…' }).click();
    await page.getByLabel('A CSV or XLSX file').setInputFiles(file);
    await page.getByText('4 lines: 0 new, 0 changed').waitFor();
    await page.getByLabel('Whatt goes to').selectOption('what');
    await page.getByText('2 with something wrong').waitFor();
    await page.getByText('line 3: what has to be filled in').waitFor();
    await page.getByText('line 4: cost takes a number').waitFor();
    expect(await axeFindings(page, '.modal')).to.deep.equal([]);
    await page.getByRole('button', { name: 'Import 2 and leave 2 out' }).click();
    await page.getByRole('button', { name: 'number: c-4' }).waitFor();
    expect((await rows()).map((r) => r.values['number'])).to.deep.equal(['+353 86 1', 'c-1', 'c-4']);
  });

  it('fills in a mapping by pressing values in a body that came, and shows another body beside it', async () => {
    const state = (await service.client.call('listStarts', { params: { bot } })).items[0];
    const send = (body: unknown) => fetch(state?.live?.address ?? '', { method: 'POST', body: JSON.stringify(body) });
    expect((await send({ call: { id: 'h-1', words: ['The horn is silent', 'since noon'] } })).status).to.equal(202);
    await send({ call: { id: 'h-2', words: [] } });
    await at('starts/report');
    await page.getByText('Last events').waitFor();
    const inputs = page.getByRole('region', { name: 'What the flow gets', exact: true });
    await inputs.getByLabel('what').focus();
    await page.getByLabel('Which one').selectOption({ index: 1 });
    await page.getByRole('button', { name: '1 The horn is silent' }).click();
    await inputs.getByLabel('number').focus();
    await page.getByRole('button', { name: 'id h-1' }).click();
    const mapped = page.getByRole('table', { name: 'What the flow gets of it' });
    await mapped.getByText('The horn is silent').waitFor();
    await page.getByLabel('Beside it').selectOption({ index: 1 });
    await mapped.getByText('is not there').waitFor();
    await mapped.getByText('h-2').waitFor();
    await page.getByRole('button', { name: 'keep as sample' }).click();
    await page.getByText('kept as report-1').waitFor();
    await page.getByText('· saved').waitFor();
    const { starts, samples } = await draft();
    expect(starts?.['report']).to.deep.include({ given: { what: '{{ body.call.words[0] }}', number: '{{ body.call.id }}' } });
    expect(samples?.['report-1']).to.deep.include({
      came: 'report',
      body: { call: { id: 'h-1', words: ['The horn is silent', 'since noon'] } },
    });
    expect(await axeFindings(page)).to.deep.equal([]);
  });

  it('sets a start off in the simulator, on practice rows that are shown and made anew', async () => {
    await at('map');
    await page.getByRole('button', { name: 'Attach, or say something kept' }).click();
    await page.getByRole('button', { name: 'with report-1' }).click();
    await page.getByText('a run of file, by the start report').waitFor();
    await page.getByRole('button', { name: 'rows', exact: true }).click();
    await page.getByText('h-1, The horn is silent').waitFor();
    await page.getByRole('heading', { name: 'Simulator' }).click();
    await page.keyboard.press('y');
    await page.getByText('h-1, The horn is silent').waitFor({ state: 'detached' });
    expect((await rows()).some((r) => r.values['what'] === 'The horn is silent')).to.equal(false);
    await page.getByLabel('tables', { exact: false }).selectOption('for real');
    await page.getByText('Work on the real rows?').waitFor();
    await page.getByRole('button', { name: 'Leave it' }).click();
  });

  it('lists runs with what they got and gave, and runs one again', async () => {
    await at('runs');
    await page.getByText(/In 7 days: \d+ done/).waitFor();
    await page.getByRole('button', { name: 'Begin a flow by hand…' }).click();
    await page.getByLabel('Flow').last().selectOption('file');
    await page.getByLabel('number', { exact: true }).fill('+353 1');
    await page.getByLabel('what', { exact: true }).fill('Loose rail');
    await page.getByRole('button', { name: 'Begin', exact: true }).click();
    await page.getByRole('heading', { name: 'file', exact: true }).waitFor();
    await page.getByText('“+353 1”').waitFor();
    await page.getByRole('link', { name: 'Turn sheet' }).waitFor();
    await page.getByRole('button', { name: 'Run again live' }).click();
    await page.getByText('run again of this one').waitFor();
    await page
      .getByRole('button', { name: 'look again' })
      .click({ timeout: 3000 })
      .catch(() => undefined);
    await page.getByText('It failed: its flow ended as failed.').waitFor();
    await page.getByLabel('Outcome').selectOption('failed');
    await until(
      async () => (await page.getByRole('navigation', { name: 'Runs' }).getByText('failed', { exact: true }).count()) >= 1,
    );
    expect(await axeFindings(page)).to.deep.equal([]);
  });

  it('removes a marked row that was written in since, and leads from a row to the turn that wrote it', async () => {
    const found = (await rows()).find((r) => r.values['what'] === 'Loose rail');
    await at('tables/repairs');
    await page.getByRole('button', { name: 'what: Loose rail' }).waitFor();
    const line = page.getByRole('row').filter({ hasText: 'Loose rail' });
    await line.getByRole('button', { name: 'what: Loose rail' }).click();
    await page.keyboard.press('Escape');
    const turn = page.getByRole('complementary').getByRole('link', { name: 'from this turn' });
    const where = found?.madeIn;
    expect(await turn.getAttribute('href')).to.equal(`/bots/${bot}/conversations/${where?.conversation}/turns/${where?.turn}`);
    await line.getByLabel('Mark the row').check();
    await line.getByRole('button', { name: 'cost: empty' }).click();
    await page.getByLabel('cost', { exact: true }).fill('12');
    await page.keyboard.press('Enter');
    await line.getByRole('button', { name: 'cost: 12' }).waitFor();
    await page.getByRole('button', { name: 'Remove 1 row' }).click();
    await line.waitFor({ state: 'detached' });
    expect((await rows()).some((r) => r.values['what'] === 'Loose rail')).to.equal(false);
  });

  it('makes a schedule, says when it comes, and what is wrong with its times', async () => {
    await at('starts');
    await page.getByLabel('What begins it').selectOption('a schedule');
    await page.getByLabel('New start').fill('Morning round');
    await page.keyboard.press('Enter');
    const editor = page.getByRole('main', { name: 'The start' });
    await editor.getByRole('heading', { name: 'morning round' }).waitFor();
    await editor.getByLabel('Begins the flow').selectOption('main');
    const times = editor.getByLabel('Minute, hour, day, month, weekday');
    await times.fill('0 5 * * 1');
    await editor.getByText(/^Next: .+ · .+ · /).waitFor();
    await times.fill('every monday');
    await editor.getByText('No time comes of this.').waitFor();
    await editor.getByRole('status').first().waitFor();
    await times.fill('0 5 * * 1');
    await editor.getByLabel('What passed while nothing ran').selectOption('is made up for, once');
    await page.getByText('· saved').waitFor();
    await until(async () => {
      const kept = (await draft()).starts?.['morning-round'];
      return kept?.by === 'schedule' && kept.at === '0 5 * * 1' && kept.missed === 'run-once';
    });
    expect((await draft()).starts?.['morning-round']).to.deep.equal({
      by: 'schedule',
      flow: 'main',
      at: '0 5 * * 1',
      missed: 'run-once',
    });
    await editor.getByText('Not live yet: it comes with the next release.').waitFor();
    expect(await axeFindings(page)).to.deep.equal([]);
    await editor.getByRole('button', { name: 'remove' }).click();
    await until(async () => (await draft()).starts?.['morning-round'] === undefined);
  });

  it('secures a hook: a token is shown once, a secret that is too short is not taken, and the sheet says how it is used', async () => {
    await at('starts/report');
    const editor = page.getByRole('main', { name: 'The start' });
    await editor.getByLabel('It is answered').selectOption('with what the flow gives');
    await editor.getByLabel('Within', { exact: true }).fill('soon');
    await editor.getByText('Write a number, such as 4 or 0.5. Not kept until it is one.').waitFor();
    await editor.getByLabel('Within', { exact: true }).fill('3s');
    await editor.getByLabel('The sender is known by').selectOption('a token');
    await until(async () => {
      const kept = (await draft()).starts?.['report'];
      return kept?.by === 'hook' && kept.within === '3s' && kept.secured === 'token';
    });
    const staged = editor.locator('.startstage').filter({ hasText: 'Draft' });
    await staged.getByText('Nobody is known here yet: make a token').waitFor();
    await staged.getByRole('button', { name: 'make a token' }).click();
    const token = (await staged.locator('.token code').textContent()) ?? '';
    const { draft: state } = (await service.client.call('listStarts', { params: { bot } })).items[0] ?? {};
    const send = (bearer: string) =>
      fetch(state?.address ?? '', {
        method: 'POST',
        headers: { authorization: `Bearer ${bearer}` },
        body: JSON.stringify({ call: { id: 'h-9', words: ['A token came'] } }),
      });
    expect([(await send('x'.repeat(40))).status, (await send(token)).status]).to.deep.equal([401, 200]);
    await staged.getByRole('button', { name: 'how others use it' }).click();
    await staged.getByText('authorization: Bearer TOKEN').first().waitFor();
    await staged.getByRole('button', { name: 'Copy the command' }).waitFor();
    expect(await axeFindings(page)).to.deep.equal([]);

    await editor.getByLabel('The sender is known by').selectOption('a signature (HMAC-SHA-256)');
    await staged.getByText('Nobody is known here yet: keep the secret').waitFor();
    const secret = staged.getByPlaceholder('the secret, 8 characters at least');
    await secret.fill('short');
    await staged.getByRole('button', { name: 'Keep' }).click();
    expect(await secret.evaluate((field: HTMLInputElement) => [field.value, field.validity.tooShort])).to.deep.equal([
      'short',
      true,
    ]);
    await secret.fill('long enough');
    await staged.getByRole('button', { name: 'Keep' }).click();
    await staged.getByPlaceholder('a secret is kept; type another one').waitFor();
    expect((await send(token)).status).to.equal(401);
  });

  it('tells before a release what it does to the rows', async () => {
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const columns = { value: { number: { type: 'text', search: true }, what: 'number', told: 'date' } };
    await service.client.call('patchDraft', {
      params: { bot },
      body: { revision, patch: [{ op: 'replace', path: '/tables/repairs/columns', ...columns }] },
    });
    await at('map');
    await page.getByRole('button', { name: /^Release/ }).click();
    const told = page.getByRole('region', { name: 'Rows of tables' });
    await told.getByText('repairs: new: told; changed: what; gone: state, cost').waitFor();
    await told.getByText(/values? do(es)? not fit, in \d+ rows: they stay as they are and are marked/).waitFor();
    await told
      .getByText(/what takes a number such as 12 or 12\.5/)
      .first()
      .waitFor();
    expect(await axeFindings(page, '.modal')).to.deep.equal([]);
  });
});
