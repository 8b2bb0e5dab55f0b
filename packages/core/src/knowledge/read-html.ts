import { parseDocument } from 'htmlparser2';
import { pieceOf, tidy, type Piece, type DocumentReading } from './pieces.js';
import { rowPieces } from './read-rows.js';

type HtmlNode = ReturnType<typeof parseDocument>['children'][number];
/** DOM Standard, 4.4. */
const TEXT_NODE = 3;
/** What is no part of what a page says. Scripts are never run: a page is only taken apart. */
const NOT_READ = new Set(
  'script style head title nav template noscript footer aside form button select svg iframe object canvas menu dialog'.split(' '),
);
const BLOCKS = new Set(['p', 'li', 'td', 'th', 'dd', 'dt', 'pre', 'blockquote', 'figcaption', 'caption']);
/** A page is gone down to this depth; what stands deeper is read as words of what stands there. */
const DEEPEST = 200;
/** Where a page says what its main part is, only that is read, if so much is in it. */
const LEAST_MAIN = 200;

/** Reads a page: its main part where it says which that is, without menus. */
export function htmlReading(text: string): DocumentReading {
  const { children } = parseDocument(text);
  const title = tidy(htmlText(found(children, 'title', 0)?.flatMap((n) => ('children' in n ? n.children : [])) ?? [], 0));
  const main = found(children, 'main', 0) ?? found(children, 'article', 0);
  const own = main ? htmlPieces(main, 0) : [];
  const length = own.reduce((sum, p) => sum + p.text.length, 0);
  const pieces = length >= LEAST_MAIN ? own : htmlPieces(children, 0);
  return { ...(title === '' ? {} : { title: title.slice(0, 200) }), pieces };
}

const nameOf = (node: HtmlNode): string => ('name' in node ? node.name.toLowerCase() : '');

/** The first element of a name, in a list of its own. */
function found(nodes: readonly HtmlNode[], name: string, depth: number): HtmlNode[] | undefined {
  for (const node of nodes) {
    if (nameOf(node) === name) return [node];
    const within = 'children' in node && depth < DEEPEST ? found(node.children, name, depth + 1) : undefined;
    if (within) return within;
  }
  return undefined;
}

function htmlPieces(nodes: readonly HtmlNode[], depth: number): Piece[] {
  const pieces: Piece[] = [];
  for (const node of nodes) for (const piece of nodePieces(node, depth)) pieces.push(piece);
  return pieces;
}

function nodePieces(node: HtmlNode, depth: number): Piece[] {
  if (!('children' in node)) return pieceOf(wordsOf(node));
  const name = nameOf(node);
  if (NOT_READ.has(name)) return [];
  const heading = /^h([1-6])$/.exec(name);
  if (heading) return pieceOf(htmlText(node.children, depth), Number(heading[1]));
  if (name === 'table') return tablePieces(node.children, depth);
  // A list in a list, and paragraphs in a quotation, are pieces of their own.
  if (BLOCKS.has(name) && !holdsBlocks(node.children)) return pieceOf(htmlText(node.children, depth));
  return depth >= DEEPEST ? pieceOf(htmlText(node.children, depth)) : htmlPieces(node.children, depth + 1);
}

const holdsBlocks = (nodes: readonly HtmlNode[]): boolean =>
  nodes.some((n) => BLOCKS.has(nameOf(n)) || ['ul', 'ol', 'dl', 'table', 'div'].includes(nameOf(n)));

function rowsIn(nodes: readonly HtmlNode[], depth: number): HtmlNode[] {
  return nodes.flatMap((n) => {
    if (nameOf(n) === 'tr') return [n];
    return 'children' in n && nameOf(n) !== 'table' && depth < DEEPEST ? rowsIn(n.children, depth + 1) : [];
  });
}

/** A table whose first row are names gives rows with them; any other one its cells, row by row. */
function tablePieces(nodes: readonly HtmlNode[], depth: number): Piece[] {
  const rows = rowsIn(nodes, depth).map((tr) =>
    ('children' in tr ? tr.children : [])
      .filter((c) => ['td', 'th'].includes(nameOf(c)))
      .map((c) => ({ named: nameOf(c) === 'th', text: tidy(htmlText([c], depth)) })),
  );
  const [first, ...rest] = rows;
  const caption = found(nodes, 'caption', depth);
  const above = caption ? pieceOf(htmlText(caption, depth)) : [];
  const texts = (row: (typeof rows)[number]) => row.map((c) => c.text);
  if (first && rest.length > 0 && first.length > 1 && (first.every((c) => c.named) || looksNamed(rows)))
    return [...above, ...rowPieces(texts(first), rest.map(texts))];
  return [...above, ...rows.flatMap((row) => pieceOf(texts(row).join(', ')))];
}

interface Cell {
  readonly named: boolean;
  readonly text: string;
}

/** Whether the first row looks like names, where nothing says so: words over columns that hold numbers further down. */
function looksNamed(rows: readonly (readonly Cell[])[]): boolean {
  const [first = [], ...rest] = rows;
  if (rest.length < 2 || rows.some((r) => r.some((c) => c.named))) return false;
  const words =
    first.every((c) => c.text !== '' && !/\d/.test(c.text)) && new Set(first.map((c) => c.text)).size === first.length;
  return words && first.some((_, i) => rest.filter((r) => /\d/.test(r[i]?.text ?? '')).length * 2 > rest.length);
}

/** The words of a node without children; a comment has none. */
function wordsOf(node: HtmlNode): string {
  return node.nodeType === TEXT_NODE && 'data' in node ? node.data : '';
}

function htmlText(nodes: readonly HtmlNode[], depth: number): string {
  return nodes
    .map((n) => {
      if (!('children' in n)) return wordsOf(n);
      if (NOT_READ.has(nameOf(n)) && nameOf(n) !== 'title') return ' ';
      if (nameOf(n) === 'br') return ' ';
      const apart = BLOCKS.has(nameOf(n)) || nameOf(n) === 'div' ? ' ' : '';
      return depth > DEEPEST * 2 ? '' : `${htmlText(n.children, depth + 1)}${apart}`;
    })
    .join('');
}
