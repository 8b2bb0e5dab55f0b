import type { BotDocument } from '../document/schema.js';
import type { TalkHabits, Value } from '../document/shapes.js';
import type { Compiler } from './compiler.js';
import type { IncomingEvent } from './event.js';
import type { EngineLimits } from './limits.js';
import type { FlowTalk } from './talk/flow-talk.js';
import type { PreparedFact } from './prepared.js';
import type { OfferedChoice, Values, Waiting, Walking } from './types.js';

/*
 * What a bot is compiled to. The turn on which its nodes run is a parameter, so that neither file needs the other.
 */

/** What a node came to: leave by an exit, wait for the visitor, call a flow, rest and run again in a turn of its own, or end. */
export type Outcome =
  | { readonly exit: string; readonly note?: string }
  | { readonly wait: Waiting }
  | { readonly calls: string; readonly values: Values }
  | { readonly rests: true }
  /** It has noted what it heard, and runs with that at once. */
  | { readonly again: string }
  | { readonly ends: 'flow' | 'failed' | 'conversation' };

/** What a node does, asking for effects on the way or not. */
export type Running = Outcome | Walking<Outcome>;

/** What a waiting node would make of a message: how sure it is (0 to 1), in a few words as what, and what it then comes to. */
export interface Reading {
  readonly sure: number;
  readonly as: string;
  /** It is for whatever its own flow is for: what sounds like a wish for that is an answer. */
  readonly own?: true;
  readonly take: () => Running;
}

/**
 * What a message is to a waiting node, before anything is done: what it would make of it, and what it comes to where the message
 * is nothing for it. Which of the two it is depends on what else the message may be. A node that waits for no words just goes on.
 */
export type Hearing = Outcome | { readonly reads?: Reading | undefined; readonly missed: () => Running };

/** How a flow was left: the values of its variables then, and whether it did what it was called for. */
export interface Left {
  readonly values: Values;
  readonly failed: boolean;
}

/** A node ready to run. `hear` answers a message that came while the node waited; `back` goes on after a flow it called. */
export interface Prepared<Turn> {
  readonly run: (turn: Turn) => Running;
  readonly hear?: (turn: Turn, event: IncomingEvent, waiting: Waiting) => Hearing | Walking<Hearing>;
  readonly back?: (turn: Turn, left: Left) => Running;
  /** What it asks, in the visitor's language. */
  readonly asks?: (turn: Turn) => string;
  /** Why it does not take a value, in words for the visitor; undefined where it does. */
  readonly refuses?: (turn: Turn, value: Value) => string | undefined;
  /** The value that words would be to it; undefined where they are none. */
  readonly valueIn?: (turn: Turn, said: string) => Value | undefined;
  /** Habits of conversation that are otherwise at such a node, where the designer says nothing of them. */
  readonly talk?: TalkHabits;
  /** What it offers now; undefined for a node that offers nothing. */
  readonly offers?: (turn: Turn) => readonly OfferedChoice[];
}

export interface CompiledNode<Turn> extends Prepared<Turn> {
  readonly flow: string;
  readonly id: string;
  readonly kind: string;
  readonly exits: Readonly<Record<string, string>>;
  /** It waits for somebody. */
  readonly waits: boolean;
  /** Set on a node that is switched off: the exit through which the walk passes it. */
  readonly passesBy?: string;
}

export interface CompiledFlow<Turn> {
  readonly id: string;
  readonly begin: string | undefined;
  readonly nodes: ReadonlyMap<string, CompiledNode<Turn>>;
  /** Every name that the flow knows, empty: what an expression finds before a value was set. */
  readonly empty: Readonly<Record<string, Value>>;
  /** Which of its variables hold values of a list entity, and of which. */
  readonly listed: Readonly<Record<string, string>>;
  /** What is asked in it, and what depends on what. */
  readonly talk: FlowTalk;
}

/** A bot checked, indexed and parsed once; `advance` parses nothing. */
export interface CompiledBot<Turn> {
  readonly compiler: Compiler;
  readonly document: BotDocument;
  readonly flows: ReadonlyMap<string, CompiledFlow<Turn>>;
  readonly settings: Readonly<Record<string, Value>>;
  readonly emptySession: Readonly<Record<string, Value>>;
  readonly emptyVisitor: Readonly<Record<string, Value>>;
  /** Every declared context, closed. */
  readonly emptyContexts: Readonly<Record<string, Value>>;
  /** What is said of facts, by kind. */
  readonly facts: ReadonlyMap<string, PreparedFact>;
  readonly listens: boolean;
  /** The same of the variables that outlive a flow, as `session.x` and `visitor.x`. */
  readonly listed: Readonly<Record<string, string>>;
  /** It has nodes whose words are held against what was done. */
  readonly holdsWords: boolean;
  /** What is said is kept for turns to come: a node is shown the past of its visitor, or somebody sums it up. */
  readonly recalls: boolean;
  /** What its turns may come to. */
  readonly limits: EngineLimits;
}
