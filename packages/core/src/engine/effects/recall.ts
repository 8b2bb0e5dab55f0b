import { z } from 'zod';
import type { Immutable } from '../../document/shapes.js';
import { memory } from '../../memory/memory.js';
import { defineEffect, failure, failureOf, place } from './effect.js';

const request = z.strictObject({ type: z.literal('recall'), ...place, key: z.string().describe('under which it is kept') });
const result = z.union([z.strictObject({ outcome: z.literal('recalled'), memory }), failure]);

/** What is kept under a key. What is kept of the visitor who speaks is known without asking. */
export type RecallEffect = Immutable<z.infer<typeof request>>;
export type RecallResult = Immutable<z.infer<typeof result>>;

export const recall = defineEffect<'recall', RecallEffect, RecallResult>({
  type: 'recall',
  request,
  result,
  journaled: () => 'after',
  failed: failureOf,
  name: ({ key }) => `what is kept under ${key}`,
  likeness: ({ key }) => key,
});
