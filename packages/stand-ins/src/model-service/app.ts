import { pipeline } from 'node:stream/promises';
import express, { type Express, type Response } from 'express';
import { nextStep, type AgentAnswer, type ChatMessage } from './agent.js';
import type { Tool } from './choose.js';
import type { JsonSchema } from './fill.js';
import { answer, type Asked } from './machine.js';
import { misbehaved, type Misbehaviour } from './misbehaving.js';
import { described, drawn } from './pictures.js';

/** How a model of this service behaves; the name of the model says it. */
const MODES = {
  practice: 'answers at once',
  'practice-slow': 'writes a word every 150 ms',
  'practice-stalls': 'begins and then says nothing more',
  'practice-breaks': 'breaks off in the middle',
  'practice-page': 'answers with a web page',
  'practice-refuses': 'refuses with status 500',
  'practice-flaky': 'refuses every second request with status 503',
  'practice-limited': 'refuses every second request with status 429, to be asked again after a second',
  'practice-cut': 'ends its answer in the middle of a piece of JSON',
  'practice-broken-json': 'writes parameters that are no JSON',
  'practice-drips': 'sends a byte a second',
  'practice-endless': 'writes 200,000 tokens',
  'practice-invents': 'calls a tool that is not there',
  'practice-circles': 'calls the same tool again and again',
  'practice-crowds': 'calls 300 tools at once',
  'practice-claims': 'says that everything was done',
  'practice-obeys': 'does what a result or a document tells it to',
} as const;
type Mode = keyof typeof MODES;

const SLOW_MS = 150;
const DRIP_MS = 1000;
const ENDLESS_WORDS = 200_000;
const tokensOf = (text: string): number => Math.max(1, Math.ceil(text.length / 4));
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms).unref());

interface Body {
  readonly model?: string;
  readonly messages?: unknown;
  readonly stream?: boolean;
  readonly max_tokens?: number;
  readonly tools?: readonly {
    readonly function?: { readonly name?: string; readonly description?: string; readonly parameters?: JsonSchema };
  }[];
  readonly response_format?: { readonly json_schema?: { readonly schema?: NonNullable<Asked['schema']> } };
}

interface Part {
  readonly type?: string;
  readonly text?: string;
  readonly image_url?: { readonly url?: string };
}

/** How often each model was asked; those that refuse every second request go by it. */
type Counts = Map<string, number>;

/** The model service: the chat-completions form over HTTP, with models that misbehave in known ways. */
export function createModelService(): Express {
  const app = express();
  const counts: Counts = new Map();
  app.disable('x-powered-by');
  app.use(express.json({ limit: '60mb' }));
  app.get('/v1/models', (_req, res) => {
    res.json({ object: 'list', data: Object.entries(MODES).map(([id, about]) => ({ id, object: 'model', about })) });
  });
  app.post('/v1/chat/completions', (req, res) => void complete(req.body as Body, res, counts));
  app.post('/v1/images/generations', (req, res) => {
    const { model = '', prompt = '', size } = req.body as { model?: string; prompt?: string; size?: string };
    if (!(model in MODES)) return void res.status(404).json({ error: { message: `there is no model "${model}"` } });
    if (model !== 'practice-page' && refusal(model as Mode, counts, res)) return undefined;
    if (prompt.trim() === '') return void res.status(400).json({ error: { message: 'prompt should say what to draw' } });
    const bytes = model === 'practice-page' ? Buffer.from('<!doctype html><h1>It works</h1>') : drawn(prompt, size);
    return void res.json({
      created: 0,
      data: [{ b64_json: bytes.toString('base64') }],
      usage: { input_tokens: tokensOf(prompt), output_tokens: 100 },
    });
  });
  app.use((req, res) => void res.status(404).json({ error: { message: `there is nothing at ${req.path}` } }));
  return app;
}

/** What a part of a message is in words: a picture is measured, and told. */
function partText(part: Part): string {
  if (part.text !== undefined) return part.text;
  return part.image_url?.url === undefined ? `(a ${part.type ?? 'part'})` : `(${described(part.image_url.url)})`;
}

/** Messages with their content as text. */
function messagesIn(all: readonly (Omit<ChatMessage, 'content'> & { readonly content: unknown })[]): ChatMessage[] {
  return all.map((m) => {
    const parts = Array.isArray(m.content) ? (m.content as readonly Part[]) : undefined;
    const content = parts ? parts.map(partText).join('\n') : typeof m.content === 'string' ? m.content : '';
    return { ...m, content };
  });
}

function toolsIn({ tools = [] }: Body): Tool[] {
  return tools.flatMap(({ function: f }) =>
    f?.name === undefined ? [] : [{ name: f.name, description: f.description ?? '', parameters: f.parameters ?? {} }],
  );
}

function refusal(mode: Mode, counts: Counts, res: Response): boolean {
  const asked = (counts.get(mode) ?? 0) + 1;
  counts.set(mode, asked);
  if (mode === 'practice-page') res.type('html').send('<!doctype html><title>Welcome</title><h1>It works</h1>');
  else if (mode === 'practice-refuses') res.status(500).json({ error: { message: 'this model refuses, for an exercise' } });
  else if (mode === 'practice-flaky' && asked % 2 === 1)
    res.status(503).json({ error: { message: 'overloaded, for an exercise' } });
  else if (mode === 'practice-limited' && asked % 2 === 1)
    res
      .status(429)
      .set('retry-after', '1')
      .json({ error: { message: 'too many requests, for an exercise' } });
  else return false;
  return true;
}

async function complete(body: Body, res: Response, counts: Counts): Promise<void> {
  const mode = (body.model ?? '') as Mode;
  if (!(mode in MODES)) {
    res.status(404).json({ error: { message: `there is no model "${body.model}"; there are ${Object.keys(MODES).join(', ')}` } });
    return;
  }
  if (!Array.isArray(body.messages)) {
    res.status(400).json({ error: { message: 'messages should be a list' } });
    return;
  }
  if (refusal(mode, counts, res)) return;
  const messages = messagesIn(body.messages as ChatMessage[]);
  const whole = writtenBy(mode, body, messages);
  const most = body.max_tokens ?? Infinity;
  const cut = tokensOf(whole.text) > most;
  const text = cut ? whole.text.slice(0, most * 4) : whole.text;
  const calls = whole.calls.map((c, i) => ({
    id: `call_${messages.length}_${i}`,
    type: 'function',
    function: {
      name: c.name,
      arguments: mode === 'practice-broken-json' ? JSON.stringify(c.given).slice(0, -1) : JSON.stringify(c.given),
    },
  }));
  const usage = {
    prompt_tokens: messages.reduce((sum, m) => sum + tokensOf(m.content), 0) + tokensOf(JSON.stringify(body.tools ?? '')),
    completion_tokens: tokensOf(text) + tokensOf(JSON.stringify(calls)),
  };
  const finish = cut ? 'length' : calls.length > 0 ? 'tool_calls' : 'stop';
  if (body.stream !== true) {
    const message = { role: 'assistant', content: text, ...(calls.length > 0 ? { tool_calls: calls } : {}) };
    res.json({ object: 'chat.completion', model: mode, choices: [{ index: 0, message, finish_reason: finish }], usage });
    return;
  }
  await stream(res, mode, { text, calls, finish, usage });
}

/** What the model writes: fields, an answer of an agent, or a quote, spoilt where the name of the model says so. */
function writtenBy(mode: Mode, body: Body, messages: readonly ChatMessage[]): AgentAnswer {
  const schema = body.response_format?.json_schema?.schema;
  const tools = toolsIn(body);
  const honest: AgentAnswer =
    tools.length > 0 ? nextStep(messages, tools) : { text: answer({ messages, ...(schema ? { schema } : {}) }), calls: [] };
  const spoilt: Misbehaviour | undefined = misbehaved[mode];
  return spoilt ? spoilt(honest, messages, tools) : honest;
}

interface Written {
  readonly text: string;
  readonly calls: readonly {
    readonly id: string;
    readonly type: string;
    readonly function: { readonly name: string; readonly arguments: string };
  }[];
  readonly finish: string;
  readonly usage: unknown;
}

async function stream(res: Response, mode: Mode, { text, calls, finish, usage }: Written): Promise<void> {
  res.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-cache' });
  const line = (choice: unknown, more: object = {}) =>
    `data: ${JSON.stringify({ object: 'chat.completion.chunk', model: mode, choices: choice ? [choice] : [], ...more })}\n\n`;
  const chunk = (choice: unknown, more: object = {}) => res.write(line(choice, more));
  if (mode === 'practice-drips') return drip(res, line({ index: 0, delta: { content: text }, finish_reason: finish }));
  if (mode === 'practice-endless') return endless(res, line);
  const words = text.match(/\S+\s*/g) ?? (text === '' ? [] : [text]);
  for (const [i, word] of words.entries()) {
    if (mode === 'practice-slow') await wait(SLOW_MS);
    if (res.destroyed) return;
    if (i >= words.length / 2 && (mode === 'practice-breaks' || mode === 'practice-cut')) return breakOff(res);
    if (i >= 1 && mode === 'practice-stalls') return;
    chunk({ index: 0, delta: { content: word }, finish_reason: null });
  }
  if (mode === 'practice-breaks' || mode === 'practice-cut') return breakOff(res);
  if (mode === 'practice-stalls') return;
  // Calls come in pieces, as services send them: first the name, then the parameters in two halves.
  calls.forEach((call, index) => {
    const { name, arguments: given } = call.function;
    const half = Math.ceil(given.length / 2);
    chunk({
      index: 0,
      delta: { tool_calls: [{ index, id: call.id, type: 'function', function: { name, arguments: '' } }] },
      finish_reason: null,
    });
    for (const piece of [given.slice(0, half), given.slice(half)])
      chunk({ index: 0, delta: { tool_calls: [{ index, function: { arguments: piece } }] }, finish_reason: null });
  });
  chunk({ index: 0, delta: {}, finish_reason: finish });
  chunk(undefined, { usage });
  res.end('data: [DONE]\n\n');
}

/** Cuts the line in the middle of a piece, once what was written has left. */
function breakOff(res: Response): void {
  res.write('data: {', () => res.destroy());
}

async function drip(res: Response, text: string): Promise<void> {
  for (const byte of text) {
    if (res.destroyed) return;
    res.write(byte);
    await wait(DRIP_MS);
  }
  res.end();
}

async function endless(res: Response, line: (choice: unknown) => string): Promise<void> {
  const words = function* (): Generator<string> {
    for (let i = 0; i < ENDLESS_WORDS; i++) yield line({ index: 0, delta: { content: 'word ' }, finish_reason: null });
    yield line({ index: 0, delta: {}, finish_reason: 'stop' }) + 'data: [DONE]\n\n';
  };
  // Whoever had enough has gone before the end.
  await pipeline(words, res).catch(() => undefined);
}
