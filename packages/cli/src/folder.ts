import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import {
  contentMark,
  FORM_ENDINGS,
  isBotFile,
  isKnowledgeFile,
  markedContent,
  problemSentence,
  readDocument,
  readFolder,
  strayFiles,
  writeFolder,
  type BotDocument,
  type Folder,
  type FolderProblem,
  type KnowledgeBase,
  type KnowledgeDocument,
} from '@primrose/core';
import { z } from 'zod';
import { CommandFailure, EXIT } from './outcome.js';

/** Which bot a folder belongs to, and what it was when it was last the same as the draft. */
const origin = z.strictObject({ address: z.string(), bot: z.string(), revision: z.number().int(), same: z.string() });
export type Origin = z.infer<typeof origin>;

const ORIGIN_FILE = '.primrose.json';

/** A fingerprint of a document that does not depend on the order of keys. */
export function fingerprint(document: BotDocument): string {
  const sorted = (v: unknown): unknown => {
    if (Array.isArray(v)) return v.map(sorted);
    if (v === null || typeof v !== 'object') return v;
    return Object.fromEntries(
      Object.entries(v)
        .sort(([a], [b]) => (a < b ? -1 : 1))
        .map(([k, inner]) => [k, sorted(inner)]),
    );
  };
  return createHash('sha256')
    .update(JSON.stringify(sorted(document)))
    .digest('hex');
}

/** The bot files of a folder; empty where there is no folder. */
export function readFiles(path: string): Folder {
  if (!existsSync(path)) return {};
  if (!statSync(path).isDirectory()) throw new CommandFailure(EXIT.usage, `${path} is no folder.`);
  const names = readdirSync(path, { recursive: true, encoding: 'utf8' }).map((f) => f.replaceAll('\\', '/'));
  return Object.fromEntries(
    names.filter((f) => isBotFile(f) && statSync(join(path, f)).isFile()).map((f) => [f, heldFile(join(path, f), f)]),
  );
}

const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');
const MOST_TEXT = 1_000_000;
const TEXTS = /\.(?:md|txt|html|csv|json)$/;

/** A file as a folder holds it: its text, or the mark of its bytes where it is a document that is no text, or a long one. */
function heldFile(path: string, file: string): string {
  const bytes = readFileSync(path);
  if (!isKnowledgeFile(file)) return bytes.toString('utf8');
  if (bytes.length > MOST_TEXT || !TEXTS.test(file)) return contentMark(sha256(bytes));
  try {
    return new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);
  } catch {
    return contentMark(sha256(bytes));
  }
}

/** A document as the service has it, whose contents stand beside it, and where these are: in it, or in files of its folder. */
export function settled(
  path: string,
  document: BotDocument,
): { readonly document: BotDocument; readonly contents: ReadonlyMap<string, () => Uint8Array> } {
  const contents = new Map<string, () => Uint8Array>();
  const hashed = (base: string, id: string, d: KnowledgeDocument): KnowledgeDocument => {
    const { text, ...rest } = d;
    if (text !== undefined) {
      const bytes = new TextEncoder().encode(text);
      const content = sha256(bytes);
      contents.set(content, () => bytes);
      return { ...rest, content };
    }
    const file = join(path, 'knowledge', base, `${id}.${FORM_ENDINGS[d.form]}`);
    if (d.content !== undefined) contents.set(d.content, () => readFileSync(file));
    return d;
  };
  if (!document.knowledge) return { document, contents };
  const knowledge = Object.fromEntries(
    Object.entries(document.knowledge).map(([name, base]): [string, KnowledgeBase] => [
      name,
      { ...base, documents: Object.fromEntries(Object.entries(base.documents).map(([id, d]) => [id, hashed(name, id, d)])) },
    ]),
  );
  return { document: { ...document, knowledge }, contents };
}

/** Files in a folder that look as if they belonged to a bot and are not read. */
export function readStray(path: string): FolderProblem[] {
  if (!existsSync(path) || !statSync(path).isDirectory()) return [];
  const names = readdirSync(path, { recursive: true, encoding: 'utf8' }).map((f) => f.replaceAll('\\', '/'));
  return strayFiles(names.filter((f) => !f.includes('node_modules/') && statSync(join(path, f)).isFile()));
}

/** The document that a folder holds. Throws with every mistake by file and line. */
export function readBotFolder(path: string): {
  document: BotDocument;
  where: (problem: Parameters<typeof problemSentence>[0]) => string;
} {
  const folder = readFolder(readFiles(path));
  if (!folder.ok)
    throw new CommandFailure(
      EXIT.problems,
      `${path} cannot be read as a bot.`,
      folder.problems.map((p) => `${p.file}:${p.line}: ${p.message}`),
    );
  const where = (problem: Parameters<typeof problemSentence>[0]): string => {
    const { file, line } = folder.places(problem as Parameters<typeof folder.places>[0]);
    return `${file}:${line}`;
  };
  const read = readDocument(folder.source);
  if (!read.ok)
    throw new CommandFailure(
      EXIT.problems,
      `${path} is no valid bot.`,
      read.problems.map((p) => `${where(p)}: ${problemSentence(p)}`),
    );
  return { document: read.document, where };
}

/** What a file says, by the mark of its bytes or as it is. */
function isSameFile(path: string, present: string | undefined, wanted: string): boolean {
  if (present === wanted) return true;
  const hash = markedContent(wanted);
  return hash !== undefined && present !== undefined && sha256(readFileSync(path)) === hash;
}

/** Gets the contents of a document by their hash. */
export type GetContent = (hash: string) => Promise<Uint8Array>;

/**
 * Writes a document into a folder: comments of files that are there stay, files of flows that are gone go. Contents that the
 * folder has not yet are got by their hash.
 */
export async function writeBotFolder(path: string, document: BotDocument, getContent?: GetContent): Promise<string[]> {
  const present = readFiles(path);
  const files = writeFolder(document, present);
  const changed = Object.entries(files).filter(([file, text]) => !isSameFile(join(path, file), present[file], text));
  for (const [file, text] of changed) {
    const hash = markedContent(text);
    const held = hash === undefined ? text : await getContent?.(hash);
    if (held === undefined) continue;
    mkdirSync(dirname(join(path, file)), { recursive: true });
    writeFileSync(join(path, file), held);
  }
  const gone = Object.keys(present).filter((file) => !(file in files));
  gone.forEach((file) => remove(path, file));
  return [...changed.map(([file]) => file), ...gone.map((file) => `${file} (removed)`)];
}

/** Removes a file, and the folders that are empty without it. */
function remove(path: string, file: string): void {
  rmSync(join(path, file));
  for (let folder = dirname(file); folder !== '.' && readdirSync(join(path, folder)).length === 0; folder = dirname(folder))
    rmdirSync(join(path, folder));
}

export function readOrigin(path: string): Origin | undefined {
  const file = join(path, ORIGIN_FILE);
  if (!existsSync(file)) return undefined;
  const parsed = origin.safeParse(JSON.parse(readFileSync(file, 'utf8')));
  if (!parsed.success)
    throw new CommandFailure(EXIT.usage, `${file} cannot be understood. Remove it, then pull again or push with --bot.`);
  return parsed.data;
}

export function writeOrigin(path: string, value: Origin): void {
  writeFileSync(join(path, ORIGIN_FILE), `${JSON.stringify(value, null, 2)}\n`);
}
