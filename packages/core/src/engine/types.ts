import type { Value } from '../document/shapes.js';
import type { Deed } from '../honesty/index.js';
import type { Completed, Effect } from './effects/registry.js';
import type { Spending } from './effects/spent.js';
import type { IncomingEvent } from './event.js';
import type { Message } from './message.js';
import type { HandedOver, Heard, OpenContext, Step, TurnSheet } from './sheet.js';
import type { Fact, KeyedChange, Memory, Proposal, SessionFacts } from '../memory/index.js';

export type Values = Readonly<Record<string, Value>>;

/** One run of a flow. `reached` lists the ask nodes that this run has come to. */
export interface Frame {
  readonly flow: string;
  readonly node: string;
  readonly values: Values;
  readonly reached: readonly string[];
  /** What the node that stands there keeps for itself until it is left. */
  readonly memo?: Value;
  /** Somebody has answered the node that stands there, and it has changed something outside. */
  readonly answered?: boolean;
  readonly did?: boolean;
  /** It came between: when it is left, the node below it runs again. */
  readonly interrupts?: boolean;
  /** The nodes that it came by, the oldest first. */
  readonly trail?: readonly Passed[];
  /** Which node gave a variable of the flow its value. */
  readonly wrote?: Readonly<Record<string, string>>;
  /** What is not asked again after a correction: by which exit a node is left that was answered before. */
  readonly stays?: Readonly<Record<string, string>>;
  /** Things that somebody has chosen or talked about: where one of them is offered, it is taken. */
  readonly means?: readonly Value[];
  /** The wish that it was begun for. */
  readonly wish?: Wish;
  /** Other wishes were said together with its own: they come when it is left. */
  readonly leads?: boolean;
  /** What it waited for when something came between, where it goes on waiting for that without asking again. */
  readonly waited?: Waiting;
}

/** A node that a run of a flow came by, and the exit by which it was left. */
export interface Passed {
  readonly node: string;
  readonly exit: string;
  /** Somebody answered it. */
  readonly heard?: true;
  /** It changed something outside, which nothing takes back. */
  readonly did?: true;
}

/** What somebody wanted: in which words, in which turn, and as which intent it was understood. */
export interface Wish {
  readonly text: string;
  readonly turn: number;
  readonly intent?: string;
}

/** A wish that was seen to, and what its flow held then. */
export interface PastWish extends Wish {
  /** The turn in which it was done with. */
  readonly ended: number;
  readonly flow: string;
  readonly values: Values;
  /** Something outside was changed for it. */
  readonly did?: true;
}

/** A wish that waits for its turn: it was said together with another one. */
export interface LaterWish {
  readonly text: string;
  readonly intent: string;
  readonly values: Values;
}

/** What a button of the bot itself leads to, besides the buttons of the node that waits. */
export type Way =
  | { readonly to: 'wish'; readonly intent: string; readonly text: string; readonly values: Values }
  | { readonly to: 'person' }
  | { readonly to: 'correct'; readonly target: string; readonly value: Value }
  | { readonly to: 'anew'; readonly flow: string; readonly values: Values; readonly text: string }
  | { readonly to: 'fact'; readonly proposal: Proposal; readonly lasts: Fact['lasts'] };

/** A button of the bot itself. It counts for the next message only. */
export interface OfferedWay {
  readonly id: string;
  readonly says: string;
  readonly way: Way;
}

/** What the bot keeps of the conversation beside its flows. Left out while there is nothing. */
export interface TalkState {
  /** How many events it has had. */
  readonly turn?: number;
  /** Messages in a row that were not understood. */
  readonly misses?: number;
  /** Wishes that were seen to, the newest last. */
  readonly past?: readonly PastWish[];
  readonly later?: readonly LaterWish[];
  readonly offers?: readonly OfferedWay[];
  /** The question that was looked up last, and when: the next one may lean on it. */
  readonly looked?: { readonly question: string; readonly turn: number };
  /** Files that were sent in this conversation, the newest last. */
  readonly files?: readonly { readonly name: string; readonly address: string }[];
  /** What the bot said last. */
  readonly said?: readonly Pick<Message, 'text' | 'choices'>[];
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
  /** What was offered before is looked at again, for a correction. */
  readonly recalled?: true;
  readonly choices?: readonly OfferedChoice[];
}

/** What was said in the parts before of a turn that rested, and words that wait for what is said next. */
export interface RestingTalk {
  readonly said: readonly Pick<Message, 'text' | 'choices'>[];
  readonly lead?: string;
  readonly leadsQuestion?: boolean;
}

/** What a turn that rests leaves to the one that goes on with it: it is still about the same event. */
export interface Resting {
  readonly event: IncomingEvent;
  readonly heard?: Heard;
  readonly failure?: Value;
  readonly nodeRuns: number;
  /** How often agents asked a model so far. Left out where none did. */
  readonly agentSteps?: number;
  /** What the record of the parts before came to, in characters. Left out in states of older versions. */
  readonly size?: number;
  /** A pause that nothing was said behind yet, in ms. */
  readonly wait: number;
  /** Contexts that were opened since the event came: it does not count against their life. */
  readonly fresh: readonly string[];
  /** Left out in states of older versions. */
  readonly talk?: RestingTalk;
}

/** Who a visitor is known as: what the host page, a mailbox or an identity service says of them. */
export interface KnownAs {
  readonly name: string | null;
  readonly email: string | null;
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
  readonly talk?: TalkState;
  /** What was done in it and what agents have spent. Left out in bots without agents. */
  readonly work?: { readonly deeds: readonly Deed[]; readonly spent: Readonly<Record<string, Spending>> };
  /** What connections keep for it, such as a session there. Left out while none does. */
  readonly kept?: Readonly<Record<string, Readonly<Record<string, string>>>>;
  /** Set while a node rests: a `go-on` event takes it up. */
  readonly resting?: Resting;
  /** What is kept about the visitor, across conversations. Left out while nothing is. */
  readonly memory?: Memory;
  /** Facts for this conversation only, and those to be asked about. Left out while there are none. */
  readonly facts?: SessionFacts;
}

/**
 * What `advance` yields: effects to begin now, and what was said up to here, which may be sent at once. It is resumed
 * with at least one result of those under way, in the order in which they came; without new effects it goes on waiting.
 */
export interface EffectBatch {
  readonly effects: readonly Effect[];
  readonly said: readonly Message[];
  /** What is under way, in words for the visitor. */
  readonly doing?: string;
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
  /** How what is kept about the visitor, or under keys, has changed. */
  readonly memoryChanges: readonly KeyedChange[];
  readonly messages: readonly Message[];
  readonly sheet: TurnSheet;
  /** It is to go on by an internal event, once this much is stored. */
  readonly rests: boolean;
  /** What agents have spent in it, by flow/node. */
  readonly spent: Readonly<Record<string, Spending>>;
  /** The outermost flow that was left, and all that its variables held then; undefined where none was. */
  readonly over?: { readonly flow: string; readonly values: Values; readonly failed: boolean };
}

/** Told as a turn runs, for timings and for showing it live; it cannot influence the turn. `step` is what is known so far. */
export type Observer = (place: string, phase: 'begins' | 'ends', step: Step) => void;
