import { SAMPLE_MESSAGES, shownOn, type Ability } from '@primrose/core';
import { channelKinds } from '../../src/channels/registry.js';

/** Kinds that talk, in the order of the registry. A messenger shows what its mapping names: here one that names everything. */
const KINDS = [...channelKinds.values()].filter((k) => k.kind !== 'page');

const EVERYTHING: Ability = {
  choices: 'buttons',
  pictures: 'apart',
  links: 'buttons',
  marks: false,
  longest: 2000,
  oneLine: false,
  typing: true,
  takes: { files: true, replies: true, edits: true, receipts: true, reactions: true, rooms: true },
};

const abilityOf = (kind: (typeof KINDS)[number]): Ability => (kind.kind === 'hook-messenger' ? EVERYTHING : kind.ability(null));
const row = (cells: readonly string[]): string => `| ${cells.join(' | ')} |`;
const tick = (yes: boolean): string => (yes ? 'yes' : '');

/** What each kind of channel can show and takes, as the docs have it. */
export function abilityTable(): string {
  const of = (name: string, cell: (a: Ability) => string) => row([name, ...KINDS.map((k) => cell(abilityOf(k)))]);
  return [
    row(['', ...KINDS.map((k) => k.name)]),
    row(['---', ...KINDS.map(() => '---')]),
    of('Buttons', (a) => a.choices),
    of('Pictures', (a) => a.pictures),
    of('Links of notices', (a) => a.links),
    of('Emphasis, lists', (a) => (a.marks ? 'drawn' : 'plain')),
    of('Longest message', (a) => String(a.longest)),
    of('Bytes of one', (a) => (a.bytes === undefined ? '' : String(a.bytes))),
    of('One line each', (a) => tick(a.oneLine)),
    of('Shows that it writes', (a) => tick(a.typing)),
    ...(['files', 'replies', 'edits', 'receipts', 'reactions', 'rooms'] as const).map((what) =>
      of(`Takes ${what}`, (a) => tick(a.takes[what])),
    ),
  ].join('\n');
}

const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll('\n', '<br>').replace(/^$/, '–');

/** How each kind of message looks on each kind of channel, as the docs have it; a long text only as the number of its parts. */
export function shownTable(): string {
  const looks = (kind: (typeof KINDS)[number], { name, message }: (typeof SAMPLE_MESSAGES)[number]): string => {
    const parts = shownOn(abilityOf(kind), message, 'en');
    if (name === 'A long text') return parts.length === 1 ? 'one message' : `${parts.length} messages`;
    return parts
      .map((p) =>
        cell(
          [
            p.text,
            ...p.choices.map((c) => `[${c.says}]`),
            ...p.links.map((l) => `[${l.says}]`),
            ...p.pictures.map((from) => `(picture ${from})`),
          ].join('\n'),
        ),
      )
      .join('<br>');
  };
  return [
    row(['', ...SAMPLE_MESSAGES.map((m) => m.name)]),
    row(['---', ...SAMPLE_MESSAGES.map(() => '---')]),
    ...KINDS.map((k) => row([k.name, ...SAMPLE_MESSAGES.map((m) => looks(k, m))])),
  ].join('\n');
}
