import { z } from 'zod';
import { duration, id, LANGUAGE_PATTERN, name, TAKEN_AS, target, value } from './shapes.js';

/** Failures of a call that a sample can play. */
export const FAILURES = ['timeout', 'unreachable', 'refused', 'bad-answer'] as const;
const about = z.string().max(500).optional();
const words = z.string().max(4000);
/** It answers only where a rehearsal or a simulation names it. */
const named = z.literal(true).optional();

/** What an action came back with. `asked` narrows it to requests that hold all of this. */
export const actionSample = z.strictObject({
  about,
  /** The action, as `connection.action`. */
  answers: z.string().max(161),
  named,
  asked: z
    .strictObject({
      target: z.string().max(2000).optional(),
      query: z.record(z.string(), z.string()).optional(),
      body: value.optional(),
    })
    .optional(),
  /** The HTTP status; 200 when it is left out. */
  status: z.number().int().min(100).max(599).optional(),
  body: value.optional(),
  /** It failed instead of answering. */
  fails: z.enum(FAILURES).optional(),
});

/** What a model wrote. `asked` narrows it to prompts that hold these words. */
export const modelSample = z.strictObject({
  about,
  /** The model profile. */
  writes: id,
  named,
  asked: words.optional(),
  text: z.string().max(100_000).optional(),
  /** Tools that it asks for. */
  calls: z
    .array(z.strictObject({ name: z.string().max(100), given: value.optional() }))
    .max(64)
    .optional(),
  tokens: z.strictObject({ in: z.number().int().min(0), out: z.number().int().min(0) }).optional(),
  fails: z.enum(FAILURES).optional(),
});

/** What a tool of an MCP server gave. `asked` narrows it to calls with these parameters. */
export const mcpSample = z.strictObject({
  about,
  /** The tool, as `connection.tool`. */
  tool: z.string().max(190),
  named,
  asked: z.record(z.string(), value).optional(),
  gave: value.optional(),
  fails: z.enum(FAILURES).optional(),
});

/** What came in at a hook or with a call: the body as it was read, and what else the mapping may name. */
export const hookSample = z.strictObject({
  about,
  /** The start that it came to. */
  came: id,
  body: value,
  headers: z.record(z.string(), z.string()).optional(),
  query: z.record(z.string(), z.string()).optional(),
});

/** Something that came in. */
export const eventSample = z.strictObject({
  about,
  says: words.optional(),
  presses: z.string().max(100).optional(),
  channel: z.string().max(40).optional(),
  name: z.string().max(80).optional(),
  pictures: z.array(z.string().max(1_500_000)).max(8).optional(),
  files: z
    .array(z.strictObject({ name: z.string().max(200), type: z.string().max(100), size: z.number(), address: z.string() }))
    .max(8)
    .optional(),
});

/** A kept incoming event or outside result, reused so that nothing outside is called. */
export const sample = z.union([actionSample, modelSample, mcpSample, hookSample, eventSample]);
export type ActionSample = z.infer<typeof actionSample>;
export type ModelSample = z.infer<typeof modelSample>;
export type McpSample = z.infer<typeof mcpSample>;
export type HookSample = z.infer<typeof hookSample>;
export type EventSample = z.infer<typeof eventSample>;
export type Sample = z.infer<typeof sample>;

export function isActionSample(kept: Sample): kept is ActionSample {
  return 'answers' in kept;
}
export function isModelSample(kept: Sample): kept is ModelSample {
  return 'writes' in kept;
}
export function isMcpSample(kept: Sample): kept is McpSample {
  return 'tool' in kept;
}
export function isHookSample(kept: Sample): kept is HookSample {
  return 'came' in kept;
}
export function isEventSample(kept: Sample): kept is EventSample {
  return !isActionSample(kept) && !isModelSample(kept) && !isMcpSample(kept) && !isHookSample(kept);
}

const oneOrMore = <T extends z.ZodType>(of: T) => z.union([of, z.array(of)]);
/** A node as `flow/node`. */
const place = z.string().regex(/^[a-z][a-z0-9-]*\/[a-z][a-z0-9-]*$/, 'a node as flow/node, such as welcome/greet');
/** Where a bot waits: at a node, or before the first of a flow until somebody has signed in. */
const waitingPlace = z
  .string()
  .regex(/^[a-z][a-z0-9-]*\/(~sign-in|[a-z][a-z0-9-]*)$/, 'a node as flow/node, such as welcome/greet');

/** What a turn of a rehearsal has to come to. What is left out may be anything. */
export const expectation = z.strictObject({
  /** Each stands in what the bot says, whatever the spaces. */
  words: oneOrMore(words).optional(),
  /** None of these does. */
  not: oneOrMore(words).optional(),
  /** RE2 patterns that what the bot says fits. */
  pattern: oneOrMore(z.string().max(500)).optional(),
  /** Nodes that the turn comes by, in this order. */
  node: oneOrMore(place).optional(),
  /** Where the bot waits afterwards. */
  waits: waitingPlace.optional(),
  /** The intent by which the bot goes; null for none. */
  intent: id.nullable().optional(),
  /** How the message is taken. */
  taken: z.enum(TAKEN_AS).optional(),
  /** What variables hold afterwards; null for empty. */
  values: z.record(target, value).optional(),
  /** What is known of the visitor afterwards, by kind of fact; null for nothing. */
  facts: z.record(name, value).optional(),
  /** The way that a model chose, by node as flow/node. */
  chose: z.record(place, id).optional(),
  /** What is done outside, in this order and nothing else: `connection.action`, `model profile`, `lookup base`. */
  effects: z.array(z.string().max(200)).optional(),
  /** Tools that an agent called, in this order, each with some of its parameters; others may have been called between. */
  called: z.array(z.strictObject({ tool: z.string().max(100), with: z.record(z.string(), value).optional() })).optional(),
  /** Tools that no agent called. */
  'not-called': oneOrMore(z.string().max(100)).optional(),
  /** What a reply claimed that was not so: `nothing`, or `something` where the bot is to be caught at it. */
  claimed: z.enum(['nothing', 'something']).optional(),
  /** The words of the buttons, in this order. */
  choices: z.array(z.string().max(500)).optional(),
  /** What the flow that a start began gives. */
  gives: z.record(name, value).optional(),
  /** Rows that tables hold afterwards, each by some of its columns; an empty list for no row at all. */
  rows: z.record(id, z.array(z.record(name, value))).optional(),
  ended: z.boolean().optional(),
  handed: z.boolean().optional(),
});
export type Expectation = z.infer<typeof expectation>;

/** What a start is set off with: a kept body, one written here, a row, or for a schedule nothing. */
const firing = z.strictObject({
  start: id.optional(),
  /** A page is filled in, with `given` as its inputs. */
  page: id.optional(),
  sample: id.optional(),
  body: value.optional(),
  row: z.record(name, value).optional(),
  before: z.record(name, value).optional(),
  /** What its flow takes, past the mapping. */
  given: z.record(name, value).optional(),
});
export type Firing = z.infer<typeof firing>;

/** One turn: exactly one of `opens`, `says`, `presses`, `sends`, `fires`, `starts` and `hands-back` says what comes in, or `signs-in` does alone. */
export const rehearsedTurn = z.strictObject({
  opens: z.literal(true).optional(),
  says: words.optional(),
  /** A button, by its words or its id. */
  presses: z.string().max(500).optional(),
  /** A kept event. */
  sends: id.optional(),
  /** A start is set off, as a run of its own. */
  fires: firing.optional(),
  starts: z.strictObject({ node: place, values: z.record(target, value).optional() }).optional(),
  /** Staff hand back what was handed over; `closes`: they end the conversation. */
  'hands-back': z.union([z.literal(true), z.literal('closes')]).optional(),
  /** From here on the visitor has signed in as somebody; alone it is all that comes in. */
  'signs-in': z.strictObject({ name: z.string().max(200).optional(), email: z.string().max(254).optional() }).optional(),
  /** How long after the turn before it comes; ten seconds when it is left out. */
  after: duration.optional(),
  /** Samples that answer in this turn before all others. */
  samples: z.array(id).optional(),
  expects: expectation.optional(),
});
export type RehearsedTurn = z.infer<typeof rehearsedTurn>;
export const WAYS_IN = ['opens', 'says', 'presses', 'sends', 'fires', 'starts', 'hands-back'] as const;

/** A kept conversation with expectations: the bot's test. */
export const rehearsal = z.strictObject({
  about,
  off: z.boolean().optional(),
  visitor: z
    .strictObject({
      name: z.string().max(80).optional(),
      first_name: z.string().max(80).optional(),
      email: z.string().max(254).optional(),
      /** They have signed in, so that flows for signed-in visitors are open to them. */
      signed_in: z.boolean().optional(),
      language: z.string().regex(LANGUAGE_PATTERN).optional(),
      zone: z.string().max(60).optional(),
      channel: z.string().max(40).optional(),
      /** What the visitor's kept variables hold at first. */
      kept: z.record(name, value).optional(),
      /** What is known of them at first, by kind of fact. */
      facts: z.record(name, value).optional(),
    })
    .optional(),
  /** The moment of the first turn (ISO 8601, UTC). */
  clock: z.iso.datetime().optional(),
  /** Samples that answer before all others. */
  samples: z.array(id).optional(),
  /** The rows that its tables begin with; none where nothing is said. */
  rows: z.record(id, z.array(z.record(name, value)).max(500)).optional(),
  turns: z.array(rehearsedTurn).min(1).max(300),
});
export type Rehearsal = z.infer<typeof rehearsal>;
