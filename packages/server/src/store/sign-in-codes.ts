import type { Db } from './database.js';
import { statement } from './hot.js';

/** A code that was sent to a mailbox, as a digest. `holder` is who may try it: a conversation, or a visitor's key. */
export interface CodeRow {
  readonly holder: string;
  readonly bot_id: string;
  readonly email: string;
  readonly code_hash: string;
  readonly tries: number;
  readonly expires_at: Date;
}

/** Keeps a code in place of the one that its holder had. */
export async function putCode(db: Db, row: Omit<CodeRow, 'tries'>): Promise<void> {
  await db('sign_in_codes')
    .insert({ ...row, tries: 0 })
    .onConflict('holder')
    .merge();
}

/** Counts one more try of a holder's code, and returns it as it is then; undefined where there is none that is valid. */
export async function countTry(db: Db, holder: string, most: number, now: Date): Promise<CodeRow | undefined> {
  // The number is that of this try, whoever tries at the same time.
  const { rows, value: tries } = await statement(db, (hot) =>
    hot.write('UPDATE sign_in_codes SET tries = LAST_INSERT_ID(tries + 1) WHERE holder = ? AND tries < ? AND expires_at > ?', [
      holder,
      most,
      now,
    ]),
  );
  if (rows !== 1) return undefined;
  const row = await db<CodeRow>('sign_in_codes').where({ holder }).first();
  return row && { ...row, tries };
}

/** Takes a code out of use; false where somebody has just used it. */
export async function useCode(db: Db, holder: string, codeHash: string): Promise<boolean> {
  return (await db('sign_in_codes').where({ holder, code_hash: codeHash }).delete()) === 1;
}

export async function dropOldCodes(db: Db, now: Date): Promise<number> {
  return db('sign_in_codes').where('expires_at', '<', now).limit(500).delete();
}
