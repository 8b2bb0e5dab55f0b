import knexFactory, { type Knex } from 'knex';
import type { Connection } from 'mysql2';

/** A Knex, or a transaction of one: what every query function takes. */
export type Db = Knex;

/** MariaDB error numbers that we act upon. */
const ER_DUP_ENTRY = 1062;
const ER_LOCK_WAIT_TIMEOUT = 1205;
const ER_LOCK_DEADLOCK = 1213;
const ER_STATEMENT_TIMEOUT = 1969;
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
 * node before. A statement that takes longer than `statementMs` has failed, whether the server still answers or not.
 */
export function openDatabase(url: string, poolSize: number, { cluster = false, statementMs = STATEMENT_MS } = {}): Db {
  const db = openPool(url, poolSize, statementMs, cluster ? ', SESSION wsrep_sync_wait = 1' : '');
  const writing = openPool(url, poolSize, statementMs, ', SESSION autocommit = 0');
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

const STATEMENT_MS = 15_000;
const CONNECT_MS = 5000;
/** A server that is alive ends a statement by itself first, and the connection can go on being used. */
const SERVER_ENDS_AT = 0.8;
const PREPARED_A_CONNECTION = 200;

/** A statement took too long and nothing was heard of it: the connection is given up, as nobody knows what it is doing. */
export class StatementTimeout extends Error {
  readonly code = 'PROTOCOL_SEQUENCE_TIMEOUT';
}

type Answer = (error: Error | null, ...rest: unknown[]) => void;
type Sends = (...args: unknown[]) => unknown;

/**
 * Gives every statement of a connection a time. A server that is frozen answers nothing and closes nothing, so without it
 * whoever asks would wait for ever.
 */
function limitStatements(connection: Connection, ms: number): void {
  const methods = connection as unknown as Record<'query' | 'execute', Sends>;
  for (const name of ['query', 'execute'] as const) {
    const send = methods[name].bind(connection);
    methods[name] = (...args) => {
      const last = args.at(-1);
      if (typeof last !== 'function') return send(...args);
      const answer = last as Answer;
      let over = false;
      const timer = setTimeout(() => {
        over = true;
        connection.destroy();
        answer(new StatementTimeout(`the database has not answered within ${ms / 1000} s`));
      }, ms);
      return send(...args.slice(0, -1), (...came: Parameters<Answer>) => {
        clearTimeout(timer);
        if (!over) answer(...came);
      });
    };
  }
}
const silent = (): void => undefined;

function openPool(url: string, poolSize: number, statementMs: number, more: string): Db {
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
      connectTimeout: CONNECT_MS,
      // Moves come in many shapes (so many lines, delivered or not), and a server has room for some thousand on all connections.
      maxPreparedStatements: PREPARED_A_CONNECTION,
    },
    pool: {
      min: 0,
      max: poolSize,
      acquireTimeoutMillis: 5000,
      propagateCreateError: true,
      afterCreate: (connection: Connection, done: (error: Error | null, connection: Connection) => void) => {
        limitStatements(connection, statementMs);
        const seconds = (statementMs * SERVER_ENDS_AT) / 1000;
        const settings = `SET SESSION innodb_lock_wait_timeout = 5, SESSION max_statement_time = ${seconds}${more}`;
        connection.query(settings, (error) => done(error, connection));
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
const TROUBLE_NUMBERS = new Set([1040, 1047, 1053, ER_LOCK_WAIT_TIMEOUT, ER_LOCK_DEADLOCK, 1927, ER_STATEMENT_TIMEOUT]);

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
