/** A text without halves of characters (lone surrogates), which cutting one may leave and nothing that encodes takes. */
export function wellFormed(text: string): string {
  return text.replace(/\p{Surrogate}/gu, '\uFFFD');
}
