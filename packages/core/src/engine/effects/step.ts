import { z } from 'zod';
import { value as jsonValue, type Immutable } from '../../document/shapes.js';
import { defineEffect, place } from './effect.js';

const request = z.strictObject({ type: z.literal('step'), ...place, flow: z.string(), node: z.string() });
const result = z.strictObject({
  outcome: z.literal('go-on'),
  set: z
    .record(z.string(), jsonValue)
    .optional()
    .describe('variables (`flow.x`, `session.x`, `visitor.x`) that were changed by hand'),
});

/** Asked for before each node while a turn is run step by step: it goes on when somebody says so. */
export type StepEffect = Immutable<z.infer<typeof request>>;
export type StepResult = Immutable<z.infer<typeof result>>;

export const step = defineEffect<'step', StepEffect, StepResult>({
  type: 'step',
  request,
  result,
  journaled: () => 'after',
  failed: () => ({ outcome: 'go-on' }),
  name: ({ flow, node }) => `${flow}/${node}`,
  likeness: ({ flow, node }) => `${flow}/${node}`,
});
