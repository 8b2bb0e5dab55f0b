import { z } from 'zod';
import { duration, expression, id, name, value } from './shapes.js';

const about = z.string().max(500).optional();
/** What the flow takes, each by a template over what came in. */
const given = z.record(name, value).optional();

/** Another system sends something to an address. */
const hookStart = z.strictObject({
  by: z.literal('hook'),
  about,
  flow: id,
  given,
  /** What is sent; JSON where it is left out. */
  body: z.enum(['json', 'form', 'text']).optional(),
  /** How the sender is known. A signature is the HMAC-SHA-256 of the body, in hex or base64. */
  secured: z.enum(['signature', 'token', 'none']).optional(),
  /** The header with the signature; `x-signature` where it is left out. */
  header: z
    .string()
    .regex(/^[A-Za-z0-9-]{1,60}$/)
    .optional(),
  /** At once, or with what the flow gives. */
  answers: z.enum(['accepted', 'given-back']).optional(),
  /** How long the answer may take, where it is what the flow gives. */
  within: duration.optional(),
  /** What makes two deliveries the same, where the sender has no idempotency-key header: an expression over the body. */
  repeats: expression.optional(),
  /** Pages of other sites that may send it from a browser. */
  origins: z.array(z.string().max(200)).max(20).optional(),
});

/** A time comes. */
const scheduleStart = z.strictObject({
  by: z.literal('schedule'),
  about,
  flow: id,
  given,
  /** A cron expression of five fields. */
  at: z.string().max(120),
  /** Where its times count; the bot's own zone where it is left out. */
  zone: z.string().max(60).optional(),
  /** What is done about times that passed while nothing ran. */
  missed: z.enum(['leave', 'run-once']).optional(),
});

export const ROW_EVENTS = ['added', 'changed', 'removed'] as const;
export type RowEvent = (typeof ROW_EVENTS)[number];

/** A row of a table is added, changed or removed. */
const rowStart = z.strictObject({
  by: z.literal('row'),
  about,
  flow: id,
  given,
  table: id,
  on: z.array(z.enum(ROW_EVENTS)).min(1).max(3),
});

/** Another program calls the flow and waits for what it gives. */
const callStart = z.strictObject({
  by: z.literal('call'),
  about,
  flow: id,
  within: duration.optional(),
});

/** What begins a flow besides a conversation. */
export const start = z.discriminatedUnion('by', [hookStart, scheduleStart, rowStart, callStart]);
export type Start = z.infer<typeof start>;
export type StartKind = Start['by'];
export type StartOf<K extends StartKind> = Extract<Start, { readonly by: K }>;
