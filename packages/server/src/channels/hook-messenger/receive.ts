import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import { compileExpression, compileTemplate, textOf, type HookProfile, type Value } from '@primrose/core';
import type { Clock } from '../../base/clock.js';
import { addressKey, RateLimit } from '../../base/rate-limit.js';
import { Refused } from '../../base/refused.js';
import { channelOwner, type Secrets } from '../../outside/secrets.js';
import { channelByAddress, type ServingChannel } from '../../store/channels.js';
import { jsonColumn, mappingColumn } from '../../store/columns.js';
import type { Db } from '../../store/database.js';
import { note } from '../events.js';
import type { Intake } from '../intake.js';
import { hookMessenger } from './hook-messenger.js';
import { KEPT_BODIES, takeReadings, type Received } from './readings.js';

/** What webhooks are taken with. */
export interface ReceivingParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly intake: Intake;
  readonly forgeries: RateLimit;
}

const MINUTE_MS = 60_000;
/** So long the files of one webhook are fetched; the messenger waits meanwhile. */
const FILES_MS = 12_000;
/** Forged webhooks of one address a minute; then nothing of it is looked at any more for the rest of it. */
const FORGERIES = 30;
/** Older webhooks are refused, where they tell when they were signed. */
const STALE_SECONDS = 300;

/** What forged webhooks of one address come to in a minute. */
export function forgeryLimit(clock: Clock): RateLimit {
  return new RateLimit(clock, FORGERIES, MINUTE_MS);
}

/** A messenger's channel that is there, with its mapping. */
export interface HookChannel {
  readonly row: ServingChannel;
  readonly profile: HookProfile;
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
    parts.intake.counted.refused(channel.row.id, 'the handshake did not pass');
    throw new Refused('handshake-failed', {});
  }
  return textOf(read(handshake.answers));
}

/** True when the body bears the signature that the mapping asks for. Compared in constant time. */
export function isSigned(profile: HookProfile, secrets: Readonly<Record<string, string>>, req: Request, body: Buffer): boolean {
  const { signature, word } = profile;
  const bears = (header: string, wanted: string): boolean => {
    const given = Buffer.from(String(req.headers[header.toLowerCase()] ?? ''));
    const right = Buffer.from(wanted);
    return given.length === right.length && timingSafeEqual(given, right);
  };
  if (word && (secrets[word.secret] === undefined || !bears(word.header, secrets[word.secret] ?? ''))) return false;
  if (!signature) return true;
  const key = secrets[signature.secret];
  const form = compileTemplate(signature.form);
  const signs = compileTemplate(signature.signs ?? '{{ body }}');
  if (key === undefined || !form.ok || !signs.ok) return false;
  const stamp = signature.stamp === undefined ? '' : String(req.headers[signature.stamp.toLowerCase()] ?? '');
  const signed = signature.signs === undefined ? body : signs.value.text({ body: body.toString('utf8'), stamp }, () => undefined);
  const mac = createHmac(signature.hash, key).update(signed).digest();
  const wanted = form.value.text({ hex: mac.toString('hex'), base64: mac.toString('base64') }, () => undefined);
  return bears(signature.header, wanted);
}

/** True where a webhook was signed so long ago, or is to come, that it may be one that somebody has kept: more than five minutes. */
function isStale({ signature }: HookProfile, req: Request, now: Date): boolean {
  if (signature?.stamp === undefined) return false;
  const stamp = Number(req.headers[signature.stamp.toLowerCase()]);
  return !(Math.abs(now.getTime() / 1000 - stamp) <= STALE_SECONDS);
}

/** What came of a webhook: what was taken of it, or the answer to a challenge. */
export type Webhook =
  { readonly as: 'received'; readonly received: Received } | { readonly as: 'challenge'; readonly answers: Value };

/** Takes a webhook: each event of it becomes one of ours, once. */
export async function takeWebhook(parts: ReceivingParts, channel: HookChannel, req: Request, bytes: Buffer): Promise<Webhook> {
  const { row, profile } = channel;
  const { intake, forgeries, clock } = parts;
  const refuse = async (
    code: 'forged-signature' | 'hook-off' | 'hook-no-json' | 'hook-polled',
    about: string,
  ): Promise<never> => {
    const authentic = (profile.signature ?? profile.word) !== undefined && code !== 'forged-signature';
    const told = { direction: 'in', outcome: 'refused', about, sender: null, conversation_id: null } as const;
    // What bears the right signature is listed with its body; what anybody can send is only counted.
    if (authentic) intake.channels.count(row.id);
    if (authentic) await note(parts, row.id, { ...told, payload: bytes.toString('utf8') });
    else intake.counted.refused(row.id, about);
    throw new Refused(code, {});
  };
  const from = `${row.id} ${addressKey(req.ip)}`;
  if (forgeries.isUsedUp(from)) forgeries.refuse();
  if (profile.polls) await refuse('hook-polled', 'a webhook came to a messenger that is asked for its events');
  const secrets = await parts.secrets.open(channelOwner(row.id));
  if (!isSigned(profile, secrets, req, bytes)) {
    forgeries.allows(from);
    await refuse('forged-signature', 'the signature is not right');
  }
  if (isStale(profile, req, clock.now())) {
    forgeries.allows(from);
    await refuse('forged-signature', 'it was signed more than five minutes ago');
  }
  let body: Value = null;
  try {
    body = jsonColumn.read(bytes.toString('utf8'));
  } catch {
    await refuse('hook-no-json', 'the body is no JSON');
  }
  const challenge = answerChallenge(profile, body, secrets);
  if (challenge !== undefined) return { as: 'challenge', answers: challenge };
  if (row.is_on !== 1) await refuse('hook-off', 'the channel is switched off');
  const payload = bytes.length > KEPT_BODIES ? null : bytes.toString('utf8');
  const received = await takeReadings(profile, body, payload, {
    event: (came) => intake.take(row, came),
    sign: (sign) => intake.sign(row, sign),
    unreadable: (about) =>
      note(parts, row.id, { direction: 'in', outcome: 'refused', about, sender: null, conversation_id: null, payload }),
    secrets,
    until: clock.now().getTime() + FILES_MS,
  });
  if (received.unreleased) throw new Refused('hook-unreleased', {});
  return { as: 'received', received };
}

/** The answer to a webhook that only asks whether the address is the right one; undefined for any other. */
function answerChallenge({ challenge }: HookProfile, body: Value, secret: Readonly<Record<string, string>>): Value | undefined {
  if (!challenge) return undefined;
  const read = (source: string): Value => {
    const compiled = compileExpression(source);
    const found = compiled.ok ? compiled.value.evaluate({ body, secret }) : undefined;
    return found?.ok ? found.value : null;
  };
  return read(challenge.when) === true ? read(challenge.answers) : undefined;
}
