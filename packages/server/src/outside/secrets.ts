import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import type { Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import type { Db } from '../store/database.js';
import * as store from '../store/secrets.js';

const ALGORITHM = 'aes-256-gcm';
const FORM = 'v1';

/** Seals a text with AES-256-GCM (NIST SP 800-38D). `about` is bound to it: moved to another place it cannot be opened. */
export function seal(key: Buffer, text: string, about: string): string {
  const iv = randomBytes(12);
  const cipher = createCipheriv(ALGORITHM, key, iv);
  cipher.setAAD(Buffer.from(about));
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
  return [FORM, iv.toString('base64'), cipher.getAuthTag().toString('base64'), sealed.toString('base64')].join('.');
}

/** Opens what `seal` made. Throws when key or place are other ones, or the text was changed. */
export function unseal(key: Buffer, sealed: string, about: string): string {
  const [form, iv, tag, text] = sealed.split('.');
  if (form !== FORM || iv === undefined || tag === undefined || text === undefined) throw new Error('no sealed secret');
  const decipher = createDecipheriv(ALGORITHM, key, Buffer.from(iv, 'base64'));
  decipher.setAAD(Buffer.from(about));
  decipher.setAuthTag(Buffer.from(tag, 'base64'));
  return decipher.update(text, 'base64', 'utf8') + decipher.final('utf8');
}

export const connectionOwner = (botId: string): string => `connection ${botId}`;
export const startOwner = (startId: string): string => `start ${startId}`;
export const channelOwner = (channelId: string): string => `channel ${channelId}`;

/** The secrets of connections and channels: written by people, read only to be shown to the service they are for. */
export class Secrets {
  readonly #db: Db;
  readonly #clock: Clock;
  readonly #key: Buffer | null;

  constructor(db: Db, clock: Clock, key: Buffer | null) {
    this.#db = db;
    this.#clock = clock;
    this.#key = key;
  }

  /** Keeps a secret in place of the one that was there; null takes it away. Ends the request where there is no key. */
  async set(owner: string, name: string, secret: string | null): Promise<void> {
    if (secret === null) return store.deleteSecret(this.#db, owner, name);
    if (!this.#key) throw new Refused('no-key', {});
    await store.putSecret(this.#db, { owner, name, sealed: seal(this.#key, secret, `${owner}/${name}`), at: this.#clock.now() });
  }

  /** The names of what is kept for an owner. */
  async names(owner: string): Promise<string[]> {
    return (await store.secretsOf(this.#db, owner)).map((s) => s.name);
  }

  /** All secrets of an owner in the clear. Throws where the key is missing or another one than they were sealed with. */
  async open(owner: string): Promise<Readonly<Record<string, string>>> {
    const rows = await store.secretsOf(this.#db, owner);
    if (rows.length === 0) return {};
    const key = this.#key;
    if (!key) throw new Error('secrets are stored, but PRIMROSE_SECRET_KEY is not set');
    return Object.fromEntries(rows.map((r) => [r.name, unseal(key, r.sealed, `${owner}/${r.name}`)]));
  }
}
