import { z } from 'zod';
import type { Citation, Message } from '../engine/message.js';
import { plainText, type Block, type Inline } from '../text/markdown.js';
import { spokenText } from './spoken.js';
import { splitText } from './split.js';

/*
 * What a channel can show, and a message as it is shown there: the one place in which rendering and limits are decided, for
 * sending, for previews and for the table in the docs.
 */

/** Buttons as buttons, as numbered lines that are answered with a number, or said in a row. */
const CHOICES = ['buttons', 'numbered', 'spoken'] as const;
/** Pictures in their place, apart from the text, as their address, or as the words that describe them. */
const PICTURES = ['shown', 'apart', 'links', 'words'] as const;
/** Addresses as buttons, written out, or left to the words of the link. */
const LINKS = ['buttons', 'written', 'words'] as const;

export const ability = z.strictObject({
  choices: z.enum(CHOICES),
  pictures: z.enum(PICTURES),
  links: z.enum(LINKS),
  /** Emphasis, lists and headings are drawn; else they are plain words. */
  marks: z.boolean(),
  /** The most characters of one message; longer ones are split. */
  longest: z.number().int().min(20),
  /** The most bytes of one message as UTF-8, where the protocol counts these. */
  bytes: z.number().int().min(60).optional(),
  /** A message is one line: every line of a text is sent as one of its own. */
  oneLine: z.boolean(),
  typing: z.boolean(),
  /** What comes in besides words. */
  takes: z.strictObject({
    files: z.boolean(),
    replies: z.boolean(),
    edits: z.boolean(),
    receipts: z.boolean(),
    reactions: z.boolean(),
    rooms: z.boolean(),
  }),
});
export type Ability = z.infer<typeof ability>;

/** One part of a message as a channel shows it. */
export interface ShownPart {
  readonly text: string;
  readonly choices: NonNullable<Message['choices']>;
  readonly links: NonNullable<Message['links']>;
  readonly pictures: readonly string[];
  readonly cites: readonly Citation[];
}

/** A part that is text only. */
export const WORDS_ONLY: Omit<ShownPart, 'text'> = { choices: [], links: [], pictures: [], cites: [] };

/** A message in the parts in which a channel shows it: never more characters in one than it takes; what stands apart comes with the last. */
export function shownOn(able: Ability, message: Message, language: string): ShownPart[] {
  if (able.choices === 'spoken') return [{ ...WORDS_ONLY, text: spokenMessage(message, language) }];
  const { choices = [], cites = [], links = [] } = message;
  const blocks = able.pictures === 'apart' || able.pictures === 'words' ? withoutPictures(message.blocks) : message.blocks;
  const numbered = able.choices === 'numbered' ? choices.map((c, i) => `${i + 1}. ${c.says}`) : [];
  const written = able.links === 'buttons' ? [] : links.map((l) => `${l.says}: ${l.opens}`);
  const paragraphs = [
    able.marks ? markedText(message, able) : plainText(blocks),
    ...[cites.map(sourceLine), numbered, written].filter((lines) => lines.length > 0).map((lines) => lines.join('\n')),
  ];
  const parts = inParts(paragraphs.filter((p) => p.trim() !== '').join('\n\n'), able);
  return parts.map((text, i): ShownPart => {
    if (i < parts.length - 1) return { ...WORDS_ONLY, text };
    return {
      text,
      choices: able.choices === 'buttons' ? choices : [],
      links: able.links === 'buttons' ? links : [],
      pictures: able.pictures === 'apart' ? picturesIn(message.blocks) : [],
      cites,
    };
  });
}

/** A text with its marks; pictures that are not drawn there become links with the words that describe them. */
function markedText({ text, blocks }: Message, { pictures }: Ability): string {
  if (pictures === 'shown') return text;
  return picturesIn(blocks).reduce(
    (marked, from) => marked.replaceAll(new RegExp(`!\\[([^\\]]*)\\]\\(${escaped(from)}[^)]*\\)`, 'g'), `[$1](${from})`),
    text,
  );
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** A message as it is said aloud: its own words for speech where it has some, what can be chosen behind them. */
export function spokenMessage({ blocks, speech, choices = [], links = [] }: Message, language: string): string {
  // The entries of a list follow one another.
  const listed = (_all: string, ends: string) => (ends === '' ? '; ' : `${ends} `);
  const words = (speech ?? plainText(withoutAddresses(blocks)))
    .replace(/\s*\[\d{1,2}\](?=[\s.,;:!?]|$)/g, '')
    .replace(/([:.!?]?)\n+- /g, listed)
    .replace(/^- /, '');
  const offered = [...choices.map((c) => c.says), ...links.map((l) => l.says)];
  const parts = [words, ...(offered.length > 0 ? [`${offered.join('; ')}.`] : [])];
  return spokenText(parts.join(' '), language);
}

/** Where something stands, in a line, with the address at which it can be read. */
function sourceLine({ number, title, heading, page, address }: Citation): string {
  const place = `[${number}] ${title}${heading === '' ? '' : ` › ${heading}`}${page === undefined ? '' : `, p. ${page}`}`;
  return address === undefined ? place : `${place}: ${address}`;
}

/** A text in the messages that it takes: by length, by bytes, and by line where a message is one. */
function inParts(text: string, { longest, bytes, oneLine }: Ability): string[] {
  const lines = oneLine
    ? text
        .split('\n')
        .map((l) => l.trim())
        .filter((l) => l !== '')
    : [text];
  const parts = lines.flatMap((line) => splitText(line, longest));
  if (bytes === undefined) return parts.length > 0 ? parts : [''];
  return parts.length > 0 ? parts.flatMap((part) => withinBytes(part, bytes)) : [''];
}

/** Halves what is too many bytes until it fits; letters of up to four bytes each. */
function withinBytes(text: string, bytes: number): string[] {
  const size = utf8Length(text);
  if (size <= bytes) return [text];
  const most = Math.max(10, Math.floor((text.length * bytes) / size) - 3);
  const parts = splitText(text, most);
  return parts.length < 2 ? parts : parts.flatMap((part) => withinBytes(part, bytes));
}

/** The bytes of a text as UTF-8 (RFC 3629). */
export function utf8Length(text: string): number {
  let size = 0;
  for (const letter of text) {
    const code = letter.codePointAt(0) ?? 0;
    size += code < 0x80 ? 1 : code < 0x800 ? 2 : code < 0x10000 ? 3 : 4;
  }
  return size;
}

function inside(i: Inline, change: (i: Inline) => Inline): Inline {
  const changed = change(i);
  return 'inside' in changed ? { ...changed, inside: changed.inside.map((x) => inside(x, change)) } : changed;
}

/** Blocks whose parts in a line are other ones. */
function mapInline(blocks: readonly Block[], change: (i: Inline) => Inline): Block[] {
  return blocks.map((b): Block => {
    if ('inside' in b) return { ...b, inside: b.inside.map((i) => inside(i, change)) };
    if (b.type === 'list') return { ...b, items: b.items.map((item) => mapInline(item, change)) };
    return b.type === 'quote' ? { ...b, blocks: mapInline(b.blocks, change) } : b;
  });
}

/** Blocks with the words of pictures in place of these: they are sent apart. */
export function withoutPictures(blocks: readonly Block[]): Block[] {
  return mapInline(blocks, (i) => (i.type === 'image' ? { type: 'text', text: i.alt } : i));
}

/** Blocks in which links and pictures are words only. */
function withoutAddresses(blocks: readonly Block[]): Block[] {
  return mapInline(withoutPictures(blocks), (i) => (i.type === 'link' ? { type: 'emphasis', inside: i.inside } : i));
}

/** The addresses of the pictures of a text, in order. */
export function picturesIn(blocks: readonly Block[]): string[] {
  const inline = (i: Inline): string[] => {
    if (i.type === 'image') return [i.from];
    return 'inside' in i ? i.inside.flatMap(inline) : [];
  };
  return blocks.flatMap((b): string[] => {
    if ('inside' in b) return b.inside.flatMap(inline);
    if (b.type === 'list') return b.items.flatMap((item) => picturesIn(item));
    return b.type === 'quote' ? picturesIn(b.blocks) : [];
  });
}

/** The button that a number means where buttons are numbered lines: `2`, `2.`, `(2)`, `#2`. Undefined for anything else. */
export function numberedChoice(
  text: string,
  choices: NonNullable<Message['choices']>,
): { readonly id: string; readonly says: string } | undefined {
  const [, digits] = /^[#(]?\s*(\d{1,2})\s*[.)]?$/.exec(text.trim()) ?? [];
  return digits === undefined ? undefined : choices[Number(digits) - 1];
}
