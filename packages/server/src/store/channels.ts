import type { Db } from './database.js';
import { statement, transaction, type Hot } from './hot.js';

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
  readonly bot_name: string;
}

function serving(db: Db) {
  return db('channels as c')
    .join('bots as b', 'b.id', 'c.bot_id')
    .leftJoin('releases as r', 'r.id', 'c.release_id')
    .leftJoin('releases as l', 'l.id', 'b.live_release_id')
    .select('c.*', 'b.deleted_at as bot_deleted', 'b.name as bot_name', 'r.number as bound_number')
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
  return serving(db).where('c.bot_id', botId).whereNull('c.deleted_at').select(count.as('conversations')).orderBy('c.id');
}

export async function channelByAddress(db: Db, address: string, kind: ChannelRow['kind']): Promise<ServingChannel | undefined> {
  return (await serving(db).where('c.address', address).where('c.kind', kind).whereNull('c.deleted_at').first()) as
    ServingChannel | undefined;
}

/** A channel with the visitor who has a key there: whoever has signed in with it, else whoever was given it; null where nobody has it. */
export interface VisitedChannel extends ServingChannel {
  readonly visitor_id: string | null;
  readonly conversation_id: string | null;
  /** Until when the key speaks for whoever has signed in with it; null where nobody has. */
  readonly signed_until: Date | null;
  readonly who: string | null;
}

/** The channel at an address with the visitor who has a key there. */
export async function visitAt(
  db: Db,
  { address, kind }: { readonly address: string; readonly kind: string },
  keyHash: string,
): Promise<VisitedChannel | undefined> {
  const [row] = await statement(db, (hot) =>
    hot.read<VisitedChannel>(
      `SELECT c.id, c.bot_id, c.kind, c.address, c.is_on, c.release_id, c.name, c.settings, b.deleted_at AS bot_deleted, b.name AS bot_name,
         r.number AS bound_number, COALESCE(r.id, l.id) AS live_id, COALESCE(r.number, l.number) AS live_number,
         COALESCE(i.id, v.id) AS visitor_id, IF(i.id IS NULL, v.conversation_id, i.conversation_id) AS conversation_id,
         s.expires_at AS signed_until, p.who
       FROM channels c JOIN bots b ON b.id = c.bot_id
       LEFT JOIN releases r ON r.id = c.release_id
       LEFT JOIN releases l ON l.id = b.live_release_id
       LEFT JOIN visitors v ON v.bot_id = c.bot_id AND v.kind = 'key' AND v.key_hash = ?
       LEFT JOIN sign_ins s ON s.channel_id = c.id AND s.key_hash = ?
       LEFT JOIN visitors i ON i.id = s.visitor_id
       LEFT JOIN visitors p ON p.id = i.person_id
       WHERE c.address = ? AND c.kind = ? AND c.deleted_at IS NULL`,
      [keyHash, keyHash, address, kind],
    ),
  );
  return row;
}

export async function channelById(db: Db, id: string): Promise<ServingChannel | undefined> {
  return (await serving(db).where('c.id', id).whereNull('c.deleted_at').first()) as ServingChannel | undefined;
}

/** Channels of some kinds, of all bots that are there, which are on. */
export async function linedChannels(db: Db, kinds: readonly string[], limit: number): Promise<ServingChannel[]> {
  return serving(db)
    .whereIn('c.kind', [...kinds])
    .where('c.is_on', true)
    .whereNull('c.deleted_at')
    .whereNull('b.deleted_at')
    .orderBy('c.id')
    .limit(limit);
}

/** Takes a channel away; its conversations stay, and go with their time. */
export async function deleteChannel(db: Db, botId: string, id: string, at: Date): Promise<void> {
  await db('channels').where({ bot_id: botId, id }).update({ deleted_at: at, is_on: false });
  for (const table of ['channel_events', 'channel_testers', 'sent_messages', 'channel_lines', 'openings'] as const)
    await db(table).where({ channel_id: id }).delete();
  await db('deliveries').where({ channel_id: id }).delete();
  await db('notices').where({ channel_id: id, state: 'waits' }).update({ state: 'failed', reason: 'the channel was deleted' });
  await db('secrets')
    .where({ owner: `channel ${id}` })
    .delete();
}

export async function updateChannel(
  db: Db,
  botId: string,
  id: string,
  change: { is_on?: boolean; release_id?: string | null; name?: string; settings?: string },
): Promise<void> {
  await db('channels').where({ bot_id: botId, id }).update(change);
}

/**
 * Changes the settings of a channel from what they are now, so that of two who change them at once neither undoes the other; what `change`
 * throws leaves them. False where there is no such channel.
 */
export async function changeSettings(
  db: Db,
  botId: string,
  id: string,
  change: (settings: string | null) => string,
): Promise<boolean> {
  return transaction(db, async (hot) => {
    const [row] = await hot.read<{ settings: string | null }>(
      'SELECT settings FROM channels WHERE bot_id = ? AND id = ? FOR UPDATE',
      [botId, id],
    );
    if (!row) return false;
    await hot.write('UPDATE channels SET settings = ? WHERE bot_id = ? AND id = ?', [change(row.settings), botId, id]);
    return true;
  });
}

/** The settings of a channel as they stay until the transaction is over. */
export async function settingsNow(hot: Hot, id: string): Promise<string | null> {
  const [row] = await hot.read<{ settings: string | null }>('SELECT settings FROM channels WHERE id = ? LOCK IN SHARE MODE', [
    id,
  ]);
  return row?.settings ?? null;
}

/** Gives a channel another address; the one before leads nowhere from now on. */
export async function moveChannel(db: Db, botId: string, id: string, address: string): Promise<void> {
  await db('channels').where({ bot_id: botId, id }).update({ address });
}

/** Channels of a kind of all bots that are there, which are on. */
export async function channelsOfKind(db: Db, kind: string, limit: number): Promise<ServingChannel[]> {
  return serving(db)
    .where('c.kind', kind)
    .where('c.is_on', true)
    .whereNull('c.deleted_at')
    .whereNull('b.deleted_at')
    .orderBy('c.id')
    .limit(limit);
}
