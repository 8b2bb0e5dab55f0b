import { newId, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { insertChannelEvent, type ChannelEventRow } from '../store/messenger.js';

const MAX_PAYLOAD = 20_000;

/** Notes what happened on a channel; payloads are cut at a length that a page can show. */
export async function note(
  { db, clock }: { readonly db: Db; readonly clock: Clock },
  channelId: string,
  row: Omit<ChannelEventRow, 'id' | 'channel_id' | 'at'>,
): Promise<void> {
  const { payload } = row;
  const at = clock.now();
  const kept = payload !== null && payload.length > MAX_PAYLOAD ? JSON.stringify(payload.slice(0, MAX_PAYLOAD)) : payload;
  await insertChannelEvent(db, { ...row, payload: kept, id: newId(clock), channel_id: channelId, at });
}
