/** A text in pieces of at most `longest` characters, cut at paragraphs, else sentences, else words; never inside a grapheme. */
export function splitText(text: string, longest: number): string[] {
  const parts: string[] = [];
  let rest = text.trim();
  while (rest.length > longest) {
    const window = rest.slice(0, longest);
    const at = [/\n[^\S\n]*\n\s*/g, /[.!?…]\s+/g, /\s+/g].map((p) => lastEnd(window, p)).find((i) => i > longest / 4);
    const cut = at ?? graphemeEnd(window);
    parts.push(rest.slice(0, cut).trim());
    rest = rest.slice(cut).trim();
  }
  return rest === '' && parts.length > 0 ? parts : [...parts, rest];
}

/** Where the last match of a pattern ends; 0 where there is none. */
function lastEnd(text: string, pattern: RegExp): number {
  let end = 0;
  for (const m of text.matchAll(pattern)) end = m.index + m[0].length;
  return end;
}

const graphemes = new Intl.Segmenter(undefined, { granularity: 'grapheme' });

function graphemeEnd(window: string): number {
  const starts = [...graphemes.segment(window)].map((s) => s.index);
  return starts.length > 1 ? (starts.at(-1) ?? window.length) : window.length;
}
