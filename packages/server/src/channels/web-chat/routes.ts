import type { Request, Response } from 'express';
import { hashSecret, newId, newSecret } from '../../base/clock.js';
import { bearer } from '../../http/auth.js';
import type { BotLoader } from '../../bots/loader.js';
import { RateLimit } from '../../http/limits.js';
import { Refused } from '../../base/refused.js';
import type { Handlers } from '../../http/route.js';
import { lineView } from '../../http/views.js';
import { channelByAddress, visitAt, type ServingChannel } from '../../store/channels.js';
import { stateColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import type { NewConversation } from '../../store/turning.js';
import { firstState, type Turns } from '../../turns/turns.js';
import { dueLines } from '../due.js';
import { streamLines, type StreamParts } from './stream.js';
import { webChat } from './web-chat.js';

const MINUTE_MS = 60_000;

/** What the visitor's side works with. */
export interface WebChatParts extends StreamParts {
  readonly turns: Turns;
  readonly loader: BotLoader;
  readonly limits: { readonly opensAMinute: number; readonly messagesAMinute: number };
}

/** A visitor at a channel, known by their key. */
interface Visit {
  readonly channel: ServingChannel;
  readonly visitorId: string;
  readonly conversationId: string | null;
}

/** The release that new conversations get, or the end of the request. */
function liveRelease(channel: ServingChannel): string {
  if (channel.live_id !== null) return channel.live_id;
  throw new Refused('chat-unreleased', {});
}

/** The visitor's side of web chat. A visitor is known by a key that nobody can guess, and reaches only their own lines. */
export function webChatHandlers(parts: WebChatParts): Handlers {
  const { db, clock, turns, loader, limits } = parts;
  const opens = new RateLimit(clock, limits.opensAMinute, MINUTE_MS);
  const messages = new RateLimit(clock, limits.messagesAMinute, MINUTE_MS);

  const assertOpen = <T extends ServingChannel>(channel: T | undefined): T => {
    if (!channel || channel.bot_deleted !== null) throw new Refused('no-chat', {});
    if (channel.is_on !== 1) throw new Refused('chat-off', {});
    return channel;
  };
  const serving = async (address: string): Promise<ServingChannel> =>
    assertOpen(await channelByAddress(db, address, webChat.kind));
  const visit = async (address: string, req: Request): Promise<Visit> => {
    const key = bearer(req);
    const channel = assertOpen(await visitAt(db, { address, kind: webChat.kind }, key === undefined ? '' : hashSecret(key)));
    if (channel.visitor_id === null) throw new Refused('visitor-unknown', {});
    return { channel, visitorId: channel.visitor_id, conversationId: channel.conversation_id };
  };
  const begin = async (channel: ServingChannel, visitorId: string, language: string | undefined): Promise<string> => {
    const releaseId = liveRelease(channel);
    const state = firstState(await loader.release(releaseId), language);
    const id = newId(clock);
    const at = clock.now();
    const begins: NewConversation = {
      id,
      botId: channel.bot_id,
      channelId: channel.id,
      source: 'channel',
      visitorId,
      releaseId,
      state,
      visitorName: null,
      at,
    };
    const event = { type: 'open', at: at.toISOString(), channel: webChat.kind } as const;
    await turns.take({ conversationId: id, botId: channel.bot_id, source: channel.id, externalId: `open-${id}`, event, begins });
    await store.setVisitorConversation(db, visitorId, id);
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
      const { language } = stateColumn.read(conversation.state);
      const lines = dueLines(await store.linesAfter(db, id, 0), clock.now()).due.map(lineView);
      return { key, name: bot.document.name, language, lines };
    },
    sayChat: async ({ params, body, req }) => {
      const { channel, visitorId, conversationId } = await visit(params.channel, req);
      messages.count(visitorId);
      if (conversationId === null) throw new Refused('no-conversation-yet', {});
      const { id, text, choice } = body;
      const event = {
        type: 'message',
        at: clock.now().toISOString(),
        channel: webChat.kind,
        ...(text === undefined ? {} : { text }),
        ...(choice === undefined ? {} : { choice }),
      } as const;
      const externalId = hashSecret(`${visitorId} ${id}`);
      const accepted = await turns.take({
        conversationId,
        botId: channel.bot_id,
        source: channel.id,
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
      const state = conversation && stateColumn.read(conversation.state);
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
