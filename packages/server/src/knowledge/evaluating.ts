import {
  figuresOf,
  judged,
  type BotDocument,
  type DocumentReading,
  type Splitting,
  type TestQuestion,
  type TurnSheet,
} from '@primrose/core';
import type { TestQuestionRow } from '../store/evaluations.js';
import type { Lookups } from './lookups.js';

/** Each question is looked up with so many passages, so that it is seen how far behind the right one stands. */
const MOST = 10;

/** A question as it is judged. */
export function asTest(row: Pick<TestQuestionRow, 'question' | 'document' | 'heading' | 'says'>): TestQuestion {
  if (row.document === null) return { question: row.question, nothing: true };
  return {
    question: row.question,
    document: row.document,
    ...(row.heading === null ? {} : { heading: row.heading }),
    ...(row.says === null ? {} : { says: row.says }),
  };
}

/** Looks up every question of a set in a base as it is, or as it would be with another splitting. */
export async function evaluateBase(
  lookups: Lookups,
  { botId, document, base }: { readonly botId: string; readonly document: BotDocument; readonly base: string },
  rows: readonly TestQuestionRow[],
  split: Splitting | undefined,
  onQuestion: () => void,
) {
  const own = document.knowledge?.[base];
  const tried = split && own ? withSplit(document, base, split) : document;
  const items = [];
  for (const row of rows) {
    onQuestion();
    const effect = { type: 'lookup' as const, path: 'evaluate', base, question: row.question, most: MOST };
    const { outcome: _outcome, ...found } = await lookups.look({ botId, document: tried }, effect);
    items.push({ id: row.id, ...judged(asTest(row), found) });
  }
  return { figures: figuresOf(items), items, passages: await lookups.passages(botId, tried, base) };
}

/** A bot in which all documents of a base are split in one way. */
function withSplit(document: BotDocument, base: string, split: Splitting): BotDocument {
  const own = document.knowledge?.[base];
  if (!own) return document;
  const documents = Object.fromEntries(Object.entries(own.documents).map(([id, d]) => [id, { ...d, split }]));
  return { ...document, knowledge: { ...document.knowledge, [base]: { ...own, documents } } };
}

/** A question that could stand in a set, with how often it was asked. */
export type ProposedQuestion = Omit<TestQuestionRow, 'id' | 'bot_id' | 'base' | 'at'> & { readonly times: number };

/** What was looked up in a base in some turns, the most frequent first, each with what was found for it last; of the newest turns first. */
export function askedIn(base: string, bot: BotDocument, sheets: readonly TurnSheet[]): ProposedQuestion[] {
  const documents = bot.knowledge?.[base]?.documents ?? {};
  const found = new Map<string, ProposedQuestion>();
  for (const { effects } of sheets)
    for (const { request, result } of effects) {
      if (request.type !== 'lookup' || result.outcome !== 'looked-up' || !('passages' in result)) continue;
      if (request.base !== base && !request.also?.includes(base)) continue;
      const question = (result.asked ?? request.question).replace(/\s+/g, ' ').trim().slice(0, MOST_LETTERS);
      if (question === '') continue;
      const key = question.toLowerCase();
      const before = found.get(key);
      if (before) {
        found.set(key, { ...before, times: before.times + 1 });
        continue;
      }
      const [first] = result.passages;
      const own = result.covered && first && (first.base ?? request.base) === base && Object.hasOwn(documents, first.document);
      // What another base answers is no question for the set of this one.
      if (result.covered && !own) continue;
      const answer = own
        ? { document: first.document, heading: first.heading.slice(0, 400) || null, says: first.quote.slice(0, SAID).trim() }
        : { document: null, heading: null, says: null };
      found.set(key, { question, ...answer, origin: 'conversation', times: 1 });
    }
  return [...found.values()].sort((a, b) => b.times - a.times);
}

const MOST_LETTERS = 1000;
const LEAST_WORDS = 2;
const SAID = 60;

/** Headings of a document as questions: what stands under each answers it. */
export function proposedOf(document: string, title: string, { pieces }: Pick<DocumentReading, 'pieces'>): ProposedQuestion[] {
  return pieces.flatMap((p, i) => {
    const next = pieces[i + 1];
    if (p.level === 0 || next?.level !== 0 || p.text === title || p.text.split(' ').length < LEAST_WORDS) return [];
    // How what follows begins is found again however the document is split.
    const says = next.text.slice(0, SAID).trim();
    const question = p.text.slice(0, MOST_LETTERS);
    return [{ question, document, heading: p.text.slice(0, 400), says, origin: 'proposed' as const, times: 0 }];
  });
}
