import express, { type Express, type Response } from 'express';
import { answer, type Asked } from './machine.js';

/** How a model of this service behaves; the name of the model says it. */
const MODES = {
  practice: 'answers at once',
  'practice-slow': 'writes a word every 150 ms',
  'practice-stalls': 'begins and then says nothing more',
  'practice-breaks': 'breaks off in the middle',
  'practice-page': 'answers with a web page',
  'practice-refuses': 'refuses with status 500',
} as const;
type Mode = keyof typeof MODES;

const SLOW_MS = 150;
const tokensOf = (text: string): number => Math.max(1, Math.ceil(text.length / 4));
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

interface Body extends Asked {
  readonly model?: string;
  readonly stream?: boolean;
  readonly max_tokens?: number;
  readonly response_format?: { readonly json_schema?: { readonly schema?: NonNullable<Asked['schema']> } };
}

/** The model service: the chat-completions form over HTTP, with models that misbehave in known ways. */
export function createModelService(): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.json({ limit: '2mb' }));
  app.get('/v1/models', (_req, res) => {
    res.json({ object: 'list', data: Object.entries(MODES).map(([id, about]) => ({ id, object: 'model', about })) });
  });
  app.post('/v1/chat/completions', (req, res) => void complete(req.body as Body, res));
  app.use((req, res) => void res.status(404).json({ error: { message: `there is nothing at ${req.path}` } }));
  return app;
}

async function complete(body: Body, res: Response): Promise<void> {
  const mode = (body.model ?? '') as Mode;
  if (!(mode in MODES)) {
    res.status(404).json({ error: { message: `there is no model "${body.model}"; there are ${Object.keys(MODES).join(', ')}` } });
    return;
  }
  if (!Array.isArray(body.messages)) {
    res.status(400).json({ error: { message: 'messages should be a list' } });
    return;
  }
  if (mode === 'practice-page') return void res.type('html').send('<!doctype html><title>Welcome</title><h1>It works</h1>');
  if (mode === 'practice-refuses')
    return void res.status(500).json({ error: { message: 'this model refuses, for an exercise' } });
  const schema = body.response_format?.json_schema?.schema;
  const messages: Asked['messages'] = body.messages;
  const whole = answer({ messages, ...(schema ? { schema } : {}) });
  const most = body.max_tokens ?? Infinity;
  const cut = tokensOf(whole) > most;
  const text = cut ? whole.slice(0, most * 4) : whole;
  const usage = {
    prompt_tokens: messages.reduce((sum, m) => sum + tokensOf(m.content), 0),
    completion_tokens: tokensOf(text),
  };
  const finish = cut ? 'length' : 'stop';
  if (body.stream !== true) {
    const message = { role: 'assistant', content: text };
    res.json({ object: 'chat.completion', model: mode, choices: [{ index: 0, message, finish_reason: finish }], usage });
    return;
  }
  await stream(res, mode, text, finish, usage);
}

async function stream(res: Response, mode: Mode, text: string, finish: string, usage: unknown): Promise<void> {
  res.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-cache' });
  const chunk = (choice: unknown, more: object = {}) =>
    res.write(
      `data: ${JSON.stringify({ object: 'chat.completion.chunk', model: mode, choices: choice ? [choice] : [], ...more })}\n\n`,
    );
  const words = text.match(/\S+\s*/g) ?? [text];
  for (const [i, word] of words.entries()) {
    if (mode === 'practice-slow') await wait(SLOW_MS);
    if (res.destroyed) return;
    if (i >= words.length / 2 && mode === 'practice-breaks') return breakOff(res);
    if (i >= 1 && mode === 'practice-stalls') return;
    chunk({ index: 0, delta: { content: word }, finish_reason: null });
  }
  if (mode === 'practice-breaks') return breakOff(res);
  if (mode === 'practice-stalls') return;
  chunk({ index: 0, delta: {}, finish_reason: finish });
  chunk(undefined, { usage });
  res.end('data: [DONE]\n\n');
}

/** Cuts the line in the middle of a piece, once what was written has left. */
function breakOff(res: Response): void {
  res.write('data: {', () => res.destroy());
}
