import {
  blockShape,
  INPUT_FORMS,
  jsonValue,
  OUTPUT_FORMS,
  OUTPUT_STATES,
  pageDeclaration,
  shownShape,
  type Block,
  type Page,
  type ShownValue,
} from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

const name = z.string().max(80);
const key = s.conversationParams.shape.conversation;
const moment = z.iso.datetime();
const values = z.record(z.string().max(80), jsonValue);
const stage = z.enum(['live', 'draft']);

/** Who may open a shared page: whoever has its link, whoever knows a password besides, or people of this service. */
export const PAGE_ACCESS = ['link', 'password', 'signed-in'] as const;
/** Whether a shared page stands in the gallery: for nobody, for people of this service, or for anybody. */
export const GALLERY = ['none', 'private', 'public'] as const;
/** What a result can be fetched as. */
export const DOWNLOAD_FORMS = ['txt', 'md', 'docx', 'xlsx', 'csv', 'pdf'] as const;
export type DownloadForm = (typeof DOWNLOAD_FORMS)[number];

const shownBlock: z.ZodType<Block> = blockShape;
const declared: z.ZodType<Page> = pageDeclaration;

export const shareLimits = z.object({
  /** How often one visitor may have it worked out a day, and all of them together. */
  visitor: z.number().int().min(1).max(100_000).nullable(),
  day: z.number().int().min(1).max(10_000_000).nullable(),
  /** What a day of it may cost by the prices of its model profiles. */
  budget: z.number().min(0).max(1_000_000).nullable(),
});

export const pageShare = z.object({
  id: z.string(),
  page: z.string(),
  name: z.string(),
  link: z.string(),
  on: z.boolean(),
  access: z.enum(PAGE_ACCESS),
  until: moment.nullable(),
  gallery: z.enum(GALLERY),
  copies: z.boolean().describe('people of this service may copy the page into bots of their own'),
  limits: shareLimits,
  release: z.object({ number: z.number().int(), follows: z.boolean() }).nullable(),
  today: z.object({ runs: z.number().int(), tokens: z.number(), price: z.number() }),
});
export type PageShare = z.infer<typeof pageShare>;

const shownForm: z.ZodType<ShownValue> = shownShape;
const outputVersion = z.object({
  run: z.string(),
  at: moment,
  value: jsonValue,
  shown: shownForm.describe('as it is drawn'),
  sources: z.array(
    z.object({
      number: z.number().int(),
      title: z.string(),
      heading: z.string(),
      page: z.number().int().nullable(),
      quote: z.string(),
      address: z.string().nullable(),
    }),
  ),
});
export const pageOutput = z.object({
  output: z.string(),
  state: z.enum(OUTPUT_STATES),
  reason: z.string().nullable(),
  writing: z.string().nullable().describe('what is being written so far; provisional'),
  staleBy: z.array(z.string()),
  versions: z.array(outputVersion),
});
export type PageOutput = z.infer<typeof pageOutput>;
export type PageOutputVersion = z.infer<typeof outputVersion>;

export const pageResult = z.object({
  id: z.string(),
  page: z.string(),
  stage,
  at: moment,
  inputs: values,
  state: z.enum(['waiting', 'running', 'done', 'failed']),
  place: z.number().int().nullable().describe('how many wait before it, itself included; null where it does not wait'),
  reason: z.string().nullable(),
  outputs: z.array(pageOutput),
  runs: z.array(z.object({ id: z.string(), part: z.string().nullable(), at: moment, state: z.string() })),
  by: z.string().nullable().describe('the person; null for a visitor'),
  share: z.string().nullable(),
  tokens: z.number(),
  price: z.number(),
});
export type PageResult = z.infer<typeof pageResult>;

/** A page as it is shown: what its parts are, with what can be chosen and what has to be filled in. */
const shownInput = z.object({
  input: z.string(),
  as: z.enum(INPUT_FORMS),
  label: z.string(),
  help: z.string().nullable(),
  of: z.array(z.object({ value: z.string(), says: z.string() })),
  needed: z.boolean(),
  first: jsonValue,
  wide: z.number().int(),
});
const shownOutput = z.object({
  output: z.string(),
  as: z.enum(OUTPUT_FORMS),
  label: z.string(),
  help: z.string().nullable(),
  hides: z.boolean(),
  from: z.array(z.string()).describe('inputs and outputs that it is made from'),
  wide: z.number().int(),
});
export const shownPage = z.object({
  title: z.string(),
  about: z.string().nullable(),
  button: z.string(),
  language: z.string(),
  colours: z.object({
    accent: z.string().nullable(),
    onAccent: z.string().nullable(),
    ground: z.string().nullable(),
    ink: z.string().nullable(),
  }),
  logo: z.string().nullable(),
  examples: z.array(z.object({ title: z.string(), inputs: values })),
  parts: z.array(
    z.union([
      shownInput,
      shownOutput,
      z.object({ chat: z.literal(true), label: z.string(), help: z.string().nullable(), wide: z.number().int() }),
      z.object({ blocks: z.array(shownBlock), wide: z.number().int() }),
      z.object({ picture: z.string(), alt: z.string(), wide: z.number().int() }),
    ]),
  ),
});
export type ShownPage = z.infer<typeof shownPage>;
export type ShownPart = ShownPage['parts'][number];

const galleryItem = z.object({
  title: z.string(),
  about: z.string().nullable(),
  category: z.string().nullable(),
  link: z.string(),
  address: z.string(),
  copies: z.boolean(),
});
export type GalleryItem = z.infer<typeof galleryItem>;

const frozen = z.object({
  page: shownPage,
  at: moment,
  inputs: values.nullable(),
  outputs: z.array(pageOutput),
});
export type FrozenResult = z.infer<typeof frozen>;

const chatAnswer = z.object({ lines: z.array(s.chatLine), waits: z.boolean() });

const pageParams = s.botParams.extend({ page: name });
const shareParams = s.botParams.extend({ share: key });
const resultParams = s.botParams.extend({ result: key });
const linkParams = z.object({ link: z.string().max(60) });
const ownParams = linkParams.extend({ result: key });
const told = z.object({
  inputs: values,
  id: key.optional().describe('your own id: the same again begins nothing'),
});
const wanted = z.object({ as: z.enum(DOWNLOAD_FORMS), output: name.optional(), run: key.optional() });
const DOWNLOADS = [
  'text/plain',
  'text/markdown',
  'text/csv',
  'application/pdf',
  'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
] as const;
const UPLOADS = ['application/octet-stream', 'application/*', 'text/*', 'image/*'] as const;
const sentFile = z.object({ name: z.string(), type: z.string(), size: z.number(), address: z.string() });
const frozenLink = z.object({ link: z.string() });
const ABOUT_EVENTS =
  'The result as it is, each time that something of it has changed, as server-sent events: `result` carries it, `writing` what is being written of an output';

/** Pages and what came of them: a part of the API's list. */
export const pageEndpoints = {
  listPages: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/pages',
    about: 'The pages of a bot’s draft, with the links under which they are shared',
    access: 'person',
    params: s.botParams,
    reply: s.list(
      z.object({ page: z.string(), title: z.string(), flow: z.string(), shares: z.array(pageShare), results: z.number().int() }),
    ),
  }),
  proposePage: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/pages/proposed',
    about:
      'A page with the flow behind it from a description in a few sentences: by a model profile of the bot where one is named, else by rules. Nothing is stored; put it into the draft as an edit',
    access: 'person',
    params: s.botParams,
    body: z.object({ words: z.string().min(1).max(4000), profile: name.optional() }),
    reply: z.object({
      id: z.string(),
      page: declared,
      flows: z.record(z.string(), jsonValue),
      by: z.enum(['model', 'rules']),
      notes: z.array(z.string()),
    }),
  }),
  showPage: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/pages/:page',
    about: 'A page as visitors see it, of the draft or of what is live',
    access: 'person',
    params: pageParams,
    query: z.object({ on: stage.optional() }),
    reply: shownPage,
  }),
  sharePage: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/pages/:page/shares',
    about: 'Share a page under a link of its own; it serves the bot’s live release',
    access: 'person',
    params: pageParams,
    body: z.object({ name: z.string().max(80).optional() }),
    reply: pageShare,
    status: 201,
  }),
  changeShare: endpoint({
    method: 'PATCH',
    path: '/api/bots/:bot/shares/:share',
    about: 'Change how a page is shared. A new link makes the one before good no more',
    access: 'person',
    params: shareParams,
    body: z.object({
      name: z.string().min(1).max(80).optional(),
      on: z.boolean().optional(),
      access: z.enum(PAGE_ACCESS).optional(),
      password: z.string().min(4).max(200).optional(),
      until: moment.nullable().optional(),
      gallery: z.enum(GALLERY).optional(),
      copies: z.boolean().optional(),
      limits: shareLimits.partial().optional(),
      newLink: z.literal(true).optional(),
    }),
    reply: pageShare,
    problems: ['invalid-input'],
  }),
  endShare: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/shares/:share',
    about: 'Take a link back for good. Results under it stay with the bot',
    access: 'person',
    params: shareParams,
  }),
  sendPageFile: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/page-files',
    about: 'Send a file for an input of a page; the answer is the value of the input',
    access: 'person',
    params: s.botParams,
    query: z.object({ name: z.string().max(200).optional() }),
    upload: UPLOADS,
    uploadMost: 4_200_000,
    reply: sentFile,
    status: 201,
    problems: ['too-large', 'invalid-input'],
  }),
  tryPage: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/pages/:page/results',
    about: 'Fill a page in, on the draft or on what is live',
    access: 'person',
    params: pageParams,
    body: told.extend({ on: stage }),
    reply: pageResult,
    status: 202,
    problems: ['inputs-missing', 'no-release'],
  }),
  listResults: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/pages/:page/results',
    about: 'What came of a page, the newest first',
    access: 'person',
    params: pageParams,
    query: s.page,
    reply: s.list(pageResult),
  }),
  exportResults: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/pages/:page/results.csv',
    about: 'All inputs and outputs of a page as CSV, one result a line',
    access: 'person',
    params: pageParams,
    download: ['text/csv'],
  }),
  getResult: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/results/:result',
    about: 'One result of a page',
    access: 'person',
    params: resultParams,
    reply: pageResult,
  }),
  followResult: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/results/:result/events',
    about: ABOUT_EVENTS,
    access: 'person',
    params: resultParams,
    stream: true,
  }),
  makeOutput: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/results/:result/outputs/:output',
    about: 'Make one output anew from what the others are now; a result of the draft is made by the draft as it is now',
    access: 'person',
    params: resultParams.extend({ output: name }),
    reply: pageResult,
    status: 202,
  }),
  fetchResult: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/results/:result/file',
    about: 'A result, or one output of it, as a file',
    access: 'person',
    params: resultParams,
    query: wanted,
    download: DOWNLOADS,
  }),
  freezeResult: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/results/:result/frozen',
    about: 'Keep a result as it is now under a link of its own, with its inputs or without',
    access: 'person',
    params: resultParams,
    body: z.object({ inputs: z.boolean() }),
    reply: frozenLink,
    status: 201,
  }),
  askAboutResult: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/results/:result/chat',
    about: 'Ask about a result in the chat of its page',
    access: 'person',
    params: resultParams,
    body: z.object({ id: key, text: z.string().min(1).max(4000) }),
    reply: chatAnswer,
  }),
  readAboutResult: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/results/:result/chat',
    about: 'What was said about a result',
    access: 'person',
    params: resultParams,
    reply: chatAnswer,
  }),
  listFrozen: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/pages/:page/frozen',
    about: 'The links under which results of a page are kept',
    access: 'person',
    params: pageParams,
    reply: s.list(z.object({ id: z.string(), link: z.string(), result: z.string(), inputs: z.boolean(), at: moment })),
  }),
  endFrozen: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/frozen/:frozen',
    about: 'Take the link of a kept result back',
    access: 'person',
    params: s.botParams.extend({ frozen: key }),
  }),
  copyPage: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/pages/copied',
    about: 'Copy a page of the gallery, with the flows behind it, into the draft of a bot of one’s own',
    access: 'person',
    params: s.botParams,
    body: z.object({ link: z.string().max(60) }),
    reply: z.object({ page: z.string(), flows: z.array(z.string()), left: z.array(z.string()) }),
    status: 201,
  }),
  openPage: endpoint({
    method: 'GET',
    path: '/api/pages/:link',
    about: 'A shared page: what it is called, and what it takes to open it',
    access: 'anybody',
    params: linkParams,
    reply: z.object({ title: z.string(), needs: z.enum(['nothing', 'password', 'sign-in']), language: z.string() }),
    problems: ['not-found', 'channel-off'],
  }),
  enterPage: endpoint({
    method: 'POST',
    path: '/api/pages/:link/enter',
    about: 'Enter a shared page. The key that comes back is the visitor’s: by it they find their own results',
    access: 'anybody',
    params: linkParams,
    body: z.object({ key: z.string().max(200).optional(), password: z.string().max(200).optional() }),
    reply: z.object({ key: z.string(), page: shownPage }),
    problems: ['not-found', 'channel-off', 'too-many', 'wrong-password', 'not-signed-in'],
  }),
  sendOwnFile: endpoint({
    method: 'POST',
    path: '/api/pages/:link/files',
    about: 'Send a file for an input; the answer is the value of the input',
    access: 'visitor',
    params: linkParams,
    query: z.object({ name: z.string().max(200).optional() }),
    upload: UPLOADS,
    uploadMost: 4_200_000,
    reply: sentFile,
    status: 201,
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'too-large', 'invalid-input'],
  }),
  fillPage: endpoint({
    method: 'POST',
    path: '/api/pages/:link/results',
    bodyMost: 1_000_000,
    about: 'Fill the page in. It is taken in any case; where others are before it, it says how many',
    access: 'visitor',
    params: linkParams,
    body: told,
    reply: pageResult,
    status: 202,
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'inputs-missing'],
  }),
  listOwnResults: endpoint({
    method: 'GET',
    path: '/api/pages/:link/results',
    about: 'The visitor’s own results, the newest first',
    access: 'visitor',
    params: linkParams,
    query: s.page,
    reply: s.list(pageResult),
    problems: ['visitor-unknown'],
  }),
  getOwnResult: endpoint({
    method: 'GET',
    path: '/api/pages/:link/results/:result',
    about: 'One of the visitor’s own results',
    access: 'visitor',
    params: ownParams,
    reply: pageResult,
    problems: ['visitor-unknown', 'not-found'],
  }),
  followOwnResult: endpoint({
    method: 'GET',
    path: '/api/pages/:link/results/:result/events',
    about: ABOUT_EVENTS,
    access: 'visitor',
    params: ownParams,
    stream: true,
    problems: ['visitor-unknown', 'not-found'],
  }),
  makeOwnOutput: endpoint({
    method: 'POST',
    path: '/api/pages/:link/results/:result/outputs/:output',
    about: 'Make one output anew from what the others are now',
    access: 'visitor',
    params: ownParams.extend({ output: name }),
    reply: pageResult,
    status: 202,
    problems: ['visitor-unknown', 'not-found', 'too-many'],
  }),
  fetchOwnResult: endpoint({
    method: 'GET',
    path: '/api/pages/:link/results/:result/file',
    about: 'A result, or one output of it, as a file',
    access: 'visitor',
    params: ownParams,
    query: wanted,
    download: DOWNLOADS,
    problems: ['visitor-unknown', 'not-found'],
  }),
  freezeOwnResult: endpoint({
    method: 'POST',
    path: '/api/pages/:link/results/:result/frozen',
    about: 'Keep a result as it is now under a link of its own, with its inputs or without',
    access: 'visitor',
    params: ownParams,
    body: z.object({ inputs: z.boolean() }),
    reply: frozenLink,
    status: 201,
    problems: ['visitor-unknown', 'not-found'],
  }),
  askResult: endpoint({
    method: 'POST',
    path: '/api/pages/:link/results/:result/chat',
    about: 'Ask about a result; the answer comes when the bot has spoken, or says that it still works',
    access: 'visitor',
    params: ownParams,
    body: z.object({ id: key, text: z.string().min(1).max(4000) }),
    reply: chatAnswer,
    problems: ['visitor-unknown', 'not-found', 'too-many'],
  }),
  readResultChat: endpoint({
    method: 'GET',
    path: '/api/pages/:link/results/:result/chat',
    about: 'What was said about a result',
    access: 'visitor',
    params: ownParams,
    reply: chatAnswer,
    problems: ['visitor-unknown', 'not-found'],
  }),
  openFrozen: endpoint({
    method: 'GET',
    path: '/api/results/:link',
    about: 'A result that was kept under a link of its own',
    access: 'anybody',
    params: linkParams,
    reply: frozen,
    problems: ['not-found'],
  }),
  fetchFrozen: endpoint({
    method: 'GET',
    path: '/api/results/:link/file',
    about: 'A kept result, or one output of it, as a file',
    access: 'anybody',
    params: linkParams,
    query: wanted,
    download: DOWNLOADS,
    problems: ['not-found'],
  }),
  listGallery: endpoint({
    method: 'GET',
    path: '/api/gallery',
    about: 'Shared pages of this service that stand in its gallery: public ones for anybody, private ones for its people',
    access: 'anybody',
    reply: s.list(galleryItem),
  }),
};
