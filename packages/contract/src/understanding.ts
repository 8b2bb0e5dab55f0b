import type { QualityReport } from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

const share = z.number().min(0).max(1);
const threshold = z.number().min(0).max(1);
const judged = z.object({
  text: z.string(),
  language: z.string(),
  intent: z.string().describe('what it means; empty for none of the bot’s'),
  read: z.string().describe('what it is nearest to, whether surely enough or not'),
  score: share,
});
const side = z.object({ intent: z.string(), text: z.string() });

/** How well a bot understands phrases that it has not learned. */
const qualityReport: z.ZodType<QualityReport> = z.object({
  phrases: z.number().int(),
  threshold,
  accuracy: share.describe('of the phrases that mean an intent so many are read right, wherever the threshold is'),
  right: z.number().int(),
  wrong: z.number().int(),
  unanswered: z.number().int(),
  intents: z.array(
    z.object({
      intent: z.string(),
      phrases: z.number().int(),
      precision: share.nullable().describe('of what is taken for it so much is right; null where nothing is'),
      recall: share.describe('of its phrases so many are found'),
      f1: share,
      health: z.number().int().min(0).max(5),
      few: z.boolean().describe('it has too few phrases to tell'),
    }),
  ),
  mixedUp: z.array(
    z.object({
      intents: z.tuple([z.string(), z.string()]),
      phrases: z.array(judged.extend({ advice: z.enum(['move', 'delete', 'more']) })),
      merge: z.boolean().describe('the two are so alike that one would do'),
    }),
  ),
  duplicates: z.array(z.object({ first: side, second: side, likeness: share })),
  curve: z.array(z.object({ threshold, right: z.number().int(), wrong: z.number().int(), unanswered: z.number().int() })),
  missed: z.array(judged).describe('what is read wrong or not at all, the surest mistakes first; at most 200'),
});

const measured = {
  revision: z.number().int(),
  ms: z.number(),
  encoder: z.boolean().describe('an encoder had a part in it'),
  report: qualityReport,
};

const missedText = z.object({
  /** What the visitor thought of the answer, where it was of no help. */
  thought: z.string().nullable().optional(),
  id: z.string(),
  text: z.string(),
  language: z.string(),
  intent: z.string().nullable().describe('what it was nearest to, though not near enough'),
  score: share,
  at: z.string(),
  conversation: z.string().nullable().describe('null for what was said in the simulator'),
});
const missedGroup = z.object({
  text: z.string(),
  language: z.string(),
  times: z.number().int(),
  intent: z.string().nullable(),
  score: share,
  base: z.string().nullable().describe('the knowledge base that did not answer it; null where it was not understood'),
  last: z.string(),
  items: z.array(missedText),
});
export type MissedGroupView = z.infer<typeof missedGroup>;

const intentId = z.string().min(1).max(120);

/** What the understanding of a bot is measured and taught by. */
export const understandingEndpoints = {
  measureQuality: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/quality',
    about: 'How well the draft understands its own phrases, each read by what all others teach (cross-validation)',
    access: 'person',
    params: s.botParams,
    body: z.object({ threshold: threshold.optional() }),
    reply: z.object(measured),
  }),
  judgeFile: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/quality/file',
    about:
      'How well the draft understands a labelled file: CSV with a head line text,intent (intent empty for none), or JSON Lines',
    access: 'person',
    params: s.botParams,
    body: z.object({
      source: z.string().max(3_000_000),
      language: z.string().max(20).optional(),
      threshold: threshold.optional(),
    }),
    reply: z.object({
      ...measured,
      rows: z.number().int(),
      problems: z.array(z.object({ line: z.number().int().describe('0 for the file as a whole'), problem: z.string() })),
    }),
  }),
  proposePhrases: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/intents/:intent/proposals',
    about: 'More phrases of an intent of the draft, to be accepted one by one: other values, other ways of beginning',
    access: 'person',
    params: s.botParams.extend({ intent: intentId }),
    body: z.object({ language: z.string().max(20).optional() }),
    reply: z.object({ revision: z.number().int(), language: z.string(), phrases: z.array(z.string()) }),
  }),
  listMissed: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/missed',
    about:
      'What visitors and the simulator said that matched nothing or only weakly, grouped by likeness, the most frequent first',
    access: 'person',
    params: s.botParams,
    reply: z.object({ open: z.number().int(), groups: z.array(missedGroup) }),
  }),
  settleMissed: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/missed/settle',
    about: 'Teach what was missed as phrases of an intent of the draft, or as out of scope, or leave it; each is settled once',
    access: 'person',
    params: s.botParams,
    body: z.object({
      ids: z.array(z.string().max(60)).min(1).max(2000),
      as: z.enum(['phrases', 'outside', 'left']),
      intent: intentId.optional().describe('the intent to teach; one that is not there yet is made'),
    }),
    reply: z.object({ settled: z.number().int(), phrases: z.array(z.string()), revision: z.number().int() }),
    problems: ['invalid-document', 'stale-revision'],
  }),
} as const;
