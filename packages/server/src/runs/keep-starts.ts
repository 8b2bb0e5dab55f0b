import type { BotDocument, Start } from '@primrose/core';
import { newId, newSecret, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { keepStarts, listStarts, type Stage, type StartRow, type StartToKeep } from '../store/starts.js';
import { botByName, registerTable, type TableRecord } from '../store/tables.js';
import { cronColumn } from './times.js';

const ADDRESS_LENGTH = 22;

/**
 * Keeps beside a document what its starts need on this installation: addresses, tables that are watched, the next times. Looking
 * at starts that are kept already writes nothing.
 */
export async function seeToStarts(db: Db, clock: Clock, botId: string, stage: Stage, document: BotDocument): Promise<void> {
  const starts: StartToKeep[] = [];
  for (const [name, start] of Object.entries(document.starts ?? {}))
    starts.push(await toKeep(db, clock, botId, document, name, start));
  const kept = (await listStarts(db, botId)).filter((s) => s.stage === stage);
  const same = (s: StartToKeep) => kept.some((k) => isKept(k, s));
  if (kept.length !== starts.length || !starts.every(same)) await db.transaction((tx) => keepStarts(tx, botId, stage, starts));
}

function isKept(kept: StartRow, { name, kind, tableId, rowEvents, cron }: StartToKeep): boolean {
  return (
    kept.name === name && kept.kind === kind && kept.table_id === tableId && kept.row_events === rowEvents && kept.cron === cron
  );
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
  const cron = cronColumn.write(start.zone ?? document.zone, start.at);
  const [nextAt = null] = cronColumn.next(cron, clock.now());
  return { ...base, ...nothing, cron, nextAt };
}

/** The registered table of a name, registered now where nobody has used it yet; null where no bot has it. */
async function tableOf(db: Db, clock: Clock, botId: string, document: BotDocument, name: string): Promise<string | null> {
  const declared = document.tables?.[name];
  if (!declared) return null;
  const owner = declared.of === undefined ? botId : await botByName(db, botId, declared.of);
  if (owner === undefined) return null;
  await registerTable(db, { id: newId(clock), botId: owner, name, declared });
  const found: Pick<TableRecord, 'id'> | undefined = await db('tables').where({ bot_id: owner, name }).first('id');
  return found?.id ?? null;
}
