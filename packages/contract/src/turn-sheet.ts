import { jsonValue, type Message, type TurnSheet } from '@primrose/core';
import { z } from 'zod';

/*
 * The record of a turn as people and programs read it. Nothing here is parsed on the way out: the schema documents what the
 * engine writes, in the OpenAPI document and under /api/schema/turn.json, and a test holds that what it writes fits.
 */

const moment = z.iso.datetime();
const values = z.record(z.string(), jsonValue);
const variables = z.object({ flow: values, session: values, visitor: values });
const failure = z.object({
  outcome: z.literal('failed'),
  code: z.enum(['timeout', 'unreachable', 'refused', 'bad-answer', 'unknown-outcome', 'not-configured', 'no-sample', 'stopped']),
  reason: z.string().describe('a full sentence'),
  url: z.string().optional(),
});

const cite = z.object({ number: z.int(), title: z.string(), heading: z.string(), quote: z.string() });

/** What the bot says: CommonMark, the same as blocks, and the buttons under it. */
const messageShape = z.strictObject({
  text: z.string(),
  blocks: z.array(jsonValue).describe('the text as a tree that every channel draws; see the page on the API'),
  wait: z.number().optional().describe('how long the bot pauses before it, in ms'),
  choices: z.array(z.strictObject({ id: z.string(), says: z.string() })).optional(),
  cites: z.array(cite).optional(),
});
export const message = messageShape as unknown as z.ZodType<Message>;

const file = z.strictObject({ name: z.string(), type: z.string(), size: z.number(), address: z.string() });
const heard = z
  .strictObject({
    type: z.enum(['open', 'message', 'hand-back', 'start']),
    at: moment,
    channel: z.string(),
    text: z.string().optional(),
    choice: z.string().optional(),
    name: z.string().optional(),
    firstName: z.string().optional(),
    pictures: z.array(z.string()).optional(),
    files: z.array(file).optional(),
    zone: z.string().optional(),
    start: z.strictObject({ flow: z.string(), node: z.string(), variables, only: z.boolean().optional() }).optional(),
  })
  .describe('what came in; `at` is the only time that the turn sees');

const understood = z
  .strictObject({
    intents: z.array(z.strictObject({ intent: z.string(), score: z.number().min(0).max(1), roles: values })),
    values: z.array(z.looseObject({ entity: z.string(), value: jsonValue, from: z.int(), to: z.int(), text: z.string() })),
    took: z.string().optional().describe('the intent by which the bot went'),
    by: z.enum(['begins', 'interrupts', 'fills', 'listen']).optional(),
  })
  .describe('what the message was understood as; left out where the bot listens for nothing');

const openContexts = z.record(z.string(), z.strictObject({ values, turns: z.int().optional(), until: moment.optional() }));

const step = z
  .strictObject({
    place: z.string().describe('its place in the turn: `3`, in a branch `3.0.2`'),
    branch: z.string().optional(),
    flow: z.string(),
    node: z.string(),
    kind: z.string(),
    exit: z.string().optional().describe('left out where the node waits, or ends the flow'),
    note: z.string().optional(),
    values: z
      .array(z.strictObject({ field: z.string(), source: z.string(), value: jsonValue }))
      .describe('what each template and expression of the node read as'),
    effects: z.array(z.string()).describe('paths of the calls that it made'),
    set: values.optional().describe('variables changed by hand before it ran'),
    said: z.strictObject({ from: z.int(), to: z.int() }).optional().describe('which of the messages it said'),
  })
  .describe('one run of a node');

const base = { path: z.string() };
const actionCall = z.strictObject({
  request: z.strictObject({
    type: z.literal('action'),
    ...base,
    connection: z.string(),
    action: z.string(),
    method: z.string(),
    target: z.string(),
    query: z.record(z.string(), z.string()),
    headers: z.record(z.string(), z.string()).describe('those of the action; never the secret of the connection'),
    body: jsonValue,
    timeoutMs: z.number(),
    changes: z.boolean(),
    repeatable: z.boolean(),
  }),
  result: z.union([
    z.strictObject({ outcome: z.literal('answered'), status: z.int(), body: jsonValue, url: z.string().optional() }),
    failure,
  ]),
});
const modelCall = z.strictObject({
  request: z.strictObject({
    type: z.literal('model'),
    ...base,
    profile: z.string(),
    connection: z.string(),
    model: z.string(),
    messages: z.array(z.strictObject({ role: z.enum(['system', 'user']), content: z.string() })),
    schema: jsonValue.optional(),
    temperature: z.number().optional(),
    most: z.int().optional(),
    timeoutMs: z.number(),
    estimate: z.number(),
    aloud: z.boolean(),
    parts: z
      .array(z.strictObject({ part: z.string(), message: z.int(), from: z.int(), to: z.int(), tokens: z.number() }))
      .optional()
      .describe('where each part of the prompt stands: characters from, to before, of a message'),
  }),
  result: z.union([
    z.strictObject({
      outcome: z.literal('written'),
      text: z.string(),
      stopped: z.enum(['end', 'length']),
      tokens: z.strictObject({ in: z.number(), out: z.number() }).nullable(),
    }),
    failure,
  ]),
});
const lookupCall = z.strictObject({
  request: z.strictObject({ type: z.literal('lookup'), ...base, base: z.string(), question: z.string(), most: z.int() }),
  result: z.strictObject({
    outcome: z.literal('looked-up'),
    passages: z.array(
      z.looseObject({ number: z.int(), title: z.string(), heading: z.string(), quote: z.string(), score: z.number() }),
    ),
    covered: z.boolean(),
    share: z.number(),
    missing: z.array(z.string()),
  }),
});

export const turnSheetShape = z.strictObject({
  turn: z.int().min(1),
  heard,
  understood: understood.optional(),
  contexts: z
    .strictObject({
      before: z.array(z.string()),
      after: z.array(z.string()),
      states: z.strictObject({ before: openContexts, after: openContexts }).optional(),
    })
    .optional(),
  handed: z.strictObject({ reason: z.string(), at: moment }).optional(),
  path: z.array(step),
  effects: z.array(z.union([actionCall, modelCall, lookupCall])),
  changes: z.array(z.strictObject({ name: z.string(), before: jsonValue, after: jsonValue })),
  problems: z.array(z.strictObject({ code: z.string(), flow: z.string(), node: z.string(), facts: values })),
  messages: z.array(messageShape),
  ended: z.boolean(),
  language: z.string().optional(),
  variables: variables.optional().describe('what variables hold after the turn; those of the flow on top'),
  left: z
    .array(z.strictObject({ flow: z.string(), values }))
    .optional()
    .describe('flows that were left, with what they held then'),
  stopped: z.boolean().optional().describe('somebody stopped it: this is how far it came'),
});
export const turnSheet = turnSheetShape as unknown as z.ZodType<TurnSheet>;
