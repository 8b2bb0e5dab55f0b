import { effectTypes, jsonValue, understood, type ModelEffect, type Understood } from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import { inboxEndpoints } from './inbox.js';
import { keepingEndpoints } from './keeping.js';
import { knowingEndpoints } from './knowing.js';
import { botApiEndpoints } from './bot-api.js';
import { messagingEndpoints } from './messaging.js';
import { pageEndpoints } from './pages.js';
import * as s from './shapes.js';
import { simulatingEndpoints } from './simulating.js';
import { startEndpoints } from './starts.js';
import { tableEndpoints } from './tables.js';
import { understandingEndpoints } from './understanding.js';
import { webChatEndpoints } from './web-chat.js';

const person = z.object({ id: z.string(), name: z.string() });
// What the core's own schemas describe, as the core hands it out: not to be changed.
const asHeard: z.ZodType<Understood> = understood;

const modelRequest: z.ZodType<ModelEffect> = effectTypes.model.request;

/** A bot that is imported, with its documents, has at most so many bytes. */
const IMPORT_BYTES = 100_000_000;

/** The whole HTTP API of Primrose. */
export const endpoints = {
  health: endpoint({
    method: 'GET',
    path: '/health',
    about: 'Is the service ready?',
    access: 'anybody',
    reply: z.object({ ready: z.boolean(), version: z.string(), processes: z.number().int() }),
    problems: ['not-ready'],
  }),
  openapi: endpoint({
    method: 'GET',
    path: '/api/openapi.json',
    about: 'This API as an OpenAPI 3.1 document',
    access: 'anybody',
    reply: z.record(z.string(), z.unknown()),
  }),
  documentSchema: endpoint({
    method: 'GET',
    path: '/api/schema/bot.json',
    about: 'The JSON Schema of the bot document',
    access: 'anybody',
    reply: z.record(z.string(), z.unknown()),
  }),

  turnSchema: endpoint({
    method: 'GET',
    path: '/api/schema/turn.json',
    about: 'The JSON Schema of a turn’s record, with its turn sheet',
    access: 'anybody',
    reply: z.record(z.string(), z.unknown()),
  }),

  signIn: endpoint({
    method: 'POST',
    path: '/api/sign-in',
    about: 'Use a one-time sign-in link; sets the session cookie',
    access: 'anybody',
    body: z.object({ link: z.string().max(200) }),
    reply: person,
    problems: ['link-used'],
  }),
  signOut: endpoint({
    method: 'POST',
    path: '/api/sign-out',
    about: 'End the session of this browser',
    access: 'person',
    status: 204,
  }),
  me: endpoint({ method: 'GET', path: '/api/me', about: 'Who is signed in', access: 'person', reply: person }),
  listTokens: endpoint({
    method: 'GET',
    path: '/api/tokens',
    about: 'The API tokens of this person',
    access: 'person',
    reply: s.list(s.token),
  }),
  createToken: endpoint({
    method: 'POST',
    path: '/api/tokens',
    about: 'Make an API token; its secret is shown this once',
    access: 'person',
    body: z.object({ name: z.string().trim().min(1).max(80) }),
    reply: s.token.extend({ secret: z.string() }),
    status: 201,
  }),
  revokeToken: endpoint({
    method: 'DELETE',
    path: '/api/tokens/:token',
    about: 'Revoke an API token at once',
    access: 'person',
    params: s.tokenParams,
    status: 204,
  }),

  listBots: endpoint({
    method: 'GET',
    path: '/api/bots',
    about: 'The bots of this person, the last changed first',
    access: 'person',
    query: s.page.extend({ deleted: z.enum(['true', 'false']).optional() }),
    reply: s.list(s.botSummary),
  }),
  createBot: endpoint({
    method: 'POST',
    path: '/api/bots',
    about: 'A new bot: blank, from an example, or from a document',
    access: 'person',
    body: z.discriminatedUnion('from', [
      z.object({ from: z.literal('blank'), name: z.string().trim().min(1).max(120) }),
      z.object({ from: z.literal('example'), example: z.string().max(80), name: z.string().trim().min(1).max(120).optional() }),
      z.object({ from: z.literal('document'), document: s.anyDocument }),
    ]),
    reply: s.draft,
    status: 201,
    problems: ['invalid-document'],
  }),
  listExamples: endpoint({
    method: 'GET',
    path: '/api/examples',
    about: 'Bots that ship with Primrose to begin from',
    access: 'person',
    reply: s.list(z.object({ id: z.string(), name: z.string(), about: z.string() })),
  }),
  getBot: endpoint({
    method: 'GET',
    path: '/api/bots/:bot',
    about: 'One bot',
    access: 'person',
    params: s.botParams,
    reply: s.botSummary,
  }),
  deleteBot: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot',
    about: 'Put a bot away; its channels fall silent. It can be restored',
    access: 'person',
    params: s.botParams,
    status: 204,
  }),
  restoreBot: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/restore',
    about: 'Bring a deleted bot back',
    access: 'person',
    params: s.botParams,
    reply: s.botSummary,
  }),
  duplicateBot: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/duplicate',
    about: 'A new bot with a copy of the draft',
    access: 'person',
    params: s.botParams,
    reply: s.draft,
    status: 201,
  }),

  getDraft: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/draft',
    about: 'The draft with its revision',
    access: 'person',
    params: s.botParams,
    reply: s.draft,
  }),
  patchDraft: endpoint({
    method: 'PATCH',
    path: '/api/bots/:bot/draft',
    about:
      'Change the draft by a JSON Patch (RFC 6902) made against a revision; edits to different places merge, the same place is a clash',
    access: 'person',
    params: s.botParams,
    body: z.object({ revision: z.number().int(), patch: s.patch }),
    reply: s.drafted,
    problems: ['stale-revision', 'clash', 'patch-failed', 'invalid-document'],
  }),
  streamDraft: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/draft/stream',
    about:
      'Edits of the draft after a revision as they come, as server-sent events with the revision as id: `edit` carries from, revision and the JSON Patch between them, `behind` asks to fetch the draft anew',
    access: 'person',
    params: s.botParams,
    query: z.object({ since: z.coerce.number().int().min(0).optional() }),
    stream: true,
    problems: [],
  }),
  replaceDraft: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/draft',
    about: 'Put a whole document in place of the draft of a revision; what others changed elsewhere since stays',
    access: 'person',
    params: s.botParams,
    body: z.object({ revision: z.number().int(), document: s.anyDocument }),
    reply: s.drafted,
    problems: ['stale-revision', 'clash', 'invalid-document'],
  }),
  undoEdit: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/draft/undo',
    about: 'Take back the last edit of this person that still stands; what others did since stays',
    access: 'person',
    params: s.botParams,
    body: z.object({ revision: z.number().int() }),
    reply: s.drafted,
    problems: ['nothing-to-undo', 'clash'],
  }),
  redoEdit: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/draft/redo',
    about: 'Make again what this person has undone last',
    access: 'person',
    params: s.botParams,
    body: z.object({ revision: z.number().int() }),
    reply: s.drafted,
    problems: ['nothing-to-undo', 'clash'],
  }),
  restoreDraft: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/draft/restore',
    about: 'Bring the draft back to what it was at a revision, as a new edit',
    access: 'person',
    params: s.botParams,
    body: z.object({ revision: z.number().int(), to: z.number().int().min(1) }),
    reply: s.drafted,
  }),
  exportBot: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/export',
    about: 'The draft or a release as a file: one JSON document, or a zip of the folder of YAML files',
    access: 'person',
    params: s.botParams,
    query: z.object({ form: z.enum(['file', 'folder']).optional(), release: z.coerce.number().int().min(1).optional() }),
    download: ['application/json', 'application/zip'],
  }),
  importBot: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/import',
    about: 'Put an exported file or folder into the draft of a revision, as one edit; comes back as a patch',
    access: 'person',
    params: s.botParams,
    query: z.object({ revision: z.coerce.number().int().min(1) }),
    upload: ['application/json', 'application/zip'],
    uploadMost: IMPORT_BYTES,
    reply: s.drafted,
    problems: ['invalid-document', 'clash', 'stale-revision', 'too-large', 'wrong-content-type'],
  }),
  importNewBot: endpoint({
    method: 'POST',
    path: '/api/import',
    about: 'A new bot from an exported file or folder',
    access: 'person',
    upload: ['application/json', 'application/zip'],
    uploadMost: IMPORT_BYTES,
    reply: s.draft,
    status: 201,
    problems: ['invalid-document', 'too-large', 'wrong-content-type'],
  }),
  listHistory: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/history',
    about: 'Who changed what in the draft, the newest first',
    access: 'person',
    params: s.botParams,
    query: s.page,
    reply: s.list(s.pastEdit),
  }),
  listEdits: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/edits',
    about: 'Edits of the draft behind a revision, the earliest first',
    access: 'person',
    params: s.botParams,
    query: z.object({
      since: z.coerce.number().int().min(0).optional(),
      limit: z.coerce.number().int().min(1).max(200).optional(),
    }),
    reply: s.list(s.edit),
  }),
  listProblems: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/problems',
    about: 'What the checks find in the draft, each with its sentence',
    access: 'person',
    params: s.botParams,
    reply: z.object({ revision: z.number().int(), items: z.array(z.object({ problem: s.problem, sentence: z.string() })) }),
  }),

  listReleases: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/releases',
    about: 'The releases, the newest first',
    access: 'person',
    params: s.botParams,
    query: s.page,
    reply: s.list(s.release),
  }),
  createRelease: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/releases',
    about:
      'Release the draft as it is; the checks run first and errors stop it, then the rehearsals, and one that fails asks for a reason in `despite`. It becomes live unless told otherwise; open conversations move to it when asked',
    access: 'person',
    params: s.botParams,
    body: z.object({
      note: z.string().max(500),
      revision: z.number().int().optional(),
      live: z.boolean().optional(),
      move: z.boolean().optional(),
      /** Why it is released although rehearsals fail. */
      despite: z.string().trim().min(3).max(500).optional(),
    }),
    reply: s.release.extend({ warnings: z.array(z.string()) }),
    status: 201,
    problems: ['rehearsals-failed', 'release-stopped', 'nothing-to-release', 'stale-revision'],
  }),
  getRelease: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/releases/:release',
    about: 'One release with its document',
    access: 'person',
    params: s.releaseParams,
    reply: s.release.extend({ document: s.document }),
  }),

  makeLive: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/releases/:release/live',
    about: 'Make a release the one that channels serve; open conversations stay on theirs unless they are moved',
    access: 'person',
    params: s.releaseParams,
    body: z.object({ move: z.boolean().optional() }),
    reply: z.object({ release: s.release, moved: z.number().int() }),
  }),
  rollBack: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/roll-back',
    about: 'Make the release live that was live before, in one step',
    access: 'person',
    params: s.botParams,
    body: z.object({ move: z.boolean().optional() }),
    reply: z.object({ release: s.release, moved: z.number().int() }),
    problems: ['no-release'],
  }),
  compareVersions: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/compare',
    about: 'What differs between two versions, in the document’s words: release numbers, revisions such as r12, or draft',
    access: 'person',
    params: s.botParams,
    query: z.object({ from: s.version, to: s.version }),
    reply: s.comparison,
  }),

  listChannels: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/channels',
    about: 'The channels of a bot and what they serve',
    access: 'person',
    params: s.botParams,
    reply: s.list(s.channel),
  }),
  updateChannel: endpoint({
    method: 'PATCH',
    path: '/api/bots/:bot/channels/:channel',
    about:
      'Bind a channel to a release or to whichever is live; switch it on or off; change its name, its mapping or settings, and its secrets',
    access: 'person',
    params: s.channelParams,
    body: z.object({
      serves: z.union([z.literal('live'), z.number().int().min(1)]).optional(),
      on: z.boolean().optional(),
      name: z.string().trim().min(1).max(120).optional(),
      profile: s.profile.optional(),
      settings: jsonValue.optional(),
      secrets: z.record(s.secretName, z.string().min(1).max(4000).nullable()).optional(),
    }),
    reply: s.channel,
    problems: ['no-key'],
  }),
  understand: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/understand',
    about: 'What the draft understands a text as: intents with their scores, values with their roles',
    access: 'person',
    params: s.botParams,
    body: z.object({ text: z.string().min(1).max(4000), language: z.string().max(20).optional() }),
    reply: z.object({
      revision: z.number().int(),
      language: z.string(),
      ms: z.number(),
      understood: asHeard,
    }),
  }),
  tryModel: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/models/:model/try',
    about: 'Send one text to a model profile of the draft, as it is set here; or a request of a turn sheet, as it was or changed',
    access: 'person',
    params: s.modelParams,
    body: z.union([z.object({ text: z.string().min(1).max(4000) }), z.object({ request: modelRequest })]),
    reply: s.modelTried,
  }),
  listConnections: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/connections',
    about: 'The connections of the draft and their addresses here',
    access: 'person',
    params: s.botParams,
    reply: s.list(s.connectionState),
  }),
  setConnection: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/connections/:connection',
    about:
      'Give a connection another address on this installation, or a stand-in that simulations call; null returns to the written address, or takes the stand-in away',
    access: 'person',
    params: s.connectionParams,
    body: z.object({ address: s.httpAddress.nullable().optional(), standIn: s.httpAddress.nullable().optional() }),
    reply: s.connectionState,
  }),

  testConnection: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/connections/:connection/test',
    about: 'Try the connection of a model service: whether it is reached, lets us in, and which models it offers',
    access: 'person',
    params: s.connectionParams,
    reply: s.connectionTested,
  }),
  listTools: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/connections/:connection/tools',
    about: 'The tools that the MCP server of a connection offers, to choose from',
    access: 'person',
    params: s.connectionParams,
    reply: s.toolsListed,
    problems: ['outside-failed'],
  }),

  setSecret: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/connections/:connection/secret',
    about: 'Keep the secret of a connection, encrypted; null forgets it. It is never told again',
    access: 'person',
    params: s.connectionParams,
    body: z.object({ secret: z.string().min(1).max(4000).nullable() }),
    reply: s.connectionState,
    problems: ['no-key'],
  }),

  ...messagingEndpoints,
  ...botApiEndpoints,
  ...inboxEndpoints,

  ...simulatingEndpoints,

  ...tableEndpoints,
  ...startEndpoints,
  ...pageEndpoints,

  ...knowingEndpoints,
  ...keepingEndpoints,
  ...understandingEndpoints,

  listTurns: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/conversations/:conversation/turns',
    about:
      'The turn sheets of a conversation, real or simulated, in order; a page ends before it grows larger than some megabytes. `after` is the last turn that was seen',
    access: 'person',
    params: s.conversationParams,
    query: s.page,
    reply: s.list(s.turnRecord),
  }),

  ...webChatEndpoints,
} as const;

export type Endpoints = typeof endpoints;
export type EndpointName = keyof Endpoints;
