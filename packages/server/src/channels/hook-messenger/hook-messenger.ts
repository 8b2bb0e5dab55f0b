import {
  hookAbility,
  hookProfile,
  messageCalls,
  readCallAnswer,
  typingCalls,
  type HookCall,
  type HookCalls,
  type HookProfile,
  type Value,
} from '@primrose/core';
import { addressIn, type Caller } from '../../outside/call.js';
import { redacted } from '../../outside/redact.js';
import { jsonColumn, mappingColumn } from '../../store/columns.js';
import type { ChannelKind, Parts, Sent } from '../channel.js';
import { pollMessenger } from './poll.js';

const CALL_MS = 10_000;
const LONGEST_WAIT_MS = 60_000;

/** A messenger described by a mapping: what comes in by webhooks, or is asked for, is read with it, what goes out is written with it. */
export const hookMessenger: ChannelKind = {
  kind: 'hook-messenger',
  name: 'Messenger',
  about: 'a messenger, by a mapping of its webhooks and calls',
  settings: hookProfile,
  ability: (settings) => hookAbility(mappingColumn.read(settings ?? 'null')),
  link: (publicUrl, address, settings) => (polled(settings) ? '' : `${publicUrl}/api/hooks/${address}`),
  sender: (settings, secrets, caller) => {
    const profile = mappingColumn.read(settings);
    const known = Object.values(secrets);
    const parts = (made: HookCalls): Parts => {
      if (!made.ok) return redacted({ ok: false, reason: `the mapping does not fit, ${made.field}: ${made.reason}` }, known);
      return {
        ok: true,
        parts: made.calls.map((call) => async (key) => redacted(await send(caller, profile, call, key), known)),
      };
    };
    return {
      message: (message, { language, thread: _thread, ...to }) =>
        parts(messageCalls(profile, message, { ...to, secrets }, language)),
      typing: ({ to, key, who }) => parts(typingCalls(profile, { to, secrets, key, who })),
    };
  },
  connects: (port) => pollMessenger(port, mappingColumn.read(port.settings)),
  holds: (settings) => polled(settings),
};

const polled = (settings: string | null): boolean => settings !== null && mappingColumn.read(settings).polls !== undefined;

/** One call of the messenger's API. It is made again where nobody knows what came of it: the key tells the messenger so. */
async function send(caller: Caller, profile: HookProfile, { url, headers, body }: HookCall, key: string): Promise<Sent> {
  const address = addressIn(url);
  if (!address) return { as: 'failed', reason: `${url} is no address` };
  const call = {
    url: address,
    method: 'POST',
    headers: { ...headers, 'content-type': 'application/json', 'idempotency-key': key },
    body: JSON.stringify(body),
    timeoutMs: CALL_MS,
    changes: false,
  };
  const came = await caller.call(call, async (answer) => {
    const text = await answer.body.text();
    return { status: answer.status, text, after: answer.headers['retry-after'] };
  });
  if ('status' in came) return outcomeOf(profile, came.status, came.text, came.after);
  return { as: came.code === 'refused' ? 'failed' : 'again', reason: came.reason };
}

function jsonOr(text: string): Value {
  try {
    return jsonColumn.read(text);
  } catch {
    return null;
  }
}

/** What an answer comes to. Statuses that pass by themselves, and a wait that is told in header or body, are tried again. */
function outcomeOf(profile: HookProfile, status: number, text: string, after: string | string[] | undefined): Sent {
  const { id, fails, wait } = readCallAnswer(profile, status, jsonOr(text));
  if (status < 300 && fails === undefined) return { as: 'sent', ...(id === undefined ? {} : { id }) };
  const told = fails === undefined ? text.slice(0, 200) : fails;
  const reason = `the messenger answered with status ${status}${told === '' ? '' : `: ${told}`}`;
  const seconds = wait ?? waitTold(after);
  const passes = status === 429 || status === 408 || status >= 500 || (status < 300 && seconds !== undefined);
  if (!passes) return { as: 'failed', reason };
  return { as: 'again', reason, ...(seconds === undefined ? {} : { afterMs: Math.min(LONGEST_WAIT_MS, seconds * 1000) }) };
}

/** Seconds to wait, from a Retry-After header: a number, or a date (RFC 9110, 10.2.3). */
function waitTold(after: string | string[] | undefined): number | undefined {
  const text = [after].flat()[0];
  if (text === undefined) return undefined;
  const seconds = /^\d+$/.test(text.trim()) ? Number(text) : (Date.parse(text) - Date.now()) / 1000;
  return seconds > 0 ? seconds : undefined;
}
