import { fact, jsonValue } from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

const moment = z.iso.datetime();
const MOST_DAYS = 36_500;
const days = z.number().int().min(1).max(MOST_DAYS);

/** The kinds of record of a bot that go after a time, in the order in which people read them. */
export const RECORD_KINDS = [
  'conversations',
  'sheets',
  'events',
  'visitors',
  'webhooks',
  'missed',
  'memory',
  'results',
  'files',
  'simulations',
  'history',
] as const;
export type RecordKind = (typeof RECORD_KINDS)[number];

/** How long one kind of record is kept. `days` is this bot's own time; null for the usual one. */
export const kept = z.object({
  kind: z.enum(RECORD_KINDS),
  about: z.string(),
  days: days.nullable(),
  usual: days,
});
export type Kept = z.infer<typeof kept>;

/** An event that was put aside, as its turn failed again and again. */
export const asideEvent = z.object({
  event: z.string(),
  conversation: z.string(),
  at: moment,
  tries: z.number().int(),
  reason: z.string(),
  /** What the visitor said or pressed; null where nobody did. */
  said: z.string().nullable(),
  /** When somebody had it tried again. */
  againAt: moment.nullable(),
});
export type AsideEvent = z.infer<typeof asideEvent>;

/** A visitor of a bot, as far as anything is kept of them. */
export const visitor = z.object({
  id: z.string(),
  /** By a key of web chat, as a sender on a messenger, as somebody who has signed in at a web chat; or a person whom somebody vouches for. */
  by: z.enum(['key', 'sender', 'signed-in', 'person']),
  name: z.string().nullable(),
  /** Of a person: the e-mail address that somebody vouches for. */
  email: z.string().nullable(),
  /** By what they are taken for the visitor under whom they are known. */
  linkedBy: z.enum(['sign-in', 'staff']).nullable(),
  firstAt: moment,
  conversations: z.number().int(),
  /** How many variables are kept of them. */
  variables: z.number().int(),
  /** How many facts are. */
  facts: z.number().int(),
  /** The visitor under whom they are known, where both are the same person. */
  person: z.string().nullable(),
});
export type Visitor = z.infer<typeof visitor>;

const keptConversation = z.object({
  id: z.string(),
  channel: z.string(),
  openedAt: moment,
  lines: z.number().int(),
  turns: z.number().int(),
  events: z.number().int(),
});

/** Everything that is kept of one visitor; what was said stands in the conversations. */
export const keptVisitor = visitor.extend({
  /** The other visitors that are the same person: they write on another channel, or with another browser. */
  same: z.array(z.object({ id: z.string(), by: visitor.shape.by, name: z.string().nullable(), person: z.string().nullable() })),
  /** Sign-ins of theirs that are valid now. */
  signIns: z.number().int(),
  values: z.record(z.string(), jsonValue),
  items: z.array(keptConversation),
  webhooks: z.number().int(),
  /** Rows of tables that name them in a column that holds a visitor. */
  rows: z.number().int(),
  known: z.array(fact),
  /** The last exchanges, for what models recall; the oldest first. */
  exchanges: z.number().int(),
  summary: z.object({ says: z.string(), at: moment, by: z.string() }).nullable(),
  /** Files that they sent, or that were drawn for them. */
  files: z.number().int(),
});
export type KeptVisitor = z.infer<typeof keptVisitor>;

/** Everything of one visitor as one file, with all that was said. */
export const visitorExport = z.object({
  visitor: keptVisitor,
  recalled: z.array(z.object({ at: moment, said: z.string(), answered: z.string() })),
  conversations: z.array(
    z.object({
      id: z.string(),
      channel: z.string(),
      openedAt: moment,
      lines: z.array(z.object({ at: moment, who: z.string(), text: z.string() })),
    }),
  ),
  /** Lines were left out, as there are more than go into one file. */
  cut: z.boolean(),
});

/** What is kept under a key of the designer's. */
export const keyedMemory = z.object({
  id: z.string(),
  key: z.string(),
  at: moment,
  facts: z.number().int(),
  exchanges: z.number().int(),
  summary: z.string().nullable(),
});
export type KeyedMemory = z.infer<typeof keyedMemory>;

const asideParams = z.object({ bot: z.string().max(80), event: z.string().max(80) });
const visitorParams = z.object({ bot: z.string().max(80), visitor: z.string().max(80) });
const factParams = visitorParams.extend({ fact: z.string().max(80) });

/** How long records are kept, what is kept of a visitor, and what was put aside: a part of the API's list. */
export const keepingEndpoints = {
  getRetention: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/retention',
    about: 'How long each kind of record of a bot is kept',
    access: 'person',
    params: s.botParams,
    reply: s.list(kept),
  }),
  setRetention: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/retention',
    about: 'Keep kinds of record for so many days; null returns to the usual time. What is older goes within the hour',
    access: 'person',
    params: s.botParams,
    body: z.partialRecord(z.enum(RECORD_KINDS), days.nullable()),
    reply: s.list(kept),
  }),
  listVisitors: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/visitors',
    about: 'The visitors of whom something is kept, the newest first',
    access: 'person',
    params: s.botParams,
    query: s.page.extend({ name: z.string().max(80).optional() }),
    reply: s.list(visitor),
  }),
  getVisitor: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/visitors/:visitor',
    about: 'Everything that is kept of one visitor',
    access: 'person',
    params: visitorParams,
    reply: keptVisitor,
  }),
  eraseVisitor: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/visitors/:visitor',
    about:
      'Erase everything that is kept of one person, on all their channels: values, conversations, turn sheets, events, webhooks, rows that are theirs. It cannot be undone',
    access: 'person',
    params: visitorParams,
    status: 204,
  }),
  joinVisitor: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/visitors/:visitor/same',
    about:
      'Say that another visitor is the same person, who writes on another channel: facts, values and exchanges of both become one, what was said last counts',
    access: 'person',
    params: visitorParams,
    body: z.object({ visitor: z.string().max(80) }),
    reply: keptVisitor,
  }),
  endSignIns: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/visitors/:visitor/sign-ins',
    about: 'Sign a person out everywhere: tokens that were issued before now count no more',
    access: 'person',
    params: visitorParams,
    reply: keptVisitor,
  }),
  partVisitor: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/visitors/:visitor/same',
    about: 'Say that a visitor is nobody else: what is known stays with the others, and this one is known by nothing',
    access: 'person',
    params: visitorParams,
    reply: keptVisitor,
  }),
  changeVisitor: endpoint({
    method: 'PATCH',
    path: '/api/bots/:bot/visitors/:visitor',
    about: 'Correct variables that are kept of a visitor; null empties one',
    access: 'person',
    params: visitorParams,
    body: z.object({ values: z.record(z.string().max(80), jsonValue) }),
    reply: keptVisitor,
  }),
  changeFact: endpoint({
    method: 'PATCH',
    path: '/api/bots/:bot/visitors/:visitor/facts/:fact',
    about: 'Correct a fact that is kept of a visitor; what it was stands in its history',
    access: 'person',
    params: factParams,
    body: z.object({ says: z.string().trim().min(1).max(240), value: jsonValue.optional() }),
    reply: keptVisitor,
  }),
  forgetFact: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/visitors/:visitor/facts/:fact',
    about: 'Forget a fact with all that it was',
    access: 'person',
    params: factParams,
    reply: keptVisitor,
  }),
  forgetVisitor: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/visitors/:visitor/memory',
    about: 'Forget what is known about a visitor: facts, summary, what models recall. Conversations and variables stay',
    access: 'person',
    params: visitorParams,
    reply: keptVisitor,
  }),
  exportVisitor: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/visitors/:visitor/export',
    about: 'Everything that is kept of one visitor, with all that was said, as JSON',
    access: 'person',
    params: visitorParams,
    reply: visitorExport,
  }),
  listMemories: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/memories',
    about: 'What is kept under keys of the designer’s, the last used first; at most 200',
    access: 'person',
    params: s.botParams,
    query: z.object({ begins: z.string().max(80).optional() }),
    reply: s.list(keyedMemory),
  }),
  eraseMemory: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/memories/:memory',
    about: 'Erase what is kept under a key. It cannot be undone',
    access: 'person',
    params: s.botParams.extend({ memory: z.string().max(80) }),
    status: 204,
  }),
  listAside: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/aside',
    about: 'Events that were put aside, as their turns failed again and again; the newest first',
    access: 'person',
    params: s.botParams,
    query: s.page,
    reply: s.list(asideEvent),
  }),
  tryAsideAgain: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/aside/:event/again',
    about: 'Answer an event that was put aside after all, in the conversation as it is now',
    access: 'person',
    params: asideParams,
    reply: asideEvent,
    status: 202,
  }),
} as const;
