import { isInputPart, type InputForm, type InputPart, type Page } from '../document/pages.js';
import type { BotDocument } from '../document/schema.js';
import { isTable, typeName, type TypeDeclaration, type Value } from '../document/shapes.js';
import { fitsType } from '../document/variables.js';
import type { SentFile } from '../engine/event.js';
import type { Values } from '../engine/types.js';

/** Why an input is not taken. */
export type InputTrouble =
  | { readonly code: 'missing' }
  | { readonly code: 'wrong-form'; readonly wanted: InputForm }
  | { readonly code: 'not-among'; readonly of: readonly string[] }
  | { readonly code: 'too-long'; readonly most: number }
  | { readonly code: 'wrong-type'; readonly wanted: string };

export interface PageInputProblem {
  readonly input: string;
  readonly problem: InputTrouble;
}

export interface PageInputs {
  /** What the flow takes: inputs that are there and fit. */
  readonly values: Values;
  readonly problems: readonly PageInputProblem[];
}

/** The longest text that an input holds, in characters. */
export const LONGEST_INPUT = 100_000;
const LONGEST_LINE = 2000;

const WANTED: Readonly<Record<InputForm, string>> = {
  text: 'a line of text',
  'long-text': 'a text',
  number: 'a number',
  date: 'a day, as 2026-03-14',
  choice: 'one of the choices',
  choices: 'some of the choices',
  'yes-no': 'yes or no',
  file: 'a file',
  picture: 'a picture',
};

/** What is wrong in an input, as the end of a sentence that begins with it: "is needed". */
export function inputReason(problem: InputTrouble): string {
  switch (problem.code) {
    case 'missing':
      return 'is needed';
    case 'wrong-form':
      return `should be ${WANTED[problem.wanted]}`;
    case 'not-among':
      return `should be one of: ${problem.of.slice(0, 12).join(', ')}`;
    case 'too-long':
      return `is too long; up to ${problem.most} characters are taken`;
    case 'wrong-type':
      return `does not fit: its flow takes ${problem.wanted} there`;
  }
}

const isEmpty = (value: Value | undefined): boolean =>
  value === undefined || value === null || value === '' || (Array.isArray(value) && value.length === 0);

/** Reads what somebody wrote in the form of its input; undefined where it is none. */
function inForm(as: InputForm, value: Value): Value | undefined {
  switch (as) {
    case 'text':
    case 'long-text':
      return typeof value === 'string' ? value : typeof value === 'number' ? String(value) : undefined;
    case 'number': {
      const number = typeof value === 'string' && value.trim() !== '' ? Number(value.trim()) : value;
      return typeof number === 'number' && Number.isFinite(number) ? number : undefined;
    }
    case 'date':
      return typeof value === 'string' && isDay(value) ? value : undefined;
    case 'yes-no':
      if (value === 'yes' || value === 'true') return true;
      return value === 'no' || value === 'false' ? false : typeof value === 'boolean' ? value : undefined;
    case 'choice':
      return typeof value === 'string' ? value : undefined;
    case 'choices': {
      const list = typeof value === 'string' ? [value] : value;
      return Array.isArray(list) && list.every((v: Value) => typeof v === 'string') ? list : undefined;
    }
    case 'file':
    case 'picture':
      return fileOf(value) ? value : undefined;
  }
}

/** True for a day that there is. */
function isDay(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false;
  const at = new Date(`${text}T00:00:00Z`);
  return !Number.isNaN(at.getTime()) && at.toISOString().startsWith(text);
}

/** A value as the file that it is; undefined for any other. */
export function fileOf(value: Value | undefined): SentFile | undefined {
  if (!isTable(value)) return undefined;
  const { name, type, size, address, text } = value;
  if (typeof name !== 'string' || typeof address !== 'string') return undefined;
  return {
    name,
    address,
    type: typeof type === 'string' ? type : '',
    size: typeof size === 'number' ? size : 0,
    ...(typeof text === 'string' ? { text } : {}),
  };
}

function troubleOf(document: BotDocument, part: InputPart, type: TypeDeclaration, value: Value): InputTrouble | undefined {
  const { as, of } = part;
  if (as === 'picture' && fileOf(value)?.type.startsWith('image/') === false) return { code: 'wrong-form', wanted: as };
  if (of && (as === 'choice' || as === 'choices')) {
    const chosen = Array.isArray(value) ? (value as readonly Value[]) : [value];
    if (chosen.some((c) => typeof c !== 'string' || !of.includes(c))) return { code: 'not-among', of };
  }
  const most = as === 'text' ? LONGEST_LINE : LONGEST_INPUT;
  if (typeof value === 'string' && value.length > most) return { code: 'too-long', most };
  return fitsType(document, type, value) ? undefined : { code: 'wrong-type', wanted: typeName(type).replace(/\?$/, '') };
}

/**
 * What the flow of a page gets of what somebody filled in, and what it does not get and why. An input of the flow that the page
 * does not ask for comes by its name alone. Pure; works on anything that somebody sends.
 */
export function pageInputs(document: BotDocument, page: Page, given: Values): PageInputs {
  const takes = document.flows[page.flow]?.takes ?? {};
  const parts = new Map(page.parts.filter(isInputPart).map((p) => [p.input, p]));
  const values: Record<string, Value> = {};
  const problems: PageInputProblem[] = [];
  for (const [input, type] of Object.entries(takes)) {
    const part = parts.get(input) ?? { input, as: formOfType(type) };
    const came = Object.hasOwn(given, input) ? given[input] : undefined;
    if (came === undefined || isEmpty(came)) {
      if (!mayStayEmpty(type)) problems.push({ input, problem: { code: 'missing' } });
      continue;
    }
    const read = inForm(part.as, came);
    const problem: InputTrouble | undefined =
      read === undefined ? { code: 'wrong-form', wanted: part.as } : troubleOf(document, part, type, read);
    if (problem) problems.push({ input, problem });
    else if (read !== undefined) values[input] = read;
  }
  return { values, problems };
}

/** An input may stay empty when its type ends in `?` or has a value of its own. */
export function mayStayEmpty(type: TypeDeclaration | undefined): boolean {
  return typeName(type).endsWith('?') || (typeof type === 'object' && type.value !== undefined);
}

/** How an input of a type is filled in, unless somebody says otherwise. */
export function formOfType(type: TypeDeclaration): InputForm {
  const name = typeName(type).replace(/\?$/, '');
  if (typeof type === 'object' && type.one_of) return 'choice';
  const forms: Readonly<Record<string, InputForm>> = {
    number: 'number',
    date: 'date',
    yes_no: 'yes-no',
    list: 'choices',
    file: 'file',
  };
  return forms[name] ?? 'text';
}

/** The type of a flow's input that is filled in in a form. */
export function typeOfForm(form: InputForm): string {
  const types: Readonly<Partial<Record<InputForm, string>>> = {
    number: 'number',
    date: 'date',
    'yes-no': 'yes_no',
    choices: 'list',
    file: 'file',
    picture: 'file',
  };
  return types[form] ?? 'text';
}

/** Files and pictures among what a flow takes, as an event brings them. */
export function broughtWith(values: Values): { readonly files?: SentFile[]; readonly pictures?: string[] } {
  const sent = Object.values(values).flatMap((v) => fileOf(v) ?? []);
  const files = sent.filter((f) => !f.type.startsWith('image/'));
  const pictures = sent.filter((f) => f.type.startsWith('image/')).map((f) => f.address);
  return { ...(files.length > 0 ? { files } : {}), ...(pictures.length > 0 ? { pictures } : {}) };
}
