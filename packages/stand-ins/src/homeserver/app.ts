import express, { type Express, type Request, type Response } from 'express';

/*
 * A homeserver as far as a bot's side of Matrix's client-server API (v3) goes: syncing, joining, sending, typing, media. People are made
 * up and act through /control.
 */

interface RoomEvent {
  readonly event_id: string;
  readonly type: string;
  readonly sender: string;
  readonly origin_server_ts: number;
  readonly content: Readonly<Record<string, unknown>>;
  readonly state_key?: string;
}

interface Room {
  readonly id: string;
  readonly members: Set<string>;
  readonly invited: Set<string>;
}

/** One thing that happened, in the order of the server. */
type Happened =
  | { readonly as: 'event'; readonly room: string; readonly event: RoomEvent }
  | { readonly as: 'receipt'; readonly room: string; readonly event: string; readonly user: string }
  | { readonly as: 'invite'; readonly room: string; readonly user: string };

const MOST = 5000;
const LONGEST_WAIT_MS = 30_000;
const PICTURE = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);
const text = (v: unknown): string => (typeof v === 'string' ? v : '');

/** The made-up homeserver. */
export class Homeserver {
  readonly user: string;
  token = 'matrix-token';
  /** So many of the next sendings are refused as too many, with so long to wait. */
  busy = 0;
  waitMs = 300;
  readonly typing: string[] = [];
  readonly names = new Map<string, string>();
  readonly #rooms = new Map<string, Room>();
  readonly #happened: Happened[] = [];
  readonly #transactions = new Map<string, string>();
  readonly #waiting = new Set<() => void>();
  #count = 0;

  constructor(user = '@desk:matrix.marrow-sound.example') {
    this.user = user;
  }

  room(id: string): Room {
    const found = this.#rooms.get(id) ?? { id, members: new Set<string>(), invited: new Set<string>() };
    this.#rooms.set(id, found);
    return found;
  }

  /** Puts an event into a room; returns its id. */
  put(
    room: string,
    sender: string,
    type: string,
    content: RoomEvent['content'],
    more: { id?: string; state_key?: string } = {},
  ): string {
    const event_id = more.id ?? `$e${++this.#count}`;
    const event = {
      event_id,
      type,
      sender,
      origin_server_ts: Date.now(),
      content,
      ...(more.state_key === undefined ? {} : { state_key: more.state_key }),
    };
    this.happens({ as: 'event', room, event });
    return event_id;
  }

  happens(what: Happened): void {
    if (this.#happened.push(what) > MOST) throw new Error('too much has happened at this homeserver');
    for (const wake of this.#waiting) wake();
  }

  joins(room: string, user: string, name: string): void {
    const found = this.room(room);
    if (found.members.has(user)) return;
    found.members.add(user);
    this.names.set(user, name);
    found.invited.delete(user);
    this.put(room, user, 'm.room.member', { membership: 'join', displayname: name }, { state_key: user });
  }

  /** What the bot sends with a transaction, once. */
  sends(room: string, transaction: string, type: string, content: RoomEvent['content']): string {
    const known = this.#transactions.get(transaction);
    if (known !== undefined) return known;
    const id = this.put(room, this.user, type, content);
    this.#transactions.set(transaction, id);
    return id;
  }

  /** What was said in a room, by whom. */
  said(
    room: string,
  ): { readonly by: string; readonly body: string; readonly id: string; readonly content: RoomEvent['content'] }[] {
    return this.#happened.flatMap((h) =>
      h.as === 'event' && h.room === room && h.event.type === 'm.room.message'
        ? [{ by: h.event.sender, body: text(h.event.content['body']), id: h.event.event_id, content: h.event.content }]
        : [],
    );
  }

  something(ms: number): Promise<void> {
    return new Promise((resolve) => {
      const end = () => (clearTimeout(timer), this.#waiting.delete(end), resolve());
      const timer = setTimeout(end, ms);
      this.#waiting.add(end);
    });
  }

  get end(): number {
    return this.#happened.length;
  }

  /** The answer to a sync behind a number. */
  sync(since: number): unknown {
    const join: Record<
      string,
      { timeline: { events: RoomEvent[] }; ephemeral: { events: unknown[] }; state: { events: RoomEvent[] }; summary: unknown }
    > = {};
    const invite: Record<string, unknown> = {};
    const part = (room: string) =>
      (join[room] ??= {
        timeline: { events: [] },
        ephemeral: { events: [] },
        state: { events: [] },
        summary: {},
      });
    for (const h of this.#happened.slice(since)) {
      const { members } = this.room(h.room);
      if (h.as === 'invite' && h.user === this.user && !members.has(this.user)) invite[h.room] = { invite_state: { events: [] } };
      if (!members.has(this.user)) continue;
      if (h.as === 'event') part(h.room).timeline.events.push(h.event);
      // A count is told when it changes, and only then.
      if (h.as === 'event' && h.event.type === 'm.room.member') part(h.room).summary = { 'm.joined_member_count': members.size };
      if (h.as === 'receipt')
        part(h.room).ephemeral.events.push({ type: 'm.receipt', content: { [h.event]: { 'm.read': { [h.user]: { ts: 1 } } } } });
    }
    return { next_batch: `s${this.#happened.length}`, rooms: { join, invite } };
  }
}

function refuse(res: Response, status: number, errcode: string, error: string, more: Record<string, unknown> = {}): void {
  res.status(status).json({ errcode, error, ...more });
}

/** The HTTP side: what a bot asks, and /control for people. */
export function createHomeserverApp(server: Homeserver): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.json({ limit: '1mb' }));
  addControl(app, server);
  app.use('/_matrix', (req, res, next) => {
    if (req.headers.authorization === `Bearer ${server.token}`) next();
    else refuse(res, 401, 'M_UNKNOWN_TOKEN', 'This token is not known');
  });
  app.get('/_matrix/client/v3/sync', async (req, res) => {
    const since = text(req.query['since']);
    if (since === '') return void res.json(server.sync(0));
    const from = Number(since.slice(1));
    if (server.end <= from) await server.something(Math.min(LONGEST_WAIT_MS, Number(req.query['timeout'] ?? 0) || 1));
    res.json(server.sync(from));
  });
  app.post('/_matrix/client/v3/join/:room', (req, res) => {
    server.joins(req.params.room, server.user, 'Harbour desk');
    res.json({ room_id: req.params.room });
  });
  app.get('/_matrix/client/v3/rooms/:room/joined_members', (req, res) => {
    const named = new Map(server.names);
    const members = [...server.room(req.params.room).members];
    res.json({ joined: Object.fromEntries(members.map((user) => [user, { display_name: named.get(user) ?? null }])) });
  });
  app.put('/_matrix/client/v3/rooms/:room/send/:type/:transaction', (req, res) => {
    const { room, type, transaction } = req.params;
    if (server.busy > 0) {
      server.busy--;
      return refuse(res, 429, 'M_LIMIT_EXCEEDED', 'Too many requests', { retry_after_ms: server.waitMs });
    }
    if (!server.room(room).members.has(server.user)) return refuse(res, 403, 'M_FORBIDDEN', 'You are not in this room');
    res.json({ event_id: server.sends(room, transaction, type, req.body as Record<string, unknown>) });
  });
  app.put('/_matrix/client/v3/rooms/:room/typing/:user', (req, res) => {
    server.typing.push(req.params.room);
    res.json({});
  });
  app.get('/_matrix/client/v1/media/download/:server/:id', (_req, res) => void res.type('image/png').send(PICTURE));
  app.use((_req, res) => refuse(res, 404, 'M_UNRECOGNIZED', 'There is nothing here'));
  return app;
}

/** What people do: come into a room, say, edit, read, react. */
function addControl(app: Express, server: Homeserver): void {
  app.post('/control/rooms/:room', (req: Request, res: Response) => {
    const room = String(req.params['room']);
    const { people = [] } = req.body as { people?: { user: string; name: string }[] };
    for (const { user, name } of people) server.joins(room, user, name);
    server.room(room).invited.add(server.user);
    server.happens({ as: 'invite', room, user: server.user });
    res.json({});
  });
  app.post('/control/rooms/:room/events', (req: Request, res: Response) => {
    const {
      by,
      type = 'm.room.message',
      content,
      id,
    } = req.body as { by: string; type?: string; content: Record<string, unknown>; id?: string };
    res.json({ event_id: server.put(String(req.params['room']), by, type, content, id === undefined ? {} : { id }) });
  });
  app.post('/control/rooms/:room/receipts', (req: Request, res: Response) => {
    const { by, event } = req.body as { by: string; event: string };
    server.happens({ as: 'receipt', room: String(req.params['room']), event, user: by });
    res.json({});
  });
  app.get(
    '/control/rooms/:room',
    (req: Request, res: Response) => void res.json({ said: server.said(String(req.params['room'])), typing: server.typing }),
  );
  app.put('/control', (req: Request, res: Response) => {
    Object.assign(server, req.body as object);
    res.json({});
  });
}
