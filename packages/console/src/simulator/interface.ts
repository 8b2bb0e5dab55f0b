import type { LiveTurn, OutsideMode, Paused, SimulatedEvent, Simulation as Settings, TurnRecord } from '@primrose/contract';
import type { StartAt, Values } from '@primrose/core';

/** What can be changed of a simulation. */
export interface SettingsChange {
  readonly name?: string | null;
  readonly speaker?: Partial<Settings['speaker']>;
  readonly clock?: { readonly at: string; readonly runs: boolean } | null;
  readonly outside?: Readonly<Record<string, OutsideMode>>;
  readonly samples?: string[];
  readonly rows?: 'practice' | 'real';
}

export interface Simulation {
  /** Undefined until something is said or set. */
  readonly settings: Settings | undefined;
  /** All turns, branches included, in the order in which they were run. */
  readonly all: readonly TurnRecord[];
  /** The turns of the line that is talked on. */
  readonly turns: readonly TurnRecord[];
  /** The turn that the Map and the details show: one that was chosen, else the last. */
  readonly shown: TurnRecord | undefined;
  readonly busy: boolean;
  readonly live: LiveTurn | undefined;
  readonly paused: Paused | undefined;
  /** Pause before each node. */
  readonly stepping: boolean;
  readonly problem: string | undefined;
  /** What was said and is not answered yet, in order. */
  readonly pending: readonly string[];
  /** By `flow/node`: what each node that was tried here referred to then. */
  readonly tried: ReadonlyMap<string, string>;
  /** Starts a new conversation; the bot speaks first. */
  readonly begin: () => void;
  /** Says something; while the bot still answers, it waits for its turn. */
  readonly say: (text: string, more?: Omit<Extract<SimulatedEvent, { type: 'message' }>, 'type' | 'text'>) => void;
  readonly send: (sample: string) => void;
  /** Sets off a start that needs nothing to come in. */
  readonly fire: (start: string) => void;
  readonly start: (at: StartAt) => void;
  /** Gives a conversation that was handed over back to the bot, as staff would. */
  readonly handBack: () => void;
  readonly stop: () => void;
  readonly goOn: (go: 'step' | 'run' | 'stop', set?: Values) => void;
  readonly setStepping: (on: boolean) => void;
  /** Talks on from a turn; null is before the first. The other line stays. */
  readonly backTo: (turn: string | null) => void;
  /** Shows the line on which a turn stands, to its end. */
  readonly switchTo: (turn: string) => void;
  readonly show: (turn: string | undefined) => void;
  readonly sayAgain: () => void;
  readonly change: (change: SettingsChange) => Promise<void>;
  readonly open: (id: string) => Promise<void>;
}
