import type { Db } from './database.js';

export interface ChannelRow {
  readonly id: string;
  readonly bot_id: string;
  readonly kind: 'web-chat' | 'simulator';
  readonly address: string;
  readonly is_on: number;
  readonly release_id: string | null;
}

/** A channel with the release it serves now: its own, or the bot's newest. */
export interface ServingChannel extends ChannelRow {
  readonly live_id: string | null;
  readonly live_number: number | null;
  readonly bound_number: number | null;
  readonly bot_deleted: Date | null;
}

function serving(db: Db) {
  const newest = (column: string) =>
    db('releases').whereRaw('releases.bot_id = c.bot_id').orderBy('number', 'desc').limit(1).select(column);
  return db('channels as c')
    .join('bots as b', 'b.id', 'c.bot_id')
    .leftJoin('releases as r', 'r.id', 'c.release_id')
    .select('c.*', 'b.deleted_at as bot_deleted', 'r.number as bound_number')
    .select(
      db.raw('COALESCE(r.id, ?) as live_id', [newest('id')]),
      db.raw('COALESCE(r.number, ?) as live_number', [newest('number')]),
    );
}

export async function insertChannel(db: Db, row: Omit<ChannelRow, 'is_on' | 'release_id'>): Promise<void> {
  await db('channels').insert({ ...row, is_on: true, release_id: null });
}

export async function listChannels(db: Db, botId: string): Promise<(ServingChannel & { conversations: number })[]> {
  const count = db('conversations').whereRaw('conversations.channel_id = c.id').count('*');
  return serving(db).where('c.bot_id', botId).whereNot('c.kind', 'simulator').select(count.as('conversations')).orderBy('c.id');
}

export async function channelByAddress(db: Db, address: string): Promise<ServingChannel | undefined> {
  return (await serving(db).where('c.address', address).whereNot('c.kind', 'simulator').first()) as ServingChannel | undefined;
}

export async function channelById(db: Db, id: string): Promise<ServingChannel | undefined> {
  return (await serving(db).where('c.id', id).first()) as ServingChannel | undefined;
}

export async function simulatorChannel(db: Db, botId: string): Promise<ChannelRow | undefined> {
  return db<ChannelRow>('channels').where({ bot_id: botId, kind: 'simulator' }).first();
}

export async function updateChannel(
  db: Db,
  botId: string,
  id: string,
  change: { is_on?: boolean; release_id?: string | null },
): Promise<void> {
  await db('channels').where({ bot_id: botId, id }).update(change);
}
