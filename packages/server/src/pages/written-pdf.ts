import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import {
  asMarkdown,
  readMarkdown,
  shownAs,
  sourceWords,
  type Block,
  type Inline,
  type ResultDocument,
  type ResultSection,
} from '@primrose/core';
import PDFDocument from 'pdfkit';
import type { FindPicture } from './picture.js';

const FONTS = join(dirname(createRequire(import.meta.url).resolve('dejavu-fonts-ttf/package.json')), 'ttf');
const FACES = { plain: 'DejaVuSans', bold: 'DejaVuSans-Bold', slant: 'DejaVuSans-Oblique', code: 'DejaVuSansMono' } as const;
type Face = keyof typeof FACES;

const MARGIN = 56;
const SIZE = 10.5;
const GAP = 6;
const INDENT = 16;
/** Rows of a table that are written; a file with more is a sheet's affair. */
const MOST_ROWS = 5000;

/** Words of one face and where they lead. */
interface Piece {
  readonly text: string;
  readonly face: Face;
  readonly to?: string;
}

function pieces(part: Inline, face: Face = 'plain', to?: string): Piece[] {
  const link = to === undefined ? {} : { to };
  switch (part.type) {
    case 'text':
      return [{ text: part.text, face, ...link }];
    case 'code':
      return [{ text: part.text, face: 'code', ...link }];
    case 'strong':
      return part.inside.flatMap((p) => pieces(p, 'bold', to));
    case 'emphasis':
      return part.inside.flatMap((p) => pieces(p, face === 'bold' ? 'bold' : 'slant', to));
    case 'link':
      return part.inside.flatMap((p) => pieces(p, face, part.to));
    case 'image':
      return [{ text: part.alt, face }];
    case 'break':
      return [{ text: '\n', face }];
  }
}

/** A document that is written from top to bottom. */
class Writing {
  readonly #pdf: PDFKit.PDFDocument;

  constructor(pdf: PDFKit.PDFDocument) {
    this.#pdf = pdf;
    for (const [name, file] of Object.entries(FACES)) pdf.registerFont(name, join(FONTS, `${file}.ttf`));
    this.#plain();
  }

  #plain(): void {
    this.#pdf.font('plain').fontSize(SIZE);
  }

  get #width(): number {
    return this.#pdf.page.width - 2 * MARGIN;
  }

  heading(text: string, size: number): void {
    this.#room(size * 3);
    this.#pdf.font('bold').fontSize(size).text(text, MARGIN, undefined, { width: this.#width });
    this.#pdf.moveDown(0.4);
    this.#plain();
  }

  #room(height: number): void {
    if (this.#pdf.y + height > this.#pdf.page.height - MARGIN) this.#pdf.addPage();
  }

  line(all: readonly Piece[], indent = 0, mark = ''): void {
    const x = MARGIN + indent;
    if (mark !== '') {
      this.#room(SIZE * 1.5);
      const { y } = this.#pdf;
      this.#pdf.text(mark, x - INDENT + 2, y, { width: INDENT, lineBreak: false });
      this.#pdf.y = y;
    }
    const shown = all.length === 0 ? [{ text: ' ', face: 'plain' } as const] : all;
    shown.forEach((p, i) => {
      const options = {
        width: this.#width - indent,
        continued: i < shown.length - 1,
        lineGap: 2,
        link: 'to' in p ? (p.to ?? null) : null,
      };
      this.#pdf.font(p.face).fontSize(SIZE);
      if (i === 0) this.#pdf.text(p.text, x, this.#pdf.y, options);
      else this.#pdf.text(p.text, options);
    });
    this.#pdf.y += GAP;
    this.#plain();
  }

  named(name: string, value: string): void {
    this.line([
      { text: `${name}: `, face: 'bold' },
      { text: value, face: 'plain' },
    ]);
  }

  blocks(all: readonly Block[], indent = 0): void {
    all.forEach((b) => this.#block(b, indent));
  }

  #block(b: Block, indent: number): void {
    switch (b.type) {
      case 'paragraph':
        return this.line(
          b.inside.flatMap((p) => pieces(p)),
          indent,
        );
      case 'heading':
        return this.heading(
          b.inside
            .flatMap((p) => pieces(p))
            .map((p) => p.text)
            .join(''),
          b.level === 1 ? 13 : 11.5,
        );
      case 'list':
        return b.items.forEach((item, i) => this.#item(item, indent + INDENT, b.ordered ? `${b.start + i}.` : '•'));
      case 'quote':
        return this.blocks(b.blocks, indent + INDENT);
      case 'code':
        return b.text.split('\n').forEach((text) => this.line([{ text, face: 'code' }], indent));
      case 'rule':
        this.#pdf.y += GAP;
    }
  }

  #item([first, ...rest]: readonly Block[], indent: number, mark: string): void {
    if (first?.type === 'paragraph')
      this.line(
        first.inside.flatMap((p) => pieces(p)),
        indent,
        mark,
      );
    else if (first) this.#block(first, indent);
    this.blocks(rest, indent);
  }

  item(text: string): void {
    this.line([{ text, face: 'plain' }], INDENT, '•');
  }

  table(columns: readonly string[], rows: readonly (readonly string[])[]): void {
    const cells = (row: readonly string[]) => columns.map((_, i) => row[i] ?? '');
    const head = columns.every((c) => c === '') ? [] : [cells(columns)];
    const data = [...head, ...rows.slice(0, MOST_ROWS).map(cells)];
    if (data.length === 0) return;
    this.#pdf.fontSize(9);
    this.#pdf.table({
      data,
      position: { x: MARGIN, y: this.#pdf.y },
      maxWidth: this.#width,
      defaultStyle: { padding: 4, border: 0.5 },
    });
    this.#pdf.x = MARGIN;
    this.#pdf.y += GAP;
    this.#plain();
  }

  picture(bytes: Uint8Array, { width, height }: { width: number; height: number }): void {
    const scale = Math.min(1, this.#width / width, 520 / height);
    this.#room(height * scale);
    this.#pdf.image(Buffer.from(bytes), MARGIN, this.#pdf.y, { width: width * scale });
    this.#pdf.y += GAP;
  }
}

function section(w: Writing, { title, form, value, sources }: ResultSection, picture: FindPicture): void {
  const shown = shownAs(form, value, title, Infinity);
  w.heading(title, 14);
  if (shown.as === 'table') w.table(shown.columns, shown.rows);
  else if (shown.as === 'list') shown.items.forEach((i) => w.item(i));
  else if (shown.as === 'fields') shown.fields.forEach((f) => w.named(f.name, f.value));
  else if (shown.as === 'file') w.line([{ text: shown.name, face: 'plain', to: shown.address }]);
  else if (shown.as === 'picture') {
    const read = picture(shown.address);
    // Other forms of pictures are not for a PDF; what they show is said instead.
    if (read?.type === 'png' || read?.type === 'jpg') w.picture(read.bytes, read);
    else w.line([{ text: shown.alt, face: 'slant' }]);
  } else w.blocks(readMarkdown(asMarkdown(value)));
  if (sources.length > 0) w.heading('Sources', 10.5);
  sources.forEach((s) => w.named(sourceWords(s), s.quote.replace(/\s+/g, ' ')));
}

/** What came of a page as PDF, on A4. */
export async function writePdf(result: ResultDocument, picture: FindPicture): Promise<Buffer> {
  const pdf = new PDFDocument({ size: 'A4', margin: MARGIN, info: { Title: result.title, CreationDate: new Date(result.at) } });
  const parts: Buffer[] = [];
  pdf.on('data', (part: Buffer) => parts.push(part));
  const done = new Promise<void>((resolve, reject) => pdf.once('end', resolve).once('error', reject));
  const writing = new Writing(pdf);
  writing.heading(result.title, 18);
  result.inputs.forEach(([name, value]) => writing.named(name, value.slice(0, 2000)));
  result.sections.forEach((s) => section(writing, s, picture));
  pdf.end();
  await done;
  return Buffer.concat(parts);
}
