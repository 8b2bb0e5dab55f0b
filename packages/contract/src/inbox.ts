import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

/*
 * The inbox: conversations that were handed over, and staff who take, answer and close them. A part of the API's list.
 */

const moment = z.iso.datetime();
const key = s.conversationParams.shape.conversation;
const id = z.string().regex(/^[A-Za-z0-9_-]{1,80}$/);
const words = z.string().trim().min(1).max(4000);

export const staffMember = z.object({ id: z.string(), name: z.string(), owner: z.boolean() });
export type StaffMember = z.infer<typeof staffMember>;

/** A conversation in the inbox. */
export const inboxItem = s.conversation.extend({
  /** Who has taken it; null while nobody has. */
  staff: z.object({ id: z.string(), name: z.string() }).nullable(),
  /** The visitor has said something that nobody of the staff has answered. */
  asks: z.boolean(),
  /** Since when they wait for the first, or for the next answer. */
  waitsSince: moment,
});
export type InboxItem = z.infer<typeof inboxItem>;

export const INBOX_VIEWS = ['waiting', 'mine', 'all'] as const;
export type InboxView = (typeof INBOX_VIEWS)[number];

const counts = z.object({ waiting: z.number().int(), mine: z.number().int(), all: z.number().int() });

export const conversationNote = z.object({ id: z.string(), by: z.string(), at: moment, text: z.string() });
export type ConversationNote = z.infer<typeof conversationNote>;

/** What somebody who takes a conversation over has to know of it, from its turn sheets. */
export const talkSummary = z.object({
  wants: z.array(z.string()),
  named: z.array(z.tuple([z.string(), z.string()])),
  done: z.array(z.string()),
  failed: z.array(z.string()),
  missed: z.array(z.string()),
  open: z.string().nullable(),
});

/** A conversation as staff see it who answer. */
export const inboxTalk = z.object({
  conversation: inboxItem,
  lines: s.list(s.chatLine),
  notes: z.array(conversationNote),
  summary: talkSummary,
  /** Who is writing now: the visitor, and others of the staff by name. */
  typing: z.object({ visitor: z.boolean(), staff: z.array(z.string()) }),
});
export type InboxTalk = z.infer<typeof inboxTalk>;

export const cannedWords = z.object({ id: z.string(), title: z.string(), text: z.string() });
export type CannedWords = z.infer<typeof cannedWords>;
const cannedBody = z.object({ title: z.string().trim().min(1).max(80), text: words });
const cannedParams = s.botParams.extend({ canned: key });

/** Where staff are told that somebody waits: a channel that can send, and a person or a room on it. */
const notifies = z.object({ channel: z.string().max(120), to: z.string().trim().min(1).max(200) }).nullable();

const staffParams = s.botParams.extend({ person: key });

export const inboxEndpoints = {
  listInbox: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/inbox',
    about:
      'Conversations that were handed over: those that nobody has taken, one’s own, or all; the longest waiting first, at most 200',
    access: 'person',
    params: s.botParams,
    query: z.object({ view: z.enum(INBOX_VIEWS).optional() }),
    reply: z.object({
      items: z.array(inboxItem),
      counts,
      /** Staff are there now, by the office hours of the release that is live. */
      staffed: z.boolean(),
      bot: z.string(),
      me: staffMember,
      staff: z.array(staffMember),
    }),
  }),
  getInboxTalk: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/inbox/:conversation',
    about: 'A conversation as staff see it who answer: its last 200 lines, notes, a summary so far, and who is writing',
    access: 'person',
    params: s.conversationParams,
    reply: inboxTalk,
  }),
  takeConversation: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/inbox/:conversation/take',
    about:
      'Take a conversation, give it to somebody (`to`), or let go of it (`to` null). `from` is who has it as far as one knows; where somebody else has taken it meanwhile nothing is done',
    access: 'person',
    params: s.conversationParams,
    body: z.object({ from: key.nullable(), to: key.nullable().optional() }),
    reply: inboxItem,
    problems: ['not-handed-over', 'taken'],
  }),
  answerConversation: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/conversations/:conversation/answers',
    about:
      'Say something to the visitor as staff, in a conversation that was handed over; it is taken with that where nobody has. `seen` is the last line that one saw: where somebody else of the staff has answered since, nothing is said',
    access: 'person',
    params: s.conversationParams,
    body: z.object({ id, text: words, seen: z.number().int().min(0).optional() }),
    reply: s.chatLine,
    status: 201,
    problems: ['not-handed-over', 'taken', 'answered-meanwhile'],
  }),
  handBack: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/conversations/:conversation/hand-back',
    about: 'Give the conversation back to the bot, which tells the visitor',
    access: 'person',
    params: s.conversationParams,
    reply: s.conversation,
    problems: ['not-handed-over', 'taken'],
  }),
  closeConversation: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/inbox/:conversation/close',
    about: 'End the conversation, with a last word where one is sent; what the visitor says next begins anew',
    access: 'person',
    params: s.conversationParams,
    body: z.object({ id, text: words.optional() }),
    reply: s.conversation,
    problems: ['not-handed-over', 'taken'],
  }),
  typeAsStaff: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/inbox/:conversation/typing',
    about: 'Say that one is writing, for the visitor and for others of the staff',
    access: 'person',
    params: s.conversationParams,
    reply: z.object({ accepted: z.boolean() }),
    status: 202,
  }),
  addNote: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/inbox/:conversation/notes',
    about: 'Note something about a conversation for the staff; the visitor never sees it',
    access: 'person',
    params: s.conversationParams,
    body: z.object({ text: words }),
    reply: conversationNote,
    status: 201,
  }),
  listCanned: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/canned',
    about: 'Canned words: what staff say often',
    access: 'person',
    params: s.botParams,
    reply: z.object({ items: z.array(cannedWords) }),
  }),
  addCanned: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/canned',
    about: 'Keep words under a title; at most 200',
    access: 'person',
    params: s.botParams,
    body: cannedBody,
    reply: cannedWords,
    status: 201,
  }),
  changeCanned: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/canned/:canned',
    about: 'Change canned words',
    access: 'person',
    params: cannedParams,
    body: cannedBody,
    reply: cannedWords,
  }),
  dropCanned: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/canned/:canned',
    about: 'Take canned words away',
    access: 'person',
    params: cannedParams,
    status: 204,
  }),
  getInboxSetting: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/inbox-setting',
    about: 'Where staff are told that somebody waits',
    access: 'person',
    params: s.botParams,
    reply: z.object({ notifies }),
  }),
  setInboxSetting: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/inbox-setting',
    about: 'Have a person or a room on a messenger told whenever a conversation is handed over; null for nobody',
    access: 'person',
    params: s.botParams,
    body: z.object({ notifies }),
    reply: z.object({ notifies }),
  }),
  listStaff: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/staff',
    about: 'Who may answer in the inbox of a bot: its owner, and those whom the owner has named',
    access: 'person',
    params: s.botParams,
    reply: z.object({ items: z.array(staffMember) }),
  }),
  addStaff: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/staff',
    about:
      'Let somebody answer in the inbox of a bot. The link signs them in, once and within a day; they see the inbox and nothing else',
    access: 'person',
    params: s.botParams,
    body: z.object({ name: z.string().trim().min(1).max(80) }),
    reply: staffMember.extend({ link: z.string() }),
    status: 201,
  }),
  linkStaff: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/staff/:person/link',
    about: 'Another link with which somebody of the staff signs in',
    access: 'person',
    params: staffParams,
    reply: z.object({ link: z.string() }),
    status: 201,
  }),
  removeStaff: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/staff/:person',
    about: 'Somebody answers here no more; what they have taken waits again',
    access: 'person',
    params: staffParams,
    status: 204,
  }),
  listInboxes: endpoint({
    method: 'GET',
    path: '/api/inboxes',
    about: 'The bots in whose inbox one answers as staff, without owning them',
    access: 'person',
    reply: z.object({ items: z.array(z.object({ bot: z.string(), name: z.string(), waiting: z.number().int() })) }),
  }),
} as const;
