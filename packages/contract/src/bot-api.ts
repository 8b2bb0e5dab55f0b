import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

/** A conversation as the bot API names it: only the caller that has opened it can reach it. */
const talkParams = z.object({ channel: s.chatParams.shape.channel, conversation: z.string().min(1).max(400) });
const visitorName = z.string().trim().min(1).max(120);
const number = z.coerce.number().int().min(0).max(1_000_000_000);

/** What programs ask for with a key of their own, and what voice platforms fetch: a part of the API's list. */
export const botApiEndpoints = {
  openTalk: endpoint({
    method: 'POST',
    path: '/api/talk/:channel/conversations',
    about:
      'Bot API: begin a conversation of a visitor of yours; what the bot says first comes back. The same `id` again is the same opening',
    access: 'visitor',
    params: s.chatParams,
    body: z.object({
      id: z.string().min(1).max(100).optional(),
      visitor: visitorName.optional(),
      name: z.string().trim().min(1).max(120).optional(),
      language: z.string().min(2).max(35).optional(),
    }),
    reply: z.object({ conversation: z.string(), visitor: z.string(), language: z.string(), lines: z.array(s.chatLine) }),
    status: 201,
    problems: ['caller-unknown', 'channel-off', 'no-release', 'too-many'],
  }),
  sayTalk: endpoint({
    method: 'POST',
    path: '/api/talk/:channel/conversations/:conversation/messages',
    about:
      'Bot API: say something or press a button. With `wait` the answer comes back where the bot is done within so many seconds, all lines behind `after`; the same `id` again is the same message',
    access: 'visitor',
    params: talkParams,
    body: z
      .object({
        id: z.string().min(1).max(100),
        text: z.string().trim().min(1).max(8000).optional(),
        choice: z.string().min(1).max(200).optional(),
        after: z.number().int().min(0).optional(),
        wait: z.number().min(0).max(30).optional(),
      })
      .refine((b) => (b.text === undefined) !== (b.choice === undefined), 'either a text or a choice'),
    reply: z.object({ accepted: z.literal(true), repeat: z.boolean(), done: z.boolean(), lines: z.array(s.chatLine) }),
    problems: ['caller-unknown', 'channel-off', 'no-release', 'too-many'],
  }),
  listTalk: endpoint({
    method: 'GET',
    path: '/api/talk/:channel/conversations/:conversation/lines',
    about: 'Bot API: the lines of a conversation behind a number',
    access: 'visitor',
    params: talkParams,
    query: z.object({ after: number.optional() }),
    reply: z.object({ lines: z.array(s.chatLine), ended: z.boolean() }),
    problems: ['caller-unknown', 'too-many'],
  }),
  streamTalk: endpoint({
    method: 'GET',
    path: '/api/talk/:channel/conversations/:conversation/stream',
    about: 'Bot API: the lines of a conversation as they come, as server-sent events; goes on behind Last-Event-ID',
    access: 'visitor',
    params: talkParams,
    stream: true,
    problems: ['caller-unknown', 'not-ready'],
  }),
  rateTalk: endpoint({
    method: 'POST',
    path: '/api/talk/:channel/conversations/:conversation/feedback',
    about: 'Bot API: what the visitor thinks of a line, or with line 0 of the conversation; null takes it back',
    access: 'visitor',
    params: talkParams,
    body: z.object({
      line: z.number().int().min(0),
      helpful: z.boolean().nullable(),
      words: z.string().trim().max(1000).optional(),
    }),
    reply: z.object({ accepted: z.literal(true) }),
    problems: ['caller-unknown', 'too-many'],
  }),
  beginCall: endpoint({
    method: 'GET',
    path: '/api/calls/:channel',
    about: 'Telephone: the first document (VoiceXML 2.1) of a call; `call` is the platform’s name of it',
    access: 'anybody',
    params: s.chatParams,
    query: z.object({
      call: z
        .string()
        .regex(/^[A-Za-z0-9._:@-]{1,120}$/, 'letters, digits and . _ : @ -')
        .optional(),
      caller: z
        .string()
        .trim()
        .regex(/^\+?[0-9]{2,20}$/, 'a telephone number')
        .optional(),
      language: z.string().min(2).max(35).optional(),
    }),
    download: ['application/voicexml+xml'],
    problems: ['channel-off', 'no-release', 'too-many'],
  }),
  goOnCall: endpoint({
    method: 'POST',
    path: '/api/calls/:channel/turn',
    about: 'Telephone: what was heard, and the next document; the document before tells what is sent',
    access: 'anybody',
    params: s.chatParams,
    upload: ['application/x-www-form-urlencoded'],
    uploadMost: 64_000,
    download: ['application/voicexml+xml'],
    problems: ['forged-signature', 'channel-off', 'wrong-content-type', 'too-large'],
  }),
} as const;
