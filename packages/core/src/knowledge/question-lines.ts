import type { KnowledgeBase } from '../document/schema.js';
import { unguardCell } from '../tables/sheet.js';

/** A question as it is added to an evaluation set. */
export interface AddedQuestion {
  readonly question: string;
  readonly document: string | null;
  readonly heading?: string;
  readonly origin: 'csv';
}

/** The lines of a CSV file as questions: question, document (its name or title; empty for nothing), heading. A first line of names is left out. */
export function questionsOf(lines: readonly (readonly string[])[], documents: KnowledgeBase['documents']): AddedQuestion[] {
  const byTitle = new Map(Object.entries(documents).map(([id, d]) => [(d.title ?? id).toLowerCase(), id]));
  return lines.flatMap(([question = '', document = '', heading = ''], i): AddedQuestion[] => {
    const asked = unguardCell(question.trim());
    if (asked === '' || (i === 0 && /^(question|frage|pregunta)$/i.test(asked))) return [];
    const named = document.trim();
    const id = named === '' ? null : Object.hasOwn(documents, named) ? named : (byTitle.get(named.toLowerCase()) ?? named);
    return [
      {
        question: asked.slice(0, 1000),
        document: id,
        ...(heading.trim() === '' ? {} : { heading: unguardCell(heading.trim()).slice(0, 400) }),
        origin: 'csv',
      },
    ];
  });
}
