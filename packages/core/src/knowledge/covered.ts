/** What speaks for a question's being answered by what was found, each from 0 to 1. */
export interface Evidence {
  /** How much of the question's weight the best passage holds; and the best of the first three. */
  readonly share: number;
  readonly three: number;
  /** How much of it any passage holds. */
  readonly known: number;
  /** The best score beside what it could be. */
  readonly strength: number;
  /** How far the best is before the second, and before the mean of ten. */
  readonly lead: number;
  readonly above: number;
  /** How near the words stand to each other. */
  readonly near: number;
  /** How much of it stands in the heading or title of the best. */
  readonly titled: number;
  /** How many words were asked for, in eighths. */
  readonly count: number;
  /** How large the base is: 0 for 60 passages, 1 for 1,800; in many passages words meet by chance. */
  readonly size: number;
}

const FACTORS = ['bias', 'share', 'three', 'known', 'strength', 'lead', 'above', 'near', 'titled', 'count', 'size'] as const;

/** How evidence is weighed: the chance that a question is answered is the logistic function of the weighted sum. */
export type Coverage = Readonly<Record<(typeof FACTORS)[number], number>>;

/**
 * Fitted by logistic regression (Platt, 1999) on 20,000 made-up questions to bases of 40 to 1,500 sections of Debian's
 * documentation: titles that were taken out of their sections, one to three words of a sentence, and paraphrases; asked where
 * the section is there, where it was taken out, and of other books. Fitting them anew on the titles of each base made no base
 * better: what its own sections leave unanswered is nearer to them than what visitors ask beside the point.
 */
export const COVERAGE: Coverage = {
  bias: -8,
  share: 0.77,
  three: 4.63,
  known: 0.36,
  strength: 2.79,
  lead: 0.73,
  above: 0.26,
  near: 2.47,
  titled: 3.6,
  count: 4.19,
  size: -0.7,
};

const logistic = (x: number): number => 1 / (1 + Math.exp(-x));

/** The chance that a question is answered by what was found, from 0 to 1. */
export function chanceOf(evidence: Evidence): number {
  return logistic(FACTORS.reduce((sum, f) => sum + COVERAGE[f] * (f === 'bias' ? 1 : evidence[f]), 0));
}
