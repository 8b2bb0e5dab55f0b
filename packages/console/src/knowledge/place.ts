/** Where a passage stands in its document, in words. */
export function placeText({ heading, page }: { readonly heading: string; readonly page: number | null }): string {
  return [heading, page === null ? '' : `page ${page}`].filter(Boolean).join(' · ');
}
