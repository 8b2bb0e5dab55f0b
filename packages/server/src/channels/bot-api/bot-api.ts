import type { Ability } from '@primrose/core';
import { z } from 'zod';
import type { ChannelKind } from '../channel.js';

/** A program that may speak to the bot: its name, and the digest of its key. */
const caller = z.strictObject({
  name: z.string(),
  hash: z.string(),
  at: z.string(),
});
const settings = z.strictObject({ callers: z.array(caller) });
export type BotApiSettings = z.infer<typeof settings>;

export const readBotApi = (stored: string | null): BotApiSettings => settings.parse(JSON.parse(stored ?? '{"callers":[]}'));

/** What a program shows is its affair: it gets everything as it is. */
const ABILITY: Ability = {
  choices: 'buttons',
  pictures: 'shown',
  links: 'buttons',
  marks: true,
  longest: 100_000,
  oneLine: false,
  typing: true,
  takes: { files: false, replies: false, edits: false, receipts: false, reactions: true, rooms: false },
};

/** Our own API for programs: each with a key of its own opens conversations for its visitors, says things in them and hears the answers. */
export const botApi: ChannelKind = {
  kind: 'bot-api',
  name: 'Bot API',
  about: 'programs of yours, each with a key',
  settings,
  ability: () => ABILITY,
  link: (publicUrl, address) => `${publicUrl}/api/talk/${address}`,
  connectable: true,
};
