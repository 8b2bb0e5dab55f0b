import { z } from 'zod';
import { memory } from './memory.js';
import { page } from './pages.js';
import { rehearsal, sample } from './rehearsals.js';
import { staff } from './staff.js';
import { start } from './starts.js';
import { table } from './tables.js';
import {
  duration,
  id,
  LANGUAGE_PATTERN,
  name,
  talkHabits,
  template,
  text,
  typeDeclaration,
  value,
  type FlowNode,
} from './shapes.js';

const flowNode = z.looseObject({ kind: z.string() }) as unknown as z.ZodType<FlowNode>;

/** One node graph of a bot. */
export const flow = z.strictObject({
  title: z.string().max(120).optional(),
  about: z.string().optional(),
  takes: z.record(name, typeDeclaration).optional(),
  gives: z.record(name, typeDeclaration).optional(),
  begin: id.optional(),
  /** What it needs: a visitor who has signed in. Who has not is asked to first. */
  needs: z.literal('sign-in').optional(),
  /** What visitors call it: "your booking". */
  called: text.optional(),
  /** Habits of conversation that are otherwise in it than in the bot. */
  talk: talkHabits.optional(),
  nodes: z.record(id, flowNode),
});
export type Flow = z.infer<typeof flow>;

/**
 * A kind of value in what visitors say: a list, each value's id with the words for it, per language or for all; or a
 * pattern (RE2 syntax) that the value's own letters fit.
 */
export const entity = z.strictObject({
  about: z.string().optional(),
  values: z.record(id, z.union([z.array(z.string()), z.record(z.string(), z.array(z.string()))])).optional(),
  pattern: z.string().max(500).optional(),
});
export type Entity = z.infer<typeof entity>;

const language = z.string().regex(LANGUAGE_PATTERN);
const phrases = z.record(language, z.array(z.string().max(500)));

/**
 * What a visitor wants, with examples of how they say it. A phrase marks values inline: `<<Tarn Holm | destination: port>>`.
 * `ready` adds the phrases of one of the everyday wishes that ship with Primrose.
 */
export const intent = z.strictObject({
  about: z.string().optional(),
  ready: z.string().optional(),
  starts: id.optional(),
  /** It may come between another flow that waits for something; false where it may not. */
  interrupts: z.boolean().optional(),
  /** The context that must be open for it. */
  needs: name.optional(),
  phrases: phrases.optional(),
});
export type Intent = z.infer<typeof intent>;

/** What a conversation is about for a while. Without a limit it stays until a flow closes it. */
export const context = z.strictObject({
  about: z.string().optional(),
  carries: z.record(name, typeDeclaration).optional(),
  lasts: z
    .strictObject({ turns: z.number().int().min(1).max(100).optional(), minutes: z.number().min(1).max(10_080).optional() })
    .optional(),
});
export type Context = z.infer<typeof context>;

/** A named model: where it is, what it is called there, its settings and what it costs. */
export const modelProfile = z.strictObject({
  about: z.string().optional(),
  connection: id,
  model: z.string().min(1).max(200),
  temperature: z.number().min(0).max(2).optional(),
  /** Only the likeliest tokens that make up this share are chosen from. */
  'top-p': z.number().gt(0).max(1).optional(),
  /** It ends its answer where it would write one of these. */
  stop: z.array(z.string().min(1).max(100)).max(4).optional(),
  /** The most tokens that it may write. */
  most: z.number().int().min(1).max(100_000).optional(),
  /** How many tokens it takes in all, what it writes included; what is beyond is trimmed. */
  context: z.number().int().min(500).max(10_000_000).optional(),
  /** How long an answer may take where a node says nothing else. */
  timeout: duration.optional(),
  /** The profile that is asked where this one gives no answer. */
  fallback: id.optional(),
  /** Price of a million tokens, in and out, in a currency of the designer's. */
  price: z.strictObject({ in: z.number().min(0), out: z.number().min(0), currency: z.string().max(10).optional() }).optional(),
});
export type ModelProfile = z.infer<typeof modelProfile>;

export const DOCUMENT_FORMS = ['markdown', 'text', 'html', 'pdf', 'docx', 'epub', 'csv', 'xlsx', 'json'] as const;
export type DocumentForm = (typeof DOCUMENT_FORMS)[number];

/** How documents are cut into passages: at headings, by size alone, page by page, row by row, or as questions with their answers. */
export const splitting = z.strictObject({
  by: z.enum(['headings', 'size', 'pages', 'rows', 'questions']),
  /** A passage grows up to so many characters. */
  size: z.number().int().min(200).max(4000).optional(),
  /** It begins with so many characters of the one before. */
  overlap: z.number().int().min(0).max(1000).optional(),
});
export type Splitting = z.infer<typeof splitting>;

const day = z.string().regex(/^\d{4}-\d{2}-\d{2}$/);
const label = z.string().min(1).max(60);

/**
 * One source of a knowledge base. Its contents stand beside the document, named by their hash (SHA-256, 64 hexadecimal digits);
 * a short text may stand in it, until it is stored.
 */
export const knowledgeDocument = z.strictObject({
  title: z.string().max(200).optional(),
  form: z.enum(DOCUMENT_FORMS),
  content: z
    .string()
    .regex(/^[0-9a-f]{64}$/)
    .optional(),
  text: z.string().max(1_000_000).optional(),
  language: language.optional(),
  labels: z.array(label).max(20).optional(),
  /** It holds from this day on, and until that one, in the bot's own time zone. */
  from: day.optional(),
  until: day.optional(),
  /** It is kept, and not looked at. */
  off: z.literal(true).optional(),
  split: splitting.optional(),
  /** Where it was fetched, and by which source of its base. */
  address: z.string().max(2000).optional(),
  source: id.optional(),
});
export type KnowledgeDocument = z.infer<typeof knowledgeDocument>;

/** How often a source is read again. */
export const SOURCE_TIMES = ['hour', 'day', 'week'] as const;

/** An address from which documents are fetched: a page or a file, or a site from there on. */
export const knowledgeSource = z.strictObject({
  address: z
    .string()
    .max(2000)
    .regex(/^https?:\/\/[^\s/]/, 'an address that begins with http:// or https://'),
  /** So many links are followed one behind the other; none where it is left out. */
  depth: z.number().int().min(0).max(5).optional(),
  /** So many pages and files at most; 50 where it is left out. */
  most: z.number().int().min(1).max(500).optional(),
  /** Only what stands under this path is fetched, as `/guide/`. */
  under: z.string().max(500).regex(/^\//, 'a path that begins with /').optional(),
  /** Read again so often; only when somebody asks for it where it is left out. */
  every: z.enum(SOURCE_TIMES).optional(),
  language: language.optional(),
  labels: z.array(label).max(20).optional(),
});
export type KnowledgeSource = z.infer<typeof knowledgeSource>;

/** What lookups search. `split` is for documents that say nothing of their own. */
export const knowledgeBase = z.strictObject({
  about: z.string().optional(),
  split: splitting.optional(),
  /** Releases look at the documents of the draft, and not at those that they were released with. */
  follows: z.literal('draft').optional(),
  /** Its documents are for nobody but staff: visitors are shown what is quoted of them, and no page. */
  private: z.literal(true).optional(),
  /** The model profile that reads pages which are pictures only. */
  sees: id.optional(),
  /** Where documents are fetched. */
  sources: z.record(id, knowledgeSource).optional(),
  documents: z.record(id, knowledgeDocument),
});
export type KnowledgeBase = z.infer<typeof knowledgeBase>;

/** One typed operation of a connection. Exactly one of the method fields holds its path. */
export const action = z.strictObject({
  about: z.string().optional(),
  get: template.optional(),
  post: template.optional(),
  put: template.optional(),
  patch: template.optional(),
  delete: template.optional(),
  takes: z.record(name, typeDeclaration).optional(),
  sends: z
    .strictObject({
      query: z.record(z.string(), value).optional(),
      headers: z.record(z.string().regex(/^[A-Za-z0-9-]+$/), template).optional(),
      body: value.optional(),
    })
    .optional(),
  gives: z.record(name, value).optional(),
  /** What kind of value each field of `gives` has: an answer that does not fit is no answer. */
  types: z.record(name, typeDeclaration).optional(),
  /** Words by which a reply claims that it was done, by language. */
  claims: z.record(language, z.array(z.string().min(2).max(60)).max(30)).optional(),
  /** The service takes the idempotency key: doing it twice is the same as doing it once. */
  repeatable: z.boolean().optional(),
  /** It only asks, whatever its method: nothing is changed by it. */
  reads: z.boolean().optional(),
  /** What of its answer is kept for the conversation and sent with later calls of the connection, as `kept.…`. */
  keeps: z.record(name, value).optional(),
});
export type Action = z.infer<typeof action>;

/** A tool of an MCP server, as the server describes it. */
export const mcpTool = z.strictObject({
  about: z.string().max(2000).optional(),
  /** The JSON Schema of what it takes. */
  takes: value.optional(),
  /** It changes nothing: the visitor need not be asked. */
  reads: z.boolean().optional(),
});
export type McpTool = z.infer<typeof mcpTool>;

/**
 * An outside service: its usual address, how we show it who we are, by the secret that is kept for it, and what can be asked
 * of it. The secret itself is never in the document.
 */
export const connection = z.strictObject({
  about: z.string().optional(),
  address: z.string().optional(),
  auth: z.union([z.enum(['bearer', 'basic']), z.strictObject({ header: z.string().regex(/^[A-Za-z0-9-]+$/) })]).optional(),
  actions: z.record(id, action),
  /** Tools of an MCP server that were chosen from its list, by their names there. */
  tools: z.record(z.string().min(1).max(100), mcpTool).optional(),
});
export type Connection = z.infer<typeof connection>;

const declarations = z.record(name, typeDeclaration).optional();

/** The whole bot, in one JSON value. Nodes are checked further by `readDocument`, kind by kind. */
export const botDocument = z.strictObject({
  primrose: z.literal(1),
  bot: id,
  name: z.string().min(1).max(120),
  about: z.string().optional(),
  languages: z.array(language).min(1),
  zone: z.string(),
  begins: id,
  unmatched: id.optional(),
  /** How long nothing may be said before the next message begins a new conversation; a day when it is left out. */
  idle: duration.optional(),
  /** A message means an intent from this score on; 0.5 when it is left out. */
  'match-from': z.number().min(0.05).max(0.95).optional(),
  /** Habits of conversation that the bot has not. */
  talk: talkHabits.optional(),
  /** Words by which somebody is known to be angry or in distress; those of a language take the place of the ready ones. */
  upset: phrases.optional(),
  variables: z.strictObject({ session: declarations, visitor: declarations, settings: declarations }).optional(),
  entities: z.record(name, entity).optional(),
  intents: z.record(id, intent).optional(),
  /** Sayings that the bot is not for. */
  'out-of-scope': phrases.optional(),
  contexts: z.record(name, context).optional(),
  connections: z.record(id, connection).optional(),
  models: z.record(id, modelProfile).optional(),
  knowledge: z.record(id, knowledgeBase).optional(),
  tables: z.record(id, table).optional(),
  memory: memory.optional(),
  /** When staff answer, and what is said when they do not. */
  staff: staff.optional(),
  starts: z.record(id, start).optional(),
  pages: z.record(id, page).optional(),
  samples: z.record(id, sample).optional(),
  rehearsals: z.record(id, rehearsal).optional(),
  flows: z.record(id, flow),
});
export type BotDocument = z.infer<typeof botDocument>;
