import { createServer, type Server } from 'node:http';
import { fileURLToPath } from 'node:url';
import { pino } from 'pino';
import { newId, systemClock } from '../base/clock.js';
import type { Config } from './config.js';
import { DraftWatch } from '../drafts/watch.js';
import { Drafts } from '../drafts/drafts.js';
import { loadExamples } from './examples.js';
import { createApp, type Parts } from '../http/app.js';
import { Outbox } from '../channels/hook-messenger/outbox.js';
import { Listeners } from '../understanding/listeners.js';
import { Rehearsing } from '../rehearsals/rehearsing.js';
import { createChatCompletions } from '../outside/chat-completions.js';
import { createHttpActions } from '../outside/http-action.js';
import { Secrets } from '../outside/secrets.js';
import { Simulations } from '../simulations/simulations.js';
import { migrate, openDatabase } from '../store/database.js';
import { createBotLoader } from '../bots/loader.js';
import { News, Wakes } from '../turns/wakes.js';
import { createRunner } from '../turns/run.js';
import { Turns } from '../turns/turns.js';

export interface Service {
  readonly port: number;
  readonly stop: () => Promise<void>;
}

const at = (relative: string): string => fileURLToPath(new URL(relative, import.meta.url));
export const DEMO_FOLDER = at('../../../../demo');

/** Builds all parts in order, migrates and listens. The only place where parts are made. */
export async function startService(config: Config, version: string): Promise<Service> {
  const log = pino({ level: config.logLevel });
  const clock = systemClock;
  const db = openDatabase(config.databaseUrl, config.poolSize, config.databaseCluster);
  await migrate(db);
  const process = newId(clock);
  const wakes = new Wakes();
  const news = new News({ db, clock, wakes, log, process });
  const listeners = new Listeners();
  // Whoever talks to the draft next finds it trained.
  const watch = new DraftWatch(db, log);
  const drafts = new Drafts(db, clock, (botId, { document, revision }) => {
    listeners.prepare(botId, document);
    watch.tell(botId, revision);
  });
  const loader = createBotLoader(db, drafts);
  const actions = createHttpActions(config.privateAddresses);
  const models = createChatCompletions(config.privateAddresses);
  const secrets = new Secrets(db, clock, config.secretKey);
  const run = createRunner({ db, clock, secrets, action: actions.perform, model: models.perform });
  const turns = new Turns({ db, clock, loader, run, listeners, wakes, log, leaseMs: config.leaseMs, process });
  const simulations = new Simulations({ db, clock, loader, listeners, secrets, action: actions.perform, model: models.perform });
  const rehearsing = new Rehearsing(clock, listeners);
  const outbox = new Outbox({ db, clock, wakes, secrets, log, process, allowed: config.privateAddresses });
  const pages = { console: at('../../../console/dist/site'), chat: at('../../../web-chat/dist/site') };
  const streams: Parts['streams'] = new Set();
  const parts: Parts = {
    config,
    db,
    clock,
    log,
    turns,
    simulations,
    rehearsing,
    outbox,
    secrets,
    listeners,
    model: models.perform,
    drafts,
    watch,
    loader,
    news,
    wakes,
    examples: loadExamples(DEMO_FOLDER),
    version,
    pages,
    streams,
  };
  let stopping = false;
  const app = createApp(parts);
  const server = createServer((req, res) => {
    // Whoever still comes over an old connection is to make a new one, which another process takes.
    if (stopping) res.setHeader('connection', 'close');
    app(req, res);
  });
  await listen(server, config);
  await news.start();
  turns.start();
  outbox.start();
  const stop = async (): Promise<void> => {
    stopping = true;
    const closed = new Promise<void>((resolve) => server.close(() => resolve()));
    streams.forEach((s) => s.destroy());
    watch.close();
    server.closeIdleConnections();
    await turns.stop(config.stopMs);
    server.closeAllConnections();
    await closed;
    await news.stop();
    await outbox.stop();
    await Promise.all([rehearsing.close(), listeners.close(), actions.close(), models.close()]);
    await db.destroy();
  };
  const address = server.address();
  return { port: typeof address === 'object' && address ? address.port : config.port, stop };
}

function listen(server: Server, { host, port }: Config): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      const taken = error.code === 'EADDRINUSE';
      reject(
        taken
          ? new Error(
              `Port ${port} is taken by another program. Stop that program, or choose another port with --port or PRIMROSE_PORT.`,
            )
          : error,
      );
    });
    server.listen(port, host, resolve);
  });
}
