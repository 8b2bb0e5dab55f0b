import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { contentMark, isBotFile, isKnowledgeFile, readDocument, readFolder, type BotDocument } from '@primrose/core';
import { hashOf } from '../knowledge/identity.js';

/** A bot that ships with Primrose, with the contents of its documents by their hashes. */
export interface Example {
  readonly document: BotDocument;
  readonly contents: ReadonlyMap<string, Uint8Array>;
}

/** Reads a folder of YAML as a bot document. Throws with the file and line of the first mistake. */
export function loadFolder(path: string): Example {
  const files = readdirSync(path, { recursive: true, encoding: 'utf8' }).map((f) => f.replaceAll('\\', '/'));
  const contents = new Map<string, Uint8Array>();
  const held = (file: string): string => {
    if (!isKnowledgeFile(file)) return readFileSync(join(path, file), 'utf8');
    const bytes = readFileSync(join(path, file));
    const hash = hashOf(bytes);
    contents.set(hash, bytes);
    return contentMark(hash);
  };
  const folder = Object.fromEntries(
    files.filter((f) => isBotFile(f) && statSync(join(path, f)).isFile()).map((f) => [f, held(f)]),
  );
  const read = readFolder(folder);
  if (!read.ok) throw new Error(`${path}: ${read.problems.map((p) => `${p.file}:${p.line} ${p.message}`).join('; ')}`);
  const document = readDocument(read.source);
  if (!document.ok) throw new Error(`${path}: ${JSON.stringify(document.problems.slice(0, 3))}`);
  return { document: document.document, contents };
}

/** The bots that ship with Primrose, by id. */
export function loadExamples(path: string): ReadonlyMap<string, Example> {
  const folders = readdirSync(path, { withFileTypes: true }).filter((f) => f.isDirectory());
  return new Map(folders.map((f) => [f.name, loadFolder(join(path, f.name))]));
}
