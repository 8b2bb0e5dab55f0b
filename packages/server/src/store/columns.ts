import {
  withPresentPaths,
  type HookProfile,
  type Difference,
  type IncomingEvent,
  type KnownAs,
  type Message,
  type PatchOperation,
  type Result,
  type Session,
  type TurnSheet,
  type Value,
  type Values,
  type VariableHistory,
} from '@primrose/core';
import type { RehearsalRun, TurnRecord } from '@primrose/contract';

/*
 * The columns that hold JSON: what each holds, and the one place where it is read. Only we write them, so what is looked at is
 * whether it is the kind of value that belongs there; what a document holds is read by `readDocument` besides.
 */

/** A column that holds JSON of one type. */
export interface Column<T> {
  /** The value of a stored text. Throws, and names the column, where it is not what belongs there: the database was changed by hand. */
  readonly read: (text: string) => T;
  readonly write: (value: T) => string;
}

type Plain = Readonly<Record<string, unknown>>;

const isPlain = (value: unknown): value is Plain => value !== null && typeof value === 'object' && !Array.isArray(value);

/** True for an object that has all of these keys. */
const having =
  <T>(...keys: readonly (keyof T & string)[]) =>
  (value: unknown): value is T =>
    isPlain(value) && keys.every((key) => key in value);

const list = <T>(value: unknown): value is readonly T[] => Array.isArray(value);

function column<T>(name: string, belongs: (value: unknown) => value is T): Column<T> {
  return {
    read: (text) => {
      const value: unknown = JSON.parse(text);
      if (!belongs(value)) throw new Error(`${name} of the database holds what does not belong there: ${text.slice(0, 80)}`);
      return value;
    },
    write: (value) => JSON.stringify(value),
  };
}

const anything = (_value: unknown): _value is Value => true;

/** `conversations.state` and `simulated_turns.state`. */
export const stateColumn = column<Session>('state', having('frames', 'session', 'visitor', 'turns'));
/** `visitors.variables`, `made_up_visitors.variables` and `simulated_turns.kept`. */
export const variablesColumn = column<Values>('variables', having());
/** `visitors.history`. */
export const variableHistoryColumn = column<VariableHistory>('history', having());
/** `visitors.who` of a person. */
export const knownAsColumn = column<KnownAs>('who', having('name', 'email'));
/** `events.event` and `simulated_turns.event`. */
export const eventColumn = column<IncomingEvent>('event', having<IncomingEvent>('type', 'at'));
/** `journal.result`. */
export const resultColumn = column<Result>('result', having('outcome'));
/** `chat_lines.message`. */
export const messageColumn = column<Message>('message', having('text', 'blocks'));
/** `turns.sheet` and `simulated_turns.sheet`. */
export const sheetColumn = column<TurnSheet>('sheet', having('turn', 'heard', 'path'));
/** `turns.timings` and `simulated_turns.timings`. */
export const timingsColumn = column<TurnRecord['timings']>('timings', (v): v is TurnRecord['timings'] => Array.isArray(v));
/** `simulated_turns.samples`. */
export const samplesColumn = column<TurnRecord['samples']>('samples', having());
/** `channels.settings` of a messenger. */
export const mappingColumn = column<HookProfile>('settings', having());
const storedPatch = column<readonly PatchOperation[]>('patch', list);
/** `edits.patch`; an old one comes under today's names. */
export const patchColumn: Column<readonly PatchOperation[]> = {
  ...storedPatch,
  read: (text) => withPresentPaths(storedPatch.read(text)),
};
/** `edits.differences`. */
export const differencesColumn = column<readonly Difference[]>('differences', list);
/** `sources.skipped`. */
export const skippedColumn = column<readonly { address: string; why: string }[]>('skipped', list);
/** `rehearsal_runs.run`. */
export const runColumn: Column<RehearsalRun> = column<RehearsalRun>('run', having('items'));
/** Documents, as `readDocument` takes them; and what others have sent. */
export const jsonColumn = column<Value>('json', anything);

/** A column of a room's own: what it keeps is known there only. */
export function ownColumn<T>(name: string, ...keys: readonly (keyof T & string)[]): Column<T> {
  return column<T>(name, having<T>(...keys));
}
