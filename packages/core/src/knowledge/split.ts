import { parseDocument as parseHtml } from 'htmlparser2';
import { marked, type Token, type Tokens } from 'marked';
import type { KnowledgeDocument } from '../document/schema.js';

/** A piece of a document that is ranked and cited. `heading` is the path of headings above it, `place` counts from 1. */
export interface Passage {
  readonly document: string;
  readonly title: string;
  readonly heading: string;
  readonly text: string;
  readonly place: number;
  /** The page it begins on, where the document has pages. */
  readonly page?: number;
}

/** A passage grows up to this many characters; one paragraph or list alone may be cut at a sentence. */
export const PASSAGE_LENGTH = 1600;

/** A document as headings and paragraphs in order. */
interface Piece {
  /** 1 for the highest heading; 0 for text. */
  readonly level: number;
  readonly text: string;
}

/** What a document is called: as it says, or as its first heading says where that is the highest. */
export function titleOf(id: string, document: KnowledgeDocument): string {
  return document.title ?? id;
}

/** Splits a document into passages: at headings first, then by size at paragraphs, then at sentences. Empty ones are left out. */
export function splitDocument(id: string, document: KnowledgeDocument): Passage[] {
  const pieces = piecesOf(document);
  const first = pieces.find((p) => p.level > 0);
  const title = document.title ?? (first?.level === 1 ? first.text : id);
  const passages: Passage[] = [];
  const headings: { level: number; text: string }[] = [];
  let open: string[] = [];
  const close = () => {
    const heading = headings
      .map((h) => h.text)
      .filter((h) => h !== title)
      .join(' › ');
    for (const text of packed(open)) passages.push({ document: id, title, heading, text, place: passages.length + 1 });
    open = [];
  };
  for (const piece of pieces) {
    if (piece.level === 0) {
      open.push(piece.text);
      continue;
    }
    close();
    while ((headings.at(-1)?.level ?? 0) >= piece.level) headings.pop();
    headings.push(piece);
  }
  close();
  return passages;
}

function piecesOf({ form, text }: KnowledgeDocument): Piece[] {
  switch (form) {
    case 'markdown':
      return marked.lexer(text).flatMap(markdownPieces);
    case 'html':
      return htmlPieces(parseHtml(text).children);
    case 'text':
      return textPieces(text);
    default:
      return form satisfies never;
  }
}

const tidy = (text: string): string => text.replace(/\s+/g, ' ').trim();
const piece = (text: string, level = 0): Piece[] => (tidy(text) === '' ? [] : [{ level, text: tidy(text) }]);

function markdownPieces(token: Token): Piece[] {
  switch (token.type) {
    case 'heading':
      return piece(inlineText((token as Tokens.Heading).tokens), (token as Tokens.Heading).depth);
    case 'list':
      return piece((token as Tokens.List).items.map((i) => inlineText(i.tokens)).join('; '));
    case 'table': {
      const { header, rows } = token as Tokens.Table;
      const names = header.map((h) => inlineText(h.tokens));
      return rows.flatMap((row) => piece(row.map((cell, i) => `${names[i]}: ${inlineText(cell.tokens)}`).join(', ')));
    }
    case 'blockquote':
      return ((token as Tokens.Blockquote).tokens ?? []).flatMap(markdownPieces);
    case 'space':
    case 'hr':
    case 'html':
      return [];
    default:
      return piece('tokens' in token && token.tokens ? inlineText(token.tokens) : 'text' in token ? String(token.text) : '');
  }
}

function inlineText(tokens: readonly Token[]): string {
  return tokens
    .map((t) => {
      if (t.type === 'br') return ' ';
      if (t.type === 'html') return '';
      return 'tokens' in t && t.tokens ? inlineText(t.tokens) : 'text' in t ? String(t.text) : '';
    })
    .join('');
}

type HtmlNode = ReturnType<typeof parseHtml>['children'][number];
/** DOM Standard, 4.4. */
const TEXT_NODE = 3;
const NOT_READ = new Set(['script', 'style', 'head', 'title', 'nav', 'template', 'noscript']);
const BLOCKS = new Set(['p', 'li', 'td', 'th', 'dd', 'dt', 'pre', 'blockquote', 'figcaption', 'caption']);

function htmlPieces(nodes: readonly HtmlNode[]): Piece[] {
  return nodes.flatMap((node): Piece[] => {
    if (!('children' in node)) return piece(wordsOf(node));
    const name = 'name' in node ? node.name.toLowerCase() : '';
    if (NOT_READ.has(name)) return [];
    const heading = /^h([1-6])$/.exec(name);
    if (heading) return piece(htmlText(node.children), Number(heading[1]));
    if (name === 'tr') return piece(node.children.map((c) => htmlText([c])).join(', '));
    if (BLOCKS.has(name)) return piece(htmlText(node.children));
    return htmlPieces(node.children);
  });
}

/** The words of a node without children; a comment has none. */
function wordsOf(node: HtmlNode): string {
  return node.nodeType === TEXT_NODE && 'data' in node ? node.data : '';
}

function htmlText(nodes: readonly HtmlNode[]): string {
  return nodes
    .map((n) => {
      if (!('children' in n)) return wordsOf(n);
      if ('name' in n && NOT_READ.has(n.name.toLowerCase())) return ' ';
      return 'name' in n && n.name === 'br' ? ' ' : htmlText(n.children);
    })
    .join('');
}

/** Plain text: paragraphs are parted by empty lines; a short line underlined with = or - is a heading. */
function textPieces(text: string): Piece[] {
  return text.split(/\r?\n\s*\r?\n/).flatMap((block): Piece[] => {
    const lines = block.trim().split(/\r?\n/);
    const underline = /^(=+|-+)\s*$/.exec(lines[1] ?? '')?.[1];
    if (underline === undefined) return piece(block);
    return [...piece(lines[0] ?? '', underline.startsWith('=') ? 1 : 2), ...piece(lines.slice(2).join('\n'))];
  });
}

/** Paragraphs gathered up to the length of a passage; a longer one is cut at sentences. */
function packed(paragraphs: readonly string[]): string[] {
  const parts = paragraphs.flatMap((p) => (p.length <= PASSAGE_LENGTH ? [p] : sentences(p)));
  const out: string[] = [];
  for (const part of parts) {
    const last = out.at(-1);
    if (last !== undefined && last.length + part.length + 1 <= PASSAGE_LENGTH) out[out.length - 1] = `${last} ${part}`;
    else out.push(part);
  }
  return out;
}

function sentences(text: string): string[] {
  const found = text.match(/[^.!?]+[.!?]*\s*|[.!?]+\s*/g) ?? [text];
  return found.flatMap((s) => s.trim().match(new RegExp(`.{1,${PASSAGE_LENGTH}}`, 'gs')) ?? []);
}
