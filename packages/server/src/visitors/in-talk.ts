import { failureOf, type SignInEffect, type SignInResult } from '@primrose/core';
import { hashSecret, newId, type Clock } from '../base/clock.js';
import { readStoredChat, webChat } from '../channels/web-chat/web-chat.js';
import { channelById } from '../store/channels.js';
import type { Db } from '../store/database.js';
import { statement, transaction } from '../store/hot.js';
import * as known from '../store/known.js';
import { membersOf, vouchedFor } from '../store/persons.js';
import { visitorById } from '../store/visitors.js';
import type { SignInCodes } from './codes.js';
import { mailboxOf } from './signed-in.js';

const HOUR_MS = 3_600_000;

export interface InTalkParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly codes: SignInCodes;
  /** This installation can send mail. */
  readonly mail: boolean;
}

/** The conversation in which somebody is to sign in. */
export interface TalkOf {
  readonly botId: string;
  readonly conversationId: string;
  readonly channelId: string | null;
  readonly visitorId: string | null;
}

export type PerformSignIn = (effect: SignInEffect, talk: TalkOf) => Promise<SignInResult>;

/** Signing in by what is said in a conversation: on every channel, by a code that is sent to a mailbox. */
export function createInTalk({ db, clock, codes, mail }: InTalkParts): PerformSignIn {
  const chatOf = async ({ channelId }: TalkOf) => {
    const channel = channelId === null ? undefined : await channelById(db, channelId);
    return { channel, chat: channel?.kind === webChat.kind ? readStoredChat(channel.settings) : undefined };
  };
  const ways = async (talk: TalkOf): Promise<SignInResult> => {
    const { chat } = await chatOf(talk);
    const elsewhere = chat !== undefined && (chat.signIn.service !== null || chat.keys.length > 0);
    return { outcome: 'ways', mail: mail && talk.visitorId !== null && (chat?.signIn.mail ?? true), elsewhere };
  };
  const send = async ({ email = '', language }: SignInEffect, talk: TalkOf): Promise<SignInResult> => {
    const { channel } = await chatOf(talk);
    const name = channel?.bot_name ?? '';
    const came = await codes.send({ botId: talk.botId, holder: talk.conversationId, email, name, language });
    return came.sent ? { outcome: 'code-sent' } : failureOf('refused', came.reason);
  };
  /** Who speaks is somebody from now on: at a web chat by their key, elsewhere as the sender that they are. */
  const finish = async ({ botId, conversationId, channelId, visitorId }: TalkOf, email: string): Promise<SignInResult> => {
    const { channel, chat } = await chatOf({ botId, conversationId, channelId, visitorId });
    const visitor = visitorId === null ? undefined : await visitorById(db, botId, visitorId);
    if (!visitor || !channel) return failureOf('not-configured', 'nobody in particular speaks here');
    const { issuer, subject, who, by } = mailboxOf(email);
    const at = clock.now();
    const id = () => newId(clock);
    await transaction(db, async (hot) => {
      const subjectHash = hashSecret(subject);
      const personId = await known.ensurePerson(hot, { botId, issuer, subjectHash, who, mailHash: subjectHash, at }, id);
      if (!chat) return known.linkSender(hot, botId, visitor.id, personId);
      const until = new Date(at.getTime() + chat.signIn.hours * HOUR_MS);
      const signedIn = { botId, channelId: channel.id, keyHash: visitor.key_hash, personId, by, at, until };
      await known.takeAlong(hot, { botId, conversationId, who, to: await known.signIn(hot, signedIn, id) });
      return undefined;
    });
    const now = await visitorOfConversation(db, { botId, conversationId, channelId, visitorId });
    return { outcome: 'signed-in', ...(now ?? who) };
  };
  const tryCode = async ({ code = '' }: SignInEffect, talk: TalkOf): Promise<SignInResult> => {
    const came = await codes.try(talk.conversationId, code);
    if (came.right) return finish(talk, came.email);
    if (came.why === 'wrong') return { outcome: 'wrong-code', left: came.left };
    // A try that broke off after it had succeeded is made again here.
    const row = await visitorOfConversation(db, talk);
    return row ? { outcome: 'signed-in', ...row } : { outcome: 'no-code' };
  };
  return (effect, talk) =>
    effect.does === 'ways' ? ways(talk) : effect.does === 'send' ? send(effect, talk) : tryCode(effect, talk);
}

/** Who the visitor of a conversation is as it stands now; undefined where nobody vouches. */
async function visitorOfConversation(db: Db, { botId, conversationId }: TalkOf) {
  const row: { visitor_id: string | null } | undefined = await db('conversations')
    .where({ id: conversationId })
    .first('visitor_id');
  const visitorId = row?.visitor_id;
  if (!visitorId) return undefined;
  return vouchedFor(await statement(db, (hot) => membersOf(hot, botId, visitorId)), visitorId);
}
