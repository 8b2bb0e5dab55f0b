import { failureOf, MAX_NESTING, sizeOf, type ActionEffect, type ActionResult, type Value } from '@primrose/core';
import type { AllowedAddresses } from './agent.js';
import { addressIn, BadAnswer, createCaller, isJson, isPage, type Answer } from './call.js';
import type { Reach } from './reach.js';
import { redacted } from './redact.js';

const MAX_ANSWER_BYTES = 2_000_000;

/** Performs one action. Never throws: what goes wrong is a result with a reason. */
export type PerformAction = (effect: ActionEffect, reach: Reach, idempotencyKey: string) => Promise<ActionResult>;

/** Makes the caller of outside services. */
export function createHttpActions(allowed: AllowedAddresses): { perform: PerformAction; close: () => Promise<void> } {
  const { call, close } = createCaller(allowed, MAX_ANSWER_BYTES);
  const perform: PerformAction = async (effect, reach, idempotencyKey) => {
    if (!reach.ok) return failureOf('not-configured', reach.reason);
    const url = addressOf(effect, reach.address);
    if (!url)
      return failureOf(
        'not-configured',
        `"${reach.address}" is no address; give the connection "${effect.connection}" one such as https://example.org/api`,
      );
    const hasBody = effect.body !== null && effect.method !== 'GET';
    const headers = {
      accept: 'application/json',
      ...effect.headers,
      ...(hasBody ? { 'content-type': 'application/json' } : {}),
      ...reach.headers,
      ...(effect.changes ? { 'idempotency-key': idempotencyKey } : {}),
    };
    const body = hasBody ? { body: JSON.stringify(effect.body) } : {};
    const { method, timeoutMs, changes } = effect;
    const came = await call({ url, method, headers, ...body, timeoutMs, changes }, (answer) => read(answer, url.href));
    return redacted(came, reach.secrets);
  };
  return { perform, close };
}

/** The full address, or undefined where the connection's one cannot be read. A target cannot lead to another host. */
function addressOf({ target, query }: ActionEffect, address: string): URL | undefined {
  const base = addressIn(address);
  const url = base && addressIn(base.href.replace(/\/$/, '') + (target.startsWith('/') ? '' : '/') + target);
  if (!url || url.origin !== base.origin) return undefined;
  for (const [key, v] of Object.entries(query)) url.searchParams.append(key, v);
  return url;
}

async function read(answer: Answer, url: string): Promise<ActionResult> {
  const text = await answer.body.text();
  if (isPage(answer) && answer.status < 300)
    throw new BadAnswer('answered with a web page (HTML) and not with data; is the address that of its API?');
  const body = text === '' ? null : isJson(answer) ? (JSON.parse(text) as Value) : text;
  if (sizeOf(body) === Infinity) throw new BadAnswer(`answered with values nested more than ${MAX_NESTING} deep`);
  return { outcome: 'answered', status: answer.status, body, url };
}
