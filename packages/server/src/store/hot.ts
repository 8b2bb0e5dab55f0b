import type { Connection, ResultSetHeader } from 'mysql2';
import { isConflict, writersOf, type Db } from './database.js';

/** Prepared statements on one connection of the pool: what every turn runs, without a query builder in between. */
export interface Hot {
  readonly read: <Row>(sql: string, values: readonly Bound[]) => Promise<Row[]>;
  readonly write: (sql: string, values: readonly Bound[]) => Promise<Written>;
  readonly run: (statement: Statement) => Promise<Written>;
}

/** The statements of a transaction. */
export interface Transaction extends Hot {
  /** Sends the last one, which ends the transaction by itself and so saves the round trip of a COMMIT. */
  readonly last: <Row>(statement: Statement) => Promise<Row | undefined>;
}

export type Bound = string | number | boolean | Date | null;

/** A statement and the values that are bound in it, in their order. */
export interface Statement {
  readonly sql: string;
  readonly values: readonly Bound[];
}

export interface Written {
  /** Rows that the statement matched or inserted. */
  readonly rows: number;
  /** The last value that LAST_INSERT_ID(…) was given in the statement. */
  readonly value: number;
}

const MAX_TRIES = 6;
const BACK_OFF_MS = 8;

function execute(connection: Connection, sql: string, values: readonly Bound[]): Promise<unknown> {
  return new Promise((resolve, reject) => {
    connection.execute(sql, [...values], (error, result) => (error ? reject(error) : resolve(result)));
  });
}

function hot(connection: Connection): Hot {
  const write = async (sql: string, values: readonly Bound[]): Promise<Written> => {
    const { affectedRows, insertId } = (await execute(connection, sql, values)) as ResultSetHeader;
    return { rows: affectedRows, value: insertId };
  };
  return {
    read: async <Row>(sql: string, values: readonly Bound[]) => (await execute(connection, sql, values)) as Row[],
    write,
    run: ({ sql, values }) => write(sql, values),
  };
}

function plain(connection: Connection, sql: 'COMMIT' | 'ROLLBACK'): Promise<void> {
  return new Promise((resolve, reject) => {
    connection.query(sql, (error) => (error ? reject(error) : resolve()));
  });
}

async function withConnection<T>(db: Db, work: (connection: Connection) => Promise<T>): Promise<T> {
  const client = db.client as {
    acquireConnection: () => Promise<Connection>;
    releaseConnection: (connection: Connection) => Promise<void>;
  };
  const connection = await client.acquireConnection();
  try {
    return await work(connection);
  } finally {
    await client.releaseConnection(connection);
  }
}

/** Something that waits to be worked on, and whose it is. */
export interface Waiting {
  readonly id: string;
  readonly owner: string;
}

const WAITING_AT_ONCE = 50;
const WAITING_OF_ONE = 20;

/**
 * A statement for what waits: of the rows of `sql` (id, owner, since) those that wait longest, at most 50 and of one owner at
 * most 20, so that one with very many does not hide the others.
 */
export function fairly(sql: string): string {
  return `SELECT id, owner FROM (
      SELECT id, owner, since, ROW_NUMBER() OVER (PARTITION BY owner ORDER BY since) AS place FROM (${sql}) w
    ) p WHERE place <= ${WAITING_OF_ONE} ORDER BY since LIMIT ${WAITING_AT_ONCE}`;
}

/** One statement, or several that need no transaction. */
export function statement<T>(db: Db, work: (hot: Hot) => Promise<T>): Promise<T> {
  return retrying(() => withConnection(db, (connection) => work(hot(connection))));
}

/** All or nothing. Runs again when it lost against another transaction, so `work` may be called several times. */
export function transaction<T>(db: Db, work: (hot: Transaction) => Promise<T>): Promise<T> {
  return retrying(() =>
    withConnection(writersOf(db), async (connection) => {
      let ended = false;
      const last = async <Row>({ sql, values }: Statement): Promise<Row | undefined> => {
        const results = await execute(connection, sql, values);
        ended = true;
        // One row of one SELECT, or only the head of a statement that came to none.
        return Array.isArray(results) ? (results as [Row[]])[0][0] : undefined;
      };
      try {
        const result = await work({ ...hot(connection), last });
        if (!ended) await plain(connection, 'COMMIT');
        return result;
      } catch (error) {
        await plain(connection, 'ROLLBACK').catch(() => undefined);
        throw error;
      }
    }),
  );
}

/**
 * Tries again what lost against somebody else: a deadlock, or on a database cluster a certification conflict, which
 * shows at COMMIT. Anything else is thrown at once.
 */
export async function retrying<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await work();
    } catch (error) {
      if (!isConflict(error) || tries >= MAX_TRIES) throw error;
      await new Promise((resolve) => setTimeout(resolve, BACK_OFF_MS * 2 ** tries * (0.5 + Math.random())));
    }
  }
}
