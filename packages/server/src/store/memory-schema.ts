import type { Knex } from 'knex';

/** What is kept about visitors and under keys, and files that visitors sent or bots drew: the tenth step of the schema. */
export async function memory(db: Knex): Promise<void> {
  const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
    db.schema.createTable(name, (t) => {
      t.charset('utf8mb4');
      t.collate('utf8mb4_bin');
      columns(t);
    });
  await create('memories', (t) => {
    t.uuid('bot_id').notNullable();
    // Empty for real ones, else the simulation that they belong to.
    t.string('realm', 36).notNullable();
    // A visitor, or a key.
    t.string('kind', 10).notNullable();
    // The id of the visitor, or a digest of the key.
    t.string('holder', 64).notNullable();
    // The key as people read it.
    t.string('label', 200);
    t.specificType('memory', 'longtext').notNullable();
    // Somebody is to sum up what is not summed up yet, by this release, or by the draft.
    t.boolean('due').notNullable().defaultTo(false);
    t.uuid('release_id');
    t.datetime('updated_at', { precision: 3 }).notNullable();
    t.primary(['bot_id', 'realm', 'kind', 'holder']);
    t.index(['due', 'updated_at']);
    t.index(['bot_id', 'realm', 'kind', 'updated_at']);
    t.index(['realm']);
  });
  await create('files', (t) => {
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable();
    // Empty for real ones, else the simulation in which it was sent or drawn.
    t.string('realm', 36).notNullable();
    t.uuid('visitor_id');
    t.uuid('conversation_id');
    // Whoever has it in an address may fetch it.
    t.string('token', 40).notNullable();
    // Who sent it, before anything was said.
    t.string('owner', 64);
    t.string('name', 200).notNullable();
    t.string('type', 100).notNullable();
    t.integer('size').notNullable();
    t.specificType('bytes', 'longblob').notNullable();
    t.datetime('at', { precision: 3 }).notNullable();
    t.index(['bot_id', 'at']);
    t.index(['owner', 'at']);
    t.index(['visitor_id']);
    t.index(['conversation_id']);
    t.index(['realm']);
  });
  await db.schema.alterTable('visitors', (t) => {
    // The visitor under whom this one is known, where both are the same person.
    t.uuid('person_id').index();
  });
  await db.schema.alterTable('made_up_visitors', (t) => {
    t.specificType('memory', 'longtext');
  });
}
