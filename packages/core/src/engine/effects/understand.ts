import { z } from 'zod';
import { value as jsonValue, type Immutable } from '../../document/shapes.js';
import { defineEffect, place } from './effect.js';

const moment = z.iso.datetime();

const request = z.strictObject({
  type: z.literal('understand'),
  ...place,
  text: z.string(),
  language: z.string(),
  at: moment.describe("the event's moment: 'tomorrow' depends on it, and on the zone"),
  zone: z.string(),
  day: z.string().optional().describe('the day that is talked about: "the day after" is the day after it'),
});

const word = z.strictObject({ word: z.string(), weight: z.number() });

/** What a message was understood as. */
export const understood = z.strictObject({
  intents: z.array(
    z.strictObject({
      intent: z.string(),
      score: z.number().min(0).max(1),
      roles: z.record(z.string(), jsonValue),
      unmarked: z.array(z.string()).optional().describe('roles that no phrase marks'),
    }),
  ),
  values: z.array(
    z.strictObject({
      entity: z.string(),
      value: jsonValue,
      from: z.int(),
      to: z.int(),
      text: z.string(),
      by: z.string().optional().describe('the rule that found it'),
    }),
  ),
  mended: z
    .array(z.strictObject({ from: z.int(), to: z.int(), said: z.string(), read: z.string() }))
    .optional()
    .describe('words whose spelling was mended, and what they were read as'),
  language: z.string().optional().describe('the language that it was said in, where that is another one than the conversation’s'),
  why: z
    .strictObject({
      for: z.array(word).describe('the words that spoke most for the first intent, beside the second'),
      against: z.array(word).describe('and those that spoke most against it'),
      nearest: z
        .strictObject({ intent: z.string(), phrase: z.string(), likeness: z.number() })
        .optional()
        .describe('the phrase that is most like it, by its words: 1 is the same'),
    })
    .optional()
    .describe('why the first intent is the first'),
  learning: z
    .boolean()
    .optional()
    .describe('the bot was still learning: only phrases said to the letter and values were understood'),
});
const result = understood.extend({ outcome: z.literal('understood') });

/** What a message means; computed from the bot itself. */
export type UnderstandEffect = Immutable<z.infer<typeof request>>;
export type UnderstandResult = Immutable<z.infer<typeof result>>;

/** What comes of it has a place of its own in the turn sheet. */
export const understand = defineEffect<'understand', UnderstandEffect, UnderstandResult>({
  type: 'understand',
  request,
  result,
  journaled: () => 'never',
  failed: () => ({ outcome: 'understood', intents: [], values: [] }),
  name: () => 'understand',
  likeness: ({ text, language, at, zone, day }) => ({ text, language, at, zone, ...(day === undefined ? {} : { day }) }),
});
