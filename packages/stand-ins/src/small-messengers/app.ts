import express, { type Express, type Request, type Response } from 'express';
import { SHAPES, updatesOf, type Deed, type Got } from './shapes.js';

/** What is told of the bot: its token, where its webhooks go, and how the messenger is just now. */
interface Setting {
  token: string;
  hook: string;
  /** So many of the next calls are answered with 429 and this many seconds to wait. */
  busy: number;
  wait: number;
  /** Webhooks are sent so often. */
  times: number;
}

const MOST = 2000;
const LONGEST_WAIT_MS = 20_000;
const PICTURE = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);

/** One messenger of a shape. */
class Small {
  readonly setting: Setting = { token: 'small-token', hook: '', busy: 0, wait: 1, times: 1 };
  readonly got: (Got & { readonly id: string })[] = [];
  readonly deeds: Deed[] = [];
  readonly #keys = new Map<string, string>();
  readonly #waiting = new Set<() => void>();
  #count = 0;

  /** A call that is the same as one before by its key is that one. */
  take(got: Got, key: string | undefined): string {
    const known = key === undefined ? undefined : this.#keys.get(key);
    if (known !== undefined) return known;
    const id = `m${++this.#count}`;
    if (key !== undefined) this.#keys.set(key, id);
    if (this.got.push({ ...got, id }) > MOST) this.got.shift();
    return id;
  }

  did(deed: Deed): void {
    if (this.deeds.push(deed) > MOST) this.deeds.shift();
    for (const wake of this.#waiting) wake();
  }

  /** Resolves when something happens, or after a while. */
  something(ms: number): Promise<void> {
    return new Promise((resolve) => {
      const end = () => (clearTimeout(timer), this.#waiting.delete(end), resolve());
      const timer = setTimeout(end, ms);
      this.#waiting.add(end);
    });
  }
}

/**
 * Four small messengers, one for each shape of API: a bot's side under /SHAPE, and under /control/SHAPE what people do there and what
 * the bot has said to them.
 */
export function createSmallMessengersApp(): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.json({ limit: '1mb' }));
  const all = new Map(Object.keys(SHAPES).map((name) => [name, new Small()]));
  const find = (req: Request): Small | undefined => all.get(String(req.params['shape']));
  const address = (req: Request, shape: string) => (file: string) =>
    `${req.protocol}://${req.get('host') ?? ''}/${shape}/media/${file}`;
  app.get('/control/:shape', (req, res) => {
    const small = find(req);
    if (!small) return void res.status(404).end();
    res.json({ setting: { ...small.setting, token: undefined }, got: small.got });
  });
  app.put('/control/:shape', async (req, res) => {
    const small = find(req);
    if (!small) return void res.status(404).end();
    Object.assign(small.setting, req.body as Partial<Setting>);
    if (small.setting.hook === '' || req.params['shape'] !== 'challenge') return void res.json({ connected: true });
    const { hook, token } = small.setting;
    const answer = await fetch(`${hook}?token=${encodeURIComponent(token)}&challenge=word-1`);
    res
      .status(answer.status === 200 && (await answer.text()) === 'word-1' ? 200 : 422)
      .json({ connected: answer.status === 200 });
  });
  app.post('/control/:shape', async (req, res) => {
    const small = find(req);
    const shape = SHAPES[String(req.params['shape'])];
    if (!small || !shape) return void res.status(404).end();
    const deeds = ([req.body as unknown].flat() as Deed[]).map((d) => ({ ...d, id: d.id ?? `u${small.deeds.length + 1}` }));
    deeds.forEach((d) => small.did(d));
    if (!shape.hook) return void res.json({ sent: deeds.length });
    const body = JSON.stringify(shape.hook(deeds, address(req, String(req.params['shape']))));
    const statuses: number[] = [];
    for (let i = 0; i < small.setting.times; i++) {
      const headers = shape.headers(small.setting.token, body, Math.floor(Date.now() / 1000));
      const sent = await fetch(small.setting.hook, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...headers },
        body,
      });
      statuses.push(sent.status);
    }
    res.json({ sent: deeds.length, statuses });
  });
  app.get('/:shape/media/:file', (req, res) => void media(req, res, find(req)));
  app.use('/:shape', async (req, res) => {
    const small = find(req);
    const shape = SHAPES[String(req.params['shape'])];
    if (!small || !shape) return void res.status(404).end();
    if (!shape.shows(small.setting.token, req.path, req.headers))
      return void res.status(401).json({ ok: false, trouble: 'the token is not known' });
    if (/\/files\/[^/]+$/.test(req.path)) return void res.type('image/png').send(PICTURE);
    if (req.method === 'GET' && req.path === '/updates') return updates(small, req, res, address(req, 'long-polling'));
    if (small.setting.busy > 0) {
      small.setting.busy--;
      return void res
        .status(429)
        .setHeader('retry-after', String(small.setting.wait))
        .json({ ok: false, trouble: 'too many', wait: small.setting.wait });
    }
    const got = shape.call(
      decodeURIComponent(req.path).replace(`/bot/${small.setting.token}`, ''),
      req.body as Record<string, unknown>,
    );
    if (!got) return void res.status(404).json({ ok: false, trouble: `there is nothing at ${req.path}` });
    res.json(shape.answer(small.take(got, req.get('idempotency-key'))));
  });
  return app;
}

function media(req: Request, res: Response, small: Small | undefined): void {
  const shows = req.headers.authorization === `Bearer ${small?.setting.token}` || req.headers['x-token'] === small?.setting.token;
  if (!small || !shows) res.status(401).end();
  else res.type('image/png').send(PICTURE);
}

/** What happened behind a number; where nothing has, the asking waits. */
async function updates(small: Small, req: Request, res: Response, address: (file: string) => string): Promise<void> {
  const after = Number(req.query['after'] ?? 0) || 0;
  const wait = Math.min(LONGEST_WAIT_MS, (Number(req.query['wait'] ?? 0) || 0) * 1000);
  if (small.deeds.length <= after && wait > 0) await small.something(wait);
  const fresh = small.deeds.slice(after);
  res.json(updatesOf(fresh, after + fresh.length, address));
}
