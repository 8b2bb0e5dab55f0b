import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import { ownBot } from '../../bots/bots.js';
import { hashSecret, newSecret, type Clock } from '../../base/clock.js';
import { RateLimit } from '../../base/rate-limit.js';
import { Refused } from '../../base/refused.js';
import { bearer } from '../../http/auth.js';
import type { Handlers } from '../../http/route.js';
import { lineView } from '../../http/views.js';
import type { Limits } from '../../start/limits.js';
import { changeSettings, channelByAddress, listChannels, type ServingChannel } from '../../store/channels.js';
import { stateColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import type { Db } from '../../store/database.js';
import type { Turns } from '../../turns/turns.js';
import type { Came, Took } from '../came.js';
import { dueLines } from '../due.js';
import type { Intake } from '../intake.js';
import { rate } from '../web-chat/feedback.js';
import { streamLines, type StreamParts } from '../web-chat/stream.js';
import { botApi, readBotApi } from './bot-api.js';

export interface BotApiParts extends StreamParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly turns: Turns;
  readonly intake: Intake;
  readonly limits: Limits;
  /** Signs the names of conversations: a caller reaches its own only. */
  readonly key: Uint8Array;
}

const MINUTE_MS = 60_000;
const MOST_CALLERS = 50;
const OPENING_MS = 10_000;

/** A caller at a channel. */
interface Calling {
  readonly channel: ServingChannel;
  readonly caller: string;
}

/** Programs that speak to a bot, and the keys by which they are known. */
export function botApiHandlers(parts: BotApiParts): Handlers {
  const { db, clock, turns, intake, limits, key } = parts;
  const opens = new RateLimit(clock, limits.channelOpensAMinute, MINUTE_MS);
  const asks = new RateLimit(clock, limits.channelMessagesAMinute, MINUTE_MS);
  const calling = async (address: string, req: Request): Promise<Calling> => {
    const channel = await channelByAddress(db, address, botApi.kind);
    if (!channel || channel.bot_deleted !== null) throw new Refused('no-talk-api', {});
    const hash = Buffer.from(hashSecret(bearer(req) ?? ''));
    const found = readBotApi(channel.settings).callers.find((c) => timingSafeEqual(Buffer.from(c.hash), hash));
    if (!found) throw new Refused('caller-unknown', {});
    if (channel.is_on !== 1) throw new Refused('hook-off', {});
    return { channel, caller: found.name };
  };
  const nameOf = ({ channel, caller }: Calling, visitor: string, id: string): string => {
    const mac = createHmac('sha256', key)
      .update(`talk ${channel.id} ${caller} ${visitor} ${id}`)
      .digest('base64url')
      .slice(0, 22);
    return `${id}.${Buffer.from(visitor).toString('base64url')}.${mac}`;
  };
  const conversationOf = (who: Calling, named: string): { id: string; visitor: string } => {
    const [id = '', visitor64 = ''] = named.split('.');
    const visitor = Buffer.from(visitor64, 'base64url').toString('utf8');
    const right = Buffer.from(nameOf(who, visitor, id));
    const given = Buffer.from(named);
    if (given.length !== right.length || !timingSafeEqual(given, right)) throw new Refused('no-conversation-here', {});
    return { id, visitor };
  };
  const senderOf = ({ caller }: Calling, visitor: string): string => `${caller} ${visitor}`;
  const taken = (took: Took): string => {
    if (took.as === 'unreleased') throw new Refused('hook-unreleased', {});
    if (took.conversationId === null)
      throw new Refused('too-many', { most: limits.messagesAMinute, seconds: 60, retryAfter: 60 });
    return took.conversationId;
  };
  const linesAfter = async (id: string, after: number) => {
    const { due } = dueLines(await store.linesAfter(db, id, after), clock.now());
    return due.map(lineView);
  };
  const own = async (personId: string, botId: string, id: string): Promise<ServingChannel> => {
    const bot = await ownBot(db, personId, botId);
    const row = (await listChannels(db, bot.id)).find((c) => c.id === id && c.kind === botApi.kind);
    if (!row) throw new Refused('no-talk-api', {});
    return row;
  };
  return {
    addCaller: async ({ person, params, body }) => {
      const channel = await own(person.id, params.bot, params.channel);
      const secret = newSecret();
      const added = { name: body.name, hash: hashSecret(secret), at: clock.now().toISOString() };
      await changeSettings(db, params.bot, channel.id, (settings) => {
        const { callers } = readBotApi(settings);
        if (callers.some((c) => c.name === body.name)) throw new Refused('caller-name', { name: body.name });
        if (callers.length >= MOST_CALLERS) throw new Refused('callers-enough', { most: MOST_CALLERS });
        return JSON.stringify({ callers: [...callers, added] });
      });
      return { name: added.name, at: added.at, key: secret };
    },
    removeCaller: async ({ person, params }) => {
      const channel = await own(person.id, params.bot, params.channel);
      await changeSettings(db, params.bot, channel.id, (settings) => {
        const { callers } = readBotApi(settings);
        if (!callers.some((c) => c.name === params.caller)) throw new Refused('caller-unknown', {});
        return JSON.stringify({ callers: callers.filter((c) => c.name !== params.caller) });
      });
      return undefined;
    },
    openTalk: async ({ params, body, req }) => {
      const who = await calling(params.channel, req);
      opens.count(who.channel.id);
      const visitor = body.visitor ?? newSecret().slice(0, 16);
      const begins = `${body.id ?? newSecret()} opens`;
      const took = await intake.take(who.channel, {
        id: `${senderOf(who, visitor)} ${begins}`,
        sender: senderOf(who, visitor),
        ...(body.name === undefined ? {} : { name: body.name }),
        ...(body.language === undefined ? {} : { language: body.language }),
        opens: true,
        // Every opening is a conversation of its own.
        thread: { ids: [], kept: '' },
        payload: null,
      });
      const id = taken(took);
      if (took.eventId !== undefined) await turns.waitFor(id, took.eventId, OPENING_MS);
      const row = await store.findConversation(db, id);
      return {
        conversation: nameOf(who, visitor, id),
        visitor,
        language: row ? stateColumn.read(row.state).language : 'en',
        lines: await linesAfter(id, 0),
      };
    },
    sayTalk: async ({ params, body, req }) => {
      const who = await calling(params.channel, req);
      const { id, visitor } = conversationOf(who, params.conversation);
      const { text, choice, after, wait } = body;
      const row = await store.findConversation(db, id);
      if (!row || row.ended_at !== null) throw new Refused('no-conversation-here', {});
      const words = choice === undefined ? text : await store.choiceWords(db, id, choice);
      if (choice !== undefined && words === undefined) throw new Refused('no-such-choice', { choice });
      const came: Came = {
        id: `${id} ${body.id}`,
        sender: senderOf(who, visitor),
        ...(words === undefined ? {} : { text: words }),
        ...(choice === undefined ? {} : { choice }),
        inConversation: id,
        payload: null,
      };
      const took = await intake.take(who.channel, came);
      taken(took);
      const turn =
        wait !== undefined && wait > 0 && took.eventId !== undefined
          ? await turns.waitFor(id, took.eventId, wait * 1000)
          : undefined;
      const lines = wait === undefined ? [] : await linesAfter(id, after ?? 0);
      return { accepted: true, repeat: took.as === 'repeat', done: turn !== undefined, lines };
    },
    listTalk: async ({ params, query, req }) => {
      const who = await calling(params.channel, req);
      asks.count(who.channel.id);
      const { id } = conversationOf(who, params.conversation);
      const row = await store.findConversation(db, id);
      if (!row) throw new Refused('no-conversation-here', {});
      return { lines: await linesAfter(id, query.after ?? 0), ended: row.ended_at !== null };
    },
    streamTalk: async ({ params, req, res }) => {
      const who = await calling(params.channel, req);
      const { id } = conversationOf(who, params.conversation);
      const left = async (): Promise<boolean> => (await store.findConversation(db, id))?.ended_at !== null;
      await streamLines(
        parts,
        { visitor: hashSecret(`${who.channel.id} ${params.conversation}`), conversationId: id, before: [], left },
        req,
        res,
      );
      return undefined;
    },
    rateTalk: async ({ params, body, req }) => {
      const who = await calling(params.channel, req);
      asks.count(who.channel.id);
      const { id } = conversationOf(who, params.conversation);
      await rate(db, clock, { channel: who.channel, conversationId: id, ...body });
      return { accepted: true };
    },
  };
}
