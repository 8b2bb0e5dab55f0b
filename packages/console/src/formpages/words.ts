import {
  isChatPart,
  isInputPart,
  isOutputPart,
  PAGE_COLUMNS,
  type InputForm,
  type OutputForm,
  type PagePart,
} from '@primrose/core';

export const INPUT_WORDS: Readonly<Record<InputForm, string>> = {
  text: 'a line of text',
  'long-text': 'a long text',
  number: 'a number',
  date: 'a day',
  choice: 'one of several',
  choices: 'some of several',
  'yes-no': 'yes or no',
  file: 'a file',
  picture: 'a picture',
};

export const OUTPUT_WORDS: Readonly<Record<OutputForm, string>> = {
  text: 'text',
  table: 'a table',
  list: 'a list',
  fields: 'fields',
  picture: 'a picture',
  file: 'a file',
};

/** What a part is called in lists and to those who do not see it. */
export function partName(part: PagePart): string {
  if (isInputPart(part)) return part.label ?? part.input.replaceAll('_', ' ');
  if (isOutputPart(part)) return part.label ?? part.output.replaceAll('_', ' ');
  if (isChatPart(part)) return part.label ?? 'chat';
  return 'text' in part ? part.text.split('\n')[0]?.slice(0, 40) || 'text' : part.alt || 'picture';
}

/** What kind of part it is. */
export function partKind(part: PagePart): string {
  if (isInputPart(part)) return `input, ${INPUT_WORDS[part.as]}`;
  if (isOutputPart(part)) return part.as === undefined ? 'output' : `output, ${OUTPUT_WORDS[part.as]}`;
  if (isChatPart(part)) return 'chat';
  return 'text' in part ? 'words' : 'picture';
}

/** How many of the page's columns a part takes. */
export function widthOf(part: PagePart): number {
  return part.wide ?? (isInputPart(part) && part.as !== 'long-text' && part.as !== 'choices' ? 6 : PAGE_COLUMNS);
}
