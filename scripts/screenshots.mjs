// npm run screenshots: takes the pictures of docs/screenshots anew, from the demo data, in a database of its own.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { launchBrowser } from './lib/browser.mjs';
import { ensureBuilt, ensureProgram, ROOT } from './lib/machine.mjs';

const SHOTS = join(ROOT, 'docs', 'screenshots');
const TRIP = ['Kelpwick', 'to Tarn Holm', 'Friday', 'with the car'];

async function startPrimrose(home) {
  const child = spawn(process.execPath, [join(ROOT, 'scripts', 'start.mjs'), '--json', '--port', '4899'], {
    env: { ...process.env, PRIMROSE_HOME: home },
    stdio: ['ignore', 'pipe', 2],
  });
  const links = await new Promise((resolve) => child.stdout.on('data', (chunk) => resolve(JSON.parse(chunk))));
  const stop = () => new Promise((resolve) => (child.once('exit', resolve), child.kill('SIGTERM')));
  return { links, stop };
}

const address = (links) => links.api.replace(/\/api$/, '');

async function shoot(page, name) {
  await page.waitForTimeout(600);
  await page.screenshot({ path: join(SHOTS, `${name}.png`) });
}

async function consoleShots(browser, links) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, locale: 'en-GB' });
  await page.goto(links.console);
  await page.getByRole('link', { name: 'Harbour desk' }).waitFor();
  const bots = await (await fetch(`${address(links)}/api/bots`, { headers: { authorization: `Bearer ${links.token}` } })).json();
  const bot = bots.items.find((b) => b.name === 'Harbour desk').id;
  await page.goto(`${address(links)}/bots/${bot}/map`);
  await page.getByRole('button', { name: 'Let the bot begin' }).click();
  await page.getByRole('button', { name: 'Find a crossing' }).click();
  for (const text of TRIP) {
    await page.getByLabel('Say something as the visitor').fill(text);
    await page.keyboard.press('Enter');
    await page.waitForTimeout(700);
  }
  await page.locator('#node-find-sailings').click();
  await page.mouse.move(640, 60);
  await shoot(page, 'map');
  await page.keyboard.press('Escape');
  await mappingShot(page, `${address(links)}/bots/${bot}`, links);
  await page.goto(`${address(links)}/bots/${bot}/map`);
  await page.getByRole('button', { name: 'start over' }).waitFor();
  await simulatorShots(page, `${address(links)}/bots/${bot}`);
  await understandingShots(page, `${address(links)}/bots/${bot}`, links);
  await keepingShots(page, `${address(links)}/bots/${bot}`, links);
  await versions(links, bot);
  await page.goto(`${address(links)}/bots/${bot}/releases`);
  await page.locator('.changes li').first().waitFor();
  await shoot(page, 'releases');
  const shore = bots.items.find((b) => b.name === 'Shore desk').id;
  await page.goto(`${address(links)}/bots/${shore}/map/desk`);
  await page.locator('#node-clerk').click();
  await page.getByText('Tools (4)').scrollIntoViewIfNeeded();
  await page.locator('.toolname').filter({ hasText: 'note-repair' }).click();
  await page.getByText('Tools (4)').evaluate((label) => label.scrollIntoView({ block: 'start' }));
  await shoot(page, 'agent');
  await pageShots(browser, page, `${address(links)}/bots/${shore}`, bot);
  await page.goto(`${address(links)}/bots/${bot}/map`);
  await page.locator('#node-hello').click();
  const says = page.getByRole('textbox', { name: 'The bot says' });
  await says.fill('Hello, it is **{{ clock.weekdy }}**, and ');
  await says.press('Control+End');
  await page.getByRole('button', { name: 'preview' }).first().click();
  await page.getByText('Did you mean clock.weekday?').first().waitFor();
  await says.press('Control+End');
  await says.pressSequentially('{{ clock.to');
  await shoot(page, 'details');
  await page.close();
}

/** A turn sheet, branches of a conversation, what the rehearsals came by. */
async function simulatorShots(page, bot) {
  const say = async (words) => {
    await page.getByLabel('Say something as the visitor').fill(words);
    await page.keyboard.press('Enter');
    await page.waitForTimeout(1200);
  };
  await page.getByRole('button', { name: 'start over' }).click();
  await page.waitForTimeout(700);
  for (const words of ['what would be a good day for five of us with two bicycles next week', 'Kelpwick', 'Tarn Holm'])
    await say(words);
  await page.waitForTimeout(1500);
  await page.locator('.turn').last().locator('a.strip').click();
  await page.locator('.workrow').first().scrollIntoViewIfNeeded();
  await shoot(page, 'turn-sheet');
  await page.getByRole('button', { name: 'start over' }).click();
  await page.waitForTimeout(700);
  await say('book a crossing from Kelpwick to Tarn Holm on Friday with the car');
  await page.locator('.turn').last().locator('a.strip').click();
  await say('and can the dog come?');
  for (const other of ['what does a bicycle cost?', 'none of them']) {
    await page.locator('.turn').last().getByRole('button', { name: 'say otherwise' }).click();
    await page.waitForTimeout(500);
    await say(other);
  }
  await page.goto(`${bot}/map/book-crossing`);
  await page.locator('.sim header').getByRole('button', { name: 'more' }).click();
  await page.getByText('Other conversations').click();
  await page.locator('.kepttalks button').first().click();
  await page.getByRole('dialog').waitFor({ state: 'detached' });
  await page.mouse.move(640, 60);
  await page.waitForTimeout(900);
  await shoot(page, 'branches');
  await page.goto(`${bot}/rehearsals`);
  await page.getByRole('button', { name: 'Run all' }).click();
  await page.getByText(/\d+ passed/).waitFor();
  await page.goto(`${bot}/map/book-crossing`);
  await page.locator('.node').first().waitFor();
  await page.getByRole('button', { name: 'Coverage' }).click();
  await shoot(page, 'coverage');
}

const write = (links, number, words) =>
  fetch(`${links.messenger}/phones/${number}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ words }),
  });
const SAID = [
  ['771001', 'Hello'],
  ['771001', 'when is the next boat from Kelpwick to Tarn Holm tomorrow?'],
  ['771001', 'and the one after?'],
  ['771001', 'what does a bicycle cost?'],
  ['771001', 'I always travel with my dog'],
  ['771001', 'and I am allergic to nuts'],
  ['771001', 'I always go by bicycle'],
  ['771001', 'I no longer go by bicycle, always by car'],
  ['771003', 'Hallo'],
  ['771003', 'darf der Hund mit?'],
  ['771003', 'is there a whale museum near the harbour?'],
  ['771003', 'how do I get to the whale museum'],
  ['771001', 'who painted the boats'],
  ['771002', 'I left my umbrella on the Wrackline'],
  ['771002', 'A green one, this morning'],
];

/** Understanding, knowledge, models, channels with the stand-in messenger, the inbox. */
async function understandingShots(page, bot, links) {
  for (const [number, words] of SAID) {
    await write(links, number, words);
    await page.waitForTimeout(1500);
  }
  await page.goto(`${bot}/understanding/intent/book-crossing`);
  await page.getByLabel('Say something to try').fill('a ticket from Gannet Quay on Sunday for my bicycle');
  await page.getByText('Its flow would take').waitFor();
  await shoot(page, 'understanding');
  await page.goto(`${bot}/evaluation/ferry-papers`);
  await page.getByRole('button', { name: 'Propose from headings' }).click();
  await page.getByRole('table', { name: 'Questions' }).waitFor();
  for (const question of ['is there a swimming pool aboard?', 'do you sell fishing rods?']) {
    await page.getByLabel('Question of the set').fill(question);
    await page.getByRole('button', { name: 'Add to the set' }).click();
    await page.getByRole('table', { name: 'Questions' }).getByText(question).waitFor();
  }
  await page.getByRole('button', { name: 'Compare splittings' }).click();
  await page.getByRole('table', { name: 'Figures' }).waitFor({ timeout: 60_000 });
  await shoot(page, 'knowledge');
  await page.goto(`${bot}/inbox`);
  await page.locator('.talks .list nav a').filter({ hasText: 'A green one' }).click();
  await page.getByRole('button', { name: 'Take it' }).click();
  await page.getByText('You have it.').waitFor();
  await page.getByLabel('A note for the staff').fill('The green rucksack is in the locker at Kelpwick, second shelf.');
  await page.getByRole('button', { name: 'Note it' }).click();
  await page.locator('.staffnote').waitFor();
  await page.getByLabel('Answer as staff').fill('We have it. Fetch it at the office at Kelpwick.');
  await page.getByRole('button', { name: 'Answer', exact: true }).click();
  await page.locator('.line.staff').waitFor();
  await page.getByRole('button', { name: /^All/ }).click();
  await shoot(page, 'inbox');
  await page.goto(`${bot}/visitors`);
  await page.getByRole('link', { name: 'Isla Marrick' }).click();
  await page.getByRole('button', { name: 'Erase everything…' }).waitFor();
  await shoot(page, 'visitor');
}

const CALLS = [
  [
    'c-1041',
    '+353 86 000 4411',
    'My name is Orla. I left a suitcase at Kelpwick this morning, it is urgent. Please ring me before 11:30.',
  ],
  ['c-1042', null, 'Do you take canoes?'],
  [
    'c-1043',
    '+353 86 000 7180',
    'This is Tomas. The ramp at Tarn Holm was too steep for my wheelchair, please call me back after 14:00.',
  ],
  ['c-1044', '+353 86 000 2093', 'Good morning, Brid here, can a party of twelve still come aboard at Gannet Quay on Sunday?'],
];

/** A start with what came to it, and the rows that they have written. */
async function keepingShots(page, bot, links) {
  const api = bot.replace('/bots/', '/api/bots/');
  const as = { authorization: `Bearer ${links.token}`, 'content-type': 'application/json' };
  const { token } = await (
    await fetch(`${api}/starts/call-report/live/token`, { method: 'POST', headers: as, body: '{}' })
  ).json();
  const starts = await (await fetch(`${api}/starts`, { headers: as })).json();
  const { address: hook } = starts.items.find((s) => s.name === 'call-report').live;
  for (const [id, from, transcript] of CALLS)
    await fetch(hook, {
      method: 'POST',
      headers: { ...as, authorization: `Bearer ${token}` },
      body: JSON.stringify({ call: { id, from, seconds: transcript.length / 3 }, transcript }),
    });
  await page.goto(`${bot}/starts/call-report`);
  await page.getByText('Last events').waitFor();
  await shoot(page, 'start');
  await page.goto(`${bot}/tables/call-reports`);
  await page.getByText('Orla').first().click();
  await shoot(page, 'tables');
}

/** The mapping of a messenger: a field that is chosen, the last webhook to pick from, and what would be sent. */
async function mappingShot(page, bot, links) {
  await write(links, '771001', 'Which boats have room for a car?');
  await page.waitForTimeout(1500);
  await page.goto(`${bot}/channels`);
  await page.getByRole('link', { name: 'Gullpost' }).click();
  await page.locator('.picktree').first().waitFor();
  await page.getByLabel(/^Text\b/).click();
  await page.getByLabel('Kind of message').selectOption({ label: 'Buttons' });
  await page.getByRole('heading', { name: /^Mapping/ }).evaluate((h) => h.scrollIntoView({ block: 'start' }));
  await shoot(page, 'mapping');
}

/** The editor of a page, and a page as a visitor sees it, with a result of which one part was made anew. */
async function pageShots(browser, page, shore, harbour) {
  await page.goto(shore.replace(/[^/]+$/, `${harbour}/pages/day-trip-planner`));
  await page.locator('.pagepart', { hasText: 'plan' }).locator('> button').first().click();
  await page.getByText('Made by').waitFor();
  await shoot(page, 'page-editor');
  await page.goto(`${shore}/pages/log-reader/share`);
  const link = await page.locator('.share header a').getAttribute('href');
  const visitor = await browser.newPage({ viewport: { width: 1280, height: 800 }, locale: 'en-GB' });
  await visitor.goto(link ?? '');
  await visitor.locator('#in-log').setInputFiles(join(ROOT, 'demo', 'wrackline-12-may.md'));
  await visitor.getByText('sent').waitFor();
  await visitor.locator('#in-depth').selectOption('thorough');
  await visitor.getByRole('button', { name: 'Read the log' }).click();
  await visitor.locator('.output[data-state=ready]').nth(2).waitFor();
  await visitor.getByRole('button', { name: 'Make anew: Repairs' }).click();
  await visitor.locator('.output[data-state=stale]').waitFor();
  await visitor.getByLabel('Your question').fill('Was the bow ramp stuck before?');
  await visitor.keyboard.press('Enter');
  await visitor.locator('.said.bot').nth(1).waitFor();
  await visitor.locator('.note').evaluate((note) => note.scrollIntoView());
  await visitor.evaluate(() => globalThis.scrollTo(0, 200));
  await shoot(visitor, 'page');
  await visitor.close();
}

/** A few edits and a second release, so that there is something to compare. */
async function versions(links, bot) {
  const nodes = '/flows/welcome/nodes';
  const edits = [
    { op: 'replace', path: `${nodes}/ask-origin/says/en`, value: 'Which port do you leave from today?' },
    { op: 'replace', path: `${nodes}/goodbye/says/en`, value: 'Goodbye, and a calm crossing.' },
    { op: 'add', path: '/idle', value: '2h' },
    { op: 'replace', path: '/about', value: 'Finds sailings of Marrow Sound Ferries and books crossings.' },
  ];
  const send = (method, path, body) =>
    fetch(`${address(links)}/api/bots/${bot}/${path}`, {
      method,
      headers: { 'content-type': 'application/json', authorization: `Bearer ${links.token}` },
      body: JSON.stringify(body),
    });
  for (const [i, edit] of edits.entries()) {
    await send('PATCH', 'draft', { revision: i + 1, patch: [edit] });
    if (i === 1)
      await send('POST', 'releases', { note: 'Shorter goodbyes', despite: 'The words are new; the rehearsals follow' });
  }
}

/** The made-up site of the ferry line, with a customer whom it has signed in: the chat knows her bookings, and cites its source. */
async function siteShot(browser, links) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, locale: 'en-GB' });
  await page.goto(`${links.site}/sign-in`);
  await page.getByRole('button', { name: 'Ines Marlow' }).click();
  const chat = page.frameLocator('iframe');
  await chat.locator('button.bubble').click();
  await chat.getByText('Hello Ines').waitFor();
  for (const [question, answer] of [
    ['What have I booked?', 'these are your bookings'],
    ['is there a defibrillator aboard?', '[1]'],
  ]) {
    await chat.getByLabel('Write a message').fill(question);
    await chat.getByLabel('Write a message').press('Enter');
    await chat.getByText(answer).first().waitFor({ timeout: 60_000 });
  }
  await page.getByRole('heading', { name: 'Ines Marlow' }).click();
  await shoot(page, 'host-page');
  await page.close();
}

/** What a terminal shows, on a page that looks like one. */
async function terminalPage(browser, text, name) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.setContent(
    '<pre style="margin:0;padding:16px 20px;background:#131a16;color:#efead9;font:12.5px/16px monospace;min-height:100vh;box-sizing:border-box"></pre>',
  );
  await page.locator('pre').evaluate((pre, words) => (pre.textContent = words), text);
  await page.addStyleTag({ content: 'body{margin:0}' });
  await shoot(page, name);
  await page.close();
}

/** What the client really prints. */
async function talkShot(browser, links) {
  const env = { ...process.env, PRIMROSE_ADDRESS: address(links), PRIMROSE_TOKEN: links.token, NODE_OPTIONS: '' };
  const input = ['find a crossing', ...TRIP, '/sheet', ''].join('\n');
  const { stdout } = spawnSync(process.execPath, [join(ROOT, 'packages/cli/dist/main.js'), 'talk', 'harbour-desk'], {
    env,
    input,
    encoding: 'utf8',
  });
  await terminalPage(browser, `$ primrose talk harbour-desk\n${stdout}`, 'talk');
}

const ON_IRC = [
  'hello, when does the next boat go from Kelpwick to Tarn Holm?',
  'and when is high water there?',
  'Tarn Holm',
  'can I bring my dog?',
];

/** A talk in a client that people use for IRC, in a terminal of its own. */
async function ircShot(browser, links, home) {
  ensureProgram('tmux', 'tmux');
  ensureProgram('irssi', 'irssi');
  const tmux = (...args) => spawnSync('tmux', ['-L', 'primrose-shots', ...args], { encoding: 'utf8' });
  const client = `irssi --home=${join(home, 'irssi')} -c 127.0.0.1 -p ${links.irc} -n isla`;
  tmux('new-session', '-d', '-x', '150', '-y', '46', client);
  const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
  const type = async (words) => {
    tmux('send-keys', '-l', words);
    tmux('send-keys', 'Enter');
    await pause(4000);
  };
  try {
    await pause(4000);
    await type('/query harbour-desk');
    for (const words of ON_IRC) await type(words);
    await pause(3000);
    await terminalPage(browser, tmux('capture-pane', '-p').stdout, 'irc');
  } finally {
    tmux('kill-server');
  }
}

ensureBuilt();
const home = mkdtempSync(join(tmpdir(), 'primrose-shots-'));
const primrose = await startPrimrose(home);
const browser = await launchBrowser(ensureProgram('chromium', 'chromium'));
try {
  await consoleShots(browser, primrose.links);
  await siteShot(browser, primrose.links);
  await talkShot(browser, primrose.links);
  if (primrose.links.irc) await ircShot(browser, primrose.links, home);
} finally {
  await browser.close();
  await primrose.stop();
  rmSync(home, { recursive: true, force: true });
}
