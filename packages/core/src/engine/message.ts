import { z } from 'zod';
import { type Immutable } from '../document/shapes.js';
import { blockShape } from '../text/markdown.js';

/** Where something that is said stands: one numbered passage of a document. */
const citation = z.strictObject({
  number: z.int(),
  title: z.string(),
  heading: z.string(),
  quote: z.string(),
  page: z.int().optional().describe('the page it stands on'),
  address: z.string().optional().describe('the page that shows it in its surroundings'),
});
export type Citation = Immutable<z.infer<typeof citation>>;

const shape = z.strictObject({
  text: z.string(),
  blocks: z.array(blockShape).describe('the text as a tree that every channel draws; see the page on the API'),
  wait: z.number().optional().describe('how long the bot pauses before it, in ms'),
  choices: z.array(z.strictObject({ id: z.string(), says: z.string() })).optional(),
  cites: z.array(citation).optional(),
  links: z
    .array(z.strictObject({ says: z.string(), opens: z.string() }))
    .optional()
    .describe('buttons that open a link; of notices only'),
  ends: z.literal(true).optional().describe('the conversation ends with it'),
  speech: z.string().optional().describe('the words for channels that speak; those of the text where it is left out'),
  signIn: z.literal(true).optional().describe('the visitor is asked to sign in: a channel that can shows how'),
});

/** What the bot says: CommonMark, the same as blocks, and the buttons under it. */
export type Message = Immutable<z.infer<typeof shape>>;
export const message: z.ZodType<Message> = shape;
