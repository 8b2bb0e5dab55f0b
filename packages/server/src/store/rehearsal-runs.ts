import type { Db } from './database.js';

/** The last run of all rehearsals of a bot, as JSON; undefined before the first. */
export async function lastRehearsalRun(db: Db, botId: string): Promise<string | undefined> {
  const row: { run: string } | undefined = await db('rehearsal_runs').where({ bot_id: botId }).first('run');
  return row?.run;
}

export async function keepRehearsalRun(db: Db, botId: string, run: string): Promise<void> {
  await db('rehearsal_runs').insert({ bot_id: botId, run }).onConflict().merge(['run']);
}
