import type { Request, Response } from 'express';
import { hashSecret, newSecret, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import * as people from '../store/people.js';
import { HttpProblem } from './problem.js';

export const SESSION_COOKIE = 'primrose_session';
const SESSION_DAYS = 30;
const DAY_MS = 86_400_000;

/** The secret in `authorization: Bearer …`; undefined where there is none. */
export function bearer(req: Request): string | undefined {
  return /^Bearer ([A-Za-z0-9_-]{20,200})$/.exec(req.headers.authorization ?? '')?.[1];
}

function cookie(req: Request, name: string): string | undefined {
  const pairs = (req.headers.cookie ?? '').split(';').map((p) => p.trim().split('='));
  return pairs.find(([key]) => key === name)?.[1];
}

/**
 * Finds who asks, by API token or by the console's cookie. A request by cookie that changes something must come from our
 * own pages: it carries a header that other sites cannot send without our consent, and no foreign origin.
 */
export function createPersonFinder(db: Db, clock: Clock): (req: Request) => Promise<people.Person> {
  return async (req) => {
    const token = bearer(req);
    const session = cookie(req, SESSION_COOKIE);
    const found =
      token !== undefined
        ? await people.personOfToken(db, hashSecret(token), clock.now())
        : session === undefined
          ? undefined
          : await people.personOfSession(db, hashSecret(session), clock.now());
    if (!found)
      throw new HttpProblem(
        'not-signed-in',
        'Sign in with the link that the start command printed, or send an API token (authorization: Bearer …).',
      );
    if (token === undefined && req.method !== 'GET') assertOwnPage(req);
    return found;
  };
}

function assertOwnPage(req: Request): void {
  const { origin, host } = req.headers;
  const foreign = origin !== undefined && hostOf(origin) !== host;
  const site = req.headers['sec-fetch-site'];
  if (foreign || (site !== undefined && site !== 'same-origin') || req.headers['x-primrose'] === undefined) {
    throw new HttpProblem('cross-site', 'Changes are taken from the console’s own pages only. Programs use an API token.');
  }
}

/** Uses a sign-in link and sets the cookie. */
export async function signIn(db: Db, clock: Clock, link: string, res: Response, secure: boolean): Promise<people.Person> {
  const now = clock.now();
  const person = await people.useSignInLink(db, hashSecret(link), now);
  if (!person)
    throw new HttpProblem(
      'link-used',
      'Each link works once and for a day. Start Primrose again, or run "npm start -- --link", for a new one.',
    );
  const secret = newSecret();
  const expires = new Date(now.getTime() + SESSION_DAYS * DAY_MS);
  await people.insertConsoleSession(db, hashSecret(secret), person.id, expires);
  res.cookie(SESSION_COOKIE, secret, { httpOnly: true, sameSite: 'strict', secure, path: '/', expires });
  return person;
}

export async function signOut(db: Db, req: Request, res: Response): Promise<void> {
  const session = cookie(req, SESSION_COOKIE);
  if (session !== undefined) await people.deleteConsoleSession(db, hashSecret(session));
  res.clearCookie(SESSION_COOKIE, { path: '/' });
}

function hostOf(origin: string): string | undefined {
  try {
    return new URL(origin).host;
  } catch {
    return undefined;
  }
}
