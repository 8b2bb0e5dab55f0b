import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createMailboxApp, Mailbox } from './app.js';

const { values } = parseArgs({
  options: { port: { type: 'string', default: '4851' }, smtp: { type: 'string', default: '4850' } },
});
const mailbox = new Mailbox();
mailbox.smtp.listen(Number(values.smtp), '127.0.0.1');
process.once('disconnect', () => mailbox.smtp.close());
process.once('SIGTERM', () => mailbox.smtp.close());
runProgram('The mailbox', createMailboxApp(mailbox), Number(values.port));
