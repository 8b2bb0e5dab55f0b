import type { LookedUp } from './rank.js';

/**
 * A question of an evaluation set: what answers it, or `nothing` where no document should. `says` is a part of the passage that
 * does; where it is known, the heading need not be the same, which depends on how documents are split.
 */
export interface TestQuestion {
  readonly question: string;
  readonly document?: string | undefined;
  readonly heading?: string | undefined;
  readonly says?: string | undefined;
  readonly nothing?: boolean | undefined;
}

/** What a lookup made of a question: the rank of what answers it, from 1, or 0 where it was not among what was found. */
export interface Judged {
  readonly question: string;
  readonly rank: number;
  readonly covered: boolean;
  readonly nothing: boolean;
}

/**
 * How good lookups are over a set. `hit1`, `hit3` and `reciprocal` (mean reciprocal rank) are over questions that a passage answers;
 * `precision` and `recall` are those of "not covered". All from 0 to 1, or null where nothing tells.
 */
export interface Figures {
  readonly questions: number;
  readonly answered: number;
  readonly hit1: number | null;
  readonly hit3: number | null;
  readonly reciprocal: number | null;
  readonly precision: number | null;
  readonly recall: number | null;
}

const tidy = (text: string): string => text.replace(/\s+/g, ' ').trim().toLowerCase();

/** True where a passage stands under a heading. One that was split by size has none: its headings are among its words. */
function isUnder({ title, heading, quote }: LookedUp['passages'][number], wanted: string): boolean {
  if (tidy(`${title} › ${heading}`).endsWith(tidy(wanted))) return true;
  return heading === '' && tidy(quote).includes(tidy(wanted.split('›').at(-1) ?? wanted));
}

/** Judges what was found for a question. */
export function judged(wanted: TestQuestion, { passages, covered }: LookedUp): Judged {
  const answers = (p: LookedUp['passages'][number]): boolean =>
    (wanted.document === undefined || wanted.document === p.document) &&
    (wanted.says === undefined
      ? wanted.heading === undefined || isUnder(p, wanted.heading)
      : tidy(p.quote).includes(tidy(wanted.says)));
  const rank = wanted.nothing ? 0 : passages.findIndex(answers) + 1;
  return { question: wanted.question, rank, covered, nothing: wanted.nothing === true };
}

/** The figures of a set of questions, each looked up with at least ten passages. */
export function evaluate(
  questions: readonly TestQuestion[],
  look: (question: string) => LookedUp,
): { readonly figures: Figures; readonly judged: readonly Judged[] } {
  const all = questions.map((q) => judged(q, look(q.question)));
  return { figures: figuresOf(all), judged: all };
}

const share = (part: number, of: number): number | null => (of === 0 ? null : Math.round((part / of) * 1000) / 1000);

/** The same of what was judged already. */
export function figuresOf(all: readonly Judged[]): Figures {
  const answered = all.filter((j) => !j.nothing);
  const denied = all.filter((j) => !j.covered);
  const rightlyDenied = denied.filter((j) => j.nothing).length;
  return {
    questions: all.length,
    answered: answered.length,
    hit1: share(answered.filter((j) => j.rank === 1).length, answered.length),
    hit3: share(answered.filter((j) => j.rank >= 1 && j.rank <= 3).length, answered.length),
    reciprocal: share(
      answered.reduce((sum, j) => sum + (j.rank > 0 ? 1 / j.rank : 0), 0),
      answered.length,
    ),
    precision: share(rightlyDenied, denied.length),
    recall: share(rightlyDenied, all.filter((j) => j.nothing).length),
  };
}
