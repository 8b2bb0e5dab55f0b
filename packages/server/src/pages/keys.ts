import { createHmac, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import { newSecret } from '../base/clock.js';

const derive = promisify(scrypt) as (password: string, salt: string, length: number) => Promise<Buffer>;
const SECRET_LETTERS = 43;
const MARK_LETTERS = 22;

/** A password as it is kept: scrypt with a salt of its own (RFC 7914). */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16).toString('base64url');
  return `${salt}:${(await derive(password.normalize('NFKC'), salt, 32)).toString('base64url')}`;
}

export async function isPassword(password: string, kept: string): Promise<boolean> {
  const [salt = '', hash = ''] = kept.split(':');
  return same((await derive(password.normalize('NFKC'), salt, 32)).toString('base64url'), hash);
}

/** What a visitor's key is good for: a shared page, and the way in that it has now. */
export interface Way {
  readonly channelId: string;
  /** Who may enter, and the password's hash where there is one: a change makes keys no good. */
  readonly access: string;
}

function mark(secret: string, { channelId, access }: Way, key: Uint8Array): string {
  return createHmac('sha256', key).update(`page ${channelId} ${access} ${secret}`).digest('base64url').slice(0, MARK_LETTERS);
}

/** A key for a visitor who may enter: a secret, with our mark that they may. `secret` is that of an earlier key of theirs. */
export function visitorKey(way: Way, key: Uint8Array, secret: string = newSecret()): string {
  return secret + mark(secret, way, key);
}

/** The secret in a key, if it bears our mark for this way in. */
export function secretIn(given: string, way: Way, key: Uint8Array): string | undefined {
  const secret = given.slice(0, SECRET_LETTERS);
  return given.length === SECRET_LETTERS + MARK_LETTERS && same(given.slice(SECRET_LETTERS), mark(secret, way, key))
    ? secret
    : undefined;
}

function same(a: string, b: string): boolean {
  const [x, y] = [Buffer.from(a), Buffer.from(b)];
  return x.length === y.length && timingSafeEqual(x, y);
}
