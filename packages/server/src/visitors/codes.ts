import { randomInt } from 'node:crypto';
import { hashSecret, type Clock } from '../base/clock.js';
import { RateLimit } from '../base/rate-limit.js';
import type { Db } from '../store/database.js';
import { countTry, putCode, useCode } from '../store/sign-in-codes.js';
import type { Mailer } from './mail.js';
import { codeLetter } from './words.js';

/*
 * Codes that are sent to a mailbox, to sign in with. Six digits are guessed in a million tries; five are allowed, of a code that
 * is good for ten minutes, and few codes are sent.
 */

const DIGITS = 6;
const CODE_MINUTES = 10;
const MOST_TRIES = 5;
const HOUR_MS = 3_600_000;
const CODES_A_MAILBOX = 5;
const CODES_A_HOLDER = 8;

/** What came of asking for a code. */
export type CodeSent =
  { readonly sent: true } | { readonly sent: false; readonly why: 'too-many' | 'not-sent'; readonly reason: string };

/** What came of trying one; `left` is how often more it can be tried. */
export type CodeTried =
  | { readonly right: true; readonly email: string }
  | { readonly right: false; readonly why: 'wrong'; readonly left: number }
  | { readonly right: false; readonly why: 'none' };

/** For whom a code is, who may try it, and what it is for. */
export interface CodeWanted {
  readonly botId: string;
  readonly holder: string;
  readonly email: string;
  readonly name: string;
  readonly language: string;
}

export class SignInCodes {
  readonly #db: Db;
  readonly #clock: Clock;
  readonly #mailer: Mailer;
  readonly #mailboxes: RateLimit;
  readonly #holders: RateLimit;

  constructor({ db, clock, mailer }: { readonly db: Db; readonly clock: Clock; readonly mailer: Mailer }) {
    this.#db = db;
    this.#clock = clock;
    this.#mailer = mailer;
    this.#mailboxes = new RateLimit(clock, CODES_A_MAILBOX, HOUR_MS);
    this.#holders = new RateLimit(clock, CODES_A_HOLDER, HOUR_MS);
  }

  /** Sends a code; one that the same holder had before is good no more. */
  async send({ botId, holder, email, name, language }: CodeWanted): Promise<CodeSent> {
    if (!this.#mailboxes.allows(`${botId} ${email}`) || !this.#holders.allows(holder))
      return { sent: false, why: 'too-many', reason: 'too many codes were asked for; wait an hour' };
    const code = String(randomInt(10 ** DIGITS)).padStart(DIGITS, '0');
    const expires = new Date(this.#clock.now().getTime() + CODE_MINUTES * 60_000);
    await putCode(this.#db, { holder, bot_id: botId, email, code_hash: digestOf(holder, code), expires_at: expires });
    const came = await this.#mailer.send({ to: email, ...codeLetter(language, name, code, CODE_MINUTES) });
    return came.ok ? { sent: true } : { sent: false, why: 'not-sent', reason: came.reason };
  }

  /** Tries a code. Each try counts, so the right one after too many wrong ones is worth nothing. */
  async try(holder: string, said: string): Promise<CodeTried> {
    const row = await countTry(this.#db, holder, MOST_TRIES, this.#clock.now());
    if (!row) return { right: false, why: 'none' };
    const digest = digestOf(holder, said.replace(/\D/g, ''));
    if (digest !== row.code_hash) return { right: false, why: 'wrong', left: MOST_TRIES - row.tries };
    return (await useCode(this.#db, holder, digest)) ? { right: true, email: row.email } : { right: false, why: 'none' };
  }
}

const digestOf = (holder: string, code: string): string => hashSecret(`${holder} ${code}`);
