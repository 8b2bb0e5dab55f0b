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

export interface CountedFeedback {
  readonly release: number | null;
  readonly flow: string | null;
  readonly node: string | null;
  readonly helpful: number;
  readonly unhelpful: number;
  /** What was said there, in one of the conversations; and what visitors wrote of it, a line each. */
  readonly message: string | null;
  readonly words: string | null;
}

const MOST_GROUPS = 1000;

/** What visitors thought since a moment, by release, flow and node. */
export async function countedFeedback(db: Db, botId: string, since: Date): Promise<CountedFeedback[]> {
  const rows: (Omit<CountedFeedback, 'helpful' | 'unhelpful'> & { helpful: string; unhelpful: string })[] = await db(
    'feedback as f',
  )
    .leftJoin('chat_lines as l', (join) => {
      join.on('l.conversation_id', 'f.conversation_id').on('l.seq', 'f.seq');
    })
    .where('f.bot_id', botId)
    .where('f.at', '>=', since)
    .groupBy('f.release_number', 'f.flow', 'f.node')
    .orderByRaw('SUM(f.helpful = 0) DESC')
    .limit(MOST_GROUPS)
    .select('f.release_number as release', 'f.flow', 'f.node')
    .select(
      db.raw('SUM(f.helpful = 1) AS helpful'),
      db.raw('SUM(f.helpful = 0) AS unhelpful'),
      db.raw('MAX(l.message) AS message'),
      db.raw("LEFT(GROUP_CONCAT(REPLACE(f.words, '\n', ' ') SEPARATOR '\n'), 4000) AS words"),
    );
  return rows.map((r) => ({ ...r, helpful: Number(r.helpful), unhelpful: Number(r.unhelpful) }));
}
