import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { parseArgs } from 'node:util';
import { runProgram } from '../program.js';
import { createOfficeApp } from './app.js';
import { Cases, type Case } from './cases.js';
import { Office, type Booking } from './office.js';

interface Books {
  readonly bookings: readonly Booking[];
  readonly cases: readonly Case[];
}

/** Reads the kept books; an office without a file, or with an unreadable one, begins empty. Old books hold bookings only. */
function readBooks(file: string | undefined): Books {
  if (file === undefined) return { bookings: [], cases: [] };
  try {
    const kept = JSON.parse(readFileSync(file, 'utf8')) as Books | Booking[];
    return Array.isArray(kept) ? { bookings: kept, cases: [] } : kept;
  } catch {
    return { bookings: [], cases: [] };
  }
}

function keepBooks(file: string | undefined): (books: Books) => void {
  if (file === undefined) return () => undefined;
  mkdirSync(dirname(file), { recursive: true });
  return (books) => {
    writeFileSync(`${file}.new`, JSON.stringify(books, null, 1));
    renameSync(`${file}.new`, file);
  };
}

const { values } = parseArgs({ options: { port: { type: 'string', default: '4810' }, books: { type: 'string' } } });
const kept = readBooks(values.books);
const keep = keepBooks(values.books);
const office = new Office(kept.bookings, (bookings) => keep({ bookings, cases: cases.list() }));
const cases = new Cases(kept.cases, (all) => keep({ bookings: office.list(), cases: all }));
runProgram('The booking office', createOfficeApp(office, cases), Number(values.port));
