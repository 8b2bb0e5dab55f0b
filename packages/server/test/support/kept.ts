import { createHash } from 'node:crypto';
import type { BotDocument, KnowledgeDocument } from '@primrose/core';

const kept = ({ text, ...rest }: KnowledgeDocument): KnowledgeDocument =>
  text === undefined ? rest : { ...rest, content: createHash('sha256').update(text).digest('hex') };

/** A document as the service keeps it: the contents of its documents stand beside it, named by their hash. */
export function asKept(document: BotDocument): BotDocument {
  if (!document.knowledge) return document;
  const bases = Object.entries(document.knowledge).map(([name, base]) => [
    name,
    { ...base, documents: Object.fromEntries(Object.entries(base.documents).map(([id, d]) => [id, kept(d)])) },
  ]);
  return { ...document, knowledge: Object.fromEntries(bases) as BotDocument['knowledge'] };
}
