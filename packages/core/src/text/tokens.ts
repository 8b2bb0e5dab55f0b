const LETTERS_A_TOKEN = 4;
const MARKS_A_TOKEN = 1.6;

/**
 * About how many tokens a text is to a model. Tokenisers differ; this counts 4 letters of an alphabet, 1.6 digits or marks
 * and one sign of a script without spaces as a token, which is within a quarter of the common ones for European languages.
 * For estimates before a call only: what was used is what the service says.
 */
export function estimateTokens(text: string): number {
  let tokens = 0;
  for (const [run] of text.matchAll(
    /\p{sc=Han}|\p{sc=Hiragana}|\p{sc=Katakana}|\p{sc=Hangul}|[\p{L}\p{M}]+|[^\p{L}\p{M}\s]+/gu,
  )) {
    if (/^[\p{sc=Han}\p{sc=Hiragana}\p{sc=Katakana}\p{sc=Hangul}]/u.test(run)) tokens += 1;
    else if (/^\p{L}/u.test(run)) tokens += Math.max(1, run.length / LETTERS_A_TOKEN);
    else tokens += Math.max(1, run.length / MARKS_A_TOKEN);
  }
  return Math.ceil(tokens);
}
