import type { Logger } from 'pino';
import type { BotDocument } from '@primrose/core';
import type { Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import * as store from '../store/contents.js';
import type { Db } from '../store/database.js';
import { Keeper } from '../turns/keeper.js';
import { identitiesOf, type Identity } from './identity.js';
import type { Indexer } from './indexer.js';
import type { SeePages } from './seeing.js';

/** How far a document is. */
export type DocumentState = 'waiting' | 'reading' | 'indexing' | 'ready' | 'failed';

export interface DocumentAt {
  readonly state: DocumentState;
  readonly problem: string | null;
  readonly note: string | null;
  readonly pages: number | null;
  readonly characters: number;
  /** How many passages it has, where it is ready. */
  readonly passages: number | null;
}

export interface IndexingParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly indexer: Indexer;
  readonly see: SeePages;
  /** Who works on something holds it for so long, ever again. */
  readonly leaseMs: number;
}

const STOP_MS = 2000;
const MOST_DUE = 50;
/** A document that takes its reader down so often is put aside. */
const MOST_ATTEMPTS = 3;

/**
 * Reads documents and indexes what was read, in the background. How far each is stands in the database: who dies while reading
 * leaves it to whoever looks next.
 */
export class Indexing {
  readonly #parts: IndexingParts;
  readonly #keeper: Keeper;
  /** What is to be indexed once it is read, by reading. */
  readonly #wanted = new Map<string, Map<string, Identity>>();
  readonly #indexing = new Map<string, Promise<void>>();
  readonly #stop = new AbortController();
  readonly #listeners = new Set<() => void>();

  constructor(parts: IndexingParts) {
    const { db, clock, log } = parts;
    this.#parts = parts;
    this.#keeper = new Keeper({
      clock,
      log,
      name: 'documents',
      waiting: async () => (await store.dueReadings(db, clock.now(), MOST_DUE)).map((id) => ({ id, owner: '' })),
      work: (id) => this.#read(id),
      most: 2,
    });
  }

  start(): void {
    this.#keeper.start();
  }

  async stop(): Promise<void> {
    this.#stop.abort();
    await this.#keeper.stop(STOP_MS);
  }

  /** Sees to it that documents are read and indexed; how many of them are under way. */
  async want(documents: readonly Identity[]): Promise<number> {
    const { db, clock } = this.#parts;
    const states = await this.states(documents);
    let open = 0;
    const seen = new Set<string>();
    for (const [i, document] of documents.entries()) {
      const state = states[i]?.state ?? 'waiting';
      if (state === 'ready' || state === 'failed') continue;
      open++;
      if (seen.has(document.index)) continue;
      seen.add(document.index);
      if (state === 'indexing') {
        void this.#index(document);
        continue;
      }
      const wanted = this.#wanted.get(document.reading) ?? new Map<string, Identity>();
      this.#wanted.set(document.reading, wanted.set(document.index, document));
      await store.wantReading(
        db,
        { id: document.reading, hash: document.hash, form: document.form, sees: document.sees },
        clock.now(),
      );
      this.#keeper.kick(document.reading, '');
    }
    return open;
  }

  /** How far each of some documents is. */
  async states(documents: readonly Identity[]): Promise<DocumentAt[]> {
    const { db } = this.#parts;
    const [readings, indexed] = await Promise.all([
      store.findReadings(db, [...new Set(documents.map((d) => d.reading))]),
      store.findIndexed(db, [...new Set(documents.map((d) => d.index))]),
    ]);
    return documents.map((d): DocumentAt => {
      const reading = readings.get(d.reading);
      const passages = indexed.get(d.index) ?? null;
      const { problem = null, note = null, pages = null, characters = 0 } = reading ?? {};
      const read = reading?.state ?? 'waiting';
      const state = read === 'ready' ? (passages === null ? 'indexing' : 'ready') : read;
      return { state, problem, note, pages, characters, passages };
    });
  }

  /** Waits until no document is under way any more, for a time at most. */
  async settled(documents: readonly Identity[], ms: number): Promise<void> {
    const until = this.#parts.clock.tick() + ms;
    while ((await this.want(documents)) > 0) {
      const left = until - this.#parts.clock.tick();
      if (left <= 0) return;
      await this.#change(Math.min(left, 500));
    }
  }

  /** Has documents that could not be read tried once more. */
  async again(documents: readonly Identity[]): Promise<void> {
    await store.readAgain(
      this.#parts.db,
      documents.map((d) => d.reading),
    );
    await this.want(documents);
  }

  /** Sees to every document of a bot. */
  async prepare(botId: string, bot: BotDocument): Promise<void> {
    for (const base of Object.keys(bot.knowledge ?? {})) await this.want(identitiesOf(botId, bot, base));
  }

  /** Until something has come of a document, or some time has passed. */
  #change(ms: number): Promise<void> {
    return new Promise((resolve) => {
      const done = () => {
        this.#listeners.delete(done);
        end();
        resolve();
      };
      const end = this.#parts.clock.after(ms, done);
      this.#listeners.add(done);
    });
  }

  #tell(): void {
    [...this.#listeners].forEach((done) => done());
  }

  async #readOnce(row: store.ReadingRow): Promise<void> {
    const { db, log } = this.#parts;
    const { id } = row;
    const bytes = await store.content(db, row.hash);
    try {
      if (!bytes) throw new Refused('document-unreadable', { reason: 'its contents are gone; bring it again' });
      if (row.attempts > MOST_ATTEMPTS)
        throw new Refused('document-unreadable', {
          reason: `it ended its reader ${MOST_ATTEMPTS} times; save it anew, or split it up`,
        });
      await store.finishReading(db, id, await this.#reading(row, bytes));
    } catch (error) {
      if (this.#keeper.stopped) return;
      const refused = error instanceof Refused && error.code === 'document-unreadable';
      if (!refused) log.warn({ err: error, reading: id }, 'a document was not read');
      // What was not the document's own fault is tried again, a few times.
      if (!refused && row.attempts < MOST_ATTEMPTS) return store.leaveReading(db, id);
      const why = refused ? (error as Refused<'document-unreadable'>).facts.reason : 'reading it failed; try again';
      await store.failReading(db, id, why);
    }
  }

  #leaseEnd(): Date {
    return new Date(this.#parts.clock.now().getTime() + this.#parts.leaseMs);
  }

  /** Reads a document, and keeps others from it meanwhile. */
  async #read(id: string): Promise<void> {
    const { db, clock, leaseMs } = this.#parts;
    const row = await store.takeReading(db, id, clock.now(), this.#leaseEnd());
    if (!row) return;
    // Kept for a short time only and ever again: where this process dies, another one goes on soon.
    const keep = () => void store.extendReading(db, id, this.#leaseEnd()).catch(() => undefined);
    const endKeeping = clock.every(leaseMs / 3, keep);
    try {
      await this.#readOnce(row);
    } finally {
      endKeeping();
    }
    await Promise.all([...(this.#wanted.get(id)?.values() ?? [])].map((d) => this.#index(d)));
    this.#wanted.delete(id);
    this.#tell();
  }

  /** What a document says. Where its pages are pictures, whoever sees for its base reads them. */
  async #reading(row: store.ReadingRow, bytes: Uint8Array): Promise<store.ReadingDone> {
    const { indexer, see } = this.#parts;
    const { form, bot_id: botId, profile } = row;
    try {
      return await indexer.do('read', { bytes, form: form as Identity['form'] });
    } catch (error) {
      const pictured = error instanceof Refused && error.code === 'document-unreadable' && 'pictured' in error.facts;
      if (!pictured || botId === null || profile === null) throw error;
      return see(bytes, { botId, profile }, this.#stop.signal);
    }
  }

  /** Indexes what was read of a document, once at a time. */
  #index(document: Identity): Promise<void> {
    const known = this.#indexing.get(document.index);
    if (known) return known;
    const work = this.#indexOnce(document)
      .catch(async (error: unknown) => {
        if (this.#keeper.stopped) return;
        this.#parts.log.warn({ err: error, document: document.document }, 'a document was not indexed');
        // What takes too long or too much once does so again: it is told, and not tried with every look.
        if (error instanceof Refused && error.code === 'document-unreadable')
          await store.failReading(this.#parts.db, document.reading, (error as Refused<'document-unreadable'>).facts.reason);
      })
      .finally(() => {
        this.#indexing.delete(document.index);
        this.#tell();
      });
    this.#indexing.set(document.index, work);
    return work;
  }

  async #indexOnce({ index, reading, document: name, title, language, usual, split }: Identity): Promise<void> {
    const { db, clock, indexer } = this.#parts;
    const bytes = await store.readingBytes(db, reading);
    if (!bytes) return;
    const came = await indexer.do('index', { reading: bytes, name, title, language, usual, split });
    await store.saveIndexed(db, { id: index, readingId: reading, ...came }, clock.now());
  }
}
