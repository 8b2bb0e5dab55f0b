import { baseOf, ofLanguage } from '../understanding/lexicon.js';

/** What a bot says in a language that it has not got, with the names of those that it has. */
const SAYS: Readonly<Record<string, (names: string) => string>> = {
  en: (names) => `I can answer in ${names} only.`,
  de: (names) => `Ich kann nur auf ${names} antworten.`,
  es: (names) => `Solo puedo responder en ${names}.`,
  fr: (names) => `Je ne peux répondre qu’en ${names}.`,
};
const MOST_NAMES = 5;

/** Says in a language which others the bot has instead; undefined in one that we cannot say it in. */
export function onlyIn(language: string, languages: readonly string[]): string | undefined {
  const says = ofLanguage(SAYS, language);
  if (!says) return undefined;
  const names = new Intl.DisplayNames([baseOf(language)], { type: 'language' });
  const listed = languages.slice(0, MOST_NAMES).map((l) => names.of(l) ?? l);
  return says(new Intl.ListFormat([baseOf(language)], { type: 'disjunction' }).format(listed));
}
