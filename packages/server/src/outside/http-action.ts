import { lookup } from 'node:dns/promises';
import { isIP } from 'node:net';
import ipaddr from 'ipaddr.js';
import { Agent, request } from 'undici';
import type { ActionEffect, EffectResult, Value } from '@primrose/core';

const MAX_ANSWER_BYTES = 2_000_000;

/** Performs one action. Never throws: what goes wrong is a result with a reason. */
export type PerformAction = (effect: ActionEffect, address: string | undefined, idempotencyKey: string) => Promise<EffectResult>;

type Allowed = 'none' | 'loopback' | 'all';

/** True when an IP address may be called under the operator's setting. */
export function mayCall(ip: string, allowed: Allowed): boolean {
  const range = ipaddr.process(ip).range();
  if (range === 'unicast' || allowed === 'all') return true;
  return range === 'loopback' && allowed === 'loopback';
}

const failure = (
  code: 'timeout' | 'unreachable' | 'refused' | 'bad-answer' | 'not-configured',
  reason: string,
  url?: string,
): EffectResult => ({ outcome: 'failed', code, reason, ...(url === undefined ? {} : { url }) });

/** Makes the caller of outside services. The address is resolved once, checked, and the checked one is connected to. */
export function createHttpActions(allowed: Allowed): { perform: PerformAction; close: () => Promise<void> } {
  const agent = new Agent({
    connect: {
      lookup: (host, _options, done) => {
        checkedAddress(host, allowed).then(
          (found) => done(null, [found]),
          (error: unknown) => done(error as NodeJS.ErrnoException, []),
        );
      },
    },
    maxResponseSize: MAX_ANSWER_BYTES,
  });
  const perform: PerformAction = async (effect, address, idempotencyKey) => {
    if (address === undefined) {
      return failure('not-configured', `the connection "${effect.connection}" has no address; give it one on the Actions page`);
    }
    const url = addressOf(effect, address);
    if (!url)
      return failure(
        'not-configured',
        `"${address}" is no address; give the connection "${effect.connection}" one such as https://example.org/api`,
      );
    const host = url.hostname.replace(/^\[|\]$/g, '');
    if (isIP(host) && !mayCall(host, allowed)) return refused(host, url);
    return send(agent, effect, url, idempotencyKey);
  };
  return { perform, close: () => agent.close() };
}

class RefusedAddress extends Error {}

async function checkedAddress(host: string, allowed: Allowed): Promise<{ address: string; family: number }> {
  const [found] = await lookup(host, { all: true });
  if (!found) throw new Error(`${host} has no address`);
  if (!mayCall(found.address, allowed)) throw new RefusedAddress(host);
  return found;
}

function refused(host: string, url: URL): EffectResult {
  return failure(
    'refused',
    `${host} is a private address; the operator can allow such calls with PRIMROSE_PRIVATE_ADDRESSES`,
    url.href,
  );
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

async function send(agent: Agent, effect: ActionEffect, url: URL, idempotencyKey: string): Promise<EffectResult> {
  const hasBody = effect.body !== null && effect.method !== 'GET';
  try {
    const response = await request(url, {
      dispatcher: agent,
      method: effect.method as 'GET',
      headers: {
        accept: 'application/json',
        ...effect.headers,
        ...(hasBody ? { 'content-type': 'application/json' } : {}),
        ...(effect.changes ? { 'idempotency-key': idempotencyKey } : {}),
      },
      ...(hasBody ? { body: JSON.stringify(effect.body) } : {}),
      signal: AbortSignal.timeout(effect.timeoutMs),
    });
    const text = await response.body.text();
    const isJson = /\bjson\b/.test(String(response.headers['content-type'] ?? ''));
    if (!isJson || text === '')
      return { outcome: 'answered', status: response.statusCode, body: text === '' ? null : text, url: url.href };
    return { outcome: 'answered', status: response.statusCode, body: JSON.parse(text) as Value, url: url.href };
  } catch (error) {
    return explain(error, effect, url);
  }
}

function explain(error: unknown, effect: ActionEffect, url: URL): EffectResult {
  const { name, code } = error as { name?: string; code?: string };
  if (error instanceof RefusedAddress) return refused(url.hostname, url);
  if (name === 'TimeoutError' || code === 'UND_ERR_CONNECT_TIMEOUT') {
    return failure('timeout', `${url.host} did not answer within ${effect.timeoutMs / 1000} s`, url.href);
  }
  if (error instanceof SyntaxError)
    return failure('bad-answer', `${url.host} said it answers with JSON, but the answer cannot be read as such`, url.href);
  if (code === 'UND_ERR_RES_EXCEEDED_MAX_SIZE')
    return failure('bad-answer', `${url.host} answered with more than ${MAX_ANSWER_BYTES / 1e6} MB`, url.href);
  return failure('unreachable', `${url.host} cannot be reached (${code ?? name ?? 'no reason given'})`, url.href);
}
