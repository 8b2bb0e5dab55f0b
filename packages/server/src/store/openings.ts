import type { Db } from './database.js';

/** A chat that somebody opened and in which nobody has spoken: all that is kept of it until somebody does. */
export interface OpeningRow {
  readonly key_hash: string;
  readonly channel_id: string;
  /** The id that the conversation will have. */
  readonly conversation_id: string;
  readonly release_id: string;
  readonly language: string | null;
  readonly at: Date;
}

export async function insertOpening(db: Db, row: OpeningRow): Promise<void> {
  await db('openings').insert(row).onConflict('key_hash').merge();
}

export async function findOpening(db: Db, channelId: string, keyHash: string): Promise<OpeningRow | undefined> {
  return db<OpeningRow>('openings').where({ key_hash: keyHash, channel_id: channelId }).first();
}

export async function dropOpening(db: Db, keyHash: string): Promise<void> {
  await db('openings').where({ key_hash: keyHash }).delete();
}
