import type { Request, Response } from 'express';
import { hashSecret, newId, newSecret } from '../../base/clock.js';
import { addressKey, RateLimit } from '../../base/rate-limit.js';
import { Refused } from '../../base/refused.js';
import type { BotLoader } from '../../bots/loader.js';
import type { Files } from '../../files/files.js';
import type { Handlers } from '../../http/route.js';
import { lineView } from '../../http/views.js';
import type { Limits } from '../../start/limits.js';
import type { ServingChannel } from '../../store/channels.js';
import { stateColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import { feedbackOf } from '../../store/feedback.js';
import { claimFiles } from '../../store/files.js';
import { insertOpening } from '../../store/openings.js';
import { signOut } from '../../store/known.js';
import type { TurnStops } from '../../turns/stops.js';
import { firstState, type Turns } from '../../turns/turns.js';
import type { TypingBoard } from '../../turns/typing.js';
import type { SignIns } from '../../visitors/sign-ins.js';
import { spokenAs } from '../../visitors/signed-in.js';
import { dueLines } from '../due.js';
import { rate } from './feedback.js';
import { greetingOf } from './openings.js';
import { pastChat, pastChats } from './past.js';
import { streamLines, type StreamParts } from './stream.js';
import { liveRelease, Visits, type Visit } from './visits.js';
import { webChat } from './web-chat.js';

const MINUTE_MS = 60_000;
const HOUR_MS = 3_600_000;
/** Files that one address may send in an hour: keys of visitors are free, so a key is no bound. */
const UPLOADS_AN_HOUR = 120;
/** How often in a minute somebody may say that they write. */
const TYPING_A_MINUTE = 40;

/** What the visitor's side works with. */
export interface WebChatParts extends StreamParts {
  readonly turns: Turns;
  readonly stops: TurnStops;
  readonly files: Files;
  readonly loader: BotLoader;
  readonly signIns: SignIns;
  readonly typing: TypingBoard;
  readonly limits: Limits;
  /** Answers with the page to which an identity service sends a visitor back. */
  readonly sendBack: (res: Response, came: { readonly grant: string } | { readonly refused: Refused }) => Promise<void>;
  readonly publicUrl: string;
}

/** The visitor's side of web chat. A visitor is known by a key that nobody can guess, and reaches only their own lines. */
export function webChatHandlers(parts: WebChatParts): Handlers {
  const { db, clock, turns, loader, limits, signIns, wakes } = parts;
  const opens = new RateLimit(clock, limits.opensAMinute, MINUTE_MS);
  const channelOpens = new RateLimit(clock, limits.channelOpensAMinute, MINUTE_MS);
  const messages = new RateLimit(clock, limits.messagesAMinute, MINUTE_MS);
  const channelMessages = new RateLimit(clock, limits.channelMessagesAMinute, MINUTE_MS);
  const uploads = new RateLimit(clock, UPLOADS_AN_HOUR, HOUR_MS);
  const tries = new RateLimit(clock, limits.signInsAnHour, HOUR_MS);
  const writing = new RateLimit(clock, TYPING_A_MINUTE, MINUTE_MS);
  const visits = new Visits({ db, clock, turns, loader });

  const countOpen = (channel: ServingChannel, req: Request): void => {
    opens.count(addressKey(req.ip));
    channelOpens.count(channel.id);
  };
  const counted = async (address: string, req: Request): Promise<Visit> => {
    const visited = await visits.of(address, req);
    messages.count(visited.visitorId);
    channelMessages.count(visited.channel.id);
    return visited;
  };
  const trying = async (address: string, req: Request): Promise<Visit> => {
    tries.count(addressKey(req.ip));
    return visits.of(address, req);
  };
  /** The words of a button that the bot has offered in a conversation, or the end of the request. */
  const wordsOf = async (conversationId: string, choice: string): Promise<string> => {
    const words = await store.choiceWords(db, conversationId, choice);
    if (words === undefined) throw new Refused('no-such-choice', { choice });
    return words;
  };
  /**
   * A key of its own for whom a page names: it speaks for them on that page only, so the key that the browser keeps stays whose it was. `key`
   * is that one: a talk in which its visitor was asked to sign in goes along.
   */
  const byToken = async (channel: ServingChannel, key: string | undefined, token: string): Promise<string> => {
    const own = newSecret();
    const there = key === undefined ? undefined : await visits.ifKnown(channel.address, hashSecret(key));
    await signIns.byToken({ channel, keyHash: hashSecret(own), conversationId: there?.conversationId ?? null }, token);
    return own;
  };
  return {
    openChat: async ({ params, body, req }) => {
      const channel = await visits.serving(params.channel);
      countOpen(channel, req);
      const key = body.token === undefined ? body.key : await byToken(channel, body.key, body.token);
      const wish = { language: body.language, waits: body.waits === true };
      const known = key === undefined ? undefined : await visits.present(channel, key, wish);
      const there = known ?? (await visits.openNew(channel, body.language));
      const loaded = await loader.release(there.releaseId);
      const spoken = there.language ?? firstState(loaded, body.language).language;
      const shown = dueLines(there.lines, clock.now()).due.map(lineView);
      const rated = there.conversationId === null ? [] : await feedbackOf(db, there.conversationId);
      return {
        key: there.key,
        name: loaded.bot.document.name,
        language: spoken,
        lines: shown,
        begun: there.begun,
        who: there.who,
        signedOut: key !== undefined && known === undefined,
        rated: Object.fromEntries(rated.map((r) => [String(r.seq), Boolean(r.helpful)])),
      };
    },
    sayChat: async ({ params, body, req }) => {
      const visited = await counted(params.channel, req);
      const { channel, visitorId, who } = visited;
      const conversationId = await visits.conversationOf(visited);
      const { id, choice } = body;
      const text = choice === undefined ? body.text : await wordsOf(conversationId, choice);
      const sent = await parts.files.sentBy(visited.keyHash, body.files ?? []);
      const event = {
        type: 'message',
        at: clock.now().toISOString(),
        channel: webChat.kind,
        ...(text === undefined ? {} : { text }),
        ...(choice === undefined ? {} : { choice }),
        ...(who ? spokenAs(who) : {}),
        ...sent.said,
      } as const;
      // By the key and not by who has it: whoever signs in between two tries has said it once.
      const externalId = hashSecret(`${visited.keyHash} ${id}`);
      parts.typing.done(conversationId, null);
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
      uploads.count(addressKey(req.ip));
      const { channel, keyHash } = await counted(params.channel, req);
      const place = { botId: channel.bot_id, realm: '', visitorId: null, conversationId: null, owner: keyHash };
      const told = { name: query.name ?? 'file', declared: req.get('content-type') ?? '' };
      const { address, name, type, size } = await parts.files.keep(req.body as Buffer, told, place);
      return { address, name, type, size };
    },
    rateChat: async ({ params, body, req }) => {
      const { channel, conversationId } = await counted(params.channel, req);
      if (conversationId === null) throw new Refused('no-such-line', {});
      await rate(db, clock, { channel, conversationId, ...body });
      return { accepted: true };
    },
    listPastChats: async ({ params, req }) => ({ items: await pastChats(db, await counted(params.channel, req)) }),
    getPastChat: async ({ params, req }) => {
      const lines = await pastChat(db, await counted(params.channel, req), params.conversation);
      return { lines: lines.map(lineView) };
    },
    typeChat: async ({ params, req }) => {
      const { visitorId, conversationId } = await visits.of(params.channel, req);
      if (conversationId !== null && writing.allows(visitorId)) parts.typing.note(conversationId, null);
      return { accepted: conversationId !== null };
    },
    mailCode: async ({ params, body, req }) => {
      const visited = await trying(params.channel, req);
      const language = (await visits.languageOf(visited)) ?? req.acceptsLanguages()[0] ?? 'en';
      await signIns.sendCode(visited.channel, visited.keyHash, body.email, language);
      return { sent: true };
    },
    tryCode: async ({ params, body, req }) => ({ who: await signIns.byCode(await trying(params.channel, req), body.code) }),
    beginServiceSignIn: async ({ params, req }) => ({ address: await signIns.begin(await trying(params.channel, req)) }),
    finishServiceSignIn: async ({ params, body, req }) => ({
      who: await signIns.byGrant(await trying(params.channel, req), body.grant),
    }),
    endServiceSignIn: async ({ req, res }) => {
      tries.count(addressKey(req.ip));
      const url = new URL(req.originalUrl, parts.publicUrl);
      try {
        const grant = await signIns.back((address) => visits.serving(address), url);
        await parts.sendBack(res, { grant });
      } catch (error) {
        if (!(error instanceof Refused)) throw error;
        await parts.sendBack(res, { refused: error as Refused });
      }
      return undefined;
    },
    signOutChat: async ({ params, req }) => {
      const { channel, keyHash, conversationId } = await visits.of(params.channel, req);
      await signOut(db, channel.id, keyHash);
      if (conversationId !== null) wakes.wake(conversationId);
      return { accepted: true };
    },
    stopChat: async ({ params, req }) => {
      const { visitorId, conversationId } = await visits.of(params.channel, req);
      messages.count(visitorId);
      if (conversationId !== null) await parts.stops.stop(conversationId);
      return { accepted: conversationId !== null };
    },
    startOverChat: async ({ params, req }) => {
      const visited = await visits.of(params.channel, req);
      const { channel, keyHash, conversationId, opening } = visited;
      countOpen(channel, req);
      if (opening && conversationId === null) {
        const releaseId = liveRelease(channel);
        const anew = { key_hash: keyHash, conversation_id: newId(clock), release_id: releaseId, at: clock.now() };
        await insertOpening(db, { ...opening, ...anew });
        wakes.wake(opening.conversation_id);
        return { accepted: true };
      }
      const conversation = conversationId === null ? undefined : await store.findConversation(db, conversationId);
      const state = conversation && stateColumn.read(conversation.state);
      await visits.beginNow(channel, visited, state?.language);
      if (conversation) {
        await store.endConversation(db, conversation.id, clock.now());
        wakes.wake(conversation.id);
      }
      return { accepted: true };
    },
    streamChat: async ({ params, req, res }: { params: { channel: string }; req: Request; res: Response }) => {
      const { channel, keyHash, conversationId, opening, until } = await visits.of(params.channel, req);
      const id = conversationId ?? opening?.conversation_id ?? '';
      /** The key leads to another conversation now, or to none. */
      const left = async (): Promise<boolean> => {
        const now = await visits.ifKnown(channel.address, keyHash);
        return (now?.conversationId ?? now?.opening?.conversation_id) !== id;
      };
      const before = opening ? await greetingOf(loader, opening) : [];
      await streamLines(parts, { visitor: keyHash, conversationId: id, before, left, until }, req, res);
      return undefined;
    },
  };
}
