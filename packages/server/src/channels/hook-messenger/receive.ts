import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import {
  compileExpression,
  compileTemplate,
  readHook,
  textOf,
  type HookEvent,
  type HookProfile,
  type Session,
  type Value,
} from '@primrose/core';
import { hashSecret, newId } from '../../base/clock.js';
import type { Parts } from '../../http/app.js';
import { HttpProblem } from '../../http/problem.js';
import { channelOwner } from '../../outside/secrets.js';
import { channelByAddress, type ServingChannel } from '../../store/channels.js';
import * as store from '../../store/conversations.js';
import { insertChannelEvent, isTester, wantDelivery, type ChannelEventRow } from '../../store/messenger.js';
import { firstState } from '../../turns/turns.js';

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

const MAX_PAYLOAD = 20_000;

/** The messenger's channel at an address, or the end of the request. */
export async function hookChannel(parts: Parts, address: string): Promise<HookChannel> {
  const row = await channelByAddress(parts.db, address, 'hook-messenger');
  if (!row || row.bot_deleted !== null || row.settings === null)
    throw new HttpProblem('not-found', 'No channel takes webhooks at this address. Copy it from the Channels page.');
  return { row, profile: JSON.parse(row.settings) as HookProfile };
}

/** Answers the handshake of a messenger with the text that it wants to see. Ends the request where the mapping says no. */
export async function answerHandshake(
  parts: Parts,
  channel: HookChannel,
  query: Readonly<Record<string, unknown>>,
): Promise<string> {
  const { handshake } = channel.profile;
  if (!handshake) throw new HttpProblem('not-found', 'The mapping of this channel describes no handshake.');
  const secret = await parts.secrets.open(channelOwner(channel.row.id));
  const read = (source: string): Value => {
    const compiled = compileExpression(source);
    const found = compiled.ok ? compiled.value.evaluate({ query, secret }) : undefined;
    return found?.ok ? found.value : null;
  };
  const passes = read(handshake.passes) === true;
  const refused = {
    direction: 'in',
    outcome: 'refused',
    about: 'the handshake did not pass',
    sender: null,
    payload: null,
  } as const;
  if (!passes) {
    await note(parts, channel.row.id, { ...refused, conversation_id: null });
    throw new HttpProblem('forged-signature', 'The handshake did not pass. Is the same secret set on both sides?');
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
export async function takeWebhook(parts: Parts, channel: HookChannel, req: Request, bytes: Buffer): Promise<Received> {
  const { row, profile } = channel;
  const refuse = async (code: 'forged-signature' | 'channel-off' | 'invalid-input', about: string, detail: string) => {
    const event = { direction: 'in', outcome: 'refused', about, sender: null, conversation_id: null } as const;
    await note(parts, row.id, { ...event, payload: code === 'forged-signature' ? null : bytes.toString('utf8') });
    throw new HttpProblem(code, detail);
  };
  const secrets = await parts.secrets.open(channelOwner(row.id));
  if (!isSigned(profile, secrets, req, bytes))
    await refuse(
      'forged-signature',
      'the signature is not right',
      'The signature is not right. Is the same secret set on both sides?',
    );
  if (row.is_on !== 1)
    await refuse('channel-off', 'the channel is switched off', 'The channel is switched off. Send this again later.');
  let body: Value = null;
  try {
    body = JSON.parse(bytes.toString('utf8')) as Value;
  } catch {
    await refuse('invalid-input', 'the body is no JSON', 'The body cannot be read as JSON.');
  }
  const counts = { taken: 0, repeats: 0, passedOver: 0 };
  for (const reading of readHook(profile, body)) {
    const payload = JSON.stringify(body);
    if (reading.as === 'event') {
      const repeat = await takeEvent(parts, row, reading.event, payload);
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

async function takeEvent(parts: Parts, row: ServingChannel, event: HookEvent, payload: string): Promise<boolean> {
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
    throw new HttpProblem('no-release', 'This bot has not been released yet. Release it, then send this again.');
  }
  const conversationId = await conversationFor(parts, row, event, tests);
  const delivery = { conversationId, channelId: row.id, recipient: event.sender };
  await wantDelivery(db, delivery);
  const { text, choice, pictures } = event;
  const accepted = await turns.take({
    conversationId,
    channelId: row.id,
    externalId: hashSecret(`${row.id} ${event.id}`),
    event: {
      type: 'message',
      at: clock.now().toISOString(),
      channel: 'hook-messenger',
      ...(text === undefined ? {} : { text }),
      ...(choice === undefined ? {} : { choice }),
      ...(event.name === undefined ? {} : { name: event.name }),
      ...(event.firstName === undefined ? {} : { firstName: event.firstName }),
      ...(pictures.length > 0 ? { pictures } : {}),
    },
    shown: { id: newId(clock), text: text ?? choice ?? pictures.join(' ') },
  });
  // Whoever looked between the two saw nothing to send yet and took the row off the list: so it is put there again.
  await wantDelivery(db, delivery);
  outbox.kick(conversationId);
  await note(parts, row.id, {
    direction: 'in',
    outcome: accepted.repeat ? 'repeat' : 'taken',
    about: (text ?? choice ?? 'a picture').slice(0, 200),
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
async function conversationFor(parts: Parts, row: ServingChannel, event: HookEvent, tests: boolean): Promise<string> {
  const { db, clock, loader } = parts;
  const keyHash = hashSecret(`${row.id} ${event.sender}`);
  const at = clock.now();
  let visitor = await store.visitorByKey(db, row.bot_id, keyHash);
  if (!visitor) {
    await store.ensureVisitor(db, { id: newId(clock), botId: row.bot_id, keyHash, at });
    visitor = await store.visitorByKey(db, row.bot_id, keyHash);
  }
  if (!visitor) throw new Error('a visitor that was just stored is gone');
  const present = visitor.conversation_id === null ? undefined : await store.findConversation(db, visitor.conversation_id);
  if (present?.channel_id === row.id && (present.release_id === null) === tests) return present.id;
  const loaded = tests || row.live_id === null ? await loader.draft(row.bot_id) : await loader.release(row.live_id);
  const id = newId(clock);
  const state: Session = firstState(loaded, event.language);
  const visitorName = (event.name ?? event.firstName ?? event.sender).slice(0, 80);
  await store.insertConversation(db, {
    id,
    botId: row.bot_id,
    channelId: row.id,
    visitorId: visitor.id,
    releaseId: loaded.releaseId,
    state,
    visitorName,
    at,
  });
  // Two first messages at once: whoever was first has made the conversation for both.
  return store.claimConversation(db, visitor.id, visitor.conversation_id, id);
}

/** Notes what happened on a channel; payloads are cut at a length that a page can show. */
export async function note(
  parts: Pick<Parts, 'db' | 'clock'>,
  channelId: string,
  row: Omit<ChannelEventRow, 'id' | 'channel_id' | 'at'>,
) {
  const { payload } = row;
  const at = parts.clock.now();
  const kept = payload !== null && payload.length > MAX_PAYLOAD ? JSON.stringify(payload.slice(0, MAX_PAYLOAD)) : payload;
  await insertChannelEvent(parts.db, { ...row, payload: kept, id: newId(parts.clock), channel_id: channelId, at });
}
