import { askingLine } from '../asking.js';
import { NoLine, type Line, type LinePort } from '../channel.js';
import { askMatrix } from './calls.js';
import { joinedRooms, readSync, roomFacts, type RoomFacts } from './events.js';
import type { MatrixSettings } from './settings.js';

/** The homeserver keeps an asking open so long. */
const WAIT_MS = 20_000;
const FILTER = JSON.stringify({
  presence: { types: [] },
  account_data: { types: [] },
  room: {
    timeline: { limit: 50 },
    ephemeral: { types: ['m.receipt'] },
    account_data: { types: [] },
    state: { lazy_load_members: true },
  },
});
const MOST_ROOMS = 5000;

/** Asks a homeserver for what is new, again and again (client-server API, Syncing); invitations are followed. */
export async function holdMatrix(port: LinePort, settings: MatrixSettings): Promise<Line> {
  const stop = new AbortController();
  const token = port.secrets['token'] ?? '';
  const rooms = new Map<string, RoomFacts>();
  let since = port.cursor ?? '';
  const ask = async (wait: number): Promise<number> => {
    const query = { filter: FILTER, timeout: String(wait), ...(since === '' ? {} : { since }) };
    const came = await askMatrix(port.caller, settings, token, {
      method: 'GET',
      path: ['sync'],
      query,
      ms: WAIT_MS + 15_000,
      stop: stop.signal,
    });
    if (!came.ok) {
      if (came.afterMs !== undefined) return came.afterMs;
      throw new NoLine(came.code === 'M_UNKNOWN_TOKEN' ? 'the homeserver does not accept the token any more' : came.reason);
    }
    await take(came.body);
    return 0;
  };
  /** Who is in a room that this line has not seen yet: a sync tells only what changes. */
  const look = async (room: string): Promise<void> => {
    const path = ['rooms', room, 'joined_members'];
    const came = await askMatrix(port.caller, settings, token, { method: 'GET', path, stop: stop.signal });
    if (!came.ok && came.away) throw new NoLine(came.reason);
    rooms.set(room, roomFacts(came.ok ? came.body : undefined));
    const [oldest] = rooms.keys();
    if (rooms.size > MOST_ROOMS && oldest !== undefined) rooms.delete(oldest);
  };
  const take = async (body: unknown): Promise<void> => {
    for (const room of joinedRooms(body)) if (!rooms.has(room)) await look(room);
    const read = readSync(body, settings, rooms);
    if (!read) throw new NoLine('the homeserver answered with something that is no sync');
    for (const room of read.invited)
      await askMatrix(port.caller, settings, token, { method: 'POST', path: ['join', room], body: {} });
    // What was said before the channel was connected is nobody's question any more.
    if (since !== '') {
      for (const came of read.came) await port.take({ ...came, headers: () => ({ authorization: `Bearer ${token}` }) });
      for (const sign of read.signs) await port.sign(sign);
    }
    if (read.next === since) return;
    await port.moveCursor(read.next);
    since = read.next;
  };
  return askingLine(port.clock, () => ask(WAIT_MS), await ask(0), stop);
}
