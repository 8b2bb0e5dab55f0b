import { z } from 'zod';
import type { Immutable } from '../../document/shapes.js';
import { defineEffect, place } from './effect.js';

const request = z.strictObject({
  type: z.literal('lookup'),
  ...place,
  base: z.string(),
  question: z.string(),
  most: z.int(),
});
const passage = z.strictObject({
  number: z.int().describe('counts from 1 by rank'),
  document: z.string(),
  title: z.string(),
  heading: z.string(),
  place: z.int(),
  quote: z.string(),
  score: z.number().describe('that of the ranking, comparable within one question only'),
});

/** What a knowledge base has on a question. */
export const lookedUp = z.strictObject({
  passages: z.array(passage),
  covered: z.boolean().describe('whether the words of the question are answered there at all'),
  share: z.number().describe("how much of the question's weight the best passage holds, from 0 to 1"),
  missing: z.array(z.string()).describe('words that no passage has'),
});
const result = lookedUp.extend({ outcome: z.literal('looked-up') });

/** What a knowledge base has on a question; computed from the bot itself. */
export type LookupEffect = Immutable<z.infer<typeof request>>;
export type LookupResult = Immutable<z.infer<typeof result>>;

export const lookup = defineEffect<'lookup', LookupEffect, LookupResult>({
  type: 'lookup',
  request,
  result,
  journaled: () => 'never',
  failed: () => ({ outcome: 'looked-up', passages: [], covered: false, share: 0, missing: [] }),
  shown: true,
  name: ({ base }) => `lookup ${base}`,
  came: ({ passages }) => `${passages.length} passages`,
  likeness: ({ base, question, most }) => ({ base, question, most }),
});
