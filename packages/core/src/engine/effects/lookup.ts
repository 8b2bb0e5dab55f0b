import { z } from 'zod';
import type { Immutable } from '../../document/shapes.js';
import { defineEffect, place } from './effect.js';

const request = z.strictObject({
  type: z.literal('lookup'),
  ...place,
  base: z.string(),
  also: z.array(z.string()).optional().describe('further bases that are looked at together with it'),
  question: z.string(),
  before: z.string().optional().describe('what was asked before, where the question may only be understood with it'),
  most: z.int(),
  files: z
    .array(z.strictObject({ name: z.string(), address: z.string() }))
    .optional()
    .describe('files of this conversation that are looked in as well'),
  all: z.literal(true).optional().describe('all passages of the files, in their order'),
  labels: z.array(z.string()).optional().describe('only documents with one of them'),
  language: z.string().optional().describe('that of the conversation: documents in it come first'),
});
const passage = z.strictObject({
  number: z.int().describe('counts from 1 by rank'),
  base: z.string().optional().describe('the knowledge base, where several were looked at'),
  document: z.string(),
  title: z.string(),
  heading: z.string(),
  place: z.int().describe('which passage of the document it is, from 1'),
  page: z.int().optional().describe('the page it begins on'),
  language: z.string().optional(),
  quote: z.string(),
  score: z.number().describe('that of the ranking, comparable within one question only'),
  address: z.string().optional().describe('the page that shows it in its surroundings'),
  why: z
    .strictObject({
      words: z.array(
        z.strictObject({
          word: z.string(),
          as: z.string().describe('the stem that it was found by'),
          by: z.enum(['said', 'mended', 'part', 'synonym']),
          weight: z.number(),
        }),
      ),
      titled: z.array(z.string()).describe('words that stand in its heading or title'),
      near: z.number().describe('how near to each other the words stand, from 0 to 1'),
      alike: z.number().optional().describe('how alike an encoder finds it to the question (cosine)'),
    })
    .optional()
    .describe('why it ranks where it does'),
  also: z
    .array(z.strictObject({ document: z.string(), place: z.int() }))
    .optional()
    .describe('passages that say almost the same and were left out'),
});

/** What a knowledge base has on a question. */
export const lookedUp = z.strictObject({
  passages: z.array(passage),
  covered: z.boolean().describe('whether the question is answered there'),
  chance: z.number().optional().describe('how likely it is answered there, from 0 to 1'),
  share: z.number().describe("how much of the question's weight the best passage holds, from 0 to 1"),
  missing: z.array(z.string()).describe('words that no passage has'),
  mended: z.record(z.string(), z.string()).optional().describe('words that were taken for misspellings, and of what'),
  asked: z.string().optional().describe('the question as it was looked up, where it was another one than was said'),
  waiting: z.int().optional().describe('documents that were not ready yet and were not looked at'),
});
const result = lookedUp.extend({ outcome: z.literal('looked-up') });

/** What a knowledge base has on a question. What is read in contents beside the bot is noted when it comes. */
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
  likeness: ({ base, also, question, before, most, labels, files, all }) => ({
    base,
    question,
    most,
    ...(also ? { also: [...also] } : {}),
    ...(before === undefined ? {} : { before }),
    ...(all ? { all } : {}),
    ...(labels ? { labels: [...labels] } : {}),
    ...(files ? { files: files.map((f) => f.address) } : {}),
  }),
});
