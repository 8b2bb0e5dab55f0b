import type { Ability } from '@primrose/core';
import type { ChannelKind } from '../channel.js';
import { holdMailbox } from './line.js';
import { mailSender } from './sender.js';
import { mailSettings, readMail } from './settings.js';

const ABILITY: Ability = {
  choices: 'numbered',
  pictures: 'links',
  links: 'written',
  marks: false,
  longest: 100_000,
  oneLine: false,
  typing: false,
  takes: { files: true, replies: true, edits: false, receipts: false, reactions: false, rooms: false },
};

/** A mailbox (IMAP, RFC 9051): every thread is a conversation, answered by SMTP (RFC 5321). */
export const mail: ChannelKind = {
  kind: 'mail',
  name: 'Mail',
  about: 'a mailbox: every thread is a conversation',
  settings: mailSettings,
  ability: () => ABILITY,
  link: (_publicUrl, _address, settings) => (settings === null ? '' : `mailto:${readMail(settings).address}`),
  secrets: [{ name: 'password', about: 'of the account' }],
  sender: (settings, secrets, _caller, allowed) => mailSender(readMail(settings), secrets, allowed, ABILITY),
  connects: (port) => holdMailbox(port, readMail(port.settings)),
  gathers: true,
  connectable: true,
};
