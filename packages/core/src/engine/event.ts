import { z } from 'zod';
import { value as jsonValue, type Immutable } from '../document/shapes.js';

const moment = z.iso.datetime();
const values = z.record(z.string(), jsonValue);

/** What variables hold, by scope. */
export const variableValues = z.strictObject({ flow: values, session: values, visitor: values });
export type VariableValues = Immutable<z.infer<typeof variableValues>>;

/** A file that came along: what it is called, its media type, its size in bytes and where it can be fetched. */
const file = z.strictObject({
  name: z.string(),
  type: z.string(),
  size: z.number(),
  address: z.string(),
  text: z.string().optional().describe('what stands in it, where it is a text; its beginning, where it is long'),
});
export type SentFile = Immutable<z.infer<typeof file>>;

/** A node at which a conversation is to begin, with what variables hold there. `only`: it runs by itself, and nothing after it. */
const startAt = z.strictObject({
  flow: z.string(),
  node: z.string(),
  variables: variableValues,
  only: z.boolean().optional(),
  files: z.array(file).optional(),
});
export type StartAt = Immutable<z.infer<typeof startAt>>;

/** `at` is the moment of acceptance: the only time a turn ever sees. `zone` is where it counts; the bot's own when it is left out. */
const base = { at: moment, zone: z.string().optional() };

/** What comes from somebody on a channel; their names as the channel tells them. */
const spoken = {
  ...base,
  channel: z.string(),
  name: z.string().optional(),
  firstName: z.string().optional(),
  email: z.string().optional(),
  signedIn: z.boolean().optional().describe('somebody vouches for who speaks: they have signed in'),
};

/** What begins a run besides a conversation. */
export const SOURCES = ['hook', 'schedule', 'row', 'mail', 'page', 'call', 'hand'] as const;
export type Source = (typeof SOURCES)[number];

/** What comes in, and makes a turn. */
export const incomingEvent = z
  .discriminatedUnion('type', [
    z.strictObject({ type: z.literal('open'), ...spoken }).describe('somebody came; the bot speaks first'),
    z
      .strictObject({
        type: z.literal('message'),
        ...spoken,
        text: z.string().optional(),
        choice: z.string().optional().describe('the button that was pressed, by its id'),
        pictures: z.array(z.string()).optional(),
        files: z.array(file).optional(),
      })
      .describe('somebody said or pressed something'),
    z
      .strictObject({ type: z.literal('hand-back'), ...spoken, closes: z.literal(true).optional() })
      .describe('staff gave the conversation back, or closed it'),
    z.strictObject({ type: z.literal('signed-in'), ...spoken }).describe('the visitor has signed in, outside what is said'),
    z
      .strictObject({ type: z.literal('start'), ...spoken, start: startAt, text: z.string().optional() })
      .describe('somebody tries the bot from a node on'),
    z.strictObject({ type: z.literal('go-on'), at: moment }).describe('a node that rested goes on; nobody said anything'),
    z
      .strictObject({
        type: z.literal('fired'),
        ...base,
        by: z.enum(SOURCES),
        flow: z.string(),
        given: values,
        start: z.string().optional().describe('the start by which it begins'),
        page: z.string().optional().describe('the page that was filled in'),
        files: z.array(file).optional().describe('files that came with what it takes'),
        pictures: z.array(z.string()).optional(),
        part: z.string().optional().describe('the output that alone is made anew, from values that are there'),
      })
      .describe('a flow begins without a conversation, with what it takes'),
  ])
  .describe('what came in; `at` is the only time that the turn sees');
export type IncomingEvent = Immutable<z.infer<typeof incomingEvent>>;
export type EventOf<T extends IncomingEvent['type']> = Extract<IncomingEvent, { readonly type: T }>;
export type MessageEvent = EventOf<'message'>;

/** An event that somebody on a channel brought about. */
export type SpokenEvent = Extract<IncomingEvent, { readonly channel: string }>;

/** The first of the words of a name; undefined where there is none. */
export function firstNameOf(name: string | null | undefined): string | undefined {
  const first = name?.trim().split(/\s+/)[0];
  return first === '' ? undefined : first;
}

/** What somebody on a channel brought about; undefined for what nobody did. */
export function spokenEvent(event: IncomingEvent): SpokenEvent | undefined {
  return 'channel' in event ? event : undefined;
}

/** Files and pictures that came with an event. */
export function broughtBy(event: IncomingEvent): { readonly files: readonly SentFile[]; readonly pictures: readonly string[] } {
  if (event.type === 'start') return { files: event.start.files ?? [], pictures: [] };
  const brings = event.type === 'message' || event.type === 'fired' ? event : undefined;
  return { files: brings?.files ?? [], pictures: brings?.pictures ?? [] };
}

/** The words of an event, '' where there are none. */
export function wordsIn(event: IncomingEvent): string {
  return event.type === 'message' || event.type === 'start' ? (event.text ?? '') : '';
}

/** What somebody said or pressed, for lists; undefined where nobody did. */
export function saidIn(event: IncomingEvent): string | undefined {
  return wordsIn(event) || choiceIn(event);
}

/** The button that was pressed; undefined where none was. */
export function choiceIn(event: IncomingEvent): string | undefined {
  return event.type === 'message' ? event.choice : undefined;
}
