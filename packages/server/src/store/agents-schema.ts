import type { Knex } from 'knex';

/** What agents have spent, and turns that are stopped: the ninth step of the schema. */
export async function agents(db: Knex): Promise<void> {
  await db.schema.createTable('agent_spending', (t) => {
    t.charset('utf8mb4');
    t.collate('utf8mb4_bin');
    t.uuid('bot_id').notNullable();
    t.string('agent', 170).notNullable();
    t.string('day', 10).notNullable();
    // Empty for everybody together.
    t.string('visitor', 36).notNullable();
    t.integer('steps').notNullable();
    t.bigInteger('tokens').notNullable();
    t.double('money').notNullable();
    t.primary(['bot_id', 'agent', 'day', 'visitor']);
    t.index(['day']);
    t.index(['visitor']);
  });
  await db.schema.alterTable('conversations', (t) => {
    // Somebody stopped the turn that ran then.
    t.datetime('stop_at', { precision: 3 });
  });
}
