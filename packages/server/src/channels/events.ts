import { newId, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { countChannelEvent, insertChannelEvent, type ChannelEventRow } from '../store/messenger.js';

const MAX_PAYLOAD = 20_000;

/** Notes what happened on a channel; payloads are cut at a length that a page can show. */
export async function note(
  { db, clock }: { readonly db: Db; readonly clock: Clock },
  channelId: string,
  row: Omit<ChannelEventRow, 'id' | 'channel_id' | 'at' | 'times'>,
): Promise<void> {
  const { payload } = row;
  const at = clock.now();
  const kept = payload !== null && payload.length > MAX_PAYLOAD ? JSON.stringify(payload.slice(0, MAX_PAYLOAD)) : payload;
  await insertChannelEvent(db, { ...row, payload: kept, id: newId(clock), channel_id: channelId, at });
}

const COUNT_EVERY_MS = 1000;

/** Counts what anybody can bring about, such as forged webhooks: one row a channel, written once a second at most. */
export class Counted {
  readonly #parts: { readonly db: Db; readonly clock: Clock };
  readonly #waiting = new Map<string, { readonly channelId: string; readonly about: string; times: number }>();

  constructor(parts: { readonly db: Db; readonly clock: Clock }) {
    this.#parts = parts;
  }

  refused(channelId: string, about: string): void {
    const key = `${channelId} ${about}`;
    const known = this.#waiting.get(key);
    if (known) known.times++;
    else this.#waiting.set(key, { channelId, about, times: 1 });
    if (!known) this.#parts.clock.after(COUNT_EVERY_MS, () => void this.#write(key));
  }

  async #write(key: string): Promise<void> {
    const { db, clock } = this.#parts;
    const found = this.#waiting.get(key);
    this.#waiting.delete(key);
    if (!found) return;
    const { channelId, about, times } = found;
    const nobody = { direction: 'in', outcome: 'refused', sender: null, conversation_id: null, payload: null } as const;
    const row = { id: newId(clock), channel_id: channelId, about, at: clock.now(), ...nobody };
    // A count is not worth an error to anybody: what is lost of it while the database is away is lost.
    await countChannelEvent(db, row, times).catch(() => undefined);
  }
}
