import type { Problem } from '../document/problem.js';
import type { BotDocument } from '../document/schema.js';
import type { Text } from '../document/shapes.js';
import { usesOf } from '../engine/refers.js';

/**
 * What is not said in one of the bot's languages, one warning a language: texts that are written per language and lack it,
 * intents without a phrase in it, listed values without a word in it. A text that is written once is meant for all.
 */
export function languageProblems(document: BotDocument): Problem[] {
  if (document.languages.length < 2) return [];
  const places = textsByLanguage(document);
  const once = places.filter((p) => p.languages === null).length;
  // Where nothing at all is written per language, all that is said is in the first one.
  const perLanguage = places.some((p) => p.languages !== null);
  return document.languages.flatMap((language, i): Problem[] => {
    const texts = places.filter((p) => p.languages !== null && !p.languages.has(language));
    const untold = perLanguage || i === 0 ? texts.length : once;
    const intents = Object.values(document.intents ?? {}).filter(
      (intent) => intent.ready === undefined && intent.phrases !== undefined && !(language in intent.phrases),
    ).length;
    const values = Object.values(document.entities ?? {})
      .flatMap((e) => Object.values(e.values ?? {}))
      .filter((words) => !Array.isArray(words) && !(language in words)).length;
    if (untold + intents + values === 0) return [];
    const [first] = texts;
    const facts = { language, texts: untold, intents, values, first: first?.place ?? null };
    return [{ code: 'untranslated', severity: 'warning', field: `/languages/${i}`, facts }];
  });
}

interface TextPlace {
  readonly place: string;
  /** The languages in which it is written; null for one that is written once. */
  readonly languages: ReadonlySet<string> | null;
}

/** Every text that visitors read, with the languages that it is written in. */
function textsByLanguage(document: BotDocument): TextPlace[] {
  const found = new Map<string, { languages: Set<string> | null; words: boolean }>();
  for (const [flow, { nodes }] of Object.entries(document.flows))
    for (const [node, n] of Object.entries(nodes)) {
      if (n.off) continue;
      for (const use of usesOf(n)) {
        if (use.as !== 'words') continue;
        const place = `${flow}/${node}${placeOf(use.field, use.language)}`;
        const known = found.get(place) ?? { languages: use.language === undefined ? null : new Set<string>(), words: false };
        if (use.language !== undefined) known.languages?.add(use.language);
        known.words ||= saysSomething(use.text);
        found.set(place, known);
      }
    }
  return [...found].filter(([, { words }]) => words).map(([place, { languages }]) => ({ place, languages }));
}

/** The field of a text without the language and the wording behind it. */
function placeOf(field: string, language: string | undefined): string {
  if (language === undefined) return field.replace(/\/\d+$/, '');
  const at = field.lastIndexOf(`/${language}`);
  return at < 0 ? field : field.slice(0, at);
}

/** True where something is left of a text when its values are taken out: words that could be put otherwise. */
function saysSomething(text: Text): boolean {
  return typeof text === 'string' && /\p{L}/u.test(text.replace(/\{\{.*?\}\}/gs, ''));
}
