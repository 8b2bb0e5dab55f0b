import { jsonValue } from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import { asideEvent } from './keeping.js';
import * as s from './shapes.js';

/** What a visitor thought of a line, or with line 0 of the conversation as a whole. */
const thought = z.object({ line: z.number().int(), helpful: z.boolean(), words: z.string().nullable(), at: z.iso.datetime() });
const counted = z.object({ helpful: z.number().int(), unhelpful: z.number().int() });

const connecting = {
  name: z.string().trim().min(1).max(120),
  secrets: z.record(s.secretName, z.string().min(1).max(4000)).optional(),
};
const callerName = z
  .string()
  .trim()
  .regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'small letters, digits and dashes, such as tide-table');

/** Messengers and what is said on any channel: a part of the API's list. */
export const messagingEndpoints = {
  createChannel: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/channels',
    about:
      'Connect a channel: a messenger by its mapping, the others by their settings; secrets are kept encrypted and never shown again',
    access: 'person',
    params: s.botParams,
    body: z.discriminatedUnion('kind', [
      z.object({ kind: z.literal('hook-messenger'), ...connecting, profile: s.profile }),
      z.object({ kind: z.enum(['mail', 'xmpp', 'irc', 'matrix', 'telephone']), ...connecting, settings: jsonValue }),
      z.object({ kind: z.literal('bot-api'), ...connecting }),
    ]),
    reply: s.channelState,
    status: 201,
    problems: ['no-key'],
  }),
  listChannelKinds: endpoint({
    method: 'GET',
    path: '/api/channel-kinds',
    about: 'The kinds of channel that are connected by settings, with the JSON Schema of these and what each can show',
    access: 'person',
    reply: s.list(s.channelKind),
  }),
  getChannel: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/channels/:channel',
    about: 'A channel with its settings, the names of its secrets, its testers, and how it stands with its connection',
    access: 'person',
    params: s.channelParams,
    reply: s.channelState,
  }),
  testChannel: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/channels/:channel/test',
    about: 'Send a message to somebody now, to see whether the channel works; no visitor is needed for it',
    access: 'person',
    params: s.channelParams,
    body: z.object({ to: z.string().trim().min(1).max(200), text: z.string().trim().min(1).max(2000).optional() }),
    reply: z.object({ messages: z.number().int() }),
    problems: ['outside-failed', 'channel-off', 'not-ready'],
  }),
  copyChannel: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/channels/:channel/copy',
    about: 'Another channel with the same settings and secrets, switched off at first; it has an address of its own',
    access: 'person',
    params: s.channelParams,
    body: z.object({ name: z.string().trim().min(1).max(120) }),
    reply: s.channelState,
    status: 201,
  }),
  deleteChannel: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/channels/:channel',
    about: 'Take a channel away for good; its conversations are kept',
    access: 'person',
    params: s.channelParams,
  }),
  addCaller: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/channels/:channel/callers',
    about: 'A key for a program that speaks to the bot by the bot API; it is shown once',
    access: 'person',
    params: s.channelParams,
    body: z.object({ name: callerName }),
    reply: z.object({ name: z.string(), at: z.iso.datetime(), key: z.string() }),
    status: 201,
  }),
  removeCaller: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/channels/:channel/callers/:caller',
    about: 'Withdraw the key of a program; its conversations are kept',
    access: 'person',
    params: s.channelParams.extend({ caller: callerName }),
  }),
  getMessenger: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/channels/:channel/messenger',
    about: 'A messenger’s channel with its mapping, the names of its secrets and its testers',
    access: 'person',
    params: s.channelParams,
    reply: s.messenger,
  }),
  setTester: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/channels/:channel/testers',
    about: 'Let a sender talk to the draft while everyone else gets the release',
    access: 'person',
    params: s.channelParams,
    body: s.tester,
    reply: s.messenger,
  }),
  removeTester: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/channels/:channel/testers',
    about: 'Let a tester talk to the release again',
    access: 'person',
    params: s.channelParams,
    query: z.object({ sender: z.string().min(1).max(200) }),
    reply: s.messenger,
  }),
  listChannelEvents: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/channels/:channel/events',
    about: 'What came in, went out or failed on a channel, the newest first; the last hundred are kept',
    access: 'person',
    params: s.channelParams,
    reply: s.list(s.channelEvent),
  }),
  keepSample: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/channels/:channel/events/:event/sample',
    about: 'Keep an incoming event under a name, to use it again',
    access: 'person',
    params: s.channelParams.extend({ event: s.channelParams.shape.channel }),
    body: z.object({ name: z.string().trim().min(1).max(80) }),
    reply: s.sample,
    status: 201,
  }),
  listSamples: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/samples',
    about: 'The samples of a bot, by name',
    access: 'person',
    params: s.botParams,
    reply: s.list(s.sample),
  }),
  listConversations: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/conversations',
    about:
      'Conversations of real visitors, the newest first; by state=handed those that wait for staff, the longest waiting first; by state=unhelpful those with answers that were of no help, the worst first',
    access: 'person',
    params: s.botParams,
    query: s.page.extend({ state: z.enum(['handed', 'unhelpful', 'all']).optional() }),
    reply: s.list(s.conversation).extend({ handed: z.number().int() }),
  }),
  getConversation: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/conversations/:conversation',
    about: 'A conversation with its lines in order',
    access: 'person',
    params: s.conversationParams,
    query: s.page,
    reply: z.object({
      conversation: s.conversation,
      lines: s.list(s.chatLine),
      aside: z.array(asideEvent),
      feedback: z.array(thought),
    }),
  }),
  getFeedback: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/feedback',
    about: 'What visitors thought of answers, counted by release, by flow and by answer, the worst first; of the last 90 days',
    access: 'person',
    params: s.botParams,
    reply: z.object({
      helpful: z.number().int(),
      unhelpful: z.number().int(),
      releases: z.array(counted.extend({ release: z.number().int().nullable() })),
      flows: z.array(counted.extend({ flow: z.string() })),
      answers: z.array(counted.extend({ flow: z.string(), node: z.string(), said: z.string(), words: z.array(z.string()) })),
    }),
  }),
  checkHook: endpoint({
    method: 'GET',
    path: '/api/hooks/:channel',
    about: 'The handshake with which a messenger checks the address of its webhooks',
    access: 'anybody',
    params: s.chatParams,
    download: ['text/plain'],
    problems: ['forged-signature'],
  }),
  takeHook: endpoint({
    method: 'POST',
    path: '/api/hooks/:channel',
    about: 'A webhook of a messenger, signed as its mapping says',
    access: 'anybody',
    params: s.chatParams,
    upload: ['application/json'],
    reply: z.object({ taken: z.number().int(), repeats: z.number().int(), passedOver: z.number().int() }),
    problems: ['forged-signature', 'channel-off', 'no-release', 'too-large', 'wrong-content-type'],
  }),
} as const;
