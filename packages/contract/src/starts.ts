import { jsonValue, RUN_OUTCOMES, SOURCES, startDeclaration, type Start } from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

const moment = z.iso.datetime();
const key = s.conversationParams.shape.conversation;
const name = z.string().max(80);
const values = z.record(z.string(), jsonValue);
const declared: z.ZodType<Start> = startDeclaration;
const stage = z.enum(['draft', 'live']);

/** A start on this installation, as the draft has it or as what is live has it. */
const staged = z.object({
  id: z.string(),
  on: z.boolean(),
  /** Where hooks and calls come in; null for others. */
  address: z.string().nullable(),
  /** A token, or the secret for signatures, is kept. */
  secret: z.boolean(),
  /** The next times of a schedule. */
  next: z.array(moment),
});
export const startState = z.object({
  name: z.string(),
  /** As the draft declares it; null where it is only in what is live. */
  declared: declared.nullable(),
  draft: staged.nullable(),
  live: staged.nullable(),
});
export type StartState = z.infer<typeof startState>;
export type StagedStart = z.infer<typeof staged>;

/** Something that came to a start, as it came. */
export const startEvent = z.object({
  id: z.string(),
  at: moment,
  outcome: z.enum(['taken', 'repeat', 'refused', 'missed', 'failed']),
  /** What the sender was told, as an HTTP status; 0 where nobody was told anything. */
  status: z.number().int(),
  about: z.string(),
  contentType: z.string().nullable(),
  headers: z.record(z.string(), z.string()),
  query: z.record(z.string(), z.string()),
  body: z.string().nullable(),
  run: z.string().nullable(),
  times: z.number().int(),
});
export type StartEvent = z.infer<typeof startEvent>;

/** A flow that began without a conversation. */
export const run = z.object({
  id: z.string(),
  start: z.string().nullable(),
  by: z.enum(SOURCES),
  flow: z.string(),
  stage,
  outcome: z.enum(RUN_OUTCOMES),
  given: values,
  gave: values.nullable(),
  reason: z.string().nullable(),
  againOf: z.string().nullable(),
  page: z
    .object({
      page: z.string(),
      result: z.string(),
      part: z.string().nullable().describe('the output that alone was made'),
      who: z.string().nullable().describe('the person who filled it in; null for a visitor'),
      share: z.string().nullable(),
      tokens: z.number(),
      price: z.number(),
    })
    .nullable()
    .describe('of a page that was filled in'),
  at: moment,
  ms: z.number().nullable(),
});
export type Run = z.infer<typeof run>;

export const notice = z.object({
  id: z.string(),
  at: moment,
  channel: z.string(),
  to: z.string(),
  text: z.string(),
  state: z.enum(['waits', 'sent', 'failed']),
  tries: z.number().int(),
  reason: z.string().nullable(),
  sentAt: moment.nullable(),
  conversation: z.string().nullable(),
});
export type Notice = z.infer<typeof notice>;

const runParams = s.botParams.extend({ run: key });
const startParams = s.botParams.extend({ start: name });
const addressParams = z.object({ address: z.string().max(60) });

/** Starts, what came to them, runs and notices: a part of the API's list. */
export const startEndpoints = {
  listStarts: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/starts',
    about: 'What begins flows besides conversations: addresses of draft and live, whether they are on, the next times',
    access: 'person',
    params: s.botParams,
    reply: s.list(startState),
  }),
  setStart: endpoint({
    method: 'PATCH',
    path: '/api/bots/:bot/starts/:start/:stage',
    about: 'Switch a start on or off, or keep the secret with which deliveries are signed; null forgets it',
    access: 'person',
    params: startParams.extend({ stage }),
    body: z.object({ on: z.boolean().optional(), signing: z.string().min(8).max(400).nullable().optional() }),
    reply: startState,
    problems: ['no-key'],
  }),
  makeStartToken: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/starts/:start/:stage/token',
    about: 'Make a new token for a start; it is shown this once, and the one before is good no more',
    access: 'person',
    params: startParams.extend({ stage }),
    reply: z.object({ token: z.string() }),
    status: 201,
  }),
  listStartEvents: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/starts/:start/:stage/events',
    about: 'The last things that came to a start, as they came, the newest first',
    access: 'person',
    params: startParams.extend({ stage }),
    reply: s.list(startEvent),
  }),
  tryMapping: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/starts/:start/mapping',
    about: 'What the flow would get of something that came, by the mapping of the draft or by another one; nothing is begun',
    access: 'person',
    params: startParams,
    body: z.object({
      came: z.object({
        body: jsonValue.optional(),
        headers: values.optional(),
        query: values.optional(),
        row: jsonValue.optional(),
      }),
      given: z.record(name, jsonValue).optional(),
    }),
    reply: z.object({ values, problems: z.array(z.object({ input: z.string(), reason: z.string() })) }),
  }),
  describeStart: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/starts/:start/:stage/sheet',
    about:
      'How somebody outside uses a hook or a call: a plain sheet in Markdown with a working curl, and its OpenAPI description',
    access: 'person',
    params: startParams.extend({ stage }),
    reply: z.object({ sheet: z.string(), curl: z.string(), openapi: z.record(z.string(), z.unknown()) }),
  }),
  listRuns: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/runs',
    about: 'Flows that began without a conversation, the newest first',
    access: 'person',
    params: s.botParams,
    query: s.page.extend({
      start: name.optional(),
      flow: name.optional(),
      outcome: z.enum(RUN_OUTCOMES).optional(),
      from: moment.optional(),
      to: moment.optional(),
    }),
    reply: s.list(run),
  }),
  countRuns: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/runs-count',
    about: 'How many runs there were in the last days, by start and outcome',
    access: 'person',
    params: s.botParams,
    query: z.object({ days: z.coerce.number().int().min(1).max(365).optional() }),
    reply: z.object({
      items: z.array(z.object({ start: z.string().nullable(), outcome: z.enum(RUN_OUTCOMES), count: z.number().int() })),
    }),
  }),
  getRun: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/runs/:run',
    about: 'One run with its turn sheets and the notices that it sent',
    access: 'person',
    params: runParams,
    reply: z.object({ run, turns: z.array(s.turnRecord), notices: z.array(notice) }),
  }),
  beginRun: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/runs',
    about:
      'Begin a flow by hand with values for what it takes, on the draft or on what is live. With wait=true the answer comes when it is over',
    access: 'person',
    params: s.botParams,
    query: z.object({ wait: z.enum(['true', 'false']).optional() }),
    body: z.object({ flow: name, on: stage, given: values.optional(), id: key.optional() }),
    reply: run,
    status: 201,
    problems: ['inputs-missing', 'no-release'],
  }),
  runAgain: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/runs/:run/again',
    about: 'Begin a run once more with the same input, on the draft or on what is live',
    access: 'person',
    params: runParams,
    body: z.object({ on: stage }),
    reply: run,
    status: 201,
    problems: ['no-release'],
  }),
  listNotices: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/notices',
    about: 'Messages that answer nobody: sent, waiting, or failed for good, the newest first',
    access: 'person',
    params: s.botParams,
    query: s.page.extend({ state: z.enum(['waits', 'sent', 'failed']).optional() }),
    reply: s.list(notice),
  }),
  sendNoticeAgain: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/notices/:notice/again',
    about: 'Send a notice after all that failed for good',
    access: 'person',
    params: s.botParams.extend({ notice: key }),
    status: 204,
  }),
  takeStart: endpoint({
    method: 'POST',
    path: '/api/starts/:address',
    about:
      'What comes to a hook, or a call: it begins a run, once for each idempotency-key. Answered at once (202), or with what the flow gives; with accept: text/event-stream a call is told `begun`, what a model writes as `words`, and `over` with what it gave',
    access: 'anybody',
    params: addressParams,
    open: true,
    problems: [
      'forged-signature',
      'channel-off',
      'no-release',
      'release-stopped',
      'too-large',
      'inputs-missing',
      'invalid-input',
      'run-failed',
    ],
  }),
  askStart: endpoint({
    method: 'OPTIONS',
    path: '/api/starts/:address',
    about: 'Whether a page of another site may send to a hook (CORS)',
    access: 'anybody',
    params: addressParams,
    open: true,
  }),
  readStart: endpoint({
    method: 'GET',
    path: '/api/starts/:address',
    about: 'The OpenAPI description of a call, for whoever bears its token',
    access: 'anybody',
    params: addressParams,
    reply: z.record(z.string(), z.unknown()),
    problems: ['forged-signature'],
  }),
  readStartRun: endpoint({
    method: 'GET',
    path: '/api/starts/:address/runs/:run',
    about: 'What a run has come to, for whoever may call it',
    access: 'anybody',
    params: addressParams.extend({ run: key }),
    reply: z.object({ run: z.string(), outcome: z.enum(RUN_OUTCOMES), gave: values.nullable(), reason: z.string().nullable() }),
    problems: ['forged-signature'],
  }),
} as const;
