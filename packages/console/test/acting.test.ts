import { expect } from 'chai';
import type { Value } from '@primrose/core';
import type { Page } from 'playwright-core';
import { Phone } from '../../server/test/support/phones.js';
import type { TestService } from '../../server/test/support/service.js';
import { until } from '../../server/test/support/until.js';
import { inTheConsole } from './support.js';

describe('the pages of what a bot can do, in a browser', () => {
  let service: TestService;
  let page: Page;
  let demo: string;

  inTheConsole((opened) => ({ service, page } = opened));
  before(async () => {
    const { items } = await service.client.call('listBots', { query: { limit: 200 } });
    for (const { id, bot } of items)
      if (bot === 'harbour-desk' && (await service.client.call('listChannels', { params: { bot: id } })).items.length > 1)
        demo = id;
  });

  const blank = async (name: string) => (await service.client.call('createBot', { body: { from: 'blank', name } })).bot.id;
  const at = (bot: string, path: string) => page.goto(`${service.address}/bots/${bot}/${path}`);
  const saved = () => page.getByText('· saved').waitFor();
  const draft = async (bot: string) => (await service.client.call('getDraft', { params: { bot } })).document;

  it('teaches an intent: phrases, a mark made by selecting words, an everyday wish, and a try', async () => {
    const bot = await blank('Taught by hand');
    await at(bot, 'understanding');
    await page.getByText('No intents. Paste ten things people ask.').waitFor();
    await page.getByLabel('New list').fill('port');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: '+ a value' }).click();
    await page.getByLabel('Id').fill('tarn-holm');
    await page.getByLabel('Words for tarn-holm, with commas between').fill('Tarn Holm, the holm');
    await page.getByLabel('New intent').fill('Book a crossing');
    await page.keyboard.press('Enter');
    for (const phrase of ['take me to the island', 'a ticket please', 'book a boat', 'I want to cross', 'reserve a place']) {
      await page.getByLabel('Add a phrase a visitor might say').fill(phrase);
      await page.keyboard.press('Enter');
    }
    const phrase = page.getByRole('group', { name: /take me to the island/ });
    await phrase.evaluate((line) => {
      const text = line.querySelector('span')?.firstChild;
      const range = document.createRange();
      if (!text) throw new Error('the phrase has no words');
      range.setStart(text, 11);
      range.setEnd(text, 21);
      getSelection()?.removeAllRanges();
      getSelection()?.addRange(range);
      line.dispatchEvent(new MouseEvent('mouseup', { bubbles: true }));
    });
    await page.getByLabel('Entity').selectOption('port');
    await page.getByLabel('Role, if it has one').fill('destination');
    await page.getByRole('button', { name: 'Mark', exact: true }).click();
    await page.getByText('destination: port').waitFor();
    await page.getByLabel('Add an everyday wish').selectOption('thanks');
    await page.getByRole('heading', { name: 'thanks', level: 2 }).waitFor();
    await page.getByLabel('Say something to try').fill('a ticket to the holm please');
    const ranked = page.getByRole('list', { name: 'Intents by score' });
    await ranked.getByText('book a crossing').waitFor();
    await page.getByText('Its flow would take destination tarn-holm.').waitFor();
    await saved();
    const { intents, entities } = await draft(bot);
    expect(intents?.['book-a-crossing']?.phrases?.['en']).to.include('take me to <<the island | destination: port>>');
    expect(intents?.['thanks']).to.deep.include({ ready: 'thanks' });
    expect(entities?.['port']?.values).to.deep.equal({ 'tarn-holm': ['Tarn Holm', 'the holm'] });
  });

  it('says beside the intent what is wrong with it', async () => {
    const bot = await blank('Nothing said');
    await at(bot, 'understanding');
    await page.getByLabel('New intent').fill('silent');
    await page.keyboard.press('Enter');
    await page.getByText('The intent "silent" has no phrases, so nobody can mean it.').first().waitFor();
    await page.getByLabel('New context').fill('trip');
    await page.keyboard.press('Enter');
    await page.getByText('Nothing opens the context "trip".').waitFor();
  });

  it('takes a document in, splits it, and says whether it covers a question', async () => {
    const bot = await blank('Well read');
    await at(bot, 'knowledge');
    await page.getByLabel('New knowledge base').fill('guide');
    await page.keyboard.press('Enter');
    const file = (name: string, text: string) => ({ name, mimeType: 'text/plain', buffer: Buffer.from(text) });
    const input = page.locator('input[type=file]');
    await input.setInputFiles([
      file('pets.md', '# Pets\n\n## Dogs\n\nDogs travel free.\n\n## Cats\n\nCats travel in a carrier.'),
    ]);
    await page.getByText('2 passages').waitFor();
    await input.setInputFiles([file('fares.bin', 'x'), file('broken.pdf', '%PDF'), file('empty.html', '<script>1</script>')]);
    const uploads = page.getByRole('list', { name: 'Uploads' });
    await uploads.getByText('it is read by its ending').waitFor();
    // One that cannot be read says so, and leaves the others alone.
    await page.getByText('it is no PDF file, or is damaged').waitFor();
    await page.getByText('no text was found in it').waitFor();
    await page.locator('.lists .corner').nth(1).waitFor();
    const question = page.getByRole('textbox', { name: 'Question' });
    await question.fill('where do cats travel?');
    await page.keyboard.press('Enter');
    await page.getByText('Covered', { exact: false }).first().waitFor();
    await page.getByRole('region', { name: 'Try a question' }).getByText('Cats travel in a carrier.').waitFor();
    await question.fill('do you sell submarines?');
    await page.keyboard.press('Enter');
    await page.getByText('In no document: sell, submarines').waitFor();
    await saved();
    expect(Object.keys((await draft(bot)).knowledge?.['guide']?.documents ?? {})).to.have.members(['pets', 'broken', 'empty']);
  });

  it('tries a model, and says why it does not answer', async () => {
    await at(demo, 'models');
    const reader = page.getByRole('region', { name: 'Model profile reader' });
    await reader.getByRole('button', { name: 'Try', exact: true }).click();
    await reader.getByText('I am a practice model').waitFor();
    const bot = await blank('No minds');
    await at(bot, 'models');
    await page.getByLabel('New model profile').fill('quick');
    await page.keyboard.press('Enter');
    await page.getByText('There is no connection "model-service".').first().waitFor();
    await page.getByRole('button', { name: 'Try', exact: true }).click();
    await page.getByText('It did not answer: the connection "model-service" has no address').waitFor();
  });

  it('edits a listen, a model, a lookup and a hand-over node', async () => {
    const bot = await blank('New kinds');
    const nodes = {
      hear: { kind: 'listen', hears: [], exits: {} },
      think: { kind: 'model', uses: '', parts: [{ part: 'task', says: '' }], into: 'flow.answer', exits: {} },
      look: { kind: 'lookup', in: '', asks: '{{ turn.text }}', into: 'flow.passages', exits: {} },
      over: { kind: 'hand-over', reason: '', says: '', exits: {} },
    };
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const patch: { op: 'add'; path: string; value: Value }[] = [
      { op: 'add', path: '/flows/welcome/nodes', value: nodes },
      { op: 'add', path: '/flows/welcome/begin', value: 'hear' },
      { op: 'add', path: '/intents', value: { thanks: { ready: 'thanks' } } },
      { op: 'add', path: '/models', value: { quick: { connection: 'none', model: 'm' } } },
      { op: 'add', path: '/knowledge', value: { guide: { documents: {} } } },
    ];
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch } });
    await at(bot, 'map/welcome/hear');
    await page.getByRole('button', { name: '+ an intent' }).click();
    await page.getByLabel('Intent 1').waitFor();
    await saved();
    await at(bot, 'map/welcome/think');
    await page.getByLabel('Model profile').selectOption('quick');
    await page.getByLabel('Text of task').fill('Greet {{ turn.text }}');
    await page.getByText('gives what the visitor wrote as an instruction').first().waitFor();
    await page.getByRole('checkbox', { name: 'what others wrote, no instruction' }).check();
    await page.getByRole('button', { name: '+ a field' }).click();
    await page.getByText(/About \d+ tokens/).waitFor();
    // The word "saved" may still be that of the edit before.
    while ((await draft(bot)).flows['welcome']?.nodes['think']?.['gives'] === undefined) await page.waitForTimeout(50);
    await saved();
    await at(bot, 'map/welcome/look');
    await page.getByLabel('Knowledge base').selectOption('guide');
    await saved();
    await at(bot, 'map/welcome/over');
    await page.getByLabel('Why, for staff').fill('They asked for it');
    await page.getByRole('textbox', { name: 'The visitor is told' }).fill('One moment.');
    await saved();
    const { welcome } = (await draft(bot)).flows;
    expect(welcome?.nodes['hear']).to.deep.include({ hears: ['thanks'] });
    expect(welcome?.nodes['think']).to.deep.include({
      uses: 'quick',
      parts: [{ part: 'task', says: 'Greet {{ turn.text }}', input: true }],
      gives: { field_1: 'text?' },
    });
    expect(welcome?.nodes['look']).to.deep.include({ in: 'guide' });
    expect(welcome?.nodes['over']).to.deep.include({ reason: 'They asked for it', says: 'One moment.' });
  });

  it('saves an edit whose page is left at once', async () => {
    const bot = await blank('Left at once');
    await at(bot, 'understanding');
    await page.getByLabel('New intent').fill('Left at once');
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'left at once', level: 2 }).waitFor();
    await page.goto('about:blank');
    await until(async () => Object.keys((await draft(bot)).intents ?? {}).includes('left-at-once'));
  });

  it('shows in the simulator what was understood, cites, and hands back what was handed over', async () => {
    await at(demo, 'map');
    const say = async (text: string) => {
      await page.getByLabel('Say something as the visitor').fill(text);
      await page.keyboard.press('Enter');
    };
    await say('may I bring my bicycle on board?');
    await page.locator('.cites summary').first().waitFor();
    await page.locator('.strip').last().getByText('luggage').waitFor();
    await page.locator('.strip').last().click();
    await page.getByRole('heading', { name: 'Understood' }).waitFor();
    await page.getByRole('heading', { name: /^Knowledge asked passenger-guide/ }).waitFor();
    await page.getByRole('heading', { name: /^Model call/ }).waitFor();
    await page.locator('.ps summary').first().click();
    await page.locator('.ps .whole').getByText('Answer the question from the numbered passages alone').waitFor();
    await say('let me talk to a person please');
    await page.getByText(/^handed over: .*asked for a person/).waitFor();
    await page.getByRole('button', { name: 'Hand back to the bot' }).click();
    await page.getByText('This is the Harbour desk again').first().waitFor();
  });

  it('lets staff read a conversation of the messenger, answer in it and hand it back', async () => {
    const tam = new Phone(service.messenger, '771002');
    await tam.ask('connect me to somebody from the staff please', 'I am calling Shore desk');
    await at(demo, 'conversations');
    await page.getByRole('button', { name: /^Handed over/ }).click();
    await page.getByRole('link', { name: /connect me to somebody/ }).click();
    await page.getByText(/^handed over: Tamsin Orde asked for a person/).waitFor();
    await page.getByRole('link', { name: 'open it in the inbox' }).click();
    await page.getByLabel('Answer as staff').fill('Good day, this is Mo.');
    await page.getByRole('button', { name: 'Answer', exact: true }).click();
    await tam.until('Good day, this is Mo.');
    await page.locator('.line.staff').getByText('Good day, this is Mo.').waitFor();
    await page.getByRole('button', { name: 'Hand back to the bot' }).click();
    await tam.until('This is the Harbour desk again');
    await page.getByText('With staff no more; the bot answers what comes next.').waitFor();
    await page.getByRole('link', { name: 'Conversations' }).first().click();
    await page.getByRole('link', { name: /connect me to somebody/ }).click();
    await page.getByText('handed back').waitFor();
    await page.locator('.talk .strip').first().click();
    await page.getByRole('heading', { name: 'Turn 1' }).waitFor();
  });

  it('shows a messenger: its switch, its events, a mapping that does not fit, and a sample', async () => {
    await at(demo, 'channels');
    await page.getByRole('link', { name: 'Gullpost' }).click();
    await page.getByRole('cell', { name: 'taken in' }).first().waitFor();
    const toggle = page.locator('.onoff input[type=checkbox]');
    await toggle.click();
    await page.locator('.onoff.off').getByText('Switched off').waitFor();
    await toggle.click();
    await page.locator('.onoff:not(.off)').waitFor();
    await page.getByRole('button', { name: 'open', exact: true }).first().click();
    page.once('dialog', (d) => void d.accept('a kept event'));
    await page.getByRole('button', { name: 'Keep as a sample' }).click();
    await page.getByText(/Samples kept: .*a kept event/).waitFor();
    // As a form: a field is chosen, then its value is picked from the last webhook.
    const text = page.getByLabel(/^Text\b/);
    await text.fill('itm.words');
    await page.locator('.mapfield').getByText('nothing is called "itm" here; there are item, body').waitFor();
    await text.fill('item.wrods');
    await page.getByText('The last webhook reads as').waitFor();
    await page.getByText('Pick what Text is.').waitFor();
    await page
      .locator('.picktree')
      .getByRole('button', { name: /^words: / })
      .first()
      .click();
    expect(await text.inputValue()).to.equal('item.words');
    await page.getByLabel('Kind of message').selectOption({ label: 'Buttons' });
    await page.locator('aside pre').getByText('"label": "the Sandpiper"').waitFor();
    expect(await page.locator('aside pre').first().textContent()).to.match(/^POST http:\/\/127\.0\.0\.1:\d+\/api\/letters\n/);
    // As text it is the same.
    await page.getByRole('button', { name: 'as text' }).click();
    const mapping = page.getByLabel('Mapping', { exact: true });
    const written = await mapping.inputValue();
    await mapping.fill(written.replace('item.words', 'itm.words'));
    await page.getByText('/event/text: nothing is called "itm" here; there are item, body').first().waitFor();
  });

  it('connects another messenger and keeps its secret unseen', async () => {
    const bot = await blank('Connected');
    await at(bot, 'channels');
    await page.getByRole('button', { name: 'Connect a channel…' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Other post');
    await page.getByLabel('Its API').selectOption('own');
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await page.getByRole('heading', { name: 'Other post' }).waitFor();
    await page.getByText('so only testers are answered').waitFor();
    await page.getByLabel('Name of the secret', { exact: true }).fill('token');
    await page.getByLabel('The secret', { exact: true }).fill('t0ken-of-ours');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByText('is kept').waitFor();
    expect(await page.content()).to.not.contain('t0ken-of-ours');
  });

  it('connects a messenger by a ready mapping with a name, its address and a token, and others by their settings', async () => {
    const bot = await blank('Connected otherwise');
    await at(bot, 'channels');
    await page.getByRole('button', { name: 'Connect a channel…' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Ready post');
    await page.getByLabel('Its API').selectOption({ label: 'Handshake by challenge' });
    await page.getByLabel('Address of the API').fill('https://post.example/api');
    await page.getByLabel(/^Token/).fill('t0ken-of-ours');
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await page.getByRole('heading', { name: 'Ready post' }).waitFor();
    expect(await page.getByLabel(/^Address/).inputValue()).to.equal('https://post.example/api');
    await page.getByText('How webhooks are known').click();
    expect(await page.getByLabel(/^Handshake passes/).inputValue()).to.equal('query.token == secret.token');
    await at(bot, 'channels');
    await page.getByRole('button', { name: 'Connect a channel…' }).click();
    await page.getByLabel(/^IRC/).check();
    await page.getByLabel('Name', { exact: true }).fill('Old harbour');
    await page.getByLabel(/^Host/).fill('127.0.0.1');
    await page.getByLabel(/^Port/).fill('1');
    await page.getByLabel(/^Nick/).fill('desk');
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await page.getByRole('heading', { name: 'Old harbour' }).waitFor();
    await page.getByText('nothing listens at this address').first().waitFor();
    await page.getByText('How messages look here').getByRole('button').click();
    await page
      .getByRole('row', { name: /^Buttons Which boat/ })
      .getByText('2. the Wrackline')
      .waitFor();
    await page.getByLabel(/^Nick/).fill('no nick');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByText('The settings cannot be used, /settings/nick').waitFor();
    await page.getByRole('button', { name: 'Copy', exact: true }).click();
    await page.getByRole('heading', { name: 'Old harbour (copy)' }).waitFor();
    await page.locator('.onoff.off').waitFor();
    page.once('dialog', (d) => void d.accept());
    await page.getByRole('button', { name: 'Delete…' }).click();
    await page.getByRole('heading', { name: 'Channels', exact: true }).waitFor();
    expect(await page.getByText('Old harbour (copy)').count()).to.equal(0);
  });

  it('makes keys for programs, shows each once, and withdraws them', async () => {
    const bot = await blank('For programs');
    await at(bot, 'channels');
    await page.getByRole('button', { name: 'Connect a channel…' }).click();
    await page.getByLabel(/^Bot API/).check();
    await page.getByLabel('Name', { exact: true }).fill('Programs');
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await page.getByRole('heading', { name: 'Programs' }).waitFor();
    await page.getByLabel('Name of the program').fill('tide-table');
    await page.getByRole('button', { name: 'Make a key' }).click();
    await page.getByText('The key of tide-table, shown this once').waitFor();
    await page.reload();
    await page.getByText('tide-table').waitFor();
    expect(await page.getByText('shown this once').count()).to.equal(0);
    await page.getByRole('button', { name: 'Withdraw its key' }).click();
    await page.getByText('No program has a key yet.').waitFor();
  });

  it('shows in the details of a message how it looks on each channel', async () => {
    const bot = await blank('Looked at');
    await at(bot, 'channels');
    await page.getByRole('button', { name: 'Connect a channel…' }).click();
    await page.getByLabel(/^Telephone/).check();
    await page.getByLabel('Name', { exact: true }).fill('Line');
    await page.getByRole('button', { name: 'Connect', exact: true }).click();
    await page.getByRole('heading', { name: 'Line' }).waitFor();
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const nodes = { hello: { kind: 'say', says: 'It is 07:40.', exits: { said: 'over' } }, over: { kind: 'end', ends: 'flow' } };
    const patch = [
      { op: 'add' as const, path: '/flows/welcome/nodes', value: nodes },
      { op: 'add' as const, path: '/flows/welcome/begin', value: 'hello' },
    ];
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch } });
    await at(bot, 'map/welcome/hello');
    const looks = page.locator('.lookson');
    await looks.waitFor();
    await looks.getByLabel('Channel on which it is shown').selectOption({ label: 'Line' });
    await looks.getByText('It is seven forty.').waitFor();
  });
});
