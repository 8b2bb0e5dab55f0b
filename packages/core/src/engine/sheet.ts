import { z } from 'zod';
import { TAKEN_AS, value as jsonValue, type Immutable } from '../document/shapes.js';
import { understood } from './effects/understand.js';
import { effectTypes, SHOWN, type Performed } from './effects/registry.js';
import { incomingEvent, variableValues } from './event.js';
import { workItem } from './agent/work.js';
import { message } from './message.js';
import { FACT_SOURCES } from '../memory/memory.js';

/*
 * The record of a turn, for people and programs. One schema: the engine's types come from it, the API documents it, and a
 * test holds that what the engine writes fits. Nothing is parsed on the way out.
 */

const moment = z.iso.datetime();
const values = z.record(z.string(), jsonValue);

/** A context that is open. `turns` is how many more messages it lasts, `until` the moment at which it ends. */
const openContext = z.strictObject({ values, turns: z.int().optional(), until: moment.optional() });
export type OpenContext = Immutable<z.infer<typeof openContext>>;
const openContexts = z.record(z.string(), openContext);

/** A conversation that staff have to answer: why, and since when. */
const handedOver = z.strictObject({ reason: z.string(), at: moment });
export type HandedOver = Immutable<z.infer<typeof handedOver>>;

/** A value that a field of a node read as in this turn. */
const resolvedValue = z.strictObject({ field: z.string(), source: z.string(), value: jsonValue });
export type ResolvedValue = Immutable<z.infer<typeof resolvedValue>>;

/** One node that ran. */
const step = z
  .strictObject({
    place: z.string().describe('its place in the turn: `3`, in a branch `3.0.2`'),
    branch: z.string().optional().describe('the branch of a `parallel` node in which it ran'),
    flow: z.string(),
    node: z.string(),
    kind: z.string(),
    exit: z.string().optional().describe('left out where the node waits, or ends the flow'),
    note: z.string().optional(),
    values: z.array(resolvedValue).describe('what each template and expression of the node read as'),
    effects: z.array(z.string()).describe('paths of the calls that it made'),
    set: values.optional().describe('variables changed by hand before it ran'),
    said: z.strictObject({ from: z.int(), to: z.int() }).optional().describe('which of the messages it said'),
    chose: z.string().optional().describe('the way that a model chose among those described to it'),
    work: z.array(workItem).optional().describe('what an agent did on its way, in order'),
    within: z.array(z.string()).optional().describe('agents that had called the flow in which it ran, as flow/node'),
  })
  .describe('one run of a node');
export type Step = Immutable<z.infer<typeof step>>;

/**
 * Why an intent that is sure enough is passed over: it begins no flow, its context is not open, it may not come between, the
 * node that waited took the words as its answer, it fills in nothing of the flow under way, flows stand too deep, the node that
 * listens is not for it, or the visitor said that they do not want it.
 */
export const PASSED_OVER = [
  'starts-nothing',
  'no-context',
  'stays',
  'answered',
  'fills-nothing',
  'too-deep',
  'not-heard',
  'denied',
] as const;
export type PassedOver = (typeof PASSED_OVER)[number];

const considered = z.strictObject({
  as: z.enum(TAKEN_AS),
  what: z.string(),
  score: z.number().optional().describe('how sure that would have been, from 0 to 1'),
});
export type Considered = Immutable<z.infer<typeof considered>>;

const taken = z
  .strictObject({
    as: z.enum(TAKEN_AS),
    of: z.string().optional().describe('what it corrects, goes on from, or wants'),
    considered: z.array(considered).optional().describe('what else it might have been'),
  })
  .describe('how the message was taken');
export type Taken = Immutable<z.infer<typeof taken>>;

/** What a message was understood as, and which intent the bot went by, if any. */
const heard = z
  .strictObject({
    ...understood.shape,
    from: z.number().optional().describe('the score that an intent must reach, where it is not the usual one'),
    took: z.string().optional().describe('the intent by which the bot went'),
    passed: z
      .array(z.strictObject({ intent: z.string(), why: z.enum(PASSED_OVER) }))
      .optional()
      .describe('intents that were sure enough, and why the bot did not go by them'),
    meant: z
      .strictObject({ text: z.string(), intent: z.string() })
      .optional()
      .describe('a message before that was not understood, and the intent that its visitor then chose'),
    filled: values.optional().describe('what the intent filled in of its flow'),
    by: z
      .enum(['begins', 'interrupts', 'fills', 'listen', 'follows'])
      .optional()
      .describe(
        'it began a flow, came between one, filled in what the flow under way asks, a node listened for it, or it goes on from what was said before',
      ),
  })
  .describe('what the message was understood as; left out where the bot listens for nothing');
export type Heard = Immutable<z.infer<typeof heard>>;

/** Something that did not go as the designer meant it, met while the turn ran. */
export const TURN_PROBLEMS = [
  'nothing-makes',
  'missing-value',
  'broken-value',
  'loop-cut',
  'node-gone',
  'action-failed',
  'table-failed',
  'notice-failed',
  'no-sign-in',
  'no-way-on',
  'wrong-type',
  'too-deep',
  'branch-late',
  'branch-waits',
  'branch-failed',
  'model-failed',
  'model-answer',
  'no-context',
  'value-too-large',
  'state-too-large',
  'turn-too-large',
  'message-cut',
  'pictures-left',
  'agent-stopped',
  'no-memory-key',
  'recall-failed',
] as const;
const turnProblem = z.strictObject({ code: z.enum(TURN_PROBLEMS), flow: z.string(), node: z.string(), facts: values });
export type TurnProblem = Immutable<z.infer<typeof turnProblem>>;

const memoryNote = z
  .discriminatedUnion('did', [
    z.strictObject({
      did: z.literal('kept'),
      about: z.string(),
      says: z.string(),
      lasts: z.enum(['always', 'now']),
      by: z.enum(FACT_SOURCES),
      before: z.string().optional().describe('what it takes the place of'),
    }),
    z.strictObject({ did: z.literal('proposed'), about: z.string(), says: z.string(), by: z.enum(FACT_SOURCES) }),
    z.strictObject({ did: z.literal('used'), about: z.string(), says: z.string(), into: z.string() }),
    z.strictObject({ did: z.literal('forgot'), about: z.string(), says: z.string() }),
    z.strictObject({ did: z.literal('forgot-all') }),
    z.strictObject({ did: z.literal('told') }),
    z.strictObject({ did: z.literal('refused'), says: z.string(), why: z.enum(['no-kind', 'never', 'order']) }),
  ])
  .describe('what was kept about the visitor, used, told or forgotten');
export type MemoryNote = Immutable<z.infer<typeof memoryNote>>;

const change = z.strictObject({ name: z.string(), before: jsonValue, after: jsonValue });
export type Change = Immutable<z.infer<typeof change>>;

/** An effect with what came of it; both are of the same type, which is more than the schemas of a list can tell the compiler. */
const performed = z.union(
  SHOWN.map((name) => z.strictObject({ request: effectTypes[name].request, result: effectTypes[name].result })),
) as z.ZodType as z.ZodType<Performed>;

const shape = z.strictObject({
  turn: z.int().min(1),
  heard: incomingEvent,
  understood: heard.optional(),
  taken: taken.optional().describe('how the message was taken; left out where nobody said anything'),
  contexts: z
    .strictObject({
      before: z.array(z.string()),
      after: z.array(z.string()),
      states: z.strictObject({ before: openContexts, after: openContexts }).optional(),
    })
    .optional()
    .describe('contexts that were open when the turn began and when it ended; left out where none was'),
  handed: handedOver.optional().describe('staff answer, and the bot is silent'),
  path: z.array(step),
  effects: z.array(performed),
  changes: z.array(change),
  problems: z.array(turnProblem),
  messages: z.array(message),
  ended: z.boolean(),
  language: z.string().optional().describe('in which the bot spoke; left out of records of older versions'),
  variables: variableValues.optional().describe('what variables hold after the turn; those of the flow on top'),
  left: z
    .array(z.strictObject({ flow: z.string(), values, failed: z.literal(true).optional() }))
    .optional()
    .describe('flows that were left, with what they held then'),
  memory: z.array(memoryNote).optional().describe('what became of facts; left out where nothing did'),
  known: z
    .array(
      z.strictObject({ about: z.string(), says: z.string(), value: jsonValue, lasts: z.enum(['always', 'now']), at: moment }),
    )
    .optional()
    .describe('what is known of the visitor after the turn; left out where nothing is'),
  stopped: z.boolean().optional().describe('somebody stopped it: this is how far it came'),
  rests: z.boolean().optional().describe('it goes on in another turn, without anybody saying anything'),
});

/** Everything needed to answer 'why did the bot say that'. */
export type TurnSheet = Immutable<z.infer<typeof shape>>;
export const turnSheet: z.ZodType<TurnSheet> = shape;
