import type { Ability } from '@primrose/core';
import type { ChannelKind } from '../channel.js';
import { holdMatrix } from './line.js';
import { matrixSender } from './sender.js';
import { matrixSettings, readMatrix } from './settings.js';

const ABILITY: Ability = {
  choices: 'numbered',
  pictures: 'links',
  links: 'written',
  marks: true,
  // An event is 65,536 bytes with everything around it (Matrix client-server API, size limits).
  longest: 8000,
  bytes: 24_000,
  oneLine: false,
  typing: true,
  takes: { files: true, replies: true, edits: true, receipts: true, reactions: true, rooms: true },
};

/** A user at a Matrix homeserver (client-server API v3): answers in talks of two, in rooms whoever names it. */
export const matrix: ChannelKind = {
  kind: 'matrix',
  name: 'Matrix',
  about: 'a user at a Matrix homeserver',
  settings: matrixSettings,
  ability: () => ABILITY,
  link: (_publicUrl, _address, settings) => (settings === null ? '' : `matrix:u/${readMatrix(settings).user.slice(1)}`),
  secrets: [{ name: 'token', about: 'the access token of the user' }],
  sender: (settings, secrets, caller) => matrixSender(readMatrix(settings), secrets, caller, ABILITY),
  connects: (port) => holdMatrix(port, readMatrix(port.settings)),
  connectable: true,
};
