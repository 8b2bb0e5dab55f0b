import { z } from 'zod';
import { value as jsonValue, type Immutable } from '../../document/shapes.js';

/*
 * What an agent did in one run of its node, step by step, for the turn sheet: asked its model, called tools, asked the visitor,
 * had its words checked, came to a limit.
 */

/** What became of a call that a model asked for. */
export const CALL_OUTCOMES = [
  'done',
  'failed',
  'refused',
  'began',
  'declined',
  'answered-otherwise',
  'repeated',
  'not-run',
] as const;
export type CallOutcome = (typeof CALL_OUTCOMES)[number];

export const LIMIT_SCOPES = ['turn', 'conversation', 'visitor', 'day'] as const;
export type LimitScope = (typeof LIMIT_SCOPES)[number];

const asked = z.strictObject({
  did: z.literal('asked'),
  effect: z.string().describe('path of the call of the model'),
  profile: z.string(),
  tokens: z.strictObject({ in: z.number(), out: z.number() }).nullable(),
  money: z.number().optional().describe('as the profile prices it; left out where it has no price'),
  wants: z.array(z.string()).optional().describe('tools that it asked for'),
});

const called = z.strictObject({
  did: z.literal('called'),
  call: z.string(),
  tool: z.string().describe('as the model calls it'),
  runs: z.string().describe('what it runs'),
  given: z.record(z.string(), jsonValue).describe('what it was given, fixed parameters included'),
  outcome: z.enum(CALL_OUTCOMES),
  reason: z.string().optional(),
  effect: z.string().optional().describe('path of the call outside'),
  gave: jsonValue.optional().describe('what the model was told of it'),
});

const confirmed = z.strictObject({
  did: z.literal('asked-first'),
  call: z.string(),
  tool: z.string(),
  says: z.string(),
  answer: z.enum(['yes', 'no', 'otherwise']).optional().describe('left out while nobody has answered'),
});

/** A claim of something that was not done, or not so. */
export const falseClaim = z.strictObject({
  says: z.string().describe('the sentence'),
  claims: z.string().describe('the words that claim it'),
  why: z.enum(['not-done', 'other-values']),
  values: z.array(z.string()).optional().describe('what is otherwise than it was done'),
});
export type FalseClaim = Immutable<z.infer<typeof falseClaim>>;

const checked = z.strictObject({
  did: z.literal('checked'),
  claims: z.array(falseClaim),
  unsaid: z.array(z.string()).describe('numbers, dates, prices and names that nobody has said before'),
  then: z.enum(['said', 'asked-again', 'corrected']).describe('what became of the words'),
  words: z.string().optional().describe('the words, where they were not said'),
});

const limited = z.strictObject({
  did: z.literal('stopped'),
  limit: z.enum(['steps', 'tokens', 'money', 'time', 'calls', 'circle']),
  of: z.enum(LIMIT_SCOPES),
  most: z.number(),
  used: z.number(),
});

export const workItem = z.discriminatedUnion('did', [asked, called, confirmed, checked, limited]);
export type WorkItem = Immutable<z.infer<typeof workItem>>;
