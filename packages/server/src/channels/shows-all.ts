import type { Ability } from '@primrose/core';

/** What pages of ours, and programs that get everything as it is, can show; what they take besides words is their own. */
export const SHOWS_ALL: Ability = {
  choices: 'buttons',
  pictures: 'shown',
  links: 'buttons',
  marks: true,
  longest: 100_000,
  oneLine: false,
  typing: true,
  takes: { files: true, replies: false, edits: false, receipts: false, reactions: true, rooms: false },
};
