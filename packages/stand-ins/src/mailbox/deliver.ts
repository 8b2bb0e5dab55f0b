import { ImapFlow } from 'imapflow';
import type { Deliver } from './app.js';

/** Puts letters into the mailboxes of an IMAP server on loopback, where all accounts have one password; others have none there. */
export function createDelivery(port: number, password: string, domain: string): Deliver {
  return async (to, source) => {
    if (!to.toLowerCase().endsWith(`@${domain}`)) return;
    const box = new ImapFlow({
      ...{ host: '127.0.0.1', port, secure: false, logger: false, doSTARTTLS: false },
      auth: { user: to.toLowerCase(), pass: password },
    });
    box.on('error', () => undefined);
    try {
      await box.connect();
    } catch (error) {
      // Nobody is called so there; only a server that is away is tried again.
      if ((error as { authenticationFailed?: boolean }).authenticationFailed) return;
      throw error;
    }
    await box.append('INBOX', source);
    await box.logout();
  };
}
