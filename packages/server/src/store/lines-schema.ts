import type { Knex } from 'knex';

/**
 * Lines that are held to servers, what was sent under which id there, what is answered, and channels that were taken away: the
 * fifteenth step of the schema.
 */
export async function heldLines(db: Knex): Promise<void> {
  const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
    db.schema.createTable(name, (t) => {
      t.charset('utf8mb4');
      t.collate('utf8mb4_bin');
      columns(t);
    });
  await create('channel_lines', (t) => {
    t.uuid('channel_id').primary();
    // Grows whenever the channel is set otherwise: whoever holds the line makes it anew then.
    t.integer('version').notNullable().defaultTo(0);
    t.string('owner', 40);
    t.datetime('lease_until', { precision: 3 });
    // connecting, connected or trouble, with why, since when.
    t.string('state', 12).notNullable();
    t.text('reason');
    t.datetime('since', { precision: 3 }).notNullable();
    // How far what comes in has been taken, in the terms of the kind.
    t.text('cursor_at');
  });
  await create('sent_messages', (t) => {
    t.uuid('channel_id').notNullable();
    // Of the message's id at the other side.
    t.string('id_hash', 64).notNullable();
    t.uuid('conversation_id').notNullable().index();
    // The line that it says; 0 for what the visitor sent.
    t.integer('seq').notNullable();
    t.datetime('at', { precision: 3 }).notNullable();
    t.primary(['channel_id', 'id_hash']);
    t.index(['channel_id', 'at']);
  });
  await db.schema.alterTable('deliveries', (t) => {
    // A room and who is answered there.
    t.string('recipient', 600).notNullable().alter();
    // The message that is answered, by its id at the other side; and what a letter in answer says of its thread.
    t.string('answers', 500);
    t.text('thread');
  });
  await db.schema.alterTable('channels', (t) => {
    t.datetime('deleted_at', { precision: 3 });
  });
  await db.schema.alterTable('chat_lines', (t) => {
    // When the visitor's side told that it was read.
    t.datetime('read_at', { precision: 3 });
  });
}
