/** A piece of a document in its order: a heading (`level` 1 is the highest), else a paragraph, a list or a row (level 0). */
export interface Piece {
  readonly level: number;
  readonly text: string;
  /** The page it begins on, from 1, where the document has pages. */
  readonly page?: number;
  /** The cells of a row with the names of their columns. */
  readonly cells?: readonly (readonly [name: string, value: string])[];
}

/** A document as it was read: the same whatever form it had. */
export interface DocumentReading {
  readonly title?: string;
  readonly pieces: readonly Piece[];
  readonly pages?: number;
  /** Something that whoever brought it should know: that it was read in part. */
  readonly note?: string;
}

/** Text with single spaces. */
export const tidy = (text: string): string => text.replace(/\s+/g, ' ').trim();

/** A piece with these words; none where there are none. */
export function pieceOf(text: string, level = 0): Piece[] {
  const words = tidy(text);
  return words === '' ? [] : [{ level, text: words }];
}
