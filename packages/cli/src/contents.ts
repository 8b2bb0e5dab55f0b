import type { Client } from '@primrose/contract';
import type { GetContent } from './folder.js';

/** Contents by their hashes, read when they are sent. */
export type LocalContents = ReadonlyMap<string, () => Uint8Array>;

/** Sends a bot those contents that it was not given yet; how many these were. */
export async function sendContents(client: Client, bot: string, contents: LocalContents): Promise<number> {
  const hashes = [...contents.keys()];
  if (hashes.length === 0) return 0;
  const { missing } = await client.call('missingContents', { params: { bot }, body: { hashes } });
  for (const hash of missing) {
    const bytes = Uint8Array.from(contents.get(hash)?.() ?? []);
    await client.upload('putContent', { params: { bot, hash } }, { type: 'application/octet-stream', bytes });
  }
  return missing.length;
}

/** The same for a bot that is not made yet, or is none here: they are kept for the person, for a day. */
export async function bringContents(client: Client, contents: LocalContents): Promise<void> {
  const hashes = [...contents.keys()];
  if (hashes.length === 0) return;
  const { missing } = await client.call('missingBrought', { body: { hashes } });
  for (const hash of missing) {
    const bytes = Uint8Array.from(contents.get(hash)?.() ?? []);
    await client.upload('bringContent', { params: { hash } }, { type: 'application/octet-stream', bytes });
  }
}

/** Gets contents of a bot. */
export function contentGetter(client: Client, bot: string): GetContent {
  return async (hash) => (await client.download('getContent', { params: { bot, hash } })).bytes;
}
