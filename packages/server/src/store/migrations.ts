import type { Knex } from 'knex';

/** Numbered steps of the schema. A step that was released is never changed; a new one is added. */
export const migrations: Readonly<Record<string, (db: Knex) => Promise<void>>> = {
  '0001_first': async (db) => {
    const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
      db.schema.createTable(name, (t) => {
        t.charset('utf8mb4');
        t.collate('utf8mb4_bin');
        columns(t);
      });
    await create('people', (t) => {
      t.uuid('id').primary();
      t.string('name', 120).notNullable();
      t.datetime('created_at', { precision: 3 }).notNullable();
    });
    await create('facts', (t) => {
      t.string('name', 60).primary();
      t.text('value').notNullable();
    });
    await create('sign_in_links', (t) => {
      t.string('hash', 64).primary();
      t.uuid('person_id').notNullable();
      t.datetime('expires_at', { precision: 3 }).notNullable();
      t.datetime('used_at', { precision: 3 });
    });
    await create('console_sessions', (t) => {
      t.string('hash', 64).primary();
      t.uuid('person_id').notNullable();
      t.datetime('expires_at', { precision: 3 }).notNullable();
    });
    await create('tokens', (t) => {
      t.uuid('id').primary();
      t.uuid('person_id').notNullable().index();
      t.string('name', 80).notNullable();
      t.string('hash', 64).notNullable().unique();
      t.datetime('created_at', { precision: 3 }).notNullable();
      t.datetime('last_used_at', { precision: 3 });
    });
    await create('bots', (t) => {
      t.uuid('id').primary();
      t.uuid('owner_id').notNullable();
      t.integer('revision').notNullable();
      t.specificType('document', 'longtext').notNullable();
      t.datetime('created_at', { precision: 3 }).notNullable();
      t.datetime('changed_at', { precision: 3 }).notNullable();
      t.datetime('deleted_at', { precision: 3 });
      t.index(['owner_id', 'changed_at']);
    });
    await create('edits', (t) => {
      t.uuid('bot_id').notNullable();
      t.integer('revision').notNullable();
      t.uuid('person_id').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.specificType('patch', 'longtext').notNullable();
      t.primary(['bot_id', 'revision']);
    });
    await create('releases', (t) => {
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable();
      t.integer('number').notNullable();
      t.integer('revision').notNullable();
      t.string('note', 500).notNullable();
      t.uuid('person_id').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.specificType('document', 'longtext').notNullable();
      t.unique(['bot_id', 'number']);
    });
    await create('channels', (t) => {
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable().index();
      t.string('kind', 40).notNullable();
      t.string('address', 80).notNullable().unique();
      t.boolean('is_on').notNullable();
      t.uuid('release_id');
    });
    await create('connections', (t) => {
      t.uuid('bot_id').notNullable();
      t.string('name', 80).notNullable();
      t.string('address', 500).notNullable();
      t.primary(['bot_id', 'name']);
    });
    await create('visitors', (t) => {
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable();
      t.string('key_hash', 64).notNullable().unique();
      t.specificType('variables', 'longtext').notNullable();
      t.uuid('conversation_id');
      t.datetime('created_at', { precision: 3 }).notNullable();
    });
    await create('conversations', (t) => {
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable();
      t.uuid('channel_id').notNullable();
      t.uuid('visitor_id');
      t.uuid('release_id');
      t.specificType('state', 'longtext').notNullable();
      t.integer('version').notNullable();
      t.integer('last_seq').notNullable();
      t.string('visitor_name', 80);
      t.string('lease_owner', 36);
      t.datetime('lease_until', { precision: 3 });
      t.datetime('opened_at', { precision: 3 }).notNullable();
      t.datetime('ended_at', { precision: 3 });
      t.index(['bot_id', 'opened_at']);
      t.index(['channel_id']);
    });
    await create('events', (t) => {
      t.uuid('id').primary();
      t.uuid('conversation_id').notNullable();
      t.uuid('channel_id').notNullable();
      t.string('external_id', 80).notNullable();
      t.integer('seq').notNullable();
      t.specificType('event', 'longtext').notNullable();
      t.boolean('done').notNullable();
      t.datetime('accepted_at', { precision: 3 }).notNullable();
      t.unique(['channel_id', 'external_id']);
      t.unique(['conversation_id', 'seq']);
      t.index(['done', 'accepted_at']);
    });
    await create('chat_lines', (t) => {
      t.uuid('conversation_id').notNullable();
      t.integer('seq').notNullable();
      t.uuid('event_id').notNullable();
      t.integer('position').notNullable();
      t.string('who', 10).notNullable();
      t.string('external_id', 80);
      t.specificType('message', 'longtext').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.boolean('delivered').notNullable();
      t.primary(['conversation_id', 'seq']);
      t.unique(['event_id', 'position']);
    });
    await create('journal', (t) => {
      t.uuid('event_id').notNullable();
      t.string('path', 80).notNullable();
      t.specificType('request', 'longtext').notNullable();
      t.specificType('result', 'longtext');
      t.primary(['event_id', 'path']);
    });
    await create('turns', (t) => {
      t.uuid('conversation_id').notNullable();
      t.integer('number').notNullable();
      t.uuid('event_id').notNullable().unique();
      t.uuid('release_id');
      t.integer('revision');
      t.specificType('sheet', 'longtext').notNullable();
      t.specificType('timings', 'longtext').notNullable();
      t.double('ms').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.primary(['conversation_id', 'number']);
    });
  },
};
