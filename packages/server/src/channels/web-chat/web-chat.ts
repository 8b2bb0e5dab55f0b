import type { Request, Response } from 'express';
import type { Session } from '@primrose/core';
import { hashSecret, newId, newSecret } from '../../base/clock.js';
import { bearer } from '../../http/auth.js';
import type { Parts } from '../../http/app.js';
import { RateLimit } from '../../http/limits.js';
import { HttpProblem } from '../../http/problem.js';
import type { Handlers } from '../../http/route.js';
import { lineView } from '../../http/views.js';
import { channelByAddress, visitAt, type ServingChannel } from '../../store/channels.js';
import * as store from '../../store/conversations.js';
import { firstState } from '../../turns/turns.js';
import { dueLines } from '../due.js';
import { streamLines } from './stream.js';

const MINUTE_MS = 60_000;

/** A visitor at a channel, known by their key. */
interface Visit {
  readonly channel: ServingChannel;
  readonly visitorId: string;
  readonly conversationId: string | null;
}

/** The release that new conversations get, or the end of the request. */
function liveRelease(channel: ServingChannel): string {
  if (channel.live_id !== null) return channel.live_id;
  throw new HttpProblem('no-release', 'This bot has not been released yet. Release it, then open the chat again.');
}

/** The visitor's side of web chat. A visitor is known by a key that nobody can guess, and reaches only their own lines. */
export function webChatHandlers(parts: Parts): Handlers {
  const { db, clock, turns, loader, config } = parts;
  const opens = new RateLimit(clock, config.opensAMinute, MINUTE_MS);
  const messages = new RateLimit(clock, config.messagesAMinute, MINUTE_MS);

  const assertOpen = <T extends ServingChannel>(channel: T | undefined): T => {
    if (!channel || channel.bot_deleted !== null)
      throw new HttpProblem('not-found', 'There is no chat at this address. Ask for a new link.');
    if (channel.is_on !== 1) throw new HttpProblem('channel-off', 'This chat is switched off for now. Please come back later.');
    return channel;
  };
  const serving = async (address: string): Promise<ServingChannel> => assertOpen(await channelByAddress(db, address, 'web-chat'));
  const visit = async (address: string, req: Request): Promise<Visit> => {
    const key = bearer(req);
    const channel = assertOpen(await visitAt(db, address, key === undefined ? '' : hashSecret(key)));
    if (channel.visitor_id === null)
      throw new HttpProblem('visitor-unknown', 'Open the chat first; its answer holds the visitor key.');
    return { channel, visitorId: channel.visitor_id, conversationId: channel.conversation_id };
  };
  const begin = async (channel: ServingChannel, visitorId: string, language: string | undefined): Promise<string> => {
    const releaseId = liveRelease(channel);
    const state = firstState(await loader.release(releaseId), language);
    const id = newId(clock);
    const at = clock.now();
    await store.insertConversation(db, {
      id,
      botId: channel.bot_id,
      channelId: channel.id,
      visitorId,
      releaseId,
      state,
      visitorName: null,
      at,
    });
    await store.setVisitorConversation(db, visitorId, id);
    const event = { type: 'open', at: at.toISOString(), channel: 'web-chat' } as const;
    await turns.take({ conversationId: id, channelId: channel.id, externalId: `open-${id}`, event });
    return id;
  };
  const current = async (id: string | null): Promise<store.ConversationRow | undefined> =>
    id === null ? undefined : store.findConversation(db, id);

  return {
    openChat: async ({ params, body, req }) => {
      opens.count(req.ip ?? '');
      const channel = await serving(params.channel);
      const known = body.key === undefined ? undefined : await store.visitorByKey(db, channel.bot_id, hashSecret(body.key));
      const key = known && body.key !== undefined ? body.key : newSecret();
      const visitorId = known?.id ?? newId(clock);
      const present = known && (await current(known.conversation_id));
      if (!present) liveRelease(channel);
      if (!known)
        await store.insertVisitor(db, { id: visitorId, botId: channel.bot_id, keyHash: hashSecret(key), at: clock.now() });
      const id = present?.id ?? (await begin(channel, visitorId, body.language));
      const conversation = present ?? (await store.findConversation(db, id));
      if (!conversation) throw new Error(`conversation ${id} is gone`);
      const { bot } = await loader.release(conversation.release_id ?? liveRelease(channel));
      const { language } = JSON.parse(conversation.state) as Session;
      const lines = dueLines(await store.linesAfter(db, id, 0), clock.now()).due.map(lineView);
      return { key, name: bot.document.name, language, lines };
    },
    sayChat: async ({ params, body, req }) => {
      const { channel, visitorId, conversationId } = await visit(params.channel, req);
      messages.count(visitorId);
      if (conversationId === null) throw new HttpProblem('visitor-unknown', 'Open the chat first; there is no conversation yet.');
      const { id, text, choice } = body;
      const event = {
        type: 'message',
        at: clock.now().toISOString(),
        channel: 'web-chat',
        ...(text === undefined ? {} : { text }),
        ...(choice === undefined ? {} : { choice }),
      } as const;
      const externalId = hashSecret(`${visitorId} ${id}`);
      const accepted = await turns.take({
        conversationId,
        channelId: channel.id,
        externalId,
        event,
        shown: { id, text: text ?? choice ?? '' },
      });
      return { accepted: true, repeat: accepted.repeat };
    },
    startOverChat: async ({ params, req }) => {
      const { channel, visitorId, conversationId } = await visit(params.channel, req);
      opens.count(req.ip ?? '');
      const conversation = await current(conversationId);
      const state = conversation && (JSON.parse(conversation.state) as Session);
      await begin(channel, visitorId, state?.language);
      if (conversation) {
        await store.endConversation(db, conversation.id, clock.now());
        parts.wakes.wake(conversation.id);
      }
      return { accepted: true };
    },
    streamChat: async ({ params, req, res }: { params: { channel: string }; req: Request; res: Response }) => {
      const { visitorId, conversationId } = await visit(params.channel, req);
      await streamLines(parts, { visitorId, conversationId: conversationId ?? '' }, req, res);
      return undefined;
    },
  };
}
