import { parseArgs } from 'node:util';
import { randomUUID } from 'node:crypto';
import { runProgram } from '../program.js';
import { createMailboxApp, Mailbox, type Writing } from './app.js';
import { createDelivery } from './deliver.js';

const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4851' },
    smtp: { type: 'string', default: '4850' },
    /** An IMAP server on loopback that has mailboxes, the password of all of them, their domain, and to whom the page writes. */
    imap: { type: 'string' },
    password: { type: 'string', default: '' },
    domain: { type: 'string', default: 'marrow-sound.example' },
    desk: { type: 'string', default: 'desk' },
  },
});
const { domain } = values;
const deliver = values.imap === undefined ? undefined : createDelivery(Number(values.imap), values.password, domain);
const to = `${values.desk}@${domain}`;
const writing: Writing | undefined = deliver && {
  to,
  people: ['Isla Marrick <isla@visitors.example>', 'Jonas Feldhus <jonas@visitors.example>'],
  send: async ({ from, subject, text }) => {
    const line = (of: string) => of.replace(/[\r\n]+/g, ' ').slice(0, 300);
    const head = [
      `From: ${line(from)}`,
      `To: ${to}`,
      `Subject: ${line(subject)}`,
      `Message-ID: <${randomUUID()}@visitors.example>`,
      `Date: ${new Date().toUTCString().replace('GMT', '+0000')}`,
      'MIME-Version: 1.0',
      'Content-Type: text/plain; charset=utf-8',
    ];
    await deliver(to, Buffer.from(`${head.join('\r\n')}\r\n\r\n${text.replace(/\r?\n/g, '\r\n')}\r\n`));
  },
};
const mailbox = new Mailbox(deliver);
mailbox.smtp.listen(Number(values.smtp), '127.0.0.1');
process.once('disconnect', () => mailbox.smtp.close());
process.once('SIGTERM', () => mailbox.smtp.close());
runProgram('The mailbox', createMailboxApp(mailbox, writing), Number(values.port));
