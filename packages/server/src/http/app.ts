import { existsSync } from 'node:fs';
import { join } from 'node:path';
import express, { type Express, type Response } from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { z } from 'zod';
import { endpoints, openApiDocument, turnRecord, type Endpoint } from '@primrose/contract';
import { documentJsonSchema, type BotDocument } from '@primrose/core';
import { messengerHandlers } from '../channels/hook-messenger/handlers.js';
import type { Outbox } from '../channels/hook-messenger/outbox.js';
import { webChatHandlers } from '../channels/web-chat/web-chat.js';
import type { Clock } from '../base/clock.js';
import type { Config } from '../start/config.js';
import type { DraftWatch } from '../drafts/watch.js';
import type { Drafts } from '../drafts/drafts.js';
import type { Listeners } from '../understanding/listeners.js';
import type { Rehearsing } from '../rehearsals/rehearsing.js';
import type { PerformModel } from '../outside/chat-completions.js';
import type { Secrets } from '../outside/secrets.js';
import type { Simulations } from '../simulations/simulations.js';
import type { Db } from '../store/database.js';
import type { BotLoader } from '../bots/loader.js';
import type { News, Wakes } from '../turns/wakes.js';
import type { Turns } from '../turns/turns.js';
import { createPersonFinder } from './auth.js';
import { HttpProblem, problemHandler } from './problem.js';
import { addRoutes } from './route.js';
import { accountHandlers } from './routes/account.js';
import { botHandlers } from './routes/bots.js';
import { conversationHandlers } from './routes/conversations.js';
import { draftHandlers } from './routes/drafts.js';
import { powerHandlers } from './routes/trying.js';
import { releaseHandlers } from './routes/releases.js';
import { simulationHandlers } from './routes/simulations.js';
import { talkHandlers } from './routes/talk.js';

/** Everything that the routes work with; `main.ts` builds it. */
export interface Parts {
  readonly config: Config;
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly turns: Turns;
  readonly simulations: Simulations;
  readonly rehearsing: Rehearsing;
  readonly outbox: Outbox;
  readonly secrets: Secrets;
  readonly listeners: Listeners;
  readonly model: PerformModel;
  readonly drafts: Drafts;
  readonly watch: DraftWatch;
  readonly loader: BotLoader;
  readonly news: News;
  readonly wakes: Wakes;
  readonly examples: ReadonlyMap<string, BotDocument>;
  readonly version: string;
  readonly pages: { readonly console: string; readonly chat: string };
  /** Open streams, closed on stop. */
  readonly streams: Set<Response>;
}

/** The whole HTTP side of the service. */
export function createApp(parts: Parts): Express {
  const app = express();
  app.disable('x-powered-by');
  // Answers of the API are not to be kept, so nothing needs a fingerprint of them; files have their own.
  app.disable('etag');
  app.set('query parser', 'simple');
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          'default-src': ["'self'"],
          'script-src': ["'self'"],
          'style-src': ["'self'", "'unsafe-inline'"],
          'img-src': ["'self'", 'data:', 'https:', 'http:'],
          'connect-src': ["'self'"],
          'font-src': ["'self'"],
          'object-src': ["'none'"],
          'base-uri': ["'none'"],
          'form-action': ["'self'"],
          'frame-ancestors': ["'none'"],
          'upgrade-insecure-requests': null,
        },
      },
      strictTransportSecurity: parts.config.secureCookies,
      referrerPolicy: { policy: 'no-referrer' },
    }),
  );
  app.use('/api', (_req, res, next) => {
    res.setHeader('cache-control', 'no-store');
    next();
  });
  const findPerson = createPersonFinder(parts.db, parts.clock);
  addRoutes(app, findPerson, {
    // Routes are tried in this order: those that visitors use come first.
    ...webChatHandlers(parts),
    ...messengerHandlers(parts),
    ...serviceHandlers(parts),
    ...accountHandlers(parts),
    ...botHandlers(parts),
    ...draftHandlers(parts),
    ...releaseHandlers(parts),
    ...talkHandlers(parts),
    ...simulationHandlers(parts),
    ...conversationHandlers(parts),
    ...powerHandlers(parts),
  });
  addUnknownApi(app);
  addPages(app, parts);
  app.use(problemHandler(parts.log));
  return app;
}

function serviceHandlers({ db, version, news }: Parts) {
  const openapi = openApiDocument(version);
  const schema = documentJsonSchema();
  const turnSchema = { ...z.toJSONSchema(turnRecord, { unrepresentable: 'any' }), title: 'Primrose turn record' };
  return {
    health: async () => {
      try {
        await db.raw('SELECT 1');
      } catch {
        throw new HttpProblem(
          'not-ready',
          'The database does not answer. Is MariaDB running, and is PRIMROSE_DATABASE_URL right?',
        );
      }
      return { ready: true, version, processes: news.processes };
    },
    openapi: () => Promise.resolve(openapi),
    documentSchema: () => Promise.resolve(schema),
    turnSchema: () => Promise.resolve(turnSchema),
  };
}

/** What no route took: a known path with another method, or nothing of ours. */
function addUnknownApi(app: Express): void {
  const known = Object.values(endpoints as Record<string, Endpoint>).map((e) => ({
    method: e.method,
    pattern: new RegExp(`^${e.path.replace(/:\w+/g, '[^/]+')}/?$`),
  }));
  app.use('/api', (req, res) => {
    const methods = known.filter((k) => k.pattern.test(`/api${req.path}`)).map((k) => k.method);
    if (methods.length === 0)
      throw new HttpProblem('not-found', `There is nothing at /api${req.path}. GET /api/openapi.json lists what there is.`);
    res.setHeader('allow', methods.join(', '));
    throw new HttpProblem('method-not-allowed', `This address takes ${methods.join(', ')}.`);
  });
}

function addPages(app: Express, { pages }: Parts): void {
  const forever = { immutable: true, maxAge: '365d', index: false, redirect: false } as const;
  app.use('/chat/assets', express.static(join(pages.chat, 'assets'), forever));
  app.get('/chat/:channel', (_req, res) => sendPage(res, pages.chat));
  app.use('/assets', express.static(join(pages.console, 'assets'), forever));
  app.get('/{*page}', (_req, res) => sendPage(res, pages.console));
  app.use((req) => {
    throw new HttpProblem('not-found', `There is nothing at ${req.path}.`);
  });
}

function sendPage(res: Response, folder: string): void {
  const file = join(folder, 'index.html');
  if (!existsSync(file)) throw new HttpProblem('not-ready', 'The pages are not built. Run "npm run build".');
  res.setHeader('cache-control', 'no-cache');
  res.sendFile(file, { dotfiles: 'allow' });
}
