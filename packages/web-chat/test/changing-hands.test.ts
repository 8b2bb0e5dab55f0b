import { expect } from 'chai';
import type { FrameLocator, Page } from 'playwright-core';
import { chanceOf } from '../../core/test/chance.js';
import { until } from '../../server/test/support/until.js';
import { tokenFor } from '../../stand-ins/src/host-site/app.js';
import { CUSTOMERS } from '../../stand-ins/src/host-site/customers.js';
import { hostedChat, KEY, pageOf, withHosting, type Hosting } from './hosting.js';

/** So long it is looked whether something comes that should not. */
const LOOKS = 6;
const LOOK_MS = 60;

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

interface PageApi {
  readonly primroseChat: { signIn: (token: string) => void; signOut: () => void };
}

describe('a web chat whose page names one person after another', () => {
  let hosting: Hosting;
  let page: Page;
  withHosting((made) => (hosting = made));

  /** A page at a host with the chat in it, and the bot behind that. */
  const shown = async (host: string) => {
    const { bot, chat } = await hostedChat(hosting);
    const tag = `<script src="${hosting.service.address}/chat.js" data-chat="${chat}" data-as="inline"></script>`;
    page = await (await hosting.browser.newContext({ locale: 'en-GB' })).newPage();
    page.setDefaultTimeout(60_000);
    await page.goto(await hosting.serve(pageOf(tag), host));
    return bot;
  };
  const frame = (): FrameLocator => page.frameLocator('iframe');
  const name = async (who: string) => {
    const customer = CUSTOMERS.find((c) => c.name.startsWith(who));
    const token = customer ? await tokenFor(customer, KEY) : null;
    await page.evaluate((t) => {
      const { primroseChat } = window as unknown as PageApi;
      if (t === null) primroseChat.signOut();
      else primroseChat.signIn(t);
    }, token);
  };
  /** Whose words stand in the chat, besides those of somebody. */
  const others = async (who: string): Promise<string[]> => {
    const text = await frame().locator('.log').innerText();
    return [...text.matchAll(/word of (\w+)/g)].map((m) => m[1] ?? '').filter((w) => w !== who);
  };
  const say = async (who: string, n: number) => {
    await frame().getByText(`Hello ${who}.`).first().waitFor();
    await frame().locator('#say').fill(`a word of ${who} number ${n}`);
    await frame().locator('#say').press('Enter');
    await frame().getByText(`Kept: a word of ${who} number ${n}.`).first().waitFor();
  };

  // Under another name browsers close our storage in the frame, and the page keeps the key; on the same site they leave it open.
  for (const host of ['localhost', '127.0.0.1'])
    it(`never shows one what another said, whoever is named when, however long each answer takes, at ${host}`, async () => {
      const bot = await shown(host);
      const closed = await page.frames()[1]?.evaluate(() => {
        try {
          return localStorage.length < 0;
        } catch {
          return true;
        }
      });
      expect(closed).to.equal(host === 'localhost');
      await frame().getByText('Hello stranger.').first().waitFor();
      let slowest = 0;
      const chance = chanceOf(4);
      await page.route('**/open', async (route) => {
        const response = await route.fetch();
        await pause(chance() * slowest);
        await route.fulfill({ response }).catch(() => undefined);
      });
      const people = ['Ines', 'Tobias', 'stranger'] as const;
      let who: string = 'stranger';
      for (const [i, next] of (['stranger', 'Ines', 'Tobias'] as const).entries()) {
        await name(next);
        who = next;
        await say(who, i);
      }
      slowest = 500;
      for (let i = 10; i < 34; i++) {
        who = people[Math.floor(chance() * people.length)] ?? 'stranger';
        await name(who);
        await until(async () => (await others(who)).length === 0);
        for (let look = 0; look < LOOKS; look++) {
          expect(await others(who), `step ${i}, ${who}`).to.deep.equal([]);
          await pause(LOOK_MS * chance());
        }
        if (chance() < 0.35) await say(who, i);
      }
      // And each finds their own again.
      for (const [i, own] of people.entries()) {
        await name(own);
        await frame().getByText(`word of ${own}`).first().waitFor();
        expect(await others(own), own).to.deep.equal([]);
        await say(own, 100 + i);
      }
      const { items } = await hosting.service.client.call('listConversations', { params: { bot }, query: {} });
      for (const { id } of items) {
        const { lines } = await hosting.service.client.call('getConversation', {
          params: { bot, conversation: id },
          query: { limit: 200 },
        });
        const said = new Set([...JSON.stringify(lines.items).matchAll(/word of (\w+)/g)].map((m) => m[1]));
        expect(said.size, [...said].join()).to.be.at.most(1);
      }
      expect(items.length).to.be.at.least(3);
    });
});
