import type { Paused, TurnRecord } from '@primrose/contract';
import { waitingAt, type IncomingEvent, type Noted, type Values } from '@primrose/core';
import * as columns from '../store/columns.js';
import type * as store from '../store/simulations.js';
import type { Simulated } from './simulate.js';

/** A turn that waits for somebody to go on, as it is stored. */
export interface PausedTurn {
  readonly turn: string;
  readonly externalId: string;
  readonly parent: string | null;
  readonly event: IncomingEvent;
  readonly path: string;
  readonly results: readonly Noted[];
  readonly view: Paused;
  /** The revision that it began with. */
  readonly revision: number;
}

export const pausedColumn = columns.ownColumn<PausedTurn>('paused', 'event', 'results', 'view');

interface Place {
  readonly id: string;
  readonly simulation: string;
  readonly parent: string | null;
  readonly again: string | null;
  readonly number: number;
  readonly revision: number;
  readonly at: Date;
  readonly kept?: Values;
}

export function simulatedRecord(ran: Simulated, place: Place): TurnRecord {
  const { id, simulation, parent, again, number, revision, at, kept } = place;
  const { sheet, session } = ran.result;
  return {
    id,
    parent,
    again,
    conversation: simulation,
    number,
    at: at.toISOString(),
    ms: ran.ms,
    release: null,
    revision,
    sheet,
    timings: [...ran.timings],
    samples: ran.samples,
    waitsAt: waitingAt(session),
    ...(kept === undefined ? {} : { kept }),
  };
}

/** A stored turn as everybody sees it. */
export function rowRecord(row: store.SimulatedTurnRow): TurnRecord {
  return {
    id: row.id,
    parent: row.parent,
    again: row.again,
    conversation: row.simulation_id,
    number: row.number,
    at: row.at.toISOString(),
    ms: row.ms,
    release: null,
    revision: row.revision,
    sheet: columns.sheetColumn.read(row.sheet),
    timings: columns.timingsColumn.read(row.timings),
    samples: columns.samplesColumn.read(row.samples),
    waitsAt: waitingAt(columns.stateColumn.read(row.state)),
    ...(row.kept === null ? {} : { kept: columns.variablesColumn.read(row.kept) }),
  };
}

/** The paused turn of a simulation; null where none pauses. */
export function pausedIn({ paused }: store.SimulationRow): Paused | null {
  return paused === null ? null : pausedColumn.read(paused).view;
}
