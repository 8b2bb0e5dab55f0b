import { baseOf, ofLanguage } from './lexicon.js';

/*
 * Where a message may hold two wishes. What is returned are only places at which it could be parted; whether it is, is decided by
 * what each part would be understood as.
 */

/** Sentences, and what is set off by a comma and a conjunction. */
const STRONG: Readonly<Record<string, RegExp>> = {
  en: /(?<=[.!?;])\s+|\n+|,\s*(?=(?:and|but|also|oh|plus|then)\b)|\s+(?=(?:and also|also,|oh and|and by the way|by the way|but first|and then|as well as that|and another thing|another thing)\b)/giu,
  de: /(?<=[.!?;])\s+|\n+|,\s*(?=(?:und|aber|außerdem|ach|auch|dann)(?![\p{L}]))|\s+(?=(?:und außerdem|außerdem|und auch noch|ach und|übrigens|und dann)(?![\p{L}]))/giu,
  es: /(?<=[.!?;])\s+|\n+|,\s*(?=(?:y|e|pero|también|además|ah|luego)(?![\p{L}]))|\s+(?=(?:y también|y además|además|por cierto|ah y|y luego)(?![\p{L}]))/giu,
  fr: /(?<=[.!?;])\s+|\n+|,\s*(?=(?:et|mais|aussi|puis|ah)(?![\p{L}]))|\s+(?=(?:et aussi|et puis|au fait|de plus)(?![\p{L}]))/giu,
};
/** Any conjunction and any comma. */
const WEAK: Readonly<Record<string, RegExp>> = {
  en: /,\s+|\s+(?=(?:and|but|then|plus)\s)/giu,
  de: /,\s+|\s+(?=(?:und|aber|dann|sowie)\s)/giu,
  es: /,\s+|\s+(?=(?:y|e|pero|luego)\s)/giu,
  fr: /,\s+|\s+(?=(?:et|mais|puis)\s)/giu,
};

/** A message is parted at so many places at most. */
const MOST_BORDERS = 3;

/** A part of a message, with the place at which it begins (UTF-16 units). */
export interface Part {
  readonly text: string;
  readonly from: number;
}

/** Ways in which a message could be parted, the plainest first: by its sentences, then in two at one of its weaker borders. */
export function waysToPart(text: string, language: string): Part[][] {
  const strong = cut(text, bordersIn(text, ofLanguage(STRONG, language) ?? STRONG['en'], language));
  const weak = bordersIn(text, ofLanguage(WEAK, language) ?? WEAK['en'], language);
  const ways = [...(strong.length > 1 ? [strong] : []), ...weak.map((b) => cut(text, [b]))];
  return ways.filter((parts) => parts.length > 1);
}

/** True where a message can be parted by its sentences, or by a comma with a conjunction. */
export function isStrong(text: string, language: string): boolean {
  return cut(text, bordersIn(text, ofLanguage(STRONG, language) ?? STRONG['en'], language)).length > 1;
}

interface Border {
  readonly from: number;
  readonly to: number;
}

function bordersIn(text: string, pattern: RegExp | undefined, language: string): Border[] {
  if (!pattern) return [];
  const own = [...text.matchAll(pattern)];
  const english = baseOf(language) === 'en' || own.length > 0 ? [] : [...text.matchAll(/(?<=[.!?;])\s+|\n+/g)];
  return [...own, ...english].slice(0, MOST_BORDERS).map((m) => ({ from: m.index, to: m.index + m[0].length }));
}

function cut(text: string, borders: readonly Border[]): Part[] {
  const parts: Part[] = [];
  let at = 0;
  for (const { from, to } of [...borders, { from: text.length, to: text.length }]) {
    const piece = text.slice(at, from);
    if (/[\p{L}\p{N}]/u.test(piece)) parts.push({ text: piece.trim(), from: at + piece.length - piece.trimStart().length });
    at = to;
  }
  return parts;
}
