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
import {
  AlignmentType,
  Document,
  ExternalHyperlink,
  HeadingLevel,
  ImageRun,
  LevelFormat,
  Packer,
  Paragraph,
  Table,
  TableCell,
  TableRow,
  TextRun,
  WidthType,
  type ParagraphChild,
} from 'docx';
import type { FindPicture } from './picture.js';

const HEADINGS = [HeadingLevel.HEADING_2, HeadingLevel.HEADING_3, HeadingLevel.HEADING_4] as const;
/** Pictures are shown up to this size, in points. */
const MOST_WIDTH = 460;

type Style = { bold?: boolean; italics?: boolean };

function inline(part: Inline, style: Style = {}): ParagraphChild[] {
  switch (part.type) {
    case 'text':
      return [new TextRun({ ...style, text: part.text })];
    case 'code':
      return [new TextRun({ ...style, text: part.text, font: 'DejaVu Sans Mono' })];
    case 'strong':
      return part.inside.flatMap((p) => inline(p, { ...style, bold: true }));
    case 'emphasis':
      return part.inside.flatMap((p) => inline(p, { ...style, italics: true }));
    case 'link':
      return [new ExternalHyperlink({ link: part.to, children: part.inside.flatMap((p) => inline(p, style)) })];
    case 'image':
      return [new TextRun({ ...style, text: part.alt })];
    case 'break':
      return [new TextRun({ ...style, break: 1 })];
  }
}

type List = { readonly ordered: boolean; readonly level: number };

function blocks(all: readonly Block[], list?: List): Paragraph[] {
  return all.flatMap((b) => block(b, list));
}

function block(b: Block, list?: List): Paragraph[] {
  const inList = list && { numbering: { reference: list.ordered ? 'numbered' : 'dotted', level: Math.min(list.level, 3) } };
  switch (b.type) {
    case 'paragraph':
      return [new Paragraph({ children: b.inside.flatMap((p) => inline(p)), spacing: { after: 120 }, ...inList })];
    case 'heading':
      return [
        new Paragraph({
          heading: HEADINGS[Math.min(b.level, HEADINGS.length) - 1] ?? HeadingLevel.HEADING_4,
          children: b.inside.flatMap((p) => inline(p)),
        }),
      ];
    case 'list': {
      const level = list ? list.level + 1 : 0;
      return b.items.flatMap((item) => blocks(item, { ordered: b.ordered, level }));
    }
    case 'quote':
      return blocks(b.blocks).map((p) => p);
    case 'code':
      return b.text
        .split('\n')
        .map((line) => new Paragraph({ children: [new TextRun({ text: line, font: 'DejaVu Sans Mono' })] }));
    case 'rule':
      return [new Paragraph({ text: '' })];
  }
}

function table(columns: readonly string[], rows: readonly (readonly string[])[]): Table {
  const row = (cells: readonly string[], head: boolean) =>
    new TableRow({
      tableHeader: head,
      children: columns.map(
        (_, i) => new TableCell({ children: [new Paragraph({ children: [new TextRun({ text: cells[i] ?? '', bold: head })] })] }),
      ),
    });
  const head = columns.every((c) => c === '') ? [] : [row(columns, true)];
  return new Table({ width: { size: 100, type: WidthType.PERCENTAGE }, rows: [...head, ...rows.map((r) => row(r, false))] });
}

function section({ title, form, value, sources }: ResultSection, picture: FindPicture): (Paragraph | Table)[] {
  const shown = shownAs(form, value, title, Infinity);
  const body = (): (Paragraph | Table)[] => {
    switch (shown.as) {
      case 'table':
        return [table(shown.columns, shown.rows)];
      case 'list':
        return shown.items.map((text) => new Paragraph({ text, numbering: { reference: 'dotted', level: 0 } }));
      case 'fields':
        return shown.fields.map(
          (f) => new Paragraph({ children: [new TextRun({ text: `${f.name}: `, bold: true }), new TextRun(f.value)] }),
        );
      case 'picture': {
        const read = picture(shown.address);
        if (!read) return [new Paragraph({ text: shown.alt })];
        const scale = Math.min(1, MOST_WIDTH / read.width);
        const size = { width: Math.round(read.width * scale), height: Math.round(read.height * scale) };
        return [new Paragraph({ children: [new ImageRun({ type: read.type, data: read.bytes, transformation: size })] })];
      }
      case 'file':
        return [
          new Paragraph({ children: [new ExternalHyperlink({ link: shown.address, children: [new TextRun(shown.name)] })] }),
        ];
      case 'text':
        return blocks(readMarkdown(asMarkdown(value)));
    }
  };
  const cited = sources.map(
    (s) => new Paragraph({ children: [new TextRun({ text: `${sourceWords(s)}: `, bold: true }), new TextRun(s.quote)] }),
  );
  return [
    new Paragraph({ heading: HeadingLevel.HEADING_1, text: title }),
    ...body(),
    ...(cited.length > 0 ? [new Paragraph({ heading: HeadingLevel.HEADING_3, text: 'Sources' }), ...cited] : []),
  ];
}

/** What came of a page as DOCX (Office Open XML, ECMA-376). */
export async function writeDocx(result: ResultDocument, picture: FindPicture): Promise<Buffer> {
  const told = result.inputs.map(
    ([name, text]) =>
      new Paragraph({ children: [new TextRun({ text: `${name}: `, bold: true }), new TextRun(text.slice(0, 2000))] }),
  );
  const sections = result.sections.flatMap((s) => section(s, picture));
  const level = (format: (typeof LevelFormat)[keyof typeof LevelFormat], text: (n: number) => string) =>
    [0, 1, 2, 3].map((n) => ({
      level: n,
      format,
      text: text(n),
      alignment: AlignmentType.START,
      style: { paragraph: { indent: { left: 500 * (n + 1), hanging: 300 } } },
    }));
  const document = new Document({
    title: result.title,
    numbering: {
      config: [
        { reference: 'dotted', levels: level(LevelFormat.BULLET, () => '•') },
        { reference: 'numbered', levels: level(LevelFormat.DECIMAL, (n) => `%${n + 1}.`) },
      ],
    },
    sections: [{ children: [new Paragraph({ heading: HeadingLevel.TITLE, text: result.title }), ...told, ...sections] }],
  });
  return Packer.toBuffer(document);
}
