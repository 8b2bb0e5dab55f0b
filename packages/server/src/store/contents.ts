import type { Db } from './database.js';
import { retrying } from './hot.js';

/*
 * Contents of documents, stored once by their hash; what was read of them; and how that is indexed. Bots refer to contents: a bot has
 * only those that it was given.
 */

/** A piece of bytes as it is stored: far below what one packet of the database holds. */
const CHUNK_BYTES = 4_000_000;

/** Stores bytes under a name. What was stored under it before goes. */
export async function putBytes(db: Db, owner: string, bytes: Uint8Array): Promise<void> {
  const count = Math.max(1, Math.ceil(bytes.length / CHUNK_BYTES));
  for (let number = 0; number < count; number++) {
    const chunk = Buffer.from(bytes.subarray(number * CHUNK_BYTES, (number + 1) * CHUNK_BYTES));
    await db('stored_bytes').insert({ owner, number, bytes: chunk }).onConflict(['owner', 'number']).merge();
  }
  // Looked for first: deleting what is not there locks the gap where others insert.
  const longer: unknown = await db('stored_bytes').where({ owner }).where('number', '>=', count).first('number');
  if (longer !== undefined) await db('stored_bytes').where({ owner }).where('number', '>=', count).delete();
}

/** What is stored under a name, in memory of its own; undefined where nothing is. */
export async function getBytes(db: Db, owner: string): Promise<Uint8Array<ArrayBuffer> | undefined> {
  return (await getManyBytes(db, [owner])).get(owner);
}

/** The same of several names; those under which nothing is stored are left out. */
export async function getManyBytes(db: Db, owners: readonly string[]): Promise<ReadonlyMap<string, Uint8Array<ArrayBuffer>>> {
  const rows: { owner: string; bytes: Buffer }[] = await db('stored_bytes')
    .whereIn('owner', owners)
    .orderBy(['owner', 'number'])
    .select('owner', 'bytes');
  const parts = new Map<string, Buffer[]>();
  for (const { owner, bytes } of rows) parts.set(owner, [...(parts.get(owner) ?? []), bytes]);
  return new Map([...parts].map(([owner, chunks]) => [owner, joined(chunks)]));
}

function joined(chunks: readonly Buffer[]): Uint8Array<ArrayBuffer> {
  const all = new Uint8Array(chunks.reduce((sum, c) => sum + c.length, 0));
  let at = 0;
  for (const chunk of chunks) {
    all.set(chunk, at);
    at += chunk.length;
  }
  return all;
}

export async function dropBytes(db: Db, owner: string): Promise<void> {
  await db('stored_bytes').where({ owner }).delete();
}

/** A transaction that is tried again where two of them met. */
const inTransaction = (db: Db, work: (tx: Db) => Promise<void>): Promise<void> => retrying(() => db.transaction(work));

const contentOwner = (hash: string): string => `content ${hash}`;
const readingOwner = (id: string): string => `reading ${id}`;
const indexOwner = (id: string): string => `index ${id}`;

/** Those of some contents that are stored, whoever has them. */
async function storedContents(db: Db, hashes: readonly string[]): Promise<ReadonlySet<string>> {
  const found = new Set<string>();
  for (let i = 0; i < hashes.length; i += 1000) {
    const rows: { hash: string }[] = await db('contents')
      .whereIn('hash', hashes.slice(i, i + 1000))
      .select('hash');
    for (const { hash } of rows) found.add(hash);
  }
  return found;
}

/** Gives contents to a bot, by their hashes; what is stored already is not stored again. */
export async function giveContents(db: Db, botId: string, contents: ReadonlyMap<string, Uint8Array>, at: Date): Promise<void> {
  const hashes = [...contents.keys()];
  if (hashes.length === 0) return;
  const known = await storedContents(db, hashes);
  for (const [hash, bytes] of contents) {
    if (known.has(hash)) continue;
    await inTransaction(db, async (tx) => {
      // Whoever stores the same at the same time waits here, and finds it stored.
      await tx('contents').insert({ hash, size: bytes.length, at }).onConflict('hash').ignore();
      await tx('contents').where({ hash }).forUpdate().first('hash');
      const had: unknown = await tx('stored_bytes')
        .where({ owner: contentOwner(hash), number: 0 })
        .first('number');
      if (had === undefined) await putBytes(tx, contentOwner(hash), bytes);
    });
  }
  const rows = hashes.map((hash) => ({ bot_id: botId, hash, at }));
  for (let i = 0; i < rows.length; i += 1000)
    await db('bot_contents')
      .insert(rows.slice(i, i + 1000))
      .onConflict(['bot_id', 'hash'])
      .ignore();
}

/** Gives a bot those of some contents that another bot of the same person has, or that the person has brought. */
export async function shareOwnContents(db: Db, ownerId: string, to: string, hashes: readonly string[], at: Date): Promise<void> {
  for (let i = 0; i < hashes.length; i += 1000) {
    const rows: { hash: string }[] = await db('bot_contents')
      .leftJoin('bots', 'bots.id', 'bot_contents.bot_id')
      .whereIn('bot_contents.hash', hashes.slice(i, i + 1000))
      .where((q) => q.where('bots.owner_id', ownerId).orWhere('bot_contents.bot_id', ownerId))
      .distinct('bot_contents.hash as hash');
    if (rows.length > 0)
      await db('bot_contents')
        .insert(rows.map(({ hash }) => ({ bot_id: to, hash, at })))
        .onConflict(['bot_id', 'hash'])
        .ignore();
  }
}

/** What people have brought for a bot that they did not make after all. */
export async function dropBrought(db: Db, before: Date): Promise<number> {
  return db('bot_contents').whereIn('bot_id', db('people').select('id')).where('at', '<', before).limit(AT_ONCE).delete();
}

/** Those of some contents that a bot has, each with its size. */
export async function contentsOf(db: Db, botId: string, hashes: readonly string[]): Promise<ReadonlyMap<string, number>> {
  const found = new Map<string, number>();
  for (let i = 0; i < hashes.length; i += 1000) {
    const rows: { hash: string; size: number }[] = await db('bot_contents')
      .join('contents', 'contents.hash', 'bot_contents.hash')
      .where('bot_contents.bot_id', botId)
      .whereIn('bot_contents.hash', hashes.slice(i, i + 1000))
      .select('contents.hash as hash', 'contents.size as size');
    rows.forEach(({ hash, size }) => found.set(hash, size));
  }
  return found;
}

/** How many bytes the contents of a bot have together. */
export async function contentBytes(db: Db, botId: string): Promise<number> {
  const row: { size?: number | string | null } | undefined = await db('bot_contents')
    .join('contents', 'contents.hash', 'bot_contents.hash')
    .where('bot_contents.bot_id', botId)
    .sum('contents.size as size')
    .first();
  return Number(row?.size ?? 0);
}

export function content(db: Db, hash: string): Promise<Uint8Array<ArrayBuffer> | undefined> {
  return getBytes(db, contentOwner(hash));
}

export type ReadingState = 'waiting' | 'reading' | 'ready' | 'failed';

export interface ReadingRow {
  readonly id: string;
  readonly hash: string;
  readonly form: string;
  readonly state: ReadingState;
  readonly problem: string | null;
  readonly note: string | null;
  readonly attempts: number;
  readonly pages: number | null;
  readonly characters: number;
  /** Whose profile reads it where its pages are pictures; null where nobody does. */
  readonly bot_id: string | null;
  readonly profile: string | null;
}

export async function findReadings(db: Db, ids: readonly string[]): Promise<ReadonlyMap<string, ReadingRow>> {
  const found = new Map<string, ReadingRow>();
  for (let i = 0; i < ids.length; i += 1000) {
    const rows = await db<ReadingRow>('readings').whereIn('id', ids.slice(i, i + 1000));
    rows.forEach((row) => found.set(row.id, row));
  }
  return found;
}

/** Says that contents are to be read in a form; what is known of them already stays. */
export async function wantReading(
  db: Db,
  { id, hash, form, sees }: { id: string; hash: string; form: string; sees?: { botId: string; profile: string } | undefined },
  at: Date,
): Promise<void> {
  const row = {
    id,
    hash,
    form,
    bot_id: sees?.botId ?? null,
    profile: sees?.profile ?? null,
    state: 'waiting',
    attempts: 0,
    characters: 0,
    at,
  };
  await db('readings').insert(row).onConflict('id').ignore();
}

/** Readings that wait, or whose reader has died. */
export async function dueReadings(db: Db, now: Date, most: number): Promise<string[]> {
  const rows: { id: string }[] = await db('readings')
    .where('state', 'waiting')
    .orWhere((q) => q.where('state', 'reading').where('lease_until', '<', now))
    .orderBy('at')
    .limit(most)
    .select('id');
  return rows.map((r) => r.id);
}

/** Takes a reading for somebody who reads it now; undefined where another one has it. */
export async function takeReading(db: Db, id: string, now: Date, until: Date): Promise<ReadingRow | undefined> {
  const taken = await db('readings')
    .where({ id })
    .where((q) => q.where('state', 'waiting').orWhere((o) => o.where('state', 'reading').where('lease_until', '<', now)))
    .update({ state: 'reading', lease_until: until, attempts: db.raw('attempts + 1') });
  return taken === 1 ? db<ReadingRow>('readings').where({ id }).first() : undefined;
}

/** Keeps a reading for whoever is at it. */
export async function extendReading(db: Db, id: string, until: Date): Promise<void> {
  await db('readings').where({ id, state: 'reading' }).update({ lease_until: until });
}

export interface ReadingDone {
  readonly bytes: Uint8Array;
  readonly note: string | null;
  readonly pages: number | null;
  readonly characters: number;
}

/** Stores what was read. */
export async function finishReading(db: Db, id: string, { bytes, note, pages, characters }: ReadingDone): Promise<void> {
  await inTransaction(db, async (tx) => {
    await putBytes(tx, readingOwner(id), bytes);
    await tx('readings').where({ id }).update({ state: 'ready', problem: null, lease_until: null, note, pages, characters });
  });
}

export async function failReading(db: Db, id: string, problem: string): Promise<void> {
  await db('readings')
    .where({ id })
    .update({ state: 'failed', problem: problem.slice(0, 500), lease_until: null });
}

/** Leaves a reading to whoever looks next: it was not the document's fault that it was not read. */
export async function leaveReading(db: Db, id: string): Promise<void> {
  await db('readings').where({ id }).update({ state: 'waiting', lease_until: null });
}

/** Lets what failed be read once more. */
export async function readAgain(db: Db, ids: readonly string[]): Promise<void> {
  await db('readings').whereIn('id', ids).where('state', 'failed').update({ state: 'waiting', attempts: 0, problem: null });
}

export function readingBytes(db: Db, id: string): Promise<Uint8Array<ArrayBuffer> | undefined> {
  return getBytes(db, readingOwner(id));
}

/** Which of some documents are indexed, each with how many passages it has. */
export async function findIndexed(db: Db, ids: readonly string[]): Promise<ReadonlyMap<string, number>> {
  const found = new Map<string, number>();
  for (let i = 0; i < ids.length; i += 1000) {
    const rows: { id: string; passages: number }[] = await db('indexed')
      .whereIn('id', ids.slice(i, i + 1000))
      .select('id', 'passages');
    rows.forEach(({ id, passages }) => found.set(id, passages));
  }
  return found;
}

export async function saveIndexed(
  db: Db,
  {
    id,
    readingId,
    passages,
    language,
    bytes,
  }: { id: string; readingId: string; passages: number; language: string; bytes: Uint8Array },
  at: Date,
): Promise<void> {
  await inTransaction(db, async (tx) => {
    await putBytes(tx, indexOwner(id), bytes);
    await tx('indexed')
      .insert({ id, reading_id: readingId, passages, language, size: bytes.length, used_at: at })
      .onConflict('id')
      .merge();
  });
}

/** How many bytes some indexed documents have, by id. */
export async function indexedSizes(db: Db, ids: readonly string[]): Promise<ReadonlyMap<string, number>> {
  const found = new Map<string, number>();
  for (let i = 0; i < ids.length; i += 1000) {
    const rows: { id: string; size: number }[] = await db('indexed')
      .whereIn('id', ids.slice(i, i + 1000))
      .select('id', 'size');
    rows.forEach(({ id, size }) => found.set(id, size));
  }
  return found;
}

export async function indexedBytes(db: Db, ids: readonly string[]): Promise<ReadonlyMap<string, Uint8Array<ArrayBuffer>>> {
  const found = await getManyBytes(db, ids.map(indexOwner));
  return new Map([...found].map(([owner, bytes]) => [owner.slice('index '.length), bytes]));
}

export async function usedIndexed(db: Db, ids: readonly string[], at: Date): Promise<void> {
  for (let i = 0; i < ids.length; i += 1000)
    await db('indexed')
      .whereIn('id', ids.slice(i, i + 1000))
      .update({ used_at: at });
}

const AT_ONCE = 50;

/** Indexes that nobody has used since a moment; they are made anew when somebody does. */
export async function dropOldIndexed(db: Db, before: Date): Promise<number> {
  const rows: { id: string }[] = await db('indexed').where('used_at', '<', before).limit(AT_ONCE).select('id');
  for (const { id } of rows) {
    await dropBytes(db, indexOwner(id));
    await db('passage_vectors').where({ index_id: id }).delete();
    await db('indexed').where({ id }).delete();
  }
  return rows.length;
}

/** Contents that no bot has any more, with what was read of them. */
export async function dropOrphans(db: Db, before: Date): Promise<number> {
  const rows: { hash: string }[] = await db('contents')
    .leftJoin('bot_contents', 'bot_contents.hash', 'contents.hash')
    .whereNull('bot_contents.hash')
    .where('contents.at', '<', before)
    .limit(AT_ONCE)
    .select('contents.hash as hash');
  for (const { hash } of rows) {
    const readings: { id: string }[] = await db('readings').where({ hash }).select('id');
    for (const { id } of readings) await dropBytes(db, readingOwner(id));
    await db('readings').where({ hash }).delete();
    await dropBytes(db, contentOwner(hash));
    await db('contents').where({ hash }).delete();
  }
  return rows.length;
}
