import { z } from 'zod';
import { id, name, value } from './shapes.js';

/** How somebody fills an input in. */
export const INPUT_FORMS = ['text', 'long-text', 'number', 'date', 'choice', 'choices', 'yes-no', 'file', 'picture'] as const;
export type InputForm = (typeof INPUT_FORMS)[number];

/** How an output is shown: as CommonMark, a table, a list, fields with their names, a picture, or a file to be fetched. */
export const OUTPUT_FORMS = ['text', 'table', 'list', 'fields', 'picture', 'file'] as const;
export type OutputForm = (typeof OUTPUT_FORMS)[number];

/** A page is twelve columns wide; a part takes some of them, and stands behind the one before it as far as there is room. */
export const PAGE_COLUMNS = 12;
const layout = { wide: z.number().int().min(2).max(PAGE_COLUMNS).optional() };
const label = z.string().max(120).optional();
const help = z.string().max(500).optional();

const inputPart = z.strictObject({
  /** An input of the page's flow. */
  input: name,
  as: z.enum(INPUT_FORMS),
  label,
  help,
  /** What can be chosen. */
  of: z.array(z.string().min(1).max(120)).min(1).max(60).optional(),
  /** What it holds at first. */
  first: value.optional(),
  ...layout,
});
const outputPart = z.strictObject({
  /** An output of the page's flow. */
  output: name,
  as: z.enum(OUTPUT_FORMS).optional(),
  label,
  help,
  /** The output with the passages that this one cites. */
  sources: name.optional(),
  /** It is not there while it has no value. */
  hides: z.literal(true).optional(),
  ...layout,
});
const chatPart = z.strictObject({
  /** The flow in which it is led. It is given inputs and outputs of the page by their names. */
  chat: id,
  label,
  help,
  ...layout,
});
const textPart = z.strictObject({ text: z.string().max(20_000), ...layout });
const picturePart = z.strictObject({ picture: z.string().max(400_000), alt: z.string().max(300), ...layout });

export const pagePart = z.union([inputPart, outputPart, chatPart, textPart, picturePart]);
export type PagePart = z.infer<typeof pagePart>;
export type InputPart = z.infer<typeof inputPart>;
export type OutputPart = z.infer<typeof outputPart>;
export type ChatPart = z.infer<typeof chatPart>;

/** A colour as six hexadecimal digits. */
const colour = z.string().regex(/^#[0-9a-fA-F]{6}$/, 'a colour such as #27634a');

/** An example: what inputs hold that somebody takes over with one press. */
const example = z.strictObject({ title: z.string().min(1).max(80), inputs: z.record(name, value) });

/** A flow as a form that answers, shared by a link. */
export const page = z.strictObject({
  title: z.string().min(1).max(120),
  about: z.string().max(2000).optional(),
  /** Under what it stands in a gallery. */
  category: z.string().max(60).optional(),
  flow: id,
  /** The words of the button that sets it off. */
  button: z.string().max(40).optional(),
  colours: z.strictObject({ accent: colour.optional(), ground: colour.optional() }).optional(),
  /** A picture as a data: address. */
  logo: z
    .string()
    .max(200_000)
    .regex(/^data:image\/(png|jpeg|webp|gif);base64,/, 'a picture as a data: address (PNG, JPEG, WebP or GIF)')
    .optional(),
  examples: z.array(example).max(8).optional(),
  parts: z.array(pagePart).max(40),
});
export type Page = z.infer<typeof page>;

export const isInputPart = (part: PagePart): part is InputPart => 'input' in part;
export const isOutputPart = (part: PagePart): part is OutputPart => 'output' in part;
export const isChatPart = (part: PagePart): part is ChatPart => 'chat' in part;
