import { z } from 'zod';
import type { Immutable } from '../../document/shapes.js';
import { defineEffect, failure, failureOf, place } from './effect.js';

const request = z.strictObject({
  type: z.literal('notice'),
  ...place,
  on: z.string().describe('the channel, by its name; empty for the only one that can send'),
  to: z.string().describe('a person or a room, as the channel knows them'),
  text: z.string(),
  links: z.array(z.strictObject({ says: z.string(), opens: z.string() })).describe('buttons that open a link'),
});
const result = z.union([z.strictObject({ outcome: z.literal('queued'), notice: z.string() }), failure]);

/** A message that answers nobody. */
export type NoticeEffect = Immutable<z.infer<typeof request>>;
export type NoticeResult = Immutable<z.infer<typeof result>>;

export const notice = defineEffect<'notice', NoticeEffect, NoticeResult>({
  type: 'notice',
  request,
  result,
  journaled: () => 'around',
  // It is stored under the path of the effect: a second try finds the first one.
  repeatable: () => true,
  failed: failureOf,
  shown: true,
  name: ({ to }) => `notice ${to}`,
  spoken: ({ to }) => `the notice to ${to}`,
  whole: ({ to, text, links }) => `notice to ${to}: ${text}${links.map((l) => ` [${l.says}: ${l.opens}]`).join('')}`,
  came: () => 'on its way',
  likeness: ({ on, to, text, links }) => ({ on, to, text, links: links.map((l) => ({ ...l })) }),
});
