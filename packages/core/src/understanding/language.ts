import { baseOf, type Lexicon } from './lexicon.js';

/** Languages that a message is told apart by, besides those of the bot. */
const KNOWN = ['en', 'de', 'es', 'fr'] as const;
/** How likely a word is that a language does not have; and one that only the bot's own phrases have in it. */
const UNKNOWN = 1 / 60_000;
const OWN = 1 / 3000;
const RANK_FROM = 25;
/** A language goes before that of the conversation only when it is so much likelier (natural logarithm), by so many words. */
const SURE = 6;
const WORDS = 2;
const MOST_WORDS = 40;

/** Which language a message is in, as a tag of the bot's where it has that language; undefined where it may well be the current one. */
export type LanguageFinder = (words: readonly string[], current: string) => string | undefined;

/**
 * Makes the finder of a bot, which compares how likely the words of a message are in each language (naive Bayes over words;
 * Dunning, 1994). One foreign word changes nothing: a name, a greeting or a loan word is no language. `own` are the words of
 * the bot's phrases by language.
 */
export function createLanguageFinder(
  lexicon: Lexicon,
  languages: readonly string[],
  own: ReadonlyMap<string, ReadonlySet<string>>,
): LanguageFinder {
  const bases = [...new Set([...languages.map(baseOf), ...KNOWN])];
  const likely = (word: string, language: string): number => {
    const rank = lexicon.rank(word, language);
    if (rank !== undefined) return 1 / (rank + RANK_FROM);
    return own.get(language)?.has(word) ? OWN : UNKNOWN;
  };
  return (words, current) => {
    const now = baseOf(current);
    const telling = words.slice(0, MOST_WORDS).filter((w) => w.length > 1 && !/\d/.test(w));
    let best: { readonly language: string; readonly by: number } | undefined;
    for (const language of bases) {
      if (language === now) continue;
      const each = telling.map((w) => Math.log(likely(w, language) / likely(w, now)));
      const by = each.reduce((sum, e) => sum + e, 0);
      if (by < SURE || each.filter((e) => e > 1).length < WORDS || (best && best.by >= by)) continue;
      best = { language, by };
    }
    const { language } = best ?? {};
    return language === undefined ? undefined : (languages.find((l) => baseOf(l) === language) ?? language);
  };
}
