import type { DocumentForm } from '../document/schema.js';
import { htmlReading } from './read-html.js';
import { markdownReading } from './read-markdown.js';
import { csvReading, jsonReading } from './read-rows.js';
import { pieceOf, type DocumentReading, type Piece } from './pieces.js';

/** Forms that are text, and are read here; the others are read by libraries beside the service. */
export type TextForm = Extract<DocumentForm, 'markdown' | 'text' | 'html' | 'csv' | 'json'>;

const TEXT_FORMS: readonly DocumentForm[] = ['markdown', 'text', 'html', 'csv', 'json'];

export function isTextForm(form: DocumentForm): form is TextForm {
  return TEXT_FORMS.includes(form);
}

/** A reading is kept up to so many characters and pieces; what is behind is left out, and said. */
export const MOST_READ = { characters: 20_000_000, pieces: 400_000 } as const;

/** What is kept of a reading that has grown too large. */
export function boundedReading(reading: DocumentReading): DocumentReading {
  let characters = 0;
  const kept: Piece[] = [];
  for (const piece of reading.pieces) {
    characters += piece.text.length;
    if (characters > MOST_READ.characters || kept.length >= MOST_READ.pieces) break;
    kept.push(piece);
  }
  if (kept.length === reading.pieces.length) return reading;
  return { ...reading, pieces: kept, note: 'Only its beginning was read: it is very long. Split it up to have all of it.' };
}

/** Reads a text. What is no such thing comes out as plain text, and broken markup as what is left of it. Throws where JSON is broken. */
export function readText(form: TextForm, text: string): DocumentReading {
  const clean = text.replace(/^\uFEFF/, '').replaceAll('\0', '');
  switch (form) {
    case 'markdown':
      return boundedReading(markdownReading(clean));
    case 'html':
      return boundedReading(htmlReading(clean));
    case 'text':
      return boundedReading({ pieces: textPieces(clean) });
    case 'csv':
      return boundedReading(csvReading(clean));
    case 'json':
      return boundedReading(jsonReading(clean));
    default:
      return form satisfies never;
  }
}

/** Plain text: paragraphs are parted by empty lines; a short line underlined with = or - is a heading. */
export function textPieces(text: string): Piece[] {
  return text.split(/\r?\n[^\S\n]*\r?\n/).flatMap((block): Piece[] => {
    const lines = block.trim().split(/\r?\n/);
    const underline = /^(=+|-+)\s*$/.exec(lines[1] ?? '')?.[1];
    if (underline === undefined) return pieceOf(block);
    return [...pieceOf(lines[0] ?? '', underline.startsWith('=') ? 1 : 2), ...pieceOf(lines.slice(2).join('\n'))];
  });
}
