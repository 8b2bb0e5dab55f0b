import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { readyProfile } from '@primrose/core';
import type { Browser, Page } from 'playwright-core';
import { demoDocument } from '../../core/test/harbour.js';
import type { TestService } from '../../server/test/support/service.js';
import { axeFindings, inTheConsole } from './support.js';

/** Images that somebody's words could have brought; the editor itself uses empty ones to hold places. */
const IMAGES = 'img:not(.cm-widgetBuffer)';

describe('the console in a browser', () => {
  let service: TestService;
  let browser: Browser;
  let page: Page;

  inTheConsole((opened) => ({ service, browser, page } = opened));

  const say = async (text: string) => {
    await page.getByLabel('Say something as the visitor').fill(text);
    await page.keyboard.press('Enter');
  };
  const newBot = async (from: string, name: string) => {
    await page.goto(service.address);
    await page.getByRole('button', { name: 'New bot…' }).first().click();
    await page.getByLabel(from).check();
    await page.getByLabel('Name').fill(name);
    await page.getByRole('button', { name: 'Create' }).click();
    await page.getByRole('heading', { name, level: 1 }).waitFor();
    return page.url().split('/')[4] ?? '';
  };
  const pointAtOffice = (bot: string) =>
    service.client.call('setConnection', {
      params: { bot, connection: 'booking-office' },
      body: { address: service.office, standIn: service.office },
    });
  const saved = () => page.getByText('· saved').waitFor();

  it('takes a designer from the demo to a visitor: change the Map, try it, release it, talk to it', async () => {
    const bot = await newBot('The example Harbour desk', 'Harbour trial');
    await pointAtOffice(bot);
    await page.getByRole('button', { name: 'Let the bot begin' }).click();
    await page.getByText('What can I do for you?').first().waitFor();

    await page.locator('#node-hello').getByRole('button').click();
    await page.getByRole('combobox', { name: 'After said, add…' }).fill('sa');
    await page.keyboard.press('Enter');
    await page.getByRole('textbox', { name: 'The bot says' }).fill('Fair winds today, {{ clock.weekdy }}.');
    await page.getByText('Did you mean clock.weekday?').first().waitFor();
    await page.getByRole('textbox', { name: 'The bot says' }).fill('Fair winds today, {{ clock.weekday }}.');
    await page.getByText('Did you mean clock.weekday?').first().waitFor({ state: 'detached' });
    await saved();

    await page.getByRole('button', { name: 'start over' }).click();
    const weekday = new Intl.DateTimeFormat('en', { weekday: 'long', timeZone: 'Europe/Dublin' }).format(new Date());
    await page.getByText(`Fair winds today, ${weekday}.`).first().waitFor();
    for (const text of ['find a crossing', 'kelpwick', 'tarn holm', 'friday']) {
      await say(text);
      await page.locator('.line.visitor', { hasText: text }).waitFor();
      await page.getByLabel('Say something as the visitor').waitFor();
      await page.locator('.turn').last().locator('.strip.on').waitFor();
    }
    await say('car');
    await page.getByRole('button', { name: '09:40 Wrackline' }).waitFor();
    await page.locator('#node-find-sailings .petal').waitFor();

    await page.locator('.turn').last().getByRole('link').click();
    await page.getByRole('heading', { name: 'Path' }).waitFor();
    expect(await page.locator('.sheet').innerText())
      .to.contain('/sailings?from=kelpwick&to=tarn-holm')
      .and.contain('flow.vehicle');

    expect(await page.evaluate(() => document.scrollingElement?.scrollHeight)).to.equal(800);

    await page.getByRole('button', { name: /^Release 1/ }).click();
    await page.getByLabel('What is new in it').fill('says fair winds');
    await page.getByRole('button', { name: 'Release', exact: true }).click();
    await page.getByText('Visitors get Release 1 now.').waitFor();
    const link = (await page.locator('.rows a.mono').getAttribute('href')) ?? '';

    const visitor = await browser.newPage({ locale: 'en-GB' });
    await visitor.goto(link);
    await visitor.getByText(`Fair winds today, ${weekday}.`).waitFor();
    await visitor.getByRole('button', { name: 'Find a crossing' }).click();
    await visitor.getByText('Which port do you leave from?').waitFor();
    await visitor.getByLabel('Write a message').fill('Kelpwick');
    await visitor.getByRole('button', { name: 'Send' }).click();
    await visitor.getByText('And where to?').waitFor();
    await visitor.reload();
    await visitor.getByText('And where to?').waitFor();
    await visitor.getByRole('button', { name: 'Start over' }).click();
    await visitor.getByText('And where to?').waitFor({ state: 'detached' });
    await visitor.getByText(`Fair winds today, ${weekday}.`).waitFor();
    await visitor.close();
  });

  it('builds a bot from a blank sheet by typing', async () => {
    await newBot('A blank sheet', 'From nothing');
    await page.getByRole('combobox', { name: 'Begin with…' }).fill('ask');
    await page.keyboard.press('Enter');
    await page.getByRole('textbox', { name: 'The bot asks' }).fill('How many are you?');
    await page.getByLabel('It expects').selectOption('number');
    await page.getByLabel('Keep the answer as').fill('flow.people');
    await page.getByLabel('Exit answered, leads nowhere yet. Add after').click();
    await page.keyboard.type('say');
    await page.keyboard.press('Enter');
    await page.getByRole('textbox', { name: 'The bot says' }).fill('So {{ flow.people }} of you.');
    await page.getByLabel('Exit said, leads nowhere yet. Add after').click();
    await page.keyboard.type('end');
    await page.keyboard.press('Enter');
    await page.getByLabel('Exit gave up, leads nowhere yet. Add after').click();
    await page.keyboard.type('2');
    await page.keyboard.press('Enter');
    await page.locator('.out', { hasText: 'gave up' }).and(page.locator('[data-to="say"]')).waitFor();
    await saved();
    await say('two');
    await page.getByText('How many are you?').first().waitFor();
    await page.locator('.line.bot', { hasText: 'So 2 of you.' }).waitFor();
  });

  it('shows what is wrong, leads there, and lets no error be released', async () => {
    const bot = await newBot('The example Harbour desk', 'Broken desk');
    await page.goto(`${service.address}/bots/${bot}/map/welcome/hello`);
    await page.getByRole('textbox', { name: 'The bot says' }).fill('');
    await saved();
    await page.locator('#node-hello .corner').waitFor();
    await page.getByRole('button', { name: /^Release 1/ }).click();
    await page.getByRole('button', { name: 'Release', exact: true }).click();
    await page.getByRole('alert').getByText('The text is empty').waitFor();
    await page.getByRole('button', { name: 'Cancel' }).click();
    await page.goto(`${service.address}/bots/${bot}/map`);
    await page.getByRole('button', { name: /problem/ }).click();
    await page.getByRole('button', { name: /The text is empty/ }).click();
    await page.getByRole('complementary', { name: 'Details of hello' }).waitFor();
  });

  it('deletes a node and joins its ends', async () => {
    const bot = await newBot('The example Harbour desk', 'Shorter desk');
    await page.goto(`${service.address}/bots/${bot}/map/welcome/one-moment`);
    await page.getByRole('button', { name: 'Delete' }).click();
    await page.locator('#node-one-moment').waitFor({ state: 'detached' });
    await saved();
    const { document } = await service.client.call('getDraft', { params: { bot } });
    expect(document.flows['welcome']?.nodes['ask-name']?.exits?.['answered']).to.equal('book');
  });

  it('merges an edit with somebody else’s in another place, and asks where both touch the same', async () => {
    const bot = await newBot('The example Harbour desk', 'Two people');
    await page.goto(`${service.address}/bots/${bot}/map/welcome/hello`);
    await page.getByRole('textbox', { name: 'The bot says' }).waitFor();
    const theirs = async (path: string, value: string) => {
      const { revision } = await service.client.call('getDraft', { params: { bot } });
      await service.client.call('patchDraft', { params: { bot }, body: { revision, patch: [{ op: 'replace', path, value }] } });
    };
    await theirs('/flows/welcome/nodes/booked/says/en', 'Theirs.');
    await page.getByRole('textbox', { name: 'The bot says' }).fill('Mine.');
    await saved();
    const says = async () => (await service.client.call('getDraft', { params: { bot } })).document.flows['welcome']?.nodes;
    expect(JSON.stringify(await says()))
      .to.contain('Theirs.')
      .and.contain('Mine.');
    await page.locator('#node-booked', { hasText: 'Theirs.' }).waitFor();
    // What is written here is on its way while theirs arrives, however fast or slow either machine is.
    let arrived: () => void = () => undefined;
    const there = new Promise<void>((resolve) => (arrived = resolve));
    await page.route('**/draft', async (route) => {
      if (route.request().method() === 'PATCH') await there;
      await route.continue();
    });
    await page.getByRole('textbox', { name: 'The bot says' }).fill('Mine again.');
    await theirs('/flows/welcome/nodes/hello/says/en', 'Theirs again.');
    arrived();
    const dialog = page.getByRole('dialog', { name: 'Somebody changed the same place' });
    await dialog.waitFor();
    expect(await dialog.innerText())
      .to.contain('welcome, hello: says en')
      .and.contain('Theirs again.')
      .and.contain('Mine again.');
    await page.getByRole('button', { name: 'Take mine there' }).click();
    await saved();
    expect(JSON.stringify(await says())).to.contain('Mine again.');
  });

  it('undoes and redoes across a reload, and shows the history', async () => {
    const bot = await newBot('The example Harbour desk', 'Undone');
    const field = () => page.getByRole('textbox', { name: 'The bot says' });
    const says = (text: string) =>
      page.waitForFunction((t) => document.querySelector('#node-hello .prose')?.textContent === t, text);
    await page.goto(`${service.address}/bots/${bot}/map/welcome/hello`);
    const first = await page.locator('#node-hello .prose').innerText();
    await field().fill('One.');
    await saved();
    await field().fill('Two.');
    await saved();
    await page.reload();
    await page.getByRole('button', { name: 'Undo' }).click();
    await says('One.');
    await page.locator('.top h1').click();
    await page.keyboard.press('Control+z');
    await says(first);
    await page.keyboard.press('Control+Shift+z');
    await says('One.');
    expect(await page.getByRole('button', { name: 'Redo' }).isEnabled()).to.equal(true);
    await page.goto(`${service.address}/bots/${bot}/history`);
    const rows = page.locator('.edits > li');
    await rows.first().waitFor();
    expect(await rows.count()).to.equal(5);
    expect(await rows.nth(3).innerText()).to.contain('is now “Two.”');
    await rows.nth(3).getByRole('button', { name: 'Restore' }).click();
    await page.getByText('brought revision 3 back').waitFor();
    expect(
      (await service.client.call('getDraft', { params: { bot } })).document.flows['welcome']?.nodes['hello']?.['says'],
    ).to.have.property('en', 'Two.');
  });

  it('compares releases, makes one live and rolls back', async () => {
    const bot = await newBot('The example Harbour desk', 'Released twice');
    const release = (note: string) => service.client.call('createRelease', { params: { bot }, body: { note } });
    await release('first');
    const patch = [{ op: 'replace' as const, path: '/about', value: 'Finds boats.' }];
    await service.client.call('patchDraft', { params: { bot }, body: { revision: 1, patch } });
    await release('second');
    await page.goto(`${service.address}/bots/${bot}/releases`);
    const live = async () => (await page.locator('tr', { has: page.locator('.livemark') }).innerText()).split('\t')[1];
    await page.locator('.livemark').waitFor();
    expect(await live()).to.equal('second');
    await page.getByLabel('Compare from').selectOption('1');
    await page.getByText('is now “Finds boats.”').waitFor();
    await page.getByRole('button', { name: 'Roll back…' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Roll back' }).click();
    await page.getByText('Release 1 is live.').waitFor();
    await page
      .getByRole('row', { name: /^Release 2/ })
      .getByRole('button', { name: 'Make live…' })
      .click();
    await page.getByLabel('Move open conversations to it too').check();
    await page.getByRole('dialog').getByRole('button', { name: 'Make live' }).click();
    await page.getByText('Release 2 is live. 0 open conversations were moved to it.').waitFor();
  });

  it('exports a bot, and imports a file into the draft', async () => {
    const bot = await newBot('The example Harbour desk', 'Filed');
    await page.goto(`${service.address}/bots/${bot}/settings`);
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('link', { name: 'Export one file' }).click(),
    ]);
    const text = readFileSync(await download.path(), 'utf8').replace('"name": "Filed"', '"name": "Filed again"');
    await page
      .getByLabel('Import a file or a zip')
      .setInputFiles({ name: 'filed.json', mimeType: 'application/json', buffer: Buffer.from(text) });
    await page.getByText('filed.json is in the draft now').waitFor();
    await page.getByRole('heading', { name: 'Filed again' }).waitFor();
    await page
      .getByLabel('Import a file or a zip')
      .setInputFiles({ name: 'bad.zip', mimeType: 'application/zip', buffer: Buffer.from('PK no') });
    await page.getByRole('alert').filter({ hasText: 'cannot be unpacked' }).waitFor();
  });

  it('duplicates a bot, deletes it and brings it back', async () => {
    await newBot('A blank sheet', 'Spare desk');
    await page.goto(service.address);
    const row = (name: string) => page.locator('.rows > li').filter({ has: page.getByRole('link', { name, exact: true }) });
    await row('Spare desk').getByRole('button', { name: 'Duplicate' }).click();
    await row('Spare desk (copy)').getByRole('button', { name: 'Delete' }).click();
    await row('Spare desk (copy)').waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Bring it back' }).click();
    await row('Spare desk (copy)').waitFor();
  });

  it('declares a variable, and makes a token that is shown once', async () => {
    const bot = await newBot('A blank sheet', 'Settings desk');
    await page.goto(`${service.address}/bots/${bot}/settings`);
    await page.getByLabel('Name of a new session variable').fill('reference');
    await page.getByLabel('Name of a new session variable').press('Enter');
    await page.getByText('session.reference').waitFor();
    await saved();
    await page.getByLabel('Name of a new token').fill('from the browser');
    await page.getByRole('button', { name: 'Make a token' }).click();
    expect(await page.locator('.secret').innerText()).to.match(/^prt_/);
  });

  it('never runs what is written in a text', async () => {
    const bot = await newBot('A blank sheet', '<img src=x onerror="document.title=1">');
    await page.goto(`${service.address}/bots/${bot}/map`);
    await page.getByRole('combobox', { name: 'Begin with…' }).fill('say');
    await page.keyboard.press('Enter');
    await page
      .getByRole('textbox', { name: 'The bot says' })
      .fill('<script>document.title=2</script>[x](javascript:document.title=3)');
    await saved();
    await page.getByRole('button', { name: 'Let the bot begin' }).click();
    await page.locator('.line.bot').waitFor();
    expect(await page.title()).to.equal('Primrose');
    expect(await page.locator('.line.bot a').count()).to.equal(0);
  });

  it('never runs what is written in any text field, on any page, nor in the chat', async () => {
    const EVIL = `<img src=x onerror="document.title='evil'">`;
    const spoil = (value: unknown, key = ''): unknown => {
      if (typeof value === 'string' && value !== 'text')
        return ['title', 'about', 'name', 'en', 'de', 'says', 'again'].includes(key) ? EVIL : value;
      if (Array.isArray(value)) return value.map((v) => spoil(v, key));
      if (value === null || typeof value !== 'object' || key === 'exits') return value;
      return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, spoil(v, k)]));
    };
    const evil = spoil(demoDocument()) as ReturnType<typeof demoDocument>;
    // Buttons that say the same are an error, and words to recognise have to differ.
    const choices = (node: Record<string, unknown>) =>
      (node['choices'] as { id: string; says: string }[] | undefined)?.map((c) => ({ ...c, says: `${c.id} ${EVIL}` }));
    for (const node of Object.values(evil.flows).flatMap((f) => Object.values(f.nodes)) as unknown as Record<string, unknown>[])
      if (node['choices']) node['choices'] = choices(node);
    const { entities } = demoDocument();
    const { bot } = await service.client.call('createBot', {
      body: { from: 'document', document: { ...evil, entities } as never },
    });
    await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: EVIL, despite: EVIL } });
    const patch = [{ op: 'replace' as const, path: '/about', value: `${EVIL} again` }];
    await service.client.call('patchDraft', { params: { bot: bot.id }, body: { revision: 1, patch } });
    for (const path of [
      'map/welcome/hello',
      'map/welcome/menu',
      'understanding',
      'knowledge',
      'models',
      'actions',
      'rehearsals',
      'rehearsals/dog-aboard',
      'channels',
      'conversations',
      'settings',
      'releases',
      'history',
    ]) {
      await page.goto(`${service.address}/bots/${bot.id}/${path}`);
      await page.getByRole('heading', { name: EVIL }).first().waitFor();
      await page.waitForTimeout(150);
      expect([path, await page.title(), await page.locator(IMAGES).count()]).to.deep.equal([path, 'Primrose', 0]);
    }
    await page.goto(`${service.address}/bots/${bot.id}/map`);
    await page.getByRole('button', { name: 'Let the bot begin' }).click();
    await page.locator('a.strip').first().click();
    await page.getByRole('heading', { name: 'Turn 1' }).waitFor();
    expect([await page.title(), await page.locator(IMAGES).count()]).to.deep.equal(['Primrose', 0]);
    const [channel] = (await service.client.call('listChannels', { params: { bot: bot.id } })).items;
    const chat = await browser.newPage();
    await chat.goto(channel?.link ?? '');
    await chat.locator('.choices button').first().waitFor();
    await chat.getByLabel('Write a message').fill(EVIL);
    await chat.keyboard.press('Enter');
    await chat.locator('.mine').waitFor();
    await chat.waitForTimeout(300);
    expect([await chat.title(), await chat.locator('img').count()]).to.deep.equal([EVIL, 0]);
    await chat.close();
  });

  it('edits every kind of node in its own way', async () => {
    const bot = await newBot('The example Harbour desk', 'Edited desk');
    const open = async (node: string) => {
      await page.goto(`${service.address}/bots/${bot}/map/welcome/${node}`);
      await page.locator('.details').waitFor();
    };
    const node = async (id: string) =>
      (await service.client.call('getDraft', { params: { bot } })).document.flows['welcome']?.nodes[id];

    await open('hello-again');
    await page.getByRole('button', { name: '+ another wording, taken in turn' }).click();
    await page.getByRole('textbox', { name: 'The bot says, wording 3' }).fill('Ahoy, {{ visitor.first_name }}.');
    await page.getByRole('group', { name: 'Language of The bot says' }).getByRole('button', { name: 'de' }).click();
    await page.getByRole('textbox', { name: 'The bot says' }).fill('Ahoi.');
    await saved();
    expect((await node('hello-again'))?.['says']).to.deep.equal({
      en: [
        'Welcome back, {{ visitor.first_name }}.',
        'Good to see you again, {{ visitor.first_name }}.',
        'Ahoy, {{ visitor.first_name }}.',
      ],
      de: 'Ahoi.',
      es: 'Qué alegría verle de nuevo, {{ visitor.first_name }}.',
    });

    await open('menu');
    await page.getByRole('button', { name: '+ a button' }).click();
    await page.getByRole('textbox', { name: 'Button choice 4' }).fill('Lost property');
    await page.getByRole('button', { name: 'Remove the button hours' }).click();
    await saved();
    const menu = await node('menu');
    expect((menu?.['choices'] as { id: string }[]).map((c) => c.id)).to.deep.equal(['crossing', 'leave', 'choice-4']);
    expect(Object.keys(menu?.exits ?? {})).to.not.include('hours');

    await open('ask-day');
    await page.getByLabel('It expects').selectOption('text');
    await page.getByLabel('Ask again at most').fill('4');
    await page.getByLabel('Keep the answer as').fill('nowhere');
    await page.getByText('Not kept until it has this form').waitFor();
    await page.getByLabel('Keep the answer as').fill('flow.day');
    await saved();
    expect(await node('ask-day')).to.include({ expects: 'text', tries: 4, into: 'flow.day' });

    await open('who');
    await page.getByRole('button', { name: '+ a case' }).click();
    await page.getByLabel('Exit', { exact: true }).nth(1).fill('late');
    await page.getByLabel('when').nth(1).fill('clock.time > "22:00" and true');
    await page.getByText('Did you mean &&?').first().waitFor();
    await page.getByLabel('when').nth(1).fill('clock.time > "22:00"');
    await page.locator('#exit-late').selectOption('goodbye');
    await saved();
    expect((await node('who'))?.exits).to.deep.equal({ known: 'hello-again', otherwise: 'hello', late: 'goodbye' });

    await open('keep-reference');
    await page.getByRole('button', { name: '+ a value' }).click();
    await page.getByLabel('Variable').nth(1).fill('flow.done');
    await page.getByLabel('Value', { exact: true }).nth(1).fill('{{ true }}');
    await saved();
    expect((await node('keep-reference'))?.['sets']).to.deep.include({ into: 'flow.done', to: '{{ true }}' });

    await open('book');
    await page.getByLabel('Action', { exact: true }).selectOption('booking-office.read-booking');
    await page.getByText('GET /bookings/{{ reference }}').waitFor();
    await page.getByText('does not take "sailing"').first().waitFor();
    await page.getByLabel('Wait at most', { exact: true }).fill('soon');
    await page.getByText('Write a number, such as 4').waitFor();
    await page.getByLabel('Wait at most', { exact: true }).fill('6');
    await page.getByLabel('Unit of Wait at most').selectOption('minutes');
    await saved();
    expect(await node('book')).to.include({ timeout: '6m' });

    await open('goodbye');
    await page.getByLabel('What ends').selectOption('flow');
    await page.getByLabel('off, passed through').check();
    await saved();
    expect(await node('goodbye'))
      .to.include({ off: true })
      .and.not.have.property('ends');
    await page.locator('#node-goodbye.off').waitFor();
  });

  it('adds, chooses and removes flows', async () => {
    const bot = await newBot('The example Harbour desk', 'Many flows');
    const whole = await service.client.call('getDraft', { params: { bot } });
    const { unmatched: _unmatched, intents: _intents, ...rest } = whole.document;
    const document = { ...rest, flows: { welcome: rest.flows['welcome'] } } as never;
    await service.client.call('replaceDraft', { params: { bot }, body: { revision: whole.revision, document } });
    await page.reload();
    await page.getByRole('button', { name: 'choose another flow' }).click();
    await page.getByRole('button', { name: 'New flow…' }).click();
    await page.getByLabel('Name of the new flow').fill('Not understood');
    await page.keyboard.press('Enter');
    await page.getByRole('combobox', { name: 'Begin with…' }).fill('end');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'choose another flow' }).click();
    await page.getByRole('button', { name: 'Run it when nothing matches' }).click();
    await page.getByText('when nothing matches').waitFor();
    await saved();
    const draft = async () => (await service.client.call('getDraft', { params: { bot } })).document;
    expect(await draft()).to.include({ begins: 'welcome', unmatched: 'not-understood' });
    await page.getByRole('button', { name: 'choose another flow' }).click();
    await page.getByRole('button', { name: 'Delete this flow' }).click();
    await page.getByText('27 nodes').waitFor();
    await saved();
    expect(Object.keys((await draft()).flows)).to.deep.equal(['welcome']);
    expect(await draft()).to.not.have.property('unmatched');
  });

  it('binds the channel to a release and switches it off so that nobody overlooks it', async () => {
    const bot = await newBot('The example Harbour desk', 'Channel desk');
    await page.goto(`${service.address}/bots/${bot}/channels`);
    await page.getByText('Nothing is released yet').waitFor();
    await service.client.call('createRelease', { params: { bot }, body: { note: 'the first' } });
    await page.reload();
    await page.getByText('Visitors get Release 1 now.').waitFor();
    await page.getByLabel('Release that it serves').selectOption('1');
    await page.getByRole('checkbox', { name: 'on' }).click();
    await page.getByText('is switched off').waitFor();
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    expect(channel).to.include({ serves: 1, on: false });
  });

  it('sets a connection’s address here, and refuses what is none', async () => {
    const bot = await newBot('The example Harbour desk', 'Address desk');
    await page.goto(`${service.address}/bots/${bot}/actions`);
    await page.getByRole('cell', { name: 'list-sailings', exact: true }).waitFor();
    const address = page.getByLabel('Address on this installation').first();
    await address.fill('nonsense');
    await page.keyboard.press('Enter');
    await page.getByText('"nonsense" does not fit').waitFor();
    await address.fill(service.office);
    await page.keyboard.press('Enter');
    await page.getByRole('main').getByText('saved', { exact: true }).waitFor();
    const [connection] = (await service.client.call('listConnections', { params: { bot } })).items;
    expect(connection).to.include({ address: service.office, written: 'http://127.0.0.1:4810' });
  });

  it('shows another person’s edit while nothing here is unsaved', async () => {
    const bot = await newBot('A blank sheet', 'Watched desk');
    await service.client.call('patchDraft', {
      params: { bot },
      body: { revision: 1, patch: [{ op: 'replace', path: '/name', value: 'Renamed elsewhere' }] },
    });
    await page.evaluate(() => dispatchEvent(new Event('visibilitychange')));
    await page.getByRole('heading', { name: 'Renamed elsewhere', level: 1 }).waitFor();
  });

  it('keeps the chosen theme and works with keys alone on the Map', async () => {
    await newBot('The example Harbour desk', 'Keyboard desk');
    const theme = () => page.evaluate(() => document.documentElement.dataset['bsTheme']);
    const before = await theme();
    await page.getByRole('button', { name: 'Switch between light and dark' }).click();
    await page.reload();
    expect(await theme()).to.not.equal(before);
    await page.getByRole('button', { name: 'Switch between light and dark' }).click();
    await page.locator('#node-say-hours').focus();
    await page.keyboard.press('Enter');
    await page.getByRole('complementary', { name: 'Details of say-hours' }).waitFor();
    await page.locator('#node-say-hours').focus();
    await page.keyboard.press('Delete');
    await page.locator('#node-say-hours').waitFor({ state: 'detached' });
    await page.locator('#node-menu .out').first().focus();
    await page.keyboard.press('Enter');
    await page.getByRole('dialog', { name: 'Add a node' }).waitFor();
    await page.keyboard.press('Escape');
    await page.getByRole('dialog', { name: 'Add a node' }).waitFor({ state: 'detached' });
    expect(await page.evaluate(() => document.activeElement?.className)).to.contain('out');
  });

  it('says that a used link is used, and asks strangers to sign in', async () => {
    const stranger = await browser.newContext();
    const other = await stranger.newPage();
    await other.goto(`${service.address}/sign-in#${'x'.repeat(43)}`);
    await other.getByRole('alert').getByText('Each link works once').waitFor();
    await other.goto(service.address);
    await other.getByText('npm start -- --link').waitFor();
    await stranger.close();
  });

  it('has nothing that axe complains about, on any page, in light and dark', async () => {
    const viewport = { width: 1280, height: 800 };
    const context = await browser.newContext({ viewport, bypassCSP: true, reducedMotion: 'reduce' });
    const eyes = await context.newPage();
    const look = async (name: string) => {
      await eyes.waitForTimeout(100);
      const found = await axeFindings(eyes);
      expect([name, ...found]).to.deep.equal([name]);
    };
    const { bot } = await service.client.call('createBot', { body: { from: 'example', example: 'harbour-desk' } });
    await pointAtOffice(bot.id);
    const params = { bot: bot.id };
    const irc = await service.client.call('createChannel', {
      params,
      body: { kind: 'irc', name: 'Quay', settings: { host: '127.0.0.1', port: 1, tls: false, nick: 'desk', rooms: ['#quay'] } },
    });
    const profile = readyProfile('challenge', 'https://post.example');
    if (!profile) throw new Error('there is no such mapping');
    const post = await service.client.call('createChannel', { params, body: { kind: 'hook-messenger', name: 'Post', profile } });
    await eyes.goto(await service.link());
    await eyes.getByRole('heading', { name: 'Bots' }).waitFor();
    for (const theme of ['light', 'dark']) {
      await eyes.evaluate((t) => localStorage.setItem('primrose-theme', t), theme);
      await eyes.goto(service.address);
      await eyes.locator('.rows .name').first().waitFor();
      await look(`${theme} bots`);
      await eyes.goto(`${service.address}/bots/${bot.id}/map`);
      await eyes.getByRole('button', { name: 'Let the bot begin' }).click();
      await eyes.locator('.strip.on').waitFor();
      await eyes.locator('#node-find-sailings .prose').click();
      await look(`${theme} map`);
      await eyes.locator('#node-menu .out').first().click();
      await look(`${theme} type to add`);
      await eyes.keyboard.press('Escape');
      await eyes.locator('.strip.on').click();
      await look(`${theme} turn sheet`);
      for (const section of [
        'Understanding',
        'Knowledge',
        'Actions',
        'Models',
        'Rehearsals',
        'Channels',
        'Conversations',
        'Settings',
      ]) {
        await eyes.getByRole('link', { name: section }).click();
        await look(`${theme} ${section}`);
      }
      for (const { id, name } of [irc, post]) {
        await eyes.goto(`${service.address}/bots/${bot.id}/channels/${id}`);
        await eyes.getByRole('heading', { name, exact: true }).waitFor();
        await look(`${theme} channel ${name}`);
      }
      await eyes.goto(`${service.address}/bots/${bot.id}/channels`);
      await eyes.getByRole('button', { name: 'Connect a channel…' }).click();
      await eyes.getByLabel(/^Mail/).check();
      await look(`${theme} connecting a channel`);
      for (const [page_, tabs] of [
        ['releases', 'Settings'],
        ['history', 'Settings'],
        ['retention', 'Settings'],
        ['visitors', 'Conversations and visitors'],
      ] as const) {
        await eyes.goto(`${service.address}/bots/${bot.id}/${page_}`);
        await eyes.getByRole('navigation', { name: tabs }).waitFor();
        await look(`${theme} ${page_}`);
      }
    }
    await eyes.goto(service.chat);
    await eyes.locator('.choices button').first().waitFor();
    await look('web chat');
    await context.close();
  });
});
