import knexFactory, { type Knex } from 'knex';
import type { Connection } from 'mysql2';

/** A Knex, or a transaction of one: what every query function takes. */
export type Db = Knex;

/** MariaDB error numbers that we act upon. */
const ER_DUP_ENTRY = 1062;
const ER_LOCK_WAIT_TIMEOUT = 1205;
const ER_LOCK_DEADLOCK = 1213;
/** Disk full, errors of the storage engine while writing, table full. */
const NO_ROOM_NUMBERS = new Set([1021, 1026, 1030, 1114]);

/** The pool of a database whose connections are always in a transaction: a COMMIT ends one and begins the next. */
const writers = new WeakMap<Db, Db>();

/** The pool for transactions of prepared statements; each saves the round trip of its BEGIN. */
export function writersOf(db: Db): Db {
  return writers.get(db) ?? db;
}

/**
 * Opens the pools, each of at most `poolSize` connections. Connects only when it is first used; a database that is away
 * is reported at once. `cluster` is for a database of several nodes: a read then waits for what was written on another
 * node before.
 */
export function openDatabase(url: string, poolSize: number, cluster = false): Db {
  const db = openPool(url, poolSize, cluster ? ', SESSION wsrep_sync_wait = 1' : '');
  const writing = openPool(url, poolSize, ', SESSION autocommit = 0');
  writers.set(db, writing);
  // Both pools end together: Knex hands `destroy` on to its client.
  const client = db.client as { destroy: (done?: () => void) => Promise<void> };
  const destroy = client.destroy.bind(client);
  client.destroy = async (done) => {
    await writing.destroy();
    await destroy(done);
  };
  return db;
}

const PREPARED_A_CONNECTION = 200;
const silent = (): void => undefined;

function openPool(url: string, poolSize: number, more: string): Db {
  const at = new URL(url);
  return knexFactory({
    client: 'mysql2',
    // What goes wrong is thrown to whoever asked, who logs it; Knex need not print it as well.
    log: { warn: silent, error: silent, debug: silent, deprecate: silent },
    connection: {
      host: at.hostname,
      port: Number(at.port || 3306),
      user: decodeURIComponent(at.username),
      password: decodeURIComponent(at.password),
      database: at.pathname.slice(1),
      timezone: 'Z',
      charset: 'utf8mb4',
      // Moves come in many shapes (so many lines, delivered or not), and a server has room for some thousand on all connections.
      maxPreparedStatements: PREPARED_A_CONNECTION,
    },
    pool: {
      min: 0,
      max: poolSize,
      acquireTimeoutMillis: 5000,
      propagateCreateError: true,
      afterCreate: (connection: Connection, done: (error: Error | null, connection: Connection) => void) => {
        connection.query(`SET SESSION innodb_lock_wait_timeout = 5${more}`, (error) => done(error, connection));
      },
    },
  });
}

const TROUBLE_CODES = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'ETIMEDOUT',
  'EPIPE',
  'ENOTFOUND',
  'PROTOCOL_CONNECTION_LOST',
  'PROTOCOL_SEQUENCE_TIMEOUT',
]);
/**
 * Too many connections, cluster node not ready, shutdown, lock wait, deadlock, connection killed: the same statement may
 * well work a moment later.
 */
const TROUBLE_NUMBERS = new Set([1040, 1047, 1053, ER_LOCK_WAIT_TIMEOUT, ER_LOCK_DEADLOCK, 1927]);

/** True when the database is away or busy: nothing is wrong with what was asked of it. */
export function isDatabaseTrouble(error: unknown): boolean {
  const { name, code, errno } = (error ?? {}) as { name?: string; code?: string; errno?: number };
  return name === 'KnexTimeoutError' || TROUBLE_CODES.has(code ?? '') || TROUBLE_NUMBERS.has(errno ?? 0);
}

/** True when a transaction lost against another one and may simply be tried again. */
export function isConflict(error: unknown): boolean {
  const { errno } = (error ?? {}) as { errno?: number };
  return errno === ER_LOCK_DEADLOCK || errno === ER_LOCK_WAIT_TIMEOUT;
}

/** True when the database has no room left on its disk. */
export function isNoRoom(error: unknown): boolean {
  const { errno, message } = (error ?? {}) as { errno?: number; message?: string };
  return NO_ROOM_NUMBERS.has(errno ?? 0) && !(errno === 1030 && !/error (28|135|136)\b/.test(message ?? ''));
}

/** True when a write failed because a unique key was there already. */
export function isDuplicate(error: unknown): boolean {
  return (error as { errno?: number } | null)?.errno === ER_DUP_ENTRY;
}
