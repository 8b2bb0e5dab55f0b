import {
  wordsIn,
  type IncomingEvent,
  type KeyedChange,
  type Memory,
  type Session,
  type TurnSheet,
  type Values,
} from '@primrose/core';
import { fitting } from './conversations.js';
import type { Db } from './database.js';
import { transaction } from './hot.js';
import { changeMemory } from './memories.js';

/** Turns of one simulation that are read. */
const MOST_TURNS = 2000;
/** Simulations of one bot that are kept without a name. */
const KEPT_UNNAMED = 50;

export interface SimulationRow {
  readonly id: string;
  readonly bot_id: string;
  readonly person_id: string;
  readonly by: string;
  readonly name: string | null;
  /** JSON: who speaks, the clock, where calls go. */
  readonly settings: string;
  readonly head: string | null;
  readonly turns: number;
  readonly said: string | null;
  /** JSON: the turn that pauses before a node. */
  readonly paused: string | null;
  readonly stop_at: Date | null;
  readonly opened_at: Date;
  readonly last_at: Date;
}

export interface SimulatedTurnRow {
  readonly id: string;
  readonly simulation_id: string;
  readonly external_id: string;
  readonly parent: string | null;
  readonly again: string | null;
  readonly number: number;
  readonly revision: number;
  readonly event: string;
  /** JSON: the visitor's variables before the first turn of a line; null for later turns. */
  readonly kept: string | null;
  readonly state: string;
  readonly sheet: string;
  readonly timings: string;
  readonly samples: string;
  readonly ms: number;
  readonly at: Date;
}

function simulations(db: Db, botId: string) {
  return db('simulations as s').join('people as p', 'p.id', 's.person_id').where('s.bot_id', botId).select('s.*', 'p.name as by');
}

export async function insertSimulation(
  db: Db,
  row: { id: string; botId: string; personId: string; settings: string; at: Date },
): Promise<void> {
  const { id, botId, personId, settings, at } = row;
  await db('simulations').insert({ id, bot_id: botId, person_id: personId, settings, opened_at: at, last_at: at });
  const kept = db('simulations').where({ bot_id: botId, name: null }).orderBy('last_at', 'desc').limit(KEPT_UNNAMED).select('id');
  const old: { id: string }[] = await db('simulations')
    .where({ bot_id: botId, name: null })
    .whereNotIn('id', db.select('id').from(kept.as('kept')))
    .select('id');
  for (const gone of old) await deleteSimulation(db, gone.id);
}

export async function findSimulation(db: Db, botId: string, id: string): Promise<SimulationRow | undefined> {
  return (await simulations(db, botId).where('s.id', id).first()) as SimulationRow | undefined;
}

/** The last used first; `before` is the moment of the last one seen, in ms. Those without a turn are left out. */
export async function listSimulations(
  db: Db,
  botId: string,
  { find, before, limit }: { find: string | undefined; before: number | undefined; limit: number },
): Promise<SimulationRow[]> {
  const rows = simulations(db, botId).where('s.turns', '>', 0).orderBy('s.last_at', 'desc').limit(limit);
  if (before !== undefined) void rows.where('s.last_at', '<', new Date(before));
  const words = `%${(find ?? '').replace(/[\\%_]/g, '\\$&')}%`;
  if (find !== undefined && find.trim() !== '')
    void rows.where((q) =>
      q
        .whereRaw('s.name COLLATE utf8mb4_general_ci LIKE ?', [words])
        .orWhereRaw('s.said COLLATE utf8mb4_general_ci LIKE ?', [words]),
    );
  return (await rows) as SimulationRow[];
}

export async function changeSimulation(
  db: Db,
  id: string,
  change: Partial<{ name: string | null; settings: string; head: string | null; paused: string | null; stop_at: Date | null }>,
): Promise<void> {
  if (Object.keys(change).length > 0) await db('simulations').where({ id }).update(change);
}

/**
 * Changes a simulation all at once, its settings from what they are by then, so that of two who change them at once neither undoes the
 * other; what `settings` throws changes nothing.
 */
export async function setSimulation(
  db: Db,
  id: string,
  settings: (now: string) => string,
  also: Partial<{ name: string | null; head: string | null; paused: null }>,
): Promise<void> {
  await transaction(db, async (hot) => {
    const [row] = await hot.read<{ settings: string }>('SELECT settings FROM simulations WHERE id = ? FOR UPDATE', [id]);
    if (!row) return;
    const change = { ...also, settings: settings(row.settings) };
    const columns = Object.keys(change).map((column) => `${column} = ?`);
    await hot.write(`UPDATE simulations SET ${columns.join(', ')} WHERE id = ?`, [...Object.values(change), id]);
  });
}

export async function isStopped(db: Db, id: string): Promise<boolean> {
  const row: { stop_at: Date | null } | undefined = await db('simulations').where({ id }).first('stop_at');
  return row !== undefined && row.stop_at !== null;
}

export async function deleteSimulation(db: Db, id: string): Promise<void> {
  await db('simulated_turns').where({ simulation_id: id }).delete();
  await db('simulations').where({ id }).delete();
}

/** All turns of a simulation in the order in which they were run. */
export async function simulatedTurns(db: Db, simulationId: string): Promise<SimulatedTurnRow[]> {
  return db<SimulatedTurnRow>('simulated_turns').where({ simulation_id: simulationId }).orderBy('seq').limit(MOST_TURNS);
}

/** The same behind a number, as far as one page goes; `last` is the last one's number where that is not all. */
export async function simulatedTurnsAfter(
  db: Db,
  simulationId: string,
  { after, limit }: { after: number; limit: number },
): Promise<{ rows: SimulatedTurnRow[]; last: number | null }> {
  const sizes: { seq: number; bytes: number }[] = await db('simulated_turns')
    .where({ simulation_id: simulationId })
    .where('seq', '>', after)
    .orderBy('seq')
    .limit(limit + 1)
    .select('seq', db.raw('LENGTH(sheet) + LENGTH(timings) AS bytes'));
  const count = Math.min(limit, fitting(sizes));
  const last = sizes[count - 1]?.seq ?? after;
  const rows = await db<SimulatedTurnRow>('simulated_turns')
    .where({ simulation_id: simulationId })
    .whereBetween('seq', [after + 1, last])
    .orderBy('seq');
  return { rows, last: sizes.length > count ? last : null };
}

export async function simulatedTurn(
  db: Db,
  where: { simulation_id: string; id: string } | { simulation_id: string; external_id: string },
): Promise<SimulatedTurnRow | undefined> {
  return db<SimulatedTurnRow>('simulated_turns').where(where).first();
}

export interface NewSimulatedTurn {
  readonly id: string;
  readonly simulationId: string;
  readonly externalId: string;
  readonly parent: string | null;
  readonly again: string | null;
  readonly number: number;
  readonly revision: number;
  readonly event: IncomingEvent;
  readonly kept?: Values;
  readonly state: Session;
  readonly sheet: TurnSheet;
  readonly timings: unknown;
  readonly samples: Readonly<Record<string, string>>;
  readonly ms: number;
  readonly at: Date;
  /** The made-up visitor whose kept variables follow this turn; null for nobody in particular. */
  readonly visitor: string | null;
  /** What it changed of what is kept under keys. */
  readonly memories: {
    readonly botId: string;
    readonly changes: readonly KeyedChange[];
    readonly many: (about: string) => boolean;
  };
}

/** Stores a turn and makes it the one that is talked on from: one transaction, and a turn there never changes. */
export async function insertSimulatedTurn(db: Db, t: NewSimulatedTurn): Promise<void> {
  await transaction(db, async (hot) => {
    const { value: seq } = await hot.write(
      `UPDATE simulations SET head = ?, turns = LAST_INSERT_ID(turns + 1), said = COALESCE(?, said), paused = NULL, stop_at = NULL,
         last_at = ? WHERE id = ?`,
      [t.id, wordsIn(t.event) || null, t.at, t.simulationId],
    );
    await hot.write(
      `INSERT INTO simulated_turns (id, simulation_id, seq, external_id, parent, again, number, revision, event, kept, state, sheet, timings, samples, ms, at)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
      [
        t.id,
        t.simulationId,
        seq,
        t.externalId,
        t.parent,
        t.again,
        t.number,
        t.revision,
        JSON.stringify(t.event),
        t.kept === undefined ? null : JSON.stringify(t.kept),
        JSON.stringify(t.state),
        JSON.stringify(t.sheet),
        JSON.stringify(t.timings),
        JSON.stringify(t.samples),
        t.ms,
        t.at,
      ],
    );
    if (t.visitor !== null)
      await hot.write('UPDATE made_up_visitors SET variables = ?, memory = ? WHERE id = ?', [
        JSON.stringify(t.state.visitor),
        t.state.memory === undefined ? null : JSON.stringify(t.state.memory),
        t.visitor,
      ]);
    const { botId, changes, many } = t.memories;
    for (const { key, change } of changes) {
      if (key !== null)
        await changeMemory(hot, { botId, realm: t.simulationId, of: { key } }, { changes: [change], many, at: t.at });
    }
  });
}

export interface MadeUpRow {
  readonly id: string;
  readonly bot_id: string;
  readonly name: string;
  readonly language: string | null;
  readonly zone: string | null;
  readonly channel: string | null;
  readonly variables: string;
  /** JSON: what is kept about them; null where nothing is. */
  readonly memory: string | null;
}

export async function madeUpVisitors(db: Db, botId: string): Promise<MadeUpRow[]> {
  return db<MadeUpRow>('made_up_visitors').where({ bot_id: botId }).orderBy('name').limit(200);
}

export async function madeUpVisitor(
  db: Db,
  where: { bot_id: string; id: string } | { bot_id: string; name: string },
): Promise<MadeUpRow | undefined> {
  return db<MadeUpRow>('made_up_visitors').where(where).first();
}

/** Adds a made-up visitor, or changes the one of this name; what is left out of `change` stays. */
export async function keepMadeUpVisitor(
  db: Db,
  row: { id: string; botId: string; name: string },
  change: Partial<{
    language: string | null;
    zone: string | null;
    channel: string | null;
    variables: Values;
    memory: Memory | null;
  }>,
): Promise<void> {
  const { variables, memory, ...plain } = change;
  const fields = {
    ...plain,
    ...(variables === undefined ? {} : { variables: JSON.stringify(variables) }),
    ...(memory === undefined ? {} : { memory: memory === null ? null : JSON.stringify(memory) }),
  };
  const insert = db('made_up_visitors')
    .insert({ id: row.id, bot_id: row.botId, name: row.name, variables: '{}', ...fields })
    .onConflict(['bot_id', 'name']);
  await (Object.keys(fields).length > 0 ? insert.merge(Object.keys(fields)) : insert.ignore());
}

export async function deleteMadeUpVisitor(db: Db, botId: string, id: string): Promise<void> {
  await db('made_up_visitors').where({ bot_id: botId, id }).delete();
}
