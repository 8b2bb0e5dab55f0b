import type { BotDocument } from '@primrose/core';
import { connectionAddresses, standIns } from '../store/connections.js';
import type { Db } from '../store/database.js';
import { connectionOwner, type Secrets } from './secrets.js';

/** Where a connection is reached, and how Primrose shows itself there; or a sentence that says what is missing. */
export type Reach =
  | {
      readonly ok: true;
      readonly address: string;
      readonly headers: Readonly<Record<string, string>>;
      /** What must not stand in any reason that is kept or shown. */
      readonly secrets: readonly string[];
    }
  | { readonly ok: false; readonly reason: string };

export type FindReach = (connection: string) => Promise<Reach>;

/** Finds the connections of one bot; addresses and secrets are each read once, when the first is needed. */
export function createReach(db: Db, secrets: Secrets, botId: string, document: BotDocument): FindReach {
  let addresses: Promise<ReadonlyMap<string, string>> | undefined;
  let opened: Promise<Readonly<Record<string, string>>> | undefined;
  return async (connection) => {
    const written = document.connections?.[connection];
    addresses ??= connectionAddresses(db, botId);
    const address = (await addresses).get(connection) ?? written?.address;
    if (address === undefined)
      return { ok: false, reason: `the connection "${connection}" has no address; give it one on the Actions page` };
    if (written?.auth === undefined) return { ok: true, address, headers: {}, secrets: [] };
    opened ??= secrets.open(connectionOwner(botId)).catch(() => ({}));
    const secret = (await opened)[connection];
    if (secret === undefined)
      return { ok: false, reason: `the connection "${connection}" has no secret that can be read; enter it on the Actions page` };
    return { ok: true, address, headers: shown(written.auth, secret), secrets: [secret] };
  };
}

/**
 * Finds the stand-ins of one bot's connections. A stand-in is shown a made-up secret in the place of the real one, which
 * stays with the service that it is for.
 */
export function createStandInReach(db: Db, botId: string, document: BotDocument): FindReach {
  let found: Promise<ReadonlyMap<string, string>> | undefined;
  return async (connection) => {
    const auth = document.connections?.[connection]?.auth;
    found ??= standIns(db, botId);
    const address = (await found).get(connection);
    if (address === undefined)
      return {
        ok: false,
        reason: `the connection "${connection}" has no stand-in; give it one on the Actions page, or use samples`,
      };
    return { ok: true, address, headers: auth === undefined ? {} : shown(auth, 'stand-in'), secrets: [] };
  };
}

/** The header in which a secret is shown (RFC 6750, RFC 7617, or one of the service's own). */
function shown(auth: 'bearer' | 'basic' | { readonly header: string }, secret: string): Record<string, string> {
  if (auth === 'bearer') return { authorization: `Bearer ${secret}` };
  if (auth === 'basic') return { authorization: `Basic ${Buffer.from(secret).toString('base64')}` };
  return { [auth.header.toLowerCase()]: secret };
}
