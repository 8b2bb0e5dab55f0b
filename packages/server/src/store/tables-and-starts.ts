import type { Knex } from 'knex';

/** Tables with their rows, starts with what came to them, runs, and notices: the eighth step of the schema. */
export async function tablesAndStarts(db: Knex): Promise<void> {
  const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
    db.schema.createTable(name, (t) => {
      t.charset('utf8mb4');
      t.collate('utf8mb4_bin');
      columns(t);
    });
  const moment = (t: Knex.CreateTableBuilder, name: string) => t.datetime(name, { precision: 3 });
  await create('tables', (t) => {
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable();
    t.string('name', 80).notNullable();
    // The declaration that the rows follow, and the one that they are being brought to, with how far that has come.
    t.specificType('declared', 'longtext').notNullable();
    t.specificType('wanted', 'longtext');
    t.string('carried_to', 36);
    t.unique(['bot_id', 'name']);
  });
  // `realm` is empty for the rows themselves, and a simulation for its practice rows.
  await create('table_rows', (t) => {
    t.uuid('table_id').notNullable();
    t.string('realm', 36).notNullable();
    t.uuid('id').notNullable();
    t.integer('version').notNullable();
    t.string('key_hash', 64);
    t.specificType('held', 'longtext').notNullable();
    moment(t, 'made_at').notNullable();
    t.string('made_by', 120).notNullable();
    t.uuid('made_in');
    t.integer('made_turn');
    moment(t, 'changed_at').notNullable();
    t.string('changed_by', 120).notNullable();
    t.uuid('changed_in');
    t.integer('changed_turn');
    t.primary(['table_id', 'realm', 'id']);
    t.unique(['table_id', 'realm', 'key_hash']);
    t.index(['realm']);
  });
  await create('table_cells', (t) => {
    t.uuid('table_id').notNullable();
    t.string('realm', 36).notNullable();
    t.string('name', 80).notNullable();
    t.string('held', 120).notNullable();
    t.uuid('row_id').notNullable();
    t.primary(['table_id', 'realm', 'name', 'held', 'row_id']);
    t.index(['table_id', 'realm', 'row_id']);
  });
  await create('practice_tables', (t) => {
    t.uuid('table_id').notNullable();
    t.string('realm', 36).notNullable();
    t.primary(['table_id', 'realm']);
    t.index(['realm']);
  });
  // What came of a write, by the place in the turn that made it: a turn that is taken up again finds it here.
  await create('table_writes', (t) => {
    t.string('origin', 64).primary();
    t.uuid('bot_id').notNullable();
    t.specificType('result', 'longtext').notNullable();
    moment(t, 'at').notNullable();
    t.index(['bot_id', 'at']);
  });
  await create('starts', (t) => {
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable();
    t.string('name', 80).notNullable();
    t.string('stage', 5).notNullable();
    t.string('kind', 10).notNullable();
    t.string('address', 40).notNullable().unique();
    t.boolean('is_on').notNullable().defaultTo(true);
    // False for one that the document does not have any more.
    t.boolean('declared').notNullable().defaultTo(true);
    t.string('token_hash', 64).index();
    t.uuid('table_id').index();
    t.string('row_events', 40);
    moment(t, 'next_at');
    t.string('cron', 200);
    t.unique(['bot_id', 'name', 'stage']);
    t.index(['kind', 'next_at']);
  });
  await create('start_events', (t) => {
    t.uuid('id').primary();
    t.uuid('start_id').notNullable();
    t.uuid('bot_id').notNullable();
    t.string('outcome', 12).notNullable();
    t.integer('status').notNullable();
    t.text('about').notNullable();
    t.string('content_type', 120);
    t.text('headers');
    t.text('query');
    t.specificType('body', 'longtext');
    t.uuid('run_id');
    t.integer('times').notNullable().defaultTo(1);
    moment(t, 'at').notNullable();
    t.index(['start_id', 'id']);
  });
  await create('row_events', (t) => {
    t.uuid('id').primary();
    t.uuid('start_id').notNullable();
    t.uuid('bot_id').notNullable();
    t.specificType('came', 'longtext').notNullable();
    t.text('chain').notNullable();
    t.integer('tries').notNullable().defaultTo(0);
    moment(t, 'at').notNullable();
  });
  await create('runs', (t) => {
    // The conversation that it is.
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable();
    t.string('start', 80);
    t.string('by', 10).notNullable();
    t.string('flow', 80).notNullable();
    t.string('stage', 5).notNullable();
    t.string('outcome', 10).notNullable();
    t.specificType('given', 'longtext').notNullable();
    t.specificType('gave', 'longtext');
    t.text('reason');
    t.uuid('again_of');
    t.text('chain').notNullable();
    moment(t, 'at').notNullable();
    moment(t, 'ended_at');
    t.index(['bot_id', 'id']);
    t.index(['bot_id', 'outcome', 'id']);
    t.index(['bot_id', 'start', 'id']);
  });
  await create('notices', (t) => {
    t.uuid('id').primary();
    t.string('origin', 64).notNullable().unique();
    t.uuid('bot_id').notNullable();
    t.uuid('channel_id').notNullable();
    t.uuid('conversation_id');
    t.string('recipient', 200).notNullable();
    t.specificType('message', 'longtext').notNullable();
    t.string('state', 8).notNullable();
    t.integer('part').notNullable().defaultTo(0);
    t.integer('tries').notNullable().defaultTo(0);
    t.text('reason');
    moment(t, 'at').notNullable();
    moment(t, 'sent_at');
    moment(t, 'next_at');
    t.uuid('lease_owner');
    moment(t, 'lease_until');
    t.index(['bot_id', 'id']);
    t.index(['state', 'next_at']);
  });
}
