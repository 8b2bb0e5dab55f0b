import type { FoundPassage } from './rank.js';
import { sentences } from './split.js';
import { eachWord, termsIn } from './words.js';

/** A quotation is about so long; one sentence may be longer. */
const ABOUT = 360;

type Quoted = Pick<FoundPassage, 'quote' | 'number'> & Partial<Pick<FoundPassage, 'language' | 'why'>>;

/**
 * The best sentences of a passage as they stand: from the one that holds most of the question's weight on, as many as fit. A
 * short passage is quoted whole.
 */
export function quotation({ quote, language = 'en', why }: Quoted): string {
  if (quote.length <= ABOUT) return quote;
  const weights = new Map((why?.words ?? []).map((w) => [w.as, w.weight]));
  const terms = termsIn(language);
  const parts = sentences(quote, quote.length).map((text) => {
    const seen = new Set<string>();
    let weight = 0;
    eachWord(text, (raw, code) => {
      for (const term of terms(raw, code)) {
        if (seen.has(term)) continue;
        seen.add(term);
        weight += weights.get(term) ?? 0;
      }
    });
    return { text, weight };
  });
  const best = parts.reduce((most, p, i) => (p.weight > (parts[most]?.weight ?? 0) ? i : most), 0);
  const taken: string[] = [];
  let length = 0;
  for (const { text } of parts.slice(best)) {
    if (taken.length > 0 && length + text.length > ABOUT) break;
    taken.push(text);
    length += text.length + 1;
  }
  return taken.join(' ');
}
