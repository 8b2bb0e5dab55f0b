import type { KnownAs } from '@primrose/core';
import type { Db } from './database.js';
import type { Hot } from './hot.js';
import { joinVisitors } from './visitors.js';

/*
 * Who visitors are by what somebody vouches for: a host page's token, a mailbox, an identity service. Each of these knows them by an id
 * of its own (`subject`); the person is a visitor of the kind `person`, and whoever signs in somewhere is a visitor under it.
 */

/** So many sign-ins of one visitor are valid at once; the oldest ends with the next. */
const MOST_SIGN_INS = 20;

/** Somebody who is vouched for. */
export interface Vouched {
  readonly botId: string;
  /** Who vouches, and as what the person is known there (as a digest). */
  readonly issuer: string;
  readonly subjectHash: string;
  readonly who: KnownAs;
  /** The digest of an e-mail address that they were seen to receive mail at. */
  readonly mailHash: string | null;
  readonly at: Date;
}

/** The issuer of those who are known by a mailbox. */
export const MAIL_ISSUER = 'mail';

async function personBy(hot: Hot, botId: string, issuer: string, subjectHash: string): Promise<string | undefined> {
  const [row] = await hot.read<{ person_id: string }>(
    'SELECT person_id FROM identities WHERE bot_id = ? AND issuer = ? AND subject_hash = ? FOR UPDATE',
    [botId, issuer, subjectHash],
  );
  return row?.person_id;
}

async function isKnownBy(hot: Hot, personId: string, issuer: string): Promise<boolean> {
  const rows = await hot.read('SELECT 1 FROM identities WHERE person_id = ? AND issuer = ? LIMIT 1', [personId, issuer]);
  return rows.length > 0;
}

const note = (hot: Hot, { botId, at }: Vouched, issuer: string, subjectHash: string, personId: string) =>
  hot.write('INSERT IGNORE INTO identities (bot_id, issuer, subject_hash, person_id, at) VALUES (?, ?, ?, ?, ?)', [
    botId,
    issuer,
    subjectHash,
    personId,
    at,
  ]);

/**
 * The person who is vouched for, made where there is none yet; only inside a transaction. The same mailbox is the same person, unless who
 * vouches now knows that person by another id already: an address that was given to somebody else makes nobody that somebody.
 */
export async function ensurePerson(hot: Hot, vouched: Vouched, newId: () => string): Promise<string> {
  const { botId, issuer, subjectHash, mailHash, who, at } = vouched;
  const known = await personBy(hot, botId, issuer, subjectHash);
  const byMail = known !== undefined || mailHash === null ? undefined : await personBy(hot, botId, MAIL_ISSUER, mailHash);
  const free = byMail !== undefined && !(await isKnownBy(hot, byMail, issuer)) ? byMail : undefined;
  const person = known ?? free ?? newId();
  if (known === undefined && free === undefined)
    await hot.write(
      `INSERT INTO visitors (id, bot_id, kind, key_hash, variables, created_at) VALUES (?, ?, 'person', SHA2(?, 256), '{}', ?)`,
      [person, botId, `person ${person}`, at],
    );
  await note(hot, vouched, issuer, subjectHash, person);
  if (mailHash !== null && byMail === undefined) await note(hot, vouched, MAIL_ISSUER, mailHash, person);
  await hot.write('UPDATE visitors SET who = ? WHERE id = ?', [JSON.stringify(await fuller(hot, person, who)), person]);
  return person;
}

/** Who somebody is, by what is said of them now and, where that says nothing, was said before. */
async function fuller(hot: Hot, personId: string, who: KnownAs): Promise<KnownAs> {
  const [row] = await hot.read<{ who: string | null }>('SELECT who FROM visitors WHERE id = ?', [personId]);
  const before = (row?.who ? JSON.parse(row.who) : {}) as Partial<KnownAs>;
  return { name: who.name ?? before.name ?? null, email: who.email ?? before.email ?? null };
}

/** Since when signs of a person count; null for always. */
export async function validFrom(hot: Hot, personId: string): Promise<Date | null> {
  const [row] = await hot.read<{ valid_from: Date | null }>('SELECT valid_from FROM visitors WHERE id = ?', [personId]);
  return row?.valid_from ?? null;
}

export interface SignIn {
  readonly botId: string;
  readonly channelId: string;
  readonly keyHash: string;
  readonly personId: string;
  /** What it came about by. */
  readonly by: string;
  readonly at: Date;
  readonly until: Date;
}

/**
 * Lets a key speak for a person at a web chat; only inside a transaction. All keys of a person there speak as one visitor, so that
 * what was begun in one window goes on in another. Returns that visitor.
 */
export async function signIn(
  hot: Hot,
  { botId, channelId, keyHash, personId, by, at, until }: SignIn,
  newId: () => string,
): Promise<string> {
  const place = `signed-in ${channelId} ${personId}`;
  const id = newId();
  await hot.write(
    `INSERT IGNORE INTO visitors (id, bot_id, kind, key_hash, variables, person_id, linked_by, created_at)
     VALUES (?, ?, 'signed-in', SHA2(?, 256), '{}', ?, 'sign-in', ?)`,
    [id, botId, place, personId, at],
  );
  const [row] = await hot.read<{ id: string }>(
    "SELECT id FROM visitors WHERE bot_id = ? AND kind = 'signed-in' AND key_hash = SHA2(?, 256)",
    [botId, place],
  );
  const visitorId = row?.id ?? id;
  await hot.write(
    `INSERT INTO sign_ins (key_hash, channel_id, visitor_id, \`by\`, at, expires_at) VALUES (?, ?, ?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE visitor_id = VALUES(visitor_id), \`by\` = VALUES(\`by\`), at = VALUES(at), expires_at = VALUES(expires_at)`,
    [keyHash, channelId, visitorId, by, at, until],
  );
  const old = await hot.read<{ key_hash: string }>(
    `SELECT key_hash FROM sign_ins WHERE visitor_id = ? ORDER BY at DESC LIMIT ${MOST_SIGN_INS}, 100`,
    [visitorId],
  );
  for (const { key_hash } of old)
    await hot.write('DELETE FROM sign_ins WHERE channel_id = ? AND key_hash = ?', [channelId, key_hash]);
  return visitorId;
}

/** Ends the sign-in of a key. */
export async function signOut(db: Db, channelId: string, keyHash: string): Promise<void> {
  await db('sign_ins').where({ channel_id: channelId, key_hash: keyHash }).delete();
}

/** Ends all sign-ins at a web chat that came about in one way. */
export async function dropSignInsOf(db: Db, channelId: string, by: string): Promise<void> {
  await db('sign_ins').where({ channel_id: channelId, by }).delete();
}

/** Ends all sign-ins of some visitors, and makes signs from before a moment worth nothing. */
export async function endSignIns(db: Db, visitorIds: readonly string[], at: Date): Promise<void> {
  await db('visitors').whereIn('id', visitorIds).where({ kind: 'person' }).update({ valid_from: at });
  await db('sign_ins').whereIn('visitor_id', visitorIds).delete();
}

export async function countSignIns(db: Db, visitorIds: readonly string[], now: Date): Promise<number> {
  const row: { count?: number | string } | undefined = await db('sign_ins')
    .whereIn('visitor_id', visitorIds)
    .where('expires_at', '>', now)
    .count('* as count')
    .first();
  return Number(row?.count ?? 0);
}

/** Takes a sender on a messenger for a person whom they have shown to be; only inside a transaction. */
export async function linkSender(hot: Hot, botId: string, visitorId: string, personId: string): Promise<void> {
  const [row] = await hot.read<{ person_id: string | null }>(
    'SELECT person_id FROM visitors WHERE bot_id = ? AND id = ? FOR UPDATE',
    [botId, visitorId],
  );
  // Who was somebody else here is not any more: what they said stays theirs.
  if (row?.person_id) await hot.write('UPDATE visitors SET person_id = NULL WHERE bot_id = ? AND id = ?', [botId, visitorId]);
  await joinVisitors(hot, { botId, one: personId, other: visitorId, by: 'sign-in' });
}

/** What somebody who is known is called in lists: their name, else their address; at most 80 characters. */
export function calledAs({ name, email }: KnownAs): string | null {
  return (name ?? email)?.slice(0, 80) ?? null;
}

/**
 * Gives a conversation to the visitor who has just signed in in it; only inside a transaction. What is kept of whoever
 * had but this one conversation goes along; what is kept of somebody who had others as well is perhaps not theirs. False where it is somebody else's.
 */
export async function takeAlong(
  hot: Hot,
  { botId, conversationId, to, who }: { botId: string; conversationId: string; to: string; who: KnownAs },
): Promise<boolean> {
  const [row] = await hot.read<{ visitor_id: string; kind: string }>(
    `SELECT c.visitor_id, v.kind FROM conversations c JOIN visitors v ON v.id = c.visitor_id
     WHERE c.bot_id = ? AND c.id = ? AND c.ended_at IS NULL FOR UPDATE`,
    [botId, conversationId],
  );
  // Theirs already: whoever was cut off before the talk was told of it tells it now.
  if (row?.visitor_id === to) return true;
  // Only somebody of whom nobody knows who they are becomes somebody.
  if (row?.kind !== 'key') return false;
  const from = row.visitor_id;
  await hot.write('UPDATE conversations SET visitor_id = ?, visitor_name = COALESCE(?, visitor_name) WHERE id = ?', [
    to,
    calledAs(who),
    conversationId,
  ]);
  await hot.write('UPDATE visitors SET conversation_id = NULL WHERE id = ? AND conversation_id = ?', [from, conversationId]);
  await hot.write('UPDATE visitors SET conversation_id = ? WHERE id = ?', [conversationId, to]);
  const [others] = await hot.read<{ count: number }>(
    'SELECT COUNT(*) AS count FROM conversations WHERE bot_id = ? AND visitor_id = ?',
    [botId, from],
  );
  if (Number(others?.count ?? 1) > 0) return true;
  // The key leads to nobody any more once its sign-in is over, so that nobody comes upon a person by it.
  await hot.write(
    `UPDATE visitors SET person_id = ?, linked_by = 'sign-in', key_hash = SHA2(CONCAT(id, ' given'), 256)
     WHERE bot_id = ? AND id = ? AND kind = 'key' AND person_id IS NULL`,
    [to, botId, from],
  );
  return true;
}
