import type { Db } from './database.js';
import { retrying } from './hot.js';

export type SourceState = 'waiting' | 'fetching' | 'fetched' | 'failed';

export interface SourceRow {
  readonly id: string;
  readonly bot_id: string;
  readonly base: string;
  readonly source: string;
  readonly state: SourceState;
  readonly problem: string | null;
  readonly attempts: number;
  readonly lease_until: Date | null;
  readonly next_at: Date | null;
  readonly fetched_at: Date | null;
  readonly pages: number;
  readonly changed: number;
  readonly skipped: string | null;
}

export interface SourcePageRow {
  readonly address: string;
  readonly form: string;
  readonly hash: string;
  readonly said: string;
  readonly title: string | null;
  readonly etag: string | null;
  readonly modified: string | null;
  readonly document: string | null;
}

export async function sourcesOf(db: Db, botId: string, base?: string): Promise<SourceRow[]> {
  return db<SourceRow>('sources').where({ bot_id: botId, ...(base === undefined ? {} : { base }) });
}

/** Has a source fetched at a time; the id of its row, which is made where it has none. One that is being fetched goes on with that. */
export async function wantSource(
  db: Db,
  row: { readonly id: string; readonly botId: string; readonly base: string; readonly source: string },
  at: Date,
): Promise<string> {
  const { id, botId, base, source } = row;
  await db('sources')
    .insert({ id, bot_id: botId, base, source, state: 'waiting', attempts: 0, pages: 0, changed: 0, next_at: at })
    .onConflict(['bot_id', 'base', 'source'])
    .ignore();
  await db('sources')
    .where({ bot_id: botId, base, source })
    .whereNot('state', 'fetching')
    .update({ state: 'waiting', next_at: at, attempts: 0 });
  const kept: { id: string } | undefined = await db('sources').where({ bot_id: botId, base, source }).first('id');
  return kept?.id ?? id;
}

/** Moves the next time of a source, or takes it away; what is being fetched or waits is left alone. */
export async function timeSource(db: Db, id: string, next: Date | null): Promise<void> {
  await db('sources').where({ id }).whereIn('state', ['fetched', 'failed']).update({ next_at: next });
}

/** Sources whose time has come, or whose process died while fetching. */
export async function dueSources(db: Db, now: Date, most: number): Promise<{ id: string; owner: string }[]> {
  return db('sources')
    .where('next_at', '<=', now)
    .where((q) => q.whereNot('state', 'fetching').orWhere('lease_until', '<', now))
    .orderBy('next_at')
    .limit(most)
    .select('id', 'bot_id as owner');
}

/** Takes a source for somebody who fetches it now; undefined where another one has it, or it is not due. */
export async function takeSource(db: Db, id: string, now: Date, until: Date): Promise<SourceRow | undefined> {
  const taken = await db('sources')
    .where({ id })
    .where('next_at', '<=', now)
    .where((q) => q.whereNot('state', 'fetching').orWhere('lease_until', '<', now))
    .update({ state: 'fetching', lease_until: until, attempts: db.raw('attempts + 1') });
  return taken === 1 ? db<SourceRow>('sources').where({ id }).first() : undefined;
}

/** Keeps a source for whoever fetches it. */
export async function keepSource(db: Db, id: string, until: Date): Promise<void> {
  await db('sources').where({ id, state: 'fetching' }).update({ lease_until: until });
}

export async function sourcePages(db: Db, id: string): Promise<SourcePageRow[]> {
  return db<SourcePageRow & { source_id: string }>('source_pages').where({ source_id: id });
}

export interface SourceDone {
  readonly state: 'fetched' | 'failed';
  readonly problem: string | null;
  readonly at: Date;
  readonly next: Date | null;
  readonly pages?: number;
  readonly changed?: number;
  readonly skipped?: string;
}

/** Stores what came of fetching; the pages as they stand there now, where it could be fetched. */
export async function finishSource(
  db: Db,
  id: string,
  done: SourceDone,
  pages?: readonly (SourcePageRow & { readonly address_hash: string })[],
): Promise<void> {
  const { state, problem, at, next, ...figures } = done;
  await retrying(() =>
    db.transaction(async (tx) => {
      await tx('sources')
        .where({ id })
        .update({ state, problem, fetched_at: at, next_at: next, lease_until: null, attempts: 0, ...figures });
      if (!pages) return;
      await tx('source_pages').where({ source_id: id }).delete();
      for (let i = 0; i < pages.length; i += 100)
        await tx('source_pages').insert(pages.slice(i, i + 100).map((p) => ({ ...p, source_id: id })));
    }),
  );
}

/** Leaves a source to whoever looks next. */
export async function leaveSource(db: Db, id: string): Promise<void> {
  await db('sources').where({ id }).update({ state: 'waiting', lease_until: null });
}

export async function dropSource(db: Db, id: string): Promise<void> {
  await db('source_pages').where({ source_id: id }).delete();
  await db('sources').where({ id }).delete();
}
