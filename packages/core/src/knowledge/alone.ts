import type { LookedUp } from './rank.js';
import { eachWord, isFunctionWord, isLightWord } from './words.js';

/** How a question begins that goes on from the one before, in the languages that the demo and most bots speak. */
const GOES_ON =
  /^\s*(?:and|or|but|what about|how about|same for|also|und|oder|aber|wie (?:ist|sieht|steht) (?:es|das) mit|auch|was ist mit|y|o|pero|también|qué tal|et|ou|mais|aussi|qu'en est-il)\b/iu;
/** Words that stand for something that was said before. */
const POINTS_BACK =
  /(?:^|\s)(?:it|they|them|those|these|ihn|ihm|ihnen|dafür|davon|damit|dazu|dort|eso|esos|ellos|ello|allí|ahí|ça|cela|eux|celui)(?=[\s?!.,]|$)/iu;
/** A question with fewer words of its own may be half a question. */
const FEW_WORDS = 2;
const MOST_BEFORE = 300;

/** How many words of a text say what it is about. */
function tellingWords(text: string): number {
  let count = 0;
  eachWord(text, (raw, code) => {
    if (!code && !isFunctionWord(raw) && !isLightWord(raw)) count++;
  });
  return count;
}

/** Whether a question may only be understood with what was asked before: "and for dogs?", "how much is it?", "on Sundays?". */
export function leansOn(question: string): boolean {
  return GOES_ON.test(question) || POINTS_BACK.test(question) || tellingWords(question) <= FEW_WORDS;
}

/** A question and the one before as one, the newer words first. */
export function withBefore(question: string, before: string): string {
  return `${question.trim()} ${before.trim().slice(0, MOST_BEFORE)}`;
}

/**
 * Looks a question up as it stands, and together with the one before where it may lean on it: what is answered more likely
 * counts. A question that begins as one that goes on is first of all meant so.
 */
export function lookAlone(question: string, before: string | undefined, look: (question: string) => LookedUp): LookedUp {
  const plain = look(question);
  if (before === undefined || !leansOn(question)) return plain;
  const both = withBefore(question, before);
  const together = { ...look(both), asked: both };
  if (!together.covered) return plain;
  return !plain.covered || GOES_ON.test(question) ? together : plain;
}
