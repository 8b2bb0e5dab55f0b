import { z } from 'zod';
import { addressIn, type Caller } from '../../outside/call.js';
import type { MatrixSettings } from './settings.js';

const CALL_MS = 15_000;
const trouble = z.object({ errcode: z.string(), error: z.string().optional(), retry_after_ms: z.number().optional() });

/** What the homeserver answered: the body, or why it did not do what was asked. */
export type MatrixAnswer =
  | { readonly ok: true; readonly body: unknown }
  | { readonly ok: false; readonly away: boolean; readonly code: string; readonly reason: string; readonly afterMs?: number };

export interface MatrixCall {
  readonly method: 'GET' | 'PUT' | 'POST';
  /** Segments of the path behind /_matrix/client/v3, not escaped yet. */
  readonly path: readonly string[];
  readonly query?: Readonly<Record<string, string>>;
  readonly body?: unknown;
  readonly ms?: number;
  readonly stop?: AbortSignal;
}

/** Asks a homeserver (client-server API v3). */
export async function askMatrix(
  caller: Caller,
  { address }: MatrixSettings,
  token: string,
  asked: MatrixCall,
): Promise<MatrixAnswer> {
  const path = asked.path.map(encodeURIComponent).join('/');
  const query = asked.query ? `?${new URLSearchParams(asked.query).toString()}` : '';
  const url = addressIn(`${address.replace(/\/$/, '')}/_matrix/client/v3/${path}${query}`);
  if (!url) return { ok: false, away: false, code: '', reason: `${address} is no address` };
  const came = await caller.call(
    {
      url,
      method: asked.method,
      headers: { authorization: `Bearer ${token}`, ...(asked.body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(asked.body === undefined ? {} : { body: JSON.stringify(asked.body) }),
      timeoutMs: asked.ms ?? CALL_MS,
      ...(asked.stop ? { stop: asked.stop } : {}),
      changes: false,
    },
    async (answer) => ({ status: answer.status, text: await answer.body.text() }),
  );
  if (!('status' in came)) return { ok: false, away: came.code !== 'refused', code: came.code, reason: came.reason };
  let body: unknown;
  try {
    body = JSON.parse(came.text);
  } catch {
    return { ok: false, away: true, code: '', reason: `the homeserver answered with status ${came.status}, and no JSON` };
  }
  if (came.status < 300) return { ok: true, body };
  const told = trouble.safeParse(body);
  const code = told.data?.errcode ?? '';
  const reason = `the homeserver answered ${code || `with status ${came.status}`}${told.data?.error ? `: ${told.data.error.slice(0, 200)}` : ''}`;
  const away = came.status === 429 || came.status >= 500;
  const after = told.data?.retry_after_ms;
  return { ok: false, away, code, reason, ...(after === undefined ? {} : { afterMs: after }) };
}
