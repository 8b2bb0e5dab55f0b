import type { FactKind } from '../document/memory.js';
import type { BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';
import { baseOf } from '../understanding/lexicon.js';
import { normalise } from '../understanding/words.js';

/*
 * The words by which a text is about a fact: those of its kind, of its value, and of its own sentence.
 */

type Declared = Pick<BotDocument, 'memory' | 'entities'>;

/** A fact with the values that it had before. */
interface Known {
  readonly value: Value;
  readonly was?: readonly { readonly value: Value }[] | undefined;
}

/** The words of a kind, or of a list of what is never kept, in a language and in all. */
export function wordsFor(words: FactKind['words'], language: string): string[] {
  if (words === undefined) return [];
  const all = Array.isArray(words) ? words : (words[language] ?? words[baseOf(language)] ?? []);
  return all.map(normalise).filter(Boolean);
}

/** Whether words hold one, or several in a row, in whatever form. */
export function holdsWord(words: readonly string[], wanted: string): boolean {
  const parts = wanted.split(' ');
  return words.some((_, i) => parts.every((p, j) => isForm(words[i + j] ?? '', p)));
}

/** A word with an ending of up to two letters is the same word: "dogs", "Hunde". */
function isForm(word: string, of: string): boolean {
  return word === of || (of.length >= 3 && word.startsWith(of) && word.length - of.length <= 2);
}

/** What an entity calls the value of a fact, in all languages; nothing where it is no value of one. */
export function valueWords({ memory, entities }: Declared, about: string, value: Value): string[] {
  const listed = entities?.[memory?.facts?.[about]?.type ?? '']?.values?.[textOf(value)];
  const named = listed === undefined ? [] : Array.isArray(listed) ? listed : Object.values(listed).flat();
  return named.map(normalise).filter(Boolean);
}

/** A word of a sentence tells something from so many letters on. */
const TELLS_FROM = 4;

/** The words of a sentence that tell more than its kind does: what all facts of a kind have in common tells none of them. */
export function tellingWords(sentence: string, common: readonly string[]): string[] {
  const words = normalise(sentence).split(' ');
  return words.filter((w) => w.length >= TELLS_FROM && !common.some((c) => holdsWord([w], c)));
}

/**
 * By which words what was said before is about facts that are to be forgotten. Of a kind that may have several facts those of the
 * facts alone, so that what was said of another one stays.
 */
export function wordsToForget(document: Declared, facts: readonly Known[], about: string, whole: boolean): string[] {
  const words = document.memory?.facts?.[about]?.words;
  const kind = words === undefined ? [] : (Array.isArray(words) ? words : Object.values(words).flat()).map(normalise);
  const many = document.memory?.facts?.[about]?.many === true;
  const held = facts.flatMap((f) => [f.value, ...(f.was ?? []).map((w) => w.value)]);
  const values = held.flatMap((value) => {
    const named = valueWords(document, about, value);
    return named.length > 0 || typeof value !== 'string' ? named : tellingWords(value, kind);
  });
  return [...new Set([...(many && !whole ? [] : kind), ...values])].filter(Boolean);
}

/** Whether a text has one of these words in it. */
export function speaksOfAny(text: string, words: readonly string[]): boolean {
  const said = normalise(text).split(' ');
  return words.some((w) => holdsWord(said, w));
}
