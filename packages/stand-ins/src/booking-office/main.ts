import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
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
runProgram('The booking office', createOfficeApp(office), Number(values.port));
