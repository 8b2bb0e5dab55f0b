import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import { isConflict, type Db } from './database.js';
import { migrations } from './migrations.js';

const LEASE = 'migrations';
const LEASE_SECONDS = 30;
const RENEW_MS = 10_000;
const LOOK_MS = 200;
const WAIT_MS = 120_000;

/**
 * Runs the migrations that are missing. Processes that start at once wait for each other by a lease in a row, which holds on
 * every node of a cluster. One that was killed in the middle holds it for half a minute at most; what it left is gone on with.
 */
export async function migrate(db: Db): Promise<void> {
  const names = Object.keys(migrations);
  const settings = {
    tableName: 'migrations',
    migrationSource: {
      getMigrations: () => Promise.resolve(names),
      getMigrationName: (name: string) => name,
      getMigration: (name: string) =>
        Promise.resolve({ up: (k: Knex) => migrations[name]?.(k) ?? Promise.resolve(), down: () => Promise.resolve() }),
    },
  };
  await withLease(db, async () => {
    await db.migrate.forceFreeMigrationsLock(settings);
    await db.migrate.latest(settings);
  });
}

async function withLease(db: Db, work: () => Promise<void>): Promise<void> {
  const owner = randomUUID();
  await db.raw(
    'CREATE TABLE IF NOT EXISTS leases (name VARCHAR(40) PRIMARY KEY, owner CHAR(36) NOT NULL, until DATETIME(3) NOT NULL)',
  );
  await db.raw("INSERT IGNORE INTO leases (name, owner, until) VALUES (?, '', '2000-01-01')", [LEASE]);
  for (const end = Date.now() + WAIT_MS; !(await takeLease(db, owner)); await pause(LOOK_MS))
    if (Date.now() > end)
      throw new Error('Another process has been migrating the database for two minutes. Look at that one, then start again.');
  const renewing = setInterval(() => void takeLease(db, owner).catch(() => undefined), RENEW_MS);
  try {
    await work();
  } finally {
    clearInterval(renewing);
    await db.raw("UPDATE leases SET until = '2000-01-01' WHERE name = ? AND owner = ?", [LEASE, owner]);
  }
}

/** Takes the lease or keeps it for longer; false while another one has it. A compare-and-set by the database's own clock. */
async function takeLease(db: Db, owner: string): Promise<boolean> {
  try {
    const [done] = (await db.raw(
      `UPDATE leases SET owner = ?, until = UTC_TIMESTAMP(3) + INTERVAL ${LEASE_SECONDS} SECOND
       WHERE name = ? AND (owner = ? OR until < UTC_TIMESTAMP(3))`,
      [owner, LEASE, owner],
    )) as [{ affectedRows: number }];
    return done.affectedRows === 1;
  } catch (error) {
    // On a cluster the loser of two takers hears so at its commit.
    if (isConflict(error)) return false;
    throw error;
  }
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
