import { createHash } from 'node:crypto';
import type { BotDocument, DocumentForm, KnowledgeBase, KnowledgeDocument, Splitting } from '@primrose/core';

/** Raised when what is read of the same file, or how it is indexed, becomes another. */
const READER = 1;
const INDEX = 1;

const sha256 = (data: string | Uint8Array): string => createHash('sha256').update(data).digest('hex');

/** The hash by which contents are known. */
export function hashOf(bytes: Uint8Array): string {
  return sha256(bytes);
}

/** Who reads pages that are pictures: a model profile of a bot. */
export interface Seer {
  readonly botId: string;
  readonly profile: string;
}

/** A document as it is read and indexed. What is the same in all of this is read and indexed once, in whatever bot. */
export interface Identity {
  readonly base: string;
  readonly document: string;
  readonly hash: string;
  readonly form: DocumentForm;
  readonly reading: string;
  readonly index: string;
  readonly title: string | undefined;
  readonly language: string | undefined;
  /** The language of the bot, where the document says none. */
  readonly usual: string;
  readonly split: Splitting | undefined;
  /** Who reads it where its pages are pictures. */
  readonly sees: Seer | undefined;
}

const texts = new WeakMap<KnowledgeDocument, string>();

/** The hash of a document's contents, also where they stand in the document itself. */
export function contentHash(document: KnowledgeDocument): string {
  if (document.content !== undefined) return document.content;
  const known = texts.get(document) ?? hashOf(new TextEncoder().encode(document.text ?? ''));
  texts.set(document, known);
  return known;
}

const known = new WeakMap<KnowledgeBase, Map<string, readonly Identity[]>>();

/** The documents of a base, out of use or not. */
export function identitiesOf(botId: string, bot: BotDocument, base: string): readonly Identity[] {
  const own = bot.knowledge?.[base];
  if (!own) return [];
  const usual = bot.languages[0] ?? 'en';
  const key = `${botId} ${base} ${usual}`;
  const made = known.get(own)?.get(key);
  if (made) return made;
  const found = Object.entries(own.documents).map(([id, document]) =>
    identityOf(base, id, document, {
      usual,
      split: document.split ?? own.split,
      sees: own.sees !== undefined && document.form === 'pdf' ? { botId, profile: own.sees } : undefined,
    }),
  );
  known.set(own, (known.get(own) ?? new Map<string, readonly Identity[]>()).set(key, found));
  return found;
}

function identityOf(
  base: string,
  id: string,
  document: KnowledgeDocument,
  { usual, split, sees }: Pick<Identity, 'usual' | 'split' | 'sees'>,
): Identity {
  const { form, title, language } = document;
  const hash = contentHash(document);
  const reading = sha256(`${READER} ${hash} ${form}${sees ? ` ${sees.botId} ${sees.profile}` : ''}`);
  const index = sha256(
    JSON.stringify([INDEX, reading, title ?? null, title === undefined ? id : null, language ?? [usual], split ?? null]),
  );
  return { base, document: id, hash, form, reading, index, title, language, usual, split, sees };
}
