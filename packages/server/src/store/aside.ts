import type { Db } from './database.js';

export interface AsideRow {
  readonly event_id: string;
  readonly conversation_id: string;
  readonly tries: number;
  readonly reason: string;
  readonly at: Date;
  readonly again_at: Date | null;
  /** The event as it was stored; null where it is not kept any more. */
  readonly event: string | null;
  readonly source: string | null;
  readonly channel_kind: string | null;
}

function aside(db: Db, botId: string) {
  return db('events_aside as a')
    .leftJoin('events as e', 'e.id', 'a.event_id')
    .join('conversations as c', 'c.id', 'a.conversation_id')
    .leftJoin('channels as ch', 'ch.id', 'c.channel_id')
    .where('a.bot_id', botId)
    .select('a.event_id', 'a.conversation_id', 'a.tries', 'a.reason', 'a.at', 'a.again_at')
    .select('e.event', 'e.source', 'ch.kind as channel_kind');
}

/** Events of a bot that were put aside, the newest first, behind the one whose id is `after`. */
export async function listAside(db: Db, botId: string, limit: number, after: string | undefined): Promise<AsideRow[]> {
  const rows = aside(db, botId).orderBy('a.event_id', 'desc').limit(limit);
  return after === undefined ? rows : rows.where('a.event_id', '<', after);
}

export async function asideOfConversation(db: Db, botId: string, conversationId: string): Promise<AsideRow[]> {
  return aside(db, botId).where('a.conversation_id', conversationId).orderBy('a.event_id').limit(100);
}

export async function findAside(db: Db, botId: string, eventId: string): Promise<AsideRow | undefined> {
  return (await aside(db, botId).where('a.event_id', eventId).first()) as AsideRow | undefined;
}

/** Notes that an event is tried again; false when somebody has done so meanwhile. */
export async function markAgain(db: Db, eventId: string, at: Date): Promise<boolean> {
  return (await db('events_aside').where({ event_id: eventId, again_at: null }).update({ again_at: at })) === 1;
}
