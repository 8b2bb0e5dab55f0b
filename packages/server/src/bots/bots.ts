import { checkBot, type BotDocument } from '@primrose/core';
import { newId, newSecret, type Clock } from '../base/clock.js';
import { fieldErrors, storedDocument } from './documents.js';
import type { Contents } from '../knowledge/contents.js';
import type { DraftAt, Drafts } from '../drafts/drafts.js';
import { Refused } from '../base/refused.js';
import { webChat } from '../channels/web-chat/web-chat.js';
import { seeToStarts } from '../runs/keep-starts.js';
import { seeToTables } from '../tables/carry.js';
import { type BotRow, findBot, insertBot } from '../store/bots.js';
import { type ReleaseRow, findRelease, insertRelease, liveBefore, moveConversations, setLive } from '../store/releases.js';
import { insertChannel, updateChannel } from '../store/channels.js';
import { isDuplicate, type Db } from '../store/database.js';
import { retrying } from '../store/hot.js';

/** What bots are worked on with. */
export interface BotParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly drafts: Drafts;
  readonly contents: Contents;
}

const CHANNEL_ADDRESS_LENGTH = 16;

/** The document of a bot in which nothing has been drawn yet. */
export function blankDocument(name: string): BotDocument {
  const bot = name
    .normalize('NFKD')
    .toLowerCase()
    .replace(/\p{M}+/gu, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 60);
  return {
    primrose: 1,
    bot: bot || 'bot',
    name,
    languages: ['en'],
    zone: 'Etc/UTC',
    begins: 'welcome',
    flows: { welcome: { title: 'Welcome', nodes: {} } },
  };
}

/** A new bot with its first way in: a web chat that serves the latest release. `files` are contents that came with its document. */
export async function createBot(
  { db, clock, contents, drafts }: BotParts,
  ownerId: string,
  source: BotDocument,
  files: ReadonlyMap<string, Uint8Array> = new Map(),
): Promise<OwnDraft> {
  const id = newId(clock);
  await contents.putAll(id, files);
  const document = await contents.settle(id, ownerId, source);
  await db.transaction(async (tx) => {
    await insertBot(tx, { id, ownerId, document, at: clock.now() });
    const address = newSecret().slice(0, CHANNEL_ADDRESS_LENGTH);
    await insertChannel(tx, { id: newId(clock), bot_id: id, kind: webChat.kind, address });
  });
  drafts.begun(id, document);
  return { bot: await ownBot(db, ownerId, id), revision: 1, document };
}

/** A bot that this person may work on, or the end of the request. */
export async function ownBot(db: Db, ownerId: string, id: string, deleted = false): Promise<BotRow> {
  const row = await findBot(db, ownerId, id, deleted);
  if (!row) throw new Refused('no-bot', {});
  return row;
}

/** A bot with its draft. */
export interface OwnDraft extends DraftAt {
  readonly bot: BotRow;
}

/** The draft of a bot that this person may work on, or the end of the request. */
export async function ownDraft(parts: BotParts, ownerId: string, id: string): Promise<OwnDraft> {
  const bot = await ownBot(parts.db, ownerId, id);
  return { bot, revision: bot.revision, document: await parts.drafts.at(id, bot.revision) };
}

export interface NewRelease {
  readonly personId: string;
  readonly note: string;
  /** The revision that was looked at; another one now ends the request. */
  readonly revision?: number | undefined;
  readonly live: boolean;
  readonly move: boolean;
  /** Why it is released although rehearsals fail. */
  readonly despite?: string | undefined;
}

/** Makes the draft a release, and the live one unless told otherwise. Errors that the checks find stop it. */
export async function createRelease(parts: BotParts, bot: BotRow, wanted: NewRelease): Promise<ReleaseRow> {
  const { db, clock, drafts } = parts;
  const { revision, document } = await drafts.current(bot.id);
  assertReleasable(bot, revision, document, wanted.revision);
  const { personId, note, live, move, despite = null } = wanted;
  const row = {
    id: newId(clock),
    botId: bot.id,
    number: (bot.release_number ?? 0) + 1,
    revision,
    note,
    despite,
    personId,
    at: clock.now(),
    document: JSON.stringify(document),
  };
  try {
    await retrying(() =>
      db.transaction(async (tx) => {
        await insertRelease(tx, row);
        if (live) await goLive(tx, clock, bot, { id: row.id, personId, move, document });
      }),
    );
  } catch (error) {
    if (isDuplicate(error)) throw new Refused('draft-moved-on', { revision });
    throw error;
  }
  const made = await findRelease(db, bot.id, row.number);
  if (!made) throw new Error('the release that was just made is gone');
  return made;
}

/** Ends the request where a draft cannot be released: it is another one now, it is released already, or the checks find errors. */
export function assertReleasable(bot: BotRow, revision: number, document: BotDocument, wanted: number | undefined): void {
  if (wanted !== undefined && wanted !== revision) throw new Refused('draft-moved-on', { revision });
  if (bot.release_revision === revision) throw new Refused('nothing-to-release', { release: bot.release_number });
  const problems = checkBot(document).filter((p) => p.severity === 'error');
  if (problems.length === 0) return;
  throw new Refused('release-stopped', { errors: fieldErrors(problems) });
}

async function goLive(
  tx: Db,
  clock: Clock,
  bot: BotRow,
  release: { id: string; personId: string; move: boolean; document: BotDocument },
): Promise<number> {
  const moved = release.move ? await moveConversations(tx, bot.id, release.id) : 0;
  const { id: releaseId, personId, document } = release;
  await setLive(tx, { id: newId(clock), botId: bot.id, releaseId, personId, moved, at: clock.now() });
  // What begins by itself and what rows look like is that of what is live.
  await seeToTables(tx, clock, bot.id, document);
  await seeToStarts(tx, clock, bot.id, 'live', document);
  return moved;
}

export interface WentLive {
  readonly release: ReleaseRow;
  /** Open conversations that were moved to it. */
  readonly moved: number;
}

/** Makes a release live: channels that are not bound to another serve it from now on. */
export async function makeLive(
  { db, clock }: BotParts,
  bot: BotRow,
  number: number,
  wanted: { personId: string; move: boolean },
): Promise<WentLive> {
  const release = await ownRelease(db, bot, number);
  const document = storedDocument(release.document);
  const moved = await retrying(() => db.transaction((tx) => goLive(tx, clock, bot, { id: release.id, ...wanted, document })));
  return { release, moved };
}

/** Makes the release live that was live before this one. */
export async function rollBack(parts: BotParts, bot: BotRow, wanted: { personId: string; move: boolean }): Promise<WentLive> {
  const before = bot.live_release_id === null ? undefined : await liveBefore(parts.db, bot.id, bot.live_release_id);
  if (!before) throw new Refused('no-release-before', {});
  return makeLive(parts, bot, before.number, wanted);
}

/** A release of a bot, or the end of the request. */
export async function ownRelease(db: Db, bot: BotRow, number: number): Promise<ReleaseRow & { document: string }> {
  const release = await findRelease(db, bot.id, number);
  if (release) return release;
  throw new Refused('no-release', { number, newest: bot.release_number });
}

/** Binds a channel to a release by its number, or to whichever is live. */
export async function bindChannel(db: Db, bot: BotRow, channelId: string, serves: 'live' | number): Promise<void> {
  const release = serves === 'live' ? undefined : await ownRelease(db, bot, serves);
  await updateChannel(db, bot.id, channelId, { release_id: release?.id ?? null });
}
