import { newStemmer } from 'snowball-stemmers';
import { baseOf, ofLanguage, type Lexicon } from './lexicon.js';
import { normalise } from './words.js';

/** Word lists of a language, each one text: common words a line each, the commonest first, and a Hunspell dictionary (.dic). */
export interface WordLists {
  readonly common: string;
  readonly dictionary: string;
}

const STEMMERS: Readonly<Record<string, string>> = {
  en: 'english',
  de: 'german',
  es: 'spanish',
  fr: 'french',
  it: 'italian',
  pt: 'portuguese',
  nl: 'dutch',
};
/** Stemming takes some 30 µs a word, so what was stemmed is remembered, up to so many words. */
const MOST_REMEMBERED = 60_000;

type Stem = (word: string) => string;

function stemmerOf(language: string): Stem {
  const name = ofLanguage(STEMMERS, language);
  if (name === undefined) return (word) => word;
  const stemmer = newStemmer(name);
  const seen = new Map<string, string>();
  return (word) => {
    const known = seen.get(word);
    if (known !== undefined) return known;
    if (seen.size >= MOST_REMEMBERED) seen.clear();
    const stem = stemmer.stem(word);
    seen.set(word, stem);
    return stem;
  };
}

/** The entries of a Hunspell dictionary without their flags; the first line only counts them. */
function entriesOf(dictionary: string): string[] {
  return dictionary
    .split('\n')
    .slice(1)
    .map((line) => normalise(line.split(/[/\t]/)[0] ?? ''))
    .filter((word) => word !== '' && !word.includes(' '));
}

/**
 * Makes a lexicon from word lists by language (BCP 47, without region). Stems are those of Snowball (Porter, 2001). A word
 * counts as known when its stem is that of an entry, which spares unfolding the affixes of a dictionary.
 */
export function createLexicon(lists: Readonly<Record<string, WordLists>>): Lexicon {
  const stemmers = new Map<string, Stem>();
  const stemmer = (language: string): Stem => {
    const made = stemmers.get(language) ?? stemmerOf(language);
    stemmers.set(language, made);
    return made;
  };
  const common = new Map<string, readonly string[]>();
  const stems = new Map<string, ReadonlySet<string>>();
  const commonOf = (language: string): readonly string[] => {
    const base = baseOf(language);
    const made =
      common.get(base) ??
      [...new Set((ofLanguage(lists, base)?.common ?? '').split('\n').flatMap((w) => normalise(w).split(' ')))].filter(Boolean);
    common.set(base, made);
    return made;
  };
  const stemsOf = (language: string): ReadonlySet<string> => {
    const base = baseOf(language);
    const of = stemmer(base);
    const made =
      stems.get(base) ??
      new Set([...entriesOf(ofLanguage(lists, base)?.dictionary ?? ''), ...commonOf(base)].flatMap((w) => [w, of(w)]));
    stems.set(base, made);
    return made;
  };
  const ranks = new Map<string, ReadonlyMap<string, number>>();
  const ranksOf = (language: string): ReadonlyMap<string, number> => {
    const base = baseOf(language);
    const made =
      ranks.get(base) ??
      new Map(
        commonOf(base)
          .map((w, i): [string, number] => [stemmer(base)(w), i])
          .reverse(),
      );
    ranks.set(base, made);
    return made;
  };
  return {
    rank: (stem, language) => ranksOf(language).get(stem),
    stem: (word, language) => stemmer(baseOf(language))(word),
    common: commonOf,
    known: (word, language) => {
      const known = stemsOf(language);
      return known.has(word) || known.has(stemmer(baseOf(language))(word));
    },
  };
}
