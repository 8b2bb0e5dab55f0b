import type { Ability } from '@primrose/core';
import type { ChannelKind } from '../channel.js';
import { telephoneSettings } from './settings.js';

const ABILITY: Ability = {
  choices: 'spoken',
  pictures: 'words',
  links: 'words',
  marks: false,
  longest: 5000,
  oneLine: false,
  typing: false,
  takes: { files: false, replies: false, edits: false, receipts: true, reactions: false, rooms: false },
};

/** A telephone: a voice platform fetches documents in VoiceXML 2.1 (W3C, 2007) and says and hears what they tell it to. */
export const telephone: ChannelKind = {
  kind: 'telephone',
  name: 'Telephone',
  about: 'calls, by documents that a voice platform fetches',
  settings: telephoneSettings,
  ability: () => ABILITY,
  link: (publicUrl, address) => `${publicUrl}/api/calls/${address}`,
  connectable: true,
};
