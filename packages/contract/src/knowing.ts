import { DOCUMENT_FORMS, SOURCE_TIMES, lookedUp, splitting, type LookedUp, type Splitting } from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

const asFound: z.ZodType<LookedUp> = lookedUp;
const asSplit: z.ZodType<Splitting> = splitting;

const hash = z.string().regex(/^[0-9a-f]{64}$/, 'a SHA-256 in 64 hexadecimal digits');
const key = s.conversationParams.shape.conversation;
const contentParams = s.botParams.extend({ hash: key });
const documentParams = s.knowledgeParams.extend({ document: key });
/** One document has at most so many bytes. */
export const MOST_DOCUMENT_BYTES = 20_000_000;

/** How far a document of a draft is. */
export const documentState = z.object({
  document: z.string(),
  title: z.string(),
  form: z.enum(DOCUMENT_FORMS),
  state: z.enum(['waiting', 'reading', 'indexing', 'ready', 'failed']),
  /** Why it could not be read; null where it could. */
  problem: z.string().nullable(),
  /** What one should know of how it was read. */
  note: z.string().nullable(),
  size: z.number().int().nullable(),
  pages: z.number().int().nullable(),
  characters: z.number().int(),
  passages: z.number().int().nullable(),
  /** Whether lookups look at it today. */
  used: z.boolean(),
  hash,
});
export type DocumentStateView = z.infer<typeof documentState>;

/** How far a source of a base is: an address that documents are fetched from. */
export const sourceState = z.object({
  source: z.string(),
  address: z.string(),
  every: z.enum(SOURCE_TIMES).nullable(),
  /** `never`: nobody asked for it yet. */
  state: z.enum(['never', 'waiting', 'fetching', 'fetched', 'failed']),
  problem: z.string().nullable(),
  /** How many pages and files stand there, and how many documents the last time changed. */
  pages: z.number().int(),
  changed: z.number().int(),
  skipped: z.array(z.object({ address: z.string(), why: z.string() })),
  at: z.iso.datetime().nullable(),
  next: z.iso.datetime().nullable(),
});
export type SourceStateView = z.infer<typeof sourceState>;

export const passageView = z.object({
  place: z.number().int(),
  heading: z.string(),
  page: z.number().int().nullable(),
  text: z.string(),
});

/** How a document would be split. */
export const splitPreview = z.object({
  passages: z.number().int(),
  characters: z.object({ least: z.number().int(), median: z.number().int(), most: z.number().int() }),
  first: z.array(passageView.omit({ place: true })),
});

/** A question of an evaluation set; without a document nothing should be found. */
export const testQuestion = z.object({
  id: z.string(),
  question: z.string(),
  document: z.string().nullable(),
  heading: z.string().nullable(),
  says: z.string().nullable(),
  origin: z.enum(['hand', 'csv', 'proposed', 'conversation']),
});
export type TestQuestionView = z.infer<typeof testQuestion>;
/** A question that could stand in the set, and how often it was asked. */
export type ProposedQuestionView = Omit<TestQuestionView, 'id'> & { readonly times: number };

const newQuestion = z.object({
  question: z.string().trim().min(1).max(1000),
  /** The document that answers it; null where none does. */
  document: key.nullable(),
  heading: z.string().max(400).optional(),
  says: z.string().max(400).optional(),
  origin: z.enum(['hand', 'csv', 'proposed', 'conversation']).optional(),
});

const ratio = z.number().min(0).max(1).nullable();
export const evaluationFigures = z.object({
  questions: z.number().int(),
  answered: z.number().int(),
  hit1: ratio,
  hit3: ratio,
  reciprocal: ratio,
  precision: ratio,
  recall: ratio,
});
export const evaluation = z.object({
  revision: z.number().int(),
  /** Of the base as it is, and of each other splitting that was asked for. */
  results: z.array(
    z.object({
      split: asSplit.nullable(),
      passages: z.number().int(),
      ms: z.number(),
      figures: evaluationFigures,
      items: z.array(
        z.object({ id: z.string(), question: z.string(), rank: z.number().int(), covered: z.boolean(), nothing: z.boolean() }),
      ),
    }),
  ),
});
export type EvaluationView = z.infer<typeof evaluation>;

/** Documents of knowledge bases, what was read of them, and how good lookups are. */
export const knowingEndpoints = {
  putContent: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/contents/:hash',
    about: 'The contents of a document, as they are; the draft refers to them by their SHA-256',
    access: 'person',
    params: contentParams,
    upload: ['application/octet-stream'],
    uploadMost: MOST_DOCUMENT_BYTES,
    reply: z.object({ hash, size: z.number().int() }),
    problems: ['too-large', 'wrong-content-type', 'invalid-input'],
  }),
  addContent: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/contents',
    about: 'The same where the hash is not worked out by whoever sends it',
    access: 'person',
    params: s.botParams,
    upload: ['application/octet-stream'],
    uploadMost: MOST_DOCUMENT_BYTES,
    reply: z.object({ hash, size: z.number().int() }),
    status: 201,
    problems: ['too-large', 'wrong-content-type'],
  }),
  missingContents: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/contents/missing',
    about: 'Which of some contents the bot was not given yet',
    access: 'person',
    params: s.botParams,
    body: z.object({ hashes: z.array(hash).max(20_000) }),
    reply: z.object({ missing: z.array(hash) }),
  }),
  bringContent: endpoint({
    method: 'PUT',
    path: '/api/contents/:hash',
    about: 'Contents of a document for a bot that is not made yet; kept for a day where none is',
    access: 'person',
    params: z.object({ hash: key }),
    upload: ['application/octet-stream'],
    uploadMost: MOST_DOCUMENT_BYTES,
    reply: z.object({ hash, size: z.number().int() }),
    problems: ['too-large', 'wrong-content-type', 'invalid-input'],
  }),
  missingBrought: endpoint({
    method: 'POST',
    path: '/api/contents/missing',
    about: 'Which of some contents neither this person nor a bot of theirs has',
    access: 'person',
    body: z.object({ hashes: z.array(hash).max(20_000) }),
    reply: z.object({ missing: z.array(hash) }),
  }),
  getContent: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/contents/:hash',
    about: 'Contents of a document as they were brought',
    access: 'person',
    params: contentParams,
    download: ['application/octet-stream'],
  }),
  listDocuments: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/knowledge/:knowledge/documents',
    about: 'The documents of a knowledge base of the draft, and how far each is',
    access: 'person',
    params: s.knowledgeParams,
    reply: s.list(documentState),
  }),
  readDocumentAgain: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/knowledge/:knowledge/documents/:document/again',
    about: 'Try once more to read a document that could not be read',
    access: 'person',
    params: documentParams,
    status: 204,
  }),
  listSources: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/knowledge/:knowledge/sources',
    about: 'The addresses that documents of a base of the draft are fetched from, and how far each is',
    access: 'person',
    params: s.knowledgeParams,
    reply: s.list(sourceState),
  }),
  fetchSource: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/knowledge/:knowledge/sources/:source/fetch',
    about: 'Fetch what stands at an address now; what is new or changed comes into the draft',
    access: 'person',
    params: s.knowledgeParams.extend({ source: key }),
    status: 202,
    reply: sourceState,
  }),
  listPassages: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/knowledge/:knowledge/documents/:document/passages',
    about: 'The passages of a document, as they are ranked and cited',
    access: 'person',
    params: documentParams,
    query: s.page,
    reply: s.list(passageView),
  }),
  previewSplit: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/knowledge/:knowledge/documents/:document/split',
    about: 'How a document would be split otherwise; nothing is changed',
    access: 'person',
    params: documentParams,
    body: z.object({ split: asSplit.nullable() }),
    reply: splitPreview,
  }),
  askKnowledge: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/knowledge/:knowledge/ask',
    about:
      'What a knowledge base of the draft has on a question: passages by rank with why they rank so, and whether it is answered',
    access: 'person',
    params: s.knowledgeParams,
    body: z.object({
      question: z.string().min(1).max(20_000),
      // Further bases that are looked at together with it.
      also: z.array(key).max(4).optional(),
      before: z.string().max(2000).optional(),
      language: z.string().max(20).optional(),
      labels: z.array(z.string().max(60)).max(20).optional(),
      most: z.number().int().min(1).max(10).optional(),
    }),
    reply: z.object({ revision: z.number().int(), passages: z.number().int(), ms: z.number(), found: asFound }),
  }),
  readPassage: endpoint({
    method: 'GET',
    path: '/documents/:index/:place/:sign',
    about: 'A passage of a document in its surroundings, as a page for whoever was given its address',
    access: 'anybody',
    params: z.object({ index: key, place: z.string().regex(/^[1-9][0-9]{0,6}$/), sign: key }),
    download: ['text/html'],
  }),
  listTestQuestions: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/knowledge/:knowledge/questions',
    about: 'The evaluation set of a knowledge base: questions with what answers them, or nothing',
    access: 'person',
    params: s.knowledgeParams,
    reply: s.list(testQuestion),
  }),
  addTestQuestions: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/knowledge/:knowledge/questions',
    about: 'Add questions to the evaluation set; those that are there already stay as they are',
    access: 'person',
    params: s.knowledgeParams,
    body: z.object({ questions: z.array(newQuestion).min(1).max(2000) }),
    reply: z.object({ added: z.number().int(), questions: z.number().int() }),
  }),
  proposeTestQuestions: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/knowledge/:knowledge/questions/proposed',
    about:
      'Questions for the set that are not in it yet: made of the headings of the documents, or asked in conversations, the most frequent first, with what answered them then',
    access: 'person',
    params: s.knowledgeParams,
    query: z.object({ from: z.enum(['headings', 'conversations']).optional() }),
    reply: s.list(testQuestion.omit({ id: true }).extend({ times: z.number().int() })),
  }),
  dropTestQuestion: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/knowledge/:knowledge/questions/:question',
    about: 'Take a question out of the evaluation set',
    access: 'person',
    params: s.knowledgeParams.extend({ question: key }),
    status: 204,
  }),
  evaluateKnowledge: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/knowledge/:knowledge/evaluate',
    about: 'How good lookups are over the evaluation set, as the base is split now and otherwise',
    access: 'person',
    params: s.knowledgeParams,
    body: z.object({ splits: z.array(asSplit).max(4).optional() }),
    reply: evaluation,
  }),
};
