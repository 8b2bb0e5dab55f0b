import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

const person = z.object({ id: z.string(), name: z.string() });
const list = <T extends z.ZodType>(items: T) => z.object({ items: z.array(items), next: z.string().nullable() });

/** The whole HTTP API of Primrose. */
export const endpoints = {
  health: endpoint({ method: 'GET', path: '/health', about: 'Is the service ready?', access: 'anybody', reply: z.object({ ready: z.boolean(), version: z.string() }), problems: ['not-ready'] }),
  openapi: endpoint({ method: 'GET', path: '/api/openapi.json', about: 'This API as an OpenAPI 3.1 document', access: 'anybody', reply: z.record(z.string(), z.unknown()) }),
  documentSchema: endpoint({ method: 'GET', path: '/api/schema/bot.json', about: 'The JSON Schema of the bot document', access: 'anybody', reply: z.record(z.string(), z.unknown()) }),

  signIn: endpoint({ method: 'POST', path: '/api/sign-in', about: 'Use a one-time sign-in link; sets the session cookie', access: 'anybody', body: z.object({ link: z.string().max(200) }), reply: person, problems: ['link-used'] }),
  signOut: endpoint({ method: 'POST', path: '/api/sign-out', about: 'End the session of this browser', access: 'person', status: 204 }),
  me: endpoint({ method: 'GET', path: '/api/me', about: 'Who is signed in', access: 'person', reply: person }),
  listTokens: endpoint({ method: 'GET', path: '/api/tokens', about: 'The API tokens of this person', access: 'person', reply: list(s.token) }),
  createToken: endpoint({ method: 'POST', path: '/api/tokens', about: 'Make an API token; its secret is shown this once', access: 'person', body: z.object({ name: z.string().trim().min(1).max(80) }), reply: s.token.extend({ secret: z.string() }), status: 201 }),
  revokeToken: endpoint({ method: 'DELETE', path: '/api/tokens/:token', about: 'Revoke an API token at once', access: 'person', params: s.tokenParams, status: 204 }),

  listBots: endpoint({ method: 'GET', path: '/api/bots', about: 'The bots of this person, the last changed first', access: 'person', query: s.page.extend({ deleted: z.enum(['true', 'false']).optional() }), reply: list(s.botSummary) }),
  createBot: endpoint({
    method: 'POST', path: '/api/bots', about: 'A new bot: blank, from an example, or from a document', access: 'person',
    body: z.discriminatedUnion('from', [
      z.object({ from: z.literal('blank'), name: z.string().trim().min(1).max(120) }),
      z.object({ from: z.literal('example'), example: z.string().max(80), name: z.string().trim().min(1).max(120).optional() }),
      z.object({ from: z.literal('document'), document: s.anyDocument }),
    ]),
    reply: s.draft, status: 201, problems: ['invalid-document'],
  }),
  listExamples: endpoint({ method: 'GET', path: '/api/examples', about: 'Bots that ship with Primrose to begin from', access: 'person', reply: list(z.object({ id: z.string(), name: z.string(), about: z.string() })) }),
  getBot: endpoint({ method: 'GET', path: '/api/bots/:bot', about: 'One bot', access: 'person', params: s.botParams, reply: s.botSummary }),
  deleteBot: endpoint({ method: 'DELETE', path: '/api/bots/:bot', about: 'Put a bot away; its channels fall silent. It can be restored', access: 'person', params: s.botParams, status: 204 }),
  restoreBot: endpoint({ method: 'POST', path: '/api/bots/:bot/restore', about: 'Bring a deleted bot back', access: 'person', params: s.botParams, reply: s.botSummary }),
  duplicateBot: endpoint({ method: 'POST', path: '/api/bots/:bot/duplicate', about: 'A new bot with a copy of the draft', access: 'person', params: s.botParams, reply: s.draft, status: 201 }),

  getDraft: endpoint({ method: 'GET', path: '/api/bots/:bot/draft', about: 'The draft with its revision', access: 'person', params: s.botParams, reply: s.draft }),
  patchDraft: endpoint({ method: 'PATCH', path: '/api/bots/:bot/draft', about: 'Change the draft by a JSON Patch (RFC 6902) made against a revision', access: 'person', params: s.botParams, body: z.object({ revision: z.number().int(), patch: s.patch }), reply: s.draft, problems: ['stale-revision', 'patch-failed', 'invalid-document'] }),
  replaceDraft: endpoint({ method: 'PUT', path: '/api/bots/:bot/draft', about: 'Replace the whole draft, if it still is at the revision', access: 'person', params: s.botParams, body: z.object({ revision: z.number().int(), document: s.anyDocument }), reply: s.draft, problems: ['stale-revision', 'invalid-document'] }),
  listEdits: endpoint({ method: 'GET', path: '/api/bots/:bot/edits', about: 'Edits of the draft behind a revision, the earliest first', access: 'person', params: s.botParams, query: z.object({ since: z.coerce.number().int().min(0).optional(), limit: z.coerce.number().int().min(1).max(200).optional() }), reply: list(s.edit) }),
  listProblems: endpoint({ method: 'GET', path: '/api/bots/:bot/problems', about: 'What the checks find in the draft, each with its sentence', access: 'person', params: s.botParams, reply: z.object({ revision: z.number().int(), items: z.array(z.object({ problem: s.problem, sentence: z.string() })) }) }),

  listReleases: endpoint({ method: 'GET', path: '/api/bots/:bot/releases', about: 'The releases, the newest first', access: 'person', params: s.botParams, query: s.page, reply: list(s.release) }),
  createRelease: endpoint({ method: 'POST', path: '/api/bots/:bot/releases', about: 'Release the draft as it is; the checks run first and errors stop it', access: 'person', params: s.botParams, body: z.object({ note: z.string().max(500), revision: z.number().int().optional() }), reply: s.release, status: 201, problems: ['release-stopped', 'nothing-to-release', 'stale-revision'] }),
  getRelease: endpoint({ method: 'GET', path: '/api/bots/:bot/releases/:release', about: 'One release with its document', access: 'person', params: s.releaseParams, reply: s.release.extend({ document: s.document }) }),

  listChannels: endpoint({ method: 'GET', path: '/api/bots/:bot/channels', about: 'The channels of a bot and what they serve', access: 'person', params: s.botParams, reply: list(s.channel) }),
  updateChannel: endpoint({ method: 'PATCH', path: '/api/bots/:bot/channels/:channel', about: 'Bind a channel to a release or to the latest; switch it on or off', access: 'person', params: s.channelParams, body: z.object({ serves: z.union([z.literal('latest'), z.number().int().min(1)]).optional(), on: z.boolean().optional() }), reply: s.channel }),
  listConnections: endpoint({ method: 'GET', path: '/api/bots/:bot/connections', about: 'The connections of the draft and their addresses here', access: 'person', params: s.botParams, reply: list(s.connectionState) }),
  setConnection: endpoint({ method: 'PUT', path: '/api/bots/:bot/connections/:connection', about: 'Give a connection another address on this installation; null returns to the written one', access: 'person', params: s.connectionParams, body: z.object({ address: z.url({ protocol: /^https?$/ }).max(500).nullable() }), reply: s.connectionState }),

  openSimulation: endpoint({ method: 'POST', path: '/api/bots/:bot/simulations', about: 'Begin to talk to the draft', access: 'person', params: s.botParams, body: z.object({ language: z.string().max(20).optional(), name: z.string().max(80).optional() }), reply: s.turnRecord, status: 201 }),
  saySimulation: endpoint({ method: 'POST', path: '/api/bots/:bot/simulations/:conversation/messages', about: 'Say something to the draft; answers with the turn', access: 'person', params: s.conversationParams, body: s.said, reply: s.turnRecord }),
  listTurns: endpoint({ method: 'GET', path: '/api/bots/:bot/conversations/:conversation/turns', about: 'The turn sheets of a conversation, real or simulated, in order', access: 'person', params: s.conversationParams, reply: list(s.turnRecord) }),

  openChat: endpoint({ method: 'POST', path: '/api/chat/:channel/open', about: 'Open a conversation, or come back to the one of this visitor key', access: 'anybody', params: s.chatParams, body: z.object({ key: z.string().max(200).optional(), language: z.string().max(20).optional() }), reply: z.object({ key: z.string(), name: z.string(), language: z.string(), lines: z.array(s.chatLine) }), problems: ['no-release', 'channel-off', 'too-many'] }),
  sayChat: endpoint({ method: 'POST', path: '/api/chat/:channel/messages', about: 'Say something; a repeat of the same id is accepted once', access: 'visitor', params: s.chatParams, body: s.said, reply: z.object({ accepted: z.boolean(), repeat: z.boolean() }), status: 202, problems: ['visitor-unknown', 'channel-off', 'too-many'] }),
  startOverChat: endpoint({ method: 'POST', path: '/api/chat/:channel/start-over', about: 'End the conversation and open a new one', access: 'visitor', params: s.chatParams, reply: z.object({ accepted: z.boolean() }), status: 202, problems: ['visitor-unknown', 'no-release', 'channel-off'] }),
  streamChat: endpoint({ method: 'GET', path: '/api/chat/:channel/stream', about: 'Lines as they come, as server-sent events with the line number as id; Last-Event-ID resumes', access: 'visitor', params: s.chatParams, stream: true, problems: ['visitor-unknown'] }),
} as const;

export type Endpoints = typeof endpoints;
export type EndpointName = keyof Endpoints;
