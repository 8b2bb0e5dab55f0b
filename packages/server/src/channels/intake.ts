import {
  numberedChoice,
  thoughtOf,
  type HookSign,
  type IncomingEvent,
  type KnownAs,
  type Message,
  type Session,
} from '@primrose/core';
import { hashSecret, newId, type Clock } from '../base/clock.js';
import { RateLimit } from '../base/rate-limit.js';
import { Refused } from '../base/refused.js';
import type { BotLoader } from '../bots/loader.js';
import type { FilePlace, Files } from '../files/files.js';
import type { Limits } from '../start/limits.js';
import type { ServingChannel } from '../store/channels.js';
import * as store from '../store/conversations.js';
import type { Db } from '../store/database.js';
import { knownMessage, markRead, sentMessage } from '../store/held-lines.js';
import { statement } from '../store/hot.js';
import { isTester } from '../store/messenger.js';
import { membersOf, vouchedFor } from '../store/persons.js';
import { insertConversation, type NewConversation } from '../store/turning.js';
import { firstState, type Turns } from '../turns/turns.js';
import { spokenAs } from '../visitors/signed-in.js';
import type { Came, Took } from './came.js';
import { Counted, note } from './events.js';
import type { Outbox } from './outbox.js';
import { channelKind, pushes } from './registry.js';
import { rate } from './web-chat/feedback.js';

export interface IntakeParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly turns: Turns;
  readonly outbox: Outbox;
  readonly files: Files;
  readonly limits: Pick<Limits, 'channelMessagesAMinute' | 'messagesAMinute'>;
}

const MINUTE_MS = 60_000;
const FILES_MS = 12_000;
/** So many files of one message are kept. */
const MOST_FILES = 10;
const MOST_TEXT = 8000;
/** Longer names of a sender or a place to answer to are not kept: what bears them is not taken, and holds up nobody else. */
const MOST_NAME = 600;

/** Takes what comes in on channels other than web chat: the one way from a message there to an event here. */
export class Intake {
  readonly counted: Counted;
  readonly channels: RateLimit;
  readonly #parts: IntakeParts;
  readonly #senders: RateLimit;

  constructor(parts: IntakeParts) {
    const { db, clock, limits } = parts;
    this.#parts = parts;
    this.counted = new Counted({ db, clock });
    this.channels = new RateLimit(clock, limits.channelMessagesAMinute, MINUTE_MS);
    this.#senders = new RateLimit(clock, limits.messagesAMinute, MINUTE_MS);
  }

  /** Stores what somebody said, once, and lets the bot answer. Of one sender no more is taken than a minute allows. */
  async take(channel: ServingChannel, came: Came): Promise<Took> {
    this.channels.count(channel.id);
    if (came.sender.length > MOST_NAME || (came.recipient ?? '').length > MOST_NAME) {
      this.counted.refused(channel.id, 'the name of a sender is longer than any is');
      return { as: 'refused', conversationId: null };
    }
    if (!this.#senders.allows(`${channel.id} ${came.sender}`)) {
      this.counted.refused(channel.id, 'more messages of one sender than are taken in a minute');
      return { as: 'too-many', conversationId: null };
    }
    const { db } = this.#parts;
    const tests = await isTester(db, channel.id, came.sender);
    if (!tests && channel.live_id === null) {
      const about = 'there is no release yet, so nobody could answer';
      await this.#note(channel, came, { outcome: 'refused', about, conversationId: null });
      return { as: 'unreleased', conversationId: null };
    }
    return this.#takeFor(channel, came, tests);
  }

  async #takeFor(channel: ServingChannel, came: Came, tests: boolean): Promise<Took> {
    const { db, clock, turns, outbox } = this.#parts;
    const { conversationId, visitorId, who } = await this.#conversationFor(channel, came, tests);
    const externalId = hashSecret(`${channel.id} ${came.id}`);
    const isNew = (await store.eventByExternalId(db, channel.id, externalId)) === undefined;
    const place = { botId: channel.bot_id, realm: '', visitorId, conversationId, owner: visitorId };
    // Of one that came before nothing is fetched again.
    const sent = isNew ? await this.#files(came, place) : NO_FILES;
    const { text, choice } = await this.#words(channel, came, conversationId);
    const accepted = await turns.take({
      conversationId,
      botId: channel.bot_id,
      source: channel.id,
      externalId,
      ...(pushes(channel.kind)
        ? {
            delivery: {
              channelId: channel.id,
              recipient: came.recipient ?? came.sender,
              answers: came.id.length <= MOST_ID ? came.id : undefined,
              thread: came.thread?.kept,
            },
          }
        : {}),
      event: this.#event(channel, came, { text, choice, who, said: sent.said, nothing: sent.shown === '' }),
      ...(came.opens
        ? {}
        : { shown: { id: newId(clock), text: text ?? choice ?? '', ...(sent.shown === '' ? {} : { files: sent.shown }) } }),
      also: [
        sentMessage({
          channelId: channel.id,
          idHash: hashSecret(came.id),
          conversation_id: conversationId,
          seq: 0,
          at: clock.now(),
        }),
      ],
    });
    if (pushes(channel.kind)) outbox.kick(conversationId, channel.id);
    const lost = sent.lost.length > 0 ? `, ${sent.lost.length} not kept: ${sent.lost.join('; ')}` : '';
    const outcome = accepted.repeat ? 'repeat' : 'taken';
    const about = `${came.opens ? 'opened' : (text ?? choice ?? 'a file')}${lost}`.slice(0, 200);
    await this.#note(channel, came, { outcome, about, conversationId: accepted.conversationId });
    return { as: outcome, conversationId: accepted.conversationId, eventId: accepted.eventId };
  }

  #event(channel: ServingChannel, came: Came, said: SaidWith): IncomingEvent {
    const { text, choice, who, nothing } = said;
    const names = {
      ...(came.name === undefined ? {} : { name: came.name }),
      ...(came.firstName === undefined ? {} : { firstName: came.firstName }),
      ...(came.email === undefined ? {} : { email: came.email }),
      ...(who ? spokenAs(who) : {}),
    };
    const at = this.#parts.clock.now().toISOString();
    if (came.opens) return { type: 'open', at, channel: channel.kind, ...names };
    return {
      type: 'message',
      at,
      channel: channel.kind,
      // What came as files only, of which none could be kept, is a message without words.
      ...(text === undefined ? (choice === undefined && nothing ? { text: '' } : {}) : { text }),
      ...(choice === undefined ? {} : { choice }),
      ...names,
      ...said.said,
    };
  }

  /** Words and button of what came. Where buttons are numbered lines, a number means one of those that were offered last. */
  async #words(channel: ServingChannel, came: Came, conversationId: string): Promise<{ text?: string; choice?: string }> {
    const text = came.text?.slice(0, MOST_TEXT).replace(/\p{Surrogate}/gu, '');
    const { choice } = came;
    if (text === undefined || choice !== undefined || channelKind(channel.kind).ability(channel.settings).choices === 'buttons')
      return { ...(text === undefined ? {} : { text }), ...(choice === undefined ? {} : { choice }) };
    const offered = /\d/.test(text) ? await this.#offered(channel, came, conversationId) : [];
    const meant = numberedChoice(text, offered ?? []);
    return meant ? { text: meant.says, choice: meant.id } : { text };
  }

  /** The buttons that a number means: those of the message that is answered, else those that were offered last. */
  async #offered(channel: ServingChannel, { about }: Came, conversationId: string): Promise<Message['choices']> {
    const { db } = this.#parts;
    const answered = about === undefined ? undefined : await knownMessage(db, channel.id, [hashSecret(about)]);
    const own =
      answered?.conversation_id === conversationId ? await store.choicesAt(db, conversationId, answered.seq) : undefined;
    return own ?? store.lastChoices(db, conversationId);
  }

  async #files(came: Came, place: FilePlace): Promise<Gathered> {
    const { files, clock } = this.#parts;
    const until = came.until ?? clock.now().getTime() + FILES_MS;
    const addresses = (came.pictures ?? []).slice(0, MOST_FILES);
    const fetched =
      addresses.length === 0 ? NO_FILES : await files.fetched(addresses, { place, headers: came.headers ?? (() => ({})), until });
    if (!came.files?.length) return fetched;
    const kept = await files.keptAll(came.files.slice(0, MOST_FILES), place);
    return {
      said: {
        pictures: [...(fetched.said.pictures ?? []), ...(kept.said.pictures ?? [])],
        files: [...(fetched.said.files ?? []), ...(kept.said.files ?? [])],
      },
      shown: [fetched.shown, kept.shown].filter(Boolean).join(' '),
      lost: [...fetched.lost, ...kept.lost],
    };
  }

  /**
   * The conversation of a sender: everyone has their own, known by channel and sender, and where there are threads one for each. A
   * tester's follows the draft; whoever becomes one, or is one no longer, begins a new conversation.
   */
  async #conversationFor(channel: ServingChannel, came: Came, tests: boolean) {
    const { db, clock, loader } = this.#parts;
    const known = came.inConversation === undefined ? undefined : await store.findConversation(db, came.inConversation);
    if (known?.channel_id === channel.id && known.visitor_id !== null)
      return { conversationId: known.id, visitorId: known.visitor_id, who: await this.#vouched(channel, known.visitor_id) };
    const keyHash = hashSecret(`${channel.id} ${came.sender}`);
    const at = clock.now();
    let visitor = await store.visitorByKey(db, channel.bot_id, 'sender', keyHash);
    if (!visitor) {
      await store.ensureVisitor(db, { id: newId(clock), botId: channel.bot_id, kind: 'sender', keyHash, at });
      visitor = await store.visitorByKey(db, channel.bot_id, 'sender', keyHash);
    }
    if (!visitor) throw new Error('a visitor that was just stored is gone');
    const { id: visitorId } = visitor;
    const who = visitor.person_id === null ? undefined : await this.#vouched(channel, visitorId);
    const presentId = await this.#presentFor(channel, came, visitor);
    const present = presentId === null ? undefined : await store.findConversation(db, presentId);
    const own = present?.channel_id === channel.id && present.visitor_id === visitorId;
    if (present && own && (present.release_id === null) === tests) return { conversationId: present.id, visitorId, who };
    const loaded = tests || channel.live_id === null ? await loader.draft(channel.bot_id) : await loader.release(channel.live_id);
    const state: Session = firstState(loaded, came.language);
    const made: NewConversation = {
      id: newId(clock),
      botId: channel.bot_id,
      channelId: channel.id,
      source: 'channel',
      visitorId,
      releaseId: loaded.releaseId,
      state,
      visitorName: (came.name ?? came.firstName ?? came.email ?? came.sender).slice(0, 80),
      at,
    };
    await statement(db, (hot) => hot.run(insertConversation(made)));
    // A thread is a conversation of its own, also where another one of the same sender begins at the same moment.
    if (came.thread) {
      await store.setVisitorConversation(db, visitorId, made.id);
      return { conversationId: made.id, visitorId, who };
    }
    // Two first messages at once: whoever was first has made the conversation for both.
    const conversationId = await store.claimConversation(db, visitorId, visitor.conversation_id, made.id);
    return { conversationId, visitorId, who };
  }

  /** Who a visitor is, where somebody vouches for it. */
  async #vouched({ bot_id: botId }: ServingChannel, visitorId: string): Promise<KnownAs | undefined> {
    return vouchedFor(await statement(this.#parts.db, (hot) => membersOf(hot, botId, visitorId)), visitorId);
  }

  /** Where what came belongs: the thread that it goes on with, a message of this id that was taken before, else the sender's conversation. */
  async #presentFor(
    channel: ServingChannel,
    came: Came,
    visitor: { readonly conversation_id: string | null },
  ): Promise<string | null> {
    if (!came.thread) return visitor.conversation_id;
    const ids = [...came.thread.ids, came.id].map(hashSecret);
    return (await knownMessage(this.#parts.db, channel.id, ids))?.conversation_id ?? null;
  }

  /** A receipt marks what was read; a reaction is what the visitor thinks of an answer. What nobody knows here is passed over. */
  async sign(channel: ServingChannel, { about, sign, sender }: HookSign): Promise<void> {
    const { db, clock } = this.#parts;
    this.channels.count(channel.id);
    if (!this.#senders.allows(`${channel.id} ${sender}`)) return;
    const known = await knownMessage(db, channel.id, [hashSecret(about)]);
    if (!known || known.seq === 0) return;
    const { conversation_id: conversationId, seq } = known;
    if (sign === undefined) return markRead(db, conversationId, seq, clock.now());
    const helpful = thoughtOf(sign);
    if (helpful === undefined) return;
    await rate(db, clock, { channel, conversationId, line: seq, helpful }).catch((error: unknown) => {
      if (!(error instanceof Refused)) throw error;
    });
  }

  #note(
    channel: ServingChannel,
    came: Came,
    what: { outcome: 'taken' | 'repeat' | 'refused'; about: string; conversationId: string | null },
  ) {
    const { outcome, about, conversationId } = what;
    const row = { direction: 'in', outcome, about, sender: came.sender.slice(0, 200), payload: came.payload } as const;
    return note(this.#parts, channel.id, { ...row, conversation_id: conversationId });
  }
}

/** Ids of the other side that are longer are not named in answers. */
const MOST_ID = 500;

type Gathered = Awaited<ReturnType<Files['fetched']>>;
const NO_FILES: Gathered = { said: {}, shown: '', lost: [] };

interface SaidWith {
  readonly text?: string | undefined;
  readonly choice?: string | undefined;
  readonly who: KnownAs | undefined;
  readonly said: Gathered['said'];
  /** No file came of it. */
  readonly nothing: boolean;
}
