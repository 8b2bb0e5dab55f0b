import express, { type Express, type Request, type Response } from 'express';
import { type Letter, type Messenger, PEOPLE, ROOMS } from './gull.js';
import { PHONE_SCRIPT, phonesPage } from './page.js';

const text = (v: unknown): string => (typeof v === 'string' ? v : '');

const ownAddress = (req: Request): string => `${req.protocol}://${req.get('host') ?? ''}`;

function refuse(res: Response, status: number, detail: string): void {
  res.status(status).json({ trouble: detail });
}

/** The HTTP side of Gullpost: the API that desks use, and the page with the phones. */
export function createMessengerApp(messenger: Messenger): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.json({ limit: '7mb' }));
  addPhones(app, messenger);
  app.use('/api', (req, res, next) => {
    if (req.headers.authorization === `Bearer ${messenger.settings.token}`) next();
    else refuse(res, 401, 'the token is not right');
  });
  addApi(app, messenger);
  app.use((req, res) => refuse(res, 404, `there is nothing at ${req.path}`));
  return app;
}

function addApi(app: Express, messenger: Messenger): void {
  app.put('/api/hook', async (req: Request, res: Response) => {
    const { address, check, desk } = req.body as { address?: unknown; check?: unknown; desk?: unknown };
    const trouble = await messenger.setHook(text(address), text(check), text(desk) || undefined);
    if (trouble !== undefined) refuse(res, 422, trouble);
    else res.json({ connected: true });
  });
  app.post('/api/letters', (req, res) => {
    const body = req.body as { to?: unknown; words?: unknown; picks?: unknown; pictures?: unknown; links?: unknown };
    const to = text(body.to);
    if (!messenger.letters(to)) return refuse(res, 404, `nobody has the number ${to}`);
    if (text(body.words).length > 600) return refuse(res, 422, 'a letter has at most 600 characters');
    if (messenger.isBusy()) {
      res.setHeader('retry-after', '1');
      return refuse(res, 429, 'too many letters at once');
    }
    const picks = (Array.isArray(body.picks) ? body.picks : []) as Letter['picks'];
    const pictures = (Array.isArray(body.pictures) ? body.pictures : []) as string[];
    const links = (Array.isArray(body.links) ? body.links : []) as NonNullable<Letter['links']>;
    const id = messenger.deliver(to, { words: text(body.words), picks, pictures, links }, req.get('idempotency-key'));
    res.status(201).json({ letter: id });
  });
  app.get('/api/pictures/:id', (req, res) => {
    const picture = messenger.picture(req.params.id);
    if (!picture) return refuse(res, 404, 'there is no such picture');
    res.type(picture.type).send(picture.bytes);
  });
  app.post('/api/quills', (req, res) => {
    messenger.quill(text((req.body as { to?: unknown }).to));
    res.status(204).end();
  });
}

function addPhones(app: Express, messenger: Messenger): void {
  app.get('/', (_req, res) => void res.type('html').send(phonesPage()));
  app.get('/phones.js', (_req, res) => void res.type('text/javascript').send(PHONE_SCRIPT));
  app.get('/phones', (_req, res) => {
    const phones = PEOPLE.map((p) => ({ ...p, letters: messenger.letters(p.number), writing: messenger.writing(p.number) }));
    const rooms = ROOMS.map((r) => ({ ...r, letters: messenger.letters(r.id), writing: messenger.writing(r.id) }));
    res.json({ connected: messenger.connected, phones, rooms });
  });
  app.post('/rooms/:room', async (req: Request, res: Response) => {
    const room = ROOMS.find((r) => r.id === req.params['room']);
    const { from, words, picture } = req.body as { from?: unknown; words?: unknown; picture?: string };
    const person = room?.people.find((p) => p.number === from) ?? room?.people[0];
    if (!room || !person) return refuse(res, 404, 'there is no such room');
    await messenger.writeInRoom(room, person, { words: text(words), ...(picture ? { picture } : {}) }, ownAddress(req));
    res.status(204).end();
  });
  app.post('/phones/:number', async (req: Request, res: Response) => {
    const person = PEOPLE.find((p) => p.number === req.params['number']);
    if (!person) return refuse(res, 404, 'nobody has this number');
    const { words, pick, picture } = req.body as { words?: string; pick?: { id: string; label: string }; picture?: string };
    const said = { ...(words ? { words } : {}), ...(pick ? { pick } : {}), ...(picture ? { picture } : {}) };
    await messenger.write(person, said, ownAddress(req));
    res.status(204).end();
  });
}
