// The floor of the turn benchmark: an Express handler that makes the same durable row writes as a turn, in the same two
// transactions, through the plain driver with prepared statements, and nothing else. argv: database address. Says its port.
import express from 'express';
import { randomUUID } from 'node:crypto';
import mysql from 'mysql2/promise';

const pool = mysql.createPool({ uri: process.argv[2], connectionLimit: 10, timezone: 'Z' });
const LINE = JSON.stringify({
  text: 'Boat 3 leaves for Tarn Holm.',
  blocks: [{ type: 'paragraph', content: ['Boat 3 leaves for Tarn Holm.'] }],
});
const STATE = 'x'.repeat(420);
const SHEET = 'x'.repeat(2400);
const TIMINGS = 'x'.repeat(240);

await pool.query('CREATE TABLE floor_rows (id CHAR(36) PRIMARY KEY, state LONGTEXT, version INT)');
await pool.query(
  'CREATE TABLE floor_events (id CHAR(36) PRIMARY KEY, conversation_id CHAR(36), external_id VARCHAR(80), seq INT, event LONGTEXT, at DATETIME(3), UNIQUE (external_id), UNIQUE (conversation_id, seq))',
);
await pool.query(
  'CREATE TABLE floor_lines (conversation_id CHAR(36), seq INT, event_id CHAR(36), position INT, message LONGTEXT, at DATETIME(3), PRIMARY KEY (conversation_id, seq), UNIQUE (event_id, position))',
);
await pool.query(
  'CREATE TABLE floor_turns (conversation_id CHAR(36), number INT, event_id CHAR(36), sheet LONGTEXT, timings LONGTEXT, at DATETIME(3), PRIMARY KEY (conversation_id, number), UNIQUE (event_id))',
);

/** Conversations that nobody else works on just now, so that rows are not fought over. */
const idle = [];
async function takeRow() {
  const known = idle.pop();
  if (known) return known;
  const row = { id: randomUUID(), seq: 0 };
  await pool.execute('INSERT INTO floor_rows VALUES (?, ?, 0)', [row.id, STATE]);
  return row;
}

async function inTransaction(work) {
  const connection = await pool.getConnection();
  try {
    await connection.query('BEGIN');
    await work(connection);
    await connection.query('COMMIT');
  } finally {
    connection.release();
  }
}

const app = express();
app.use(express.json());
app.post('/turn', async (req, res) => {
  const row = await takeRow();
  const event = randomUUID();
  const at = new Date();
  await inTransaction(async (c) => {
    await c.execute('UPDATE floor_rows SET version = version + 1 WHERE id = ?', [row.id]);
    await c.execute('INSERT INTO floor_events VALUES (?, ?, ?, ?, ?, ?)', [
      event,
      row.id,
      req.body.id,
      ++row.seq,
      JSON.stringify(req.body),
      at,
    ]);
    await c.execute('INSERT INTO floor_lines VALUES (?, ?, ?, ?, ?, ?)', [row.id, row.seq, event, -1, LINE, at]);
  });
  await inTransaction(async (c) => {
    await c.execute('UPDATE floor_rows SET state = ?, version = version + 1 WHERE id = ?', [STATE, row.id]);
    await c.execute('INSERT INTO floor_lines VALUES (?, ?, ?, ?, ?, ?)', [row.id, ++row.seq, event, 0, LINE, at]);
    await c.execute('INSERT INTO floor_turns VALUES (?, ?, ?, ?, ?, ?)', [row.id, row.seq, event, SHEET, TIMINGS, at]);
  });
  idle.push(row);
  res.json({ done: true });
});
const server = app.listen(0, '127.0.0.1', () => process.send({ type: 'ready', port: server.address().port }));
process.once('disconnect', () => process.exit(0));
