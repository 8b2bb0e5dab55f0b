import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import {
  compileExpression,
  compileTemplate,
  fileHeaders,
  readHook,
  textOf,
  type HookEvent,
  type HookProfile,
  type Session,
  type Value,
} from '@primrose/core';
import { hashSecret, newId } from '../../base/clock.js';
import { Refused } from '../../base/refused.js';
import type { Clock } from '../../base/clock.js';
import type { BotLoader } from '../../bots/loader.js';
import type { Files } from '../../files/files.js';
import { channelOwner, type Secrets } from '../../outside/secrets.js';
import type { Db } from '../../store/database.js';
import { channelByAddress, type ServingChannel } from '../../store/channels.js';
import { jsonColumn, mappingColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import { membersOf, vouchedFor } from '../../store/persons.js';
import { isTester } from '../../store/messenger.js';
import { statement } from '../../store/hot.js';
import { insertConversation, type NewConversation } from '../../store/turning.js';
import { firstState, type Turns } from '../../turns/turns.js';
import { addressKey, RateLimit } from '../../base/rate-limit.js';
import type { Limits } from '../../start/limits.js';
import { spokenAs } from '../../visitors/signed-in.js';
import { Counted, note } from '../events.js';
import type { Outbox } from '../outbox.js';
import { hookMessenger } from './hook-messenger.js';

/** What webhooks are taken with. */
export interface ReceivingParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly loader: BotLoader;
  readonly turns: Turns;
  readonly outbox: Outbox;
  readonly files: Files;
  readonly gate: HookGate;
}

/** Bodies that are kept with their events, so that they can be kept as samples; larger ones are not. */
const KEPT_BODIES = 200_000;
const MINUTE_MS = 60_000;
/** So long the files of one webhook are fetched; the messenger waits meanwhile. */
const FILES_MS = 12_000;
/** Forged webhooks of one address a minute; then nothing of it is looked at any more for the rest of it. */
const FORGERIES = 30;

/** What may come in by webhooks, and what of it is only counted. */
export class HookGate {
  readonly channels: RateLimit;
  readonly senders: RateLimit;
  readonly forgeries: RateLimit;
  readonly counted: Counted;

  constructor(db: Db, clock: Clock, limits: Pick<Limits, 'channelMessagesAMinute' | 'messagesAMinute'>) {
    this.channels = new RateLimit(clock, limits.channelMessagesAMinute, MINUTE_MS);
    this.senders = new RateLimit(clock, limits.messagesAMinute, MINUTE_MS);
    this.forgeries = new RateLimit(clock, FORGERIES, MINUTE_MS);
    this.counted = new Counted({ db, clock });
  }
}

/** A messenger's channel that is there, with its mapping. */
export interface HookChannel {
  readonly row: ServingChannel;
  readonly profile: HookProfile;
}

/** What a webhook came to. */
export interface Received {
  readonly taken: number;
  readonly repeats: number;
  readonly passedOver: number;
}

/** The messenger's channel at an address, or the end of the request. */
export async function hookChannel(parts: ReceivingParts, address: string): Promise<HookChannel> {
  const row = await channelByAddress(parts.db, address, hookMessenger.kind);
  if (!row || row.bot_deleted !== null || row.settings === null) throw new Refused('no-hook', {});
  return { row, profile: mappingColumn.read(row.settings) };
}

/** Answers the handshake of a messenger with the text that it wants to see. Ends the request where the mapping says no. */
export async function answerHandshake(
  parts: ReceivingParts,
  channel: HookChannel,
  query: Readonly<Record<string, unknown>>,
): Promise<string> {
  const { handshake } = channel.profile;
  if (!handshake) throw new Refused('no-handshake', {});
  const secret = await parts.secrets.open(channelOwner(channel.row.id));
  const read = (source: string): Value => {
    const compiled = compileExpression(source);
    const found = compiled.ok ? compiled.value.evaluate({ query, secret }) : undefined;
    return found?.ok ? found.value : null;
  };
  const passes = read(handshake.passes) === true;
  if (!passes) {
    parts.gate.counted.refused(channel.row.id, 'the handshake did not pass');
    throw new Refused('handshake-failed', {});
  }
  return textOf(read(handshake.answers));
}

/** True when the body bears the signature that the mapping asks for. Compared in constant time. */
export function isSigned(profile: HookProfile, secrets: Readonly<Record<string, string>>, req: Request, body: Buffer): boolean {
  const { signature } = profile;
  if (!signature) return true;
  const key = secrets[signature.secret];
  const form = compileTemplate(signature.form);
  if (key === undefined || !form.ok) return false;
  const mac = createHmac(signature.hash, key).update(body).digest();
  const wanted = form.value.text({ hex: mac.toString('hex'), base64: mac.toString('base64') }, () => undefined);
  const given = Buffer.from(String(req.headers[signature.header.toLowerCase()] ?? ''));
  const right = Buffer.from(wanted);
  return given.length === right.length && timingSafeEqual(given, right);
}

/** Takes a webhook: each event of it becomes one of ours, once. */
export async function takeWebhook(parts: ReceivingParts, channel: HookChannel, req: Request, bytes: Buffer): Promise<Received> {
  const { row, profile } = channel;
  const { gate } = parts;
  const refuse = async (code: 'forged-signature' | 'hook-off' | 'hook-no-json', about: string): Promise<never> => {
    const authentic = profile.signature !== undefined && code !== 'forged-signature';
    const told = { direction: 'in', outcome: 'refused', about, sender: null, conversation_id: null } as const;
    // What bears the right signature is listed with its body; what anybody can send is only counted.
    if (authentic) gate.channels.count(row.id);
    if (authentic) await note(parts, row.id, { ...told, payload: bytes.toString('utf8') });
    else gate.counted.refused(row.id, about);
    throw new Refused(code, {});
  };
  const from = `${row.id} ${addressKey(req.ip)}`;
  if (gate.forgeries.isUsedUp(from)) gate.forgeries.refuse();
  const secrets = await parts.secrets.open(channelOwner(row.id));
  if (!isSigned(profile, secrets, req, bytes)) {
    gate.forgeries.allows(from);
    await refuse('forged-signature', 'the signature is not right');
  }
  if (row.is_on !== 1) await refuse('hook-off', 'the channel is switched off');
  let body: Value = null;
  try {
    body = jsonColumn.read(bytes.toString('utf8'));
  } catch {
    await refuse('hook-no-json', 'the body is no JSON');
  }
  const until = parts.clock.now().getTime() + FILES_MS;
  const counts = { taken: 0, repeats: 0, passedOver: 0 };
  const readings = readHook(profile, body);
  const payload = bytes.length * readings.length > KEPT_BODIES ? null : bytes.toString('utf8');
  for (const reading of readings) {
    if (reading.as === 'event') {
      gate.channels.count(row.id);
      if (!gate.senders.allows(`${row.id} ${reading.event.sender}`)) {
        counts.passedOver++;
        gate.counted.refused(row.id, 'more messages of one sender than are taken in a minute');
        continue;
      }
      const repeat = await takeEvent(parts, channel, reading.event, { payload, secrets, until });
      if (repeat) counts.repeats++;
      else counts.taken++;
      continue;
    }
    counts.passedOver++;
    if (reading.as === 'passed-over') continue;
    const about = `the mapping does not fit, ${reading.field}: ${reading.reason}`;
    await note(parts, row.id, { direction: 'in', outcome: 'refused', about, sender: null, conversation_id: null, payload });
  }
  return counts;
}

/** What an event is taken with: the body that it came in, and until when its files are fetched. */
interface Taking {
  readonly payload: string | null;
  readonly secrets: Readonly<Record<string, string>>;
  readonly until: number;
}

async function takeEvent(
  parts: ReceivingParts,
  { row, profile }: HookChannel,
  event: HookEvent,
  { payload, secrets, until }: Taking,
): Promise<boolean> {
  const { db, clock, turns, outbox } = parts;
  const tests = await isTester(db, row.id, event.sender);
  if (!tests && row.live_id === null) {
    const about = 'there is no release yet, so nobody could answer';
    await note(parts, row.id, {
      direction: 'in',
      outcome: 'refused',
      about,
      sender: event.sender,
      conversation_id: null,
      payload,
    });
    throw new Refused('hook-unreleased', {});
  }
  const { conversationId, visitorId, who } = await conversationFor(parts, row, event, tests);
  const { text, choice } = event;
  const externalId = hashSecret(`${row.id} ${event.id}`);
  // Of one that came before nothing is fetched again.
  const isNew = event.pictures.length > 0 && (await store.eventByExternalId(db, row.id, externalId)) === undefined;
  const sent = await parts.files.fetched(isNew ? event.pictures : [], {
    place: { botId: row.bot_id, realm: '', visitorId, conversationId, owner: visitorId },
    headers: (address) => fileHeaders(profile, address, secrets),
    until,
  });
  const lost = sent.lost.length > 0 ? `, ${sent.lost.length} not kept: ${sent.lost.join('; ')}` : '';
  const accepted = await turns.take({
    conversationId,
    botId: row.bot_id,
    source: row.id,
    externalId,
    delivery: { channelId: row.id, recipient: event.sender },
    event: {
      type: 'message',
      at: clock.now().toISOString(),
      channel: hookMessenger.kind,
      // What came as files only, of which none could be kept, is a message without words.
      ...(text === undefined ? (choice === undefined && sent.shown === '' ? { text: '' } : {}) : { text }),
      ...(choice === undefined ? {} : { choice }),
      ...(event.name === undefined ? {} : { name: event.name }),
      ...(event.firstName === undefined ? {} : { firstName: event.firstName }),
      ...(who ? spokenAs(who) : {}),
      ...sent.said,
    },
    shown: { id: newId(clock), text: text ?? choice ?? '', ...(sent.shown === '' ? {} : { files: sent.shown }) },
  });
  outbox.kick(conversationId, row.id);
  await note(parts, row.id, {
    direction: 'in',
    outcome: accepted.repeat ? 'repeat' : 'taken',
    about: `${text ?? choice ?? 'a file'}${lost}`.slice(0, 200),
    sender: event.sender,
    conversation_id: accepted.conversationId,
    payload,
  });
  return accepted.repeat;
}

/**
 * The conversation of a sender: everyone has their own, known by channel and sender. A tester's follows the draft; whoever
 * becomes one, or is one no longer, begins a new conversation.
 */
async function conversationFor(parts: ReceivingParts, row: ServingChannel, event: HookEvent, tests: boolean) {
  const { db, clock, loader } = parts;
  const keyHash = hashSecret(`${row.id} ${event.sender}`);
  const at = clock.now();
  let visitor = await store.visitorByKey(db, row.bot_id, 'sender', keyHash);
  if (!visitor) {
    await store.ensureVisitor(db, { id: newId(clock), botId: row.bot_id, kind: 'sender', keyHash, at });
    visitor = await store.visitorByKey(db, row.bot_id, 'sender', keyHash);
  }
  if (!visitor) throw new Error('a visitor that was just stored is gone');
  const { id: visitorId, person_id } = visitor;
  const who =
    person_id === null ? undefined : vouchedFor(await statement(db, (hot) => membersOf(hot, row.bot_id, visitorId)), visitorId);
  const present = visitor.conversation_id === null ? undefined : await store.findConversation(db, visitor.conversation_id);
  if (present?.channel_id === row.id && (present.release_id === null) === tests)
    return { conversationId: present.id, visitorId: visitor.id, who };
  const loaded = tests || row.live_id === null ? await loader.draft(row.bot_id) : await loader.release(row.live_id);
  const id = newId(clock);
  const state: Session = firstState(loaded, event.language);
  const visitorName = (event.name ?? event.firstName ?? event.sender).slice(0, 80);
  const made: NewConversation = {
    id,
    botId: row.bot_id,
    channelId: row.id,
    source: 'channel',
    visitorId: visitor.id,
    releaseId: loaded.releaseId,
    state,
    visitorName,
    at,
  };
  await statement(db, (hot) => hot.run(insertConversation(made)));
  // Two first messages at once: whoever was first has made the conversation for both.
  const conversationId = await store.claimConversation(db, visitor.id, visitor.conversation_id, id);
  return { conversationId, visitorId: visitor.id, who };
}
