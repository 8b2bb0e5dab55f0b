import type { Knex } from 'knex';

/**
 * Who visitors are known as, what they thought of answers, and staff who answer with what they work with: the fourteenth step of
 * the schema.
 */
export async function known(db: Knex): Promise<void> {
  const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
    db.schema.createTable(name, (t) => {
      t.charset('utf8mb4');
      t.collate('utf8mb4_bin');
      columns(t);
    });
  await db.schema.alterTable('visitors', (t) => {
    // Of a person: name and e-mail address, as whoever vouches for them says.
    t.text('who');
    // The changes that led to the kept variables.
    t.specificType('history', 'longtext');
    // By what a visitor is taken for somebody: a sign-in of theirs, or staff.
    t.string('linked_by', 10);
    // Signs of somebody else that are older than this do not count any more.
    t.datetime('valid_from', { precision: 3 });
  });
  await create('identities', (t) => {
    t.uuid('bot_id').notNullable();
    // Who vouches: a key for tokens, mail, or the address of an identity service.
    t.string('issuer', 300).notNullable();
    t.string('subject_hash', 64).notNullable();
    t.uuid('person_id').notNullable().index();
    t.datetime('at', { precision: 3 }).notNullable();
    t.primary(['bot_id', 'issuer', 'subject_hash']);
  });
  await create('sign_ins', (t) => {
    t.string('key_hash', 64).notNullable();
    t.uuid('channel_id').notNullable();
    t.uuid('visitor_id').notNullable().index();
    // What it came about by: a key of tokens, mail, or an identity service.
    t.string('by', 120).notNullable();
    t.datetime('at', { precision: 3 }).notNullable();
    t.datetime('expires_at', { precision: 3 }).notNullable().index();
    t.primary(['channel_id', 'key_hash']);
  });
  await create('sign_in_codes', (t) => {
    // The conversation or the visitor's key that asked for it.
    t.string('holder', 64).notNullable().primary();
    t.uuid('bot_id').notNullable();
    t.string('email', 254).notNullable();
    t.string('code_hash', 64).notNullable();
    t.integer('tries').notNullable();
    t.datetime('expires_at', { precision: 3 }).notNullable().index();
  });
  await create('feedback', (t) => {
    t.uuid('conversation_id').notNullable();
    // The line; 0 for the conversation as a whole.
    t.integer('seq').notNullable();
    t.uuid('bot_id').notNullable();
    t.uuid('channel_id').notNullable();
    t.integer('release_number');
    t.string('flow', 120);
    t.string('node', 120);
    t.boolean('helpful').notNullable();
    t.string('words', 1000);
    t.datetime('at', { precision: 3 }).notNullable();
    t.primary(['conversation_id', 'seq']);
    t.index(['bot_id', 'at']);
  });
  await db.schema.alterTable('conversations', (t) => {
    // Who of the staff has taken it, and what was said in it when they looked last.
    t.uuid('staff_id');
    t.string('staff_name', 120);
    t.datetime('staff_at', { precision: 3 });
    // Since when somebody waits for staff to say something; null while nobody does.
    t.datetime('asks_at', { precision: 3 });
  });
  await create('conversation_notes', (t) => {
    t.uuid('id').primary();
    t.uuid('conversation_id').notNullable().index();
    t.string('by_name', 120).notNullable();
    t.text('text').notNullable();
    t.datetime('at', { precision: 3 }).notNullable();
  });
  await create('canned_words', (t) => {
    t.uuid('id').primary();
    t.uuid('bot_id').notNullable().index();
    t.string('title', 80).notNullable();
    t.text('text').notNullable();
  });
  await create('bot_staff', (t) => {
    t.uuid('bot_id').notNullable();
    t.uuid('person_id').notNullable().index();
    t.datetime('at', { precision: 3 }).notNullable();
    t.primary(['bot_id', 'person_id']);
  });
  await db.schema.alterTable('bots', (t) => {
    // Where staff are told that somebody waits.
    t.text('inbox');
  });
  await db.schema.alterTable('missed', (t) => {
    // What the visitor thought of the answer, where it was none of help.
    t.string('thought', 1000);
  });
}
