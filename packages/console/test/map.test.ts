import { checkBot, layoutFlow, type BotDocument } from '@primrose/core';
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { botOf, demoDocument } from '../../core/test/harbour.js';
import type { TestService } from '../../server/test/support/service.js';
import { BOOKING, Hands, LINKS, type Made } from './builder.js';
import { axeFindings, botWith, inTheConsole, type Opened } from './support.js';

const END = { kind: 'end' };
const say = (says: string, said?: string) => ({ kind: 'say', says, ...(said === undefined ? {} : { exits: { said } }) });
const ask = (into: string, exits: Record<string, string>) => ({ kind: 'ask', says: `${into}?`, expects: 'text', into, exits });

describe('working on the Map', () => {
  let service: TestService;
  let browser: Browser;
  let page: Page;

  let newPage: Opened['newPage'];
  inTheConsole((opened) => ({ service, browser, newPage, page } = opened));

  const saved = (on = page) => on.getByText('· saved').waitFor();
  const card = (id: string, on = page) => on.locator(`#node-${id}`);
  const chip = (node: string, exit: string, on = page) => on.locator(`[data-node="${node}"][data-exit="${exit}"]`);
  const openMap = async (document: BotDocument, flow = 'main', on = page) => {
    const made = await botWith(service, document);
    await on.goto(`${service.address}/bots/${made.bot}/map/${flow}`);
    await on.locator('.mapwrap').waitFor();
    const nodes = async () => {
      await saved(on);
      return (await made.draft()).flows[flow]?.nodes ?? {};
    };
    return { ...made, nodes };
  };
  const blank = () => openMap({ ...botOf({ a: END }), flows: { main: { title: 'Book a crossing', nodes: {} } } });

  const expectBooking = async (draft: () => Promise<BotDocument>) => {
    await saved();
    const document = await draft();
    const nodes = document.flows['main']?.nodes ?? {};
    expect(Object.keys(nodes)).to.have.length.of.at.least(14);
    for (const { id, after } of BOOKING) if (after) expect(nodes[after[0]]?.exits?.[after[1]], id).to.equal(id);
    for (const [from, exit, to] of LINKS) expect(nodes[from]?.exits?.[exit], `${from}/${exit}`).to.equal(to);
    expect(nodes['choice']).to.include({ from: 'flow.sailings', into: 'flow.sailing' });
    expect(nodes['action-2']).to.include({ runs: 'booking-office.make-booking', into: 'flow.reference' });
    expect(document.connections?.['booking-office']?.actions['make-booking']).to.deep.equal({ post: '/bookings' });
    expect(checkBot(document).filter((p) => p.severity === 'error')).to.deep.equal([]);
  };

  const makeAction = async (
    { connection, address, name, method, path }: NonNullable<Made['action']>,
    fill: (label: string, words: string) => Promise<void>,
  ) => {
    await fill('Connection', connection);
    if (address !== undefined) await fill('Its address', address);
    await fill('Name of the action', name);
    await fill('Method', method);
    await fill('Path', path);
  };

  it('builds the booking flow from a blank bot by keyboard only', async function () {
    const { draft } = await blank();
    const hands = new Hands(page);
    const fill = async (label: string, words: string) => {
      await hands.tabTo(label);
      await page.keyboard.press('Control+a');
      await hands.type(words);
    };
    const toNode = async (id: string) => {
      const { address } = layoutFlow((await saved(), await draft()).flows['main'] ?? { nodes: {} }).nodes.find(
        (n) => n.id === id,
      ) ?? { address: '' };
      await hands.type(address);
      await hands.press('Enter');
      await hands.waitFocus(`#node-${id}`);
    };
    const make = async ({ kind, fields, buttons = [], action, id }: Made) => {
      await hands.waitFocus('.addmenu input');
      await hands.type(kind);
      await hands.press('Enter');
      await hands.waitFocus('.details :is(.cm-content, input, select)');
      if (action) {
        if ((await page.getByRole('form', { name: 'New action' }).count()) === 0) {
          await hands.tabTo('Action');
          await hands.type('new action');
        }
        await makeAction(action, fill);
        await hands.tabTo('Make the action');
        await hands.press('Enter');
        await hands.waitFocus('#runs');
      }
      for (const [label, words] of fields.slice(0, 1)) await fill(label, words);
      for (const [i, words] of buttons.entries()) {
        await hands.tabTo('+ a button');
        await hands.press('Enter');
        await page.getByRole('textbox', { name: `Button choice ${i + 1}` }).waitFor();
        for (let n = 0; n < 8 && (await hands.focused()) !== `Button choice ${i + 1}`; n++) await hands.press('Shift+Tab');
        await hands.type(words);
      }
      for (const [label, words] of fields.slice(1)) await fill(label, words);
      await hands.press('Escape');
      await hands.waitFocus(`#node-${id}`);
    };
    for (const [i, made] of BOOKING.entries()) {
      const { after } = made;
      if (after) {
        if (BOOKING[i - 1]?.id !== after[0]) await toNode(after[0]);
        await hands.tabTo(after[1].replaceAll('-', ' '));
        await hands.press('Enter');
      }
      await make(made);
    }
    for (const [from, exit, , words] of LINKS) {
      await toNode(from);
      await hands.tabTo(exit.replaceAll('-', ' '));
      await hands.press('Enter');
      await hands.waitFocus('.addmenu input');
      await hands.type(words);
      // Kinds come before nodes; the node is the one below them.
      const kinds = await page
        .locator('.addmenu [role="option"]')
        .evaluateAll((list) => list.findIndex((o) => /node-/.test(o.id)));
      for (let n = 0; n < kinds; n++) await hands.press('ArrowDown');
      await hands.press('Enter');
      await page.locator('.addmenu').waitFor({ state: 'detached' });
    }
    await expectBooking(draft);
    console.log(`      ${BOOKING.length} nodes by keyboard: ${hands.count} actions`);
  });

  it('builds the booking flow from a blank bot by mouse only, but for the words', async function () {
    const { draft } = await blank();
    const hands = new Hands(page);
    const fill = async (label: string, words: string) => {
      const field = page.locator('.details').getByLabel(label, { exact: true });
      if (await field.evaluate((e) => e.tagName === 'SELECT')) {
        hands.count++;
        await field.selectOption({ label: words });
        return;
      }
      await hands.click(field);
      await page.keyboard.press('Control+a');
      await hands.type(words);
    };
    const pick = (kind: string) => hands.click(page.locator(`.addmenu [id$="-kind-${kind}"]`));
    for (const { kind, after, fields, buttons = [], action, id } of BOOKING) {
      if (after) await hands.click(chip(...after));
      await pick(kind);
      await card(id).waitFor();
      await page.getByRole('complementary', { name: `Details of ${id}`, exact: true }).waitFor();
      if (action) {
        const form = page.getByRole('form', { name: 'New action' });
        await page.locator('#runs').waitFor();
        if ((await form.count()) === 0) await fill('Action', 'new action…');
        await makeAction(action, fill);
        await hands.click(page.getByRole('button', { name: 'Make the action' }));
      }
      for (const [label, words] of fields) await fill(label, words);
      for (const [i, words] of buttons.entries()) {
        await hands.click(page.getByRole('button', { name: '+ a button' }));
        await fill(`Button choice ${i + 1}`, words);
      }
      await hands.click(page.getByRole('button', { name: 'Close details' }));
    }
    for (const [from, exit, to, words] of LINKS) {
      await chip(from, exit).scrollIntoViewIfNeeded();
      const box = await card(to).boundingBox();
      const near = box !== null && box.y > 150 && box.y + 30 < 780;
      if (near && from !== to) {
        await hands.drag(chip(from, exit), card(to));
        continue;
      }
      await hands.click(chip(from, exit));
      await hands.type(words);
      await hands.click(page.locator('.addmenu [id*="-node-"]').first());
    }
    await expectBooking(draft);
    console.log(`      ${BOOKING.length} nodes by mouse: ${hands.count} actions`);
  });

  it('inserts between two nodes, puts pasted lines as say nodes, and joins the ends when one goes', async () => {
    const { nodes } = await openMap(botOf({ a: say('One', 'b'), b: say('Four', 'c'), c: END }));
    await chip('a', 'said').click();
    await page.evaluate(() => {
      const data = new DataTransfer();
      data.setData('text/plain', '- Two\n- Three');
      document.activeElement?.dispatchEvent(
        new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }),
      );
    });
    await card('say-2').waitFor();
    const made = await nodes();
    expect([made['a']?.exits, made['say']?.exits, made['say-2']?.exits]).to.deep.equal([
      { said: 'say' },
      { said: 'say-2' },
      { said: 'b' },
    ]);
    await card('say').focus();
    await page.keyboard.press('Delete');
    await card('say').waitFor({ state: 'detached' });
    await page.waitForFunction(() => document.activeElement?.id === 'node-a');
    expect((await nodes())['a']?.exits).to.deep.equal({ said: 'say-2' });
  });

  it('follows the rails, the bands and beat numbers by key, and reads in the order of the beats', async () => {
    await openMap(demoDocument(), 'welcome');
    const order = await page
      .locator('.score .node')
      .evaluateAll((list) => list.map((e) => Number(/beat (\d+)/.exec(e.getAttribute('aria-label') ?? '')?.[1])));
    expect(order).to.deep.equal([...order].sort((a, b) => a - b));
    const at = () => page.evaluate(() => document.activeElement?.id ?? '');
    await card('menu').focus();
    await page.keyboard.press('ArrowDown');
    expect(await at()).to.equal('node-ask-origin');
    await page.keyboard.press('ArrowUp');
    expect(await at()).to.equal('node-menu');
    await page.keyboard.press('ArrowRight');
    expect(await at())
      .to.match(/^node-(name-known|set|.*)$/)
      .and.not.equal('node-menu');
    await page.keyboard.type('8o');
    await page.locator('.goto').waitFor();
    await page.keyboard.press('Enter');
    expect(await at()).to.equal('node-find-sailings');
    await page.keyboard.press('o');
    await page.locator('.score.outline').waitFor();
    await page.keyboard.press('o');
    await page.keyboard.press('?');
    await page.getByRole('dialog', { name: 'Keys' }).getByText('remove and join the ends').waitFor();
    await page.keyboard.press('Escape');
    await page.getByRole('dialog', { name: 'Keys' }).waitFor({ state: 'detached' });
    await page.keyboard.press('g');
    await page.keyboard.press('k');
    await page.waitForURL(/\/knowledge/);
  });

  it('copies nodes within a flow and into another bot, and lists what the copies still share', async () => {
    const { nodes } = await openMap(
      botOf({ a: ask('flow.day', { answered: 'b', 'gave-up': 'c' }), b: say('On {{ flow.day }}', 'c'), c: END }),
    );
    await card('a').focus();
    await page.keyboard.press('Shift+ArrowDown');
    await page.getByRole('region', { name: 'Marked nodes' }).getByText('2 marked').waitFor();
    await page.keyboard.press('Control+c');
    await chip('b', 'said').focus();
    await page.keyboard.press('Control+v');
    const notice = page.getByRole('region', { name: 'What the copies share' });
    await notice.getByText('flow.day', { exact: true }).waitFor();
    await notice.getByRole('button', { name: 'Use flow.day_2 instead' }).click();
    await notice.waitFor({ state: 'detached' });
    const made = await nodes();
    expect(made['a-2']).to.deep.include({ into: 'flow.day_2', exits: { answered: 'b-2', 'gave-up': 'c' } });
    expect(made['b-2']?.['says']).to.equal('On {{ flow.day_2 }}');
    expect([made['b']?.exits, made['b-2']?.exits]).to.deep.equal([{ said: 'a-2' }, { said: 'c' }]);

    const other = await openMap(botOf({ z: say('z') }));
    await chip('z', 'said').click();
    await page.getByRole('option', { name: /paste.*2 copied nodes/ }).click();
    await card('b').waitFor();
    expect((await other.nodes())['z']?.exits).to.deep.equal({ said: 'a' });
  });

  it('duplicates a flow, and points its calls of itself at the copy', async () => {
    const { draft } = await openMap(botOf({ a: { kind: 'flow', calls: 'main', exits: { done: 'z', failed: 'z' } }, z: END }));
    await page.getByRole('button', { name: 'choose another flow' }).click();
    await page.getByRole('button', { name: 'Duplicate this flow' }).click();
    await page.waitForURL(/main-2/);
    await page.getByRole('button', { name: 'Use main-2 instead' }).click();
    await saved();
    expect((await draft()).flows['main-2']?.nodes['a']).to.include({ calls: 'main-2' });
    expect((await draft()).flows['main']?.nodes['a']).to.include({ calls: 'main' });
  });

  it('duplicates, moves, switches off and changes the kind of nodes', async () => {
    const { nodes } = await openMap(botOf({ a: say('A', 'b'), b: say('B', 'c'), c: say('C', 'd'), d: END }));
    await card('a').focus();
    await page.keyboard.press('Alt+ArrowDown');
    await page.waitForFunction(() => document.activeElement?.id === 'node-a');
    expect((await nodes())['b']?.exits).to.deep.equal({ said: 'a' });
    await page.keyboard.press('x');
    await page.locator('#node-a.off').waitFor();
    await page.keyboard.press('Control+d');
    await card('a-2').waitFor();
    expect((await nodes())['a-2']).to.deep.include({ off: true, exits: { said: 'c' } });
    await card('c').click();
    await page.locator('.details').getByRole('button', { name: 'more' }).click();
    await page.getByRole('button', { name: 'ask', exact: true }).click();
    await page.getByLabel('It expects').waitFor();
    expect((await nodes())['c']).to.deep.include({ kind: 'ask', says: 'C', exits: { answered: 'd' } });
  });

  it('takes marked nodes out as a flow of their own and shows who calls it', async () => {
    const bot = botOf({
      a: ask('flow.name', { answered: 'b', 'gave-up': 'z' }),
      b: ask('flow.day', { answered: 'c', 'gave-up': 'z' }),
      c: say('{{ flow.name }} on {{ flow.day }}', 'z'),
      z: END,
    });
    const { draft } = await openMap(bot);
    await card('b').click({ modifiers: ['Shift'] });
    await card('c').click({ modifiers: ['Shift'] });
    await page.getByRole('button', { name: 'Take out as a flow…' }).click();
    await page.getByText('It takes name, and gives nothing.').waitFor();
    await page.getByLabel('Name of the flow').fill('When to sail');
    await page.keyboard.press('Enter');
    await card('when-to-sail').waitFor();
    await saved();
    expect((await draft()).flows['main']?.nodes['when-to-sail']).to.deep.include({
      given: { name: '{{ flow.name }}' },
      exits: { done: 'z' },
    });
    await page.goto(page.url().replace(/main\/.*$/, 'when-to-sail'));
    await page.getByRole('button', { name: '1 caller' }).click();
    await page.getByRole('button', { name: /when-to-sail in/ }).click();
    await page.getByRole('complementary', { name: 'Details of when-to-sail' }).waitFor();
  });

  it('finds in the flow and in the whole bot, and replaces words after a look', async () => {
    const { bot, draft } = await openMap(demoDocument(), 'welcome');
    await card('menu').focus();
    await page.keyboard.press('f');
    await page.getByLabel('Find in flow').fill('booking office');
    await page.locator('.node.found').first().waitFor();
    await page.keyboard.press('Enter');
    await page.keyboard.press('Escape');
    await card('menu').focus();
    await page.keyboard.press('/');
    await page.getByRole('combobox', { name: 'Find anything in the bot' }).fill('dogs travel');
    await page.getByRole('option', { name: /Animals aboard/ }).waitFor();
    await page.getByRole('combobox', { name: 'Find anything in the bot' }).fill('lost an');
    await page.keyboard.press('Enter');
    await page.waitForURL((url) => !url.pathname.endsWith('/welcome'));
    await page.goto(`${service.address}/bots/${bot}/map/welcome`);
    await card('menu').focus();
    await page.keyboard.press('r');
    const dialog = page.getByRole('dialog', { name: 'Replace words' });
    await dialog.getByLabel('Find').fill('Which port');
    await dialog.getByLabel('Replace by').fill('Which harbour');
    await dialog.locator('li').first().waitFor();
    const found = await dialog.locator('li').count();
    await dialog.locator('li').first().getByRole('checkbox').uncheck();
    await dialog.getByRole('button', { name: `Replace in ${found - 1}` }).click();
    await saved();
    const text = JSON.stringify((await draft()).flows);
    expect(text.match(/Which harbour/g)).to.have.length(found - 1);
    expect(text.match(/Which port/g)).to.have.length(1);
  });

  it('completes names with type and last value, underlines a mistake, and mends it with one key', async () => {
    const { bot, nodes } = await openMap(
      botOf({ a: ask('flow.day', { answered: 'b', 'gave-up': 'b' }), b: say('x', 'c'), c: END }),
    );
    await page.getByRole('button', { name: 'Let the bot begin' }).click();
    await page.getByText('flow.day?').first().waitFor();
    await page.getByLabel('Say something as the visitor').fill('Friday');
    await page.keyboard.press('Enter');
    await page.locator('.turn').nth(1).locator('.strip').waitFor();
    await page.goto(`${service.address}/bots/${bot}/map/main/b`);
    const field = page.getByRole('textbox', { name: 'The bot says' });
    await field.fill('');
    await field.pressSequentially('So {{ flow.d');
    await page.locator('.cm-tooltip-autocomplete li', { hasText: 'flow.day' }).waitFor();
    expect(await page.locator('.cm-tooltip-autocomplete li').first().innerText()).to.contain('text');
    // A list that has just opened heeds no key for 75 ms, lest one meant for the text be taken.
    await page.waitForTimeout(100);
    await page.keyboard.press('Enter');
    await page.getByText('A value is not closed').first().waitFor();
    await page.locator('.cm-lintRange-error').first().waitFor();
    await page.keyboard.press('Alt+Enter');
    await page.getByText('A value is not closed').first().waitFor({ state: 'detached' });
    expect((await nodes())['b']?.['says']).to.equal('So {{ flow.day}}');
  });

  it('walks through the problems by key and mends them from the list', async () => {
    const { nodes } = await openMap(
      botOf(
        {
          a: say('{{ clock.weekdy }}', 'b'),
          b: { kind: 'branch', cases: [], exits: { otherwise: 'c' } },
          c: END,
          loose: say('x', 'c'),
        },
        { languages: ['en'] },
      ),
    );
    await card('a').locator('.corner').waitFor();
    await page.locator('.top h1').click();
    await page.keyboard.press('p');
    await page.getByRole('complementary', { name: 'Details of a' }).waitFor();
    await page.getByRole('button', { name: 'Close details' }).click();
    await page.getByRole('button', { name: '3 problems' }).click();
    for (const name of ['Write clock.weekday', 'Remove the branch', 'Remove the node']) {
      const fix = page.getByRole('button', { name, exact: true });
      await fix.click();
      // The list moves up when one is mended, so the next is sought where it stands then.
      await fix.waitFor({ state: 'detached' });
    }
    await page.getByText('Nothing is wrong.').waitFor();
    expect(Object.keys(await nodes())).to.deep.equal(['a', 'c']);
  });

  it('marks a node as stale when what it refers to has changed since it was tried', async () => {
    const bot = { ...demoDocument() };
    const { bot: id } = await openMap(bot, 'welcome');
    await service.client.call('setConnection', {
      params: { bot: id, connection: 'booking-office' },
      body: { address: service.office, standIn: service.office },
    });
    for (const words of ['find a crossing', 'kelpwick', 'tarn holm', 'friday', 'car']) {
      await page.getByLabel('Say something as the visitor').fill(words);
      await page.keyboard.press('Enter');
      await page.locator('.line.visitor', { hasText: words }).waitFor();
    }
    await page.locator('#node-find-sailings .petal').waitFor();
    await card('find-sailings').click();
    await page.getByRole('button', { name: 'edit the action' }).click();
    await page.getByRole('textbox', { name: 'Address' }).fill('/sailings?all=yes');
    await page.locator('#node-find-sailings.stale').waitFor();
    await saved();
  });

  it('shows the edits of another window at once, and both values where they clash', async () => {
    const { bot, nodes } = await openMap(botOf({ a: say('A', 'b'), b: say('B', 'c'), c: END }));
    const second = await newPage();
    const field = (on: Page) => on.getByRole('textbox', { name: 'The bot says' });
    await page.goto(`${service.address}/bots/${bot}/map/main/a`);
    await second.goto(`${service.address}/bots/${bot}/map/main/b`);
    await Promise.all([field(page).waitFor(), field(second).waitFor()]);
    await Promise.all([field(page).fill('From the first'), field(second).fill('From the second')]);
    await page.locator('#node-b .prose', { hasText: 'From the second' }).waitFor();
    await second.locator('#node-a .prose', { hasText: 'From the first' }).waitFor();
    await second.goto(`${service.address}/bots/${bot}/map/main/a`);
    await field(second).waitFor();
    await Promise.all([field(page).fill('Mine'), field(second).fill('Theirs')]);
    const dialogs = [page, second].map((p) => p.getByRole('dialog', { name: 'Somebody changed the same place' }));
    const loser = await Promise.race(dialogs.map((d, i) => d.waitFor().then(() => i)));
    expect(await dialogs[loser]?.innerText())
      .to.contain('Mine')
      .and.contain('Theirs');
    const [asked, other] = loser === 0 ? [page, second] : [second, page];
    await asked.getByRole('button', { name: 'Take mine there' }).click();
    const kept = loser === 0 ? 'Mine' : 'Theirs';
    await other.locator('#node-a .prose', { hasText: kept }).waitFor();
    await saved(asked);
    expect((await nodes())['a']?.['says']).to.equal(kept);
    await second.close();
  });

  it('undoes edits of the Map one by one, also after a reload', async () => {
    const { nodes } = await openMap(botOf({ a: say('A', 'b'), b: END }));
    const before = await nodes();
    for (const n of [2, 3, 4]) {
      await card('a').focus();
      await page.keyboard.press('Control+d');
      await card(`a-${n}`).waitFor();
      await saved();
    }
    await page.reload();
    await card('a-4').waitFor();
    for (const n of [4, 3, 2]) {
      await page.locator('.top h1').click();
      await page.keyboard.press('Control+z');
      await card(`a-${n}`).waitFor({ state: 'detached' });
    }
    expect(await nodes()).to.deep.equal(before);
    await page.keyboard.press('Control+Shift+z');
    await card('a-2').waitFor();
  });

  it('moves rows of choices by key and by drag', async () => {
    const choices = ['one', 'two', 'three'].map((id) => ({ id, says: id }));
    const { bot, nodes } = await openMap(botOf({ a: { kind: 'choice', says: '?', choices, exits: {} } }));
    await page.goto(`${service.address}/bots/${bot}/map/main/a`);
    const ids = async () => ((await nodes())['a']?.['choices'] as { id: string }[]).map((c) => c.id);
    await page.getByLabel('Row 1 of 3').focus();
    await page.keyboard.press('ArrowDown');
    await page.waitForFunction(() => document.activeElement?.getAttribute('aria-label')?.startsWith('Row 2'));
    expect(await ids()).to.deep.equal(['two', 'one', 'three']);
    await page.getByLabel('Row 3 of 3').dragTo(page.getByLabel('Row 1 of 3'));
    await page.waitForFunction(() => document.querySelectorAll('.movable .cm-content')[0]?.textContent === 'three');
    expect(await ids()).to.deep.equal(['three', 'two', 'one']);
  });

  it('stands with its rails on a narrow and on a wide page, none through a node', async () => {
    await openMap(demoDocument(), 'welcome');
    for (const width of [900, 1280, 1600]) {
      await page.setViewportSize({ width, height: 800 });
      await page.waitForTimeout(400);
      const crossed = await page.evaluate(() => {
        const svg = document.querySelector('.rails');
        const corner = svg?.getBoundingClientRect() ?? new DOMRect();
        const boxes = [...document.querySelectorAll('.node')].map((n) => n.getBoundingClientRect());
        return [...document.querySelectorAll<SVGPathElement>('.rails path.l')].filter((path) => {
          const length = path.getTotalLength();
          // From below the chip to above the arrowhead, every few pixels.
          for (let at = 14; at < length - 8; at += 3) {
            const p = path.getPointAtLength(at);
            const [x, y] = [p.x + corner.left, p.y + corner.top];
            if (boxes.some((b) => x > b.left + 1 && x < b.right - 1 && y > b.top + 1 && y < b.bottom - 1)) return true;
          }
          return false;
        }).length;
      });
      expect([width, crossed]).to.deep.equal([width, 0]);
      expect(await page.evaluate(() => document.documentElement.scrollWidth)).to.equal(width);
    }
    await page.setViewportSize({ width: 1280, height: 800 });
  });

  it('keeps single letters for those who want them', async () => {
    const { bot } = await openMap(botOf({ a: say('A', 'b'), b: END }));
    await page.goto(`${service.address}/bots/${bot}/settings`);
    await page.getByLabel(/single letters are commands/).uncheck();
    await page.goto(`${service.address}/bots/${bot}/map`);
    await card('a').focus();
    await page.keyboard.press('o');
    await page.keyboard.press('?');
    await page.getByRole('dialog', { name: 'Keys' }).waitFor();
    expect(await page.locator('.score.outline').count()).to.equal(0);
    await page.evaluate(() => localStorage.removeItem('primrose-letters'));
  });

  it('has nothing that axe complains about while one works, in light and dark', async function () {
    const viewport = { width: 1280, height: 800 };
    const context = await browser.newContext({ viewport, bypassCSP: true, reducedMotion: 'reduce' });
    const eyes = await context.newPage();
    await eyes.goto(await service.link());
    await eyes.getByRole('heading', { name: 'Bots' }).waitFor();
    /** The Map as such is looked at with the other pages; here it is the part that comes up while one works. */
    const look = async (name: string, part: string) => {
      expect([name, ...(await axeFindings(eyes, part))]).to.deep.equal([name]);
    };
    for (const theme of ['light', 'dark']) {
      await eyes.evaluate((t) => localStorage.setItem('primrose-theme', t), theme);
      const spoilt = demoDocument();
      const { bot } = await openMap(spoilt, 'welcome', eyes);
      for (const id of ['menu', 'who', 'find-sailings', 'ask-day', 'keep-reference']) {
        await eyes.goto(`${service.address}/bots/${bot}/map/welcome/${id}`);
        await eyes.locator('.details section').first().waitFor();
        await look(`${theme} details of ${id}`, '.details');
      }
      await eyes.goto(`${service.address}/bots/${bot}/map/welcome/hello`);
      await eyes.getByRole('textbox', { name: 'The bot says' }).fill('So {{ clock.weekdy }}');
      await eyes.getByRole('button', { name: 'preview' }).first().click();
      await eyes.getByText('Did you mean clock.weekday?').first().waitFor();
      await look(`${theme} mistake and preview`, '.details');
      await eyes.getByRole('button', { name: '1 problem' }).click();
      await look(`${theme} problems`, '[role="dialog"]');
      await eyes.keyboard.press('Escape');
      await eyes.getByRole('button', { name: 'Close details' }).click();
      await card('menu', eyes).focus();
      await eyes.keyboard.press('Shift+ArrowDown');
      await eyes.keyboard.press('Control+d');
      await eyes.getByRole('region', { name: 'What the copies share' }).waitFor();
      await look(`${theme} marked and shared`, 'main');
      for (const [key, dialog] of [
        ['?', 'Keys'],
        ['/', 'Find anything'],
        ['r', 'Replace words'],
        ['t', 'Take out as a flow'],
      ] as const) {
        await card('menu', eyes).focus();
        await eyes.keyboard.press(key);
        await eyes.getByRole('dialog', { name: dialog }).waitFor();
        if (key === '/') await eyes.keyboard.type('dog');
        await look(`${theme} ${dialog}`, '[role="dialog"]');
        await eyes.keyboard.press('Escape');
        await eyes.getByRole('dialog', { name: dialog }).waitFor({ state: 'detached' });
      }
      await card('menu', eyes).focus();
      await eyes.keyboard.press('f');
      await eyes.keyboard.press('o');
      await look(`${theme} find in flow`, 'main');
    }
    await context.close();
  });
});
