import { randomUUID } from 'node:crypto';
import { isConflict, type Db } from './database.js';

const LEASE_SECONDS = 30;
const RENEW_MS = 10_000;

/** The table of leases: who does what only one process may do, by the database's own clock. It is there before any migration. */
export async function ensureLeases(db: Db, name: string): Promise<void> {
  await db.raw(
    'CREATE TABLE IF NOT EXISTS leases (name VARCHAR(40) PRIMARY KEY, owner CHAR(36) NOT NULL, until DATETIME(3) NOT NULL)',
  );
  await db.raw("INSERT IGNORE INTO leases (name, owner, until) VALUES (?, '', '2000-01-01')", [name]);
}

/** Does something while no other process does the same; undefined when one does. Who is killed keeps the others out for half a minute. */
export async function withLease<T>(db: Db, name: string, work: () => Promise<T>): Promise<T | undefined> {
  const owner = randomUUID();
  await ensureLeases(db, name);
  if (!(await takeLease(db, name, owner))) return undefined;
  const renewing = setInterval(() => void takeLease(db, name, owner).catch(() => undefined), RENEW_MS).unref();
  try {
    return await work();
  } finally {
    clearInterval(renewing);
    await db.raw("UPDATE leases SET until = '2000-01-01' WHERE name = ? AND owner = ?", [name, owner]);
  }
}

/** Takes the lease or keeps it for longer; false while another one has it. A compare-and-set. */
async function takeLease(db: Db, name: string, owner: string): Promise<boolean> {
  try {
    const [done] = (await db.raw(
      `UPDATE leases SET owner = ?, until = UTC_TIMESTAMP(3) + INTERVAL ${LEASE_SECONDS} SECOND
       WHERE name = ? AND (owner = ? OR until < UTC_TIMESTAMP(3))`,
      [owner, name, owner],
    )) as [{ affectedRows: number }];
    return done.affectedRows === 1;
  } catch (error) {
    // On a cluster the loser of two takers hears so at its commit.
    if (isConflict(error)) return false;
    throw error;
  }
}
