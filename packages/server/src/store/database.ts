import knexFactory, { type Knex } from 'knex';
import { migrations } from './migrations.js';

/** A Knex, or a transaction of one: what every query function takes. */
export type Db = Knex;

/** MariaDB error numbers that we act upon. */
const ER_DUP_ENTRY = 1062;

/** Opens the pool. Connects only when it is first used. */
export function openDatabase(url: string, poolSize: number): Db {
  const at = new URL(url);
  return knexFactory({
    client: 'mysql2',
    connection: {
      host: at.hostname,
      port: Number(at.port || 3306),
      user: decodeURIComponent(at.username),
      password: decodeURIComponent(at.password),
      database: at.pathname.slice(1),
      timezone: 'Z',
      charset: 'utf8mb4',
    },
    pool: { min: 0, max: poolSize, acquireTimeoutMillis: 5000 },
  });
}

/** Runs the migrations that are missing, under a lock, so that several processes may start at once. */
export async function migrate(db: Db): Promise<void> {
  const names = Object.keys(migrations);
  await db.migrate.latest({
    tableName: 'migrations',
    migrationSource: {
      getMigrations: () => Promise.resolve(names),
      getMigrationName: (name: string) => name,
      getMigration: (name: string) =>
        Promise.resolve({ up: (k: Knex) => migrations[name]?.(k) ?? Promise.resolve(), down: () => Promise.resolve() }),
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
/** Too many connections, shutdown, lock wait, deadlock, connection killed: the same statement may well work a moment later. */
const TROUBLE_NUMBERS = new Set([1040, 1053, 1205, 1213, 1927]);

/** True when the database is away or busy: nothing is wrong with what was asked of it. */
export function isDatabaseTrouble(error: unknown): boolean {
  const { name, code, errno } = (error ?? {}) as { name?: string; code?: string; errno?: number };
  return name === 'KnexTimeoutError' || TROUBLE_CODES.has(code ?? '') || TROUBLE_NUMBERS.has(errno ?? 0);
}

/** True when a write failed because a unique key was there already. */
export function isDuplicate(error: unknown): boolean {
  return (error as { errno?: number } | null)?.errno === ER_DUP_ENTRY;
}
