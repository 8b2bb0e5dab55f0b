import type { Request, Response } from 'express';
import { hashSecret, newId, newSecret } from '../../base/clock.js';
import { bearer } from '../../http/auth.js';
import type { BotLoader } from '../../bots/loader.js';
import type { Files } from '../../files/files.js';
import { addressKey, RateLimit } from '../../http/limits.js';
import { Refused } from '../../base/refused.js';
import type { Handlers } from '../../http/route.js';
import { lineView } from '../../http/views.js';
import type { Limits } from '../../start/limits.js';
import { channelByAddress, visitAt, type ServingChannel } from '../../store/channels.js';
import { stateColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import { claimFiles } from '../../store/files.js';
import { dropOpening, findOpening, insertOpening, type OpeningRow } from '../../store/openings.js';
import type { NewConversation } from '../../store/turning.js';
import type { TurnStops } from '../../turns/stops.js';
import { firstState, type Turns } from '../../turns/turns.js';
import { dueLines } from '../due.js';
import { greeting, greetingOf, openEvent } from './openings.js';
import { streamLines, type StreamParts } from './stream.js';
import { webChat } from './web-chat.js';

const MINUTE_MS = 60_000;
const HOUR_MS = 3_600_000;
/** Files that one address may send in an hour: keys of visitors are free, so a key is no bound. */
const UPLOADS_AN_HOUR = 120;
/** How long the first message of a visitor waits for the turn with which the bot opened the conversation. */
const OPENING_MS = 10_000;

/** What the visitor's side works with. */
export interface WebChatParts extends StreamParts {
  readonly turns: Turns;
  readonly stops: TurnStops;
  readonly files: Files;
  readonly loader: BotLoader;
  readonly limits: Limits;
}

/** A visitor at a channel, known by their key. Who has only opened a chat has an opening, and no conversation. */
interface Visit {
  readonly channel: ServingChannel;
  readonly keyHash: string;
  readonly visitorId: string;
  readonly conversationId: string | null;
  readonly opening: OpeningRow | undefined;
}

interface Beginning {
  readonly id: string;
  readonly visitorId: string;
  readonly releaseId: string;
  readonly language: string | undefined;
  readonly at: Date;
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
  const channelOpens = new RateLimit(clock, limits.channelOpensAMinute, MINUTE_MS);
  const messages = new RateLimit(clock, limits.messagesAMinute, MINUTE_MS);
  const channelMessages = new RateLimit(clock, limits.channelMessagesAMinute, MINUTE_MS);
  const uploads = new RateLimit(clock, UPLOADS_AN_HOUR, HOUR_MS);

  const countOpen = (channel: ServingChannel, req: Request): void => {
    opens.count(addressKey(req.ip));
    channelOpens.count(channel.id);
  };
  const assertOpen = <T extends ServingChannel>(channel: T | undefined): T => {
    if (!channel || channel.bot_deleted !== null) throw new Refused('no-chat', {});
    if (channel.is_on !== 1) throw new Refused('chat-off', {});
    return channel;
  };
  const serving = async (address: string): Promise<ServingChannel> =>
    assertOpen(await channelByAddress(db, address, webChat.kind));
  const visit = async (address: string, req: Request): Promise<Visit> => {
    const key = bearer(req);
    const keyHash = key === undefined ? '' : hashSecret(key);
    const look = async () => assertOpen(await visitAt(db, { address, kind: webChat.kind }, keyHash));
    let channel = await look();
    const speaksFirst = channel.visitor_id === null || channel.conversation_id === null;
    const opening = speaksFirst ? await findOpening(db, channel.id, keyHash) : undefined;
    // Between the two looks the first words may have been stored, and the opening gone with that.
    if (speaksFirst && !opening) channel = await look();
    const { visitor_id: known, conversation_id: conversationId } = channel;
    if (known !== null && conversationId !== null)
      return { channel, keyHash, visitorId: known, conversationId, opening: undefined };
    if (known === null && !opening) throw new Refused('visitor-unknown', {});
    // Of a visitor who has not spoken nothing is stored; the id that they will have is that of their conversation.
    return { channel, keyHash, visitorId: known ?? opening?.conversation_id ?? '', conversationId: null, opening };
  };
  /** Stores a conversation with the event that opens it; the bot's turn comes at once. */
  const begin = async (channel: ServingChannel, { id, visitorId, releaseId, language, at }: Beginning) => {
    const begins: NewConversation = {
      id,
      botId: channel.bot_id,
      channelId: channel.id,
      source: 'channel',
      visitorId,
      releaseId,
      state: firstState(await loader.release(releaseId), language),
      visitorName: null,
      at,
    };
    return {
      conversationId: id,
      botId: channel.bot_id,
      source: channel.id,
      externalId: `open-${id}`,
      event: openEvent(at),
      begins,
    };
  };
  const beginNow = async (channel: ServingChannel, visitorId: string, language: string | undefined): Promise<string> => {
    const id = newId(clock);
    const at = clock.now();
    await turns.take(await begin(channel, { id, visitorId, releaseId: liveRelease(channel), language, at }));
    await store.setVisitorConversation(db, visitorId, id);
    return id;
  };
  /** First words that are on their way, by visitor: several at once begin one conversation. */
  const beginning = new Map<string, Promise<string>>();
  const speakFirst = (visited: Visit, opening: OpeningRow): Promise<string> => {
    const { keyHash } = visited;
    const under = beginning.get(keyHash) ?? storeOpening(visited, opening).finally(() => beginning.delete(keyHash));
    beginning.set(keyHash, under);
    return under;
  };
  /** Somebody speaks in a chat that was only opened: now it is stored, what the bot said first included. */
  const storeOpening = async ({ channel, keyHash, visitorId }: Visit, opening: OpeningRow): Promise<string> => {
    const { conversation_id: id, release_id: releaseId, at } = opening;
    await store.ensureVisitor(db, { id: visitorId, botId: channel.bot_id, kind: 'key', keyHash, at });
    const language = opening.language ?? undefined;
    await turns.takeAndWait(await begin(channel, { id, visitorId, releaseId, language, at }), OPENING_MS);
    await store.setVisitorConversation(db, visitorId, id);
    await dropOpening(db, keyHash);
    return id;
  };
  /** Opens a chat for somebody of whom nothing is known: one small row, where the bot's first words need nothing from outside. */
  const openNew = async (channel: ServingChannel, language: string | undefined) => {
    const key = newSecret();
    const row: OpeningRow = {
      key_hash: hashSecret(key),
      channel_id: channel.id,
      conversation_id: newId(clock),
      release_id: liveRelease(channel),
      language: language ?? null,
      at: clock.now(),
    };
    const lines = await greeting(await loader.release(row.release_id), row);
    if (lines) {
      await insertOpening(db, row);
      return { key, releaseId: row.release_id, language: undefined, lines };
    }
    const visitorId = newId(clock);
    await store.ensureVisitor(db, { id: visitorId, botId: channel.bot_id, kind: 'key', keyHash: row.key_hash, at: row.at });
    const id = await beginNow(channel, visitorId, language);
    return { key, releaseId: row.release_id, language: undefined, lines: await store.linesAfter(db, id, 0) };
  };
  const current = async (id: string | null): Promise<store.ConversationRow | undefined> =>
    id === null ? undefined : store.findConversation(db, id);
  /** The chat of a key, as it stands; undefined where nothing is known of the key here. */
  const present = async (channel: ServingChannel, key: string, wish: string | undefined) => {
    const keyHash = hashSecret(key);
    const visitor = await store.visitorByKey(db, channel.bot_id, 'key', keyHash);
    const conversation = visitor && (await current(visitor.conversation_id));
    if (conversation) {
      const { language } = stateColumn.read(conversation.state);
      return { key, releaseId: conversation.release_id, language, lines: await store.linesAfter(db, conversation.id, 0) };
    }
    if (visitor) {
      // The conversation's time was over, and the visitor's was not.
      const id = await beginNow(channel, visitor.id, wish);
      return { key, releaseId: liveRelease(channel), language: undefined, lines: await store.linesAfter(db, id, 0) };
    }
    const opening = await findOpening(db, channel.id, keyHash);
    if (!opening) return undefined;
    return { key, releaseId: opening.release_id, language: undefined, lines: await greetingOf(loader, opening) };
  };
  /** The words of a button that the bot has offered in a conversation, or the end of the request. */
  const wordsOf = async (conversationId: string, choice: string): Promise<string> => {
    const says = await store.choiceWords(db, conversationId, choice);
    if (says === undefined) throw new Refused('no-such-choice', { choice });
    return says;
  };

  return {
    openChat: async ({ params, body, req }) => {
      const channel = await serving(params.channel);
      countOpen(channel, req);
      const known = body.key === undefined ? undefined : await present(channel, body.key, body.language);
      const { key, releaseId, language, lines } = known ?? (await openNew(channel, body.language));
      const loaded = await loader.release(releaseId ?? liveRelease(channel));
      const spoken = language ?? firstState(loaded, body.language).language;
      const shown = dueLines(lines, clock.now()).due.map(lineView);
      return { key, name: loaded.bot.document.name, language: spoken, lines: shown };
    },
    sayChat: async ({ params, body, req }) => {
      const visited = await visit(params.channel, req);
      const { channel, visitorId, opening } = visited;
      messages.count(visitorId);
      channelMessages.count(channel.id);
      const conversationId = visited.conversationId ?? (opening && (await speakFirst(visited, opening)));
      if (conversationId === undefined) throw new Refused('no-conversation-yet', {});
      const { id, choice } = body;
      const text = choice === undefined ? body.text : await wordsOf(conversationId, choice);
      const sent = await parts.files.sentBy(visited.keyHash, body.files ?? []);
      const event = {
        type: 'message',
        at: clock.now().toISOString(),
        channel: webChat.kind,
        ...(text === undefined ? {} : { text }),
        ...(choice === undefined ? {} : { choice }),
        ...sent.said,
      } as const;
      const externalId = hashSecret(`${visitorId} ${id}`);
      const accepted = await turns.take({
        conversationId,
        botId: channel.bot_id,
        source: channel.id,
        externalId,
        event,
        shown: { id, text: text ?? '', ...(sent.shown === '' ? {} : { files: sent.shown }) },
        also: sent.ids.length === 0 ? [] : [claimFiles(sent.ids, visited.keyHash, { visitorId, conversationId })],
      });
      return { accepted: true, repeat: accepted.repeat };
    },
    sendChatFile: async ({ params, query, req }) => {
      const { channel, keyHash, visitorId } = await visit(params.channel, req);
      uploads.count(addressKey(req.ip));
      messages.count(visitorId);
      channelMessages.count(channel.id);
      const place = { botId: channel.bot_id, realm: '', visitorId: null, conversationId: null, owner: keyHash };
      const told = { name: query.name ?? 'file', declared: req.get('content-type') ?? '' };
      const { address, name, type, size } = await parts.files.keep(req.body as Buffer, told, place);
      return { address, name, type, size };
    },
    stopChat: async ({ params, req }) => {
      const { visitorId, conversationId } = await visit(params.channel, req);
      messages.count(visitorId);
      if (conversationId !== null) await parts.stops.stop(conversationId);
      return { accepted: conversationId !== null };
    },
    startOverChat: async ({ params, req }) => {
      const { channel, keyHash, visitorId, conversationId, opening } = await visit(params.channel, req);
      countOpen(channel, req);
      if (opening && conversationId === null) {
        await insertOpening(db, {
          ...opening,
          key_hash: keyHash,
          conversation_id: newId(clock),
          release_id: liveRelease(channel),
          at: clock.now(),
        });
        parts.wakes.wake(opening.conversation_id);
        return { accepted: true };
      }
      const conversation = await current(conversationId);
      const state = conversation && stateColumn.read(conversation.state);
      await beginNow(channel, visitorId, state?.language);
      if (conversation) {
        await store.endConversation(db, conversation.id, clock.now());
        parts.wakes.wake(conversation.id);
      }
      return { accepted: true };
    },
    streamChat: async ({ params, req, res }: { params: { channel: string }; req: Request; res: Response }) => {
      const { channel, keyHash, visitorId, conversationId, opening } = await visit(params.channel, req);
      const id = conversationId ?? opening?.conversation_id ?? '';
      const left = async (): Promise<boolean> => {
        const now = await findOpening(db, channel.id, keyHash);
        return now !== undefined ? now.conversation_id !== id : store.isLeft(db, visitorId, id);
      };
      const before = opening ? await greetingOf(loader, opening) : [];
      await streamLines(parts, { visitor: keyHash, conversationId: id, before, left }, req, res);
      return undefined;
    },
  };
}
