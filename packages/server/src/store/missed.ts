import type { MissedMessage, MissedText } from '@primrose/core';
import type { Db } from './database.js';
import type { Statement } from './hot.js';

/** Of one bot so many sayings are looked at, the newest; older ones wait until these are settled or go by themselves. */
const MOST_OPEN = 2000;

/** Notes that the answer to something was of no help, with what the visitor thought of it. What was settled is open again. */
export async function noteThought(db: Db, missed: NewMissed, thought: string): Promise<void> {
  const { sql, values } = insertMissed(missed);
  await db.raw(sql, values as never);
  await db('missed').where({ id: missed.id }).update({ thought, settled: null, settled_at: null });
}

/** What was of no help is of help after all. */
export async function settleThought(db: Db, id: string, at: Date): Promise<void> {
  await db('missed').where({ id }).whereNotNull('thought').update({ thought: null, settled: 'left', settled_at: at });
}

/** What became of something that was missed. */
export const SETTLED = ['taught', 'outside', 'left'] as const;
export type Settled = (typeof SETTLED)[number];

export interface NewMissed extends MissedMessage {
  /** The event or turn of it: what is noted again is the same. */
  readonly id: string;
  readonly botId: string;
  /** Null for what was said in a simulation. */
  readonly conversationId: string | null;
  readonly language: string;
  readonly at: Date;
}

/** Notes something that was missed. */
export function insertMissed({ id, botId, conversationId, text, language, intent, score, base, at }: NewMissed): Statement {
  return {
    sql: `INSERT IGNORE INTO missed (id, bot_id, conversation_id, text, language, intent, score, base, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    values: [id, botId, conversationId, text, language, intent, score, base ?? null, at],
  };
}

export interface MissedRow extends MissedText {
  readonly conversation: string | null;
  /** What the visitor thought of the answer, where it was of no help. */
  readonly thought: string | null;
}

interface StoredMissed {
  readonly id: string;
  readonly bot_id: string;
  readonly conversation_id: string | null;
  readonly text: string;
  readonly language: string;
  readonly intent: string | null;
  readonly score: number;
  readonly base: string | null;
  readonly at: Date;
  readonly settled: Settled | null;
  readonly thought: string | null;
}

/** What was missed of a bot and is not settled yet, the newest first. */
export async function openMissed(db: Db, botId: string): Promise<MissedRow[]> {
  const rows = await db<StoredMissed>('missed')
    .where({ bot_id: botId, settled: null })
    .orderBy('id', 'desc')
    .limit(MOST_OPEN)
    .select('id', 'conversation_id', 'text', 'language', 'intent', 'score', 'base', 'at', 'thought');
  return rows.map(({ id, conversation_id: conversation, text, language, intent, score, base, at, thought }) => ({
    id,
    conversation,
    text,
    language,
    intent,
    score: Math.round(score * 1000) / 1000,
    base,
    thought,
    at: at.toISOString(),
  }));
}

/** Settles some of what was missed; how many of them were open. */
export async function settleMissed(db: Db, botId: string, ids: readonly string[], settled: Settled, at: Date): Promise<number> {
  return db('missed').where({ bot_id: botId, settled: null }).whereIn('id', ids).update({ settled, settled_at: at });
}

/** What was missed before a moment goes, settled or not. */
export async function dropOldMissed(db: Db, botId: string, before: Date): Promise<number> {
  return db('missed').where({ bot_id: botId }).where('at', '<', before).limit(500).delete();
}
