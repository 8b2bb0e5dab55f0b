import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Browser } from 'playwright-core';
import { CHAT_SETTINGS } from '@primrose/contract';
import { launchBrowser } from '../../server/test/support/browser.js';
import { releasedBot } from '../../server/test/support/crowd.js';
import { knowingBot } from '../../server/test/support/known-bot.js';
import { theService, type TestService } from '../../server/test/support/service.js';

/** The key with which pages of the tests sign who is there, known to each chat of `hostedChat`. */
export const KEY = { id: 'site', secret: 'a-secret-of-both-sides-that-is-long-enough' };

/** What tests of chats in pages of somebody else's work with. */
export interface Hosting {
  readonly service: TestService;
  readonly browser: Browser;
  /** Serves something under another port than the service's, and another name, which makes it another site to a browser. */
  readonly serve: (app: RequestListener, host?: string) => Promise<string>;
}

/** Opens a browser for the tests of a suite, and closes it and what was served after them. */
export function withHosting(ready: (hosting: Hosting) => unknown): void {
  const servers: Server[] = [];
  let browser: Browser;
  before(async () => {
    const service = await theService();
    browser = await launchBrowser();
    const serve: Hosting['serve'] = async (app, host = 'localhost') => {
      const server = createServer(app);
      servers.push(server);
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      return `http://${host}:${(server.address() as AddressInfo).port}`;
    };
    await ready({ service, browser, serve });
  });
  after(async () => {
    await browser.close();
    for (const server of servers) {
      server.close();
      server.closeAllConnections();
    }
  });
}

/** A page of one's own with some HTML in it. */
export function pageOf(html: string): RequestListener {
  return (_req, res) => {
    res.setHeader('content-type', 'text/html');
    res.end(`<!doctype html><html lang="en"><title>A page</title><body><h1>A page</h1>${html}</body></html>`);
  };
}

/** A released bot that knows its visitors, and its chat, which believes tokens of `KEY`. */
export async function hostedChat({ service }: Hosting, more: Record<string, unknown> = {}) {
  const { bot, link } = await releasedBot(service, knowingBot(more));
  const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
  const params = { bot, channel: channel?.id ?? '' };
  await service.client.call('addTokenKey', { params, body: { algorithm: 'HS256', ...KEY } });
  await service.client.call('setWebChat', { params, body: CHAT_SETTINGS });
  return { bot, params, chat: link.split('/').at(-1) ?? '' };
}
