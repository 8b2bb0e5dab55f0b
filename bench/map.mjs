/* global addEventListener, requestAnimationFrame, MessageChannel, document */
// The console's Map with a large flow, in headless Chromium: how soon it stands after its data, and how long typing waits.
import { launchBrowser } from '../scripts/lib/browser.mjs';
import { largeBot } from './bots.mjs';

const WORDS = 'When the Wrackline is late the Sandpiper waits at Gannet Quay';
const KEY_EVERY_MS = 70;
const OPENINGS = 7;

/** In the page: the time from each key to the end of the frame that follows it. */
function watchKeys() {
  globalThis.keyTimes = [];
  addEventListener(
    'keydown',
    (event) =>
      requestAnimationFrame(() => {
        const { port1, port2 } = new MessageChannel();
        port1.onmessage = () => globalThis.keyTimes.push(performance.now() - event.timeStamp);
        port2.postMessage(0);
      }),
    { capture: true },
  );
}

/** In the page: when the first screens of the Map stand with their rails, and when all of it does. */
function watchRails() {
  const look = () => {
    const rails = document.querySelectorAll('.rails path.l').length;
    if (rails > 0) globalThis.stoodAt ??= performance.now();
    if (document.querySelectorAll('.score .node').length >= 300 && rails > 200) globalThis.wholeAt = performance.now();
    else requestAnimationFrame(look);
  };
  requestAnimationFrame(look);
}

const sorted = (list) => [...list].sort((a, b) => a - b);
const quantile = (list, q) => sorted(list)[Math.floor((list.length - 1) * q)];

async function typed(page, words) {
  await page.evaluate(() => (globalThis.keyTimes = []));
  await page.keyboard.type(words, { delay: KEY_EVERY_MS });
  await page.waitForTimeout(300);
  return page.evaluate(() => globalThis.keyTimes);
}

async function opening(page, url) {
  await page.goto(url);
  await page.waitForFunction(() => globalThis.wholeAt !== undefined);
  return page.evaluate(() => {
    const data = performance.getEntriesByType('resource').findLast((e) => /\/draft$/.test(e.name));
    return [globalThis.stoodAt - data.responseEnd, globalThis.wholeAt - data.responseEnd];
  });
}

/** Figures of the Map: `[{ name, value, worst, aim }]` in milliseconds, each beside its floor where there is one. */
export async function benchMap(service, program) {
  const make = async (flows, nodes) =>
    (await service.client.call('createBot', { body: { from: 'document', document: largeBot(flows, nodes) } })).bot.id;
  const [one, many] = [await make(1, 300), await make(40, 1500)];
  const browser = await launchBrowser(program);
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.addInitScript(watchKeys);
    await page.addInitScript(watchRails);
    await page.goto(`${service.address}/sign-in${new URL(service.link).hash}`);
    await page.getByRole('heading', { name: 'Bots' }).waitFor();
    const openings = [];
    for (let i = 0; i < OPENINGS; i++) openings.push(await opening(page, `${service.address}/bots/${one}/map/flow-1`));
    await page.goto(`${service.address}/bots/${one}/map/flow-1/node-150`);
    await page.locator('.details .cm-content').first().click();
    const inField = await typed(page, WORDS);
    await page.goto(`${service.address}/bots/${many}/map/flow-1`);
    await page.locator('.rails path.l').first().waitFor({ state: 'attached' });
    await page.getByRole('button', { name: 'Find anything' }).click();
    const inFind = await typed(page, WORDS);
    await page.goto(`${service.address}/bots/${many}/map/flow-1/node-5`);
    await page.locator('.details .cm-content').first().click();
    const inMany = await typed(page, WORDS);
    const bare = await browser.newPage();
    await bare.addInitScript(watchKeys);
    await bare.goto('data:text/html,<textarea autofocus>');
    await bare.locator('textarea').click();
    const floor = await typed(bare, WORDS);
    const line = (name, list, aim) => ({ name, value: quantile(list, 0.5), worst: quantile(list, 0.95), aim });
    return [
      line(
        'a flow of 300 nodes can be read and edited, after its data',
        openings.map(([first]) => first),
        400,
      ),
      line(
        'all of its 300 nodes and rails stand',
        openings.map(([, whole]) => whole),
      ),
      { ...line('a key in a bare text area, to the next frame (floor)', floor), floor: true },
      line('a key in a field, 300 nodes in the flow', inField, 50),
      line('a key in a field, 40 flows, 1,500 nodes', inMany, 50),
      line('a key while finding in 40 flows, 1,500 nodes', inFind, 50),
    ];
  } finally {
    await browser.close();
  }
}
