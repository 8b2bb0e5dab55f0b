import type { KnownAs } from '@primrose/core';
import type { Request } from 'express';
import { hashSecret, newId, newSecret, type Clock } from '../../base/clock.js';
import { Refused } from '../../base/refused.js';
import type { BotLoader } from '../../bots/loader.js';
import { bearer } from '../../http/auth.js';
import { channelByAddress, visitAt, type ServingChannel, type VisitedChannel } from '../../store/channels.js';
import { knownAsColumn, stateColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import type { Db } from '../../store/database.js';
import { calledAs, signOut } from '../../store/known.js';
import type { LineRow } from '../../store/lines.js';
import { dropOpening, findOpening, insertOpening, type OpeningRow } from '../../store/openings.js';
import type { NewConversation } from '../../store/turning.js';
import { firstState, type Turns } from '../../turns/turns.js';
import type { Incoming } from '../../turns/accept.js';
import { spokenAs } from '../../visitors/signed-in.js';
import { greeting, greetingOf, openEvent } from './openings.js';
import { webChat } from './web-chat.js';

/** How long the first message of a visitor waits for the turn with which the bot opened the conversation. */
const OPENING_MS = 10_000;

/** A visitor at a channel, known by their key. Who has only opened a chat has an opening, and no conversation. */
export interface Visit {
  readonly channel: ServingChannel;
  readonly keyHash: string;
  readonly visitorId: string;
  readonly conversationId: string | null;
  readonly opening: OpeningRow | undefined;
  /** Who has signed in with the key, and until when; null where nobody has. */
  readonly who: KnownAs | null;
  readonly until: Date | null;
}

/** A chat as it stands for somebody who opens it. */
export interface Present {
  readonly key: string;
  readonly releaseId: string;
  readonly language: string | undefined;
  readonly lines: readonly LineRow[];
  readonly conversationId: string | null;
  /** False where the chat waits, and there is no conversation to come back to. */
  readonly begun: boolean;
  /** Who has signed in with the key; null where nobody has. */
  readonly who: KnownAs | null;
}

/** How a chat is opened: in which language, and whether it only waits to be looked at. */
export interface OpeningWish {
  readonly language: string | undefined;
  readonly waits: boolean;
}

interface Beginning {
  readonly id: string;
  readonly visitorId: string;
  readonly releaseId: string;
  readonly language: string | undefined;
  readonly at: Date;
  readonly who: KnownAs | null;
}

/** The release that new conversations get, or the end of the request. */
export function liveRelease(channel: ServingChannel): string {
  if (channel.live_id !== null) return channel.live_id;
  throw new Refused('chat-unreleased', {});
}

interface VisitsParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly turns: Turns;
  readonly loader: BotLoader;
}

/** Who is at a web chat, and the conversations that they have or begin there. */
export class Visits {
  readonly #parts: VisitsParts;
  /** First words that are on their way, by visitor: several at once begin one conversation. */
  readonly #beginning = new Map<string, Promise<string>>();

  constructor(parts: VisitsParts) {
    this.#parts = parts;
  }

  /** The channel at an address, or the end of the request where it takes nobody. */
  async serving(address: string): Promise<ServingChannel> {
    return assertOpen(await channelByAddress(this.#parts.db, address, webChat.kind));
  }

  /** Who asks, by the key that they send. Refuses a key that is not known here, and one whose sign-in is over. */
  async of(address: string, req: Request): Promise<Visit> {
    const key = bearer(req);
    return this.byKey(address, key === undefined ? '' : hashSecret(key));
  }

  async byKey(address: string, keyHash: string): Promise<Visit> {
    const { db, clock } = this.#parts;
    const look = async () => assertOpen(await visitAt(db, { address, kind: webChat.kind }, keyHash));
    let channel = await look();
    const speaksFirst = channel.signed_until === null && (channel.visitor_id === null || channel.conversation_id === null);
    const opening = speaksFirst ? await findOpening(db, channel.id, keyHash) : undefined;
    // Between the two looks the first words may have been stored, and the opening gone with that.
    if (speaksFirst && !opening) channel = await look();
    const { visitor_id: known, conversation_id: conversationId, signed_until: until } = channel;
    if (until !== null && until <= clock.now()) throw new Refused('sign-in-over', {});
    const base = { channel, keyHash, who: whoOf(channel), until };
    if (known !== null && conversationId !== null) return { ...base, visitorId: known, conversationId, opening: undefined };
    if (known === null && !opening) throw new Refused('visitor-unknown', {});
    // Of a visitor who has not spoken nothing is stored; the id that they will have is that of their conversation.
    return { ...base, visitorId: known ?? opening?.conversation_id ?? '', conversationId: null, opening };
  }

  /** The same, and undefined for a key that leads nowhere any more; a chat that takes nobody is refused as ever. */
  async ifKnown(address: string, keyHash: string): Promise<Visit | undefined> {
    return this.byKey(address, keyHash).catch((error: unknown) => {
      if (error instanceof Refused && error.code !== 'chat-off') return undefined;
      throw error;
    });
  }

  /** The language that is spoken at a visit; undefined where nothing was begun yet. */
  async languageOf({ conversationId, opening }: Visit): Promise<string | undefined> {
    const { db, loader } = this.#parts;
    if (opening) return firstState(await loader.release(opening.release_id), opening.language ?? undefined).language;
    const conversation = conversationId === null ? undefined : await store.findConversation(db, conversationId);
    return conversation && stateColumn.read(conversation.state).language;
  }

  /** The conversation of a visit, stored now where only the bot has spoken so far. */
  async conversationOf(visited: Visit): Promise<string> {
    const { conversationId, opening } = visited;
    if (conversationId !== null) return conversationId;
    if (!opening) throw new Refused('no-conversation-yet', {});
    const under =
      this.#beginning.get(visited.keyHash) ??
      this.#storeOpening(visited, opening).finally(() => this.#beginning.delete(visited.keyHash));
    this.#beginning.set(visited.keyHash, under);
    return under;
  }

  /** Somebody speaks in a chat that was only opened: now it is stored, what the bot said first included. */
  async #storeOpening({ channel, keyHash, visitorId }: Visit, opening: OpeningRow): Promise<string> {
    const { db, turns } = this.#parts;
    const { conversation_id: id, release_id: releaseId, at } = opening;
    await store.ensureVisitor(db, { id: visitorId, botId: channel.bot_id, kind: 'key', keyHash, at });
    const language = opening.language ?? undefined;
    await turns.takeAndWait(
      await this.#conversationWith(channel, { id, visitorId, releaseId, language, at, who: null }),
      OPENING_MS,
    );
    await store.setVisitorConversation(db, visitorId, id);
    await dropOpening(db, keyHash);
    return id;
  }

  /** Opens a chat for somebody of whom nothing is known: one small row, where the bot's first words need nothing from outside. */
  async openNew(channel: ServingChannel, language: string | undefined): Promise<Present> {
    const { db, clock, loader } = this.#parts;
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
      return { key, releaseId: row.release_id, language: undefined, lines, conversationId: null, begun: true, who: null };
    }
    const visitorId = newId(clock);
    await store.ensureVisitor(db, { id: visitorId, botId: channel.bot_id, kind: 'key', keyHash: row.key_hash, at: row.at });
    return this.#presentAnew(channel, { key, visitorId, language, who: null });
  }

  /** The chat of a key, as it stands; undefined where nothing is known of the key here, or nothing any more. */
  async present(channel: ServingChannel, key: string, { language: wish, waits }: OpeningWish): Promise<Present | undefined> {
    const { db, clock, loader } = this.#parts;
    const keyHash = hashSecret(key);
    const at = await visitAt(db, { address: channel.address, kind: webChat.kind }, keyHash);
    if (at && at.signed_until !== null && at.signed_until <= clock.now()) {
      await signOut(db, channel.id, keyHash);
      return undefined;
    }
    const who = at ? whoOf(at) : null;
    const conversation = at && at.conversation_id !== null ? await store.findConversation(db, at.conversation_id) : undefined;
    // One that is over is not gone on with by somebody who comes anew.
    if (conversation && (conversation.ended_at === null || at?.signed_until === null)) {
      const { language } = stateColumn.read(conversation.state);
      const lines = await store.linesAfter(db, conversation.id, 0);
      return {
        key,
        releaseId: conversation.release_id ?? liveRelease(channel),
        language,
        lines,
        conversationId: conversation.id,
        begun: true,
        who,
      };
    }
    if (waits && at && at.visitor_id !== null)
      return { key, releaseId: liveRelease(channel), language: undefined, lines: [], conversationId: null, begun: false, who };
    if (at && at.visitor_id !== null) return this.#presentAnew(channel, { key, visitorId: at.visitor_id, language: wish, who });
    const opening = await findOpening(db, channel.id, keyHash);
    if (!opening) return undefined;
    const lines = await greetingOf(loader, opening);
    return { key, releaseId: opening.release_id, language: undefined, lines, conversationId: null, begun: true, who };
  }

  async #presentAnew(
    channel: ServingChannel,
    { key, visitorId, language, who }: { key: string; visitorId: string; language: string | undefined; who: KnownAs | null },
  ): Promise<Present> {
    const id = await this.beginNow(channel, { visitorId, who }, language);
    const lines = await store.linesAfter(this.#parts.db, id, 0);
    return { key, releaseId: liveRelease(channel), language: undefined, lines, conversationId: id, begun: true, who };
  }

  /** Begins a conversation of a visitor; the bot's first words are stored when this returns, or soon. */
  async beginNow(
    channel: ServingChannel,
    { visitorId, who }: Pick<Visit, 'visitorId' | 'who'>,
    language: string | undefined,
  ): Promise<string> {
    const { db, clock, turns } = this.#parts;
    const id = newId(clock);
    const at = clock.now();
    await turns.take(
      await this.#conversationWith(channel, { id, visitorId, releaseId: liveRelease(channel), language, at, who }),
    );
    await store.setVisitorConversation(db, visitorId, id);
    return id;
  }

  /** A conversation with the event that opens it; the bot's turn comes at once. */
  async #conversationWith(
    channel: ServingChannel,
    { id, visitorId, releaseId, language, at, who }: Beginning,
  ): Promise<Incoming> {
    const begins: NewConversation = {
      id,
      botId: channel.bot_id,
      channelId: channel.id,
      source: 'channel',
      visitorId,
      releaseId,
      state: firstState(await this.#parts.loader.release(releaseId), language),
      visitorName: who ? calledAs(who) : null,
      at,
    };
    const event = { ...openEvent(at), ...(who ? spokenAs(who) : {}) };
    return { conversationId: id, botId: channel.bot_id, source: channel.id, externalId: `open-${id}`, event, begins };
  }
}

function assertOpen<T extends ServingChannel>(channel: T | undefined): T {
  if (!channel || channel.bot_deleted !== null) throw new Refused('no-chat', {});
  if (channel.is_on !== 1) throw new Refused('chat-off', {});
  return channel;
}

/** Who has signed in with a key. */
function whoOf({ who, signed_until: until }: VisitedChannel): KnownAs | null {
  if (until === null) return null;
  return who === null ? { name: null, email: null } : knownAsColumn.read(who);
}
