import type { Db } from './database.js';
import type { Statement } from './hot.js';

/*
 * Pictures and files that visitors sent or bots drew. The bytes stand in one row each; everything else refers to them by id.
 */

export interface NewFile {
  readonly id: string;
  readonly botId: string;
  /** Empty for real ones, else the simulation. */
  readonly realm: string;
  readonly visitorId: string | null;
  readonly conversationId: string | null;
  readonly token: string;
  readonly owner: string | null;
  readonly name: string;
  readonly type: string;
  readonly bytes: Uint8Array;
  readonly at: Date;
}

export interface FileRow {
  readonly id: string;
  readonly bot_id: string;
  readonly realm: string;
  readonly visitor_id: string | null;
  readonly conversation_id: string | null;
  readonly token: string;
  readonly owner: string | null;
  readonly name: string;
  readonly type: string;
  readonly size: number;
  readonly bytes: Buffer;
  readonly at: Date;
}

export async function insertFile(db: Db, file: NewFile): Promise<void> {
  await db('files')
    .insert({
      id: file.id,
      bot_id: file.botId,
      realm: file.realm,
      visitor_id: file.visitorId,
      conversation_id: file.conversationId,
      token: file.token,
      owner: file.owner,
      name: file.name,
      type: file.type,
      size: file.bytes.length,
      bytes: Buffer.from(file.bytes),
      at: file.at,
    })
    // The same drawing once more, by a turn that is taken up again, is there already.
    .onConflict('id')
    .ignore();
}

/** A file by what stands in its address; undefined where there is none, or not any more. */
export async function findFile(db: Db, id: string, token: string): Promise<FileRow | undefined> {
  return db<FileRow>('files').where({ id, token }).first();
}

/** The bytes of a file that somebody may look in already; undefined where it is not kept any more. */
export async function fileBytes(db: Db, id: string): Promise<Uint8Array | undefined> {
  const row = await db<FileRow>('files').where({ id }).first('bytes');
  return row?.bytes;
}

/** Says to whom files belong that were sent before: in the transaction that takes what is said with them. */
export function claimFiles(
  ids: readonly string[],
  owner: string,
  of: { readonly visitorId: string; readonly conversationId: string },
): Statement {
  const places = ids.map(() => '?').join(', ');
  return {
    sql: `UPDATE files SET visitor_id = ?, conversation_id = ? WHERE owner = ? AND id IN (${places})`,
    values: [of.visitorId, of.conversationId, owner, ...ids],
  };
}

/** Says in which run files are that were filled in: in the transaction that begins it. The first one keeps them. */
export function placeFiles(ids: readonly string[], runId: string): Statement[] {
  if (ids.length === 0) return [];
  const places = ids.map(() => '?').join(', ');
  return [
    { sql: `UPDATE files SET conversation_id = COALESCE(conversation_id, ?) WHERE id IN (${places})`, values: [runId, ...ids] },
  ];
}

/** How much somebody has sent since a moment: files and bytes. */
export async function sentSince(db: Db, owner: string, since: Date): Promise<{ count: number; size: number }> {
  const row: { count?: number | string; size?: number | string | null } | undefined = await db('files')
    .where({ owner })
    .where('at', '>=', since)
    .count('* as count')
    .sum('size as size')
    .first();
  return { count: Number(row?.count ?? 0), size: Number(row?.size ?? 0) };
}

/** How many bytes of files wait with a bot to be said with a message. */
export async function unsaidBytes(db: Db, botId: string): Promise<number> {
  const row: { size?: number | string | null } | undefined = await db('files')
    .where({ bot_id: botId, realm: '' })
    .whereNull('conversation_id')
    .sum('size as size')
    .first();
  return Number(row?.size ?? 0);
}

export async function countFilesOf(db: Db, botId: string, visitorId: string): Promise<number> {
  const row: { count?: number | string } | undefined = await db('files')
    .where({ bot_id: botId, visitor_id: visitorId })
    .count('* as count')
    .first();
  return Number(row?.count ?? 0);
}

export async function dropFilesOf(db: Db, botId: string, visitorId: string): Promise<void> {
  await db('files').where({ bot_id: botId, visitor_id: visitorId }).delete();
}

const ROWS_AT_ONCE = 20;

/** Files from before a moment. */
export async function dropOldFiles(db: Db, botId: string, before: Date): Promise<number> {
  return db('files').where({ bot_id: botId }).where('at', '<', before).limit(ROWS_AT_ONCE).delete();
}

export async function dropFilesIn(db: Db, realm: string): Promise<void> {
  await db('files').where({ realm }).delete();
}

/** Real files that were sent before a moment and never said with a message. */
export async function dropUnsaidFiles(db: Db, before: Date): Promise<number> {
  return db('files').where({ realm: '' }).whereNull('conversation_id').where('at', '<', before).limit(ROWS_AT_ONCE).delete();
}
