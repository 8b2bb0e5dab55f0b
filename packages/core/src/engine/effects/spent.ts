import { z } from 'zod';
import type { Immutable } from '../../document/shapes.js';
import { defineEffect, place } from './effect.js';

const request = z.strictObject({ type: z.literal('spent'), ...place, agent: z.string().describe('as flow/node') });

/** What was spent: calls of models, their tokens in and out, and money as the profiles price it. */
export const spending = z.strictObject({ steps: z.number(), tokens: z.number(), money: z.number() });
export type Spending = Immutable<z.infer<typeof spending>>;

const result = z.strictObject({ outcome: z.literal('counted'), visitor: spending, day: spending });

/** What an agent has spent in turns before: for whoever speaks, and today for everybody. */
export type SpentEffect = Immutable<z.infer<typeof request>>;
export type SpentResult = Immutable<z.infer<typeof result>>;

export const NOTHING_SPENT: Spending = { steps: 0, tokens: 0, money: 0 };

export const spent = defineEffect<'spent', SpentEffect, SpentResult>({
  type: 'spent',
  request,
  result,
  journaled: () => 'after',
  failed: () => ({ outcome: 'counted', visitor: NOTHING_SPENT, day: NOTHING_SPENT }),
  name: ({ agent }) => `what ${agent} has spent`,
  likeness: ({ agent }) => agent,
});
