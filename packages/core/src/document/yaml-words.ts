import type { YAMLParseError } from 'yaml';

/** What the mistakes of a YAML file mean, by the library's codes, and what to do about each. */
const WORDS: Partial<Record<YAMLParseError['code'], string>> = {
  ALIAS_PROPS: 'an alias (*name) cannot have a tag or an anchor; write the value itself',
  BAD_ALIAS: 'a word begins with *, which means something else in YAML; put it in quotes',
  BAD_DIRECTIVE: 'a line begins with %, which means something else in YAML; put it in quotes',
  BAD_DQ_ESCAPE: 'a \\ in double quotes is followed by a letter that means nothing; write \\\\ for one \\, or use single quotes',
  BAD_INDENT:
    'a [ or { is not closed, or a line is not indented as the lines around it; lines that belong together begin with the same number of spaces',
  BAD_PROP_ORDER: 'a word that begins with & or ! stands where none can; put the value in quotes',
  BAD_SCALAR_START: 'a value begins with a letter that means something else in YAML; put it in quotes',
  BLOCK_AS_IMPLICIT_KEY:
    'a text has a : in it, or the next line is indented although this one has a value already; put such a text in quotes',
  BLOCK_IN_FLOW: 'lines stand inside of { } or [ ]; write them on one line, with commas',
  DUPLICATE_KEY: 'the same key stands here twice; keep one of them',
  IMPOSSIBLE: 'this cannot be read; look at the line above',
  KEY_OVER_1024_CHARS: 'a key is longer than 1024 characters; a : may be missing',
  MISSING_CHAR: 'a quote or a bracket is not closed, or a key has no : behind it; look here and where it opens',
  MULTILINE_IMPLICIT_KEY: 'a key goes over several lines; a : may stand in a text, so put the text in quotes',
  MULTIPLE_ANCHORS: 'a value has two words that begin with &; put it in quotes',
  MULTIPLE_DOCS: 'there are several documents in the file, with --- between them; keep one',
  MULTIPLE_TAGS: 'a value has two words that begin with !; put it in quotes',
  NON_STRING_KEY: 'a key is no word; write it in quotes',
  TAB_AS_INDENT: 'a line is indented with a tab; use spaces',
  TAG_RESOLVE_FAILED: 'a word begins with !, which means something else in YAML; put it in quotes',
  UNEXPECTED_TOKEN:
    'something stands here that does not belong; put a value in quotes that has : or # or quotes in it, or begins with { or [',
};

/** A mistake in a YAML file in one sentence: what it is and what to do. */
export function yamlWords({ code, message }: YAMLParseError): string {
  return WORDS[code] ?? message.split(/ at line |\n/)[0] ?? 'it cannot be read';
}
