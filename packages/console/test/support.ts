import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { BotDocument } from '@primrose/core';
import type { Page } from 'playwright-core';
import type { TestService } from '../../server/test/support/service.js';

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

interface Finding {
  readonly id: string;
  readonly nodes: { readonly html: string }[];
}

/** What axe finds on the page as it is, one line each; only in the part that a selector names, where one is given. */
export async function axeFindings(page: Page, part?: string): Promise<string[]> {
  await page.evaluate(AXE);
  const found = await page.evaluate(async (where) => {
    type Run = (where?: string) => Promise<{ violations: Finding[] }>;
    const { axe } = globalThis as unknown as { axe: { run: Run } };
    return (await (where === undefined ? axe.run() : axe.run(where))).violations;
  }, part);
  return found.map((f) => `${f.id}: ${f.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`);
}

/** A new bot of a document, and its draft as the service has it. */
export async function botWith(service: TestService, document: BotDocument) {
  const { bot } = await service.client.call('createBot', { body: { from: 'document', document: document as never } });
  const draft = async () => (await service.client.call('getDraft', { params: { bot: bot.id } })).document;
  return { bot: bot.id, draft };
}
