import type { Db } from './database.js';

/** A question of an evaluation set. Without a document nothing should be found. */
export interface TestQuestionRow {
  readonly id: string;
  readonly bot_id: string;
  readonly base: string;
  readonly question: string;
  readonly document: string | null;
  readonly heading: string | null;
  readonly says: string | null;
  readonly origin: 'hand' | 'csv' | 'proposed' | 'conversation';
  readonly at: Date;
}

/** A set has at most so many questions. */
export const MOST_QUESTIONS = 5000;

export async function testQuestions(db: Db, botId: string, base: string): Promise<TestQuestionRow[]> {
  return db<TestQuestionRow>('evaluations').where({ bot_id: botId, base }).orderBy('id').limit(MOST_QUESTIONS);
}

export async function insertTestQuestions(db: Db, rows: readonly TestQuestionRow[]): Promise<void> {
  if (rows.length > 0) await db('evaluations').insert([...rows]);
}

export async function dropTestQuestion(db: Db, botId: string, base: string, id: string): Promise<number> {
  return db('evaluations').where({ bot_id: botId, base, id }).delete();
}

/** Gives a bot the evaluation sets of another one: its copy. */
export async function copyTestQuestions(db: Db, from: string, to: string, newId: () => string): Promise<void> {
  const rows = await db<TestQuestionRow>('evaluations').where({ bot_id: from }).limit(MOST_QUESTIONS);
  await insertTestQuestions(
    db,
    rows.map((r) => ({ ...r, id: newId(), bot_id: to })),
  );
}
