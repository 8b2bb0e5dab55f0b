import type { Db } from './database.js';
import { statement } from './hot.js';

export interface ChannelRow {
  readonly id: string;
  readonly bot_id: string;
  readonly kind: string;
  readonly address: string;
  readonly is_on: number;
  readonly release_id: string | null;
  /** As people call it; null for the name of its kind. */
  readonly name: string | null;
  /** What a kind needs to know, as JSON. */
  readonly settings: string | null;
}

/** A channel with the release it serves now: its own, or the bot's live one. */
export interface ServingChannel extends ChannelRow {
  readonly live_id: string | null;
  readonly live_number: number | null;
  readonly bound_number: number | null;
  readonly bot_deleted: Date | null;
}

function serving(db: Db) {
  return db('channels as c')
    .join('bots as b', 'b.id', 'c.bot_id')
    .leftJoin('releases as r', 'r.id', 'c.release_id')
    .leftJoin('releases as l', 'l.id', 'b.live_release_id')
    .select('c.*', 'b.deleted_at as bot_deleted', 'r.number as bound_number')
    .select(db.raw('COALESCE(r.id, l.id) as live_id'), db.raw('COALESCE(r.number, l.number) as live_number'));
}

export async function insertChannel(
  db: Db,
  row: Pick<ChannelRow, 'id' | 'bot_id' | 'kind' | 'address'> & Partial<Pick<ChannelRow, 'name' | 'settings'>>,
): Promise<void> {
  await db('channels').insert({ ...row, is_on: true, release_id: null });
}

export async function listChannels(db: Db, botId: string): Promise<(ServingChannel & { conversations: number })[]> {
  const count = db('conversations').whereRaw('conversations.channel_id = c.id').count('*');
  return serving(db).where('c.bot_id', botId).select(count.as('conversations')).orderBy('c.id');
}

export async function channelByAddress(db: Db, address: string, kind: ChannelRow['kind']): Promise<ServingChannel | undefined> {
  return (await serving(db).where('c.address', address).where('c.kind', kind).first()) as ServingChannel | undefined;
}

/** The channel at an address with the visitor who has a key there; the visitor is null where nobody has it. */
export async function visitAt(
  db: Db,
  { address, kind }: { readonly address: string; readonly kind: string },
  keyHash: string,
): Promise<(ServingChannel & { visitor_id: string | null; conversation_id: string | null }) | undefined> {
  const [row] = await statement(db, (hot) =>
    hot.read<ServingChannel & { visitor_id: string | null; conversation_id: string | null }>(
      `SELECT c.id, c.bot_id, c.kind, c.address, c.is_on, c.release_id, c.name, c.settings, b.deleted_at AS bot_deleted,
         r.number AS bound_number, COALESCE(r.id, l.id) AS live_id, COALESCE(r.number, l.number) AS live_number,
         v.id AS visitor_id, v.conversation_id
       FROM channels c JOIN bots b ON b.id = c.bot_id
       LEFT JOIN releases r ON r.id = c.release_id
       LEFT JOIN releases l ON l.id = b.live_release_id
       LEFT JOIN visitors v ON v.bot_id = c.bot_id AND v.kind = 'key' AND v.key_hash = ?
       WHERE c.address = ? AND c.kind = ?`,
      [keyHash, address, kind],
    ),
  );
  return row;
}

export async function channelById(db: Db, id: string): Promise<ServingChannel | undefined> {
  return (await serving(db).where('c.id', id).first()) as ServingChannel | undefined;
}

export async function updateChannel(
  db: Db,
  botId: string,
  id: string,
  change: { is_on?: boolean; release_id?: string | null; name?: string; settings?: string },
): Promise<void> {
  await db('channels').where({ bot_id: botId, id }).update(change);
}

/** Gives a channel another address; the one before leads nowhere from now on. */
export async function moveChannel(db: Db, botId: string, id: string, address: string): Promise<void> {
  await db('channels').where({ bot_id: botId, id }).update({ address });
}

/** Channels of a kind of all bots that are there, which are on. */
export async function channelsOfKind(db: Db, kind: string, limit: number): Promise<ServingChannel[]> {
  return serving(db).where('c.kind', kind).where('c.is_on', true).whereNull('b.deleted_at').orderBy('c.id').limit(limit);
}
