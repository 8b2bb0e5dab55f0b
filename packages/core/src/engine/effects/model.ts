import { z } from 'zod';
import { FAILURES, isModelSample, type Sample } from '../../document/rehearsals.js';
import { value as jsonValue, type Immutable, type Value } from '../../document/shapes.js';
import { checksum } from '../../text/checksum.js';
import { estimateTokens } from '../../text/tokens.js';
import { defineEffect, failure, failureOf, place, playedFailure } from './effect.js';

const call = z.strictObject({
  id: z.string(),
  name: z.string(),
  given: z.string().describe('the parameters as the model wrote them: JSON, if it kept to the form'),
});

/** One message of what a model is shown. A tool's message says which call it answers. */
const message = z.union([
  z.strictObject({
    role: z.enum(['system', 'user']),
    content: z.string(),
    pictures: z.array(z.string()).optional().describe('addresses of pictures, or the pictures themselves as data: addresses'),
  }),
  z.strictObject({ role: z.literal('assistant'), content: z.string(), calls: z.array(call).optional() }),
  z.strictObject({ role: z.literal('tool'), call: z.string(), content: z.string() }),
]);

const tool = z.strictObject({
  name: z.string(),
  about: z.string(),
  takes: jsonValue.describe('the JSON Schema of its parameters'),
});

const part = z.strictObject({
  part: z.string(),
  message: z.int(),
  from: z.int(),
  to: z.int(),
  tokens: z.number().describe('about how many it is'),
});

const trimmed = z.strictObject({ what: z.string(), tokens: z.number().describe('about how many were left out') });

const request = z.strictObject({
  type: z.literal('model'),
  ...place,
  profile: z.string(),
  connection: z.string(),
  model: z.string(),
  before: z
    .array(message)
    .optional()
    .describe('what stands in earlier requests already; only while the turn runs, and never in its record'),
  earlier: z
    .strictObject({ messages: z.int(), sum: z.string() })
    .optional()
    .describe('how many messages of the same transcript stand in earlier requests, and a checksum of them'),
  messages: z.array(message).describe('the messages; of a transcript those that are new'),
  tools: z.array(tool).optional(),
  schema: jsonValue.optional().describe('the JSON Schema that the answer should fit'),
  temperature: z.number().optional(),
  topP: z.number().optional(),
  stop: z.array(z.string()).optional().describe('it ends where it would write one of these'),
  most: z.int().optional(),
  timeoutMs: z.number(),
  estimate: z.number().describe('about how many tokens the messages are'),
  aloud: z.boolean().describe('the words may be shown while they are written: they are said as they are'),
  parts: z.array(part).optional().describe('where each part of the prompt stands: characters from, to before, of a message'),
  trimmed: z.array(trimmed).optional().describe('what did not fit into the context of the model and was left out or cut'),
  instead: z.string().optional().describe('the profile that gave no answer, where this one is asked in its place'),
});
const result = z.union([
  z.strictObject({
    outcome: z.literal('written'),
    text: z.string(),
    calls: z.array(call).optional().describe('tools that it wants to be run'),
    stopped: z.enum(['end', 'length', 'calls']).describe('by itself, at the most that it may write, or for its calls'),
    tokens: z.strictObject({ in: z.number(), out: z.number() }).nullable().describe('null where the service does not say'),
    tries: z.int().optional().describe('how often it was asked, where that is more than once'),
  }),
  failure,
]);

/** One call of a model in the chat-completions form. */
export type ModelEffect = Immutable<z.infer<typeof request>>;
export type ModelResult = Immutable<z.infer<typeof result>>;
export type ModelMessage = Immutable<z.infer<typeof message>>;
export type ToolCall = Immutable<z.infer<typeof call>>;
/** Where a part of a prompt stands in it. */
export type PromptPart = Immutable<z.infer<typeof part>>;
/** What of a prompt was left out, as it did not fit. */
export type Trimmed = Immutable<z.infer<typeof trimmed>>;
export type ModelTool = Immutable<z.infer<typeof tool>>;

/** All that the model is shown, the transcript's earlier messages first. */
export function messagesOf({ before = [], messages }: ModelEffect): readonly ModelMessage[] {
  return [...before, ...messages];
}

/** A request that goes on with a transcript: what stood there before is shown again, and stored once. */
export function onTranscript(request: ModelEffect, before: readonly ModelMessage[]): ModelEffect {
  if (before.length === 0) return request;
  return { ...request, before, earlier: { messages: before.length, sum: checksum(JSON.stringify(before)) } };
}

/** A message as it is kept: of a picture that stands in it only what it is. */
function withoutPictures(message: ModelMessage): ModelMessage {
  if (!('pictures' in message) || !message.pictures) return message;
  const named = message.pictures.map((p) =>
    p.startsWith('data:') ? `${p.slice(0, p.indexOf(','))},… (${p.length} characters)` : p,
  );
  return { ...message, pictures: named };
}

/** From so many characters on a text that stands in the instructions was meant. */
const TELLING = 12;

function fit(sample: Sample, effect: ModelEffect): number {
  if (!isModelSample(sample) || sample.writes !== effect.profile) return -1;
  if (sample.asked === undefined) return 0;
  const { asked } = sample;
  const all = messagesOf(effect);
  // Of samples for the steps of one agent the one for this step asks for what came last.
  if (all.at(-1)?.content.includes(asked)) return 2;
  // Instructions hold the moment and the form of an answer: a short text stands in them by chance.
  if (all.some((m) => m.role !== 'system' && m.content.includes(asked))) return 1;
  return asked.length >= TELLING && all.some((m) => m.content.includes(asked)) ? 1 : -1;
}

function play(sample: Sample, id: string): ModelResult | undefined {
  if (!isModelSample(sample)) return undefined;
  if (sample.fails) return playedFailure(id, sample.fails);
  const { text = '', calls = [], tokens } = sample;
  const asks = calls.map((c, i) => ({ id: `${id}-${i + 1}`, name: c.name, given: JSON.stringify(c.given ?? {}) }));
  const used = tokens ?? { in: 0, out: estimateTokens(text) };
  if (asks.length > 0) return { outcome: 'written', text, calls: asks, stopped: 'calls', tokens: used };
  return { outcome: 'written', text, stopped: 'end', tokens: used };
}

const LONGEST_ASKED = 4000;

function keep(effect: ModelEffect, came: ModelResult, narrow: boolean): Sample | undefined {
  const last = effect.messages.findLast((m) => m.role === 'user' || m.role === 'tool')?.content ?? '';
  const base = { writes: effect.profile, ...(narrow && last !== '' ? { asked: last.slice(0, LONGEST_ASKED) } : {}) };
  if (came.outcome === 'failed') {
    const fails = FAILURES.find((c) => c === came.code);
    return fails && { ...base, fails };
  }
  const calls = came.calls?.map(({ name, given }) => ({ name, given: asJson(given) }));
  const said = came.text === '' && calls ? {} : { text: came.text };
  return { ...base, ...said, ...(calls ? { calls } : {}), ...(came.tokens ? { tokens: came.tokens } : {}) };
}

/** Parameters as a value where they are JSON, else as the text that they are. */
function asJson(text: string): Value {
  try {
    return JSON.parse(text) as Value;
  } catch {
    return text;
  }
}

export const model = defineEffect<'model', ModelEffect, ModelResult>({
  type: 'model',
  request,
  result,
  journaled: () => 'after',
  failed: failureOf,
  shown: true,
  varies: true,
  connection: ({ connection }) => connection,
  came: ({ text }) => text,
  name: ({ profile }) => `model ${profile}`,
  spoken: ({ profile }) => `the model ${profile}`,
  likeness: ({ profile, earlier = null, messages }) => {
    return { profile, earlier, messages: messages.map((m) => JSON.stringify(withoutPictures(m))) };
  },
  stored: ({ before: _before, messages, ...rest }) => ({ ...rest, messages: messages.map(withoutPictures) }),
  sampling: { fit, play, keep },
});
