import type { Value } from '../document/shapes.js';
import type { FoundPassage, LookedUp } from '../knowledge/rank.js';
import type { Block } from '../text/markdown.js';
import type { Understood } from '../understanding/listener.js';

export type Values = Readonly<Record<string, Value>>;

/** One run of a flow. `reached` lists the ask nodes that this run has come to. */
export interface Frame {
  readonly flow: string;
  readonly node: string;
  readonly values: Values;
  readonly reached: readonly string[];
  /** It came between: when it is left, the node below it runs again. */
  readonly interrupts?: boolean;
}

/** A context that is open. `turns` is how many more messages it lasts, `until` the moment at which it ends (ISO 8601, UTC). */
export interface OpenContext {
  readonly values: Values;
  readonly turns?: number;
  readonly until?: string;
}

/** A conversation that staff have to answer: why, and since when (ISO 8601, UTC). */
export interface HandedOver {
  readonly reason: string;
  readonly at: string;
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

/** The state of a conversation between turns: plain JSON, nothing else is remembered. */
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
}

/** What comes in. `at` is the moment of acceptance (ISO 8601, UTC): the only time a turn ever sees. */
export interface IncomingEvent {
  readonly type: 'open' | 'message' | 'hand-back' | 'start';
  readonly at: string;
  readonly channel: string;
  readonly text?: string;
  readonly choice?: string;
  /** The visitor's name as the channel shows it, and the first name where the channel tells it apart. */
  readonly name?: string;
  readonly firstName?: string;
  /** Addresses of pictures that came along. */
  readonly pictures?: readonly string[];
  readonly files?: readonly SentFile[];
  /** The time zone in which the visitor is; the bot's own when it is left out. */
  readonly zone?: string;
  /** Where a `start` begins. */
  readonly start?: StartAt;
}

/** A file that came along: what it is called, its media type, its size in bytes and where it can be fetched. */
export interface SentFile {
  readonly name: string;
  readonly type: string;
  readonly size: number;
  readonly address: string;
}

/** What variables hold, by scope. */
export interface VariableValues {
  readonly flow: Values;
  readonly session: Values;
  readonly visitor: Values;
}

/** A node at which a conversation is to begin, with what variables hold there. `only`: it runs by itself, and nothing after it. */
export interface StartAt {
  readonly flow: string;
  readonly node: string;
  readonly variables: VariableValues;
  readonly only?: boolean;
}

/** Where something that is said stands: one numbered passage of a document. */
export type Citation = Pick<FoundPassage, 'number' | 'title' | 'heading' | 'quote'>;

/** What the bot says: CommonMark, the same as blocks, and the buttons under it. `wait` is how long the bot pauses before it, in ms. */
export interface Message {
  readonly text: string;
  readonly blocks: readonly Block[];
  readonly wait?: number;
  readonly choices?: readonly { readonly id: string; readonly says: string }[];
  readonly cites?: readonly Citation[];
}

/**
 * One call of an outside service. `path` is its stable place in the turn; `changes` is false for reading only;
 * `repeatable` says that doing it twice is the same as doing it once.
 */
export interface ActionEffect {
  readonly type: 'action';
  readonly path: string;
  readonly connection: string;
  readonly action: string;
  readonly method: string;
  readonly target: string;
  readonly query: Readonly<Record<string, string>>;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Value;
  readonly timeoutMs: number;
  readonly changes: boolean;
  readonly repeatable: boolean;
}

/** Time that passes: what bounds a branch of a `parallel` node. */
export interface TimerEffect {
  readonly type: 'timer';
  readonly path: string;
  readonly ms: number;
}

/** What a message means; computed from the bot itself, so it is the same each time. */
export interface UnderstandEffect {
  readonly type: 'understand';
  readonly path: string;
  readonly text: string;
  readonly language: string;
  /** The moment and the time zone of the event: 'tomorrow' depends on them. */
  readonly at: string;
  readonly zone: string;
}

/** What a knowledge base has on a question; computed from the bot itself as well. */
export interface LookupEffect {
  readonly type: 'lookup';
  readonly path: string;
  readonly base: string;
  readonly question: string;
  readonly most: number;
}

/** One call of a model in the chat-completions form. `schema` is the JSON Schema that the answer should fit. */
export interface ModelEffect {
  readonly type: 'model';
  readonly path: string;
  readonly profile: string;
  readonly connection: string;
  readonly model: string;
  readonly messages: readonly { readonly role: 'system' | 'user'; readonly content: string }[];
  readonly schema?: Value;
  readonly temperature?: number;
  readonly most?: number;
  readonly timeoutMs: number;
  /** About how many tokens the messages are. */
  readonly estimate: number;
  /** The words may be shown while they are written: they are said as they are. */
  readonly aloud: boolean;
  /** Where each part of the prompt stands: characters `from` to `to` of a message, and about how many tokens they are. */
  readonly parts?: readonly PromptPart[];
}

export interface PromptPart {
  readonly part: string;
  readonly message: number;
  readonly from: number;
  readonly to: number;
  readonly tokens: number;
}

/** Asked for before each node while a turn is run step by step: it goes on when somebody says so. */
export interface StepEffect {
  readonly type: 'step';
  readonly path: string;
  readonly flow: string;
  readonly node: string;
}
export type Effect = ActionEffect | TimerEffect | UnderstandEffect | LookupEffect | ModelEffect | StepEffect;

export type FailureCode =
  'timeout' | 'unreachable' | 'refused' | 'bad-answer' | 'unknown-outcome' | 'not-configured' | 'no-sample' | 'stopped';

/** What came of an effect. An answer of any HTTP status is `answered`; `reason` of a failure is a full sentence. */
export type EffectResult =
  | { readonly outcome: 'answered'; readonly status: number; readonly body: Value; readonly url?: string }
  | { readonly outcome: 'failed'; readonly code: FailureCode; readonly reason: string; readonly url?: string };

/** What a model wrote. `stopped` is why it ended: by itself, or at the most that it may write. Tokens are null where the service does not say. */
export type ModelResult =
  | {
      readonly outcome: 'written';
      readonly text: string;
      readonly stopped: 'end' | 'length';
      readonly tokens: { readonly in: number; readonly out: number } | null;
    }
  | (EffectResult & { readonly outcome: 'failed' });

export type UnderstandResult = { readonly outcome: 'understood' } & Understood;
export type LookupResult = { readonly outcome: 'looked-up' } & LookedUp;
/** Go on from a step, with variables (`flow.x`, `session.x`, `visitor.x`) that were changed by hand. */
export interface StepResult {
  readonly outcome: 'go-on';
  readonly set?: Values;
}

/** The result of an effect, with the effect's path. */
export interface Completed {
  readonly path: string;
  readonly result: EffectResult | ModelResult | UnderstandResult | LookupResult | StepResult | { readonly outcome: 'elapsed' };
}

/**
 * What `advance` yields: effects to begin now, and what was said up to here, which may be sent at once. It is resumed
 * with at least one result of those under way, in the order in which they came; without new effects it goes on waiting.
 */
export interface EffectBatch {
  readonly effects: readonly Effect[];
  readonly said: readonly Message[];
}

/** A value that a field of a node read as in this turn. */
export interface ResolvedValue {
  readonly field: string;
  readonly source: string;
  readonly value: Value;
}

/** One node that ran, at its `place` in the turn (`3`, in a branch `3.0.2`). `effects` are paths into the sheet's effects. */
export interface Step {
  readonly place: string;
  /** The branch of a `parallel` node in which it ran. */
  readonly branch?: string;
  readonly flow: string;
  readonly node: string;
  readonly kind: string;
  readonly exit?: string;
  readonly note?: string;
  readonly values: readonly ResolvedValue[];
  readonly effects: readonly string[];
  /** Variables that were changed by hand before it ran. */
  readonly set?: Values;
  /** What it said: the turn's messages from one number to before another. */
  readonly said?: { readonly from: number; readonly to: number };
}

/** Something that did not go as the designer meant it, met while the turn ran. */
export interface TurnProblem {
  readonly code:
    | 'missing-value'
    | 'broken-value'
    | 'loop-cut'
    | 'node-gone'
    | 'action-failed'
    | 'no-way-on'
    | 'wrong-type'
    | 'too-deep'
    | 'branch-late'
    | 'branch-waits'
    | 'branch-failed'
    | 'model-failed'
    | 'model-answer'
    | 'no-context';
  readonly flow: string;
  readonly node: string;
  readonly facts: Readonly<Record<string, Value>>;
}

export interface Change {
  readonly name: string;
  readonly before: Value;
  readonly after: Value;
}

/** What a message was understood as, and which intent the bot went by, if any. */
export interface Heard extends Understood {
  readonly took?: string;
  /** How it came to count: it began a flow, came between one, filled in what the flow under way asks, or a node listened for it. */
  readonly by?: 'begins' | 'interrupts' | 'fills' | 'listen';
}

/** One effect with what came of it, as the sheet keeps it. Understanding has a place of its own there. */
export type Performed = ActionCall | ModelCall | LookupCall;
export interface ActionCall {
  readonly request: ActionEffect;
  readonly result: EffectResult;
}
export interface ModelCall {
  readonly request: ModelEffect;
  readonly result: ModelResult;
}
export interface LookupCall {
  readonly request: LookupEffect;
  readonly result: LookupResult;
}

/** The record of a turn: everything needed to answer 'why did the bot say that'. */
export interface TurnSheet {
  readonly turn: number;
  readonly heard: IncomingEvent;
  /** Left out where the bot listens for no intents, or nothing was said. */
  readonly understood?: Heard;
  /** Contexts that were open when the turn began and when it ended, with what they carry; left out where none was. */
  readonly contexts?: {
    readonly before: readonly string[];
    readonly after: readonly string[];
    readonly states?: {
      readonly before: Readonly<Record<string, OpenContext>>;
      readonly after: Readonly<Record<string, OpenContext>>;
    };
  };
  /** Set while staff answer and the bot is silent. */
  readonly handed?: HandedOver;
  readonly path: readonly Step[];
  readonly effects: readonly Performed[];
  readonly changes: readonly Change[];
  readonly problems: readonly TurnProblem[];
  readonly messages: readonly Message[];
  readonly ended: boolean;
  /** What variables hold after the turn; those of the flow on top. Left out of records of older versions. */
  readonly variables?: VariableValues;
  /** The language in which the bot spoke; left out of records of older versions. */
  readonly language?: string;
  /** The variables of flows that were left in the turn, as they were then. */
  readonly left?: readonly { readonly flow: string; readonly values: Values }[];
  /** Somebody stopped it before it was done: this is how far it came. */
  readonly stopped?: boolean;
}

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
}

/** Told as a turn runs, for timings and for showing it live; it cannot influence the turn. `step` is what is known so far. */
export type Observer = (place: string, phase: 'begins' | 'ends', step: Step) => void;
