import { Lexer, type Token, type Tokens } from 'marked';
import { z } from 'zod';

/** A piece of a line of bot text. Links and pictures only ever carry addresses that `safeAddress` let through. */
export type Inline =
  | { readonly type: 'text' | 'code'; readonly text: string }
  | { readonly type: 'strong' | 'emphasis'; readonly inside: readonly Inline[] }
  | { readonly type: 'link'; readonly to: string; readonly inside: readonly Inline[] }
  | { readonly type: 'image'; readonly from: string; readonly alt: string }
  | { readonly type: 'break' };

/** A block of bot text, ready to be drawn by any channel without parsing anything again. */
export type Block =
  | { readonly type: 'paragraph'; readonly inside: readonly Inline[] }
  | { readonly type: 'heading'; readonly level: number; readonly inside: readonly Inline[] }
  | { readonly type: 'list'; readonly ordered: boolean; readonly start: number; readonly items: readonly (readonly Block[])[] }
  | { readonly type: 'quote'; readonly blocks: readonly Block[] }
  | { readonly type: 'code'; readonly text: string }
  | { readonly type: 'rule' };

const inlineShape: z.ZodType<Inline> = z.lazy(() =>
  z.union([
    z.strictObject({ type: z.enum(['text', 'code']), text: z.string() }),
    z.strictObject({ type: z.enum(['strong', 'emphasis']), inside: z.array(inlineShape) }),
    z.strictObject({ type: z.literal('link'), to: z.string(), inside: z.array(inlineShape) }),
    z.strictObject({ type: z.literal('image'), from: z.string(), alt: z.string() }),
    z.strictObject({ type: z.literal('break') }),
  ]),
);

/** A block as a schema. */
export const blockShape: z.ZodType<Block> = z.lazy(() =>
  z.union([
    z.strictObject({ type: z.literal('paragraph'), inside: z.array(inlineShape) }),
    z.strictObject({ type: z.literal('heading'), level: z.int(), inside: z.array(inlineShape) }),
    z.strictObject({
      type: z.literal('list'),
      ordered: z.boolean(),
      start: z.int(),
      items: z.array(z.array(blockShape)),
    }),
    z.strictObject({ type: z.literal('quote'), blocks: z.array(blockShape) }),
    z.strictObject({ type: z.literal('code'), text: z.string() }),
    z.strictObject({ type: z.literal('rule') }),
  ]),
);

/** The address if it is one a visitor may be sent to (http, https, mailto, tel), else undefined. */
export function safeAddress(address: string): string | undefined {
  const trimmed = address.trim();
  return /^(https?:\/\/|mailto:|tel:)[^\s<>"]+$/i.test(trimmed) ? trimmed : undefined;
}

const ENTITIES: Readonly<Record<string, string>> = { '&amp;': '&', '&lt;': '<', '&gt;': '>', '&quot;': '"', '&#39;': "'" };

function unescapeEntities(text: string): string {
  return text.replace(/&(amp|lt|gt|quot|#39);/g, (entity) => ENTITIES[entity] ?? entity);
}

/** One line in which nothing can be a mark: most of what bots say, and some ten times faster to read. */
const PLAIN = /^(?!\d+[.)])[\p{L}\p{N}][\p{L}\p{N} ,;:.?!'"()…–—/]*$/u;
const MARKS = /[\\`*_[\]<>&~|#+\-.)!]/;

/** Quotes and lists inside each other are read so deep, and so many marks of emphasis in a paragraph; what is more stands as it is written. */
const DEEPEST = 20;
const MOST_EMPHASIS = 400;
const NESTED = new RegExp(String.raw`^((?:[ \t]*(?:>|(?:[-+*]|\d{1,9}[.)])[ \t])){${DEEPEST}})(.+)$`, 'gm');

/** CommonMark text as blocks. HTML in it stays visible as the text it is. */
export function readMarkdown(source: string): Block[] {
  if (PLAIN.test(source) && !source.endsWith(' ')) return [{ type: 'paragraph', inside: [{ type: 'text', text: source }] }];
  return new Lexer({ gfm: false }).lex(bounded(source)).flatMap(block);
}

/** A text that costs no more to read than its length: a model, or whoever writes for a bot, may write as many marks as they like. */
function bounded(source: string): string {
  const shallow =
    source.length < 2 * DEEPEST
      ? source
      : source.replace(NESTED, (_all, lead: string, rest: string) => lead + escapeMarkdown(rest.trimStart()));
  if (emphasisIn(shallow) <= MOST_EMPHASIS) return shallow;
  return shallow
    .split(/(\n[ \t]*\n)/)
    .map((part) => (emphasisIn(part) <= MOST_EMPHASIS ? part : part.replace(/[*_]/g, '\\$&')))
    .join('');
}

function emphasisIn(text: string): number {
  let count = 0;
  for (const sign of text) if (sign === '*' || sign === '_') count++;
  return count;
}

function block(token: Token): Block[] {
  switch (token.type) {
    case 'paragraph':
    case 'text':
      return [{ type: 'paragraph', inside: inlines(token) }];
    case 'heading':
      return [{ type: 'heading', level: (token as Tokens.Heading).depth, inside: inlines(token) }];
    case 'list': {
      const list = token as Tokens.List;
      return [
        {
          type: 'list',
          ordered: list.ordered,
          start: Number(list.start) || 1,
          items: list.items.map((i) => i.tokens.flatMap(block)),
        },
      ];
    }
    case 'blockquote':
      return [{ type: 'quote', blocks: ((token as Tokens.Blockquote).tokens ?? []).flatMap(block) }];
    case 'code':
      return [{ type: 'code', text: (token as Tokens.Code).text }];
    case 'hr':
      return [{ type: 'rule' }];
    case 'space':
    case 'def':
      return [];
    default:
      return [{ type: 'paragraph', inside: [{ type: 'text', text: token.raw.trim() }] }];
  }
}

function inlines(token: Token): Inline[] {
  const inside = (token as Tokens.Generic).tokens;
  return inside
    ? inside.flatMap(inline)
    : [{ type: 'text', text: unescapeEntities((token as Tokens.Generic)['text'] as string) }];
}

function inline(token: Token): Inline[] {
  switch (token.type) {
    case 'strong':
      return [{ type: 'strong', inside: inlines(token) }];
    case 'em':
      return [{ type: 'emphasis', inside: inlines(token) }];
    case 'codespan':
      return [{ type: 'code', text: unescapeEntities((token as Tokens.Codespan).text) }];
    case 'br':
      return [{ type: 'break' }];
    case 'link': {
      const to = safeAddress((token as Tokens.Link).href);
      return to ? [{ type: 'link', to, inside: inlines(token) }] : inlines(token);
    }
    case 'image': {
      const { href, text } = token as Tokens.Image;
      const from = safeAddress(href);
      return from?.startsWith('http') ? [{ type: 'image', from, alt: text }] : [{ type: 'text', text }];
    }
    case 'escape':
    case 'text':
      return (token as Tokens.Text).tokens
        ? inlines(token)
        : [{ type: 'text', text: unescapeEntities((token as Tokens.Text).text) }];
    default:
      return [{ type: 'text', text: token.raw }];
  }
}

/** The beginning of a line that CommonMark takes for code: four spaces, or a tab. */
const INDENTED = /^[ \t]*(?: {4}|\t)[ \t]*/gm;

/** Makes text stand for itself in CommonMark, so that a visitor's words cannot become links, headings or code. */
export function escapeMarkdown(text: string): string {
  // Spaces that do not break look the same, and are no indentation.
  const flush = /(?: {4}|\t)/.test(text)
    ? text.replace(INDENTED, (lead) => lead.replace(/\t/g, '    ').replace(/ /g, '\u00A0'))
    : text;
  if (!MARKS.test(flush)) return flush;
  return flush
    .replace(/[\\`*_[\]<>&~|]/g, (c) => '\\' + c)
    .replace(/^(\s*)([#+-])/gm, '$1\\$2')
    .replace(/^(\s*\d+)([.)])/gm, '$1\\$2')
    .replace(/!(?=\\\[)/g, '\\!');
}

/** What the blocks say without any marks, for channels and terminals that have only plain text. */
export function plainText(blocks: readonly Block[]): string {
  return blocks.map(plainBlock).join('\n');
}

function plainBlock(b: Block): string {
  switch (b.type) {
    case 'paragraph':
    case 'heading':
      return b.inside.map(plainInline).join('');
    case 'list':
      return b.items.map((item, i) => (b.ordered ? `${b.start + i}. ` : '- ') + plainText(item)).join('\n');
    case 'quote':
      return plainText(b.blocks);
    case 'code':
      return b.text;
    case 'rule':
      return '---';
    default:
      return b satisfies never;
  }
}

function plainInline(i: Inline): string {
  switch (i.type) {
    case 'text':
    case 'code':
      return i.text;
    case 'strong':
    case 'emphasis':
      return i.inside.map(plainInline).join('');
    case 'link': {
      const words = i.inside.map(plainInline).join('');
      return words === i.to ? words : `${words} (${i.to})`;
    }
    case 'image':
      return i.alt ? `[${i.alt}: ${i.from}]` : i.from;
    case 'break':
      return '\n';
    default:
      return i satisfies never;
  }
}
