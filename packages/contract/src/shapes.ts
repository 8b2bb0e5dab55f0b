import {
  ability,
  botDocument,
  hookProfile,
  jsonValue,
  mcpTool,
  message,
  patchOperation,
  turnSheet,
  type BotDocument,
  type HookProfile,
  type PatchOperation,
  type Problem,
} from '@primrose/core';
import { z } from 'zod';

const key = z.string().regex(/^[A-Za-z0-9_-]{1,80}$/);
const moment = z.iso.datetime();

/** One page of a list; `next` is the cursor of the following one. */
export const list = <T extends z.ZodType>(items: T) => z.object({ items: z.array(items), next: z.string().nullable() });
export const botParams = z.object({ bot: key });
export const modelParams = z.object({ bot: key, model: key });
export const knowledgeParams = z.object({ bot: key, knowledge: key });
export const conversationParams = z.object({ bot: key, conversation: key });
export const releaseParams = z.object({ bot: key, release: z.coerce.number().int().min(1) });
export const channelParams = z.object({ bot: key, channel: key });
export const connectionParams = z.object({ bot: key, connection: key });
export const tokenParams = z.object({ token: key });
export const chatParams = z.object({ channel: key });
/** A version of a bot: a release's number, a revision of the draft (`r12`), or the draft as it is. */
export const version = z
  .string()
  .regex(/^(draft|r?[1-9][0-9]{0,8})$/, 'a release number such as 3, a revision such as r12, or draft');
export const page = z.object({
  after: z.string().max(100).optional(),
  limit: z.coerce.number().int().min(1).max(200).optional(),
});

export const document: z.ZodType<BotDocument> = botDocument;
export const anyDocument = z.record(z.string(), jsonValue);
export const patch: z.ZodType<PatchOperation[]> = z.array(patchOperation).max(2000);

export const problem = z.object({
  code: z.string(),
  severity: z.enum(['error', 'warning']),
  flow: z.string().optional(),
  node: z.string().optional(),
  field: z.string().optional(),
  facts: z.record(z.string(), jsonValue),
}) as z.ZodType<Problem>;

export const botSummary = z.object({
  id: z.string(),
  bot: z.string(),
  name: z.string(),
  about: z.string().nullable(),
  revision: z.number().int(),
  flows: z.number().int(),
  nodes: z.number().int(),
  release: z.number().int().nullable(),
  /** The release that channels serve unless they are bound to another. */
  live: z.number().int().nullable(),
  changedSinceRelease: z.number().int(),
  changedAt: moment,
  deletedAt: moment.nullable(),
});
export type BotSummary = z.infer<typeof botSummary>;

/** Whether the person who asks has an edit to undo, or an undoing to take back. */
const steps = { undo: z.boolean(), redo: z.boolean() };

export const draft = z.object({ bot: botSummary, revision: z.number().int(), document, ...steps });
export type Draft = z.infer<typeof draft>;

/** What became of a change to a draft: its revision now, and the patch that leads there from the change's own outcome. */
export const drafted = z.object({ bot: botSummary, revision: z.number().int(), patch, ...steps });
export type Drafted = z.infer<typeof drafted>;

const editKind = z.enum(['edit', 'undo', 'redo', 'restore', 'import', 'fetch']);
export const edit = z.object({ revision: z.number().int(), at: moment, by: z.string(), patch });
export type Edit = z.infer<typeof edit>;

/** An edit as history shows it: what it changed, in the document's words. `of` is the revision that it undid or restored. */
export const pastEdit = z.object({
  revision: z.number().int(),
  at: moment,
  by: z.string(),
  kind: editKind,
  of: z.number().int().nullable(),
  changes: z.array(z.string()),
});
export type PastEdit = z.infer<typeof pastEdit>;

/** What kind of edit it was, in words; '' for a plain one. */
export function editWords({ kind, of }: Pick<PastEdit, 'kind' | 'of'>): string {
  switch (kind) {
    case 'edit':
      return '';
    case 'undo':
      return `took back revision ${of}`;
    case 'redo':
      return `made revision ${of} again`;
    case 'restore':
      return `brought revision ${of} back`;
    case 'import':
      return 'imported a file';
    case 'fetch':
      return 'fetched documents';
    default:
      return kind satisfies never;
  }
}

/** Two versions side by side; `sentence` says each difference in words. */
export const comparison = z.object({
  from: z.string(),
  to: z.string(),
  items: z.array(z.object({ difference: z.record(z.string(), jsonValue), sentence: z.string() })),
});

export const release = z.object({
  number: z.number().int(),
  note: z.string(),
  at: moment,
  by: z.string(),
  revision: z.number().int(),
  /** Why it was released although rehearsals failed. */
  despite: z.string().nullable(),
  live: z.boolean(),
  /** Open conversations that stand on it. */
  open: z.number().int(),
});
export type Release = z.infer<typeof release>;

export const channel = z.object({
  id: z.string(),
  kind: z.string(),
  name: z.string(),
  on: z.boolean(),
  /** The release it is bound to, or whichever is live. */
  serves: z.union([z.literal('live'), z.number().int().min(1)]),
  /** The release that visitors get now; null while there is none. */
  live: z.number().int().nullable(),
  /** Where visitors reach it; empty where it goes to a server by itself. */
  link: z.string(),
  conversations: z.number().int(),
  /** What it can show. */
  ability,
});
export type Channel = z.infer<typeof channel>;

export const tester = z.object({ sender: z.string().trim().min(1).max(200), name: z.string().trim().min(1).max(120) });
export const secretName = z.string().regex(/^[a-z][a-z0-9_]{0,59}$/, 'small letters, digits and underscores, such as token');

/** A messenger's channel with all that is set on it. Of secrets only the names are ever told. */
export const messenger = channel.extend({
  /** The address that the messenger sends its webhooks to. */
  hook: z.string(),
  profile: hookProfile,
  secrets: z.array(z.string()),
  testers: z.array(tester),
  /** Conversations with something that has not been delivered yet. */
  waiting: z.number().int(),
});
export type Messenger = z.infer<typeof messenger>;
export const profile: z.ZodType<HookProfile> = hookProfile;

/** How it stands with the line that a channel holds to its server. */
const line = z.object({ state: z.enum(['connecting', 'connected', 'trouble']), reason: z.string().nullable(), since: moment });
/** A secret that a channel of a kind needs. */
const neededSecret = z.object({ name: z.string(), about: z.string(), optional: z.boolean() });

/** A kind of channel that people connect by its settings. */
export const channelKind = z.object({
  kind: z.string(),
  name: z.string(),
  about: z.string(),
  /** JSON Schema of its settings. */
  settings: jsonValue,
  secrets: z.array(neededSecret),
  ability,
});
export type ChannelKind = z.infer<typeof channelKind>;

/** A channel with all that is set on it. Of secrets only the names are ever told, of callers only who they are. */
export const channelState = channel.extend({
  settings: jsonValue,
  secrets: z.array(z.string()),
  needs: z.array(neededSecret),
  testers: z.array(tester),
  waiting: z.number().int(),
  /** Null for a kind that holds no line, and for a channel that is off. */
  line: line.nullable(),
  callers: z.array(z.object({ name: z.string(), at: moment })),
});
export type ChannelState = z.infer<typeof channelState>;

/** Something that came in or went out on a channel, or failed to. */
export const channelEvent = z.object({
  id: z.string(),
  at: moment,
  direction: z.enum(['in', 'out']),
  outcome: z.enum(['taken', 'repeat', 'passed-over', 'refused', 'sent', 'retried', 'failed']),
  about: z.string(),
  sender: z.string().nullable(),
  conversation: z.string().nullable(),
  payload: jsonValue.nullable(),
  /** How often the same happened, the last time at `at`; what anybody can bring about is counted and not listed. */
  times: z.number().int(),
});
export type ChannelEvent = z.infer<typeof channelEvent>;

export const sample = z.object({ name: z.string(), kind: z.string(), at: moment, body: jsonValue });
export type Sample = z.infer<typeof sample>;

/** A conversation in a list. `handed` says why and since when staff have to answer. */
export const conversation = z.object({
  id: z.string(),
  channel: z.object({ id: z.string(), kind: z.string(), name: z.string() }),
  visitor: z.string().nullable(),
  openedAt: moment,
  lastAt: moment,
  endedAt: moment.nullable(),
  release: z.number().int().nullable(),
  turns: z.number().int(),
  handed: z.object({ reason: z.string(), at: moment }).nullable(),
  /** What the visitor said last. */
  said: z.string().nullable(),
  /** How many answers the visitor found helpful, and how many not; the conversation as a whole counts as one. */
  feedback: z.object({ helpful: z.number().int(), unhelpful: z.number().int() }),
});
export type Conversation = z.infer<typeof conversation>;

/** What came of trying a model profile. */
export const modelTried = z.object({
  ok: z.boolean(),
  text: z.string().nullable(),
  /** Tools that it asks for. */
  calls: z.array(z.object({ id: z.string(), name: z.string(), given: z.string() })),
  reason: z.string().nullable(),
  ms: z.number(),
  tokens: z.object({ in: z.number(), out: z.number() }).nullable(),
});
export type ModelTried = z.infer<typeof modelTried>;

/** How trying a connection of a model service came out; `says` is a sentence for people. */
export const connectionTested = z.object({
  outcome: z.enum([
    'works',
    'unknown-name',
    'no-tls',
    'nothing-listens',
    'unreachable',
    'private-address',
    'too-slow',
    'no-access',
    'wrong-path',
    'refuses',
    'other-form',
    'not-set-up',
  ]),
  says: z.string(),
  /** The models that it offers. */
  models: z.array(z.string()),
});
export type ConnectionTested = z.infer<typeof connectionTested>;

/** The tools of an MCP server, by their names there. */
export const toolsListed = z.object({ tools: z.record(z.string(), mcpTool) });

export const connectionState = z.object({
  name: z.string(),
  about: z.string().nullable(),
  /** The address in the document, and the one that this installation uses instead. */
  written: z.string().nullable(),
  address: z.string().nullable(),
  /** What simulations call in its place; null where there is none. */
  standIn: z.string().nullable(),
  /** How a secret is shown to the service; null where it wants none. */
  auth: z.string().nullable(),
  /** A secret is kept for it. */
  secret: z.boolean(),
  /** Model profiles of the bot that use it. */
  models: z.array(z.string()),
  actions: z.array(z.object({ id: z.string(), about: z.string().nullable(), method: z.string(), path: z.string() })),
});
export type ConnectionState = z.infer<typeof connectionState>;

const timing = z.object({ begins: z.number(), ms: z.number() });

/**
 * A turn sheet as it was recorded: `timings[i]` is when step i of the path began and how long it took, in ms. Turns of a
 * simulation have a `parent`, the turn that they follow, and `again` where they repeat another turn.
 */
export const turnRecord = z.object({
  id: z.string(),
  parent: z.string().nullable(),
  again: z.string().nullable(),
  /** Samples that answered in it, by the path of the call. */
  samples: z.record(z.string(), z.string()),
  conversation: z.string(),
  number: z.number().int(),
  at: moment,
  ms: z.number(),
  release: z.number().int().nullable(),
  revision: z.number().int().nullable(),
  sheet: turnSheet,
  timings: z.array(timing.extend({ calls: z.record(z.string(), timing).optional() })),
  waitsAt: z.object({ flow: z.string(), node: z.string() }).nullable(),
  /** What was kept of the visitor before the first turn of a simulation. */
  kept: z.record(z.string(), jsonValue).optional(),
});
export type TurnRecord = z.infer<typeof turnRecord>;

/** One line of a conversation as a visitor sees it. `seq` counts from 1 and orders them. */
export const chatLine = z.object({
  seq: z.number().int(),
  who: z.enum(['visitor', 'bot', 'notice', 'staff']),
  /** Who of the staff said it. */
  by: z.string().optional(),
  /** Why it could not be delivered. */
  failed: z.string().optional(),
  at: moment,
  id: z.string().optional(),
  message,
});
export type ChatLine = z.infer<typeof chatLine>;

/** An address that Primrose may call. */
export const httpAddress = z.url({ protocol: /^https?$/ }).max(500);

/** The key by which a visitor of web chat is known: 256 random bits, as the service has made it. */
export const visitorKey = z.string().regex(/^[A-Za-z0-9_-]{43}$/, 'the key that opening a chat has answered with');

export const said = z
  .object({
    /** Chosen by the sender, so that a repeat is recognised. */
    id: key,
    text: z.string().max(4000).optional(),
    choice: z.string().max(100).optional(),
    /** Files that were sent before, by their addresses. */
    files: z.array(z.string().max(500)).min(1).max(8).optional(),
  })
  .refine((m) => (m.text?.trim() ?? '') !== '' || m.choice !== undefined || m.files !== undefined, {
    message: 'say something in "text", press a button in "choice", or name what was sent in "files"',
  });
export type Said = z.infer<typeof said>;

export const token = z.object({ id: z.string(), name: z.string(), createdAt: moment, lastUsedAt: moment.nullable() });
