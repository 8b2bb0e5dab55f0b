import { strFromU8, strToU8, unzipSync, zipSync, type UnzipFileInfo } from 'fflate';
import { isBotFile, readFolder, writeFolder, type BotDocument } from '@primrose/core';
import { Refused } from '../base/refused.js';

const MAX_FILES = 2000;
const MAX_UNPACKED_BYTES = 20_000_000;

/** A bot as one file: its document as JSON, made for reading. */
export function writeFile(document: BotDocument): Uint8Array {
  return strToU8(`${JSON.stringify(document, null, 2)}\n`);
}

/** A bot as a zip of its folder of YAML files. The same document gives the same bytes. */
export function writeZip(document: BotDocument): Uint8Array {
  const files = Object.entries(writeFolder(document)).map(([path, text]) => [path, strToU8(text)] as const);
  return zipSync(Object.fromEntries(files), { level: 6, mtime: '2000-01-01T00:00:00Z' });
}

/** Reads what `writeFile` or `writeZip` wrote, or somebody edited since, as the source of a document. */
export function readFile(bytes: Uint8Array): unknown {
  return isZip(bytes) ? readZip(bytes) : readJson(bytes);
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

/** Looks at every entry before anything is unpacked: names that lead elsewhere, too many files or too much in them end it. */
function checkEntry(entry: UnzipFileInfo, sum: { files: number; bytes: number }): boolean {
  const { name, originalSize } = entry;
  if (
    name.startsWith('/') ||
    name.includes('\\') ||
    name.includes('\0') ||
    name.split('/').includes('..') ||
    /^[a-z]:/i.test(name)
  )
    throw new Refused('zip-leads-out', { name });
  if (name.endsWith('/')) return false;
  sum.files++;
  sum.bytes += originalSize;
  if (sum.files > MAX_FILES || sum.bytes > MAX_UNPACKED_BYTES)
    throw new Refused('zip-too-large', { files: MAX_FILES, bytes: MAX_UNPACKED_BYTES });
  return true;
}

/** The files of a bot in a zip; where all stand in one folder, that folder is taken off. */
function readZip(bytes: Uint8Array): unknown {
  const sum = { files: 0, bytes: 0 };
  let unpacked: Record<string, Uint8Array>;
  try {
    unpacked = unzipSync(bytes, { filter: (entry) => checkEntry(entry, sum) });
  } catch (error) {
    if (error instanceof Refused) throw error;
    throw new Refused('zip-cut', {});
  }
  const paths = Object.keys(unpacked);
  const top = paths.find((p) => p.endsWith('/bot.yaml') && p.split('/').length === 2)?.slice(0, -'bot.yaml'.length);
  const prefix = paths.includes('bot.yaml') || top === undefined ? '' : top;
  const own = paths.filter((p) => p.startsWith(prefix) && isBotFile(p.slice(prefix.length)));
  if (own.length === 0) throw new Refused('zip-without-bot', {});
  const folder = readFolder(
    Object.fromEntries(own.map((p) => [p.slice(prefix.length), strFromU8(unpacked[p] ?? new Uint8Array())])),
  );
  if (folder.ok) return folder.source;
  const [first] = folder.problems;
  throw new Refused('file-mistake', first ?? { file: 'bot.yaml', line: 1, message: 'it cannot be read' });
}
