import type { KnowledgeDocument, Splitting } from '../document/schema.js';
import type { DocumentReading, Piece } from './pieces.js';
import { isTextForm, readText } from './reading.js';

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
const USUAL_OVERLAP = 0;
/** A page or a row is a passage whole, up to this length. */
const LONGEST_WHOLE = 6000;
/** A document has at most so many passages; what is behind is left out. */
export const MOST_PASSAGES = 120_000;

/** Words of a document that go into one passage, with where they stand. */
interface Section {
  readonly heading: string;
  readonly page?: number;
  readonly pieces: readonly Piece[];
}

/** How a document is split where nothing is said: tables by rows, all else by headings. */
export function usualSplitting({ pieces }: DocumentReading): Splitting {
  return pieces.length > 1 && pieces.every((p) => p.cells || p.level > 0) ? { by: 'rows' } : { by: 'headings' };
}

/** Splits what was read of a document into passages. Empty ones are left out. */
export function splitReading(
  about: { readonly id: string; readonly title?: string | undefined },
  reading: DocumentReading,
  wanted?: Splitting,
): Passage[] {
  const splitting = wanted ?? usualSplitting(reading);
  const { size = PASSAGE_LENGTH, overlap = USUAL_OVERLAP } = splitting;
  const title = about.title ?? titleIn(reading) ?? about.id;
  const passages: Passage[] = [];
  for (const section of sectionsOf(reading.pieces, splitting.by, title)) {
    const whole = splitting.by === 'rows' || splitting.by === 'pages' || splitting.by === 'questions';
    for (const { text, page } of packed(section, whole ? LONGEST_WHOLE : size, whole ? 0 : overlap)) {
      if (passages.length >= MOST_PASSAGES) return passages;
      const at = page ?? section.page;
      const { heading } = section;
      passages.push({
        document: about.id,
        title,
        heading,
        text,
        place: passages.length + 1,
        ...(at === undefined ? {} : { page: at }),
      });
    }
  }
  return passages;
}

/** What a document calls itself: in its one highest heading, else where it says so. */
function titleIn({ pieces, title }: DocumentReading): string | undefined {
  const highest = pieces.filter((p) => p.level === 1);
  const [first] = pieces.filter((p) => p.level > 0);
  if (first?.level === 1 && (highest.length === 1 || title === undefined)) return first.text;
  return title;
}

/** Splits a document whose text is in it. A text that cannot be read has no passages. */
export function splitDocument(id: string, document: KnowledgeDocument): Passage[] {
  const reading = inlineReading(document);
  return reading ? splitReading({ id, title: document.title }, reading, document.split) : [];
}

function inlineReading({ form, text }: KnowledgeDocument): DocumentReading | undefined {
  if (text === undefined || !isTextForm(form)) return undefined;
  try {
    return readText(form, text);
  } catch {
    return undefined;
  }
}

function sectionsOf(pieces: readonly Piece[], by: Splitting['by'], title: string): Section[] {
  switch (by) {
    case 'headings':
      return sections(pieces, title, () => false);
    case 'size':
      return [{ heading: '', pieces: pieces.filter((p) => p.text !== title).map((p) => ({ ...p, level: 0 })) }];
    case 'pages':
      return sections(pieces, title, (p, before) => p.page !== before?.page, true);
    case 'rows':
      return sections(pieces, title, (p, before) => p.cells !== undefined || before?.cells !== undefined);
    case 'questions':
      return questionSections(pieces, title);
    default:
      return by satisfies never;
  }
}

/** Pieces under the same headings; `parts` says where one ends besides. With `through`, headings end nothing and are read as words. */
function sections(
  pieces: readonly Piece[],
  title: string,
  parts: (piece: Piece, before: Piece | undefined) => boolean,
  through = false,
): Section[] {
  const found: Section[] = [];
  const headings: Piece[] = [];
  let open: Piece[] = [];
  let heading = '';
  const path = () =>
    headings
      .map((h) => h.text)
      .filter((h) => h !== title)
      .join(' › ');
  const close = () => {
    const [first] = open;
    if (first) found.push({ heading, pieces: open, ...(first.page === undefined ? {} : { page: first.page }) });
    open = [];
  };
  for (const piece of pieces) {
    if (piece.level > 0 && !through) close();
    else if (open.length > 0 && parts(piece, open.at(-1))) close();
    if (piece.level > 0) {
      while ((headings.at(-1)?.level ?? 0) >= piece.level) headings.pop();
      headings.push(piece);
      if (!through) continue;
    }
    if (open.length === 0) heading = path();
    open.push(piece);
  }
  close();
  return found;
}

const isQuestion = (text: string): boolean => text.length <= 300 && /[?？]\s*$/.test(text);
const named = (piece: Piece, names: RegExp): string | undefined => piece.cells?.find(([name]) => names.test(name))?.[1];

/** Questions with what follows them, and rows with a question and its answer: the question is the heading. */
function questionSections(pieces: readonly Piece[], title: string): Section[] {
  const asked = pieces.map((piece): Piece[] => {
    if (!piece.cells) return [isQuestion(piece.text) ? { ...piece, level: 6 } : piece];
    const question = named(piece, /^(question|frage|pregunta|q)$/i) ?? piece.cells[0]?.[1] ?? '';
    const answer =
      named(piece, /^(answer|antwort|respuesta|réponse|a)$/i) ??
      piece.cells
        .slice(1)
        .map(([, v]) => v)
        .join(', ');
    return [
      { ...piece, level: 6, text: question },
      { ...piece, level: 0, text: answer },
    ];
  });
  return sections(asked.flat(), title, () => false);
}

interface Packed {
  readonly text: string;
  readonly page?: number;
}

/** Paragraphs gathered up to the length of a passage; a longer one is cut at sentences. With an overlap, each begins with the end of the last. */
function packed({ pieces }: Section, size: number, overlap: number): Packed[] {
  const parts = pieces.flatMap((p) =>
    (p.text.length <= size ? [p.text] : sentences(p.text, size)).map((text) => ({
      text,
      ...(p.page === undefined ? {} : { page: p.page }),
    })),
  );
  const out: Packed[] = [];
  for (const part of parts) {
    const last = out.at(-1);
    if (last !== undefined && last.text.length + part.text.length + 1 <= size)
      out[out.length - 1] = { ...last, text: `${last.text} ${part.text}` };
    else if (last !== undefined && overlap > 0)
      out.push({ ...part, text: [...tailOf(last.text, Math.min(overlap, size - part.text.length - 1)), part.text].join(' ') });
    else out.push(part);
  }
  return out;
}

/** The last sentences of a text, up to a length. */
function tailOf(text: string, length: number): string[] {
  const tail: string[] = [];
  let left = length;
  for (const sentence of sentences(text, text.length).reverse()) {
    left -= sentence.length + 1;
    if (left < 0) break;
    tail.unshift(sentence);
  }
  return tail;
}

const ENDS = /[.!?…]+["'”’)\]]*(?=\s)|[。！？]/g;
/** What is written short before a point, so that no sentence ends there. */
const SHORTENED =
  /(?:^|[\s(])(?:[A-Za-z]|approx|bzw|ca|dr|etc|evtl|ggf|inkl|max|min|mr|mrs|ms|nr|no|num|prof|sr|sra|st|str|tel|usw|vs|vol|p|pp|pág|núm)\.$/i;

/** The sentences of a text, none longer than `most`. A point ends one where a space and no small letter follow. */
export function sentences(text: string, most: number): string[] {
  const found: string[] = [];
  let from = 0;
  for (const end of text.matchAll(ENDS)) {
    const to = end.index + end[0].length;
    const next = /\S/.exec(text.slice(to, to + 10))?.[0] ?? '';
    if (/\p{Ll}/u.test(next) || SHORTENED.test(text.slice(Math.max(from, to - 12), to))) continue;
    found.push(text.slice(from, to));
    from = to;
  }
  found.push(text.slice(from));
  return found
    .map((s) => s.trim())
    .filter(Boolean)
    .flatMap((s) => cut(s, most));
}

/** A text without a point is cut at spaces. */
function cut(text: string, most: number): string[] {
  const parts: string[] = [];
  let rest = text;
  while (rest.length > most) {
    const space = rest.lastIndexOf(' ', most);
    const at = space > most / 2 ? space : most;
    parts.push(rest.slice(0, at).trim());
    rest = rest.slice(at).trim();
  }
  return [...parts, rest].filter(Boolean);
}
