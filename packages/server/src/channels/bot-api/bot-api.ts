import { z } from 'zod';
import type { ChannelKind } from '../channel.js';
import { SHOWS_ALL } from '../shows-all.js';

/** A program that may speak to the bot: its name, and the digest of its key. */
const caller = z.strictObject({
  name: z.string(),
  hash: z.string(),
  at: z.string(),
});
const settings = z.strictObject({ callers: z.array(caller) });
export type BotApiSettings = z.infer<typeof settings>;

export const readBotApi = (stored: string | null): BotApiSettings => settings.parse(JSON.parse(stored ?? '{"callers":[]}'));

/** Our own API for programs: each with a key of its own opens conversations for its visitors, says things in them and hears the answers. */
export const botApi: ChannelKind = {
  kind: 'bot-api',
  name: 'Bot API',
  about: 'programs of yours, each with a key',
  settings,
  ability: () => ({ ...SHOWS_ALL, takes: { ...SHOWS_ALL.takes, files: false } }),
  link: (publicUrl, address) => `${publicUrl}/api/talk/${address}`,
  connectable: true,
};
