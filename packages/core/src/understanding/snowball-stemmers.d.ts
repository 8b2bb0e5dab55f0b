/** What we call of the package, which brings no types. */
declare module 'snowball-stemmers' {
  export function newStemmer(language: string): { readonly stem: (word: string) => string };
}
