import type { BotDocument, KnowledgeBase, KnowledgeDocument } from '@primrose/core';
import { MOST_DOCUMENT_BYTES } from '@primrose/contract';
import { Refused } from '../base/refused.js';
import type { Clock } from '../base/clock.js';
import type { Limits } from '../start/limits.js';
import * as store from '../store/contents.js';
import type { Db } from '../store/database.js';
import { contentHash, hashOf } from './identity.js';

const MEGABYTE = 1_000_000;
const MOST_ERRORS = 50;

/** Where contents of documents are kept, once by their hash, and which bot has which. */
export class Contents {
  readonly #db: Db;
  readonly #clock: Clock;
  readonly #limits: Pick<Limits, 'contentMegabytes'>;

  constructor(db: Db, clock: Clock, limits: Pick<Limits, 'contentMegabytes'>) {
    this.#db = db;
    this.#clock = clock;
    this.#limits = limits;
  }

  /** Gives contents to a bot; their hash. Refused where they are too large, or it has too much already. */
  async put(botId: string, bytes: Uint8Array): Promise<string> {
    const hash = hashOf(bytes);
    await this.putAll(botId, new Map([[hash, bytes]]));
    return hash;
  }

  async putAll(botId: string, contents: ReadonlyMap<string, Uint8Array>): Promise<void> {
    if (contents.size === 0) return;
    const most = this.#limits.contentMegabytes * MEGABYTE;
    const lacking = new Set(await this.missing(botId, [...contents.keys()]));
    if (lacking.size === 0) return;
    let size = await store.contentBytes(this.#db, botId);
    for (const [hash, bytes] of contents) {
      if (!lacking.has(hash)) continue;
      if (bytes.length > MOST_DOCUMENT_BYTES)
        throw new Refused('content-too-large', { size: bytes.length, most: MOST_DOCUMENT_BYTES });
      size += bytes.length;
    }
    if (size > most) throw new Refused('contents-full', { most });
    await store.giveContents(this.#db, botId, contents, this.#clock.now());
  }

  /** The contents of a bot by their hash; undefined where it has no such contents. */
  async of(botId: string, hash: string): Promise<Uint8Array<ArrayBuffer> | undefined> {
    const own = await store.contentsOf(this.#db, botId, [hash]);
    return own.has(hash) ? store.content(this.#db, hash) : undefined;
  }

  /** Everything that a document of a bot refers to, by hash. */
  async all(botId: string, document: BotDocument): Promise<ReadonlyMap<string, Uint8Array>> {
    const own = await store.contentsOf(this.#db, botId, hashesOf(document));
    const found = new Map<string, Uint8Array>();
    for (const hash of own.keys()) {
      const bytes = await store.content(this.#db, hash);
      if (bytes) found.set(hash, bytes);
    }
    return found;
  }

  /** Which of some contents a bot lacks. */
  async missing(botId: string, hashes: readonly string[]): Promise<string[]> {
    const own = await store.contentsOf(this.#db, botId, hashes);
    return [...new Set(hashes)].filter((h) => !own.has(h));
  }

  /**
   * A document whose contents stand beside it: texts in it are stored for the bot and referred to. Refused where it refers to
   * contents that neither the bot nor another one of the same person has. What the draft `before` has already is not looked at again.
   */
  async settle(botId: string, ownerId: string, document: BotDocument, before?: BotDocument): Promise<BotDocument> {
    const { knowledge } = document;
    if (!knowledge || knowledge === before?.knowledge) return document;
    const texts = new Map<string, Uint8Array>();
    const changed: [base: string, id: string, document: KnowledgeDocument][] = [];
    const settled = mapped(knowledge, (d, base, id) => {
      const known = before?.knowledge?.[base]?.documents[id];
      if (d === known) return d;
      if (d.content !== undefined && d.content === known?.content) return d;
      if (d.text === undefined) {
        changed.push([base, id, d]);
        return d;
      }
      const { text, ...rest } = d;
      const content = contentHash(d);
      texts.set(content, new TextEncoder().encode(text));
      return { ...rest, content };
    });
    await this.putAll(botId, texts);
    await this.#assertThere(botId, ownerId, changed);
    return settled === knowledge ? document : { ...document, knowledge: settled };
  }

  async #assertThere(
    botId: string,
    ownerId: string,
    documents: readonly (readonly [string, string, KnowledgeDocument])[],
  ): Promise<void> {
    if (documents.length === 0) return;
    const wanted = documents.flatMap(([, , d]) => (d.content === undefined ? [] : [d.content]));
    const lacking = await this.missing(botId, wanted);
    if (lacking.length > 0) await store.shareOwnContents(this.#db, ownerId, botId, lacking, this.#clock.now());
    const missing = new Set(lacking.length > 0 ? await this.missing(botId, wanted) : []);
    const without = documents.filter(([, , d]) => d.content === undefined || missing.has(d.content));
    if (without.length === 0) return;
    const errors = without.slice(0, MOST_ERRORS).map(([base, id, d]) => ({
      pointer: `/knowledge/${base}/documents/${id}`,
      detail:
        d.content === undefined
          ? `The document "${id}" has no contents. Give its text, or upload its file and name it by its hash.`
          : `The contents of the document "${id}" are not here. Upload its file first, or bring the bot as a folder, which has its documents in it.`,
      code: 'contents-missing',
    }));
    throw new Refused('contents-missing', {
      documents: without.map(([base, id]) => `${base}/${id}`).slice(0, MOST_ERRORS),
      errors,
    });
  }
}

/** Every content hash that a document refers to. */
function hashesOf({ knowledge = {} }: BotDocument): string[] {
  return Object.values(knowledge).flatMap(({ documents }) =>
    Object.values(documents).flatMap((d) => (d.content === undefined ? [] : [d.content])),
  );
}

type Knowledge = NonNullable<BotDocument['knowledge']>;

/** Each document of all bases made anew; what stays the same stays the same object. */
function mapped(knowledge: Knowledge, change: (d: KnowledgeDocument, base: string, id: string) => KnowledgeDocument): Knowledge {
  let any = false;
  const bases = Object.entries(knowledge).map(([name, base]): [string, KnowledgeBase] => {
    let own = false;
    const documents = Object.entries(base.documents).map(([id, d]): [string, KnowledgeDocument] => {
      const now = change(d, name, id);
      if (now !== d) own = true;
      return [id, now];
    });
    any ||= own;
    return [name, own ? { ...base, documents: Object.fromEntries(documents) } : base];
  });
  return any ? Object.fromEntries(bases) : knowledge;
}
