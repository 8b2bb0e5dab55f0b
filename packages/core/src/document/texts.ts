import type { Text } from './shapes.js';

/** The first wording in a language, else in any: for the Map and for lists. */
export function sampleText(text: Text | undefined, language: string): string {
  if (text === undefined) return '';
  if (typeof text === 'string') return text;
  if (Array.isArray(text)) return text[0] ?? '';
  const own = text[language] ?? Object.values(text)[0];
  return own === undefined ? '' : sampleText(own, language);
}
