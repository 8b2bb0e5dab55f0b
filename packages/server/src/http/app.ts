import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import express, { type Express, type Response } from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { z } from 'zod';
import { endpoints, openApiDocument, turnRecord, type Endpoint } from '@primrose/contract';
import { documentJsonSchema } from '@primrose/core';
import { sleep, type Clock } from '../base/clock.js';
import type { ServedChat } from '../channels/web-chat/setting.js';
import type { Db } from '../store/database.js';
import type { News } from '../observe/news.js';
import type { Refused } from '../base/refused.js';
import { HttpProblem, problemHandler } from './problem.js';
import { wordedProblem } from './wording.js';
import { addRoutes, type FindPerson, type Handlers } from './route.js';

const HEALTH_MS = 1500;

/** The folders of the built pages. */
export interface Pages {
  readonly console: string;
  readonly chat: string;
}

export interface AppParts {
  readonly log: Logger;
  readonly findPerson: FindPerson;
  /** What answers the endpoints. Routes are tried in this order. */
  readonly handlers: readonly Handlers[];
  readonly pages: Pages;
  /** What the page of a web chat is served with, by its address. */
  readonly chatPage: (address: string) => Promise<ServedChat>;
  readonly secureCookies: boolean;
  /** Proxies in front of us: what they say of who asks is believed. */
  readonly trustedProxies: readonly string[];
}

/** The whole HTTP side of the service. */
export function createApp({ log, findPerson, handlers, pages, chatPage, secureCookies, trustedProxies }: AppParts): Express {
  const app = express();
  app.disable('x-powered-by');
  // Answers of the API are not to be kept, so nothing needs a fingerprint of them; files have their own.
  app.disable('etag');
  app.set('query parser', 'simple');
  app.set('trust proxy', [...trustedProxies]);
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
      strictTransportSecurity: secureCookies,
      referrerPolicy: { policy: 'no-referrer' },
    }),
  );
  app.use('/api', (_req, res, next) => {
    res.setHeader('cache-control', 'no-store');
    next();
  });
  for (const some of handlers) addRoutes(app, findPerson, some);
  addUnknownApi(app);
  addChat(app, pages, chatPage);
  addPages(app, pages);
  app.use(problemHandler(log));
  return app;
}

/** What the service says of itself: whether it is ready, and its API. */
export function serviceHandlers({
  db,
  clock,
  version,
  news,
}: {
  readonly db: Db;
  readonly clock: Clock;
  readonly version: string;
  readonly news: News;
}): Handlers {
  // Made when they are first asked for: no start waits for them.
  const openapi = once(() => openApiDocument(version));
  const schema = once(documentJsonSchema);
  const turnSchema = once(() => ({
    ...z.toJSONSchema(turnRecord, { unrepresentable: 'any' }),
    title: 'Primrose turn record',
  }));
  return {
    health: async () => {
      // A database that is frozen answers nothing: whoever asks is to hear so soon, not when the statement's time is over.
      const { done, wake } = sleep(clock, HEALTH_MS);
      const late = done.then(() => Promise.reject(new Error('late')));
      try {
        await Promise.race([db.raw('SELECT 1'), late]);
      } catch {
        throw new HttpProblem(
          'not-ready',
          'The database does not answer. Is MariaDB running, and is PRIMROSE_DATABASE_URL right?',
        );
      } finally {
        late.catch(() => undefined);
        wake();
      }
      return { ready: true, version, processes: news.processes };
    },
    openapi: () => Promise.resolve(openapi()),
    documentSchema: () => Promise.resolve(schema()),
    turnSchema: () => Promise.resolve(turnSchema()),
  };
}

/** Makes something when it is first asked for, and keeps it. */
function once<T extends object>(make: () => T): () => T {
  let made: T | undefined;
  return () => (made ??= make());
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

const forever = { immutable: true, maxAge: '365d', index: false, redirect: false } as const;
/** A page that bears the script asks for a new one after so long. */
const SCRIPT_SECONDS = 3600;

/** Web chats: their page, which pages of others may show inside them, and the script that puts it there. */
function addChat(app: Express, pages: Pages, chatPage: AppParts['chatPage']): void {
  app.use('/chat/assets', express.static(join(pages.chat, 'assets'), forever));
  app.get('/chat.js', (_req, res) => {
    res.setHeader('cross-origin-resource-policy', 'cross-origin');
    sendPage(res, pages.chat, 'embed.js', `public, max-age=${SCRIPT_SECONDS}`);
  });
  app.get('/chat/:channel', async (req, res) => {
    const { look, origins } = await chatPage(req.params.channel);
    const ancestors = origins.length === 0 ? '*' : ["'self'", ...origins].join(' ');
    allowFrames(res, ancestors);
    res.setHeader('cross-origin-resource-policy', 'cross-origin');
    await sendWithData(res, pages.chat, 'index.html', look);
  });
}

/** Sends a page with data in it. */
async function sendWithData(res: Response, folder: string, name: string, data: unknown): Promise<void> {
  const page = await readFile(pageFile(folder, name), 'utf8');
  // Data only: a browser runs no block of this type, and "<" is the one sign that could end it.
  const held = JSON.stringify(data).replaceAll('<', '\\u003c');
  res.setHeader('cache-control', 'no-cache');
  res.type('html').send(page.replace('<!--data-->', () => `<script type="application/json" id="data">${held}</script>`));
}

/** Answers with the page to which an identity service sends a visitor back; it hands on what came of it to the chat that opened it. */
export function createBackPage(folder: string) {
  return (res: Response, came: { readonly grant: string } | { readonly refused: Refused }): Promise<void> => {
    // The window that opened it may be a page of anybody's, and is to be reached.
    res.setHeader('cross-origin-opener-policy', 'unsafe-none');
    return sendWithData(res, folder, 'back.html', 'grant' in came ? came : { problem: wordedProblem(came.refused).detail });
  };
}

/** Lets pages of others show this one inside them. */
function allowFrames(res: Response, ancestors: string): void {
  const policy = String(res.getHeader('content-security-policy'));
  res.setHeader('content-security-policy', policy.replace("frame-ancestors 'none'", `frame-ancestors ${ancestors}`));
  res.removeHeader('x-frame-options');
}

function addPages(app: Express, pages: Pages): void {
  app.get(['/pages', '/pages/:link', '/results/:link'], (_req, res) => sendPage(res, pages.chat, 'page.html'));
  app.get('/pages/try/:bot/:page', (_req, res) => {
    // The console shows it in a frame of its own.
    allowFrames(res, "'self'");
    sendPage(res, pages.chat, 'page.html');
  });
  app.use('/assets', express.static(join(pages.console, 'assets'), forever));
  app.get('/{*page}', (_req, res) => sendPage(res, pages.console));
  app.use((req) => {
    throw new HttpProblem('not-found', `There is nothing at ${req.path}.`);
  });
}

function sendPage(res: Response, folder: string, name = 'index.html', cache = 'no-cache'): void {
  res.setHeader('cache-control', cache);
  res.sendFile(pageFile(folder, name), { dotfiles: 'allow', cacheControl: false });
}

function pageFile(folder: string, name: string): string {
  const file = join(folder, name);
  if (!existsSync(file)) throw new HttpProblem('not-ready', 'The pages are not built. Run "npm run build".');
  return file;
}
