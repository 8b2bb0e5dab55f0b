// The floor of the hook benchmark: an Express handler that makes the same durable row writes as a run which a hook begins and
// that adds a row, in the same transactions, through the plain driver with prepared statements, and nothing else. argv:
// database address. Says its port.
import express from 'express';
import { randomUUID } from 'node:crypto';
import mysql from 'mysql2/promise';

const pool = mysql.createPool({ uri: process.argv[2], connectionLimit: 10, timezone: 'Z' });
const STATE = 'x'.repeat(420);
const SHEET = 'x'.repeat(3200);

await pool.query('CREATE TABLE hook_conversations (id CHAR(36) PRIMARY KEY, state LONGTEXT, version INT)');
await pool.query(
  'CREATE TABLE hook_events (id CHAR(36) PRIMARY KEY, external_id VARCHAR(80) UNIQUE, event LONGTEXT, at DATETIME(3))',
);
await pool.query(
  'CREATE TABLE hook_runs (id CHAR(36) PRIMARY KEY, outcome VARCHAR(10), given LONGTEXT, gave LONGTEXT, at DATETIME(3), KEY (outcome, id))',
);
await pool.query('CREATE TABLE hook_entries (id CHAR(36) PRIMARY KEY, body LONGTEXT, at DATETIME(3))');
await pool.query(
  'CREATE TABLE hook_journal (event_id CHAR(36), path VARCHAR(40), request LONGTEXT, result LONGTEXT, PRIMARY KEY (event_id, path))',
);
await pool.query('CREATE TABLE hook_rows (id CHAR(36) PRIMARY KEY, key_hash VARCHAR(64) UNIQUE, held LONGTEXT, at DATETIME(3))');
await pool.query(
  'CREATE TABLE hook_cells (name VARCHAR(80), held VARCHAR(120), row_id CHAR(36), PRIMARY KEY (name, held, row_id), KEY (row_id))',
);
await pool.query('CREATE TABLE hook_writes (origin VARCHAR(160) PRIMARY KEY, result LONGTEXT, at DATETIME(3))');
await pool.query('CREATE TABLE hook_turns (event_id CHAR(36) PRIMARY KEY, sheet LONGTEXT, at DATETIME(3))');

async function inTransaction(work) {
  const connection = await pool.getConnection();
  try {
    await connection.query('BEGIN');
    await work((sql, values) => connection.execute(sql, values));
    await connection.query('COMMIT');
  } finally {
    connection.release();
  }
}

const app = express();
app.use(express.text({ type: '*/*' }));
app.post('/hook', async (req, res) => {
  const [id, event, row] = [randomUUID(), randomUUID(), randomUUID()];
  const at = new Date();
  const came = JSON.parse(req.body);
  await inTransaction(async (run) => {
    await run('INSERT INTO hook_conversations VALUES (?, ?, 0)', [id, STATE]);
    await run('UPDATE hook_conversations SET version = version + 1 WHERE id = ?', [id]);
    await run('INSERT INTO hook_events VALUES (?, ?, ?, ?)', [event, came.id, req.body, at]);
    await run('INSERT INTO hook_runs VALUES (?, ?, ?, NULL, ?)', [id, 'running', req.body, at]);
    await run('INSERT INTO hook_entries VALUES (?, ?, ?)', [randomUUID(), req.body, at]);
  });
  await pool.execute('INSERT INTO hook_journal VALUES (?, ?, ?, NULL)', [event, '0/0', req.body]);
  await inTransaction(async (run) => {
    await run('INSERT INTO hook_rows VALUES (?, ?, ?, ?)', [row, came.id, req.body, at]);
    await run('INSERT INTO hook_cells VALUES (?, ?, ?)', ['number', came.id, row]);
    await run('INSERT INTO hook_writes VALUES (?, ?, ?)', [`${event}/0/0`, req.body, at]);
  });
  await pool.execute('UPDATE hook_journal SET result = ? WHERE event_id = ?', [req.body, event]);
  await inTransaction(async (run) => {
    await run('UPDATE hook_conversations SET state = ?, version = version + 1 WHERE id = ?', [STATE, id]);
    await run('INSERT INTO hook_turns VALUES (?, ?, ?)', [event, SHEET, at]);
    await run('DELETE FROM hook_journal WHERE event_id = ?', [event]);
    await run('UPDATE hook_runs SET outcome = ?, gave = ? WHERE id = ?', ['done', '{}', id]);
  });
  res.json({ done: true });
});
const server = app.listen(0, '127.0.0.1', () => process.send({ type: 'ready', port: server.address().port }));
process.once('disconnect', () => process.exit(0));
