import { json } from '@codemirror/lang-json';
import { bracketMatching, syntaxHighlighting, HighlightStyle } from '@codemirror/language';
import type { Extension } from '@codemirror/state';

/** JSON in the console's own colours: keys plain, everything else by its weight. */
export function jsonMode(): Extension {
  return [json(), bracketMatching(), syntaxHighlighting(HighlightStyle.define([]))];
}
