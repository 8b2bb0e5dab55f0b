import { request, type Agent } from 'undici';
import type { ModelEffect, ModelResult } from '@primrose/core';
import { assertMayCall, createOutsideAgent, RefusedAddress, refusedReason, type AllowedAddresses } from './agent.js';
import type { Reach } from './reach.js';

const MAX_ANSWER_BYTES = 4_000_000;
/** Words that were told so far are told again at most this often. */
const WORDS_EVERY_MS = 60;

type Failed = ModelResult & { readonly outcome: 'failed' };
type Failure = Failed['code'];

/** Told the text so far while a model writes; each call holds all of it. */
export type OnWords = (text: string) => void;

/** Asks a model. Never throws: what goes wrong is a result with a reason. */
export type PerformModel = (effect: ModelEffect, reach: Reach, onWords?: OnWords) => Promise<ModelResult>;

const failure = (code: Failure, reason: string, url?: string): Failed => {
  return { outcome: 'failed', code, reason, ...(url === undefined ? {} : { url }) };
};

/** Something a model service did that ends the call; the message is told to people. */
class BadAnswer extends Error {}

/** Makes the caller of model services: any server of the chat-completions form, streamed as server-sent events. */
export function createChatCompletions(allowed: AllowedAddresses): { perform: PerformModel; close: () => Promise<void> } {
  const agent = createOutsideAgent(allowed, MAX_ANSWER_BYTES);
  const perform: PerformModel = async (effect, reach, onWords) => {
    if (!reach.ok) return failure('not-configured', reach.reason);
    let url: URL;
    try {
      url = new URL(`${reach.address.replace(/\/$/, '')}/chat/completions`);
    } catch {
      return failure(
        'not-configured',
        `"${reach.address}" is no address; give the connection one such as https://example.org/v1`,
      );
    }
    const signal = AbortSignal.timeout(effect.timeoutMs);
    try {
      assertMayCall(url, allowed);
      return await ask(agent, effect, { url, headers: reach.headers, signal }, onWords);
    } catch (error) {
      return explain(error, effect, url);
    }
  };
  return { perform, close: () => agent.close() };
}

function bodyOf(effect: ModelEffect): unknown {
  const { model, messages, schema, temperature, most } = effect;
  return {
    model,
    messages,
    stream: true,
    stream_options: { include_usage: true },
    ...(temperature === undefined ? {} : { temperature }),
    ...(most === undefined ? {} : { max_tokens: most }),
    ...(schema === undefined ? {} : { response_format: { type: 'json_schema', json_schema: { name: 'answer', schema } } }),
  };
}

interface Way {
  readonly url: URL;
  readonly headers: Readonly<Record<string, string>>;
  readonly signal: AbortSignal;
}

async function ask(agent: Agent, effect: ModelEffect, way: Way, onWords?: OnWords): Promise<ModelResult> {
  const { url, headers, signal } = way;
  const response = await request(url, {
    dispatcher: agent,
    method: 'POST',
    headers: { accept: 'text/event-stream, application/json', 'content-type': 'application/json', ...headers },
    body: JSON.stringify(bodyOf(effect)),
    signal,
  });
  const type = String(response.headers['content-type'] ?? '');
  if (response.statusCode >= 400) throw new BadAnswer(await refusal(response.statusCode, await response.body.text(), type));
  if (/\bevent-stream\b/.test(type)) return readStream(response.body, onWords);
  const text = await response.body.text();
  if (!/\bjson\b/.test(type)) {
    const what = /html/.test(type) ? 'a web page' : `${type || 'something without a type'}`;
    throw new BadAnswer(`answered with ${what} instead of a model's answer; is the address of the connection right?`);
  }
  return readWhole(text);
}

/** What a service says of its refusal, if it says something short. */
async function refusal(status: number, text: string, type: string): Promise<string> {
  const said = /\bjson\b/.test(type) ? /"message"\s*:\s*"((?:[^"\\]|\\.){1,300})"/.exec(text)?.[1] : undefined;
  return Promise.resolve(`refused with status ${status}${said === undefined ? '' : `: ${said}`}`);
}

interface Chunk {
  readonly choices?: readonly {
    readonly delta?: { readonly content?: string | null };
    readonly message?: { readonly content?: string | null };
    readonly finish_reason?: string | null;
  }[];
  readonly usage?: { readonly prompt_tokens?: number; readonly completion_tokens?: number } | null;
  readonly error?: { readonly message?: string } | string;
}

function readWhole(text: string): ModelResult {
  const { choices, usage } = JSON.parse(text) as Chunk;
  const [first] = choices ?? [];
  const content = first?.message?.content;
  if (typeof content !== 'string') throw new BadAnswer('answered without any text');
  return written(content, first?.finish_reason, usage);
}

function written(text: string, finish: string | null | undefined, usage: Chunk['usage']): ModelResult {
  const tokens =
    typeof usage?.prompt_tokens === 'number' && typeof usage.completion_tokens === 'number'
      ? { in: usage.prompt_tokens, out: usage.completion_tokens }
      : null;
  return { outcome: 'written', text, stopped: finish === 'length' ? 'length' : 'end', tokens };
}

/** Reads the stream to its end. One that breaks off before the service said why it stopped is no answer. */
async function readStream(body: AsyncIterable<Buffer>, onWords?: OnWords): Promise<ModelResult> {
  let text = '';
  let finish: string | null | undefined;
  let usage: Chunk['usage'];
  let told = 0;
  for await (const data of eventsIn(body)) {
    if (data === '[DONE]') break;
    const chunk = JSON.parse(data) as Chunk;
    if (chunk.error !== undefined)
      throw new BadAnswer(
        `broke off: ${typeof chunk.error === 'string' ? chunk.error : (chunk.error.message ?? 'no reason given')}`,
      );
    const [first] = chunk.choices ?? [];
    text += first?.delta?.content ?? '';
    finish = first?.finish_reason ?? finish;
    usage = chunk.usage ?? usage;
    const now = performance.now();
    if (onWords && text !== '' && now - told > WORDS_EVERY_MS) {
      told = now;
      onWords(text);
    }
  }
  if (finish === undefined || finish === null) throw new BadAnswer('broke off in the middle of its answer');
  onWords?.(text);
  return written(text, finish, usage);
}

/** The data of server-sent events, one by one. */
async function* eventsIn(body: AsyncIterable<Buffer>): AsyncGenerator<string> {
  const decoder = new TextDecoder();
  let rest = '';
  for await (const chunk of body) {
    rest += decoder.decode(chunk, { stream: true });
    const events = rest.split(/\r?\n\r?\n/);
    rest = events.pop() ?? '';
    for (const event of events) {
      const data = event
        .split(/\r?\n/)
        .filter((l) => l.startsWith('data:'))
        .map((l) => l.slice(5).trimStart())
        .join('\n');
      if (data !== '') yield data;
    }
  }
}

function explain(error: unknown, effect: ModelEffect, url: URL): ModelResult {
  const { name, code } = error as { name?: string; code?: string };
  if (error instanceof RefusedAddress) return failure('refused', refusedReason(url.hostname), url.href);
  if (error instanceof BadAnswer) return failure('bad-answer', `${url.host} ${error.message}`, url.href);
  if (name === 'TimeoutError' || code === 'UND_ERR_CONNECT_TIMEOUT')
    return failure('timeout', `${url.host} was not done within ${effect.timeoutMs / 1000} s`, url.href);
  if (error instanceof SyntaxError)
    return failure('bad-answer', `${url.host} answered with something that cannot be read as JSON`, url.href);
  if (code === 'UND_ERR_RES_EXCEEDED_MAX_SIZE')
    return failure('bad-answer', `${url.host} answered with more than ${MAX_ANSWER_BYTES / 1e6} MB`, url.href);
  if (code === 'UND_ERR_SOCKET' || code === 'ECONNRESET')
    return failure('bad-answer', `${url.host} broke off in the middle of its answer`, url.href);
  return failure('unreachable', `${url.host} cannot be reached (${code ?? name ?? 'no reason given'})`, url.href);
}
