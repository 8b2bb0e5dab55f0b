import { strFromU8, strToU8, zipSync } from 'fflate';
import {
  contentMark,
  isBotFile,
  isKnowledgeFile,
  isTextForm,
  markedContent,
  readFolder,
  writeFolder,
  type BotDocument,
  type KnowledgeDocument,
} from '@primrose/core';
import { hashOf } from '../knowledge/identity.js';
import { Refused } from '../base/refused.js';
import { unzipped } from '../base/unzip.js';

const MAX_FILES = 2000;
const MAX_UNPACKED_BYTES = 20_000_000;
/** The same of documents, which are no YAML. */
const MAX_CONTENT_BYTES = 200_000_000;
/** How the record begins with which every zip ends. */
const END_OF_ENTRIES = Buffer.from('PK\x05\x06', 'latin1');

/** Contents of documents by their hashes. */
export type FileContents = ReadonlyMap<string, Uint8Array>;

/** A bot that was read from a file, with the contents that came in it. */
export interface ReadBot {
  readonly source: unknown;
  readonly contents: FileContents;
}

/** A bot as one file: its document as JSON, made for reading. Documents that are text stand in it; others by their hash alone. */
export function writeFile(document: BotDocument, contents: FileContents): Uint8Array {
  const knowledge = Object.entries(document.knowledge ?? {}).map(([name, base]) => [
    name,
    {
      ...base,
      documents: Object.fromEntries(Object.entries(base.documents).map(([id, d]) => [id, withText(d, contents)])),
    },
  ]);
  const whole = document.knowledge ? { ...document, knowledge: Object.fromEntries(knowledge) as unknown } : document;
  return strToU8(`${JSON.stringify(whole, null, 2)}\n`);
}

const MOST_TEXT = 1_000_000;

function withText(document: KnowledgeDocument, contents: FileContents): KnowledgeDocument {
  const bytes = document.content === undefined ? undefined : contents.get(document.content);
  if (!bytes || !isTextForm(document.form) || bytes.length > MOST_TEXT) return document;
  try {
    const { content: _content, ...rest } = document;
    return { ...rest, text: new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes) };
  } catch {
    return document;
  }
}

/** A bot as a zip of its folder of YAML files, with its documents. The same document gives the same bytes. */
export function writeZip(document: BotDocument, contents: FileContents): Uint8Array {
  const files = Object.entries(writeFolder(document)).map(([path, text]) => {
    const hash = markedContent(text);
    const bytes = hash === undefined ? strToU8(text) : contents.get(hash);
    if (!bytes) throw new Error(`the contents of ${path} are gone`);
    return [path, bytes] as const;
  });
  return zipSync(Object.fromEntries(files), { level: 6, mtime: '2000-01-01T00:00:00Z' });
}

/** Reads what `writeFile` or `writeZip` wrote, or somebody edited since, as the source of a document. */
export function readFile(bytes: Uint8Array): ReadBot {
  return isZip(bytes) ? readZip(bytes) : { source: readJson(bytes), contents: new Map() };
}

function isZip(bytes: Uint8Array): boolean {
  return bytes[0] === 0x50 && bytes[1] === 0x4b;
}

function readJson(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes));
  } catch {
    throw new Refused('file-unreadable', {});
  }
}

/** A name that leads out of the folder ends the import. */
function assertInside(name: string): void {
  const leadsOut =
    name.startsWith('/') || name.includes('\\') || name.includes('\0') || name.split('/').includes('..') || /^[a-z]:/i.test(name);
  if (leadsOut) throw new Refused('zip-leads-out', { name });
}

/** The files of a bot in a zip. */
function unpack(bytes: Uint8Array): Map<string, Uint8Array> {
  const [own, contents] = [{ left: MAX_UNPACKED_BYTES }, { left: MAX_CONTENT_BYTES }];
  const { files, open } = unzipped(bytes, {
    entries: MAX_FILES,
    roomFor: (name) => {
      assertInside(name);
      if (name.endsWith('/') || !mayBeBotFile(name)) return undefined;
      return isKnowledgeFile(name) || isKnowledgeFile(name.slice(name.indexOf('/') + 1)) ? contents : own;
    },
    refusal: (why) =>
      why === 'damaged'
        ? new Refused('zip-cut', {})
        : new Refused('zip-too-large', { files: MAX_FILES, bytes: why === contents ? MAX_CONTENT_BYTES : MAX_UNPACKED_BYTES }),
  });
  // A zip ends with its list of entries; one that was cut off has none, or ends within a file.
  if (open > 0 || Buffer.from(bytes).lastIndexOf(END_OF_ENTRIES) < 0) throw new Refused('zip-cut', {});
  return files;
}

/** By its name it may be a file of a bot, where all stand in one folder as well. */
function mayBeBotFile(name: string): boolean {
  return isBotFile(name) || isBotFile(name.slice(name.indexOf('/') + 1));
}

/** The files of a bot in a zip; where all stand in one folder, that folder is taken off. */
function readZip(bytes: Uint8Array): ReadBot {
  let unpacked: Map<string, Uint8Array>;
  try {
    unpacked = unpack(bytes);
  } catch (error) {
    if (error instanceof Refused) throw error;
    throw new Refused('zip-cut', {});
  }
  const paths = [...unpacked.keys()];
  const top = paths.find((p) => p.endsWith('/bot.yaml') && p.split('/').length === 2)?.slice(0, -'bot.yaml'.length);
  const prefix = paths.includes('bot.yaml') || top === undefined ? '' : top;
  const own = paths.filter((p) => p.startsWith(prefix) && isBotFile(p.slice(prefix.length)));
  if (own.length === 0) throw new Refused('zip-without-bot', {});
  const contents = new Map<string, Uint8Array>();
  const held = (path: string): string => {
    const file = unpacked.get(`${prefix}${path}`) ?? new Uint8Array();
    if (!isKnowledgeFile(path)) return strFromU8(file);
    const hash = hashOf(file);
    contents.set(hash, file);
    return contentMark(hash);
  };
  const folder = readFolder(Object.fromEntries(own.map((p) => p.slice(prefix.length)).map((p) => [p, held(p)])));
  if (folder.ok) return { source: folder.source, contents };
  const [first] = folder.problems;
  throw new Refused('file-mistake', first ?? { file: 'bot.yaml', line: 1, message: 'it cannot be read' });
}
