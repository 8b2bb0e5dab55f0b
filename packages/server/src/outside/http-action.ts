import { request, type Agent } from 'undici';
import type { ActionEffect, EffectResult, Value } from '@primrose/core';
import { assertMayCall, createOutsideAgent, RefusedAddress, refusedReason, type AllowedAddresses } from './agent.js';
import type { Reach } from './reach.js';

const MAX_ANSWER_BYTES = 2_000_000;

/** Performs one action. Never throws: what goes wrong is a result with a reason. */
export type PerformAction = (effect: ActionEffect, reach: Reach, idempotencyKey: string) => Promise<EffectResult>;

const failure = (
  code: 'timeout' | 'unreachable' | 'refused' | 'bad-answer' | 'not-configured',
  reason: string,
  url?: string,
): EffectResult => ({ outcome: 'failed', code, reason, ...(url === undefined ? {} : { url }) });

/** Makes the caller of outside services. */
export function createHttpActions(allowed: AllowedAddresses): { perform: PerformAction; close: () => Promise<void> } {
  const agent = createOutsideAgent(allowed, MAX_ANSWER_BYTES);
  const perform: PerformAction = async (effect, reach, idempotencyKey) => {
    if (!reach.ok) return failure('not-configured', reach.reason);
    const url = addressOf(effect, reach.address);
    if (!url)
      return failure(
        'not-configured',
        `"${reach.address}" is no address; give the connection "${effect.connection}" one such as https://example.org/api`,
      );
    try {
      assertMayCall(url, allowed);
      return await send(agent, effect, url, { ...reach.headers, ...keyHeader(effect, idempotencyKey) });
    } catch (error) {
      return explain(error, effect, url);
    }
  };
  return { perform, close: () => agent.close() };
}

function keyHeader(effect: ActionEffect, key: string): Record<string, string> {
  return effect.changes ? { 'idempotency-key': key } : {};
}

/** The full address, or undefined where the connection's one cannot be read. A target cannot lead to another host. */
function addressOf(effect: ActionEffect, address: string): URL | undefined {
  try {
    const base = new URL(address);
    const url = new URL(base.href.replace(/\/$/, '') + (effect.target.startsWith('/') ? '' : '/') + effect.target);
    if (url.origin !== base.origin || !/^https?:$/.test(url.protocol)) return undefined;
    for (const [key, v] of Object.entries(effect.query)) url.searchParams.append(key, v);
    return url;
  } catch {
    return undefined;
  }
}

async function send(
  agent: Agent,
  effect: ActionEffect,
  url: URL,
  headers: Readonly<Record<string, string>>,
): Promise<EffectResult> {
  const hasBody = effect.body !== null && effect.method !== 'GET';
  const response = await request(url, {
    dispatcher: agent,
    method: effect.method as 'GET',
    headers: {
      accept: 'application/json',
      ...effect.headers,
      ...(hasBody ? { 'content-type': 'application/json' } : {}),
      ...headers,
    },
    ...(hasBody ? { body: JSON.stringify(effect.body) } : {}),
    signal: AbortSignal.timeout(effect.timeoutMs),
  });
  const text = await response.body.text();
  const isJson = /\bjson\b/.test(String(response.headers['content-type'] ?? ''));
  if (!isJson || text === '')
    return { outcome: 'answered', status: response.statusCode, body: text === '' ? null : text, url: url.href };
  return { outcome: 'answered', status: response.statusCode, body: JSON.parse(text) as Value, url: url.href };
}

function explain(error: unknown, effect: ActionEffect, url: URL): EffectResult {
  const { name, code } = error as { name?: string; code?: string };
  if (error instanceof RefusedAddress) return failure('refused', refusedReason(url.hostname), url.href);
  if (name === 'TimeoutError' || code === 'UND_ERR_CONNECT_TIMEOUT') {
    return failure('timeout', `${url.host} did not answer within ${effect.timeoutMs / 1000} s`, url.href);
  }
  if (error instanceof SyntaxError)
    return failure('bad-answer', `${url.host} said it answers with JSON, but the answer cannot be read as such`, url.href);
  if (code === 'UND_ERR_RES_EXCEEDED_MAX_SIZE')
    return failure('bad-answer', `${url.host} answered with more than ${MAX_ANSWER_BYTES / 1e6} MB`, url.href);
  return failure('unreachable', `${url.host} cannot be reached (${code ?? name ?? 'no reason given'})`, url.href);
}
