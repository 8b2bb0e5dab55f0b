import { readPhrase, type BotDocument, type FaultyPhrase, type Intent } from '@primrose/core';
import { putPart } from '../../draft/parts.js';

type Phrases = NonNullable<Intent['phrases']>;

/** The lists of an intent's phrases without one; its marks stay with it. */
function without(
  phrases: Phrases,
  text: string,
): { readonly rest: Phrases; readonly taken: { language: string; source: string } | undefined } {
  let taken: { language: string; source: string } | undefined;
  const rest: Phrases = {};
  for (const [language, list] of Object.entries(phrases)) {
    const at = taken ? -1 : list.findIndex((source) => readPhrase(source).text === text);
    if (at >= 0) taken = { language, source: list[at] ?? '' };
    const left = list.filter((_, i) => i !== at);
    if (left.length > 0) rest[language] = left;
  }
  return { rest, taken };
}

function withPhrases(document: BotDocument, intent: string, phrases: Phrases): BotDocument {
  const { phrases: _old, ...others } = document.intents?.[intent] ?? {};
  return putPart(document, 'intents', intent, Object.keys(phrases).length > 0 ? { ...others, phrases } : others);
}

/** Takes a phrase away from its intent. */
export function deletePhrase(document: BotDocument, { intent, text }: Pick<FaultyPhrase, 'intent' | 'text'>): BotDocument {
  const { rest, taken } = without(document.intents?.[intent]?.phrases ?? {}, text);
  return taken ? withPhrases(document, intent, rest) : document;
}

/** Moves a phrase to the intent that it is read as. */
export function movePhrase(
  document: BotDocument,
  { intent, read, text }: Pick<FaultyPhrase, 'intent' | 'read' | 'text'>,
): BotDocument {
  const { rest, taken } = without(document.intents?.[intent]?.phrases ?? {}, text);
  if (!taken) return document;
  const { language, source } = taken;
  const there = document.intents?.[read]?.phrases ?? {};
  const list = there[language] ?? [];
  const next = withPhrases(document, intent, rest);
  return withPhrases(next, read, { ...there, [language]: list.includes(source) ? list : [...list, source] });
}

/** Makes one intent of two: the first takes the phrases of the second, and what refers to the second is left to the checks. */
export function mergeIntents(document: BotDocument, [into, from]: readonly [string, string]): BotDocument {
  const [there, here] = [document.intents?.[into]?.phrases ?? {}, document.intents?.[from]?.phrases ?? {}];
  const languages = [...new Set([...Object.keys(there), ...Object.keys(here)])];
  const phrases = Object.fromEntries(languages.map((l) => [l, [...new Set([...(there[l] ?? []), ...(here[l] ?? [])])]]));
  return putPart(withPhrases(document, into, phrases), 'intents', from, undefined);
}
