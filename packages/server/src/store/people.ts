import type { Db } from './database.js';

export interface Person {
  readonly id: string;
  readonly name: string;
}

export interface TokenRow {
  readonly id: string;
  readonly person_id: string;
  readonly name: string;
  readonly created_at: Date;
  readonly last_used_at: Date | null;
}

export async function firstPerson(db: Db): Promise<Person | undefined> {
  return db<Person>('people').select('id', 'name').orderBy('id').first();
}

export async function insertPerson(db: Db, person: Person, at: Date): Promise<void> {
  await db('people').insert({ ...person, created_at: at });
}

export async function insertSignInLink(db: Db, hash: string, personId: string, expires: Date): Promise<void> {
  await db('sign_in_links').insert({ hash, person_id: personId, expires_at: expires });
}

/** Takes a link out of use; the person it was for, or undefined when it was used, has expired or never was. */
export async function useSignInLink(db: Db, hash: string, now: Date): Promise<Person | undefined> {
  const used = await db('sign_in_links').where({ hash, used_at: null }).where('expires_at', '>', now).update({ used_at: now });
  if (used !== 1) return undefined;
  return db('sign_in_links as l').join('people as p', 'p.id', 'l.person_id').where('l.hash', hash).first('p.id', 'p.name');
}

export async function insertConsoleSession(db: Db, hash: string, personId: string, expires: Date): Promise<void> {
  await db('console_sessions').insert({ hash, person_id: personId, expires_at: expires });
}

export async function personOfSession(db: Db, hash: string, now: Date): Promise<Person | undefined> {
  return db('console_sessions as s')
    .join('people as p', 'p.id', 's.person_id')
    .where('s.hash', hash)
    .where('s.expires_at', '>', now)
    .first('p.id', 'p.name');
}

export async function deleteConsoleSession(db: Db, hash: string): Promise<void> {
  await db('console_sessions').where({ hash }).delete();
}

export async function personOfToken(db: Db, hash: string, now: Date): Promise<Person | undefined> {
  const found: (Person & { token: string }) | undefined = await db('tokens as t')
    .join('people as p', 'p.id', 't.person_id')
    .where('t.hash', hash)
    .first('p.id', 'p.name', 't.id as token');
  if (!found) return undefined;
  const minuteAgo = new Date(now.getTime() - 60_000);
  await db('tokens')
    .where({ id: found.token })
    .where((q) => q.whereNull('last_used_at').orWhere('last_used_at', '<', minuteAgo))
    .update({ last_used_at: now });
  return { id: found.id, name: found.name };
}

export async function listTokens(db: Db, personId: string): Promise<TokenRow[]> {
  return db<TokenRow>('tokens')
    .where({ person_id: personId })
    .orderBy('id')
    .select('id', 'person_id', 'name', 'created_at', 'last_used_at');
}

export async function insertToken(
  db: Db,
  row: { id: string; personId: string; name: string; hash: string; at: Date },
): Promise<void> {
  await db('tokens').insert({ id: row.id, person_id: row.personId, name: row.name, hash: row.hash, created_at: row.at });
}

export async function deleteToken(db: Db, personId: string, where: { id: string } | { name: string }): Promise<number> {
  return db('tokens')
    .where({ person_id: personId, ...where })
    .delete();
}

export async function personName(db: Db, id: string): Promise<string | null> {
  const row: { name: string } | undefined = await db('people').where({ id }).first('name');
  return row?.name ?? null;
}
