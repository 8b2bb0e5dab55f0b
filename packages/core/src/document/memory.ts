import { z } from 'zod';
import { id, LANGUAGE_PATTERN, name, text } from './shapes.js';

/*
 * What a bot keeps about those who talk to it: kinds of facts, and nothing besides.
 */

const language = z.string().regex(LANGUAGE_PATTERN);
const words = z.array(z.string().min(2).max(60)).max(60);

export const FACTS_LAST = ['ask', 'always', 'now'] as const;

/** One kind of fact. */
export const factKind = z.strictObject({
  /** What it is about, for people and for models: "travels with a dog". */
  about: z.string().min(1).max(200),
  /** What kind of value it is: `yes_no`, `text` (as they said it) or an entity of the bot; `yes_no` when it is left out. */
  type: z
    .string()
    .regex(/^[a-z][a-z0-9_]*$/)
    .optional(),
  /** The fact as the bot tells it to the visitor; `value` is its value. */
  says: text.optional(),
  /** Words by which a sentence is about it, for all languages or by language. */
  words: z.union([words, z.record(language, words)]).optional(),
  /** Variables of flows that it fills in. */
  fills: z.array(name).max(20).optional(),
  /** What the bot says when it is used; `value` is its value. */
  used: text.optional(),
  /** How long it counts where the visitor does not say: they are asked, always, or for this conversation. */
  lasts: z.enum(FACTS_LAST).optional(),
  /** There may be several of it side by side. */
  many: z.boolean().optional(),
});
export type FactKind = z.infer<typeof factKind>;

export const memory = z.strictObject({
  facts: z.record(name, factKind).optional(),
  /** Nothing with one of these words in it is ever kept. */
  never: z.union([words, z.record(language, words)]).optional(),
  /** The model profile that sums up and proposes facts, in the background. */
  by: id.optional(),
  /** After so many exchanges that are not summed up yet it does. */
  after: z.number().int().min(2).max(40).optional(),
});
export type MemoryDeclaration = z.infer<typeof memory>;
export const MOST_FACT_KINDS = 40;
