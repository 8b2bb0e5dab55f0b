import type { Request, Response } from 'express';
import {
  copyPage,
  pageFromPlan,
  planFromWords,
  planRequest,
  readPlan,
  writeCsv,
  guardCell,
  asMarkdown,
  sectionText,
} from '@primrose/core';
import type { Logger } from 'pino';
import { newSecret } from '../../base/clock.js';
import { Refused } from '../../base/refused.js';
import { ownBot, ownDraft, type BotParts } from '../../bots/bots.js';
import type { FileReading } from '../../bots/reading.js';
import type { Files } from '../../files/files.js';
import type { PerformModel } from '../../outside/chat-completions.js';
import { createReach } from '../../outside/reach.js';
import type { Secrets } from '../../outside/secrets.js';
import { followResult, type FollowParts } from '../../pages/follow.js';
import { isPassword, secretIn, visitorKey, type Way } from '../../pages/keys.js';
import { hashed, heldColumn, ownerOf, Pages, type Filler } from '../../pages/pages.js';
import { picturesOf } from '../../pages/pictures.js';
import type { SentFiles } from '../../pages/sent.js';
import { Shares, type OpenShare } from '../../pages/shares.js';
import { inputWords, resultDocument, resultView, shownPage } from '../../pages/views.js';
import type { BotLoader } from '../../bots/loader.js';
import type { Limits } from '../../start/limits.js';
import * as store from '../../store/pages.js';
import { bearer } from '../auth.js';
import { addressKey, RateLimit } from '../../base/rate-limit.js';
import { paged, PAGE, sendFile, type FindPerson, type Handlers } from '../route.js';

export interface PageParts extends BotParts, Omit<FollowParts, 'view'> {
  readonly log: Logger;
  readonly pages: Pages;
  readonly shares: Shares;
  readonly sent: SentFiles;
  readonly files: Files;
  readonly reading: FileReading;
  readonly loader: BotLoader;
  readonly secrets: Secrets;
  readonly model: PerformModel;
  readonly findPerson: FindPerson;
  readonly limits: Limits;
  readonly publicUrl: string;
  /** Marks the keys of visitors. */
  readonly key: Uint8Array;
}

const MINUTE_MS = 60_000;
const HOUR_MS = 3_600_000;
/** Wrong passwords of one address a minute. */
const GUESSES = 10;
const UPLOADS_AN_HOUR = 120;
const FILES_A_MINUTE = 30;
const MOST_EXPORTED = 5000;
const CELL = 32_000;

const BOUND = new RegExp('^[A-Za-z0-9_-]{43}');
type Wanted = {
  readonly as: 'txt' | 'md' | 'docx' | 'xlsx' | 'csv' | 'pdf';
  readonly output?: string | undefined;
  readonly run?: string | undefined;
};

/** Pages: for the people who make them, and for visitors under a link. */
export function pageHandlers(parts: PageParts): Handlers {
  return { ...makerHandlers(parts), ...visitorHandlers(parts), ...frozenHandlers(parts) };
}

function makerHandlers(parts: PageParts): Handlers {
  const { db, pages, shares, sent, drafts, loader, secrets, model, publicUrl } = parts;
  const zoneOf = async (personId: string, botId: string) => (await ownDraft(parts, personId, botId)).document.zone;
  const ownResult = async (personId: string, botId: string, id: string): Promise<store.ResultRow> => {
    const bot = await ownBot(db, personId, botId);
    const row = await store.findResult(db, bot.id, id);
    if (!row) throw new Refused('no-result', {});
    return row;
  };
  return {
    listPages: async ({ person, params }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      const [all, counts] = await Promise.all([shares.list(bot.id, document.zone), store.countResults(db, bot.id)]);
      const items = Object.entries(document.pages ?? {}).map(([page, { title, flow }]) => ({
        page,
        title,
        flow,
        shares: all.filter((s) => s.page === page),
        results: counts.get(page) ?? 0,
      }));
      return { items, next: null };
    },
    proposePage: async ({ person, params, body }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      const profile = body.profile ?? Object.keys(document.models ?? {})[0] ?? '';
      const notes: string[] = [];
      if (profile === '') notes.push('The bot has no model profile yet. Choose one at the nodes of the flow.');
      const asked = body.profile === undefined ? undefined : planRequest(document, body.profile, body.words);
      if (body.profile !== undefined && !asked)
        notes.push(`There is no model profile "${body.profile}"; the page was planned by rules.`);
      const came = asked && (await model(asked, await createReach(db, secrets, bot.id, document)(asked.connection), undefined));
      const planned = came?.outcome === 'written' ? readPlan(came.text) : undefined;
      if (came && !planned) {
        const why = came.outcome === 'failed' ? came.reason : 'its answer is no plan';
        notes.push(`The model profile "${profile}" planned nothing (${why}); the page was planned by rules.`);
      }
      const made = pageFromPlan(document, planned ?? planFromWords(body.words), profile);
      return { id: made.id, page: made.page, flows: made.flows as never, by: planned ? 'model' : 'rules', notes };
    },
    showPage: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const { loaded, page } = Pages.of(await pages.version(bot.id, { stage: query.on ?? 'draft' }), params.page);
      return shownPage(loaded.bot.document, page);
    },
    sharePage: async ({ person, params, body }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      if (!Object.hasOwn(document.pages ?? {}, params.page)) throw new Refused('no-page', { page: params.page });
      return shares.make(bot.id, params.page, body.name, document.zone);
    },
    changeShare: async ({ person, params, body }) =>
      shares.change(params.bot, params.share, body, await zoneOf(person.id, params.bot)),
    endShare: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      await shares.end(bot.id, params.share);
    },
    sendPageFile: async ({ person, params, query, req }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const owner = ownerOf(bot.id, { person: person.id });
      return sentFile(sent, req, query.name, { botId: bot.id, owner });
    },
    tryPage: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const found = Pages.of(await pages.version(bot.id, { stage: body.on }), params.page);
      return pages.fill(bot.id, found, body.inputs, { person: person.id, stage: body.on }, body.id);
    },
    listResults: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const { limit = PAGE, after } = query;
      const rows = await store.listResults(db, { botId: bot.id, page: params.page }, { after, limit: limit + 1 });
      const { items, next } = paged(
        rows,
        limit,
        (r) => r,
        (r) => r.id,
      );
      return { items: await pages.views(items), next };
    },
    exportResults: async ({ person, params, res }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const rows = await store.listResults(db, { botId: bot.id, page: params.page }, { limit: MOST_EXPORTED });
      await sendExport(parts, params.page, rows, res);
      return undefined;
    },
    getResult: async ({ person, params }) => pages.view(await ownResult(person.id, params.bot, params.result)),
    followResult: async ({ person, params, res }) => {
      const row = await ownResult(person.id, params.bot, params.result);
      await followResult({ ...parts, view: (r) => pages.view(r) }, row, res);
      return undefined;
    },
    makeOutput: async ({ person, params }) => {
      const row = await ownResult(person.id, params.bot, params.result);
      return pages.make(row, params.output, { person: person.id, stage: row.stage });
    },
    fetchResult: async ({ person, params, query, res }) => {
      await sendResult(parts, await ownResult(person.id, params.bot, params.result), query, res);
      return undefined;
    },
    freezeResult: async ({ person, params, body }) => {
      const link = Shares.newLink();
      await pages.freeze(await ownResult(person.id, params.bot, params.result), body.inputs, link);
      return { link: `${publicUrl}/results/${link}` };
    },
    askAboutResult: async ({ person, params, body }) => {
      const row = await ownResult(person.id, params.bot, params.result);
      return pages.ask(row, body, { person: person.id, stage: row.stage });
    },
    readAboutResult: async ({ person, params }) => pages.chat(await ownResult(person.id, params.bot, params.result)),
    listFrozen: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const rows = await store.listFrozen(db, bot.id, params.page);
      const items = rows.map((r) => ({
        id: r.id,
        link: `${publicUrl}/results/${r.link}`,
        result: r.result_id,
        inputs: r.with_inputs === 1,
        at: r.at.toISOString(),
      }));
      return { items, next: null };
    },
    endFrozen: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      if ((await store.dropFrozen(db, bot.id, params.frozen)) === 0) throw new Refused('no-result', {});
    },
    copyPage: async ({ person, params, body }) => {
      const { bot, document, revision } = await ownDraft(parts, person.id, params.bot);
      const { channel, share } = await shares.at(body.link);
      if (!share.copies || share.gallery === 'none' || channel.live_id === null) throw new Refused('no-copies', {});
      const from = (await loader.release(channel.live_id)).bot.document;
      const copied = copyPage(document, from, share.page);
      if (!copied) throw new Refused('no-copies', {});
      await drafts.replace({ botId: bot.id, personId: person.id, revision, kind: 'edit' }, copied.document);
      return { page: copied.page, flows: [...copied.flows], left: [...copied.left] };
    },
    listGallery: async ({ req }) => {
      const known = await parts.findPerson(req).then(
        () => true,
        () => false,
      );
      return { items: await shares.gallery(known), next: null };
    },
  };
}

interface Visit extends OpenShare {
  /** The visitor, as results keep them. */
  readonly visitor: string;
}

function visitorHandlers(parts: PageParts): Handlers {
  const { db, clock, pages, shares, sent, limits, key, findPerson, publicUrl } = parts;
  const enters = new RateLimit(clock, limits.opensAMinute, MINUTE_MS);
  const channelEnters = new RateLimit(clock, limits.channelOpensAMinute, MINUTE_MS);
  const guesses = new RateLimit(clock, GUESSES, MINUTE_MS);
  const messages = new RateLimit(clock, limits.messagesAMinute, MINUTE_MS);
  const channelMessages = new RateLimit(clock, limits.channelMessagesAMinute, MINUTE_MS);
  const uploads = new RateLimit(clock, UPLOADS_AN_HOUR, HOUR_MS);
  const written = new RateLimit(clock, FILES_A_MINUTE, MINUTE_MS);

  const wayOf = ({ channel, share }: OpenShare): Way => ({
    channelId: channel.id,
    access: share.access === 'password' ? `password ${share.password ?? ''}` : share.access,
  });
  const visit = async (link: string, req: Request): Promise<Visit> => {
    const open = await shares.at(link);
    const secret = secretIn(bearer(req) ?? '', wayOf(open), key);
    if (secret === undefined) throw new Refused('visitor-unknown', {});
    return { ...open, visitor: hashed(`page visitor ${secret}`) };
  };
  const own = async (link: string, id: string, req: Request): Promise<{ visited: Visit; row: store.ResultRow }> => {
    const visited = await visit(link, req);
    const row = await store.findResult(db, visited.channel.bot_id, id);
    if (row?.visitor_hash !== visited.visitor || row.channel_id !== visited.channel.id) throw new Refused('no-result', {});
    return { visited, row };
  };
  const count = ({ visitor, channel }: Visit): void => {
    messages.count(visitor);
    channelMessages.count(channel.id);
  };
  const filler = ({ channel, share, visitor }: Visit): Filler => ({ channel, share, visitor });
  const pageOf = async ({ channel, share }: OpenShare) => {
    const loaded = await pages.version(channel.bot_id, { channel });
    // Which pages a bot has is nothing that a stranger is told.
    if (!Object.hasOwn(loaded.bot.document.pages ?? {}, share.page)) throw new Refused('no-shared-page', {});
    return Pages.of(loaded, share.page);
  };
  const assertMayEnter = async ({ share, channel }: OpenShare, password: string | undefined, req: Request): Promise<void> => {
    if (share.access === 'signed-in') {
      await findPerson(req).catch(() => {
        throw new Refused('page-sign-in', {});
      });
    } else if (share.access === 'password') {
      const guesser = `${channel.id} ${addressKey(req.ip)}`;
      if (guesses.isUsedUp(guesser)) guesses.refuse();
      if (password !== undefined && share.password !== null && (await isPassword(password, share.password))) return;
      guesses.allows(guesser);
      throw new Refused('page-password', {});
    }
  };
  return {
    openPage: async ({ params }) => {
      const open = await shares.at(params.link);
      const { loaded, page } = await pageOf(open);
      const needs = ({ link: 'nothing', password: 'password', 'signed-in': 'sign-in' } as const)[open.share.access];
      return { title: page.title, needs, language: loaded.bot.document.languages[0] ?? 'en' };
    },
    enterPage: async ({ params, body, req }) => {
      const open = await shares.at(params.link);
      enters.count(addressKey(req.ip));
      channelEnters.count(open.channel.id);
      const way = wayOf(open);
      const { loaded, page } = await pageOf(open);
      const known = body.key === undefined ? undefined : secretIn(body.key, way, key);
      // Who comes back with a key of before a change keeps their results once they may enter again.
      const before = BOUND.exec(body.key ?? '')?.[0];
      if (known === undefined) await assertMayEnter(open, body.password, req);
      return { key: visitorKey(way, key, known ?? before ?? newSecret()), page: shownPage(loaded.bot.document, page) };
    },
    sendOwnFile: async ({ params, query, req }) => {
      const visited = await visit(params.link, req);
      uploads.count(addressKey(req.ip));
      count(visited);
      const { channel } = visited;
      return sentFile(sent, req, query.name, { botId: channel.bot_id, owner: ownerOf(channel.bot_id, filler(visited)) });
    },
    fillPage: async ({ params, body, req }) => {
      const visited = await visit(params.link, req);
      count(visited);
      return pages.fill(visited.channel.bot_id, await pageOf(visited), body.inputs, filler(visited), body.id);
    },
    listOwnResults: async ({ params, query, req }) => {
      const { channel, visitor } = await visit(params.link, req);
      const { limit = 20, after } = query;
      const of = { botId: channel.bot_id, channelId: channel.id, visitor };
      const rows = await store.listResults(db, of, { after, limit: limit + 1 });
      const { items, next } = paged(
        rows,
        limit,
        (r) => r,
        (r) => r.id,
      );
      return { items: await pages.views(items), next };
    },
    getOwnResult: async ({ params, req }) => pages.view((await own(params.link, params.result, req)).row),
    followOwnResult: async ({ params, req, res }) => {
      const { row } = await own(params.link, params.result, req);
      await followResult({ ...parts, view: (r) => pages.view(r) }, row, res);
      return undefined;
    },
    makeOwnOutput: async ({ params, req }) => {
      const { row, visited } = await own(params.link, params.result, req);
      count(visited);
      return pages.make(row, params.output, filler(visited));
    },
    fetchOwnResult: async ({ params, query, req, res }) => {
      const { row, visited } = await own(params.link, params.result, req);
      written.count(visited.visitor);
      await sendResult(parts, row, query, res);
      return undefined;
    },
    freezeOwnResult: async ({ params, body, req }) => {
      const { row, visited } = await own(params.link, params.result, req);
      count(visited);
      const link = Shares.newLink();
      await pages.freeze(row, body.inputs, link);
      return { link: `${publicUrl}/results/${link}` };
    },
    askResult: async ({ params, body, req }) => {
      const { row, visited } = await own(params.link, params.result, req);
      count(visited);
      return pages.ask(row, body, filler(visited));
    },
    readResultChat: async ({ params, req }) => pages.chat((await own(params.link, params.result, req)).row),
  };
}

function frozenHandlers(parts: PageParts): Handlers {
  const { db, clock, reading, files } = parts;
  const written = new RateLimit(clock, FILES_A_MINUTE, MINUTE_MS);
  const at = async (link: string) => {
    const row = await store.frozenByLink(db, link);
    if (!row) throw new Refused('no-result', {});
    return heldColumn.read(row.held);
  };
  return {
    openFrozen: async ({ params }) => at(params.link),
    fetchFrozen: async ({ params, query, req, res }) => {
      written.count(addressKey(req.ip));
      const held = await at(params.link);
      const labels = new Map(held.page.parts.flatMap((p) => ('output' in p ? [[p.output, p] as const] : [])));
      const names = new Map(held.page.parts.flatMap((p) => ('input' in p ? [[p.input, p.label] as const] : [])));
      const result = {
        title: held.page.title,
        at: held.at,
        inputs: Object.entries(held.inputs ?? {}).map(([name, v]) => [names.get(name) ?? name, asMarkdown(v)] as const),
        sections: held.outputs
          .filter((o) => query.output === undefined || o.output === query.output)
          .flatMap((o) => {
            const [version] = o.versions;
            const part = labels.get(o.output);
            return version && part ? [{ title: part.label, form: part.as, value: version.value, sources: version.sources }] : [];
          }),
      };
      const file = await reading.writePage({ result, as: query.as, pictures: await picturesOf(files, result) });
      sendFile(res, file.type, file.name, file.bytes);
      return undefined;
    },
  };
}

async function sentFile(
  sent: SentFiles,
  req: Request,
  name: string | undefined,
  { botId, owner }: { botId: string; owner: string },
) {
  const told = { name: name ?? 'file', declared: req.get('content-type') ?? '' };
  const place = { botId, realm: '', visitorId: null, conversationId: null, owner };
  return (await sent.keep(req.body as Buffer, told, place)) as never;
}

async function sendResult(
  { pages, reading, files }: PageParts,
  row: store.ResultRow,
  wanted: Wanted,
  res: Response,
): Promise<void> {
  const { as, output, run } = wanted;
  const result = resultDocument(await pages.viewed(row), { output, run, inputs: output === undefined });
  const file = await reading.writePage({ result, as, pictures: await picturesOf(files, result) });
  sendFile(res, file.type, file.name, file.bytes);
}

/** All results as CSV: when, by whom, what was filled in, what came of it, what it cost. */
async function sendExport(parts: PageParts, page: string, rows: readonly store.ResultRow[], res: Response): Promise<void> {
  const { pages } = parts;
  const inputs: string[] = [];
  const outputs: string[] = [];
  const lines: {
    readonly fixed: string[];
    readonly told: ReadonlyMap<string, string>;
    readonly made: ReadonlyMap<string, string>;
  }[] = [];
  for (const row of rows) {
    const viewed = await pages.viewed(row).catch((error: unknown) => {
      if (error instanceof Refused) return undefined;
      throw error;
    });
    if (!viewed) continue;
    const view = resultView(viewed);
    const told = new Map(inputWords(viewed.document, viewed.page, store.pageValues.read(row.inputs)));
    const document = resultDocument(viewed, { inputs: false });
    const made = new Map(document.sections.map((s) => [s.title, sectionText(s).trim()]));
    for (const name of told.keys()) if (!inputs.includes(name)) inputs.push(name);
    for (const name of made.keys()) if (!outputs.includes(name)) outputs.push(name);
    const who = view.by ?? (view.share === null ? '' : `visitor of ${view.share}`);
    lines.push({ fixed: [view.id, view.at, who, view.state, String(view.tokens), view.price.toFixed(6)], told, made });
  }
  const head = [
    'Result',
    'At',
    'By',
    'State',
    'Tokens',
    'Price',
    ...inputs,
    ...outputs.map((o) => (inputs.includes(o) ? `${o} (came of it)` : o)),
  ];
  const cells = lines.map((l) => [
    ...l.fixed,
    ...inputs.map((n) => guardCell((l.told.get(n) ?? '').slice(0, CELL))),
    ...outputs.map((n) => guardCell((l.made.get(n) ?? '').slice(0, CELL))),
  ]);
  sendFile(res, 'text/csv; charset=utf-8', `${page}-results.csv`, new TextEncoder().encode(writeCsv(head, cells)));
}
