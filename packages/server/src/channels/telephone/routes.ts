import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Response } from 'express';
import { spokenMessage, type Message } from '@primrose/core';
import { hashSecret, newId, sleep, type Clock } from '../../base/clock.js';
import { addressKey, RateLimit } from '../../base/rate-limit.js';
import { Refused } from '../../base/refused.js';
import type { Handlers } from '../../http/route.js';
import type { Limits } from '../../start/limits.js';
import { channelByAddress, type ServingChannel } from '../../store/channels.js';
import { messageColumn, stateColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import type { Db } from '../../store/database.js';
import { markRead } from '../../store/held-lines.js';
import { hasTurnWaiting } from '../../store/messenger.js';
import type { Turns } from '../../turns/turns.js';
import { dueLines } from '../due.js';
import { note } from '../events.js';
import type { Intake } from '../intake.js';
import { FREE_SPEECH, phoneWords, readTelephone, SILENCE_SECONDS, type TelephoneSettings } from './settings.js';
import { telephone } from './telephone.js';
import { writeVoiceXml, type Spoken } from './voicexml.js';

export interface TelephoneParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly turns: Turns;
  readonly intake: Intake;
  readonly limits: Limits;
  readonly publicUrl: string;
  /** Signs what a document carries for the next asking. */
  readonly key: Uint8Array;
}

const MINUTE_MS = 60_000;
/** So long a turn is waited for before something is said meanwhile; nobody likes silence on the telephone. */
const TURN_MS = 6000;
/** Between two lines of the bot nobody waits longer than this. */
const LONGEST_PAUSE_MS = 4000;
const MOST_SILENCES = 3;
/** Before it is looked again whether there is something to say. */
const WAIT_MS = 1500;
/** Something that takes long is asked for again so often. */
const MOST_WAITS = 40;
const VOICEXML = 'application/voicexml+xml';

/** What the next asking carries: whose call it is, how far it was said, how often nothing was heard, how often it was waited. */
interface Standing {
  readonly call: string;
  readonly seen: number;
  readonly silences: number;
  readonly waits: number;
}

type Fields = Readonly<Record<string, string>>;

const numberIn = (v: string | undefined): number => (v !== undefined && /^\d{1,6}$/.test(v) ? Number(v) : 0);

/** Calls: the first document, and the next one for everything that was heard. */
export function telephoneHandlers(parts: TelephoneParts): Handlers {
  const begins = new RateLimit(parts.clock, parts.limits.opensAMinute, MINUTE_MS);
  const channelBegins = new RateLimit(parts.clock, parts.limits.channelOpensAMinute, MINUTE_MS);
  return {
    beginCall: async ({ params, query, req, res }) => {
      const channel = await channelAt(parts, params.channel);
      begins.count(addressKey(req.ip));
      channelBegins.count(channel.id);
      const call = query.call ?? newId(parts.clock);
      const { caller } = query;
      const settings = readTelephone(channel.settings);
      const knows = settings.knows_callers === true && caller !== undefined;
      const took = await parts.intake.take(channel, {
        id: `${call} begins`,
        sender: knows ? caller : callId(call),
        ...(caller === undefined ? {} : { name: caller }),
        ...(query.language === undefined ? {} : { language: query.language }),
        opens: true,
        thread: { ids: [callId(call)], kept: callId(call) },
        payload: null,
      });
      if (took.as === 'unreleased') throw new Refused('hook-unreleased', {});
      if (took.conversationId === null) throw new Refused('too-many', { most: 1, seconds: 60, retryAfter: 60 });
      // A platform asks again before anything was said; whoever does so later is not the one who calls.
      if (took.as === 'repeat' && (await store.hasSpoken(parts.db, took.conversationId)))
        throw new Refused('forged-signature', {});
      if (took.eventId !== undefined) await parts.turns.waitFor(took.conversationId, took.eventId, TURN_MS);
      await say(
        parts,
        channel,
        took.conversationId,
        { call: signed(parts.key, channel, call, took.conversationId), seen: 0, silences: 0, waits: 0 },
        res,
      );
      return undefined;
    },
    goOnCall: async ({ params, body, res }) => {
      const channel = await channelAt(parts, params.channel);
      await goOn(parts, channel, fieldsOf(body as unknown as Buffer), res);
      return undefined;
    },
  };
}

const callId = (call: string): string => `call ${call}`;

async function channelAt({ db }: TelephoneParts, address: string): Promise<ServingChannel> {
  const channel = await channelByAddress(db, address, telephone.kind);
  if (!channel || channel.bot_deleted !== null) throw new Refused('no-hook', {});
  if (channel.is_on !== 1) throw new Refused('hook-off', {});
  return channel;
}

/** The name of a call with a mark that only we can make: nobody goes on with a call of somebody else. */
function signed(key: Uint8Array, channel: ServingChannel, call: string, conversationId: string): string {
  const mac = createHmac('sha256', key).update(`call ${channel.id} ${call} ${conversationId}`).digest('base64url').slice(0, 22);
  return [call, conversationId, mac].join('~');
}

function callOf(key: Uint8Array, channel: ServingChannel, given: string): { call: string; conversationId: string } {
  const [call = '', conversationId = ''] = given.split('~');
  const right = Buffer.from(signed(key, channel, call, conversationId));
  const bytes = Buffer.from(given);
  if (bytes.length !== right.length || !timingSafeEqual(bytes, right)) throw new Refused('forged-signature', {});
  return { call, conversationId };
}

/** The fields of a form (application/x-www-form-urlencoded), each once. */
function fieldsOf(body: Buffer): Fields {
  return Object.fromEntries([...new URLSearchParams(body.toString('utf8'))].slice(0, 20));
}

async function goOn(parts: TelephoneParts, channel: ServingChannel, fields: Fields, res: Response): Promise<void> {
  const { db, clock, turns, intake } = parts;
  const given = fields['call'] ?? '';
  const { call, conversationId } = callOf(parts.key, channel, given);
  const standing: Standing = {
    call: given,
    seen: numberIn(fields['seen']),
    silences: numberIn(fields['silences']),
    waits: numberIn(fields['waits']),
  };
  const told = (about: string) =>
    note(parts, channel.id, {
      direction: 'in',
      outcome: 'passed-over',
      about,
      sender: callId(call),
      conversation_id: conversationId,
      payload: null,
    });
  const event = fields['event'] ?? '';
  const said = (fields['said'] ?? '').trim();
  await heardTo(parts, conversationId, event === 'said' ? fields['mark'] : undefined, standing.seen);
  if (event === 'hung-up') {
    await told('the caller has hung up');
    res
      .type(VOICEXML)
      .send(
        '<?xml version="1.0" encoding="UTF-8"?>\n<vxml version="2.1" xmlns="http://www.w3.org/2001/vxml"><form><block><exit/></block></form></vxml>\n',
      );
    return;
  }
  if (event === 'silence' || event === 'unclear') {
    await told(event === 'silence' ? 'nothing was said' : 'what was said was not understood by the platform');
    return say(parts, channel, conversationId, { ...standing, silences: standing.silences + 1 }, res, event);
  }
  if (event === 'said' && said !== '') {
    const took = await intake.take(channel, {
      // What was heard at one place of a call is one thing, however often it is sent.
      id: `${call} ${standing.seen} ${hashSecret(said).slice(0, 16)}`,
      sender: callId(call),
      text: said,
      inConversation: conversationId,
      payload: JSON.stringify({ said, mode: fields['mode'] ?? '' }),
    });
    if (took.conversationId === null) return say(parts, channel, conversationId, standing, res, 'unclear');
    if (took.eventId !== undefined) await turns.waitFor(conversationId, took.eventId, TURN_MS);
    return say(parts, channel, conversationId, { ...standing, silences: 0, waits: 0 }, res);
  }
  if (await isWaiting(db, conversationId)) await sleep(clock, WAIT_MS).done;
  await say(parts, channel, conversationId, { ...standing, waits: standing.waits + 1 }, res);
}

/** Whoever speaks into what is said has heard it up to the mark that the platform tells (VoiceXML 2.1, 5.1.5). */
async function heardTo(
  { db, clock }: TelephoneParts,
  conversationId: string,
  mark: string | undefined,
  seen: number,
): Promise<void> {
  const heard = /^l\d{1,6}$/.test(mark ?? '') ? Number(mark?.slice(1)) : mark === undefined || mark === '' ? seen : 0;
  if (heard > 0) await markRead(db, conversationId, Math.min(heard, seen), clock.now());
}

/** A turn of the conversation is under way, or staff have to answer. */
async function isWaiting(db: Db, conversationId: string): Promise<boolean> {
  const conversation = await store.findConversation(db, conversationId);
  if (!conversation) return false;
  return stateColumn.read(conversation.state).handed !== undefined || (await hasTurnWaiting(db, conversationId));
}

/** Answers with what is to be said now, and what comes behind it. */
async function say(
  parts: TelephoneParts,
  channel: ServingChannel,
  conversationId: string,
  standing: Standing,
  res: Response,
  unheard?: 'silence' | 'unclear',
): Promise<void> {
  const { db, clock, publicUrl } = parts;
  const settings = readTelephone(channel.settings);
  const conversation = await store.findConversation(db, conversationId);
  if (!conversation) throw new Refused('no-hook', {});
  const { language, handed } = stateColumn.read(conversation.state);
  const lines = (await store.linesAfter(db, conversationId, standing.seen)).filter((l) => l.who !== 'visitor');
  const { due, next } = dueLines(lines, new Date(clock.now().getTime() + LONGEST_PAUSE_MS));
  const messages = due.map((l) => ({ seq: l.seq, message: messageColumn.read(l.message) }));
  const last = messages.at(-1)?.message ?? (await lastSaid(db, conversationId));
  const waiting =
    messages.length === 0 &&
    unheard === undefined &&
    (next !== null || handed !== undefined || (await hasTurnWaiting(db, conversationId)));
  const over = messages.some(({ message }) => message.ends === true) || conversation.ended_at !== null;
  const prompts = messages.map(({ seq, message }) => ({ text: spokenMessage(message, language), mark: `l${seq}` }));
  const own = ownWords(settings, language, { unheard, standing, waiting });
  const repeats =
    unheard !== undefined && standing.silences < MOST_SILENCES && last
      ? [{ text: spokenMessage(last, language), mark: `l${standing.seen}` }]
      : [];
  const then = thenOf(settings, { over, waiting, standing, handed: handed !== undefined });
  const carried: Standing = { ...standing, seen: messages.at(-1)?.seq ?? standing.seen };
  const spoken: Spoken = {
    language,
    prompts: [...own, ...prompts, ...repeats],
    choices: (last?.choices ?? []).map((c) => c.says),
    next: `${telephone.link(publicUrl, channel.address, null)}/turn`,
    with: { call: carried.call, seen: String(carried.seen), silences: String(carried.silences), waits: String(carried.waits) },
    silence: settings.silence ?? SILENCE_SECONDS,
    grammar: settings.grammar ?? FREE_SPEECH,
    then,
  };
  res.type(VOICEXML).send(writeVoiceXml(spoken));
}

async function lastSaid(db: Db, conversationId: string): Promise<Message | undefined> {
  const lines = (await store.linesAfter(db, conversationId, 0)).filter((l) => l.who !== 'visitor');
  const last = lines.at(-1);
  return last && messageColumn.read(last.message);
}

/** What the telephone says by itself: into silence, before it hangs up, and while something takes long. */
function ownWords(
  settings: TelephoneSettings,
  language: string,
  { unheard, standing, waiting }: { unheard: 'silence' | 'unclear' | undefined; standing: Standing; waiting: boolean },
): Spoken['prompts'] {
  const words = (what: Parameters<typeof phoneWords>[1]) => [{ text: phoneWords(settings, what, language), mark: 'own' }];
  if (unheard !== undefined && standing.silences >= MOST_SILENCES) return words('goodbye');
  if (unheard === 'silence') return words('still_there');
  if (unheard === 'unclear') return words('not_understood');
  // Somebody who waits hears so at first, and from time to time.
  return waiting && standing.waits % 6 === 0 ? words('patience') : [];
}

function thenOf(
  settings: TelephoneSettings,
  { over, waiting, standing, handed }: { over: boolean; waiting: boolean; standing: Standing; handed: boolean },
): Spoken['then'] {
  if (over || standing.silences >= MOST_SILENCES || standing.waits > MOST_WAITS) return 'hang-up';
  if (handed && settings.transfer !== undefined) return { transfer: settings.transfer };
  return waiting ? 'go-on' : 'listen';
}
