import type { OutputForm } from '../document/pages.js';
import type { Value } from '../document/shapes.js';
import { plainText, readMarkdown } from '../text/markdown.js';
import { asMarkdown, shownAs, tableFor, type ShownSource } from './shown.js';

/** A section of what came of a page: one output, with the passages that it cites. */
export interface ResultSection {
  readonly title: string;
  readonly form: OutputForm;
  readonly value: Value;
  readonly sources: readonly ShownSource[];
}

/** What came of a page, ready to be written as a file. */
export interface ResultDocument {
  readonly title: string;
  /** ISO 8601, UTC. */
  readonly at: string;
  /** What was filled in, each with its label; empty where it is not told. */
  readonly inputs: readonly (readonly [string, string])[];
  readonly sections: readonly ResultSection[];
}

/** Where a passage stands, in words. */
export function sourceWords({ number, title, heading, page }: ShownSource): string {
  const at = [title, heading].filter(Boolean).join(' › ');
  return `[${number}] ${at}${page === null ? '' : `, page ${page}`}`;
}

const bar = (cells: readonly string[]): string =>
  `| ${cells.map((c) => c.replaceAll('|', '\\|').replace(/\s*\n\s*/g, ' ')).join(' | ')} |`;

function sectionMarkdown({ form, value, sources }: ResultSection): string {
  const shown = shownAs(form, value, '', Infinity);
  const body = (): string => {
    switch (shown.as) {
      case 'table':
        return [bar(shown.columns), bar(shown.columns.map(() => '---')), ...shown.rows.map(bar)].join('\n');
      case 'list':
        return shown.items.map((i) => `- ${i.replace(/\s*\n\s*/g, ' ')}`).join('\n');
      case 'fields':
        return shown.fields.map((f) => `**${f.name}**: ${f.value}`).join('\n\n');
      case 'picture':
        return shown.address.startsWith('data:') ? '(a picture)' : `![${shown.alt}](${shown.address})`;
      case 'file':
        return `[${shown.name}](${shown.address})`;
      case 'text':
        return asMarkdown(value).trim();
    }
  };
  const cited = sources.map((s) => `${sourceWords(s)}: ${s.quote.replace(/\s+/g, ' ')}`);
  return [body(), ...(cited.length > 0 ? [`Sources:\n\n${cited.map((c) => `- ${c}`).join('\n')}`] : [])].join('\n\n');
}

/** What came of a page as CommonMark; tables are drawn with bars. */
export function resultMarkdown({ title, inputs, sections }: ResultDocument): string {
  const told = inputs.map(([name, value]) => `- ${name}: ${value.replace(/\s*\n\s*/g, ' ')}`).join('\n');
  const parts = [`# ${title}`, told, ...sections.map((s) => `## ${s.title}\n\n${sectionMarkdown(s)}`)];
  return `${parts.filter((p) => p !== '').join('\n\n')}\n`;
}

/** What stands in a section as plain text, without its title and its sources. */
export function sectionText(section: ResultSection): string {
  const shown = shownAs(section.form, section.value, '', Infinity);
  if (shown.as === 'text') return plainText(readMarkdown(asMarkdown(section.value)));
  if (shown.as === 'table') return [shown.columns, ...shown.rows].map((r) => r.join('\t')).join('\n');
  if (shown.as === 'picture') return shown.address.startsWith('data:') ? '' : shown.address;
  return sectionMarkdown({ ...section, sources: [] }).replaceAll('**', '');
}

/** What came of a page as plain text. */
export function resultText(result: ResultDocument): string {
  const { title, inputs, sections } = result;
  const line = (text: string, mark: string) => `${text}\n${mark.repeat(Math.min(72, [...text].length))}`;
  const told = inputs.map(([name, value]) => `${name}: ${value}`).join('\n');
  const texts = sections.map((s) => {
    const cited = s.sources.map((c) => `${sourceWords(c)}: ${c.quote.replace(/\s+/g, ' ')}`);
    return [line(s.title, '-'), sectionText(s), ...(cited.length > 0 ? [`Sources\n${cited.join('\n')}`] : [])].join('\n\n');
  });
  return `${[line(title, '='), told, ...texts].filter((p) => p !== '').join('\n\n')}\n`;
}

/** What came of a page as lines of cells: a section's table under its title, one behind the other. */
export function resultRows({ sections }: ResultDocument): string[][] {
  if (sections.length === 1 && sections[0]) {
    const { columns, rows } = tableFor(sections[0].form, sections[0].value);
    return [columns.every((c) => c === '') ? [sections[0].title] : columns, ...rows];
  }
  return sections.flatMap((s, i) => {
    const { columns, rows } = tableFor(s.form, s.value);
    return [...(i > 0 ? [['']] : []), [s.title], ...(columns.every((c) => c === '') ? [] : [columns]), ...rows];
  });
}
