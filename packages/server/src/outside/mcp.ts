import { Client } from '@modelcontextprotocol/sdk/client/index.js';
import { StreamableHTTPClientTransport, StreamableHTTPError } from '@modelcontextprotocol/sdk/client/streamableHttp.js';
import type { FetchLike } from '@modelcontextprotocol/sdk/shared/transport.js';
import { McpError } from '@modelcontextprotocol/sdk/types.js';
import { fetch as undiciFetch } from 'undici';
import { z } from 'zod';
import {
  failureOf,
  jsonValue,
  sizeOf,
  type Failure,
  type McpEffect,
  type McpResult,
  type McpTool,
  type Value,
} from '@primrose/core';
import { hashSecret, type Clock } from '../base/clock.js';
import { assertMayCall, createOutsideAgent, RefusedAddress, refusedReason, type AllowedAddresses } from './agent.js';
import { addressIn, troubleOf } from './call.js';
import type { Reach } from './reach.js';
import { redacted } from './redact.js';

/*
 * Tools of MCP servers over streamable HTTP, by the official SDK. A session is kept for a while, so that a call costs one request.
 */

const MAX_ANSWER_BYTES = 2_000_000;
/** A session that nobody used for so long is closed. */
const KEPT_MS = 60_000;
const MOST_KEPT = 50;
const MOST_LISTED = 300;
const LIST_MS = 15_000;

export type PerformMcp = (effect: McpEffect, reach: Reach, stop?: AbortSignal) => Promise<McpResult>;
/** Tools that a server offers, by name; or why none are known. */
export type ListedTools =
  { readonly ok: true; readonly tools: Readonly<Record<string, McpTool>> } | { readonly ok: false; readonly reason: string };
export type ListTools = (reach: Reach) => Promise<ListedTools>;

interface Session {
  readonly client: Client;
  readonly endLater: () => void;
}

const content = z.object({
  content: z.array(z.object({ type: z.string(), text: z.string().optional() }).loose()).optional(),
  structuredContent: jsonValue.optional(),
  isError: z.boolean().optional(),
});

/** Makes the caller of MCP servers. Private addresses are refused unless the operator allows them. */
export function createMcp(
  allowed: AllowedAddresses,
  clock: Clock,
): { readonly perform: PerformMcp; readonly list: ListTools; readonly close: () => Promise<void> } {
  const agent = createOutsideAgent(allowed, MAX_ANSWER_BYTES);
  const sessions = new Map<string, Promise<Session>>();
  const guarded: unknown = async (url: string | URL, init: Parameters<typeof undiciFetch>[1]) => {
    assertMayCall(new URL(url), allowed);
    return undiciFetch(url, { ...init, dispatcher: agent, redirect: 'error' });
  };
  // The SDK speaks the types of the platform's fetch, undici its own of the same shape.
  const fetch = guarded as FetchLike;
  const drop = (key: string): void => {
    const session = sessions.get(key);
    sessions.delete(key);
    void session?.then(
      ({ client, endLater }) => (endLater(), client.close()),
      () => undefined,
    );
  };
  const open = async (key: string, url: URL, headers: Readonly<Record<string, string>>): Promise<Session> => {
    const client = new Client({ name: 'primrose', version: '1' });
    const transport = new StreamableHTTPClientTransport(url, { fetch, requestInit: { headers } });
    // The SDK's own classes differ in `sessionId?` under exactOptionalPropertyTypes.
    await client.connect(transport, { timeout: LIST_MS });
    return { client, endLater: clock.after(KEPT_MS, () => drop(key)) };
  };
  const sessionOf = (url: URL, headers: Readonly<Record<string, string>>): { key: string; session: Promise<Session> } => {
    const key = hashSecret(JSON.stringify([url.href, headers]));
    const known = sessions.get(key);
    if (known) return { key, session: known };
    const [oldest] = sessions.keys();
    if (sessions.size >= MOST_KEPT && oldest !== undefined) drop(oldest);
    const session = open(key, url, headers);
    sessions.set(key, session);
    session.catch(() => sessions.delete(key));
    return { key, session };
  };
  /** Works with a session; one that the server has forgotten is opened anew, once: nothing was done in it. */
  const withSession = async <T>(
    url: URL,
    headers: Readonly<Record<string, string>>,
    work: (client: Client) => Promise<T>,
  ): Promise<T> => {
    for (let again = true; ; again = false) {
      const { key, session } = sessionOf(url, headers);
      try {
        return await work((await session).client);
      } catch (error) {
        if (!(error instanceof McpError)) drop(key);
        if (!again || !(error instanceof StreamableHTTPError) || error.code !== 404) throw error;
      }
    }
  };
  const perform: PerformMcp = async (effect, reach, stop) => {
    if (!reach.ok) return failureOf('not-configured', reach.reason);
    const url = addressIn(reach.address);
    if (!url)
      return failureOf(
        'not-configured',
        `"${reach.address}" is no address; give the connection one such as https://example.org/mcp`,
      );
    const { tool: name, given, timeoutMs, changes } = effect;
    try {
      const options = { timeout: timeoutMs, maxTotalTimeout: timeoutMs, ...(stop && !changes ? { signal: stop } : {}) };
      const came = await withSession(url, reach.headers, (client) =>
        client.callTool({ name, arguments: given }, undefined, options),
      );
      return readResult(came);
    } catch (error) {
      return redacted(explain(error, url, { changes, timeoutMs, stopped: stop?.aborted === true }), reach.secrets);
    }
  };
  const list: ListTools = async (reach) => {
    if (!reach.ok) return { ok: false, reason: reach.reason };
    const url = addressIn(reach.address);
    if (!url) return { ok: false, reason: `"${reach.address}" is no address` };
    try {
      return { ok: true, tools: await withSession(url, reach.headers, allTools) };
    } catch (error) {
      const { reason } = redacted(explain(error, url, { changes: false, timeoutMs: LIST_MS, stopped: false }), reach.secrets);
      return { ok: false, reason };
    }
  };
  return {
    perform,
    list,
    close: async () => {
      [...sessions.keys()].forEach(drop);
      await agent.close();
    },
  };
}

/** All tools of a server, page by page. */
async function allTools(client: Client): Promise<Record<string, McpTool>> {
  const found: Record<string, McpTool> = {};
  let cursor: string | undefined;
  do {
    const page = await client.listTools(cursor === undefined ? {} : { cursor }, { timeout: LIST_MS });
    for (const { name, description, inputSchema, annotations } of page.tools) {
      if (name.length > 100 || Object.keys(found).length >= MOST_LISTED) continue;
      const takes = jsonValue.safeParse(inputSchema);
      found[name] = {
        ...(description === undefined ? {} : { about: description.slice(0, 2000) }),
        ...(takes.success && sizeOf(takes.data) <= 20_000 ? { takes: takes.data } : {}),
        ...(annotations?.readOnlyHint === true ? { reads: true } : {}),
      };
    }
    cursor = page.nextCursor;
  } while (cursor !== undefined && Object.keys(found).length < MOST_LISTED);
  return found;
}

function readResult(came: unknown): McpResult {
  const read = content.safeParse(came);
  if (!read.success) return failureOf('bad-answer', 'the server answered otherwise than MCP says');
  const { structuredContent, isError = false, content: parts = [] } = read.data;
  const texts = parts.map((p) => (p.type === 'text' ? (p.text ?? '') : `(${p.type})`));
  const value: Value = structuredContent ?? asValue(texts.join('\n'));
  if (sizeOf(value) > MAX_ANSWER_BYTES) return failureOf('bad-answer', 'the server answered with more than can be kept');
  return { outcome: 'gave', content: value, wrong: isError };
}

/** A text that is JSON as the value that it is. */
function asValue(text: string): Value {
  try {
    const read = jsonValue.safeParse(JSON.parse(text));
    return read.success && typeof read.data === 'object' ? read.data : text;
  } catch {
    return text;
  }
}

interface Came {
  readonly changes: boolean;
  readonly timeoutMs: number;
  readonly stopped: boolean;
}

/** Code of the SDK for a request that took too long. */
const MCP_TIMEOUT = -32001;

function explain(error: unknown, url: URL, { changes, timeoutMs, stopped }: Came): Failure {
  const { host, href } = url;
  const cause = (error as { cause?: { code?: string } }).cause;
  const code = cause?.code ?? '';
  if (stopped) return failureOf('stopped', `somebody stopped the turn while ${host} was asked`, href);
  if (error instanceof RefusedAddress || cause instanceof RefusedAddress)
    return failureOf('refused', refusedReason(url.hostname), href);
  if (error instanceof McpError && error.code === MCP_TIMEOUT) {
    const unsure = changes ? '; whether it was done is not known' : '';
    return failureOf(
      changes ? 'unknown-outcome' : 'timeout',
      `${host} did not answer within ${timeoutMs / 1000} s${unsure}`,
      href,
    );
  }
  if (error instanceof McpError) return failureOf('bad-answer', `${host} refused: ${error.message.slice(0, 300)}`, href);
  if (error instanceof StreamableHTTPError)
    return failureOf(
      'bad-answer',
      `${host} answered with status ${error.code ?? 'unknown'} instead of MCP, so its address may not be that of an MCP endpoint`,
      href,
    );
  if (troubleOf(code) !== 'other') return failureOf('unreachable', `${host} cannot be reached (${code})`, href);
  const { message = String(error) } = error as { message?: string };
  if (changes && code !== '')
    return failureOf('unknown-outcome', `${host} broke off (${code}); whether it was done is not known`, href);
  return failureOf('bad-answer', `${host} does not answer as MCP says: ${message.slice(0, 200)}`, href);
}
