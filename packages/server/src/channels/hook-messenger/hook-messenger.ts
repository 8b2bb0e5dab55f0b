import { hookProfile, messageCalls, typingCalls, type HookCall, type HookCalls } from '@primrose/core';
import { addressIn, type Caller } from '../../outside/call.js';
import { redacted } from '../../outside/redact.js';
import { mappingColumn } from '../../store/columns.js';
import type { ChannelKind, Parts, Sent } from '../channel.js';

const CALL_MS = 10_000;
const LONGEST_WAIT_MS = 60_000;

/** A messenger with webhooks, described by a mapping: what comes in is read with it, what goes out is written with it. */
export const hookMessenger: ChannelKind = {
  kind: 'hook-messenger',
  name: 'Messenger',
  settings: hookProfile,
  link: (publicUrl, address) => `${publicUrl}/api/hooks/${address}`,
  sender: (settings, secrets, caller) => {
    const profile = mappingColumn.read(settings);
    const known = Object.values(secrets);
    const parts = (made: HookCalls): Parts => {
      if (!made.ok) return redacted({ ok: false, reason: `the mapping does not fit, ${made.field}: ${made.reason}` }, known);
      return { ok: true, parts: made.calls.map((call) => async (key) => redacted(await send(caller, call, key), known)) };
    };
    return {
      message: (message, { to, key, who }) => parts(messageCalls(profile, message, { to, secrets, key, who })),
      typing: ({ to, key, who }) => parts(typingCalls(profile, { to, secrets, key, who })),
    };
  },
};

/** One call of the messenger's API. It is made again where nobody knows what came of it: the key tells the messenger so. */
async function send(caller: Caller, { url, headers, body }: HookCall, key: string): Promise<Sent> {
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
  if ('status' in came) return outcomeOf(came.status, came.text, came.after);
  return { as: came.code === 'refused' ? 'failed' : 'again', reason: came.reason };
}

function outcomeOf(status: number, text: string, after: string | string[] | undefined): Sent {
  if (status < 300) return { as: 'sent' };
  const reason = `the messenger answered with status ${status}${text === '' ? '' : `: ${text.slice(0, 200)}`}`;
  if (status !== 429 && status !== 408 && status < 500) return { as: 'failed', reason };
  const seconds = Number(after);
  return { as: 'again', reason, ...(seconds > 0 ? { afterMs: Math.min(LONGEST_WAIT_MS, seconds * 1000) } : {}) };
}
