import { firstNameOf, type KnownAs, type Values } from '@primrose/core';
import { MAIL_ISSUER } from '../store/known.js';

/** A person who is vouched for, and what else is said of them. */
export interface SignedIn {
  readonly issuer: string;
  readonly subject: string;
  readonly who: KnownAs;
  /** An address at which they were seen to receive mail. */
  readonly mailbox: string | null;
  readonly by: string;
  readonly issuedAt?: Date | null;
  readonly values?: Values;
}

/** Who somebody is, as it stands in an event of theirs. */
export function spokenAs({ name, email }: KnownAs): { name?: string; firstName?: string; email?: string; signedIn: true } {
  const first = firstNameOf(name);
  return {
    ...(name === null ? {} : { name }),
    ...(first ? { firstName: first } : {}),
    ...(email === null ? {} : { email }),
    signedIn: true,
  };
}

/** Somebody who has shown that a mailbox is theirs. */
export function mailboxOf(email: string): SignedIn {
  return { issuer: MAIL_ISSUER, subject: email, who: { name: null, email }, mailbox: email, by: 'mail' };
}
