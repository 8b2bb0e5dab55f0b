import { checkBot, problemSentence, secretProblems, type BotDocument } from '@primrose/core';
import { blankDocument, createBot, ownBot, ownDraft } from '../../bots/bots.js';
import { acceptDocument } from '../../bots/documents.js';
import { connectionOwner } from '../../outside/secrets.js';
import { listBots, setDeleted } from '../../store/bots.js';
import { connectionAddresses, setConnectionAddress, setStandIn, standIns } from '../../store/connections.js';
import type { BotParts } from '../../bots/bots.js';
import type { Example } from '../../start/examples.js';
import type { Secrets } from '../../outside/secrets.js';
import { newId } from '../../base/clock.js';
import { copyTestQuestions } from '../../store/evaluations.js';
import { HttpProblem } from '../problem.js';
import { paged, PAGE, type Handlers } from '../route.js';
import { botView, connectionViews, draftView } from '../views.js';

interface BotRouteParts extends BotParts {
  readonly secrets: Secrets;
  readonly examples: ReadonlyMap<string, Example>;
}

/** Bots and their connections. */
export function botHandlers(parts: BotRouteParts): Handlers {
  const { db, clock, examples, secrets } = parts;
  const draftOf = (owner: string, id: string) => ownDraft(parts, owner, id);
  const connectionsOf = async (botId: string, document: BotDocument) =>
    connectionViews(
      document,
      await connectionAddresses(db, botId),
      await standIns(db, botId),
      await secrets.names(connectionOwner(botId)),
    );
  const connectionOf = async (botId: string, document: BotDocument, name: string) => {
    const view = (await connectionsOf(botId, document)).find((c) => c.name === name);
    if (!view) throw new HttpProblem('not-found', `The bot has no connection "${name}".`);
    return view;
  };
  return {
    listBots: async ({ person, query }) => {
      const limit = query.limit ?? PAGE;
      const rows = await listBots(db, person.id, {
        deleted: query.deleted === 'true',
        limit: limit + 1,
        ...(query.after === undefined ? {} : { after: query.after }),
      });
      return paged(rows, limit, botView, (r) => `${r.changed_at.getTime()}_${r.id}`);
    },
    createBot: async ({ person, body }) => {
      const { document, contents } = startingDocument(body, examples);
      return draftView(await createBot(parts, person.id, document, contents), NEW);
    },
    listExamples: () =>
      Promise.resolve({
        items: [...examples].map(([id, { document: d }]) => ({ id, name: d.name, about: d.about ?? '' })),
        next: null,
      }),
    getBot: async ({ person, params }) => botView(await ownBot(db, person.id, params.bot)),
    deleteBot: async ({ person, params }) => {
      const row = await ownBot(db, person.id, params.bot);
      await setDeleted(db, row.id, clock.now());
      return undefined;
    },
    restoreBot: async ({ person, params }) => {
      const row = await ownBot(db, person.id, params.bot, true);
      await setDeleted(db, row.id, null);
      return botView(await ownBot(db, person.id, row.id));
    },
    duplicateBot: async ({ person, params }) => {
      const { document } = await draftOf(person.id, params.bot);
      const bot = `${document.bot}-copy`.slice(0, 80);
      const copied = { ...document, bot, name: `${document.name} (copy)`.slice(0, 120) };
      const copy = await createBot(parts, person.id, copied);
      await copyTestQuestions(db, params.bot, copy.bot.id, () => newId(clock));
      for (const [name, address] of await connectionAddresses(db, params.bot))
        await setConnectionAddress(db, copy.bot.id, name, address);
      for (const [name, address] of await standIns(db, params.bot)) await setStandIn(db, copy.bot.id, name, address);
      return draftView(copy, NEW);
    },
    listProblems: async ({ person, params }) => {
      const { revision, document } = await draftOf(person.id, params.bot);
      const kept = await secrets.names(connectionOwner(params.bot));
      const found = [...checkBot(document), ...secretProblems(document, kept)];
      return { revision, items: found.map((problem) => ({ problem, sentence: problemSentence(problem) })) };
    },
    listConnections: async ({ person, params }) => {
      const { document } = await draftOf(person.id, params.bot);
      return { items: await connectionsOf(params.bot, document), next: null };
    },
    setConnection: async ({ person, params, body }) => {
      const { document } = await draftOf(person.id, params.bot);
      await connectionOf(params.bot, document, params.connection);
      const { address, standIn } = body;
      if (address !== undefined) await setConnectionAddress(db, params.bot, params.connection, address);
      if (standIn !== undefined) await setStandIn(db, params.bot, params.connection, standIn);
      return connectionOf(params.bot, document, params.connection);
    },
    setSecret: async ({ person, params, body }) => {
      const { document } = await draftOf(person.id, params.bot);
      await connectionOf(params.bot, document, params.connection);
      await secrets.set(connectionOwner(params.bot), params.connection, body.secret);
      return connectionOf(params.bot, document, params.connection);
    },
  };
}

/** A new draft has nothing to undo. */
const NEW = { undo: false, redo: false };

type Start =
  | { from: 'blank'; name: string }
  | { from: 'example'; example: string; name?: string | undefined }
  | { from: 'document'; document: unknown };

const NO_CONTENTS: Example['contents'] = new Map();

function startingDocument(body: Start, examples: ReadonlyMap<string, Example>): Example {
  if (body.from === 'blank') return { document: blankDocument(body.name), contents: NO_CONTENTS };
  if (body.from === 'document') return { document: acceptDocument(body.document), contents: NO_CONTENTS };
  const example = examples.get(body.example);
  if (!example)
    throw new HttpProblem('not-found', `There is no example "${body.example}". There are: ${[...examples.keys()].join(', ')}.`);
  return body.name === undefined ? example : { ...example, document: { ...example.document, name: body.name } };
}
