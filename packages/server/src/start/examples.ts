import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { isBotFile, readDocument, readFolder, type BotDocument } from '@primrose/core';

/** Reads a folder of YAML as a bot document. Throws with the file and line of the first mistake. */
export function loadFolder(path: string): BotDocument {
  const files = readdirSync(path, { recursive: true, encoding: 'utf8' }).map((f) => f.replaceAll('\\', '/'));
  const folder = Object.fromEntries(
    files.filter((f) => isBotFile(f) && statSync(join(path, f)).isFile()).map((f) => [f, readFileSync(join(path, f), 'utf8')]),
  );
  const read = readFolder(folder);
  if (!read.ok) throw new Error(`${path}: ${read.problems.map((p) => `${p.file}:${p.line} ${p.message}`).join('; ')}`);
  const document = readDocument(read.source);
  if (!document.ok) throw new Error(`${path}: ${JSON.stringify(document.problems.slice(0, 3))}`);
  return document.document;
}

/** The bots that ship with Primrose, by id. */
export function loadExamples(path: string): ReadonlyMap<string, BotDocument> {
  const folders = readdirSync(path, { withFileTypes: true }).filter((f) => f.isDirectory());
  return new Map(folders.map((f) => [f.name, loadFolder(join(path, f.name))]));
}
