import { checkBot, problemSentence, type BotDocument } from '@primrose/core';
import {
  acceptDocument,
  bindChannel,
  blankDocument,
  createBot,
  createRelease,
  ownBot,
  patchDraft,
  replaceDraft,
} from '../../bots.js';
import * as store from '../../store/bots.js';
import * as channels from '../../store/channels.js';
import type { Parts } from '../app.js';
import { HttpProblem } from '../problem.js';
import type { Handlers } from '../route.js';
import { botView, channelView, connectionViews, draftView, editView, releaseView } from '../views.js';

const PAGE = 50;

/** Cuts a list that was read one longer than a page; `next` is the cursor of the following page. */
function paged<T, V>(
  rows: readonly T[],
  limit: number,
  view: (row: T) => V,
  cursor: (row: T) => string,
): { items: V[]; next: string | null } {
  const shown = rows.slice(0, limit);
  const last = shown.at(-1);
  return { items: shown.map(view), next: rows.length > limit && last !== undefined ? cursor(last) : null };
}

/** Bots, their drafts, releases, channels and connections. */
export function botHandlers(parts: Parts): Handlers {
  const { db, clock, config, examples } = parts;
  const draftOf = async (owner: string, id: string) => draftView(await ownBot(db, owner, id));
  const channelOf = async (botId: string, id: string) => {
    const row = (await channels.listChannels(db, botId)).find((c) => c.id === id);
    if (!row) throw new HttpProblem('not-found', 'This bot has no such channel.');
    return channelView(row, config.publicUrl);
  };
  return {
    listBots: async ({ person, query }) => {
      const limit = query.limit ?? PAGE;
      const rows = await store.listBots(db, person.id, {
        deleted: query.deleted === 'true',
        limit: limit + 1,
        ...(query.after === undefined ? {} : { after: query.after }),
      });
      return paged(rows, limit, botView, (r) => `${r.changed_at.getTime()}_${r.id}`);
    },
    createBot: async ({ person, body }) => draftView(await createBot(db, clock, person.id, startingDocument(body, examples))),
    listExamples: () =>
      Promise.resolve({ items: [...examples].map(([id, d]) => ({ id, name: d.name, about: d.about ?? '' })), next: null }),
    getBot: async ({ person, params }) => botView(await ownBot(db, person.id, params.bot)),
    deleteBot: async ({ person, params }) => {
      const row = await ownBot(db, person.id, params.bot);
      await store.setDeleted(db, row.id, clock.now());
      return undefined;
    },
    restoreBot: async ({ person, params }) => {
      const row = await ownBot(db, person.id, params.bot, true);
      await store.setDeleted(db, row.id, null);
      return botView(await ownBot(db, person.id, row.id));
    },
    duplicateBot: async ({ person, params }) => {
      const { document } = await draftOf(person.id, params.bot);
      const copy = await createBot(db, clock, person.id, {
        ...document,
        bot: `${document.bot}-copy`.slice(0, 80),
        name: `${document.name} (copy)`.slice(0, 120),
      });
      for (const [name, address] of await store.connectionAddresses(db, params.bot))
        await store.setConnectionAddress(db, copy.id, name, address);
      return draftView(copy);
    },
    getDraft: ({ person, params }) => draftOf(person.id, params.bot),
    patchDraft: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      await patchDraft(db, clock, { bot, personId: person.id, revision: body.revision }, body.patch);
      return draftOf(person.id, params.bot);
    },
    replaceDraft: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      await replaceDraft(db, clock, { bot, personId: person.id, revision: body.revision }, body.document);
      return draftOf(person.id, params.bot);
    },
    listEdits: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      return paged(await store.listEdits(db, bot.id, query.since ?? 0, limit + 1), limit, editView, (r) => String(r.revision));
    },
    listProblems: async ({ person, params }) => {
      const { revision, document } = await draftOf(person.id, params.bot);
      return { revision, items: checkBot(document).map((problem) => ({ problem, sentence: problemSentence(problem) })) };
    },
    listReleases: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const before = query.after === undefined ? undefined : Number(query.after) || 0;
      return paged(await store.listReleases(db, bot.id, limit + 1, before), limit, releaseView, (r) => String(r.number));
    },
    createRelease: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      if (body.revision !== undefined && body.revision !== bot.revision) {
        throw new HttpProblem(
          'stale-revision',
          `The draft is at revision ${bot.revision} now. Look at what changed, then release again.`,
          { revision: bot.revision },
        );
      }
      return releaseView(await createRelease(db, clock, bot, person.id, body.note));
    },
    getRelease: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const row = await store.findRelease(db, bot.id, params.release);
      if (!row) throw new HttpProblem('not-found', `There is no Release ${params.release} of this bot.`);
      return { ...releaseView(row), document: JSON.parse(row.document) as BotDocument };
    },
    listChannels: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      return { items: (await channels.listChannels(db, bot.id)).map((c) => channelView(c, config.publicUrl)), next: null };
    },
    updateChannel: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const channel = await channelOf(bot.id, params.channel);
      if (body.serves !== undefined) await bindChannel(db, bot, channel.id, body.serves);
      if (body.on !== undefined) await channels.updateChannel(db, bot.id, channel.id, { is_on: body.on });
      return channelOf(bot.id, channel.id);
    },
    listConnections: async ({ person, params }) => {
      const { document } = await draftOf(person.id, params.bot);
      return { items: connectionViews(document, await store.connectionAddresses(db, params.bot)), next: null };
    },
    setConnection: async ({ person, params, body }) => {
      const { document } = await draftOf(person.id, params.bot);
      if (!document.connections?.[params.connection])
        throw new HttpProblem('not-found', `The bot has no connection "${params.connection}".`);
      await store.setConnectionAddress(db, params.bot, params.connection, body.address);
      const view = connectionViews(document, await store.connectionAddresses(db, params.bot)).find(
        (c) => c.name === params.connection,
      );
      if (!view) throw new Error('the connection is gone');
      return view;
    },
  };
}

type Start =
  | { from: 'blank'; name: string }
  | { from: 'example'; example: string; name?: string | undefined }
  | { from: 'document'; document: unknown };

function startingDocument(body: Start, examples: ReadonlyMap<string, BotDocument>): BotDocument {
  if (body.from === 'blank') return blankDocument(body.name);
  if (body.from === 'document') return acceptDocument(body.document);
  const example = examples.get(body.example);
  if (!example)
    throw new HttpProblem('not-found', `There is no example "${body.example}". There are: ${[...examples.keys()].join(', ')}.`);
  return body.name === undefined ? example : { ...example, name: body.name };
}
