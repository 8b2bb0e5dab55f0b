import type { Knex } from 'knex';

/** Results of pages with their runs, what is kept of them under links, and what pages cost by the day: the thirteenth step of the schema. */
export async function pages(db: Knex): Promise<void> {
  const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
    db.schema.createTable(name, (t) => {
      t.charset('utf8mb4');
      t.collate('utf8mb4_bin');
      columns(t);
    });
  await create('page_results', (t) => {
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable();
    t.string('page', 80).notNullable();
    // The channel under whose link it was filled in; null where somebody tried the page.
    t.uuid('channel_id');
    t.string('stage', 8).notNullable();
    t.string('visitor_hash', 64);
    t.uuid('person_id');
    // The sender's own id, so that a repeat begins nothing.
    t.string('external_id', 64).notNullable().unique();
    t.specificType('inputs', 'longtext').notNullable();
    // The conversation about it, and how many runs it had then.
    t.uuid('chat_id');
    t.integer('chat_runs');
    t.datetime('at', { precision: 3 }).notNullable();
    t.index(['bot_id', 'page', 'id']);
    t.index(['channel_id', 'visitor_hash', 'id']);
  });
  await create('page_runs', (t) => {
    // That of the run that it becomes.
    t.uuid('id').primary();
    t.uuid('result_id').notNullable().index();
    t.uuid('bot_id').notNullable();
    t.string('page', 80).notNullable();
    t.uuid('channel_id');
    t.string('part', 80);
    t.boolean('waits').notNullable();
    // All that the variables of its flow held in the end, outputs that did not come, and what it cost.
    t.specificType('kept', 'longtext');
    t.text('reasons');
    t.double('tokens').notNullable().defaultTo(0);
    t.double('price').notNullable().defaultTo(0);
    t.datetime('at', { precision: 3 }).notNullable();
    t.index(['waits', 'bot_id', 'page', 'id']);
    t.index(['bot_id', 'id']);
  });
  await create('page_days', (t) => {
    t.uuid('channel_id').notNullable();
    t.string('day', 10).notNullable();
    // Empty for everybody together.
    t.string('visitor', 64).notNullable();
    t.uuid('bot_id').notNullable().index();
    t.integer('runs').notNullable();
    t.double('tokens').notNullable();
    t.double('price').notNullable();
    t.primary(['channel_id', 'day', 'visitor']);
  });
  await create('page_frozen', (t) => {
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable();
    t.string('page', 80).notNullable();
    t.uuid('result_id').notNullable();
    t.string('link', 43).notNullable().unique();
    t.boolean('with_inputs').notNullable();
    t.specificType('held', 'longtext').notNullable();
    t.datetime('at', { precision: 3 }).notNullable();
    t.index(['bot_id', 'page', 'id']);
  });
}
