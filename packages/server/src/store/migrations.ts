import type { BotDocument } from '@primrose/core';
import type { Knex } from 'knex';
import { agents } from './agents-schema.js';
import { knowledge } from './knowledge-schema.js';
import { known } from './known-schema.js';
import { heldLines } from './lines-schema.js';
import { pages } from './pages-schema.js';
import { sources } from './sources-schema.js';
import { memory } from './memory-schema.js';
import { tablesAndStarts } from './tables-and-starts.js';

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
  '0002_bones': async (db) => {
    await db.schema.alterTable('conversations', (t) => {
      t.integer('last_event').notNullable().defaultTo(0);
      t.integer('done_event').notNullable().defaultTo(0);
      t.datetime('waits_since', { precision: 3 }).index();
      t.datetime('due_at', { precision: 3 });
    });
    await db.raw(`UPDATE conversations c SET
      last_event = COALESCE((SELECT MAX(seq) FROM events e WHERE e.conversation_id = c.id), 0),
      done_event = COALESCE((SELECT MAX(seq) FROM events e WHERE e.conversation_id = c.id AND e.done = 1), 0),
      waits_since = (SELECT MIN(accepted_at) FROM events e WHERE e.conversation_id = c.id AND e.done = 0)`);
    await db.schema.alterTable('events', (t) => {
      t.dropIndex(['done', 'accepted_at']);
      t.dropColumn('done');
    });
    await db.schema.alterTable('chat_lines', (t) => {
      t.dropColumn('delivered');
      t.datetime('due_at', { precision: 3 });
    });
    await db.schema.alterTable('journal', (t) => {
      t.integer('seq').notNullable().defaultTo(0);
      t.string('version', 60).notNullable().defaultTo('');
    });
    await db.schema.createTable('processes', (t) => {
      t.uuid('id').primary();
      t.datetime('seen_at', { precision: 3 }).notNullable();
    });
    await db.schema.alterTable('bots', (t) => {
      t.string('bot', 80).notNullable().defaultTo('');
      t.string('name', 120).notNullable().defaultTo('');
      t.text('about');
      t.integer('flows').notNullable().defaultTo(0);
      t.integer('nodes').notNullable().defaultTo(0);
      t.uuid('live_release_id');
    });
    await fillSummaries(db);
    await db.raw(`UPDATE bots b SET
      live_release_id = (SELECT r.id FROM releases r WHERE r.bot_id = b.id ORDER BY r.number DESC LIMIT 1)`);
    await db.schema.alterTable('edits', (t) => {
      t.string('kind', 10).notNullable().defaultTo('edit');
      t.integer('of_revision');
      t.specificType('differences', 'longtext');
      t.string('state', 10).notNullable().defaultTo('done');
      t.index(['bot_id', 'person_id', 'state']);
    });
    await db.schema.createTable('snapshots', (t) => {
      t.charset('utf8mb4');
      t.collate('utf8mb4_bin');
      t.uuid('bot_id').notNullable();
      t.integer('revision').notNullable();
      t.specificType('document', 'longtext').notNullable();
      t.primary(['bot_id', 'revision']);
    });
    await db.raw('INSERT INTO snapshots (bot_id, revision, document) SELECT id, revision, document FROM bots');
    await db.schema.alterTable('bots', (t) => {
      t.dropColumn('document');
    });
    await db.schema.createTable('live_changes', (t) => {
      t.charset('utf8mb4');
      t.collate('utf8mb4_bin');
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable().index();
      t.uuid('release_id').notNullable();
      t.uuid('person_id').notNullable();
      t.integer('moved').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
    });
  },
  '0003_powers': async (db) => {
    const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
      db.schema.createTable(name, (t) => {
        t.charset('utf8mb4');
        t.collate('utf8mb4_bin');
        columns(t);
      });
    await db.schema.alterTable('channels', (t) => {
      t.string('name', 120);
      t.specificType('settings', 'longtext');
    });
    await db.schema.alterTable('conversations', (t) => {
      t.datetime('handed_at', { precision: 3 });
      t.text('handed_reason');
      t.index(['bot_id', 'handed_at']);
    });
    await db.schema.alterTable('chat_lines', (t) => {
      t.string('by_name', 120);
      t.text('failed');
    });
    await create('secrets', (t) => {
      t.string('owner', 120).notNullable();
      t.string('name', 80).notNullable();
      t.text('sealed').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.primary(['owner', 'name']);
    });
    await create('channel_testers', (t) => {
      t.uuid('channel_id').notNullable();
      t.string('sender', 200).notNullable();
      t.string('name', 120).notNullable();
      t.primary(['channel_id', 'sender']);
    });
    await create('channel_events', (t) => {
      t.uuid('id').primary();
      t.uuid('channel_id').notNullable();
      t.string('direction', 3).notNullable();
      t.string('outcome', 20).notNullable();
      t.text('about').notNullable();
      t.string('sender', 200);
      t.uuid('conversation_id');
      t.specificType('payload', 'longtext');
      t.datetime('at', { precision: 3 }).notNullable();
      t.index(['channel_id', 'id']);
    });
    await create('samples', (t) => {
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable();
      t.string('name', 80).notNullable();
      t.string('kind', 20).notNullable();
      t.specificType('body', 'longtext').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.unique(['bot_id', 'name']);
    });
    await create('deliveries', (t) => {
      t.uuid('conversation_id').primary();
      t.uuid('channel_id').notNullable();
      t.string('recipient', 200).notNullable();
      t.integer('wanted').notNullable();
      t.boolean('waits').notNullable().index();
      t.integer('sent_seq').notNullable();
      t.integer('part').notNullable();
      t.integer('tries').notNullable();
      t.datetime('next_at', { precision: 3 });
      t.string('lease_owner', 36);
      t.datetime('lease_until', { precision: 3 });
    });
  },
  '0004_simulator': async (db) => {
    const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
      db.schema.createTable(name, (t) => {
        t.charset('utf8mb4');
        t.collate('utf8mb4_bin');
        columns(t);
      });
    await create('simulations', (t) => {
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable();
      t.uuid('person_id').notNullable();
      t.string('name', 120);
      t.specificType('settings', 'longtext').notNullable();
      t.uuid('head');
      t.integer('turns').notNullable().defaultTo(0);
      t.text('said');
      t.specificType('paused', 'longtext');
      t.datetime('stop_at', { precision: 3 });
      t.datetime('opened_at', { precision: 3 }).notNullable();
      t.datetime('last_at', { precision: 3 }).notNullable();
      t.index(['bot_id', 'last_at']);
    });
    await create('simulated_turns', (t) => {
      t.uuid('id').primary();
      t.uuid('simulation_id').notNullable();
      t.integer('seq').notNullable();
      t.string('external_id', 80).notNullable();
      t.uuid('parent');
      t.uuid('again');
      t.integer('number').notNullable();
      t.integer('revision').notNullable();
      t.specificType('event', 'longtext').notNullable();
      t.specificType('kept', 'longtext');
      t.specificType('state', 'longtext').notNullable();
      t.specificType('sheet', 'longtext').notNullable();
      t.specificType('timings', 'longtext').notNullable();
      t.text('samples').notNullable();
      t.double('ms').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.unique(['simulation_id', 'external_id']);
      t.unique(['simulation_id', 'seq']);
    });
    await create('made_up_visitors', (t) => {
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable();
      t.string('name', 80).notNullable();
      t.string('language', 20);
      t.string('zone', 60);
      t.string('channel', 40);
      t.specificType('variables', 'longtext').notNullable();
      t.unique(['bot_id', 'name']);
    });
    await create('rehearsal_runs', (t) => {
      t.uuid('bot_id').primary();
      t.specificType('run', 'longtext').notNullable();
    });
    await db.schema.alterTable('connections', (t) => {
      t.string('address', 500).nullable().alter();
      t.string('stand_in', 500);
    });
    await db.schema.alterTable('releases', (t) => {
      t.text('despite');
    });
  },
  '0005_runs': async (db) => {
    // What began it: a channel, or a source of runs that no conversation begins. Conversations of the first simulator are none of a channel.
    await db.schema.alterTable('conversations', (t) => {
      t.uuid('channel_id').nullable().alter();
      t.string('source', 20).notNullable().defaultTo('channel');
      t.integer('done_part').notNullable().defaultTo(0);
    });
    await db.raw(
      "UPDATE conversations SET source = 'simulator' WHERE channel_id IN (SELECT id FROM channels WHERE kind = 'simulator')",
    );
    await db('channels').where({ kind: 'simulator' }).delete();
    // An event that goes on with another one has its number, and is a further part of it.
    await db.schema.alterTable('events', (t) => {
      t.string('source', 80).notNullable().defaultTo('');
      t.integer('part').notNullable().defaultTo(0);
    });
    await db.raw('UPDATE events SET source = channel_id');
    await db.schema.alterTable('events', (t) => {
      t.dropUnique(['channel_id', 'external_id']);
      t.dropUnique(['conversation_id', 'seq']);
      t.unique(['source', 'external_id']);
      t.unique(['conversation_id', 'seq', 'part']);
      t.dropColumn('channel_id');
    });
  },
  '0006_trust': async (db) => {
    const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
      db.schema.createTable(name, (t) => {
        t.charset('utf8mb4');
        t.collate('utf8mb4_bin');
        columns(t);
      });
    await db.schema.alterTable('conversations', (t) => {
      // How often somebody has begun with what is next, since something was last finished.
      t.integer('tries').notNullable().defaultTo(0);
      t.index(['visitor_id']);
    });
    await create('events_aside', (t) => {
      t.uuid('event_id').primary();
      t.uuid('bot_id').notNullable();
      t.uuid('conversation_id').notNullable().index();
      t.integer('tries').notNullable();
      t.text('reason').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.datetime('again_at', { precision: 3 });
      t.index(['bot_id', 'event_id']);
    });
    await db.schema.alterTable('visitors', (t) => {
      // A key of web chat, or a sender on a messenger.
      t.string('kind', 10).notNullable().defaultTo('key');
      t.dropUnique(['key_hash']);
      t.unique(['kind', 'key_hash']);
      t.index(['bot_id', 'id']);
    });
    await db.raw(`UPDATE visitors SET kind = 'sender' WHERE id IN (
      SELECT c.visitor_id FROM conversations c JOIN channels ch ON ch.id = c.channel_id WHERE ch.kind <> 'web-chat')`);
    await create('openings', (t) => {
      t.string('key_hash', 64).primary();
      t.uuid('channel_id').notNullable();
      t.uuid('conversation_id').notNullable();
      t.uuid('release_id').notNullable();
      t.string('language', 40);
      t.datetime('at', { precision: 3 }).notNullable().index();
    });
    await db.schema.alterTable('channel_events', (t) => {
      // How often the same happened; forgeries are one row.
      t.integer('times').notNullable().defaultTo(1);
    });
    await db.schema.alterTable('bots', (t) => {
      t.text('retention');
      t.index(['deleted_at']);
    });
    await create('classifiers', (t) => {
      t.string('training_key', 64).primary();
      t.specificType('trained', 'longblob').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.datetime('used_at', { precision: 3 }).notNullable().index();
    });
  },
  '0007_understanding': async (db) => {
    const create = (name: string, columns: (t: Knex.CreateTableBuilder) => void) =>
      db.schema.createTable(name, (t) => {
        t.charset('utf8mb4');
        t.collate('utf8mb4_bin');
        columns(t);
      });
    await create('vectors', (t) => {
      t.string('text_hash', 64).primary();
      t.specificType('vector', 'blob').notNullable();
      t.datetime('used_at', { precision: 3 }).notNullable().index();
    });
    await create('missed', (t) => {
      t.uuid('id').primary();
      t.uuid('bot_id').notNullable();
      // Null for what was said in a simulation.
      t.uuid('conversation_id').index();
      t.string('text', 500).notNullable();
      t.string('language', 40).notNullable();
      // What it was nearest to, though not near enough.
      t.string('intent', 120);
      t.float('score').notNullable();
      t.datetime('at', { precision: 3 }).notNullable();
      t.string('settled', 12);
      t.datetime('settled_at', { precision: 3 });
      t.index(['bot_id', 'settled', 'id']);
    });
  },
  '0008_tables_and_starts': tablesAndStarts,
  '0009_agents': agents,
  '0010_memory': memory,
  '0011_knowledge': knowledge,
  '0012_sources': sources,
  '0013_pages': pages,
  '0014_known': known,
  '0015_held_lines': heldLines,
};

/** What lists show of a bot, kept beside its document. */
async function fillSummaries(db: Knex): Promise<void> {
  const rows: { id: string; document: string }[] = await db('bots').select('id', 'document');
  for (const { id, document } of rows) {
    const { bot, name, about, flows } = JSON.parse(document) as BotDocument;
    const nodes = Object.values(flows).reduce((sum, f) => sum + Object.keys(f.nodes).length, 0);
    await db('bots')
      .where({ id })
      .update({ bot, name, about: about ?? null, flows: Object.keys(flows).length, nodes });
  }
}
