import type { Knex } from 'knex';
import type { Db } from './database.js';
import { withLease } from './leases.js';
import { migrations } from './migrations.js';

const LEASE = 'migrations';
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
  await alone(db, async () => {
    await db.migrate.forceFreeMigrationsLock(settings);
    await db.migrate.latest(settings);
    return true;
  });
}

/** Waits until no other process migrates, and then does so. */
async function alone(db: Db, work: () => Promise<true>): Promise<void> {
  for (const end = Date.now() + WAIT_MS; !(await withLease(db, LEASE, work)); await pause(LOOK_MS))
    if (Date.now() > end)
      throw new Error('Another process has been migrating the database for two minutes. Look at that one, then start again.');
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
