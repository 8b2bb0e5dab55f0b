import type { Response } from 'express';
import { createServer, type Server } from 'node:http';
import { fileURLToPath } from 'node:url';
import { pino } from 'pino';
import { newId, sleep, systemClock } from '../base/clock.js';
import { createBotLoader } from '../bots/loader.js';
import { FileReading } from '../bots/reading.js';
import { messengerHandlers } from '../channels/hook-messenger/routes.js';
import { createHandOverNotice } from '../channels/hand-over-notice.js';
import { botApiHandlers } from '../channels/bot-api/routes.js';
import { Intake } from '../channels/intake.js';
import { Lines } from '../channels/lines.js';
import { Outbox, type FindSender } from '../channels/outbox.js';
import { telephoneHandlers } from '../channels/telephone/routes.js';
import { pushes } from '../channels/registry.js';
import { webChatHandlers } from '../channels/web-chat/routes.js';
import { createChatPage, webChatSettingHandlers } from '../channels/web-chat/setting.js';
import { Drafts } from '../drafts/drafts.js';
import { DraftWatch } from '../drafts/watch.js';
import { createApp, createBackPage, serviceHandlers } from '../http/app.js';
import { createPersonFinder } from '../http/auth.js';
import { accountHandlers } from '../http/routes/account.js';
import { botHandlers } from '../http/routes/bots.js';
import { channelHandlers } from '../http/routes/channels.js';
import { conversationHandlers } from '../http/routes/conversations.js';
import { draftHandlers } from '../http/routes/drafts.js';
import { inboxHandlers } from '../http/routes/inbox.js';
import { keepingHandlers } from '../http/routes/keeping.js';
import { visitorHandlers } from '../http/routes/visitors.js';
import { fileHandlers } from '../http/routes/files.js';
import { createFetcher } from '../files/fetching.js';
import { Files } from '../files/files.js';
import { createDrawing } from '../outside/drawing.js';
import { Summing } from '../memory/summing.js';
import { releaseHandlers } from '../http/routes/releases.js';
import { simulationHandlers } from '../http/routes/simulations.js';
import { talkHandlers } from '../http/routes/talk.js';
import { tryingHandlers } from '../http/routes/trying.js';
import { understandingHandlers } from '../http/routes/understanding.js';
import { News } from '../observe/news.js';
import { createChatCompletions } from '../outside/chat-completions.js';
import { createProbe } from '../outside/probe.js';
import { createMcp } from '../outside/mcp.js';
import { TurnStops } from '../turns/stops.js';
import { createHttpActions } from '../outside/http-action.js';
import { Secrets } from '../outside/secrets.js';
import { Rehearsing } from '../rehearsals/rehearsing.js';
import { Sweeper } from '../retention/sweeper.js';
import { Simulations } from '../simulations/simulations.js';
import { Notices } from '../channels/notices.js';
import { pageHandlers } from '../http/routes/pages.js';
import { PageQueue } from '../pages/page-queue.js';
import { Pages } from '../pages/pages.js';
import { PageProgress } from '../pages/progress.js';
import { SentFiles } from '../pages/sent.js';
import { Shares } from '../pages/shares.js';
import { startHandlers } from '../http/routes/starts.js';
import { tableHandlers } from '../http/routes/tables.js';
import { Receiving } from '../runs/receive.js';
import { Runs } from '../runs/runs.js';
import { Timed } from '../runs/timed.js';
import { servingBot } from '../store/bots.js';
import { Carrying } from '../tables/carry.js';
import { Tables } from '../tables/tables.js';
import { openDatabase } from '../store/database.js';
import { migrate } from '../store/migrate.js';
import { SignInCodes } from '../visitors/codes.js';
import { IdentityServices } from '../visitors/identity-service.js';
import { createInTalk } from '../visitors/in-talk.js';
import { createMailer } from '../visitors/mail.js';
import { SignIns } from '../visitors/sign-ins.js';
import { LeaseGuard } from '../turns/lease-guard.js';
import { createRunner } from '../turns/run.js';
import { Turns } from '../turns/turns.js';
import { TypingBoard } from '../turns/typing.js';
import { Wakes } from '../turns/wakes.js';
import { Contents } from '../knowledge/contents.js';
import { Fetching } from '../knowledge/fetching.js';
import { Indexer } from '../knowledge/indexer.js';
import { Indexing } from '../knowledge/indexing.js';
import { createLook, loadIndexes, Lookups, signingKey } from '../knowledge/lookups.js';
import { createSeeing } from '../knowledge/seeing.js';
import { Vectoring } from '../knowledge/vectoring.js';
import { Searcher } from '../knowledge/searcher.js';
import { knowingHandlers } from '../http/routes/knowing.js';
import { Encoder } from '../understanding/encoder.js';
import { Listeners } from '../understanding/listeners.js';
import type { Config } from './config.js';
import { loadExamples } from './examples.js';

export interface Service {
  readonly port: number;
  readonly stop: () => Promise<void>;
}

const MIGRATION_MS = 600_000;
/** What the rest of a stop may take, beyond the time that turns have. */
const STOP_REST_MS = 3000;
/** Longer than clients and proxies keep a connection that nobody uses, so that none is closed while a request is on its way. */
/** What the first question would wait for is made ready once the service has begun. */
const WARM_MS = 2000;
const KEEP_ALIVE_MS = 65_000;

const at = (relative: string): string => fileURLToPath(new URL(relative, import.meta.url));

/** Builds all parts in order, migrates and listens. The only place where parts are made. */
export async function startService(config: Config, version: string): Promise<Service> {
  const log = pino({ level: config.logLevel });
  const clock = systemClock;
  const { publicUrl, secureCookies } = config;
  const { limits } = config;
  await migrateAlone(config);
  const db = openDatabase(config.databaseUrl, config.poolSize, {
    cluster: config.databaseCluster,
    statementMs: limits.statementSeconds * 1000,
  });
  const process = newId(clock);
  const guard = new LeaseGuard({ databaseUrl: config.databaseUrl, owner: process, leaseMs: config.leaseMs, clock, log });
  const wakes = new Wakes();
  const news = new News({ db, clock, wakes, log, process });
  const encoder = config.encoder ? new Encoder({ db, clock, log }) : undefined;
  const listeners = new Listeners({ db, clock, log, encoder, ...limits });
  // Whoever talks to the draft next finds it trained.
  const watch = new DraftWatch(db, clock, log);
  const contents = new Contents(db, clock, limits);
  const indexer = new Indexer(clock, limits);
  const indexing = new Indexing({ db, clock, log, indexer, leaseMs: config.leaseMs, see: (...pages) => see(...pages) });
  const drafts = new Drafts(db, clock, contents, (botId, { document, revision }) => {
    listeners.prepare(botId, document);
    watch.tell(botId, revision);
    // Reading and indexing begin at once; whoever asks before they are through waits a little.
    indexing
      .prepare(botId, document)
      .catch((error: unknown) => log.warn({ err: error, bot: botId }, 'documents were not prepared'));
    fetching
      .prepare(botId, document)
      .catch((error: unknown) => log.warn({ err: error, bot: botId }, 'sources were not prepared'));
  });
  const fetching = new Fetching({
    db,
    clock,
    log,
    drafts,
    contents,
    indexer,
    allowed: config.privateAddresses,
    leaseMs: config.leaseMs,
  });
  const fetcher = createFetcher(config.privateAddresses);
  const files = new Files({ db, clock, publicUrl, fetch: fetcher.fetch });
  const searcher = new Searcher({ clock, log, limits, load: (ids) => loadIndexes({ db, clock, log, indexer }, ids) });
  const key = await signingKey(db, config.secretKey);
  const lookups = new Lookups({ db, clock, log, indexer, encoder, contents, indexing, searcher, files, publicUrl, key });
  const lookOf = createLook(lookups, drafts);
  const vectoring = encoder && new Vectoring({ db, clock, log, encoder });
  const loader = createBotLoader(db, drafts, limits);
  const actions = createHttpActions(config.privateAddresses);
  const models = createChatCompletions(config.privateAddresses, clock);
  const secrets = new Secrets(db, clock, config.secretKey);
  const see = createSeeing({ db, secrets, drafts, indexer, model: models.perform });
  const probe = createProbe(config.privateAddresses);
  const mcp = createMcp(config.privateAddresses, clock);
  const outside = { action: actions.perform, model: models.perform, mcp: mcp.perform };
  const stops = new TurnStops(db, clock, () => news.processes > 1);
  /** A channel sends by itself, or by the line that this process holds. */
  const senderOf: FindSender = (channel, opened) => lines.senderOf(channel, opened);
  const outbox = new Outbox({ db, clock, wakes, secrets, log, process, senderOf });
  const deliveries = { pushes, kick: outbox.kick.bind(outbox) };
  const documentOf = async (botId: string) => {
    const bot = await servingBot(db, botId);
    if (!bot) return undefined;
    const loaded = bot.live_release_id === null ? await loader.draft(botId) : await loader.release(bot.live_release_id);
    return loaded.bot.document;
  };
  const tables = new Tables({
    db,
    clock,
    documentOf,
    limits,
    onPromised: () => clock.after(0, () => void timed.kick().catch(() => undefined)),
  });
  const drawing = createDrawing(config.privateAddresses);
  const notices = new Notices({ db, clock, secrets, log, process, senderOf });
  const mailer = createMailer(config.mail);
  const codes = new SignInCodes({ db, clock, mailer });
  const signIn = createInTalk({ db, clock, codes, mail: config.mail.url !== undefined });
  const run = createRunner({ db, clock, secrets, tables, notices, files, signIn, drawing: drawing.ask, ...outside });
  const turns = new Turns({
    db,
    clock,
    loader,
    run,
    listeners,
    lookOf,
    deliveries,
    handedOver: createHandOverNotice({ db, clock, publicUrl }),
    wakes,
    stops,
    log,
    leaseMs: config.leaseMs,
    tries: limits.turnTries,
    process,
  });
  const intake = new Intake({ db, clock, loader, turns, outbox, files, limits });
  const lines = new Lines({ db, clock, secrets, log, process, allowed: config.privateAddresses, publicUrl, intake });
  const services = new IdentityServices({ clock, allowed: config.privateAddresses });
  const signIns = new SignIns({ db, clock, loader, secrets, turns, wakes, codes, services, publicUrl, key });
  const runner = new Runs({ db, clock, loader, turns, wakes });
  const timed = new Timed({ db, clock, log, runs: runner });
  const carrying = new Carrying({ db, clock, log, documentOf });
  const summing = new Summing({ db, clock, log, loader, secrets, model: models.perform });
  const receiving = new Receiving({ db, clock, secrets, runs: runner, limits });
  const progress = new PageProgress(wakes);
  const loadRelease = (id: string) => loader.release(id);
  const atOnce = limits.pageRunsAtOnce;
  const queue = new PageQueue({ db, clock, log, runs: runner, turns, wakes, progress, loadRelease, publicUrl, atOnce });
  const sent = new SentFiles(files, indexer);
  const pages = new Pages({ db, clock, loader, runs: runner, turns, queue, progress, sent, waiting: limits.pageRunsWaiting });
  const shares = new Shares({ db, clock, loader, publicUrl });
  const simulations = new Simulations({
    db,
    clock,
    log,
    loader,
    listeners,
    lookOf,
    secrets,
    tables,
    files,
    drawing: drawing.ask,
    ...outside,
  });
  const rehearsing = new Rehearsing({ clock, listeners, lookOf, limits: limits });
  const typing = new TypingBoard(clock);
  const streams = new Set<Response>();
  const bots = { db, clock, drafts, contents };
  const reading = new FileReading(clock, limits);
  const findPerson = createPersonFinder(db, clock);
  const chatPages = at('../../../web-chat/dist/site');
  const app = createApp({
    log,
    secureCookies,
    trustedProxies: config.trustedProxies,
    findPerson,
    pages: { console: at('../../../console/dist/site'), chat: chatPages },
    chatPage: createChatPage(db),
    handlers: [
      // Those that visitors use come first.
      webChatHandlers({
        ...{ db, clock, log, wakes, streams, turns, stops, files, loader, signIns, publicUrl, typing, limits },
        sendBack: createBackPage(chatPages),
      }),
      fileHandlers({ files }),
      messengerHandlers({ db, clock, secrets, intake, publicUrl }),
      botApiHandlers({ db, clock, log, wakes, streams, turns, intake, limits, key }),
      telephoneHandlers({ db, clock, turns, intake, limits, publicUrl, key }),
      channelHandlers({ db, clock, secrets, publicUrl, lines }),
      pageHandlers({
        ...bots,
        ...{ log, wakes, progress, streams, pages, shares, sent, files, reading, loader, secrets, publicUrl, key },
        limits,
        model: models.perform,
        findPerson,
      }),
      startHandlers({ ...bots, secrets, runner, receiving, wakes, publicUrl }),
      serviceHandlers({ db, clock, version, news }),
      accountHandlers({ db, clock, secureCookies }),
      botHandlers({ ...bots, secrets, examples: loadExamples(config.examples) }),
      draftHandlers({ ...bots, log, watch, streams, files: reading }),
      releaseHandlers({ ...bots, rehearsing, secrets, indexing }),
      talkHandlers({ db }),
      simulationHandlers({ ...bots, log, loader, simulations, rehearsing }),
      webChatSettingHandlers({ db, clock, secrets, publicUrl }),
      conversationHandlers({ db, clock }),
      inboxHandlers({ db, clock, loader, turns, wakes, outbox, typing, publicUrl }),
      keepingHandlers({ db, clock, turns }),
      visitorHandlers({ db, clock, loader, wakes }),
      knowingHandlers({ ...bots, indexing, indexer, lookups, fetching }),
      tableHandlers({ ...bots, tables, files: reading }),
      understandingHandlers({ ...bots, listeners }),
      tryingHandlers({ ...bots, listeners, secrets, model: models.perform, probe: probe.probe, listTools: mcp.list }),
    ],
  });
  let stopping = false;
  const server = createServer((req, res) => {
    // Whoever still comes over an old connection is to make a new one, which another process takes.
    if (stopping) res.setHeader('connection', 'close');
    app(req, res);
  });
  server.keepAliveTimeout = KEEP_ALIVE_MS;
  await listen(server, config);
  await news.start();
  turns.start();
  outbox.start();
  lines.start();
  notices.start();
  queue.start();
  timed.start();
  carrying.start();
  summing.start();
  indexing.start();
  fetching.start();
  vectoring?.start();
  clock.after(WARM_MS, () => searcher.warm());
  const sweeper = new Sweeper({ db, clock, log, everyMinutes: limits.sweepMinutes });
  sweeper.start();
  const stopAll = async (): Promise<void> => {
    stopping = true;
    const closed = new Promise<void>((resolve) => server.close(() => resolve()));
    streams.forEach((s) => s.destroy());
    watch.close();
    server.closeIdleConnections();
    // What comes in by held lines stays at the servers for whoever holds them next.
    const letGo = lines.stop();
    await timed.stop();
    await queue.stop();
    await turns.stop(config.stopMs);
    server.closeAllConnections();
    await closed;
    await sweeper.stop();
    await news.stop();
    await outbox.stop();
    await letGo;
    await notices.stop();
    await carrying.stop();
    await summing.stop();
    await fetching.stop();
    await vectoring?.stop();
    await indexing.stop();
    await Promise.all([
      guard.close(),
      reading.close(),
      drawing.close(),
      fetcher.close(),
      rehearsing.close(),
      listeners.close(),
      indexer.close(),
      searcher.close(),
      encoder?.close(),
      actions.close(),
      models.close(),
      mcp.close(),
      services.close(),
      probe.close(),
    ]);
    mailer.close();
    await db.destroy();
  };
  /** However slow any part is to stop, all of them have one time together; what is left then ends with the process. */
  const stop = async (): Promise<void> => {
    const { done, wake } = sleep(clock, config.stopMs + STOP_REST_MS);
    await Promise.race([stopAll(), done]);
    wake();
  };
  const address = server.address();
  return { port: typeof address === 'object' && address ? address.port : config.port, stop };
}

/** Brings the database up to date, which may take longer than a statement of the running service. */
async function migrateAlone(config: Config): Promise<void> {
  const db = openDatabase(config.databaseUrl, 2, { cluster: config.databaseCluster, statementMs: MIGRATION_MS });
  try {
    await migrate(db);
  } finally {
    await db.destroy();
  }
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
