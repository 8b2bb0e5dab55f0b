import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { parseArgs } from 'node:util';
import { createOfficeApp } from './app.js';
import { Office, type Booking } from './office.js';

/** Reads the kept books; an office without a file, or with an unreadable one, begins empty. */
function readBooks(file: string | undefined): Booking[] {
  if (file === undefined) return [];
  try {
    return JSON.parse(readFileSync(file, 'utf8')) as Booking[];
  } catch {
    return [];
  }
}

function keepBooks(file: string | undefined): (bookings: Booking[]) => void {
  if (file === undefined) return () => undefined;
  mkdirSync(dirname(file), { recursive: true });
  return (bookings) => {
    writeFileSync(`${file}.new`, JSON.stringify(bookings, null, 1));
    renameSync(`${file}.new`, file);
  };
}

const { values } = parseArgs({ options: { port: { type: 'string', default: '4810' }, books: { type: 'string' } } });
const office = new Office(readBooks(values.books), keepBooks(values.books));
const server = createOfficeApp(office).listen(Number(values.port), '127.0.0.1', (error) => {
  if (error) {
    process.stderr.write(`The booking office cannot listen on port ${values.port}: ${error.message}\n`);
    process.exitCode = 1;
    return;
  }
  const address = server.address();
  process.send?.({ type: 'ready', port: typeof address === 'object' ? address?.port : Number(values.port) });
});
const stop = (): void => {
  server.close(() => process.exit(0));
  server.closeAllConnections();
};
process.once('SIGTERM', stop);
process.once('SIGINT', stop);
process.once('disconnect', stop);
