import type { Value } from '../document/shapes.js';
import type { Completed, Effect } from './effects/registry.js';
import type { IncomingEvent } from './event.js';
import type { Message } from './message.js';
import type { HandedOver, Heard, OpenContext, Step, TurnSheet } from './sheet.js';

export type Values = Readonly<Record<string, Value>>;

/** One run of a flow. `reached` lists the ask nodes that this run has come to. */
export interface Frame {
  readonly flow: string;
  readonly node: string;
  readonly values: Values;
  readonly reached: readonly string[];
  /** What the node that stands there keeps for itself until it is left. */
  readonly memo?: Value;
  /** It came between: when it is left, the node below it runs again. */
  readonly interrupts?: boolean;
}

/** A button or typed answer that a waiting choice accepts; `value` goes into its variable. */
export interface OfferedChoice {
  readonly id: string;
  readonly exit: string;
  readonly says: string;
  readonly value?: Value;
}

/** What the node on top of the stack waits for. `tries` counts answers that were not understood. */
export interface Waiting {
  readonly tries: number;
  readonly choices?: readonly OfferedChoice[];
}

/** What a turn that rests leaves to the one that goes on with it: it is still about the same event. */
export interface Resting {
  readonly event: IncomingEvent;
  readonly heard?: Heard;
  readonly failure?: Value;
  readonly nodeRuns: number;
  /** What the record of the parts before came to, in characters. Left out in states of older versions. */
  readonly size?: number;
  /** A pause that nothing was said behind yet, in ms. */
  readonly wait: number;
  /** Contexts that were opened since the event came: it does not count against their life. */
  readonly fresh: readonly string[];
}

/** The state of a conversation or another run between turns: plain JSON, nothing else is remembered. */
export interface Session {
  readonly language: string;
  readonly frames: readonly Frame[];
  readonly session: Values;
  readonly visitor: Values;
  readonly wordings: Readonly<Record<string, number>>;
  readonly turns: number;
  readonly waiting: Waiting | null;
  readonly over: boolean;
  /** The moment of the last event (ISO 8601, UTC); null before the first. */
  readonly at: string | null;
  /** Left out while none is open. */
  readonly contexts?: Readonly<Record<string, OpenContext>>;
  /** Left out while the bot answers itself. */
  readonly handed?: HandedOver;
  /** Languages of the visitor's that the bot has not, and has said so. Left out while there is none. */
  readonly toldOf?: readonly string[];
  /** Set while a node rests: a `go-on` event takes it up. */
  readonly resting?: Resting;
}

/**
 * What `advance` yields: effects to begin now, and what was said up to here, which may be sent at once. It is resumed
 * with at least one result of those under way, in the order in which they came; without new effects it goes on waiting.
 */
export interface EffectBatch {
  readonly effects: readonly Effect[];
  readonly said: readonly Message[];
}

/** A part of a turn that asks for effects while it runs. */
export type Walking<T> = Generator<EffectBatch, T, readonly Completed[]>;

/** A change to a variable that is kept across conversations, as an operation: two of them at once are both kept. */
export interface VisitorChange {
  readonly op: 'set' | 'add' | 'remove';
  readonly name: string;
  readonly value: Value;
  /** The variable is declared as a list. */
  readonly list?: boolean;
}

export interface TurnResult {
  readonly session: Session;
  readonly visitorChanges: readonly VisitorChange[];
  readonly messages: readonly Message[];
  readonly sheet: TurnSheet;
  /** It is to go on by an internal event, once this much is stored. */
  readonly rests: boolean;
}

/** Told as a turn runs, for timings and for showing it live; it cannot influence the turn. `step` is what is known so far. */
export type Observer = (place: string, phase: 'begins' | 'ends', step: Step) => void;
