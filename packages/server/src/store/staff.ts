import type { Db } from './database.js';

/** Somebody who may answer in the inbox of a bot. */
export interface StaffRow {
  readonly id: string;
  readonly name: string;
  readonly owner: boolean;
}

/** A bot in whose inbox somebody may answer: as its owner, or as staff. */
export interface StaffedBot {
  readonly id: string;
  readonly name: string;
  readonly owner_id: string;
  readonly live_release_id: string | null;
  readonly inbox: string | null;
}

export async function staffedBot(db: Db, personId: string, botId: string): Promise<StaffedBot | undefined> {
  return db('bots as b')
    .leftJoin('bot_staff as s', (join) => void join.on('s.bot_id', 'b.id').on('s.person_id', db.raw('?', [personId])))
    .where('b.id', botId)
    .whereNull('b.deleted_at')
    .where((q) => void q.where('b.owner_id', personId).orWhereNotNull('s.person_id'))
    .first('b.id', 'b.name', 'b.owner_id', 'b.live_release_id', 'b.inbox');
}

/** Bots in whose inbox somebody answers without owning them. */
export async function inboxesOf(db: Db, personId: string): Promise<{ bot: string; name: string; waiting: number }[]> {
  const waiting = db('conversations as c')
    .whereRaw('c.bot_id = b.id')
    .whereNotNull('c.handed_at')
    .whereNull('c.staff_id')
    .count('*');
  const rows: { bot: string; name: string; waiting: number | string }[] = await db('bot_staff as s')
    .join('bots as b', 'b.id', 's.bot_id')
    .where('s.person_id', personId)
    .whereNull('b.deleted_at')
    .orderBy('b.name')
    .limit(200)
    .select('b.id as bot', 'b.name', waiting.as('waiting'));
  return rows.map((r) => ({ ...r, waiting: Number(r.waiting) }));
}

/** The owner of a bot, and those who may answer besides. */
export async function staffOf(db: Db, botId: string): Promise<StaffRow[]> {
  const owner: { id: string; name: string }[] = await db('bots as b')
    .join('people as p', 'p.id', 'b.owner_id')
    .where('b.id', botId)
    .select('p.id', 'p.name');
  const others: { id: string; name: string }[] = await db('bot_staff as s')
    .join('people as p', 'p.id', 's.person_id')
    .where('s.bot_id', botId)
    .orderBy('p.name')
    .select('p.id', 'p.name');
  return [...owner.map((o) => ({ ...o, owner: true })), ...others.map((o) => ({ ...o, owner: false }))];
}

export async function insertStaff(db: Db, botId: string, personId: string, at: Date): Promise<void> {
  await db('bot_staff').insert({ bot_id: botId, person_id: personId, at }).onConflict().ignore();
}

/** Somebody answers here no more: what they had taken waits again, and where they answer nowhere else and own nothing, their sign-ins end. */
export async function removeStaff(db: Db, botId: string, personId: string): Promise<number> {
  return db.transaction(async (tx) => {
    const gone = await tx('bot_staff').where({ bot_id: botId, person_id: personId }).delete();
    await tx('conversations')
      .where({ bot_id: botId, staff_id: personId })
      .update({ staff_id: null, staff_name: null, staff_at: null });
    const elsewhere: unknown = await tx('bot_staff').where({ person_id: personId }).first('bot_id');
    const owns: unknown = await tx('bots').where({ owner_id: personId }).first('id');
    if (elsewhere === undefined && owns === undefined) {
      await tx('console_sessions').where({ person_id: personId }).delete();
      await tx('sign_in_links').where({ person_id: personId }).delete();
      await tx('tokens').where({ person_id: personId }).delete();
    }
    return gone;
  });
}
