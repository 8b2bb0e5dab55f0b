import { shownOn, type Ability, type Message } from '@primrose/core';
import { z } from 'zod';
import { hashSecret } from '../../base/clock.js';
import type { Caller } from '../../outside/call.js';
import type { Parts, Sendable, Sender, Sent } from '../channel.js';
import { askMatrix, type MatrixAnswer } from './calls.js';
import type { MatrixSettings } from './settings.js';

const LONGEST_WAIT_MS = 60_000;
const TYPING_MS = 8000;
const sent = z.object({ event_id: z.string() });

function outcomeOf(answer: MatrixAnswer): Sent {
  if (answer.ok) {
    const read = sent.safeParse(answer.body);
    return { as: 'sent', ...(read.success ? { id: read.data.event_id } : {}) };
  }
  const { away, reason, afterMs, code } = answer;
  // A token that was withdrawn may be replaced: what waits is kept for that.
  if (!away && code !== 'M_UNKNOWN_TOKEN') return { as: 'failed', reason };
  return { as: 'again', reason, ...(afterMs === undefined ? {} : { afterMs: Math.min(LONGEST_WAIT_MS, afterMs) }) };
}

/** Sends into rooms; the transaction id is the key, so a repeat is the same event (client-server API, Transaction identifiers). */
export function matrixSender(
  settings: MatrixSettings,
  secrets: Readonly<Record<string, string>>,
  caller: Caller,
  ability: Ability,
): Sender {
  const token = secrets['token'] ?? '';
  return {
    message: (message: Message, to: Sendable): Parts => {
      const [room = '', user] = to.to.split(' ');
      const parts = shownOn(ability, message, to.language);
      return {
        ok: true,
        parts: parts.map(({ text }, i) => async (key) => {
          const words = i === 0 && user !== undefined ? `${user}: ${text}` : text;
          const body = {
            msgtype: 'm.text',
            body: words,
            ...(i === 0 && user !== undefined ? { 'm.mentions': { user_ids: [user] } } : {}),
            ...(i === 0 && user !== undefined && to.answers !== undefined
              ? { 'm.relates_to': { 'm.in_reply_to': { event_id: to.answers } } }
              : {}),
          };
          const path = ['rooms', room, 'send', 'm.room.message', hashSecret(key).slice(0, 40)];
          return outcomeOf(await askMatrix(caller, settings, token, { method: 'PUT', path, body }));
        }),
      };
    },
    typing: ({ to }) => {
      const [room = ''] = to.split(' ');
      const path = ['rooms', room, 'typing', settings.user];
      const body = { typing: true, timeout: TYPING_MS };
      return {
        ok: true,
        parts: [async () => outcomeOf(await askMatrix(caller, settings, token, { method: 'PUT', path, body }))],
      };
    },
  };
}
