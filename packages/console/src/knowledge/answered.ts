/** Where a question is answered, in words. */
export function answeredIn({ document, heading }: { readonly document: string | null; readonly heading: string | null }): string {
  if (document === null) return 'nothing';
  return heading ? `${document} › ${heading}` : document;
}
