import type { PastChat } from '@primrose/contract';
import { plainText } from '@primrose/core';
import { Refused } from '../../base/refused.js';
import { messageColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import type { Db } from '../../store/database.js';
import { statement } from '../../store/hot.js';
import type { LineRow } from '../../store/lines.js';
import { membersOf } from '../../store/persons.js';
import type { Visit } from './visits.js';

const MOST = 50;

/**
 * Whose conversations somebody may look back at: their own, and once they have signed in those of the whole person. Whom staff alone take for
 * one person have not shown that they are.
 */
async function ownersOf(db: Db, { channel, visitorId, who }: Visit): Promise<string[]> {
  if (who === null) return [visitorId];
  return (await statement(db, (hot) => membersOf(hot, channel.bot_id, visitorId))).map((m) => m.id);
}

/** The conversations of a visitor before this one in which they have said something, the newest first. */
export async function pastChats(db: Db, visit: Visit): Promise<PastChat[]> {
  const owners = await ownersOf(db, visit);
  const rows = await store.spokenConversations(db, visit.channel.bot_id, owners, { but: visit.conversationId, limit: MOST });
  return rows.map((r) => ({
    id: r.id,
    at: r.opened_at.toISOString(),
    said: plainText(messageColumn.read(r.said).blocks).slice(0, 120),
    lines: Number(r.lines),
  }));
}

/** What was said in one of them, or the end of the request where it is none of theirs. */
export async function pastChat(db: Db, visit: Visit, id: string): Promise<LineRow[]> {
  const conversation = await store.conversationOfBot(db, visit.channel.bot_id, id);
  const owners = await ownersOf(db, visit);
  if (!conversation || conversation.visitor_id === null || !owners.includes(conversation.visitor_id))
    throw new Refused('no-past-chat', {});
  return store.linesAfter(db, id, 0);
}
