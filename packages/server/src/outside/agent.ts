import { lookup } from 'node:dns/promises';
import { isIP } from 'node:net';
import ipaddr from 'ipaddr.js';
import { Agent } from 'undici';

export type AllowedAddresses = 'none' | 'loopback' | 'all';

/** True when an IP address may be called under the operator's setting. */
export function mayCall(ip: string, allowed: AllowedAddresses): boolean {
  const range = ipaddr.process(ip).range();
  if (range === 'unicast' || allowed === 'all') return true;
  return range === 'loopback' && allowed === 'loopback';
}

/** A host whose address must not be called. */
export class RefusedAddress extends Error {}

/** What is told when a private address was refused. */
export function refusedReason(host: string): string {
  return `${host} is a private address; the operator can allow such calls with PRIMROSE_PRIVATE_ADDRESSES`;
}

/** Resolves a host, once. Throws RefusedAddress where it is a private one that may not be called, and where it has no address. */
export async function checkedAddress(host: string, allowed: AllowedAddresses): Promise<{ address: string; family: number }> {
  const [found] = await lookup(host, { all: true });
  if (!found) throw new Error(`${host} has no address`);
  if (!mayCall(found.address, allowed)) throw new RefusedAddress(host);
  return found;
}

/** Throws RefusedAddress where a URL names a private address outright; names are looked at when they are resolved. */
export function assertMayCall(url: URL, allowed: AllowedAddresses): void {
  const host = url.hostname.replace(/^\[|\]$/g, '');
  if (isIP(host) && !mayCall(host, allowed)) throw new RefusedAddress(host);
}

/** The connections of all calls to the outside. An address is resolved once, checked, and the checked one is connected to. */
export function createOutsideAgent(allowed: AllowedAddresses, maxAnswerBytes: number): Agent {
  return new Agent({
    connect: {
      lookup: (host, _options, done) => {
        checkedAddress(host, allowed).then(
          (found) => done(null, [found]),
          (error: unknown) => done(error as NodeJS.ErrnoException, []),
        );
      },
    },
    maxResponseSize: maxAnswerBytes,
  });
}
