// Many stored and many open conversations for the benchmarks.
import { createRequire } from 'node:module';
import { Agent, request } from 'node:http';

const mysql = createRequire(new URL('../packages/server/package.json', import.meta.url))('mysql2/promise');

/** Fills the database up to so many conversations of the service's bot, each with an event, two lines and a turn. */
export async function fillConversations(url, { bot, channel }, count) {
  const connection = await mysql.createConnection(url);
  const [[{ present }]] = await connection.query("SELECT COUNT(*) AS present FROM conversations WHERE id LIKE '0%-stored-%'");
  const id = "CONCAT(LPAD(HEX(seq), 8, '0'), '-stored-', LPAD(seq, 19, '0'))";
  const event = "CONCAT(LPAD(HEX(seq), 8, '0'), '-event--', LPAD(seq, 19, '0'))";
  const from = `FROM seq_${present + 1}_to_${count}`;
  await connection.query('SET SESSION unique_checks = 0, SESSION foreign_key_checks = 0');
  const state = JSON.stringify({
    language: 'en',
    frames: [],
    session: {},
    visitor: {},
    wordings: {},
    turns: 1,
    waiting: null,
    over: true,
    at: null,
  });
  await connection.query(
    `INSERT INTO conversations (id, bot_id, channel_id, state, version, last_seq, last_event, done_event, opened_at) SELECT ${id}, ?, ?, ?, 1, 2, 1, 1, NOW(3) ${from}`,
    [bot, channel, state],
  );
  await connection.query(
    `INSERT INTO events (id, conversation_id, channel_id, external_id, seq, event, accepted_at) SELECT ${event}, ${id}, ?, SHA2(seq, 256), 1, '{"type":"open"}', NOW(3) ${from}`,
    [channel],
  );
  const line = JSON.stringify({ text: 'Boat 3 leaves for Tarn Holm.', blocks: [] });
  for (const seq of [1, 2])
    await connection.query(
      `INSERT INTO chat_lines (conversation_id, seq, event_id, position, who, message, at) SELECT ${id}, ${seq}, ${event}, ${seq}, 'bot', ?, NOW(3) ${from}`,
      [line],
    );
  await connection.query(
    `INSERT INTO turns (conversation_id, number, event_id, sheet, timings, ms, at) SELECT ${id}, 1, ${event}, REPEAT('x', 1200), '[]', 1, NOW(3) ${from}`,
  );
  await connection.query('ANALYZE TABLE conversations, events, chat_lines, turns');
  await connection.end();
}

function ask(url, { method = 'POST', body, headers = {} }, onResponse) {
  return new Promise((resolve, reject) => {
    const content = body === undefined ? undefined : JSON.stringify(body);
    const sent = request(
      url,
      {
        method,
        agent: body === undefined ? new Agent() : ask.agent,
        headers: { 'content-type': 'application/json', ...headers },
      },
      (r) => onResponse(r, resolve, sent),
    );
    sent.on('error', reject);
    sent.end(content);
  });
}
ask.agent = new Agent({ keepAlive: true, maxSockets: 40 });

/** Opens so many conversations with a stream each; returns the way to leave them all. */
export async function openMany({ chat }, count) {
  const open = [];
  for (let i = 0; i < count; i += 40) {
    await Promise.all(
      Array.from({ length: Math.min(40, count - i) }, async () => {
        const { key } = await ask(`${chat}/open`, { body: { language: 'en' } }, (r, resolve) => {
          let text = '';
          r.on('data', (c) => (text += c)).on('end', () => resolve(JSON.parse(text)));
        });
        open.push(
          await ask(`${chat}/stream`, { method: 'GET', headers: { authorization: `Bearer ${key}` } }, (r, resolve, sent) => {
            r.resume();
            r.on('error', () => undefined);
            resolve(sent);
          }),
        );
      }),
    );
  }
  return () => open.forEach((sent) => sent.destroy());
}
