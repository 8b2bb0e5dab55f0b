import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

/*
 * Web chat: how it looks and where it may stand (settings of a channel), and everything that a visitor's side asks the service
 * for. A part of the API's list.
 */

const key = s.conversationParams.shape.conversation;
const moment = z.iso.datetime();
const colour = z.string().regex(/^#[0-9a-f]{6}$/i, 'a colour such as #27634a');
const picture = z
  .string()
  .max(200_000)
  .regex(/^data:image\/(png|jpeg|webp|gif);base64,/, 'a picture as a data: address (PNG, JPEG, WebP or GIF)');
const origin = z
  .string()
  .max(200)
  .regex(/^https?:\/\/[a-z0-9.-]+(:\d{1,5})?$/, 'an origin such as https://ferries.example, without a path');
const language = z.string().regex(/^(any|[a-z]{2,3}(-[A-Za-z0-9]{2,8})*)$/, 'a language such as de, or any');

/** What stands in a web chat besides what the bot says, in one language. What is left out is as usual. */
export const chatWords = z.strictObject({
  /** In place of the bot's name. */
  name: z.string().trim().max(80).optional(),
  about: z.string().trim().max(200).optional(),
  /** On the bubble while it is closed. */
  open: z.string().trim().max(60).optional(),
  /** In the empty field. */
  say: z.string().trim().max(80).optional(),
  /** Questions to begin with, each said with one press. */
  starters: z.array(z.string().trim().min(1).max(120)).max(6).optional(),
});
export type ChatWords = z.infer<typeof chatWords>;

/** By what visitors may show who they are. */
const signIn = z.strictObject({
  /** How long a sign-in lasts. */
  hours: z.number().int().min(1).max(720),
  /** By a code that is sent to their mailbox. */
  mail: z.boolean(),
  /** By an identity service that speaks OpenID Connect; its secret is kept apart. */
  service: z
    .strictObject({ issuer: s.httpAddress, client: z.string().trim().min(1).max(200), name: z.string().trim().min(1).max(60) })
    .nullable(),
  /** Who issues the tokens of host pages (`iss`); web chats with the same issuer know the same people. Null: any, and nobody else's. */
  issuer: z.string().trim().min(1).max(200).nullable(),
});

/** How a web chat looks, what it offers and where it may stand: `channels.settings` of the kind. */
export const chatSettings = z.strictObject({
  /** By language; `any` is for all others. */
  words: z.record(language, chatWords).refine((w) => Object.keys(w).length <= 30, 'words in at most 30 languages'),
  accent: colour.nullable(),
  ground: colour.nullable(),
  theme: z.enum(['auto', 'light', 'dark']),
  logo: picture.nullable(),
  /** On which side of a page the bubble stands: where lines end, or where they begin. */
  side: z.enum(['end', 'start']),
  /** Pages that may show it inside them; none named: any. */
  origins: z.array(origin).max(30),
  files: z.boolean(),
  history: z.boolean(),
  feedback: z.boolean(),
  signIn,
});
export type ChatSettings = z.infer<typeof chatSettings>;

export const CHAT_SETTINGS: ChatSettings = {
  words: {},
  accent: null,
  ground: null,
  theme: 'auto',
  logo: null,
  side: 'end',
  origins: [],
  files: true,
  history: true,
  feedback: true,
  signIn: { hours: 12, mail: false, service: null, issuer: null },
};

/** A key with which host pages sign tokens: a secret of both sides (HS256), or the public half of theirs (RS256). */
export const tokenKey = z.object({
  id: key,
  algorithm: z.enum(['HS256', 'RS256']),
  publicKey: z.string().nullable(),
  at: moment,
});
export type TokenKey = z.infer<typeof tokenKey>;

/** Who somebody is who has signed in. */
const knownAs = z.object({ name: z.string().nullable(), email: z.string().nullable() });

/** What a visitor's page draws a web chat with, before anything is said. */
export const chatLook = z.object({
  name: z.string(),
  words: z.record(z.string(), chatWords),
  colours: z.object({
    accent: z.string().nullable(),
    onAccent: z.string().nullable(),
    ground: z.string().nullable(),
    ink: z.string().nullable(),
  }),
  theme: chatSettings.shape.theme,
  logo: z.string().nullable(),
  side: chatSettings.shape.side,
  files: z.boolean(),
  history: z.boolean(),
  feedback: z.boolean(),
  /** What a visitor can sign in by: a code by mail, an identity service (its name), the page that shows the chat. */
  signIn: z.object({ mail: z.boolean(), service: z.string().nullable(), host: z.boolean() }),
});
export type ChatLook = z.infer<typeof chatLook>;

/** A web chat with all that is set on it, and the tag that puts it into a page. */
export const webChat = s.channel.extend({
  settings: chatSettings,
  keys: z.array(tokenKey),
  /** A secret is kept for the identity service. */
  serviceSecret: z.boolean(),
  /** Where the identity service is to send visitors back to. */
  redirect: z.string(),
  /** The script tags that put it into a page. */
  tags: z.object({ bubble: z.string(), inline: z.string() }),
});
export type WebChat = z.infer<typeof webChat>;

const opened = z.object({
  key: z.string(),
  name: z.string(),
  language: z.string(),
  lines: z.array(s.chatLine),
  /** False where there is no conversation, and none was begun as the chat `waits`. */
  begun: z.boolean(),
  /** Who the visitor has signed in as, and by what. */
  who: knownAs.nullable(),
  /** The sign-in of the key that was sent was over. */
  signedOut: z.boolean(),
  /** What the visitor thought of lines, by their numbers; 0 for the conversation as a whole. */
  rated: z.record(z.string(), z.boolean()),
});
export type OpenedChat = z.infer<typeof opened>;

const pastChat = z.object({ id: z.string(), at: moment, said: z.string().nullable(), lines: z.number().int() });
export type PastChat = z.infer<typeof pastChat>;

export const webChatEndpoints = {
  createWebChat: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/web-chats',
    about: 'Make another web chat of a bot, with an address of its own',
    access: 'person',
    params: s.botParams,
    body: z.object({ name: z.string().trim().min(1).max(120) }),
    reply: webChat,
    status: 201,
  }),
  getWebChat: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/channels/:channel/web-chat',
    about: 'A web chat with its settings and the tags that put it into a page',
    access: 'person',
    params: s.channelParams,
    reply: webChat,
  }),
  setWebChat: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/channels/:channel/web-chat',
    about: 'Set how a web chat looks, what it offers and which pages may show it',
    access: 'person',
    params: s.channelParams,
    body: chatSettings.extend({ serviceSecret: z.string().min(1).max(4000).nullable().optional() }),
    reply: webChat,
    problems: ['no-key'],
  }),
  addTokenKey: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/channels/:channel/web-chat/keys',
    about:
      'Add a key with which a host page signs tokens of its users: HS256 with a secret of 32 characters or more (one is made and told once where none is sent), or RS256 with its public key',
    access: 'person',
    params: s.channelParams,
    body: z.discriminatedUnion('algorithm', [
      z.object({ algorithm: z.literal('HS256'), id: key, secret: z.string().min(32).max(400).optional() }),
      z.object({ algorithm: z.literal('RS256'), id: key, publicKey: z.string().min(100).max(4000) }),
    ]),
    reply: webChat.extend({ secret: z.string().nullable() }),
    status: 201,
    problems: ['no-key', 'invalid-input'],
  }),
  withdrawTokenKey: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/channels/:channel/web-chat/keys/:key',
    about: 'Withdraw a key: tokens that were signed with it count no more, and who signed in by them is signed out',
    access: 'person',
    params: s.channelParams.extend({ key }),
    reply: webChat,
  }),
  openChat: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/open',
    about: 'Open a conversation, or come back to the one of this visitor key',
    access: 'anybody',
    params: s.chatParams,
    body: z.object({
      key: s.visitorKey.optional(),
      language: z.string().max(20).optional(),
      /** A signed token by which the page that shows the chat says who its user is (JWT). */
      token: z.string().max(4000).optional(),
      /** The chat is there but nobody looks at it: nothing is begun for somebody who is known and has no conversation. */
      waits: z.boolean().optional(),
    }),
    reply: opened,
    problems: ['no-release', 'channel-off', 'too-many', 'sign-in-failed'],
  }),
  sayChat: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/messages',
    about: 'Say something; a repeat of the same id is accepted once',
    access: 'visitor',
    params: s.chatParams,
    body: s.said,
    reply: z.object({ accepted: z.boolean(), repeat: z.boolean() }),
    status: 202,
    problems: ['visitor-unknown', 'channel-off', 'too-many'],
  }),
  sendChatFile: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/files',
    about:
      'Send a picture, a text, a PDF, DOCX, XLSX or EPUB, at most 4 MB; its content says what it is. It is said with the next message that names its address in "files"',
    access: 'visitor',
    params: s.chatParams,
    query: z.object({ name: z.string().max(200).optional() }),
    upload: ['image/*', 'text/*', 'application/*'],
    uploadMost: 4_100_000,
    reply: z.object({ address: z.string(), name: z.string(), type: z.string(), size: z.number() }),
    status: 201,
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'too-large', 'invalid-input'],
  }),
  getFile: endpoint({
    method: 'GET',
    path: '/files/:file/:token',
    about: 'A picture or a file that a visitor sent or a bot drew, for whoever has its address',
    access: 'anybody',
    params: z.object({ file: z.string().max(40), token: z.string().max(40) }),
    download: ['image/*', 'text/*', 'application/pdf'],
    problems: ['not-found'],
  }),
  rateChat: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/feedback',
    about: 'Say whether an answer helped, or with line 0 the conversation as a whole; null takes it back',
    access: 'visitor',
    params: s.chatParams,
    body: z.object({
      line: z.number().int().min(0).max(1_000_000),
      helpful: z.boolean().nullable(),
      words: z.string().trim().max(1000).optional(),
    }),
    reply: z.object({ accepted: z.boolean() }),
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'not-found'],
  }),
  mailCode: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/sign-in/mail',
    about: 'Have a code sent to a mailbox, to sign in with',
    access: 'visitor',
    params: s.chatParams,
    body: z.object({ email: z.email().max(254) }),
    reply: z.object({ sent: z.boolean() }),
    status: 202,
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'sign-in-failed', 'outside-failed'],
  }),
  tryCode: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/sign-in/code',
    about: 'Sign in with the code that was sent',
    access: 'visitor',
    params: s.chatParams,
    body: z.object({ code: z.string().trim().min(1).max(20) }),
    reply: z.object({ who: knownAs }),
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'sign-in-failed'],
  }),
  beginServiceSignIn: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/sign-in/service',
    about: 'Begin to sign in by the identity service: the address to open in a window of its own',
    access: 'visitor',
    params: s.chatParams,
    reply: z.object({ address: z.string() }),
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'sign-in-failed', 'outside-failed'],
  }),
  finishServiceSignIn: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/sign-in/finish',
    about: 'Sign in with what the window of the identity service has handed back',
    access: 'visitor',
    params: s.chatParams,
    body: z.object({ grant: z.string().min(1).max(8000) }),
    reply: z.object({ who: knownAs }),
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'sign-in-failed'],
  }),
  endServiceSignIn: endpoint({
    method: 'GET',
    path: '/api/sign-in/back',
    about: 'Where the identity service sends a visitor back to: a page that hands on what came of it to the chat that opened it',
    access: 'anybody',
    download: ['text/html'],
  }),
  signOutChat: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/sign-out',
    about: 'End the sign-in of this key',
    access: 'visitor',
    params: s.chatParams,
    reply: z.object({ accepted: z.boolean() }),
    problems: ['visitor-unknown', 'channel-off', 'too-many'],
  }),
  listPastChats: endpoint({
    method: 'GET',
    path: '/api/chat/:channel/history',
    about: 'The visitor’s conversations before this one, the newest first; at most 50',
    access: 'visitor',
    params: s.chatParams,
    reply: z.object({ items: z.array(pastChat) }),
    problems: ['visitor-unknown', 'channel-off', 'too-many'],
  }),
  getPastChat: endpoint({
    method: 'GET',
    path: '/api/chat/:channel/history/:conversation',
    about: 'What was said in one of the visitor’s conversations before this one',
    access: 'visitor',
    params: s.chatParams.extend({ conversation: key }),
    reply: z.object({ lines: z.array(s.chatLine) }),
    problems: ['visitor-unknown', 'channel-off', 'too-many', 'not-found'],
  }),
  typeChat: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/typing',
    about: 'Say that the visitor is writing, for staff who answer',
    access: 'visitor',
    params: s.chatParams,
    reply: z.object({ accepted: z.boolean() }),
    status: 202,
    problems: ['visitor-unknown', 'channel-off', 'too-many'],
  }),
  stopChat: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/stop',
    about: 'Stop the turn that thinks: models are asked no further; what was done stays done',
    access: 'visitor',
    params: s.chatParams,
    reply: z.object({ accepted: z.boolean() }),
    status: 202,
    problems: ['visitor-unknown', 'channel-off', 'too-many'],
  }),
  startOverChat: endpoint({
    method: 'POST',
    path: '/api/chat/:channel/start-over',
    about: 'End the conversation and open a new one',
    access: 'visitor',
    params: s.chatParams,
    reply: z.object({ accepted: z.boolean() }),
    status: 202,
    problems: ['visitor-unknown', 'no-release', 'channel-off'],
  }),
  streamChat: endpoint({
    method: 'GET',
    path: '/api/chat/:channel/stream',
    about: 'Lines as they come, as server-sent events with the line number as id; Last-Event-ID resumes',
    access: 'visitor',
    params: s.chatParams,
    stream: true,
    problems: ['visitor-unknown'],
  }),
} as const;
