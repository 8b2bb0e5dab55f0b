/**
 * What is known of languages beside a bot's own words. It is large, so it is handed in; without it words are compared as they
 * are said, and spelling is mended by the bot's own words alone.
 */
export interface Lexicon {
  /** The stem of a normalised word; the word itself in a language without a stemmer. */
  readonly stem: (word: string, language: string) => string;
  /** Common words of a language as they are compared, the commonest first; empty for a language that is not known. */
  readonly common: (language: string) => readonly string[];
  /** Where a word stands among the common ones, from 0 on; undefined for one that is not common. */
  readonly rank: (word: string, language: string) => number | undefined;
  /** Whether a dictionary of the language has the word, in whatever form. */
  readonly known: (word: string, language: string) => boolean;
}

export const NO_LEXICON: Lexicon = { stem: (word) => word, common: () => [], rank: () => undefined, known: () => false };

/** The language of a tag without its region: `de` of `de-AT`. */
export function baseOf(language: string): string {
  return language.toLowerCase().split('-')[0] ?? language;
}

/** What a table has for a language, whatever its region; undefined where it has nothing, also for a name that only objects have. */
export function ofLanguage<T>(table: Readonly<Record<string, T>>, language: string): T | undefined {
  const base = baseOf(language);
  return Object.hasOwn(table, base) ? table[base] : undefined;
}
