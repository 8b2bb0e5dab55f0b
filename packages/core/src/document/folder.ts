import { Document, isMap, isScalar, parseDocument, visit, type YAMLMap } from 'yaml';
import { yamlWords } from './yaml-words.js';
import type { Problem } from './problem.js';
import type { BotDocument, DocumentForm } from './schema.js';

/**
 * A bot as files: relative path with forward slashes to UTF-8 text. A document of a knowledge base stands as its text, or as
 * the mark of its contents (`contentMark`), which are bytes beside the folder.
 */
export type Folder = Readonly<Record<string, string>>;

/** A mistake in a file: `line` is counted from 1. */
export interface FolderProblem {
  readonly file: string;
  readonly line: number;
  readonly message: string;
}

type Plain = Record<string, unknown>;
export type FolderResult =
  | { readonly ok: true; readonly source: Plain; readonly places: FilePlaces }
  | { readonly ok: false; readonly problems: readonly FolderProblem[] };

/** Where in the files a place of the document stands. */
export type FilePlaces = (problem: Problem) => { file: string; line: number };

const BOT_FILE = 'bot.yaml';
/** A YAML file that is longer was written by no person. */
const MOST_CHARACTERS = 2_000_000;
/** Tables of the document that have a file of their own. */
const TABLE_FILES = {
  entities: 'entities.yaml',
  intents: 'intents.yaml',
  'out-of-scope': 'out-of-scope.yaml',
  contexts: 'contexts.yaml',
  models: 'models.yaml',
  starts: 'starts.yaml',
  memory: 'memory.yaml',
} as const satisfies Partial<Record<keyof BotDocument, string>>;
const TABLES = Object.entries(TABLE_FILES) as [keyof typeof TABLE_FILES, string][];
/** How the file of a document ends by its form. */
export const FORM_ENDINGS = {
  markdown: 'md',
  text: 'txt',
  html: 'html',
  pdf: 'pdf',
  docx: 'docx',
  epub: 'epub',
  csv: 'csv',
  xlsx: 'xlsx',
  json: 'json',
} as const satisfies Record<DocumentForm, string>;
/** A document of a knowledge base: its contents are the file. */
const KNOWLEDGE_FILE = /^knowledge\/([^/]+)\/([^/]+)\.(md|txt|html|pdf|docx|epub|csv|xlsx|json)$/;
const MARK = /^sha256:([0-9a-f]{64})$/;
/** Folders that had other names once; files in them are read, and written under the present ones. */
const FORMER: readonly (readonly [RegExp, string])[] = [
  [/^listening\/(?=(?:entities|intents|contexts|out-of-scope)\.yaml$)/, ''],
  [/^thinking\/(?=models\.yaml$)/, ''],
  [/^doing\//, 'connections/'],
  [/^knowing\//, 'knowledge/'],
];
const STYLE = { lineWidth: 0, flowCollectionPadding: true, singleQuote: false } as const;
const INLINE_WIDTH = 110;

/** Where a file stands today that stood at `path` once; most stand where they stood. */
function presentPath(path: string): string {
  const former = FORMER.find(([pattern]) => pattern.test(path));
  return former ? path.replace(...former) : path;
}

/** A file that is a document of a knowledge base: bytes, which a folder holds by their mark. */
export function isKnowledgeFile(at: string): boolean {
  return KNOWLEDGE_FILE.test(presentPath(at));
}

/** What stands in a folder for contents with this hash (SHA-256, hexadecimal). */
export function contentMark(hash: string): string {
  return `sha256:${hash}`;
}

/** The hash that a mark names; undefined for any other text. */
export function markedContent(text: string): string | undefined {
  return MARK.exec(text)?.[1];
}

/** Files that belong to the document, by their present or their former places; others in the folder are left alone. */
export function isBotFile(at: string): boolean {
  const path = presentPath(at);
  const own = path === BOT_FILE || TABLES.some(([, file]) => file === path);
  return (
    own || /^(flows|connections|knowledge|tables|pages|samples|rehearsals)\/[^/]+\.yaml$/.test(path) || KNOWLEDGE_FILE.test(path)
  );
}

/** Files in the folder of a bot that look as if they belonged to it and are not read: each with what is to be done. */
export function strayFiles(paths: readonly string[]): FolderProblem[] {
  return paths.flatMap((file): FolderProblem[] => {
    if (isBotFile(file) || file.split('/').some((part) => part.startsWith('.'))) return [];
    const told = (message: string) => [{ file, line: 1, message }];
    const yaml = file.replace(/\.yml$/i, '.yaml');
    if (yaml !== file && isBotFile(yaml)) return told(`it is not read: name it ${yaml}`);
    if (/\.ya?ml$/i.test(file))
      return told('it is not read: no part of a bot has this name. See docs/bot-format.md for the names');
    return OWN_FOLDER.test(file) ? told('it is not read: files in this folder end in .yaml') : [];
  });
}

const OWN_FOLDER = /^(flows|connections|tables|pages|samples|rehearsals)\//;

/** The files of a document, as plain values by path. */
function split(document: BotDocument): Record<string, Plain> {
  const { flows, connections, knowledge, tables, pages, samples, rehearsals, ...rest } = document;
  const bot: Plain = Object.fromEntries(Object.entries(rest).filter(([key]) => !(key in TABLE_FILES)));
  const files: Record<string, Plain> = { [BOT_FILE]: bot };
  for (const [key, file] of TABLES) if (rest[key] !== undefined) files[file] = rest[key];
  for (const [id, { documents, ...base }] of Object.entries(knowledge ?? {})) {
    const listed = Object.entries(documents).map(([d, { text: _text, content: _content, ...more }]) => [d, more] as const);
    files[`knowledge/${id}.yaml`] = { knowledge: id, ...base, documents: Object.fromEntries(listed) };
  }
  for (const [id, { actions, ...more }] of Object.entries(connections ?? {}))
    files[`connections/${id}.yaml`] = { connection: id, ...more, actions };
  for (const [id, declared] of Object.entries(tables ?? {})) files[`tables/${id}.yaml`] = { table: id, ...declared };
  for (const [id, declared] of Object.entries(pages ?? {})) files[`pages/${id}.yaml`] = { page: id, ...declared };
  for (const [id, flow] of Object.entries(flows)) files[`flows/${id}.yaml`] = { flow: id, ...flow };
  for (const [id, kept] of Object.entries(samples ?? {})) files[`samples/${id}.yaml`] = { sample: id, ...kept };
  for (const [id, kept] of Object.entries(rehearsals ?? {})) files[`rehearsals/${id}.yaml`] = { rehearsal: id, ...kept };
  return files;
}

/**
 * Writes a document as a folder. Given the files that are there, those that already say the same stay to the letter,
 * and changed ones keep their comments and the order of their keys.
 */
export function writeFolder(document: BotDocument, present: Folder = {}): Folder {
  const there = Object.fromEntries(Object.entries(present).map(([path, text]) => [presentPath(path), text]));
  const written = Object.entries(split(document)).map(([path, plain]) => [path, writeFile(plain, there[path])] as const);
  return { ...Object.fromEntries(written), ...knowledgeTexts(document) };
}

function knowledgeTexts({ knowledge = {} }: BotDocument): Folder {
  return Object.fromEntries(
    Object.entries(knowledge).flatMap(([base, { documents }]) =>
      Object.entries(documents).flatMap(([id, { form, text, content }]) => {
        const held = content === undefined ? text : contentMark(content);
        return held === undefined ? [] : [[`knowledge/${base}/${id}.${FORM_ENDINGS[form]}`, held]];
      }),
    ),
  );
}

function writeFile(plain: Plain, present: string | undefined): string {
  if (present === undefined) return fresh(plain);
  const parsed = parseDocument(present);
  if (parsed.errors.length > 0 || !isMap(parsed.contents)) return fresh(plain);
  if (sameValue(parsed.toJS(), plain)) return present;
  mend(parsed, parsed.contents, plain);
  return sameValue(parsed.toJS(), plain) ? parsed.toString(STYLE) : fresh(plain);
}

/** Values as a file of ours that is written for the first time. */
export function freshText(plain: Readonly<Record<string, unknown>>): string {
  return fresh({ ...plain });
}

function fresh(plain: Plain): string {
  const document = new Document(plain, { aliasDuplicateObjects: false });
  inlineSmall(document.contents, 0);
  return document.toString(STYLE);
}

/** Small maps and lists of plain values stand on one line, as one would write them by hand. */
function inlineSmall(node: unknown, depth: number): void {
  if (!isMap(node) && !isSeqLike(node)) return;
  const children = isMap(node) ? node.items.map((p) => p.value) : node.items;
  children.forEach((c) => inlineSmall(c, depth + 1));
  const json = JSON.stringify(node);
  const simple = children.every((c) => isScalar(c) || (depth > 1 && (isMap(c) || isSeqLike(c)) && c.flow));
  const lines = json.includes('\\n');
  if (depth >= 2 && simple && !lines && json.length <= INLINE_WIDTH - depth * 2) node.flow = true;
}

function isSeqLike(node: unknown): node is { items: unknown[]; flow?: boolean } {
  return typeof node === 'object' && node !== null && !isMap(node) && Array.isArray((node as { items?: unknown }).items);
}

/** Brings a parsed map to other values, touching only what differs, so that comments stay. */
function mend(document: Document, map: YAMLMap, plain: Plain): void {
  for (const pair of [...map.items]) {
    const key = String(isScalar(pair.key) ? pair.key.value : pair.key);
    if (!(key in plain)) map.delete(pair.key);
  }
  for (const [key, wanted] of Object.entries(plain)) {
    const present: unknown = map.get(key, true);
    if (isMap(present) && isPlain(wanted)) mend(document, present, wanted);
    else if (!map.has(key) || !sameValue((present as { toJSON?: () => unknown } | undefined)?.toJSON?.(), wanted))
      setKeepingComment(document, map, key, wanted);
  }
}

function setKeepingComment(document: Document, map: YAMLMap, key: string, wanted: unknown): void {
  const node = document.createNode(wanted, { aliasDuplicateObjects: false });
  inlineSmall(node, 2);
  const present: unknown = map.get(key, true);
  if (isScalar(present) && isScalar(node)) {
    present.value = node.value;
    return;
  }
  map.set(key, node);
}

function isPlain(v: unknown): v is Plain {
  return typeof v === 'object' && v !== null && !Array.isArray(v);
}

function sameValue(a: unknown, b: unknown): boolean {
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((v, i) => sameValue(v, b[i]));
  if (!isPlain(a) || !isPlain(b)) return a === b;
  const keys = Object.keys(a);
  return keys.length === Object.keys(b).length && keys.every((k) => k in b && sameValue(a[k], b[k]));
}

/** Reads a folder into the source of one document, for `readDocument`. Only the files of `isBotFile` are looked at. */
export function readFolder(folder: Folder): FolderResult {
  const parsed = new Map<string, ParsedFile>();
  const problems: FolderProblem[] = twice(folder);
  const present = Object.entries(folder).map(([file, text]) => [presentPath(file), text] as const);
  const texts = Object.fromEntries(present.filter(([file]) => KNOWLEDGE_FILE.test(file)));
  for (const [file, text] of Object.entries(folder)) {
    const at = presentPath(file);
    if (!isBotFile(file) || at in texts) continue;
    if (text.length > MOST_CHARACTERS) {
      problems.push({
        file,
        line: 1,
        message: `it has ${text.length} characters; at most ${MOST_CHARACTERS} are read of one file`,
      });
      continue;
    }
    const document = parseDocument(text);
    for (const error of document.errors) {
      problems.push({ file, line: error.linePos?.[0].line ?? 1, message: yamlWords(error) });
    }
    const alias = aliasIn(document);
    if (alias !== undefined) problems.push({ file, line: lineAt(text, alias.at), message: aliasWords(alias.name) });
    if (document.errors.length === 0 && !isMap(document.contents))
      problems.push({ file, line: 1, message: 'it should hold keys and values' });
    parsed.set(at, { file, document, text });
  }
  if (!present.some(([file]) => file === BOT_FILE))
    problems.push({ file: BOT_FILE, line: 1, message: 'it is not there; a bot begins with this file' });
  if (problems.length > 0) return { ok: false, problems };
  return assemble(parsed, texts);
}

/** The first alias (`*name`) in a file: a few of them can stand for any number of values. */
function aliasIn(document: Document): { readonly name: string; readonly at: number } | undefined {
  let found: { name: string; at: number } | undefined;
  visit(document, {
    Alias: (_key, node) => {
      found = { name: node.source, at: node.range?.[0] ?? 0 };
      return visit.BREAK;
    },
  });
  return found;
}

const aliasWords = (name: string): string =>
  `"*${name}" stands for a value elsewhere in the file, which is not taken here; write the value itself, or put a text that begins with * in quotes`;

const lineAt = (text: string, at: number): number => text.slice(0, at).split('\n').length;

/** Files that stand at their former place and at their present one as well. */
function twice(folder: Folder): FolderProblem[] {
  return Object.keys(folder).flatMap((file): FolderProblem[] => {
    const at = presentPath(file);
    if (at === file || !(at in folder) || !isBotFile(file)) return [];
    return [{ file, line: 1, message: `it stands in ${at} as well, which is its place today; keep one of the two` }];
  });
}

/** A file as it was read, under its present place. */
interface ParsedFile {
  /** Where it stands. */
  readonly file: string;
  readonly document: Document;
  readonly text: string;
}
type Parsed = ReadonlyMap<string, ParsedFile>;

function assemble(parsed: Parsed, texts: Folder): FolderResult {
  const plain = (file: string): Plain => ({ ...(parsed.get(file)?.document.toJS() as Plain) });
  const problems: FolderProblem[] = [];
  const gather = (folder: string, key: string): Plain => {
    const found: Plain = {};
    for (const file of [...parsed.keys()].filter((f) => f.startsWith(`${folder}/`)).sort()) {
      const { [key]: id, ...rest } = plain(file);
      const named = file.slice(folder.length + 1, -'.yaml'.length);
      if (id !== named)
        problems.push({
          file: parsed.get(file)?.file ?? file,
          line: 1,
          message: `it should begin with "${key}: ${named}", the name of the file`,
        });
      found[named] = rest;
    }
    return found;
  };
  const flows = gather('flows', 'flow');
  const connections = gather('connections', 'connection');
  const tables = gather('tables', 'table');
  const pages = gather('pages', 'page');
  const samples = gather('samples', 'sample');
  const rehearsals = gather('rehearsals', 'rehearsal');
  const knowledge = withTexts(gather('knowledge', 'knowledge'), texts, problems);
  if (problems.length > 0) return { ok: false, problems };
  const source: Plain = {
    ...plain(BOT_FILE),
    ...Object.fromEntries(TABLES.flatMap(([key, file]) => (parsed.has(file) ? [[key, plain(file)]] : []))),
    ...(Object.keys(connections).length > 0 ? { connections } : {}),
    ...(Object.keys(knowledge).length > 0 ? { knowledge } : {}),
    ...(Object.keys(tables).length > 0 ? { tables } : {}),
    ...(Object.keys(pages).length > 0 ? { pages } : {}),
    ...(Object.keys(samples).length > 0 ? { samples } : {}),
    ...(Object.keys(rehearsals).length > 0 ? { rehearsals } : {}),
    flows,
  };
  return { ok: true, source, places: (problem) => placeOf(problem, parsed, texts) };
}

/** Knowledge bases with the texts of their documents. A file that no base lists belongs to the base of its folder all the same. */
function withTexts(bases: Plain, texts: Folder, problems: FolderProblem[]): Plain {
  const found: Record<string, Plain & { documents: Plain }> = {};
  for (const [id, base] of Object.entries(bases)) {
    const { documents, ...rest } = base as Plain;
    found[id] = { ...rest, documents: isPlain(documents) ? { ...documents } : {} };
  }
  for (const [file, text] of Object.entries(texts).sort(([a], [b]) => (a < b ? -1 : 1))) {
    const [, base = '', id = '', ending = ''] = KNOWLEDGE_FILE.exec(file) ?? [];
    const form = Object.entries(FORM_ENDINGS).find(([, e]) => e === ending)?.[0];
    const { documents } = (found[base] ??= { documents: {} });
    const listed = documents[id];
    const content = markedContent(text);
    documents[id] = { ...(isPlain(listed) ? listed : {}), form, ...(content === undefined ? { text } : { content }) };
  }
  for (const [id, { documents }] of Object.entries(found))
    for (const [name, d] of Object.entries(documents))
      if (!isPlain(d) || !('text' in d || 'content' in d)) {
        const message = `the document "${name}" has no file; put its text into knowledge/${id}/${name}.md (or .txt, .html, .pdf, .docx, .epub, .csv, .xlsx, .json)`;
        problems.push({ file: `knowledge/${id}.yaml`, line: 1, message });
      }
  return found;
}

function placeOf(problem: Problem, parsed: Parsed, texts: Folder): { file: string; line: number } {
  const inDocument = (problem.field ?? '')
    .split('/')
    .slice(1)
    .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'));
  const path =
    problem.flow === undefined
      ? inDocument
      : ['flows', problem.flow, ...(problem.node === undefined ? [] : ['nodes', problem.node]), ...inDocument];
  const [head, second, ...rest] = path;
  if (head === 'flows' && second !== undefined) return lineOf(`flows/${second}.yaml`, rest, parsed);
  if ((head === 'tables' || head === 'pages' || head === 'samples' || head === 'rehearsals') && second !== undefined)
    return lineOf(`${head}/${second}.yaml`, rest, parsed);
  if (head === 'connections' && second !== undefined) return lineOf(`connections/${second}.yaml`, rest, parsed);
  const table = TABLES.find(([key]) => key === head);
  if (table) return lineOf(table[1], path.slice(1), parsed);
  if (head === 'knowledge' && second !== undefined) {
    // What is wrong about a document is wrong in its text, unless its line in the base says something else.
    const [, id, field] = rest;
    const own = Object.keys(texts).find((f) => id !== undefined && f.startsWith(`knowledge/${second}/${id}.`));
    if (own !== undefined && (field === undefined || field === 'text')) return { file: own, line: 1 };
    return lineOf(`knowledge/${second}.yaml`, rest, parsed);
  }
  return lineOf(BOT_FILE, path, parsed);
}

/** The line of the deepest part of a path that the file has. */
function lineOf(file: string, path: readonly string[], parsed: Parsed): { file: string; line: number } {
  const found = parsed.get(file);
  const at = found?.file ?? file;
  for (let length = path.length; found && length > 0; length--) {
    const map = found.document.getIn(path.slice(0, length - 1), true);
    const key = path[length - 1];
    const pair = isMap(map) ? map.items.find((p) => String(isScalar(p.key) ? p.key.value : p.key) === key) : undefined;
    const range = (pair?.key as { range?: [number, number, number] } | undefined)?.range;
    if (range) return { file: at, line: found.text.slice(0, range[0]).split('\n').length };
  }
  return { file: at, line: 1 };
}
