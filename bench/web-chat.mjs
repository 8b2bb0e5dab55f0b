/* global document, MutationObserver */
// Web chat: what a page loads before the first words, how soon these stand after the tag, and how quickly one visitor is answered
// while two thousand others have their chats open.
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { gzipSync } from 'node:zlib';
import { launchBrowser } from '../scripts/lib/browser.mjs';
import { openMany } from './grow.mjs';

const SITE = new URL('../packages/web-chat/dist/site/', import.meta.url);
const LOADS = 9;
const SAID = 60;
const quantile = (list, q) => [...list].sort((a, b) => a - b)[Math.floor((list.length - 1) * q)];
const gzipped = (file) => gzipSync(readFileSync(new URL(file, SITE))).length;

/** Bytes of script, gzipped, that come before the first words: that of the tag, and those that its frame loads. */
export function firstPaintBytes() {
  const html = readFileSync(new URL('index.html', SITE), 'utf8');
  const scripts = new Set([...html.matchAll(/assets\/[\w.-]+\.js/g)].map((m) => m[0]));
  return { tag: gzipped('embed.js'), frame: [...scripts].reduce((sum, f) => sum + gzipped(f), 0) };
}

const serve = (answer) =>
  new Promise((resolve) => {
    const server = createServer(answer);
    server.listen(0, '127.0.0.1', () =>
      resolve({ port: server.address().port, stop: () => server.closeAllConnections() || server.close() }),
    );
  });

/** In every frame: when the first words of somebody stand in it. */
function watchWords() {
  const look = () => {
    if (document.querySelector('.theirs')) globalThis.wordsAt ??= Date.now();
  };
  new MutationObserver(look).observe(document, { childList: true, subtree: true });
  globalThis.begunAt = Date.now();
}

/** Milliseconds from a page's tag to the first words in its frame: of a chat, and of a frame that has its words in it. */
async function firstWords(browser, pageOf) {
  const host = await serve((req, res) => {
    res.setHeader('content-type', 'text/html');
    res.end(pageOf());
  });
  const times = [];
  for (let i = 0; i < LOADS; i++) {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
    await context.addInitScript(watchWords);
    const page = await context.newPage();
    await page.goto(`http://localhost:${host.port}/`);
    const frame = page.frameLocator('iframe');
    await frame.locator('.theirs').first().waitFor();
    const at = await page.frames()[1].evaluate(() => globalThis.wordsAt);
    times.push(at - (await page.evaluate(() => globalThis.tagAt)));
    await context.close();
  }
  host.stop();
  return times;
}

/** Milliseconds from saying something to the bot's answer, one after the other. */
async function answered(service) {
  const json = { 'content-type': 'application/json' };
  const post = async (path, body, key) => {
    const headers = { ...json, ...(key ? { authorization: `Bearer ${key}` } : {}) };
    return (await fetch(`${service.chat}${path}`, { method: 'POST', headers, body: JSON.stringify(body) })).json();
  };
  const { key } = await post('/open', { language: 'en' });
  const stop = new globalThis.AbortController();
  const stream = await fetch(`${service.chat}/stream`, { headers: { authorization: `Bearer ${key}` }, signal: stop.signal });
  let heard = () => undefined;
  const read = (async () => {
    for await (const chunk of stream.body.pipeThrough(new globalThis.TextDecoderStream()))
      if (chunk.includes('"who":"bot"')) heard();
  })().catch(() => undefined);
  const times = [];
  for (let i = 0; i < SAID; i++) {
    const begun = performance.now();
    const answer = new Promise((resolve) => (heard = resolve));
    await post('/messages', { id: randomUUID(), text: `word ${i}` }, key);
    await answer;
    times.push(performance.now() - begun);
  }
  stop.abort();
  await read;
  return times;
}

/** All figures of web chat; `chats` are so many that are open beside the one that is timed. */
export async function benchWebChat(service, program, chats) {
  const bytes = firstPaintBytes();
  const browser = await launchBrowser(program);
  const { origin, pathname } = new URL(service.chat);
  const address = pathname.split('/').at(-1);
  const bare = await serve((_req, res) => {
    res.setHeader('content-type', 'text/html');
    res.end('<!doctype html><title>x</title><p class="theirs">Hello.</p>');
  });
  const tagged = (tag) =>
    `<!doctype html><html lang="en"><title>x</title><body><script>globalThis.tagAt = Date.now();</script>${tag}</body></html>`;
  const own = () => tagged(`<script src="${origin}/chat.js" data-chat="${address}" data-as="inline"></script>`);
  const floor = () => tagged(`<iframe src="http://127.0.0.1:${bare.port}/"></iframe>`);
  const low = await firstWords(browser, floor);
  const words = await firstWords(browser, own);
  bare.stop();
  await browser.close();
  const alone = await answered(service);
  const leave = await openMany(service, chats);
  const among = await answered(service);
  leave();
  return {
    bytes,
    words: { own: quantile(words, 0.5), worst: quantile(words, 1), floor: quantile(low, 0.5) },
    answered: { alone: quantile(alone, 0.5), among: quantile(among, 0.5), worst: quantile(among, 0.95) },
  };
}
