import { workerData } from 'node:worker_threads';
import type { Db } from '../store/database.js';
import { CLOCK_AT, SEEN_AT, type GuardTask } from './lease-guard.js';

/** A process that has not moved for so many leases will not come back. */
const GIVEN_UP_LEASES = 10;

const { databaseUrl, owner, leaseMs, beat } = workerData as GuardTask;
const moments = new Float64Array(beat);
let db: Db | undefined;
let busy = false;

/** Renews the leases of everything that waits and that the process works on; it has no connection until it is needed. */
async function guard(): Promise<void> {
  const [seenAt, clockAt] = [moments[SEEN_AT] ?? 0, moments[CLOCK_AT] ?? 0];
  const still = Date.now() - seenAt;
  if (busy || still < leaseMs / 3 || still > leaseMs * GIVEN_UP_LEASES) return;
  busy = true;
  try {
    const { openDatabase } = await import('../store/database.js');
    db ??= openDatabase(databaseUrl, 2);
    const until = new Date(clockAt + still + leaseMs);
    await db('conversations').whereNotNull('waits_since').where({ lease_owner: owner }).update({ lease_until: until });
  } catch {
    // A database that is away renews nobody's leases; the next look tries again.
  } finally {
    busy = false;
  }
}

setInterval(() => void guard(), leaseMs / 6);
