import type { Ability } from '@primrose/core';
import { z } from 'zod';

const nick = z
  .string()
  .trim()
  .regex(/^[A-Za-z[\]\\`_^{|}][A-Za-z0-9[\]\\`_^{|}-]{0,29}$/, 'a nickname such as harbour-desk, of letters, digits and dashes');

export const ircSettings = z.strictObject({
  host: z.string().trim().min(1).max(253).describe('the server'),
  port: z.number().int().min(1).max(65_535).describe('its port, mostly 6697 encrypted and 6667 not'),
  /** Encrypted from the first byte. */
  tls: z.boolean().describe('encrypted from the first byte'),
  nick: nick.describe('the bot’s nickname'),
  /** Rooms in which the bot answers whoever names it. */
  rooms: z
    .array(
      z
        .string()
        .trim()
        .regex(/^[#&+!][^\s,:\p{Cc}]{1,49}$/u, 'a room such as #harbour'),
    )
    .max(20)
    .optional()
    .describe('rooms in which the bot answers whoever names it, such as #harbour'),
});
export type IrcSettings = z.infer<typeof ircSettings>;

export const readIrc = (settings: string): IrcSettings => ircSettings.parse(JSON.parse(settings));

/** What the protocol shows. */
export const IRC_ABILITY: Ability = {
  choices: 'numbered',
  pictures: 'links',
  links: 'written',
  marks: false,
  longest: 400,
  // A line is 512 bytes with who says it, where to, and its end (RFC 2812, 2.3).
  bytes: 380,
  oneLine: true,
  typing: false,
  takes: { files: false, replies: false, edits: false, receipts: false, reactions: false, rooms: true },
};
