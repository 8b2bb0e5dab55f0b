import type { AllowedAddresses } from '../outside/agent.js';
import { addressIn, BadAnswer, createCaller } from '../outside/call.js';
import { MOST_FILE_BYTES } from './limits.js';

const FETCH_MS = 8000;

export type Fetched =
  | { readonly ok: true; readonly bytes: Uint8Array; readonly type: string; readonly name: string }
  | { readonly ok: false; readonly reason: string };

/** Fetches a file from an address outside; never throws. `ms` is the time for it, eight seconds at most. */
export type FetchFile = (address: string, headers: Readonly<Record<string, string>>, ms: number) => Promise<Fetched>;

/** Makes the fetcher of files that are sent by their address, within the size of a file and the rule for addresses outside. */
export function createFetcher(allowed: AllowedAddresses): { fetch: FetchFile; close: () => Promise<void> } {
  const { call, close } = createCaller(allowed, MOST_FILE_BYTES);
  const fetch: FetchFile = async (address, headers, ms) => {
    const url = addressIn(address);
    if (!url) return { ok: false, reason: 'what stands for it is no address' };
    if (ms <= 0) return { ok: false, reason: 'the files before it took too long' };
    const wanted = { url, method: 'GET', headers: { ...headers }, timeoutMs: Math.min(ms, FETCH_MS), changes: false };
    const came = await call(wanted, async ({ status, headers: told, body }) => {
      if (status >= 300) throw new BadAnswer(`answered with status ${status}`);
      const chunks: Buffer[] = [];
      for await (const chunk of body) chunks.push(chunk);
      const type = [told['content-type']].flat()[0] ?? '';
      return { ok: true as const, bytes: Buffer.concat(chunks), type, name: url.pathname.split('/').at(-1) ?? 'file' };
    });
    return 'outcome' in came ? { ok: false, reason: came.reason } : came;
  };
  return { fetch, close };
}
