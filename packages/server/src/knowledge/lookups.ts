import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import type { Logger } from 'pino';
import {
  effectTypes,
  inBase,
  isLookedAt,
  outOfBases,
  synonymsOf,
  type BotDocument,
  type DocumentForm,
  type Look,
  type LookupEffect,
  type LookupResult,
} from '@primrose/core';
import type { Clock } from '../base/clock.js';
import { dayIn } from '../base/day.js';
import { Recent } from '../base/recent.js';
import * as store from '../store/contents.js';
import type { Db } from '../store/database.js';
import type { Drafts } from '../drafts/drafts.js';
import type { Files } from '../files/files.js';
import { fileBytes } from '../store/files.js';
import { comparedBy, toCompare, type AlikeParts } from './alike.js';
import type { Indexer } from './indexer.js';
import type { Contents } from './contents.js';
import { identitiesOf, type Identity } from './identity.js';
import type { Indexing } from './indexing.js';
import type { DocumentSet, Searcher } from './searcher.js';
import type { SplitPassage } from './indexing-worker.js';
import type { SetDocument } from './searching-worker.js';

/** Whose documents are looked in. */
export interface LookedBot {
  readonly botId: string;
  readonly document: BotDocument;
  /** The draft, where the document is that of a release whose bases may follow it. */
  readonly draft?: (() => Promise<BotDocument>) | undefined;
}

export interface LookupParts extends AlikeParts {
  readonly log: Logger;
  readonly indexer: Indexer;
  readonly contents: Contents;
  readonly indexing: Indexing;
  readonly searcher: Searcher;
  readonly files: Pick<Files, 'at'>;
  readonly publicUrl: string;
  /** Signs the addresses of passages. */
  readonly key: Uint8Array;
}

/** Documents that were brought just now are waited for so long before others answer without them. */
const WAIT_MS = 10_000;
const MOST_SYNONYMS = 500;
const SIGN_LETTERS = 22;
const LOAD_BYTES = 24_000_000;

/** Where all of a file is read, it has so many passages at most, each of so many characters: small ones where it is short. */
const MOST_OF_ALL = 50;
const SMALLEST = 250;
const LARGEST = 2500;

/** Contents that are remembered as stored: more than the documents of a bot. */
const MOST_REMEMBERED = 20_000;

/** The base that passages of a conversation's own files are said to be of. */
const SENT = 'sent';
/** Names the index of such a file, which is made when it is looked in and stored nowhere. */
const FILE = 'file ';

/** A file of a conversation that is looked in. */
interface SentDocument {
  readonly key: string;
  readonly index: string;
  readonly name: string;
  readonly address: string;
}

const TEXTS: ReadonlyMap<string, DocumentForm> = new Map([
  ['md', 'markdown'],
  ['csv', 'csv'],
  ['json', 'json'],
  ['html', 'html'],
]);
const OPEN_XML = 'application/vnd.openxmlformats-officedocument.';
const PACKED: readonly (readonly [string, DocumentForm])[] = [
  ['application/pdf', 'pdf'],
  [`${OPEN_XML}wordprocessingml.document`, 'docx'],
  [`${OPEN_XML}spreadsheetml.sheet`, 'xlsx'],
  ['application/epub+zip', 'epub'],
];

/** How a file that was sent is read; undefined for a picture. */
export function formOfFile(name: string, type: string): DocumentForm | undefined {
  const [, packed] = PACKED.find(([t]) => t === type) ?? [];
  if (packed !== undefined) return packed;
  if (!type.startsWith('text/') && type !== 'application/json') return undefined;
  const ending = name.split('.').at(-1)?.toLowerCase() ?? '';
  return TEXTS.get(ending) ?? 'text';
}

const { failed } = effectTypes.lookup;

/** Looks things up in the documents of bots. */
export class Lookups {
  readonly #parts: LookupParts;

  constructor(parts: LookupParts) {
    this.#parts = parts;
  }

  /** Performs a lookup. What goes wrong is a result that says so. */
  async look(bot: LookedBot, effect: LookupEffect): Promise<LookupResult> {
    const names = [effect.base, ...(effect.also ?? [])].filter((n) => n !== '');
    const unknown = names.find((n) => !bot.document.knowledge?.[n]);
    if (unknown !== undefined) return failed('not-configured', `there is no knowledge base "${unknown}"`);
    if (effect.all) return this.#everything(await this.#sent(effect.files ?? []));
    const { question, before, most } = effect;
    const document = await this.#followed(bot, names);
    const documents = names.flatMap((n) => identitiesOf(bot.botId, document, n));
    const sent = await this.#sent(effect.files ?? []);
    const apart = names.length > 1 || sent.length > 0;
    const set = setOf(bot.botId, { names, sent }, document, documents);
    const language = effect.language ?? document.languages[0] ?? 'en';
    const asked = {
      question,
      before,
      most: toCompare(this.#parts, most, language),
      language,
      synonyms: synonymsOf(document, language).slice(0, MOST_SYNONYMS),
      without: this.#unwanted(document, documents, effect.labels),
    };
    await this.#inline(bot.botId, document, documents);
    let came = await this.#parts.searcher.look(set, asked);
    if (came.waiting > 0) {
      await this.#parts.indexing.settled(documents, WAIT_MS);
      came = await this.#parts.searcher.look(set, asked, true);
    }
    const indexes = new Map(set.documents);
    const ranked = await comparedBy(this.#parts, came.found, { question, language, most }, (key) => indexes.get(key));
    const found = outOfBases(ranked);
    const byKey = new Map(documents.map((d) => [keyOf(d), d]));
    const passages = found.passages.map((p) => {
      const file = p.base === SENT ? sent.find((f) => f.key === p.document) : undefined;
      if (file) return { ...p, title: file.name, address: file.address };
      const own = byKey.get(inBase(p.base, p.document));
      const open = own && document.knowledge?.[own.base]?.private !== true;
      const { base, ...rest } = p;
      return { ...rest, ...(apart ? { base } : {}), ...(open ? { address: this.addressOf(own.index, p.place) } : {}) };
    });
    const { waiting } = came;
    return { outcome: 'looked-up', ...found, passages, ...(waiting > 0 ? { waiting } : {}) };
  }

  /** All passages of files in their order, as many as are looked at in one go; what is behind is left. */
  async #everything(sent: readonly SentDocument[]): Promise<LookupResult> {
    const passages: LookupResult['passages'][number][] = [];
    for (const { key, index, name, address } of sent) {
      const all = await passagesOfFile(this.#parts, index);
      all.forEach(({ heading, page, text }, i) => {
        const at = { document: key, title: name, heading, place: i + 1, ...(page === null ? {} : { page }) };
        passages.push({ number: passages.length + 1, ...at, quote: text, score: 1, address });
      });
    }
    return {
      outcome: 'looked-up',
      passages: passages.slice(0, MOST_OF_ALL),
      covered: passages.length > 0,
      share: 1,
      missing: [],
    };
  }

  /** The document with bases as they are in the draft, where they follow it. */
  async #followed({ document, draft }: LookedBot, names: readonly string[]): Promise<BotDocument> {
    const follows = names.filter((n) => document.knowledge?.[n]?.follows === 'draft');
    if (!draft || follows.length === 0) return document;
    const now = await draft();
    const newer = Object.fromEntries(follows.flatMap((n) => (now.knowledge?.[n] ? [[n, now.knowledge[n]]] : [])));
    return { ...document, knowledge: { ...document.knowledge, ...newer } };
  }

  /** Documents that are out of use, of another label, or do not hold today. */
  #unwanted(bot: BotDocument, documents: readonly Identity[], labels?: readonly string[]): string[] {
    const day = dayIn(bot.zone, this.#parts.clock.now());
    return documents
      .filter((d) => {
        const document = bot.knowledge?.[d.base]?.documents[d.document];
        return !document || !isLookedAt(document, labels, day);
      })
      .map(keyOf);
  }

  /** Texts that stand in a document from before contents were kept beside it are stored now. */
  async #inline(botId: string, bot: BotDocument, documents: readonly Identity[]): Promise<void> {
    const texts = new Map<string, Uint8Array>();
    for (const { base, document, hash } of documents) {
      const text = bot.knowledge?.[base]?.documents[document]?.text;
      if (text !== undefined && !this.#stored.get(botId + hash)) texts.set(hash, new TextEncoder().encode(text));
    }
    if (texts.size === 0) return;
    await this.#parts.contents.putAll(botId, texts);
    for (const hash of texts.keys()) this.#stored.set(botId + hash, true);
  }

  readonly #stored = new Recent<true>(MOST_REMEMBERED);

  /** Files of a conversation that are still kept, and can be read. */
  async #sent(files: readonly { readonly name: string; readonly address: string }[]): Promise<SentDocument[]> {
    const kept = await Promise.all(files.map(async (f) => ({ f, row: await this.#parts.files.at(f.address) })));
    return kept.flatMap(({ f, row }): SentDocument[] => {
      const form = row && formOfFile(row.name, row.type);
      return row && form ? [{ key: row.id, index: `${FILE}${row.id} ${form}`, name: f.name, address: f.address }] : [];
    });
  }

  /** How many passages the bases of a draft have that are ready. */
  async passages(botId: string, document: BotDocument, base: string): Promise<number> {
    const documents = identitiesOf(botId, document, base);
    return (await this.#parts.searcher.opened(setOf(botId, { names: [base], sent: [] }, document, documents))).passages;
  }

  /** Where a passage is shown in its surroundings. Only who was given the address can open it. */
  addressOf(index: string, place: number): string {
    return `${this.#parts.publicUrl}/documents/${index}/${place}/${this.#sign(index, place)}`;
  }

  /** Whether an address is one that we gave. */
  isOurs(index: string, place: number, sign: string): boolean {
    const right = Buffer.from(this.#sign(index, place));
    const given = Buffer.from(sign);
    return right.length === given.length && timingSafeEqual(right, given);
  }

  #sign(index: string, place: number): string {
    return createHmac('sha256', this.#parts.key).update(`passage ${index} ${place}`).digest('base64url').slice(0, SIGN_LETTERS);
  }
}

const keyOf = ({ base, document }: Identity): string => inBase(base, document);

/** What is looked in: bases by their names, and files of a conversation. */
interface Among {
  readonly names: readonly string[];
  readonly sent: readonly SentDocument[];
}

function setOf(botId: string, { names, sent }: Among, bot: BotDocument, documents: readonly Identity[]): DocumentSet {
  const listed = documents
    .filter((d) => !bot.knowledge?.[d.base]?.documents[d.document]?.off)
    .map((d): SetDocument => [keyOf(d), d.index]);
  const files = sent.map((f): SetDocument => [inBase(SENT, f.key), f.index]);
  const all = [...listed, ...files];
  const name = createHash('sha256').update(JSON.stringify(all)).digest('hex');
  // A conversation's own files are nobody else's: what is made ready with them is no version of the bot's bases for others.
  const base = `${botId} ${names.join(' ')}`;
  const line = sent.length > 0 ? `${base} ${sent.map((f) => f.index).join(' ')}` : base;
  return { name, line, like: sent.length > 0 ? base : undefined, documents: all };
}

/** The passages of a file that was sent; none of one that cannot be read. */
async function passagesOfFile({ db, indexer, log }: LookupParts, index: string): Promise<readonly SplitPassage[]> {
  const [, id = '', form] = index.split(' ');
  const bytes = await fileBytes(db, id);
  if (!bytes) return [];
  try {
    const { bytes: reading, characters } = await indexer.do('read', { bytes, form: form as DocumentForm });
    const size = Math.min(LARGEST, Math.max(SMALLEST, Math.ceil(characters / (MOST_OF_ALL - 10))));
    return (await indexer.do('split', { reading, title: undefined, split: { by: 'size', size, overlap: 0 } })).first;
  } catch (error) {
    log.info({ err: error }, 'a file of a conversation was not read');
    return [];
  }
}

/** What indexes are loaded with. */
export interface LoadParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly indexer: Indexer;
}

/** Stored indexes, as many at a time as fit into a bound of bytes; those of files of conversations are made. */
export async function* loadIndexes(
  parts: LoadParts,
  ids: readonly string[],
): AsyncGenerator<ReadonlyMap<string, Uint8Array<ArrayBuffer>>> {
  const { db, clock } = parts;
  for (const id of ids.filter((i) => i.startsWith(FILE))) yield* indexOfFile(parts, id);
  const sizes = await store.indexedSizes(
    db,
    ids.filter((i) => !i.startsWith(FILE)),
  );
  let some: string[] = [];
  let bytes = 0;
  for (const [id, size] of sizes) {
    if (some.length > 0 && bytes + size > LOAD_BYTES) {
      yield await store.indexedBytes(db, some);
      [some, bytes] = [[], 0];
    }
    some.push(id);
    bytes += size;
  }
  if (some.length > 0) yield await store.indexedBytes(db, some);
  await store.usedIndexed(db, [...sizes.keys()], clock.now());
}

/** Reads and indexes a file that was sent. One that cannot be read is looked in as if it were empty. */
async function* indexOfFile(
  { db, log, indexer }: LoadParts,
  index: string,
): AsyncGenerator<ReadonlyMap<string, Uint8Array<ArrayBuffer>>> {
  const [, id = '', form] = index.split(' ');
  const bytes = await fileBytes(db, id);
  if (!bytes) return;
  try {
    const { bytes: reading } = await indexer.do('read', { bytes, form: form as DocumentForm });
    const made = await indexer.do('index', {
      reading,
      name: id,
      title: undefined,
      language: undefined,
      usual: 'en',
      split: undefined,
    });
    yield new Map([[index, Uint8Array.from(made.bytes)]]);
  } catch (error) {
    log.info({ err: error }, 'a file of a conversation was not read');
  }
}

/** Looks something up for a turn of a bot. */
export type LookOf = (bot: { readonly botId: string; readonly document: BotDocument; readonly released: boolean }) => Look;

/** How turns look things up. A base of a release that follows the draft is that of the draft. */
export function createLook(lookups: Lookups, drafts: Drafts): LookOf {
  return ({ botId, document, released }) => {
    const draft = released ? async () => (await drafts.current(botId)).document : undefined;
    return (effect) => lookups.look({ botId, document, draft }, effect);
  };
}

const KEY_FACT = 'passage-key';

/** What the addresses of passages are signed with: of the service's own key where it has one, else kept in the database. */
export async function signingKey(db: Db, secret: Uint8Array | null): Promise<Uint8Array> {
  if (secret) return createHmac('sha256', secret).update('passages').digest();
  const find = async () => {
    const row: { value: string } | undefined = await db('facts').where({ name: KEY_FACT }).first('value');
    return row?.value;
  };
  if ((await find()) === undefined)
    await db('facts')
      .insert({ name: KEY_FACT, value: randomBytes(32).toString('hex') })
      .onConflict('name')
      .ignore();
  return Buffer.from((await find()) ?? '', 'hex');
}
