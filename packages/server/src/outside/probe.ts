import { z } from 'zod';
import type { ConnectionTested } from '@primrose/contract';
import type { AllowedAddresses } from './agent.js';
import { addressIn, BadAnswer, createCaller, isJson, type Answer } from './call.js';
import { isCode } from './probe-codes.js';
import type { Reach } from './reach.js';
import { redact } from './redact.js';

const PROBE_MS = 10_000;
const MAX_ANSWER_BYTES = 2_000_000;
const MOST_MODELS = 500;

export type Probe = (reach: Reach) => Promise<ConnectionTested>;

const modelList = z.object({ data: z.array(z.object({ id: z.string() }).loose()) });

/** Tries a model service by asking which models it has: GET /models of the chat-completions form. */
export function createProbe(allowed: AllowedAddresses): { readonly probe: Probe; readonly close: () => Promise<void> } {
  const { call, close } = createCaller(allowed, MAX_ANSWER_BYTES);
  const probe: Probe = async (reach) => {
    if (!reach.ok) return tested('not-set-up', reach.reason);
    const url = addressIn(`${reach.address.replace(/\/$/, '')}/models`);
    if (!url) return tested('not-set-up', `"${reach.address}" is no address; write one such as https://example.org/v1`);
    const headers = { accept: 'application/json', ...reach.headers };
    const came = await call({ url, method: 'GET', headers, timeoutMs: PROBE_MS, changes: false }, read);
    if (!('code' in came)) return came;
    return tested(isCode(came), redact(came.reason, reach.secrets));
  };
  return { probe, close };
}

function tested(outcome: ConnectionTested['outcome'], says: string, models: readonly string[] = []): ConnectionTested {
  return { outcome, says, models: [...models] };
}

async function read(answer: Answer): Promise<ConnectionTested> {
  const { status } = answer;
  const text = await answer.body.text();
  if (status === 401 || status === 403)
    return tested(
      'no-access',
      `It answers, but does not let us in (status ${status}). Check the secret of the connection and how it is shown.`,
    );
  if (status === 404)
    return tested(
      'wrong-path',
      'It answers, but there is nothing at /models under this address. Many services end in /v1; some do not list their models.',
    );
  if (status >= 400) return tested('refuses', `It answers with status ${status}.`);
  if (!isJson(answer))
    return tested('other-form', 'It answers with something that is not JSON, likely a web page. Is the address that of its API?');
  const read = modelList.safeParse(parsed(text));
  if (!read.success)
    return tested('other-form', 'It answers with JSON, but not with a list of models in the chat-completions form.');
  const models = read.data.data.map((m) => m.id).slice(0, MOST_MODELS);
  return tested(
    'works',
    models.length === 1 ? 'It works, and has one model.' : `It works, and has ${models.length} models.`,
    models,
  );
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    throw new BadAnswer('said it answers with JSON, but what it sent cannot be read as JSON');
  }
}
