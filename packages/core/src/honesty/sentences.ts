/*
 * A text in its sentences and clauses, as far as claims need them.
 */

/** A sentence with its place in the text: characters from, to before. */
export interface Sentence {
  readonly text: string;
  readonly from: number;
  readonly to: number;
}

/** A full stop behind these ends no sentence. */
const SHORT =
  /(?:^|[\s(])(?:mr|mrs|ms|dr|st|no|nr|approx|e\.g|i\.e|etc|vs|z\.b|d\.h|ca|bzw|sr|sra|ud|uds|p\.ej|av|tel|p|a\.m|p\.m|\p{L}|\d{1,2})\.$/iu;

/** The sentences of a text: a line is at least one. */
export function sentencesOf(text: string): Sentence[] {
  const found: Sentence[] = [];
  let from = 0;
  const close = (to: number): void => {
    const piece = text.slice(from, to);
    if (piece.trim() !== '') found.push({ text: piece, from, to });
    from = to;
  };
  for (const match of text.matchAll(/[.!?…。！？]+["”“»')\]]*(?=\s|$)|\n+/gu)) {
    const end = match.index + match[0].length;
    const ends = match[0].startsWith('.') && match[0].length === 1 && endsShort(text, from, end);
    if (!ends) close(end);
  }
  close(text.length);
  return found;
}

/** "On 15. May", "e.g. the ramp": the stop belongs to what stands before it, and the sentence goes on in small letters or figures. */
function endsShort(text: string, from: number, end: number): boolean {
  const before = text.slice(Math.max(from, end - 12), end);
  if (!SHORT.test(before)) return false;
  return /^\s+[\p{Ll}\p{N}]/u.test(text.slice(end)) || /\d\.$/.test(before);
}

/** A sentence without what is quoted in it, and without marks of writing: bold, code, lists. */
export function unquoted(sentence: string): string {
  return sentence
    .replace(/[“„][^”“]{0,400}[”“]|«[^»]{0,400}»|"[^"]{0,400}"|‘[^’]{2,400}’(?!\p{L})|`[^`]{0,400}`/gu, ' … ')
    .replace(/^\s*(?:[-*•>]|\d+[.)])\s+/u, '')
    .replace(/[*~#]+|(?<![\p{L}\p{N}])_+|_+(?![\p{L}\p{N}])/gu, '');
}

/** The clauses of a sentence: parted by marks and by words that join two statements. The last is asked where the sentence is. */
export function clausesOf(sentence: string): { readonly text: string; readonly asks: boolean }[] {
  const pieces = sentence
    .split(/[;()—–]|:(?!\d)|,(?!\d)|\s-\s|(?<=\s)(?:and|but|so|then|und|aber|oder|y|pero|et|mais|sowie)(?=\s)/u)
    .map((p) => p.trim())
    .filter((p) => p !== '' && p !== '…');
  const asked = /[?？]["”»')\]]*\s*$/u.test(sentence);
  return pieces.map((text, i) => ({ text, asks: asked && i === pieces.length - 1 }));
}
