import { nextTimes, type BotDocument, type Start } from '@primrose/core';
import { newId, newSecret, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { keepStarts, type Stage, type StartToKeep } from '../store/starts.js';
import { declaredColumn, type TableRecord } from '../store/tables.js';

const ADDRESS_LENGTH = 22;

/** Keeps beside a document what its starts need on this installation: addresses, tables that are watched, the next times. */
export async function seeToStarts(db: Db, clock: Clock, botId: string, stage: Stage, document: BotDocument): Promise<void> {
  const starts: StartToKeep[] = [];
  for (const [name, start] of Object.entries(document.starts ?? {}))
    starts.push(await toKeep(db, clock, botId, document, name, start));
  await keepStarts(db, botId, stage, starts);
}

async function toKeep(
  db: Db,
  clock: Clock,
  botId: string,
  document: BotDocument,
  name: string,
  start: Start,
): Promise<StartToKeep> {
  const base = { id: newId(clock), name, kind: start.by, address: newSecret().slice(0, ADDRESS_LENGTH) };
  const nothing = { tableId: null, rowEvents: null, cron: null, nextAt: null };
  if (start.by === 'row')
    return {
      ...base,
      ...nothing,
      tableId: await tableOf(db, clock, botId, document, start.table),
      rowEvents: start.on.join(','),
    };
  if (start.by !== 'schedule') return { ...base, ...nothing };
  const zone = start.zone ?? document.zone;
  const [next] = nextTimes(start.at, zone, clock.now().toISOString());
  return { ...base, ...nothing, cron: `${zone} ${start.at}`, nextAt: next === undefined ? null : new Date(next) };
}

/** The registered table of a name, registered now where nobody has used it yet; null where no bot has it. */
async function tableOf(db: Db, clock: Clock, botId: string, document: BotDocument, name: string): Promise<string | null> {
  const declared = document.tables?.[name];
  if (!declared) return null;
  const owner = declared.of === undefined ? botId : await ownerOf(db, botId, declared.of);
  if (owner === undefined) return null;
  const row = { id: newId(clock), bot_id: owner, name, declared: declaredColumn.write(declared) };
  await db('tables').insert(row).onConflict(['bot_id', 'name']).ignore();
  const found: Pick<TableRecord, 'id'> | undefined = await db('tables').where({ bot_id: owner, name }).first('id');
  return found?.id ?? null;
}

async function ownerOf(db: Db, botId: string, of: string): Promise<string | undefined> {
  const row: { id: string } | undefined = await db('bots as b')
    .join('bots as o', 'o.owner_id', 'b.owner_id')
    .where('b.id', botId)
    .where('o.bot', of)
    .whereNull('o.deleted_at')
    .orderBy('o.id')
    .first('o.id');
  return row?.id;
}
