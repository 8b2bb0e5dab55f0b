import { marked, type Token, type Tokens } from 'marked';
import { pieceOf, type Piece, type DocumentReading } from './pieces.js';
import { rowPieces } from './read-rows.js';

/** Reads CommonMark with tables. The HTML in it is left out. */
export function markdownReading(text: string): DocumentReading {
  return { pieces: marked.lexer(text).flatMap(markdownPieces) };
}

function markdownPieces(token: Token): Piece[] {
  switch (token.type) {
    case 'heading':
      return pieceOf(inlineText((token as Tokens.Heading).tokens), (token as Tokens.Heading).depth);
    case 'list':
      return pieceOf((token as Tokens.List).items.map((i) => inlineText(i.tokens)).join('; '));
    case 'table': {
      const { header, rows } = token as Tokens.Table;
      const cells = (row: readonly Tokens.TableCell[]) => row.map((c) => inlineText(c.tokens));
      return rowPieces(cells(header), rows.map(cells));
    }
    case 'blockquote':
      return ((token as Tokens.Blockquote).tokens ?? []).flatMap(markdownPieces);
    case 'space':
    case 'hr':
    case 'html':
      return [];
    default:
      return pieceOf('tokens' in token && token.tokens ? inlineText(token.tokens) : 'text' in token ? String(token.text) : '');
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
