import type { Db } from './database.js';

export interface SecretRow {
  readonly owner: string;
  readonly name: string;
  readonly sealed: string;
  readonly at: Date;
}

export async function putSecret(db: Db, row: SecretRow): Promise<void> {
  await db('secrets').insert(row).onConflict().merge(['sealed', 'at']);
}

export async function deleteSecret(db: Db, owner: string, name: string): Promise<void> {
  await db('secrets').where({ owner, name }).delete();
}

export async function secretsOf(db: Db, owner: string): Promise<SecretRow[]> {
  return db<SecretRow>('secrets').where({ owner }).orderBy('name');
}
