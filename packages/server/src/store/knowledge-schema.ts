import type { Knex } from 'knex';

/** Contents of documents by their hash, what was read of them, and evaluation: the eleventh step of the schema. */
export async function knowledge(db: Knex): Promise<void> {
  const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
    db.schema.createTable(name, (t) => {
      t.charset('utf8mb4');
      t.collate('utf8mb4_bin');
      columns(t);
    });
  // Bytes of any length, cut so that each piece is a packet that the database takes.
  await create('stored_bytes', (t) => {
    t.string('owner', 80).notNullable();
    t.integer('number').notNullable();
    t.specificType('bytes', 'longblob').notNullable();
    t.primary(['owner', 'number']);
  });
  await create('contents', (t) => {
    t.string('hash', 64).primary();
    t.integer('size').notNullable();
    t.datetime('at', { precision: 3 }).notNullable();
  });
  await create('bot_contents', (t) => {
    t.uuid('bot_id').notNullable();
    t.string('hash', 64).notNullable().index();
    t.datetime('at', { precision: 3 }).notNullable();
    t.primary(['bot_id', 'hash']);
  });
  await create('readings', (t) => {
    // Of contents, form and the version of what reads them.
    t.string('id', 64).primary();
    t.string('hash', 64).notNullable().index();
    t.string('form', 12).notNullable();
    t.string('state', 10).notNullable();
    t.string('problem', 500);
    t.string('note', 500);
    t.integer('attempts').notNullable();
    t.datetime('lease_until', { precision: 3 });
    t.integer('pages');
    t.integer('characters').notNullable();
    t.datetime('at', { precision: 3 }).notNullable();
    t.index(['state', 'at']);
  });
  await create('indexed', (t) => {
    // Of a reading, and how it is split and called.
    t.string('id', 64).primary();
    t.string('reading_id', 64).notNullable().index();
    t.integer('passages').notNullable();
    t.integer('size').notNullable();
    t.datetime('used_at', { precision: 3 }).notNullable().index();
  });
  await create('evaluations', (t) => {
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable();
    t.string('base', 80).notNullable();
    t.string('question', 1000).notNullable();
    // Null where nothing should be found.
    t.string('document', 80);
    t.string('heading', 400);
    t.string('says', 400);
    t.string('origin', 12).notNullable();
    t.datetime('at', { precision: 3 }).notNullable();
    t.index(['bot_id', 'base', 'id']);
  });
  // What a question found no answer for, beside what matched no intent.
  await db.schema.alterTable('missed', (t) => {
    t.string('base', 80);
  });
}
