import type { Db } from './database.js';

export async function connectionAddresses(db: Db, botId: string): Promise<ReadonlyMap<string, string>> {
  const rows: { name: string; address: string }[] = await db('connections')
    .where({ bot_id: botId })
    .whereNotNull('address')
    .select('name', 'address');
  return new Map(rows.map((r) => [r.name, r.address]));
}

/** The stand-ins that simulations of a bot call, by connection. */
export async function standIns(db: Db, botId: string): Promise<ReadonlyMap<string, string>> {
  const rows: { name: string; stand_in: string }[] = await db('connections')
    .where({ bot_id: botId })
    .whereNotNull('stand_in')
    .select('name', 'stand_in');
  return new Map(rows.map((r) => [r.name, r.stand_in]));
}

export async function setConnectionAddress(db: Db, botId: string, name: string, address: string | null): Promise<void> {
  await db('connections').insert({ bot_id: botId, name, address }).onConflict().merge(['address']);
}

export async function setStandIn(db: Db, botId: string, name: string, standIn: string | null): Promise<void> {
  await db('connections').insert({ bot_id: botId, name, stand_in: standIn }).onConflict().merge(['stand_in']);
}
