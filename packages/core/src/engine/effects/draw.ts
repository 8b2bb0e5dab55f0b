import { z } from 'zod';
import type { Immutable } from '../../document/shapes.js';
import { defineEffect, failure, failureOf, place } from './effect.js';

const request = z.strictObject({
  type: z.literal('draw'),
  ...place,
  profile: z.string(),
  connection: z.string(),
  model: z.string(),
  prompt: z.string(),
  size: z.string().optional().describe('width and height in points, as `512x512`'),
  timeoutMs: z.number(),
});
const result = z.union([
  z.strictObject({
    outcome: z.literal('drawn'),
    address: z.string().describe('where the picture can be fetched'),
    media: z.string().describe('its media type'),
    size: z.int().describe('its size in bytes'),
  }),
  failure,
]);

/** A picture drawn by a model, by the images endpoint that goes with the chat-completions form. It is kept where it is drawn. */
export type DrawEffect = Immutable<z.infer<typeof request>>;
export type DrawResult = Immutable<z.infer<typeof result>>;

export const draw = defineEffect<'draw', DrawEffect, DrawResult>({
  type: 'draw',
  request,
  result,
  journaled: () => 'after',
  failed: failureOf,
  shown: true,
  varies: true,
  connection: ({ connection }) => connection,
  came: ({ media, size }) => `${media}, ${size} bytes`,
  name: ({ profile }) => `draw ${profile}`,
  spoken: ({ profile }) => `the model ${profile}, which draws`,
  whole: ({ profile, prompt }) => `${profile} draws: ${prompt}`,
  likeness: ({ profile, prompt, size = null }) => ({ profile, prompt, size }),
});
