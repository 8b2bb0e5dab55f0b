import type { Db } from './database.js';

/** What a visitor thought of an answer, or with line 0 of a conversation as a whole. */
export interface FeedbackRow {
  readonly conversation_id: string;
  readonly seq: number;
  readonly bot_id: string;
  readonly channel_id: string;
  readonly release_number: number | null;
  /** Where the answer was said; null for a conversation as a whole, and where the turn sheet is gone. */
  readonly flow: string | null;
  readonly node: string | null;
  readonly helpful: boolean | number;
  readonly words: string | null;
  readonly at: Date;
}

/** Keeps what a visitor thinks; what they thought before of the same line is replaced. */
export async function putFeedback(db: Db, row: FeedbackRow): Promise<void> {
  await db('feedback').insert(row).onConflict(['conversation_id', 'seq']).merge();
}

export async function dropFeedback(db: Db, conversationId: string, seq: number): Promise<void> {
  await db('feedback').where({ conversation_id: conversationId, seq }).delete();
}

/** What was thought of the lines of a conversation, by their numbers. */
export async function feedbackOf(db: Db, conversationId: string): Promise<FeedbackRow[]> {
  return db<FeedbackRow>('feedback').where({ conversation_id: conversationId }).orderBy('seq');
}
