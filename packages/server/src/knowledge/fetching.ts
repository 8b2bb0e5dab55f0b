import { promisify } from 'node:util';
import { brotliDecompress, gunzip, inflate } from 'node:zlib';
import type { Logger } from 'pino';
import {
  comparePatch,
  freeId,
  idOf,
  sameValue,
  type BotDocument,
  type DocumentForm,
  type KnowledgeDocument,
  type KnowledgeSource,
} from '@primrose/core';
import { newId, sleep, type Clock } from '../base/clock.js';
import { Refused, type RefusalCode } from '../base/refused.js';
import type { Drafts } from '../drafts/drafts.js';
import type { AllowedAddresses } from '../outside/agent.js';
import { BadAnswer, createCaller, type Answer } from '../outside/call.js';
import { servingBot } from '../store/bots.js';
import type { Db } from '../store/database.js';
import * as store from '../store/sources.js';
import { Keeper } from '../turns/keeper.js';
import { MOST_DOCUMENT_BYTES } from '@primrose/contract';
import type { Contents } from './contents.js';
import { AGENT, crawl, type Crawled, type CrawledPage, type CrawlPort, type Got, type KnownPage } from './crawl.js';
import { hashOf } from './identity.js';
import type { Indexer } from './indexer.js';

export interface FetchingParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly drafts: Drafts;
  readonly contents: Contents;
  readonly indexer: Indexer;
  readonly allowed: AllowedAddresses;
  /** Who fetches a source holds it for so long, ever again. */
  readonly leaseMs: number;
}

const GET_MS = 20_000;
const STOP_MS = 2000;
const MOST_DUE = 20;
const MOST_ATTEMPTS = 3;
const MOST_EDITS = 5;
const AGAIN_MS = { hour: 3_600_000, day: 86_400_000, week: 604_800_000 } as const;
/** A source that could not be fetched is tried again after this time, where it is on a schedule. */
const AFTER_TROUBLE_MS = 900_000;
const MOST_PROBLEM = 500;
/** Somebody edits the same documents just now. */
const BUSY: ReadonlySet<RefusalCode | undefined> = new Set(['clash', 'draft-busy'] as const);

const codeOf = (error: unknown): RefusalCode | undefined => (error instanceof Refused ? (error as Refused).code : undefined);

type Documents = Readonly<Record<string, KnowledgeDocument>>;
type StoredPage = store.SourcePageRow & { readonly address_hash: string };

/**
 * Fetches the documents of bases from their sources: when somebody asks for it, and again on their schedule. What is new or
 * changed comes into the draft as an edit; what stands there no more goes out of it. When each is due stands in the database,
 * so that another process goes on where one dies.
 */
export class Fetching {
  readonly #parts: FetchingParts;
  readonly #keeper: Keeper;
  readonly #caller: ReturnType<typeof createCaller>;

  constructor(parts: FetchingParts) {
    const { db, clock, log, allowed } = parts;
    this.#parts = parts;
    this.#caller = createCaller(allowed, MOST_DOCUMENT_BYTES);
    this.#keeper = new Keeper({
      clock,
      log,
      name: 'sources',
      waiting: () => store.dueSources(db, clock.now(), MOST_DUE),
      work: (id) => this.#fetch(id),
      most: 2,
      mostOfOne: 1,
    });
  }

  start(): void {
    this.#keeper.start();
  }

  async stop(): Promise<void> {
    await this.#keeper.stop(STOP_MS);
    await this.#caller.close();
  }

  /** Has a source fetched as soon as somebody can. */
  async want(botId: string, base: string, source: string): Promise<void> {
    const { db, clock } = this.#parts;
    const id = await store.wantSource(db, { id: newId(clock), botId, base, source }, clock.now());
    this.#keeper.kick(id, botId);
  }

  /** Sees to the schedules of a draft: sources that are read again by themselves are due, those that went are forgotten. */
  async prepare(botId: string, document: BotDocument): Promise<void> {
    const { db } = this.#parts;
    const declared = Object.entries(document.knowledge ?? {}).flatMap(([base, { sources = {} }]) =>
      Object.entries(sources).map(([source, { every }]) => ({ base, source, every })),
    );
    const rows = await store.sourcesOf(db, botId);
    for (const row of rows) {
      const own = declared.find((d) => d.base === row.base && d.source === row.source);
      if (!own) await store.dropSource(db, row.id);
      else if (row.fetched_at) {
        const next = nextOf(own.every, row.fetched_at, row.state === 'failed');
        if (next?.getTime() !== row.next_at?.getTime()) await store.timeSource(db, row.id, next);
      }
    }
    for (const { base, source, every } of declared)
      if (every !== undefined && !rows.some((r) => r.base === base && r.source === source)) await this.want(botId, base, source);
  }

  async #fetch(id: string): Promise<void> {
    const { db, clock, leaseMs } = this.#parts;
    const until = () => new Date(clock.now().getTime() + leaseMs);
    const row = await store.takeSource(db, id, clock.now(), until());
    if (!row) return;
    const endKeeping = clock.every(leaseMs / 3, () => void store.keepSource(db, id, until()).catch(() => undefined));
    try {
      await this.#fetchOnce(row);
    } finally {
      endKeeping();
    }
  }

  async #fetchOnce(row: store.SourceRow): Promise<void> {
    const { db, clock, log, drafts } = this.#parts;
    const { id } = row;
    // Where it is not even known how often it is to be read, it is tried again all the same.
    let afterTrouble = (): Date | null => new Date(clock.now().getTime() + AFTER_TROUBLE_MS);
    try {
      const bot = await servingBot(db, row.bot_id);
      const draft = bot && (await drafts.current(row.bot_id));
      const source = draft?.document.knowledge?.[row.base]?.sources?.[row.source];
      if (!bot || !source) return await store.dropSource(db, id);
      afterTrouble = () => nextOf(source.every, clock.now(), true);
      if (row.attempts > MOST_ATTEMPTS) return await this.#failed(id, 'fetching it ended the service several times', null);
      const kept = await store.sourcePages(db, id);
      const came = await crawl(source, new Map(kept.map((p) => [p.address, knownPage(p)])), this.#port(row.bot_id));
      if (!came.ok) {
        if (this.#keeper.stopped) return await store.leaveSource(db, id);
        return await this.#failed(id, came.reason, afterTrouble());
      }
      await this.#takeIn(row, bot.owner_id, source, kept, came);
    } catch (error) {
      if (this.#keeper.stopped) return store.leaveSource(db, id);
      log.warn({ err: error, source: id }, 'a source was not fetched');
      await this.#failed(id, reasonOf(error), afterTrouble());
    }
  }

  async #failed(id: string, problem: string, next: Date | null): Promise<void> {
    const { db, clock } = this.#parts;
    await store.finishSource(db, id, { state: 'failed', problem: problem.slice(0, MOST_PROBLEM), at: clock.now(), next });
  }

  /** Brings what was fetched into the draft. */
  async #takeIn(
    row: store.SourceRow,
    ownerId: string,
    source: KnowledgeSource,
    kept: readonly store.SourcePageRow[],
    came: Crawled & { ok: true },
  ): Promise<void> {
    const { db, clock, contents, drafts } = this.#parts;
    const before = new Map(kept.map((p) => [p.address, p]));
    const bytes = came.pages.flatMap((p) => (p.bytes ? [p.bytes] : []));
    await contents.putAll(row.bot_id, new Map(bytes.map((b): [string, Uint8Array] => [hashOf(b), b])));
    const met = new Set(came.pages.map((p) => p.address));
    const unmet = kept.filter((p) => !met.has(p.address));
    const gone = unmet.filter((p) => came.whole || came.gone.has(p.address));
    const at = clock.now();
    for (let tries = 1; ; tries++) {
      const { revision, document } = await drafts.current(row.bot_id);
      const base = document.knowledge?.[row.base];
      // Somebody took it out while it was fetched.
      if (!base?.sources?.[row.source]) return store.dropSource(db, row.id);
      const made = merged(base.documents, row.source, source, { pages: came.pages, before, gone });
      const knowledge = { ...document.knowledge, [row.base]: { ...base, documents: made.documents } };
      const patch = comparePatch(document, { ...document, knowledge });
      try {
        if (patch.length > 0) await drafts.edit({ botId: row.bot_id, personId: ownerId, revision, kind: 'fetch', patch });
      } catch (error) {
        if (tries < MOST_EDITS && BUSY.has(codeOf(error))) continue;
        throw error;
      }
      const pages = [...made.pages, ...unmet.filter((p) => !gone.includes(p)).map(hashed)];
      const skipped = JSON.stringify(
        came.skipped.map(({ address, why }) => ({ address: address.slice(0, 200), why: why.slice(0, 300) })),
      );
      return store.finishSource(
        db,
        row.id,
        {
          state: 'fetched',
          problem: null,
          at,
          next: nextOf(source.every, at, false),
          pages: pages.length,
          changed: made.changed,
          skipped,
        },
        pages,
      );
    }
  }

  #port(botId: string): CrawlPort {
    const { clock, contents, indexer } = this.#parts;
    return {
      get: (url, headers) => this.#get(url, headers),
      page: (bytes) => indexer.do('page', { bytes }),
      unreadable: async (bytes, form) => {
        try {
          await indexer.do('read', { bytes, form });
          return undefined;
        } catch (error) {
          if (error instanceof Refused && error.code === 'document-unreadable') return reasonOf(error);
          throw error;
        }
      },
      stored: (hash) => contents.of(botId, hash),
      hashOf,
      pause: (ms) => sleep(clock, ms).done,
      tick: clock.tick,
      stopped: () => this.#keeper.stopped,
    };
  }

  async #get(url: URL, headers: Readonly<Record<string, string>>): Promise<Got> {
    const wanted = { 'user-agent': AGENT, accept: '*/*', 'accept-encoding': 'identity', ...headers };
    const call = { url, method: 'GET', headers: wanted, timeoutMs: GET_MS, changes: false };
    const came = await this.#caller.call(call, gotFrom);
    return 'outcome' in came ? { ok: false, kind: came.code === 'refused' ? 'refused' : 'trouble', reason: came.reason } : came;
  }
}

const UNPACK: Readonly<Record<string, (bytes: Buffer, options: { maxOutputLength: number }) => Promise<Buffer>>> = {
  gzip: promisify(gunzip),
  'x-gzip': promisify(gunzip),
  deflate: promisify(inflate),
  br: promisify(brotliDecompress),
};

/** An answer as it was before it was packed, which some do without being asked; within the size of a document. */
async function unpacked(bytes: Buffer, encoding: string): Promise<Buffer> {
  if (encoding === 'identity' || encoding === '' || bytes.length === 0) return bytes;
  const unpack = UNPACK[encoding];
  if (!unpack) throw new BadAnswer(`sends its pages packed as ${encoding}, which is not read here`);
  try {
    return await unpack(bytes, { maxOutputLength: MOST_DOCUMENT_BYTES });
  } catch {
    throw new BadAnswer(
      `sends a page packed as ${encoding} that is damaged, or unfolds into more than ${MOST_DOCUMENT_BYTES / 1e6} MB`,
    );
  }
}

async function gotFrom({ status, headers, body }: Answer): Promise<Got> {
  const header = (name: string) => [headers[name]].flat()[0];
  if (status >= 301 && status <= 308 && status !== 304) {
    await body.text();
    return { ok: false, kind: 'moved', to: header('location') ?? '' };
  }
  if (status === 404 || status === 410) return { ok: false, kind: 'gone', reason: `there is no such page (status ${status})` };
  if (status === 401 || status === 403)
    return { ok: false, kind: 'refused', reason: `it is not for everybody (status ${status})` };
  if (status >= 400)
    return {
      ok: false,
      kind: status >= 500 || status === 429 ? 'trouble' : 'refused',
      reason: `it answers with status ${status}`,
    };
  const chunks: Buffer[] = [];
  for await (const chunk of body) chunks.push(chunk);
  return {
    ok: true,
    status: status === 304 ? 304 : 200,
    bytes: await unpacked(Buffer.concat(chunks), header('content-encoding')?.trim().toLowerCase() ?? 'identity'),
    type: header('content-type') ?? '',
    etag: header('etag')?.slice(0, 300),
    modified: header('last-modified')?.slice(0, 100),
  };
}

function knownPage({ address, form, hash, said, title, etag, modified }: store.SourcePageRow): KnownPage {
  const kept = { title: title ?? undefined, etag: etag ?? undefined, modified: modified ?? undefined };
  return { address, form: form as DocumentForm, hash, said, ...kept };
}

const hashed = (page: store.SourcePageRow): StoredPage => ({
  ...page,
  address_hash: hashOf(new TextEncoder().encode(page.address)),
});

/** When a source is read next by itself; null where it is only read when somebody asks for it. */
function nextOf(every: KnowledgeSource['every'], from: Date, failed: boolean): Date | null {
  if (every === undefined) return null;
  return new Date(from.getTime() + (failed ? Math.min(AFTER_TROUBLE_MS, AGAIN_MS[every]) : AGAIN_MS[every]));
}

/** Why something could not be done, as far as it can be told to a designer. */
function reasonOf(error: unknown): string {
  if (error instanceof Refused && error.code === 'document-unreadable')
    return (error as Refused<'document-unreadable'>).facts.reason;
  if (error instanceof Refused && error.code === 'contents-full')
    return 'the documents of the bot would have more than is allowed together; take some out, or fetch fewer';
  return 'something went wrong here; try again, and look into the log';
}

interface Fetched {
  readonly pages: readonly CrawledPage[];
  readonly before: ReadonlyMap<string, store.SourcePageRow>;
  readonly gone: readonly store.SourcePageRow[];
}

/** The documents of a base with what was fetched: what a designer said of one (title, labels, in use or not) stays as it is. */
function merged(
  documents: Documents,
  name: string,
  source: KnowledgeSource,
  { pages, before, gone }: Fetched,
): { documents: Documents; changed: number; pages: StoredPage[] } {
  const now: Record<string, KnowledgeDocument> = { ...documents };
  let changed = 0;
  for (const { document } of gone) {
    if (document === null || now[document]?.source !== name) continue;
    delete now[document];
    changed++;
  }
  const byAddress = new Map(Object.entries(now).flatMap(([id, d]) => (d.source === name && d.address ? [[d.address, id]] : [])));
  const kept: StoredPage[] = [];
  for (const page of pages) {
    const known = byAddress.get(page.address);
    const id = known ?? freeId(now, idOf(page.title ?? lastOf(page.address)) || 'page');
    const document = documentOf(known === undefined ? undefined : now[known], page, name, source, before.get(page.address));
    if (known === undefined || !sameValue(document, now[known])) {
      now[id] = document;
      changed++;
    }
    const { address, form, said, title = null, etag = null, modified = null } = page;
    kept.push(hashed({ address, form, hash: document.content ?? '', said, title, etag, modified, document: id }));
  }
  return { documents: now, changed, pages: kept };
}

function documentOf(
  present: KnowledgeDocument | undefined,
  page: CrawledPage,
  name: string,
  { language, labels }: KnowledgeSource,
  before: store.SourcePageRow | undefined,
): KnowledgeDocument {
  // A title that was given here is kept; one that came with the page follows it.
  const own = present && present.title !== (before?.title ?? undefined) ? present.title : undefined;
  const title = own ?? page.title;
  const { title: _title, ...said } = present ?? { form: page.form };
  return {
    ...(title === undefined ? {} : { title }),
    ...(language === undefined ? {} : { language }),
    ...(labels === undefined ? {} : { labels }),
    ...said,
    form: page.form,
    content: page.hash ?? hashOf(page.bytes),
    address: page.address,
    source: name,
  };
}

/** The last part of an address, as a name. */
function lastOf(address: string): string {
  const { pathname, hostname } = new URL(address);
  const last = pathname.split('/').findLast((part) => part !== '');
  return (last ?? hostname).replace(/\.[a-z]+$/i, '');
}
