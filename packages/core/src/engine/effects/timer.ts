import { z } from 'zod';
import type { Immutable } from '../../document/shapes.js';
import { defineEffect, place } from './effect.js';

const request = z.strictObject({ type: z.literal('timer'), ...place, ms: z.number() });
const result = z.strictObject({ outcome: z.literal('elapsed') });

/** Time that passes: what bounds a branch of a `parallel` node. */
export type TimerEffect = Immutable<z.infer<typeof request>>;
export type TimerResult = Immutable<z.infer<typeof result>>;

export const timer = defineEffect<'timer', TimerEffect, TimerResult>({
  type: 'timer',
  request,
  result,
  journaled: () => 'after',
  failed: () => ({ outcome: 'elapsed' }),
  name: ({ ms }) => `${ms} ms`,
  likeness: ({ ms }) => ms,
});
