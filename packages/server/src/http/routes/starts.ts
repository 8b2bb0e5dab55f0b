import type { Notice, Run, StagedStart, StartEvent, StartState } from '@primrose/contract';
import { givenOf, outsideSheet, textOf, type Came, type Start, type Value, type Values } from '@primrose/core';
import type { Request, Response } from 'express';
import { hashSecret, newId, newSecret } from '../../base/clock.js';
import { beginEventStream } from '../../base/event-stream.js';
import { Refused } from '../../base/refused.js';
import { ownBot, ownDraft, type BotParts } from '../../bots/bots.js';
import type { LoadedBot } from '../../bots/loader.js';
import { channelKind } from '../../channels/registry.js';
import { startOwner, type Secrets } from '../../outside/secrets.js';
import { seeToStarts } from '../../runs/keep-starts.js';
import { readBody, SIGNING, type Receiving } from '../../runs/receive.js';
import { isOver, type Runs } from '../../runs/runs.js';
import { cronColumn } from '../../runs/times.js';
import { listChannels } from '../../store/channels.js';
import { messageColumn, variablesColumn } from '../../store/columns.js';
import { listTurns } from '../../store/conversations.js';
import * as notices from '../../store/notices.js';
import { pagesOfRuns, type RunOfPage } from '../../store/pages.js';
import * as runs from '../../store/runs.js';
import * as store from '../../store/starts.js';
import type { Wakes } from '../../turns/wakes.js';
import { HttpProblem } from '../problem.js';
import { paged, PAGE, type Handlers } from '../route.js';
import { turnView } from '../views.js';

interface StartParts extends BotParts {
  readonly secrets: Secrets;
  readonly runner: Runs;
  readonly receiving: Receiving;
  readonly wakes: Wakes;
  readonly publicUrl: string;
}

const TIMES_SHOWN = 5;
const DEFAULT_DAYS = 7;
const DAY_MS = 86_400_000;
const BY_HAND_MS = 30_000;
const TURNS = 50;

/** Starts and what came to them, runs, notices, for people. */
export function startHandlers(parts: StartParts): Handlers {
  const { db, clock, secrets, runner, publicUrl } = parts;
  const addressOf = (row: store.StartRow): string => `${publicUrl}/api/starts/${row.address}`;

  const staged = async (row: store.StartRow | undefined, start: Start | undefined): Promise<StagedStart | null> => {
    if (!row || !start) return null;
    const signed = start.by === 'hook' && start.secured === 'signature';
    const kept = signed ? (await secrets.names(startOwner(row.id))).includes(SIGNING) : row.token_hash !== null;
    const timed = row.kind === 'schedule' && row.is_on === 1;
    return {
      id: row.id,
      on: row.is_on === 1,
      address: row.kind === 'hook' || row.kind === 'call' ? addressOf(row) : null,
      secret: kept,
      next: timed ? cronColumn.next(row.cron, clock.now(), TIMES_SHOWN).map((t) => t.toISOString()) : [],
    };
  };
  const states = async (personId: string, botId: string): Promise<StartState[]> => {
    const { bot, document } = await ownDraft(parts, personId, botId);
    await seeToStarts(db, clock, bot.id, 'draft', document);
    const rows = await store.listStarts(db, bot.id);
    const live = (await runner.version(bot.id, 'live'))?.bot.document.starts ?? {};
    const names = [...new Set([...Object.keys(document.starts ?? {}), ...Object.keys(live)])];
    const of = (name: string, stage: store.Stage) => rows.find((r) => r.name === name && r.stage === stage);
    const items: StartState[] = [];
    for (const name of names) {
      const declared = document.starts?.[name];
      items.push({
        name,
        declared: declared ?? null,
        draft: await staged(of(name, 'draft'), declared),
        live: await staged(of(name, 'live'), live[name]),
      });
    }
    return items;
  };
  const own = async (personId: string, { bot: botId, start, stage }: { bot: string; start: string; stage: store.Stage }) => {
    const { bot, document } = await ownDraft(parts, personId, botId);
    if (stage === 'draft') await seeToStarts(db, clock, bot.id, 'draft', document);
    const row = await store.findStart(db, bot.id, start, stage);
    if (!row) throw new Refused('no-start', { start });
    return row;
  };
  const stateOf = async (personId: string, botId: string, name: string): Promise<StartState> => {
    const found = (await states(personId, botId)).find((s) => s.name === name);
    if (!found) throw new Refused('no-start', { start: name });
    return found;
  };
  const ownRun = async (personId: string, botId: string, id: string) => {
    const bot = await ownBot(db, personId, botId);
    const row = await runs.findRun(db, bot.id, id);
    if (!row) throw new Refused('no-run', {});
    return { bot, row };
  };
  const versionOf = async (botId: string, stage: store.Stage): Promise<LoadedBot> => {
    const loaded = await runner.version(botId, stage);
    if (!loaded)
      throw new HttpProblem('no-release', 'This bot has not been released yet. Release it, or begin the flow on the draft.');
    return loaded;
  };
  const noticeViews = async (botId: string, rows: readonly notices.NoticeRow[]): Promise<Notice[]> => {
    const channels = await listChannels(db, botId);
    return rows.map((r) => {
      const channel = channels.find((c) => c.id === r.channel_id);
      return noticeView(r, channel ? (channel.name ?? channelKind(channel.kind).name) : 'a channel that is gone');
    });
  };

  return {
    listStarts: async ({ person, params }) => ({ items: await states(person.id, params.bot), next: null }),
    setStart: async ({ person, params, body }) => {
      const row = await own(person.id, params);
      if (body.signing !== undefined) await secrets.set(startOwner(row.id), SIGNING, body.signing);
      if (body.on !== undefined) await store.changeStart(db, row.id, { is_on: body.on });
      // A schedule that was off does not make up for what came meanwhile.
      if (body.on === true && row.is_on !== 1 && row.cron !== null) {
        const [next = null] = cronColumn.next(row.cron, clock.now());
        await store.changeStart(db, row.id, { next_at: next });
      }
      return stateOf(person.id, params.bot, params.start);
    },
    makeStartToken: async ({ person, params }) => {
      const row = await own(person.id, params);
      const token = newSecret();
      await store.changeStart(db, row.id, { token_hash: hashSecret(token) });
      return { token };
    },
    listStartEvents: async ({ person, params }) => {
      const row = await own(person.id, params);
      return { items: (await store.listStartEvents(db, row.id)).map(eventView), next: null };
    },
    tryMapping: async ({ person, params, body }) => {
      const { document } = await ownDraft(parts, person.id, params.bot);
      const start = document.starts && Object.hasOwn(document.starts, params.start) ? document.starts[params.start] : undefined;
      if (!start) throw new Refused('no-start', { start: params.start });
      const mapped = (body.given === undefined ? start : { ...start, given: body.given }) as Start;
      const { values, problems } = givenOf(document, mapped, cameOf(body.came), clock.now().toISOString());
      return { values: { ...values }, problems: [...problems] };
    },
    describeStart: async ({ person, params }) => {
      const row = await own(person.id, params);
      const found = await runner.start(row);
      if (found?.start.by !== 'hook' && found?.start.by !== 'call')
        throw new HttpProblem('not-found', 'Only hooks and calls have an address that somebody outside can use.');
      const { start, loaded } = found;
      const { sheet, curl, openapi } = outsideSheet({
        document: loaded.bot.document,
        name: row.name,
        start,
        address: addressOf(row),
      });
      return { sheet, curl, openapi: { ...openapi } };
    },
    listRuns: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const { from, to, ...more } = query;
      const times = {
        ...(from === undefined ? {} : { from: new Date(from) }),
        ...(to === undefined ? {} : { to: new Date(to) }),
      };
      const rows = await runs.listRuns(db, bot.id, { ...more, ...times, limit: limit + 1 });
      const ofPages = await pagesOfRuns(
        db,
        rows.map((r) => r.id),
      );
      return paged(
        rows,
        limit,
        (r) => runView(r, ofPages),
        (r) => r.id,
      );
    },
    countRuns: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const since = new Date(clock.now().getTime() - (query.days ?? DEFAULT_DAYS) * DAY_MS);
      return { items: await runs.countRuns(db, bot.id, since) };
    },
    getRun: async ({ person, params }) => {
      const { bot, row } = await ownRun(person.id, params.bot, params.run);
      const { rows } = await listTurns(db, row.id, { after: 0, limit: TURNS });
      const told = await notices.listNotices(db, bot.id, { conversation: row.id, limit: TURNS });
      return {
        run: runView(row, await pagesOfRuns(db, [row.id])),
        turns: rows.map((r) => turnView(r, null)),
        notices: await noticeViews(bot.id, told),
      };
    },
    beginRun: async ({ person, params, query, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const loaded = await versionOf(bot.id, body.on);
      const given = inputsFor(loaded, body.flow, body.given ?? {}, clock.now().toISOString());
      const externalId = hashSecret(`${bot.id} hand ${body.id ?? newId(clock)}`);
      const { conversationId } = await runner.beginFlow(loaded, { flow: body.flow, given, externalId });
      const row =
        query.wait === 'true'
          ? await runner.wait(bot.id, conversationId, BY_HAND_MS)
          : await runs.findRun(db, bot.id, conversationId);
      if (!row) throw new Refused('no-run', {});
      return runView(row);
    },
    runAgain: async ({ person, params, body }) => {
      const { bot, row } = await ownRun(person.id, params.bot, params.run);
      const loaded = await versionOf(bot.id, body.on);
      const externalId = hashSecret(`${bot.id} again ${newId(clock)}`);
      const given = runs.givenColumn.read(row.given);
      const start = row.start === null ? undefined : await store.findStart(db, bot.id, row.start, body.on);
      const found = start && (await runner.start(start));
      const { conversationId } = found
        ? await runner.begin(found, { externalId, given, againOf: row.id })
        : await runner.beginFlow(loaded, { flow: row.flow, given, externalId, by: row.by, againOf: row.id });
      const made = await runs.findRun(db, bot.id, conversationId);
      if (!made) throw new Refused('no-run', {});
      return runView(made);
    },
    listNotices: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const rows = await notices.listNotices(db, bot.id, { state: query.state, after: query.after, limit: limit + 1 });
      const { items, next } = paged(
        rows,
        limit,
        (r) => r,
        (r) => r.id,
      );
      return { items: await noticeViews(bot.id, items), next };
    },
    sendNoticeAgain: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      if (!(await notices.sendNoticeAgain(db, bot.id, params.notice)))
        throw new HttpProblem('not-found', 'There is no such notice that failed. It may have been sent meanwhile.');
      return undefined;
    },
    ...receivingHandlers(parts, addressOf),
  };
}

/** What comes to the addresses of hooks and calls, from anybody. */
function receivingHandlers({ receiving, runner, wakes }: StartParts, addressOf: (row: store.StartRow) => string): Handlers {
  return {
    takeStart: async ({ params, req, res }) => {
      const row = await receiving.at(params.address);
      await allowOrigin(row, req, res, runner);
      const body = await readBody(req);
      // Whatever else they send is not read.
      if (body === 'too-large') res.setHeader('connection', 'close');
      const begun = await receiving.take(row, req, body);
      const { run, repeat, waits } = begun;
      if (row.kind === 'call' && String(req.headers.accept ?? '').includes('text/event-stream'))
        return await streamRun(res, { wakes, runner }, row, run, waits ?? 0);
      if (waits === undefined) res.status(202).json({ run, repeat });
      else {
        const over = await receiving.answer(row, run, waits);
        const gave = over.gave === null ? {} : runs.givenColumn.read(over.gave);
        if (isOver(over.outcome)) res.status(200).json({ run, repeat, outcome: over.outcome, gave });
        else res.status(202).json({ run, repeat, outcome: over.outcome });
      }
      return undefined;
    },
    askStart: async ({ params, req, res }) => {
      const row = await receiving.at(params.address);
      const allowed = await allowOrigin(row, req, res, runner);
      if (allowed) {
        res.setHeader('access-control-allow-methods', 'POST');
        res.setHeader('access-control-allow-headers', 'content-type, idempotency-key, authorization');
        res.setHeader('access-control-max-age', '600');
      }
      res.status(204).end();
      return undefined;
    },
    readStart: async ({ params, req }) => {
      const row = await receiving.at(params.address);
      if (!receiving.bearsToken(row, req)) throw new Refused('start-forged', { how: 'token' });
      const found = await runner.start(row);
      if (found?.start.by !== 'hook' && found?.start.by !== 'call') throw new Refused('start-unreleased', {});
      const { start, loaded } = found;
      return { ...outsideSheet({ document: loaded.bot.document, name: row.name, start, address: addressOf(row) }).openapi };
    },
    readStartRun: async ({ params, req }) => {
      const row = await receiving.at(params.address);
      const { id, outcome, gave, reason } = await receiving.run(row, req, params.run);
      return { run: id, outcome, gave: gave === null ? null : { ...runs.givenColumn.read(gave) }, reason };
    },
  };
}

/** Lets pages of the sites that a hook names send to it; true where the one that asks is among them. */
async function allowOrigin(row: store.StartRow, req: Request, res: Response, runner: Runs): Promise<boolean> {
  const { origin } = req.headers;
  const found = origin === undefined ? undefined : await runner.start(row);
  const origins = found?.start.by === 'hook' ? (found.start.origins ?? []) : [];
  if (origin === undefined || !(origins.includes(origin) || origins.includes('*'))) return false;
  res.setHeader('access-control-allow-origin', origin);
  res.setHeader('vary', 'origin');
  return true;
}

/** Tells whoever calls how a run gets on: `begun`, what a model writes as `words`, and `over` with what it gave. */
async function streamRun(
  res: Response,
  { wakes, runner }: { readonly wakes: Wakes; readonly runner: Runs },
  row: store.StartRow,
  run: string,
  forMs: number,
): Promise<undefined> {
  beginEventStream(res);
  const tell = (event: string, data: unknown) =>
    void (res.destroyed || res.write(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`));
  tell('begun', { run });
  const stop = wakes.listenForHints(run, (hint) => {
    if ('words' in hint) tell('words', { text: hint.words });
    else if ('doing' in hint) tell('doing', { text: hint.doing });
  });
  try {
    const over = await runner.wait(row.bot_id, run, forMs);
    const stored = over?.gave ?? null;
    const gave = stored === null ? {} : runs.givenColumn.read(stored);
    const reason = over?.reason ?? null;
    tell('over', { run, outcome: over?.outcome ?? 'running', gave, ...(reason === null ? {} : { reason }) });
  } finally {
    stop();
    res.end();
  }
  return undefined;
}

/** What somebody gives a flow by hand: names that it takes, values that fit, nothing that is needed left out. */
function inputsFor({ bot: { document } }: LoadedBot, flowId: string, given: Values, at: string): Values {
  const flow = Object.hasOwn(document.flows, flowId) ? document.flows[flowId] : undefined;
  if (!flow) throw new HttpProblem('not-found', `There is no flow "${flowId}" in this version.`);
  const takes = flow.takes ?? {};
  const strange = Object.keys(given).filter((name) => !Object.hasOwn(takes, name));
  const { values, problems } = givenOf(document, { by: 'call', flow: flowId }, { inputs: given }, at);
  const all = [...strange.map((input) => ({ input, reason: 'is nothing that the flow takes' })), ...problems];
  if (all.length > 0) throw new Refused('inputs-missing', { problems: all });
  return { ...values };
}

function cameOf(came: {
  body?: Value | undefined;
  headers?: Values | undefined;
  query?: Values | undefined;
  row?: Value | undefined;
}): Came {
  const { body = null, headers = {}, query = {}, row = null } = came;
  return { body, inputs: body, headers: { ...headers }, query: { ...query }, row, before: null, event: 'added', due: null };
}

function runView(row: runs.RunRow, ofPages: ReadonlyMap<string, RunOfPage> = new Map()): Run {
  const page = ofPages.get(row.id);
  return {
    id: row.id,
    start: row.start,
    by: row.by,
    flow: row.flow,
    stage: row.stage,
    outcome: row.outcome,
    given: { ...runs.givenColumn.read(row.given) },
    gave: row.gave === null ? null : { ...runs.givenColumn.read(row.gave) },
    reason: row.reason,
    againOf: row.again_of,
    page: page
      ? {
          page: page.page,
          result: page.result_id,
          part: page.part,
          who: page.person,
          share: page.share,
          tokens: page.tokens,
          price: page.price,
        }
      : null,
    at: row.at.toISOString(),
    ms: row.ended_at === null ? null : row.ended_at.getTime() - row.at.getTime(),
  };
}

const texts = (stored: string | null): Record<string, string> =>
  stored === null ? {} : Object.fromEntries(Object.entries(variablesColumn.read(stored)).map(([name, v]) => [name, textOf(v)]));

function eventView(row: store.StartEventRow): StartEvent {
  return {
    id: row.id,
    at: row.at.toISOString(),
    outcome: row.outcome,
    status: row.status,
    about: row.about,
    contentType: row.content_type,
    headers: texts(row.headers),
    query: texts(row.query),
    body: row.body,
    run: row.run_id,
    times: row.times,
  };
}

function noticeView(row: notices.NoticeRow, channel: string): Notice {
  return {
    id: row.id,
    at: row.at.toISOString(),
    channel,
    to: row.recipient,
    text: messageColumn.read(row.message).text,
    state: row.state,
    tries: row.tries,
    reason: row.reason,
    sentAt: row.sent_at?.toISOString() ?? null,
    conversation: row.conversation_id,
  };
}
