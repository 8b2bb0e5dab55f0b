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

/** A list is long, and most words of it are as they are compared already. */
const compared = (word: string): string => (/^[a-z]+$/.test(word) ? word : normalise(word));

/** The entries of a Hunspell dictionary without their flags; the first line only counts them. */
function entriesOf(dictionary: string): string[] {
  return dictionary
    .split('\n')
    .slice(1)
    .map((line) => compared(line.split(/[/\t]/, 1)[0] ?? ''))
    .filter((word) => word !== '' && !word.includes(' '));
}

/** Endings that a dictionary leaves to its flags, and what stands in their place: enough to know most forms of a word again. */
const ENDINGS = [
  's',
  'es',
  'd',
  'ed',
  'ing',
  'ly',
  'r',
  'er',
  'e',
  'n',
  'en',
  'em',
  'es',
  'st',
  't',
  'te',
  'ten',
  'a',
  'as',
  'os',
  'o',
  'an',
  'ns',
  'nt',
  'ment',
];
const LEAST_LETTERS = 3;

/** Whether a word, or what is left of it without an ending, is one of some entries. */
function isForm(word: string, entries: ReadonlySet<string>): boolean {
  if (entries.has(word)) return true;
  return ENDINGS.some((ending) => {
    if (!word.endsWith(ending) || word.length - ending.length < LEAST_LETTERS) return false;
    const bare = word.slice(0, -ending.length);
    return (
      entries.has(bare) ||
      entries.has(`${bare}e`) ||
      entries.has(`${bare}en`) ||
      entries.has(`${bare}er`) ||
      entries.has(`${bare}ar`)
    );
  });
}

/**
 * Makes a lexicon from word lists by language (BCP 47, without region). Stems are those of Snowball (Porter, 2001). A word
 * counts as known when it is an entry, perhaps with an ending more or less, which spares unfolding the affixes of a dictionary.
 */
export function createLexicon(lists: Readonly<Record<string, WordLists>>): Lexicon {
  const stemmers = new Map<string, Stem>();
  const stemmer = (language: string): Stem => {
    const made = stemmers.get(language) ?? stemmerOf(language);
    stemmers.set(language, made);
    return made;
  };
  const common = new Map<string, readonly string[]>();
  const entries = new Map<string, ReadonlySet<string>>();
  const commonOf = (language: string): readonly string[] => {
    const base = baseOf(language);
    const made =
      common.get(base) ??
      [...new Set((ofLanguage(lists, base)?.common ?? '').split('\n').flatMap((w) => compared(w).split(' ')))].filter(Boolean);
    common.set(base, made);
    return made;
  };
  const entriesIn = (language: string): ReadonlySet<string> => {
    const base = baseOf(language);
    const made = entries.get(base) ?? new Set([...entriesOf(ofLanguage(lists, base)?.dictionary ?? ''), ...commonOf(base)]);
    entries.set(base, made);
    return made;
  };
  const ranks = new Map<string, ReadonlyMap<string, number>>();
  const ranksOf = (language: string): ReadonlyMap<string, number> => {
    const base = baseOf(language);
    const made = ranks.get(base) ?? new Map(commonOf(base).map((w, i) => [w, i]));
    ranks.set(base, made);
    return made;
  };
  return {
    rank: (word, language) => ranksOf(language).get(word),
    stem: (word, language) => stemmer(baseOf(language))(word),
    common: commonOf,
    known: (word, language) => {
      const known = entriesIn(language);
      return isForm(word, known) || isForm(stemmer(baseOf(language))(word), known);
    },
  };
}
