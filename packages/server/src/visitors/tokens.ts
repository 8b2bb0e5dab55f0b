import { createPublicKey, createSecretKey, type KeyObject } from 'node:crypto';
import type { TokenKey } from '@primrose/contract';
import { fitsType, type BotDocument, type Value, type Values } from '@primrose/core';
import type { TokenFault } from '../base/refused.js';
import { decodeProtectedHeader, errors, jwtVerify, type JWTPayload } from 'jose';

/*
 * Tokens by which a host page says who its user is: JSON Web Tokens (RFC 7519), signed with HS256 or RS256 (RFC 7518). A key is good for
 * its own algorithm only, whatever a token says of itself (RFC 8725, 3.1).
 */

/** What a token says of somebody. */
export interface TokenClaims {
  readonly subject: string;
  readonly name: string | null;
  readonly email: string | null;
  /** Whoever issued it has seen that the address is theirs. */
  readonly emailVerified: boolean;
  readonly issuedAt: Date | null;
  readonly key: string;
  readonly all: Readonly<Record<string, unknown>>;
}

export type ReadToken = { readonly ok: true; readonly claims: TokenClaims } | { readonly ok: false; readonly fault: TokenFault };

/** A token is good for no longer than this from now, so that a stolen one is worth little. */
const LONGEST_SECONDS = 86_400;
const TOLERANCE_SECONDS = 30;
const LONGEST_NAME = 80;
const LONGEST_SUBJECT = 200;

/** The keys of a web chat, and the secrets of those that are secrets. */
export interface TokenKeys {
  readonly keys: readonly TokenKey[];
  readonly secretOf: (key: TokenKey) => string | undefined;
  /** Who has to have issued tokens; null for anybody. */
  readonly issuer: string | null;
}

/** Reads a token and holds it against the keys of a web chat. */
export async function readToken(token: string, { keys, secretOf, issuer }: TokenKeys, now: Date): Promise<ReadToken> {
  const fail = (fault: TokenFault): ReadToken => ({ ok: false, fault });
  let header: { alg?: string; kid?: string };
  try {
    header = decodeProtectedHeader(token);
  } catch {
    return fail('malformed');
  }
  if (header.alg !== 'HS256' && header.alg !== 'RS256') return fail('algorithm');
  const fitting = header.kid === undefined ? keys : keys.filter((k) => k.id === header.kid);
  const [key, ...others] = header.kid === undefined ? fitting.filter((k) => k.algorithm === header.alg) : fitting;
  if (!key) return fail(fitting.length > 0 ? 'algorithm' : 'no-key');
  if (others.length > 0) return fail('key-unclear');
  if (key.algorithm !== header.alg) return fail('algorithm');
  const material = keyOf(key, secretOf(key));
  if (!material) return fail('no-key');
  try {
    const { payload } = await jwtVerify(token, material, {
      algorithms: [key.algorithm],
      currentDate: now,
      clockTolerance: TOLERANCE_SECONDS,
      requiredClaims: ['exp'],
      ...(issuer === null ? {} : { issuer }),
    });
    return claimsOf(payload, key.id, now);
  } catch (error) {
    return fail(faultOf(error));
  }
}

function keyOf({ algorithm, publicKey }: TokenKey, secret: string | undefined): KeyObject | undefined {
  if (algorithm === 'HS256') return secret === undefined ? undefined : createSecretKey(Buffer.from(secret, 'utf8'));
  return publicKey === null ? undefined : rsaPublicKey(publicKey);
}

/** A public RSA key of 2048 bits or more in PEM; undefined where the text is none. */
export function rsaPublicKey(pem: string): KeyObject | undefined {
  try {
    const key = createPublicKey(pem);
    const { modulusLength = 0 } = key.asymmetricKeyDetails ?? {};
    return key.asymmetricKeyType === 'rsa' && modulusLength >= 2048 && !/PRIVATE/.test(pem) ? key : undefined;
  } catch {
    return undefined;
  }
}

function faultOf(error: unknown): TokenFault {
  if (error instanceof errors.JWTExpired) return 'expired';
  if (error instanceof errors.JWSSignatureVerificationFailed) return 'forged';
  if (error instanceof errors.JOSEAlgNotAllowed) return 'algorithm';
  if (error instanceof errors.JWTClaimValidationFailed)
    return error.claim === 'iss' ? 'issuer' : error.claim === 'nbf' ? 'not-yet' : error.claim === 'exp' ? 'expired' : 'malformed';
  return 'malformed';
}

function claimsOf(payload: JWTPayload, key: string, now: Date): ReadToken {
  const { sub, exp = 0, iat } = payload;
  if (exp - now.getTime() / 1000 > LONGEST_SECONDS + TOLERANCE_SECONDS) return { ok: false, fault: 'too-long' };
  if (typeof sub !== 'string' || sub.trim() === '' || sub.length > LONGEST_SUBJECT) return { ok: false, fault: 'nobody' };
  const claims: TokenClaims = {
    subject: sub,
    name: shortText(payload['name'], LONGEST_NAME),
    email: emailIn(payload['email']),
    emailVerified: payload['email_verified'] === true,
    issuedAt: iat === undefined ? null : new Date(iat * 1000),
    key,
    all: payload,
  };
  return { ok: true, claims };
}

/** A short text that somebody else's service says of a person; null where it says none. */
export function shortText(value: unknown, most: number): string | null {
  const text = typeof value === 'string' ? value.replace(/\s+/g, ' ').trim().slice(0, most) : '';
  return text === '' ? null : text;
}

/** An e-mail address as it is compared; null where it is none. */
export function emailIn(value: unknown): string | null {
  const text = typeof value === 'string' ? value.trim().toLowerCase() : '';
  return text.length <= 254 && /^[^\s@<>",;]+@[^\s@<>",;]+\.[^\s@<>",;]+$/.test(text) ? text : null;
}

/** Claims that have the name of a declared variable of visitors and fit its type; and those that do not fit. */
export function claimedVariables(
  document: BotDocument,
  all: Readonly<Record<string, unknown>>,
): { readonly values: Values; readonly misfits: readonly string[] } {
  const declared = Object.entries(document.variables?.visitor ?? {}).filter(([name]) => Object.hasOwn(all, name));
  const fits = ([name, type]: (typeof declared)[number]) => fitsType(document, type, (all[name] ?? null) as Value);
  return {
    values: Object.fromEntries(declared.filter(fits).map(([name]) => [name, (all[name] ?? null) as Value])),
    misfits: declared.filter((d) => !fits(d)).map(([name]) => name),
  };
}
