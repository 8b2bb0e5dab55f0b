import { expect } from 'chai';
import type { Page, Route } from 'playwright-core';
import { demoDocument } from '../../core/test/harbour.js';
import type { TestService } from '../../server/test/support/service.js';
import { axeFindings, botWith, inTheConsole } from './support.js';

const FRIDAY = 'book a crossing from Kelpwick to Tarn Holm on Friday with the car';

describe('the simulator, in a browser', () => {
  let service: TestService;
  let page: Page;
  let bot: string;

  inTheConsole((opened) => ({ service, page } = opened), { permissions: ['clipboard-read', 'clipboard-write'] });
  beforeEach(async () => {
    ({ bot } = await botWith(service, demoDocument()));
    for (const [connection, standIn] of [
      ['booking-office', service.office],
      ['model-service', `${service.models}/v1`],
    ] as const)
      await service.client.call('setConnection', { params: { bot, connection }, body: { standIn } });
    await at('map/welcome');
    await page.locator('.node').first().waitFor();
  });
  afterEach(() => switches({}));

  const at = (path: string) => page.goto(`${service.address}/bots/${bot}/${path}`);
  const switches = (body: Record<string, unknown>) => service.switches(body);
  const type = async (words: string) => {
    await page.getByLabel('Say something as the visitor').fill(words);
    await page.getByLabel('Say something as the visitor').press('Enter');
  };
  const turn = (number: number) => page.locator('.sim').getByRole('region', { name: `Turn ${number}`, exact: true });
  /** Says something and waits until it is answered, as the turn of this number. */
  const say = async (words: string, number: number) => {
    await type(words);
    await turn(number).locator('.strip').waitFor();
    await page.locator('.sim .live').waitFor({ state: 'detached' });
  };
  const more = async (what: string) => {
    await page.locator('.sim header').getByRole('button', { name: 'more' }).click();
    await page.getByRole('button', { name: what }).click();
  };
  const edit = async (path: string, value: string) => {
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch: [{ op: 'replace', path, value }] } });
  };
  const draft = async () => (await service.client.call('getDraft', { params: { bot } })).document;

  it('shows a turn while it runs, and stops it with what was done kept', async () => {
    await say('office hours', 2);
    await switches({ delay_ms: 8000 });
    await type(FRIDAY);
    const live = page.getByRole('region', { name: 'The turn that runs' });
    await live.locator('.livepath li').filter({ hasText: 'booking-office.list-sailings' }).getByText('…').waitFor();
    await live.locator('.call').filter({ hasText: 'GET /sailings' }).getByText('…').waitFor();
    // What came before it is done, with its time.
    await live.locator('.livepath li').filter({ hasText: 'Which day would you like to sail?' }).getByText(/\d ms/).waitFor();
    await live.getByRole('button', { name: 'Stop' }).click();
    await turn(3).getByText('stopped here').waitFor();
    await turn(3).locator('.strip').click();
    await page.getByText('Stopped before it was done. This is how far it came.').waitFor();
    await page.getByText('whether it was done is not known').waitFor();
  });

  it('explains a turn: words, scores, contexts, path in time, prompt, knowledge, calls, values; all to be copied', async () => {
    await say('when is the next boat from Kelpwick to Tarn Holm on Friday', 2);
    await turn(2).locator('.strip').click();
    const sheet = page.getByRole('main', { name: 'Turn sheet' });
    await sheet.locator('.gl').filter({ hasText: 'Tarn Holm' }).getByText('port = tarn-holm').waitFor();
    const contexts = sheet.locator('section').filter({ has: page.getByRole('heading', { name: 'Contexts' }) });
    expect(await contexts.locator('tbody td').allInnerTexts()).to.include.members(['sailing', 'absent']);
    const path = sheet.getByRole('region', { name: 'Path' });
    const widths = await path.locator('.tr i').evaluateAll((bars) => bars.map((b) => b.getBoundingClientRect().left));
    expect(widths).to.deep.equal([...widths].sort((a, b) => a - b));
    expect(await path.locator('.ax span').first().innerText()).to.equal('0');
    const call = sheet.getByRole('region', { name: 'API call of booking-office.list-sailings' });
    await call.locator('.tree b').getByText('sailings', { exact: true }).waitFor();
    await call.locator('.tree summary').filter({ hasText: 'id kelpwick' }).first().click();
    await call.getByText('“Wrackline”').or(call.getByText('“Sandpiper”')).first().waitFor();
    await call.getByRole('button', { name: 'Copy what came back' }).click();
    const copied = JSON.parse(await page.evaluate(() => navigator.clipboard.readText())) as { sailings: unknown[] };
    expect(copied.sailings.length).to.be.above(0);
    await path.getByText('set fill-in, left by done').click();
    await path.getByText('flow.day == clock.today').waitFor();
    // From a row to its node, and back to the turn.
    await path.getByRole('link', { name: /list-sailings/ }).click();
    await page.getByRole('complementary', { name: 'Details of Find sailings' }).getByRole('link', { name: 'in turn 2' }).click();
    await page.getByRole('heading', { name: 'Turn 2' }).waitFor();
    await say('can the dog come?', 3);
    await turn(3).locator('.strip').click();
    await sheet
      .getByRole('region', { name: 'Model call of writer' })
      .getByText(/\d+ in \+ \d+ out, 0\.\d+ EUR/)
      .waitFor();
    await sheet.getByRole('region', { name: 'Knowledge of passenger-guide' }).getByText('cited as 1').waitFor();
    await sheet.getByText(/\d+ tokens/).waitFor();
  });

  it('shows any chosen turn on the Map, and what each field read as in it', async () => {
    await say('find a crossing', 2);
    await say('Kelpwick', 3);
    await page.locator('#node-ask-destination .mk').waitFor();
    expect(await page.locator('#node-hello .mk').count()).to.equal(0);
    await turn(1).getByRole('button', { name: 'on the Map' }).click();
    await page.locator('#node-hello .mk').waitFor();
    expect(await page.locator('#node-ask-destination .mk').count()).to.equal(0);
    await page.locator('#node-who').click();
    await page.locator('.details').getByText('in turn 1').waitFor();
    await page.locator('.details .reads').first().getByText('turn 1').waitFor();
  });

  it('goes back to a turn, says something else, and keeps the other line as a branch to switch to', async () => {
    await say('book a crossing from Kelpwick to Tarn Holm on Friday', 2);
    await say('with a car', 3);
    await turn(3).getByRole('button', { name: 'say otherwise' }).click();
    await turn(3).waitFor({ state: 'detached' });
    expect(await page.getByLabel('Say something as the visitor').inputValue()).to.equal('with a car');
    await say('with a bicycle', 3);
    await turn(3).getByText('2 of 2').waitFor();
    await turn(3).getByText('Sandpiper').first().waitFor();
    const tree = page.getByRole('group', { name: '2 branches' });
    expect(await tree.getByRole('button').count()).to.equal(4);
    await tree.getByRole('button', { name: 'Turn 3 on branch 1: with a car' }).click();
    await turn(3).locator('.line.visitor').getByText('with a car').waitFor();
    await turn(3).getByRole('button', { name: 'What was said later in its place' }).click();
    await turn(3).locator('.line.visitor').getByText('with a bicycle').waitFor();
  });

  it('says all again after an edit and shows at once what answers otherwise, and how', async () => {
    await say('office hours', 2);
    await edit('/flows/welcome/nodes/say-hours/says/en', 'We are open all day.');
    await page.locator('#node-say-hours').getByText('We are open all day.').waitFor();
    await more('Say all again');
    await turn(1).getByText('as before').waitFor();
    await turn(2).getByText('otherwise: words').waitFor();
    await turn(2).locator('.strip').click();
    const again = page.getByRole('region', { name: 'Said again' });
    await again.getByText('The office is open from 06:00 to 20:00').waitFor();
    await again.getByText('We are open all day.').waitFor();
  });

  it('starts at a node with variables filled in, or taken from a conversation with a visitor', async () => {
    const { client } = service;
    await client.call('createRelease', { params: { bot }, body: { note: '' } });
    const [channel] = (await client.call('listChannels', { params: { bot } })).items;
    const visitor = await page.context().newPage();
    await visitor.goto(channel?.link ?? '');
    await visitor.getByRole('button', { name: 'Find a crossing' }).click();
    await visitor.getByText('Which port do you leave from?').waitFor();
    await visitor.getByLabel('Write a message').fill('Gannet Quay');
    await visitor.keyboard.press('Enter');
    await visitor.getByText('And where to?').waitFor();
    await visitor.close();
    await at('map/welcome/ask-day');
    await page.locator('.details').getByRole('button', { name: 'more' }).click();
    await page.getByRole('button', { name: 'Start the simulator here…' }).click();
    const dialog = page.getByRole('dialog');
    const from = dialog.getByLabel('Values from');
    await from.locator('option', { hasText: 'Gannet Quay' }).waitFor({ state: 'attached' });
    await from.selectOption({
      index: (await from.locator('option').allInnerTexts()).findIndex((t) => t.includes('Gannet Quay')),
    });
    await dialog.getByLabel('After turn').waitFor();
    expect(await dialog.getByLabel('flow.origin').inputValue()).to.equal('gannet-quay');
    await dialog.getByLabel('flow.destination').fill('tarn-holm');
    await dialog.getByRole('button', { name: 'Start here' }).click();
    await turn(1).getByText('started at welcome/ask-day').waitFor();
    await turn(1).getByText('Which day would you like to sail?').waitFor();
    await say('Friday', 2);
    await say('on foot', 3);
    await turn(3).getByRole('button', { name: '07:20 Wrackline' }).waitFor();
  });

  it('runs one node by itself, on the last values or on a kept sample, old beside new', async () => {
    await say('when is the next boat from Kelpwick to Tarn Holm on Friday', 2);
    await page.goto(`${service.address}/bots/${bot}/map/next-sailing/find`);
    await page.locator('.details').waitFor();
    await more('Other conversations…');
    await page.locator('.kepttalks button').first().click();
    const own = page.getByRole('region', { name: 'Run this node' });
    await own.getByText('on the values of turn 2').waitFor();
    await own.getByRole('button', { name: 'Run', exact: true }).click();
    const beside = page.getByRole('table', { name: 'Old and new result' });
    await beside.getByRole('row', { name: /^exit/ }).getByText('done').nth(1).waitFor();
    expect(await beside.locator('.differs').count()).to.equal(0);
    await own.getByLabel('What comes back').selectOption('office-does-not-answer');
    await own.getByRole('button', { name: 'Run', exact: true }).click();
    await beside.locator('.differs').getByText('failed', { exact: true }).waitFor();
    await beside.getByText('the sample office-does-not-answer says so').waitFor();
  });

  it('pauses before each node, and goes on with a variable changed', async () => {
    await say('office hours', 2);
    await page.locator('.say').getByLabel('step').check();
    await type('cancel my booking KEL 4821');
    const box = page.getByRole('region', { name: 'The turn pauses' });
    await box.getByText('welcome/menu').waitFor();
    await page.locator('#node-menu .mk').waitFor();
    await box.getByRole('button', { name: 'Next node' }).click();
    await box.getByText('cancel-booking/from-before').waitFor();
    await box.getByLabel('flow.reference').fill('TAR 0317');
    await box.getByRole('button', { name: 'Next node' }).click();
    await box.getByText('cancel-booking/ask-reference').waitFor();
    // It is still there when the window is opened anew.
    const settings = (await service.client.call('listSimulations', { params: { bot }, query: {} })).items[0];
    await page.goto(`${service.address}/bots/${bot}/simulations/${settings?.id}`);
    await box.getByRole('button', { name: 'To the end' }).click();
    await turn(3).getByText('Shall I cancel TAR 0317?').waitFor();
    await turn(3).locator('.strip').click();
    await page.getByText('cancel-booking/from-before').or(page.getByText('set from-before')).first().click();
    await page.getByText('set by hand').waitFor();
  });

  it('keeps a result as a sample, answers from samples, and calls for real only when asked twice', async () => {
    await say('when is the next boat from Port Anselm to Tarn Holm on Friday', 2);
    await turn(2).locator('.strip').click();
    const call = page.getByRole('region', { name: 'API call of booking-office.list-sailings' });
    await call.getByRole('button', { name: 'keep as sample' }).click();
    await call.getByLabel('Name of the sample').fill('From Anselm');
    await call.getByRole('button', { name: 'Keep', exact: true }).click();
    await call.getByText('kept as from-anselm').waitFor();
    await page.getByText('· saved').waitFor();
    expect((await draft()).samples?.['from-anselm']).to.deep.include({ answers: 'booking-office.list-sailings', status: 200 });
    const outside = page.getByRole('group', { name: 'Where calls go' });
    const office = outside.locator('label').filter({ hasText: 'booking-office' }).getByRole('combobox');
    expect(await office.inputValue()).to.equal('stand-in');
    // However late the change arrives, what is said after it is said with it.
    const late = async (route: Route) => {
      if (route.request().method() === 'PATCH') await new Promise((done) => setTimeout(done, 1000));
      await route.continue();
    };
    await page.route('**/simulations/*', late);
    await office.selectOption('samples');
    await switches({ fail: 'always' });
    await turn(2).getByRole('button', { name: 'say otherwise' }).click();
    await turn(2).waitFor({ state: 'detached' });
    await say('when is the next boat from Port Anselm to Tarn Holm on Friday', 2);
    await turn(2).locator('.strip').click();
    await call.getByText('from the sample from-anselm').waitFor();
    await page.unroute('**/simulations/*', late);
    await office.selectOption('real');
    await page.getByRole('dialog').getByText('is really done').waitFor();
    await page.getByRole('button', { name: 'Leave it' }).click();
    expect(await office.inputValue()).to.equal('samples');
    await office.selectOption('real');
    await page.getByRole('button', { name: 'Call it for real' }).click();
    await outside.locator('label.real').waitFor();
    await page.getByRole('button', { name: 'start over' }).click();
    await outside.locator('label.real').waitFor({ state: 'detached' });
    // The new conversation is the one that is talked in, also when it was begun from a turn sheet.
    await page.getByRole('main', { name: /^Map of the flow/ }).waitFor();
    await turn(1).locator('.strip').waitFor();
    expect(await turn(2).count()).to.equal(0);
    expect(await outside.locator('label.real').count()).to.equal(0);
  });

  it('speaks as a made-up visitor, on a channel without buttons, at a moment of its own, with a file', async () => {
    await page.getByTitle('Who is speaking').click();
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel('Name').fill('Ada');
    await dialog.getByRole('button', { name: 'keep as a made-up visitor' }).click();
    await dialog.getByLabel('visitor.first_name').fill('Adelheid');
    await dialog.getByLabel('Channel').fill('web-chat');
    await dialog.getByLabel('It shows buttons').uncheck();
    await dialog.getByLabel('Clock').selectOption('stands');
    await dialog.getByLabel('Date and time').fill('2026-05-14T10:00');
    await dialog.getByRole('button', { name: 'Speak so' }).click();
    await page.getByText(/^as Ada on web-chat, at (14 May|May 14)/).waitFor();
    // What is said first opens the conversation: the bot greets, then hears it.
    await say('office hours', 2);
    await turn(1).getByText('Adelheid').first().waitFor();
    expect(await turn(1).locator('.aswords li').allInnerTexts()).to.deep.equal([
      'Find a crossing',
      'Office hours',
      'Nothing, thanks',
    ]);
    expect(await turn(1).locator('.replies').count()).to.equal(0);
    await page
      .locator('.say input[type=file]')
      .setInputFiles([{ name: 'ticket.txt', mimeType: 'text/plain', buffer: Buffer.from('x') }]);
    await page.getByText('with ticket.txt').waitFor();
    await say('when is the next boat from Kelpwick to Tarn Holm', 3);
    await turn(3).getByText('with ticket.txt').waitFor();
    await turn(3).getByText('on Thursday 14 May').waitFor();
    const { items } = await service.client.call('listMadeUpVisitors', { params: { bot } });
    expect(items[0]).to.deep.include({ name: 'Ada', variables: { first_name: 'Adelheid', bookings: [] } });
  });

  it('names a conversation, finds it again, and opens it from a link', async () => {
    await say('office hours', 2);
    await more('Name this conversation…');
    await page.getByLabel('Name of this conversation').fill('Opening hours');
    await page.keyboard.press('Enter');
    await page.locator('.sim header .name').getByText('Opening hours').waitFor();
    await more('Copy a link to it');
    await page.getByText('The link is copied').waitFor();
    const link = await page.evaluate(() => navigator.clipboard.readText());
    const colleague = await page.context().newPage();
    await colleague.goto(link);
    await colleague.locator('.sim').getByText('The office is open from').waitFor();
    await colleague.close();
    await at('map');
    await more('Other conversations…');
    await page.getByLabel('Find a simulation').fill('opening');
    await page.locator('.kepttalks').getByText('Opening hours').click();
    await turn(2).getByText('The office is open from').waitFor();
  });

  it('keeps a conversation as a rehearsal, runs all with one key, opens a failure as a turn sheet, and shows coverage', async () => {
    await say('office hours', 2);
    await more('Keep as rehearsal…');
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel('Name').fill('Hours by hand');
    await dialog.getByText('rehearsals/hours-by-hand.yaml').waitFor();
    const text = dialog.getByLabel('What is said, and what is expected');
    await text.fill((await text.inputValue()).replace('expects:', 'expect:'));
    await dialog.getByRole('button', { name: 'Keep', exact: true }).click();
    await dialog.getByText(/line \d+: turns\/0: Unrecognized key: "expect"/).waitFor();
    await text.fill((await text.inputValue()).replace('expect:', 'expects:'));
    await dialog.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByLabel('Text of the rehearsal hours-by-hand').waitFor();
    await page.getByText('· saved').waitFor();
    await edit('/flows/welcome/nodes/say-hours/says/en', 'We never close.');
    await page.locator('.top h1').click();
    await page.keyboard.press('h');
    await page.getByText(/\d+ failed/).waitFor();
    const row = page.getByRole('row').filter({ hasText: 'hours by hand' });
    await row.getByText('The bot should say “The office is open from 06:00 to 20:00, every day.”').waitFor();
    await row.getByRole('link', { name: 'failed in turn 2' }).click();
    await page.getByRole('heading', { name: 'Not as expected' }).waitFor();
    await page.getByText('We never close.').first().waitFor();
    expect(await axeFindings(page)).to.deep.equal([]);
    await page.getByRole('link', { name: 'Read the rehearsal' }).click();
    const own = page.getByLabel('Text of the rehearsal hours-by-hand');
    await own.fill((await own.inputValue()).replace('The office is open from 06:00 to 20:00, every day.', 'We never close.'));
    await page.getByText('· saved').waitFor();
    await page.getByRole('link', { name: 'All rehearsals' }).click();
    await page.getByRole('button', { name: 'Coverage' }).click();
    await page.getByText('never heard: hello').waitFor();
    expect(await axeFindings(page)).to.deep.equal([]);
    await page.getByRole('link', { name: 'Cancel a booking' }).click();
    await page.locator('#node-no-answer').getByText('never rehearsed').waitFor();
    await page
      .locator('#node-sure')
      .getByText(/\d times/)
      .waitFor();
    await page
      .getByRole('button', { name: /^Exit other.*never taken in a rehearsal/ })
      .first()
      .waitFor();
    expect(await axeFindings(page)).to.deep.equal([]);
  });

  it('rehearses before a release, and asks for a reason where one fails', async () => {
    await edit('/flows/book-crossing/nodes/just-gone/says/en', 'Too late.');
    await page.reload();
    await page.getByRole('button', { name: /^Release 1/ }).click();
    await page.getByRole('button', { name: 'Release', exact: true }).click();
    await page.getByText('One rehearsal fails.').waitFor();
    await page.getByText('/rehearsals/last-place-gone/turns/2').waitFor();
    await page.getByLabel('Why it is to be released all the same').fill('the words are new');
    await page.getByRole('button', { name: 'Release', exact: true }).click();
    await page.getByText('Visitors get Release 1 now.').waitFor();
    await at('releases');
    await page.getByText('although rehearsals failed: the words are new').waitFor();
  });

  for (const theme of ['light', 'dark'] as const)
    it(`has no findings of axe in its ${theme} theme: branches, live settings, dialogs, sheets`, async () => {
      await page.evaluate((t) => localStorage.setItem('primrose-theme', t), theme);
      await page.reload();
      await say('can the dog come?', 2);
      await turn(2).getByRole('button', { name: 'say otherwise' }).click();
      await turn(2).waitFor({ state: 'detached' });
      await say('office hours', 2);
      expect(await axeFindings(page)).to.deep.equal([]);
      await turn(2).locator('.strip').click();
      await page.getByRole('heading', { name: 'Turn 2' }).waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
      await page.getByTitle('Who is speaking').click();
      await page.getByRole('dialog').getByLabel('Clock').waitFor();
      await page.waitForTimeout(400);
      expect(await axeFindings(page)).to.deep.equal([]);
      await page.getByRole('button', { name: 'Cancel' }).click();
      await page.getByRole('dialog').waitFor({ state: 'detached' });
      await page.locator('.say').getByLabel('step').check();
      await type('goodbye');
      await page.getByRole('region', { name: 'The turn pauses' }).waitFor();
      expect(await axeFindings(page)).to.deep.equal([]);
      await page.evaluate(() => localStorage.removeItem('primrose-theme'));
    });
});
