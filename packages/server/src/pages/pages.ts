import { createHash } from 'node:crypto';
import {
  broughtWith,
  inputReason,
  makingOf,
  openSession,
  pageInputs,
  type BotDocument,
  type Page,
  type Values,
} from '@primrose/core';
import type { ChatLine, FrozenResult, PageResult } from '@primrose/contract';
import { newId, type Clock } from '../base/clock.js';
import { dayIn } from '../base/day.js';
import { Refused } from '../base/refused.js';
import type { BotLoader, LoadedBot } from '../bots/loader.js';
import type { ShareSettings } from '../channels/form-page/form-page.js';
import { lineView } from '../http/views.js';
import type { Runs } from '../runs/runs.js';
import type { ServingChannel } from '../store/channels.js';
import { channelById } from '../store/channels.js';
import { ownColumn } from '../store/columns.js';
import { linesAfter } from '../store/conversations.js';
import { isDuplicate, type Db } from '../store/database.js';
import * as store from '../store/pages.js';
import { personName } from '../store/people.js';
import type { Turns } from '../turns/turns.js';
import type { PageProgress } from './progress.js';
import type { PageQueue } from './page-queue.js';
import type { SentFiles } from './sent.js';
import { resultView, shownPage, valuesNow, type Viewed } from './views.js';

export interface PagesParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly runs: Runs;
  readonly turns: Turns;
  readonly queue: PageQueue;
  readonly progress: PageProgress;
  readonly sent: SentFiles;
  /** So many may wait of one page. */
  readonly waiting: number;
}

/** Who fills a page in: a person who tries it, or a visitor under the link of a shared one. */
export type Filler =
  | { readonly person: string; readonly stage: 'draft' | 'live' }
  | { readonly channel: ServingChannel; readonly share: ShareSettings; readonly visitor: string };

/** A page of a version of a bot. */
export interface FoundPage {
  readonly loaded: LoadedBot;
  readonly id: string;
  readonly page: Page;
}

/** `page_frozen.held`. */
export const heldColumn = ownColumn<FrozenResult>('held', 'page', 'outputs');

const CHAT_MS = 50_000;

/** Fills pages in, tells what came of it, makes single outputs anew. */
export class Pages {
  readonly #parts: PagesParts;

  constructor(parts: PagesParts) {
    this.#parts = parts;
  }

  /** A page of a version; refused where that version has none of this name. */
  static of(loaded: LoadedBot, id: string): FoundPage {
    const { pages = {} } = loaded.bot.document;
    const page = Object.hasOwn(pages, id) ? pages[id] : undefined;
    if (!page) throw new Refused('no-page', { page: id });
    return { loaded, id, page };
  }

  /** The version that serves: of a bot by its stage, or of a shared page. Refused where there is none. */
  async version(
    botId: string,
    of: { readonly stage: 'draft' | 'live' } | { readonly channel: ServingChannel },
  ): Promise<LoadedBot> {
    const { runs, loader } = this.#parts;
    if ('channel' in of) {
      const { live_id: live } = of.channel;
      if (live === null) throw new Refused('page-unreleased', {});
      return loader.release(live);
    }
    const loaded = await runs.version(botId, of.stage);
    if (!loaded) throw new Refused('page-unreleased', {});
    return loaded;
  }

  /** Takes what somebody filled in; stored when this returns. A repeat of the same id is answered from the record. */
  async fill(botId: string, found: FoundPage, given: Values, filler: Filler, id: string | undefined): Promise<PageResult> {
    const { db, clock, queue, sent, waiting } = this.#parts;
    const { document } = found.loaded.bot;
    const sender = senderOf(filler);
    const externalId = hashed(`${botId} ${found.id} ${sender} ${id ?? newId(clock)}`);
    const known = await store.resultByExternalId(db, externalId);
    if (known) return this.view(known);
    const settled = await sent.settled(given, (row) => row.bot_id === botId && row.owner === ownerOf(botId, filler));
    const { values, problems } = pageInputs(document, found.page, settled);
    if (problems.length > 0)
      throw new Refused('page-inputs', { problems: problems.map((p) => ({ input: p.input, reason: inputReason(p.problem) })) });
    const at = clock.now();
    const channelId = 'channel' in filler ? filler.channel.id : null;
    const row: store.NewResult = {
      id: newId(clock),
      bot_id: botId,
      page: found.id,
      channel_id: channelId,
      stage: 'channel' in filler ? 'live' : filler.stage,
      visitor_hash: 'channel' in filler ? filler.visitor : null,
      person_id: 'channel' in filler ? null : filler.person,
      external_id: externalId,
      inputs: store.pageValues.write(values),
      at,
    };
    const run = { id: newId(clock), result_id: row.id, bot_id: botId, page: found.id, channel_id: channelId, part: null, at };
    try {
      await store.insertResult(db, row, run, { day: this.#day(botId, document, filler), most: waiting });
    } catch (error) {
      const present = isDuplicate(error) ? await store.resultByExternalId(db, externalId) : undefined;
      if (!present) throw error;
      return this.view(present);
    }
    queue.kick(botId, found.id);
    return this.view({ ...row, chat_id: null, chat_runs: null });
  }

  /** Makes one output of a result anew, from what the others are now. */
  async make(row: store.ResultRow, output: string, filler: Filler): Promise<PageResult> {
    const { db, clock, queue, waiting } = this.#parts;
    const { loaded, page } = await this.#found(row);
    const { document } = loaded.bot;
    if (makingOf(document, page.flow, output)?.begin === undefined) throw new Refused('no-output', { output });
    const run = {
      id: newId(clock),
      result_id: row.id,
      bot_id: row.bot_id,
      page: row.page,
      channel_id: row.channel_id,
      part: output,
      at: clock.now(),
    };
    await store.insertPageRun(db, run, { day: this.#day(row.bot_id, document, filler), most: waiting });
    queue.kick(row.bot_id, row.page);
    return this.view(row);
  }

  /** The day on which a run under a link counts, with what may be spent on it; undefined where a person tries the page. */
  #day(botId: string, document: BotDocument, filler: Filler): store.CountedDay | undefined {
    if (!('channel' in filler)) return undefined;
    const day = dayIn(document.zone, this.#parts.clock.now());
    const { limits } = filler.share;
    return { channelId: filler.channel.id, botId, day, visitor: filler.visitor, limits };
  }

  async #found(row: store.ResultRow): Promise<FoundPage & { readonly channel: ServingChannel | undefined }> {
    const channel = row.channel_id === null ? undefined : await channelById(this.#parts.db, row.channel_id);
    const loaded = await this.version(row.bot_id, channel ? { channel } : { stage: row.stage });
    return { ...Pages.of(loaded, row.page), channel };
  }

  /** A result with all that is needed to show it. */
  async viewed(row: store.ResultRow): Promise<Viewed> {
    const { db, progress } = this.#parts;
    const { loaded, page, channel } = await this.#found(row);
    const runs = await store.runsOf(db, [row.id]);
    const waits = runs.find((r) => r.waits === 1);
    const running = runs.find((r) => r.waits === 0 && r.outcome === 'running');
    return {
      document: loaded.bot.document,
      page,
      row,
      runs,
      place: waits ? await store.placeOf(db, waits) : null,
      by: row.person_id === null ? null : await personName(db, row.person_id),
      share: channel ? (channel.name ?? row.page) : null,
      live: progress.live(running?.id),
    };
  }

  async view(row: store.ResultRow): Promise<PageResult> {
    return resultView(await this.viewed(row));
  }

  /** Several results; those whose page is in no version any more are left out. */
  async views(rows: readonly store.ResultRow[]): Promise<PageResult[]> {
    const views = await Promise.all(
      rows.map((row) =>
        this.view(row).catch((error: unknown) => {
          if (error instanceof Refused) return undefined;
          throw error;
        }),
      ),
    );
    return views.filter((v) => v !== undefined);
  }

  /** Keeps a result as it is under a link of its own. Refused while nothing of it is there. */
  async freeze(row: store.ResultRow, inputs: boolean, link: string): Promise<void> {
    const { db, clock } = this.#parts;
    const viewed = await this.viewed(row);
    const view = resultView({ ...viewed, live: new Map() });
    const outputs = view.outputs.filter((o) => o.versions.length > 0).map((o) => ({ ...o, versions: o.versions.slice(-1) }));
    if (outputs.length === 0) throw new Refused('nothing-to-freeze', {});
    const shown = shownPage(viewed.document, viewed.page);
    const kept = new Set(outputs.map((o) => o.output));
    const parts = shown.parts.filter((p) => ('output' in p ? kept.has(p.output) : !('chat' in p) && (inputs || !('input' in p))));
    const held: FrozenResult = {
      page: { ...shown, parts, examples: [] },
      at: view.at,
      inputs: inputs ? view.inputs : null,
      outputs: outputs.map((o) => ({ ...o, state: 'ready' as const, staleBy: [], reason: null, writing: null })),
    };
    await store.insertFrozen(db, {
      id: newId(clock),
      bot_id: row.bot_id,
      page: row.page,
      result_id: row.id,
      link,
      with_inputs: inputs,
      held: heldColumn.write(held),
      at: clock.now(),
    });
  }

  /** Asks about a result in a conversation that knows what was filled in and what came of it. Refused where its page's day is spent. */
  async ask(
    row: store.ResultRow,
    said: { readonly id: string; readonly text: string },
    filler: Filler,
  ): Promise<{ lines: ChatLine[]; waits: boolean }> {
    const { db, clock, turns } = this.#parts;
    const { loaded } = await this.#found(row);
    const day = this.#day(row.bot_id, loaded.bot.document, filler);
    if (day) await store.mayBeSpent(db, day);
    const runs = await store.runsOf(db, [row.id]);
    const anew = row.chat_id === null || row.chat_runs !== runs.length;
    const chatId = anew ? await this.#beginChat(row, runs) : (row.chat_id ?? '');
    const event = { type: 'message', at: clock.now().toISOString(), channel: 'page', text: said.text } as const;
    const done = await turns.takeAndWait(
      {
        conversationId: chatId,
        botId: row.bot_id,
        source: row.channel_id ?? `page ${row.bot_id}`,
        externalId: hashed(`${row.id} ${said.id}`),
        event,
        shown: { id: said.id, text: said.text },
      },
      CHAT_MS,
    );
    return { ...(await this.chat({ ...row, chat_id: chatId })), waits: done === undefined };
  }

  /** What was said about a result. */
  async chat(row: store.ResultRow): Promise<{ lines: ChatLine[]; waits: boolean }> {
    if (row.chat_id === null) return { lines: [], waits: false };
    const lines = (await linesAfter(this.#parts.db, row.chat_id, 0)).map(lineView);
    return { lines, waits: false };
  }

  /** Begins the conversation about a result, as it is now, in the flow that the page says. */
  async #beginChat(row: store.ResultRow, runs: readonly store.RanPage[]): Promise<string> {
    const { db, clock, turns } = this.#parts;
    const { loaded, page } = await this.#found(row);
    const part = page.parts.find((p) => 'chat' in p);
    const flowId = part && 'chat' in part ? part.chat : '';
    const flow = loaded.bot.document.flows[flowId];
    if (flow?.begin === undefined) throw new Refused('no-page-chat', {});
    const takes = new Set(Object.keys(flow.takes ?? {}));
    const values = Object.fromEntries(Object.entries(valuesNow(row, runs)).filter(([name]) => takes.has(name)));
    const id = newId(clock);
    const at = clock.now();
    const start = { flow: flowId, node: flow.begin, variables: { flow: values, session: {}, visitor: {} }, ...filesOf(row) };
    await turns.takeAndWait(
      {
        conversationId: id,
        botId: row.bot_id,
        source: row.channel_id ?? `page ${row.bot_id}`,
        externalId: `chat ${id}`,
        event: { type: 'start', at: at.toISOString(), channel: 'page', start },
        begins: {
          id,
          botId: row.bot_id,
          channelId: row.channel_id,
          source: 'page',
          visitorId: null,
          releaseId: loaded.releaseId,
          state: openSession(loaded.bot, {}),
          visitorName: null,
          at,
        },
      },
      CHAT_MS,
    );
    await store.setChat(db, row.id, id, runs.length);
    return id;
  }
}

function filesOf(row: store.ResultRow) {
  const { files } = broughtWith(store.pageValues.read(row.inputs));
  return files === undefined ? {} : { files };
}

function senderOf(filler: Filler | { readonly person: string }): string {
  return 'channel' in filler ? `${filler.channel.id} ${filler.visitor}` : `person ${filler.person}`;
}

/** Whose a file is that is sent for an input. */
export function ownerOf(botId: string, filler: Filler | { readonly person: string }): string {
  return hashed(`page file ${botId} ${senderOf(filler)}`);
}

export function hashed(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}
