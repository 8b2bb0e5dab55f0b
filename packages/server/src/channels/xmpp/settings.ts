import type { Ability } from '@primrose/core';
import { z } from 'zod';

const jid = z
  .string()
  .trim()
  .max(300)
  .regex(/^[^\s@/"&'<>]+@[A-Za-z0-9.-]+$/, 'an address such as desk@chat.example')
  .describe('the account’s address, such as desk@chat.example');

export const xmppSettings = z.strictObject({
  address: jid,
  /** The server, where it is another than the address says (RFC 6120, 3.2); and its port. */
  host: z.string().trim().max(253).optional().describe('the server, where it is another than the address says'),
  port: z.number().int().min(1).max(65_535).optional().describe('its port; 5222 where it is left out'),
  /** Rooms (XEP-0045) in which the bot answers whoever names it. */
  rooms: z.array(jid).max(20).optional().describe('rooms in which the bot answers whoever names it'),
  nick: z.string().trim().min(1).max(40).optional().describe('its name in rooms'),
});
export type XmppSettings = z.infer<typeof xmppSettings>;

export const readXmpp = (settings: string): XmppSettings => xmppSettings.parse(JSON.parse(settings));

/** What the protocol shows. */
export const XMPP_ABILITY: Ability = {
  choices: 'numbered',
  pictures: 'links',
  links: 'written',
  marks: false,
  longest: 5000,
  oneLine: false,
  typing: true,
  takes: { files: true, replies: true, edits: true, receipts: true, reactions: true, rooms: true },
};
