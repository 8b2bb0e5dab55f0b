import type { Knex } from 'knex';

/** Addresses that documents are fetched from, what stood there last, who reads pictures, and vectors of passages: the twelfth step of the schema. */
export async function sources(db: Knex): Promise<void> {
  await db.schema.alterTable('readings', (t) => {
    t.uuid('bot_id');
    t.string('profile', 120);
  });
  await db.schema.alterTable('indexed', (t) => {
    t.string('language', 20).notNullable().defaultTo('');
    // So many of its passages an encoder has read, from the first on.
    t.integer('vectors').notNullable().defaultTo(0);
  });
  await db.schema.createTable('passage_vectors', (t) => {
    t.charset('utf8mb4');
    t.collate('utf8mb4_bin');
    t.string('index_id', 64).notNullable();
    t.integer('place').notNullable();
    t.specificType('vector', 'varbinary(1024)').notNullable();
    t.primary(['index_id', 'place']);
  });
  await db.schema.createTable('sources', (t) => {
    t.charset('utf8mb4');
    t.collate('utf8mb4_bin');
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable();
    t.string('base', 80).notNullable();
    t.string('source', 80).notNullable();
    t.string('state', 10).notNullable();
    t.string('problem', 500);
    t.integer('attempts').notNullable();
    t.datetime('lease_until', { precision: 3 });
    // When it is fetched next; null where nobody wants it.
    t.datetime('next_at', { precision: 3 }).index();
    t.datetime('fetched_at', { precision: 3 });
    t.integer('pages').notNullable();
    t.integer('changed').notNullable();
    t.text('skipped');
    t.unique(['bot_id', 'base', 'source']);
  });
  await db.schema.createTable('source_pages', (t) => {
    t.charset('utf8mb4');
    t.collate('utf8mb4_bin');
    t.uuid('source_id').notNullable();
    t.string('address_hash', 64).notNullable();
    t.string('address', 2000).notNullable();
    t.string('form', 12).notNullable();
    t.string('hash', 64).notNullable();
    // Of what it says, without what stands around that.
    t.string('said', 64).notNullable();
    t.string('title', 200);
    t.string('etag', 300);
    t.string('modified', 100);
    t.string('document', 120);
    t.primary(['source_id', 'address_hash']);
  });
}
