import { z } from 'zod';
import {
  failureOf,
  messagesOf,
  type Failure,
  type ModelEffect,
  type ModelMessage,
  type ModelResult,
  type ToolCall,
} from '@primrose/core';
import { sleep, type Clock } from '../base/clock.js';
import type { AllowedAddresses } from './agent.js';
import { addressIn, BadAnswer, createCaller, isJson, type Answer } from './call.js';
import type { Reach } from './reach.js';
import { redacted } from './redact.js';

const MAX_ANSWER_BYTES = 4_000_000;
/** Words that were told so far are told again at most this often. */
const WORDS_EVERY_MS = 60;
/** Words that end a sentence are told at once: they may be what is waited for. */
const ENDS_SENTENCE = /[.!?…:;。！？\n]/;
/** Tools that a model may ask for in one answer. */
const MOST_CALLS = 64;

/** Told the text so far while a model writes; each call holds all of it. */
export type OnWords = (text: string) => void;

/** Asks a model. Never throws: what goes wrong is a result with a reason. `stop` ends the asking, with the failure `stopped`. */
export type PerformModel = (effect: ModelEffect, reach: Reach, onWords?: OnWords, stop?: AbortSignal) => Promise<ModelResult>;

/**
 * Makes the caller of model services: any server of the chat-completions form, streamed as server-sent events. Who is told to come
 * back later (429, 5xx) or is cut off in mid-answer asks again, as often as `MOST_TRIES` and as long as the time of the effect.
 */
export function createChatCompletions(
  allowed: AllowedAddresses,
  clock: Clock,
): { perform: PerformModel; close: () => Promise<void> } {
  const { call, close } = createCaller(allowed, MAX_ANSWER_BYTES);
  const perform: PerformModel = async (effect, reach, onWords, stop) => {
    if (!reach.ok) return failureOf('not-configured', reach.reason);
    const url = addressIn(`${reach.address.replace(/\/$/, '')}/chat/completions`);
    if (!url)
      return failureOf(
        'not-configured',
        `"${reach.address}" is no address; give the connection one such as https://example.org/v1`,
      );
    const headers = { accept: 'text/event-stream, application/json', 'content-type': 'application/json', ...reach.headers };
    const body = JSON.stringify(bodyOf(effect));
    const until = clock.tick() + effect.timeoutMs;
    for (let tries = 1; ; tries++) {
      const again: Again = {};
      // Asking again costs money but changes nothing, so a line that is cut leaves no doubt of what was done.
      const timeoutMs = Math.max(1, Math.ceil(until - clock.tick()));
      const asked = {
        url,
        method: 'POST',
        headers,
        body,
        timeoutMs,
        wholeMs: effect.timeoutMs,
        changes: false,
        ...(stop ? { stop } : {}),
      };
      const came = await call(asked, (answer) => read(answer, { again, now: clock.now().getTime() }, onWords));
      const waitMs =
        tries < MOST_TRIES && came.outcome === 'failed' && !stop?.aborted ? waitBefore(came, again, tries) : undefined;
      if (waitMs === undefined || clock.tick() + waitMs >= until) {
        const count = tries === 1 ? {} : { tries };
        return redacted(came.outcome === 'failed' ? withTries(came, tries) : { ...came, ...count }, reach.secrets);
      }
      onWords?.('');
      await Promise.race([sleep(clock, waitMs).done, aborted(stop)]);
    }
  };
  return { perform, close };
}

/** So often is a service asked in all. */
const MOST_TRIES = 3;
const FIRST_WAIT_MS = 250;

/** What is known of a refusal or a cut: whether asking again may help, and after how long the service says so. */
interface Again {
  worth?: boolean;
  afterMs?: number;
}

/** How long to wait before asking again, in ms; undefined where that would not help. */
function waitBefore({ code }: Failure, { worth, afterMs }: Again, tries: number): number | undefined {
  if (!worth || code !== 'bad-answer') return undefined;
  return afterMs ?? FIRST_WAIT_MS * 3 ** (tries - 1);
}

function withTries(came: Failure, tries: number): Failure {
  return tries === 1 ? came : { ...came, reason: `${came.reason}; it was asked ${tries} times` };
}

/** Resolves when somebody stops; never, where nobody can. */
function aborted(stop: AbortSignal | undefined): Promise<void> {
  return new Promise((resolve) => {
    if (stop?.aborted) resolve();
    else stop?.addEventListener('abort', () => resolve(), { once: true });
  });
}

/** The wait that a Retry-After header asks for (RFC 9110, 10.2.3: seconds, or a date), in ms. */
function retryAfter(header: string | undefined, now: number): number | undefined {
  if (header === undefined || header.trim() === '') return undefined;
  const seconds = Number(header);
  const ms = Number.isFinite(seconds) ? seconds * 1000 : Date.parse(header) - now;
  return Number.isFinite(ms) && ms >= 0 ? ms : undefined;
}

function bodyOf(effect: ModelEffect): unknown {
  const { model, schema, temperature, topP, stop, most, tools = [] } = effect;
  return {
    model,
    messages: messagesOf(effect).map(wireMessage),
    stream: true,
    stream_options: { include_usage: true },
    ...(tools.length > 0 ? { tools: tools.map(wireTool) } : {}),
    ...(temperature === undefined ? {} : { temperature }),
    ...(topP === undefined ? {} : { top_p: topP }),
    ...(stop === undefined ? {} : { stop }),
    ...(most === undefined ? {} : { max_tokens: most }),
    ...(schema === undefined ? {} : { response_format: { type: 'json_schema', json_schema: { name: 'answer', schema } } }),
  };
}

/** A message as the chat-completions form writes it. */
function wireMessage(message: ModelMessage): unknown {
  if (message.role === 'tool') return { role: 'tool', tool_call_id: message.call, content: message.content };
  if ('pictures' in message && message.pictures && message.pictures.length > 0) {
    const shown = message.pictures.map((url) => ({ type: 'image_url', image_url: { url } }));
    return { role: message.role, content: [{ type: 'text', text: message.content }, ...shown] };
  }
  if (message.role !== 'assistant' || !message.calls) return { role: message.role, content: message.content };
  const calls = message.calls.map(({ id, name, given }) => ({ id, type: 'function', function: { name, arguments: given } }));
  return { role: 'assistant', content: message.content, tool_calls: calls };
}

function wireTool({ name, about, takes }: NonNullable<ModelEffect['tools']>[number]): unknown {
  return { type: 'function', function: { name, description: about, parameters: takes } };
}

/** Where it is noted whether asking again may help, and the moment of the answer (ms since 1970). */
interface Reading {
  readonly again: Again;
  readonly now: number;
}

async function read(answer: Answer, { again, now }: Reading, onWords?: OnWords): Promise<ModelResult> {
  const type = String(answer.headers['content-type'] ?? '');
  if (answer.status >= 400) {
    again.worth = answer.status === 429 || answer.status >= 500;
    const wait = retryAfter(String(answer.headers['retry-after'] ?? ''), now);
    if (wait !== undefined) again.afterMs = wait;
    throw new BadAnswer(refusal(answer.status, await answer.body.text(), isJson(answer)));
  }
  // From here on what goes wrong is a cut line or nonsense: the first is worth another try.
  if (/\bevent-stream\b/.test(type)) {
    return readStream(answer.body, again, onWords);
  }
  const text = await answer.body.text();
  if (!isJson(answer)) {
    const what = /html/.test(type) ? 'a web page' : `${type || 'something without a type'}`;
    throw new BadAnswer(`answered with ${what} instead of a model's answer; is the address of the connection right?`);
  }
  return readWhole(text);
}

/** What a service says of its refusal, if it says something short. */
function refusal(status: number, text: string, json: boolean): string {
  const said = json ? /"message"\s*:\s*"((?:[^"\\]|\\.){1,300})/.exec(text)?.[1] : undefined;
  return `refused with status ${status}${said === undefined ? '' : `: ${said}`}`;
}

/** A call of a tool as it comes: whole, or in pieces that bear the same number. */
const wireCall = z.object({
  index: z.int().min(0).nullish(),
  id: z.string().nullish(),
  function: z.object({ name: z.string().nullish(), arguments: z.string().nullish() }).nullish(),
});
type WireCall = z.infer<typeof wireCall>;
const wireContent = z.object({ content: z.string().nullish(), tool_calls: z.array(wireCall).nullish() }).nullish();

/** What a service sends, whole or piece by piece; services differ in what they leave out and what they send as null. */
const wireAnswer = z.object({
  choices: z.array(z.object({ delta: wireContent, message: wireContent, finish_reason: z.string().nullish() })).nullish(),
  usage: z.object({ prompt_tokens: z.number().nullish(), completion_tokens: z.number().nullish() }).nullish(),
  error: z.union([z.string(), z.object({ message: z.string().nullish() })]).nullish(),
});
type WireAnswer = z.infer<typeof wireAnswer>;

/** One piece of an answer, or all of it. */
function readPiece(text: string): WireAnswer {
  const read = wireAnswer.safeParse(JSON.parse(text));
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  throw new BadAnswer(`answered otherwise than in the chat-completions form (${issue?.path.join('.') || 'the whole answer'})`);
}

function readWhole(text: string): ModelResult {
  const { choices, usage } = readPiece(text);
  const [first] = choices ?? [];
  const calls = new Calls();
  calls.add(first?.message?.tool_calls);
  const content = first?.message?.content ?? (calls.any ? '' : undefined);
  if (typeof content !== 'string') throw new BadAnswer('answered without any text');
  return written(content, calls, first?.finish_reason, usage);
}

/** The calls of tools of one answer, put together from their pieces. */
class Calls {
  readonly #calls: { id: string; name: string; given: string }[] = [];

  get any(): boolean {
    return this.all.length > 0;
  }

  get all(): readonly ToolCall[] {
    return this.#calls.filter((c) => c.name !== '');
  }

  add(pieces: readonly WireCall[] | null | undefined): void {
    for (const [i, piece] of (pieces ?? []).entries()) {
      const at = piece.index ?? i;
      if (at >= MOST_CALLS) throw new BadAnswer(`asked for more than ${MOST_CALLS} calls at once`);
      const call = (this.#calls[at] ??= { id: '', name: '', given: '' });
      call.id ||= piece.id ?? '';
      call.name += piece.function?.name ?? '';
      call.given += piece.function?.arguments ?? '';
    }
  }
}

function written(text: string, calls: Calls, finish: string | null | undefined, usage: WireAnswer['usage']): ModelResult {
  const tokens =
    typeof usage?.prompt_tokens === 'number' && typeof usage.completion_tokens === 'number'
      ? { in: usage.prompt_tokens, out: usage.completion_tokens }
      : null;
  const stopped = finish === 'length' ? 'length' : calls.any ? 'calls' : 'end';
  return { outcome: 'written', text, ...(calls.any ? { calls: calls.all } : {}), stopped, tokens };
}

/** Reads the stream to its end. One that breaks off before the service said why it stopped is no answer. */
async function readStream(body: AsyncIterable<Buffer>, again: Again, onWords?: OnWords): Promise<ModelResult> {
  let text = '';
  const calls = new Calls();
  let finish: string | null | undefined;
  let usage: WireAnswer['usage'];
  let told = 0;
  // A stream that is cut is worth another try; one that says something else than it should, or too much, is not.
  again.worth = true;
  for await (const data of eventsIn(bounded(body, again))) {
    if (data === '[DONE]') break;
    again.worth = false;
    const chunk = readPiece(data);
    again.worth = chunk.error !== undefined && chunk.error !== null;
    if (chunk.error !== undefined && chunk.error !== null)
      throw new BadAnswer(
        `broke off: ${typeof chunk.error === 'string' ? chunk.error : (chunk.error.message ?? 'no reason given')}`,
      );
    const [first] = chunk.choices ?? [];
    text += first?.delta?.content ?? '';
    calls.add(first?.delta?.tool_calls);
    finish = first?.finish_reason ?? finish;
    usage = chunk.usage ?? usage;
    again.worth = true;
    const now = performance.now();
    if (onWords && text !== '' && (now - told > WORDS_EVERY_MS || ENDS_SENTENCE.test(first?.delta?.content ?? ''))) {
      told = now;
      onWords(text);
    }
  }
  if (finish === undefined || finish === null) throw new BadAnswer('broke off in the middle of its answer');
  onWords?.(text);
  return written(text, calls, finish, usage);
}

/** A body whose reading tells when it was cut for its length. */
async function* bounded(body: AsyncIterable<Buffer>, again: Again): AsyncGenerator<Buffer> {
  try {
    yield* body;
  } catch (error) {
    if ((error as { code?: string }).code === 'UND_ERR_RES_EXCEEDED_MAX_SIZE') again.worth = false;
    throw error;
  }
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
