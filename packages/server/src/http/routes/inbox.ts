import type { InboxItem, InboxTalk } from '@primrose/contract';
import { escapeMarkdown, isStaffed, readMarkdown, talkSummary, type BotDocument, type TalkSummary } from '@primrose/core';
import { hashSecret, newId, newSecret, type Clock } from '../../base/clock.js';
import { Recent } from '../../base/recent.js';
import { Refused } from '../../base/refused.js';
import type { BotLoader } from '../../bots/loader.js';
import { ownBot } from '../../bots/bots.js';
import { readInboxSetting } from '../../channels/hand-over-notice.js';
import type { Outbox } from '../../channels/outbox.js';
import { channelKind, pushes } from '../../channels/registry.js';
import { listChannels } from '../../store/channels.js';
import { sheetColumn } from '../../store/columns.js';
import { fittingSheets, lineOfEvent, listedConversation } from '../../store/conversations.js';
import type { Db } from '../../store/database.js';
import * as store from '../../store/inbox.js';
import type { Person } from '../../store/people.js';
import * as people from '../../store/people.js';
import * as staffing from '../../store/staff.js';
import type { Turns } from '../../turns/turns.js';
import type { TypingBoard } from '../../turns/typing.js';
import type { Wakes } from '../../turns/wakes.js';
import type { Handlers } from '../route.js';
import { conversationView, lineView } from '../views.js';

/** How long a request waits for the bot to take a conversation back. */
const BACK_WAIT_MS = 30_000;
const MOST_LINES = 200;
const MOST_SHEETS = 60;
const MOST_SUMMARIES = 500;
const MOST_STAFF = 200;
const LINK_VALID_MS = 86_400_000;

interface InboxParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly turns: Turns;
  readonly wakes: Wakes;
  readonly outbox: Outbox;
  readonly typing: TypingBoard;
  readonly publicUrl: string;
}

/** Conversations that were handed over, for staff: taken, answered, noted, handed back and closed, by one person at a time. */
export function inboxHandlers({ db, clock, loader, turns, wakes, outbox, typing, publicUrl }: InboxParts): Handlers {
  const staffed = async (personId: string, botId: string): Promise<staffing.StaffedBot> => {
    const bot = await staffing.staffedBot(db, personId, botId);
    if (!bot) throw new Refused('no-bot', {});
    return bot;
  };
  const rowOf = async (personId: string, botId: string, id: string) => {
    const bot = await staffed(personId, botId);
    const row = await store.inboxRow(db, bot.id, id);
    // Staff see what was handed over to them; the owner sees all on the page of conversations.
    if (!row || (row.handed_at === null && bot.owner_id !== personId)) throw new Refused('no-talk', {});
    return { bot, row };
  };
  const mineToDo = async (person: Person, botId: string, id: string) => {
    const { bot, row } = await rowOf(person.id, botId, id);
    if (row.handed_at === null) throw new Refused('not-handed-over', {});
    if (row.staff_id !== null && row.staff_id !== person.id) throw new Refused('taken', { by: row.staff_name ?? '' });
    return { bot, row };
  };
  /** Why something could not be done to a conversation that was there a moment ago. */
  const refusal = async (botId: string, id: string): Promise<Refused> => {
    const row = await store.inboxRow(db, botId, id);
    if (!row || row.handed_at === null || row.ended_at !== null) return new Refused('handed-back-meanwhile', {});
    return new Refused('taken', { by: row.staff_name ?? '' });
  };
  const documentOf = async (bot: staffing.StaffedBot): Promise<BotDocument> => {
    const loaded = bot.live_release_id === null ? await loader.draft(bot.id) : await loader.release(bot.live_release_id);
    return loaded.bot.document;
  };
  /** Windows ask every other second; what a talk came to changes with its turns only. */
  const summaries = new Recent<TalkSummary>(MOST_SUMMARIES);
  const summaryOf = async (bot: staffing.StaffedBot, row: store.InboxRow): Promise<TalkSummary> => {
    const key = `${row.id} ${row.turns}`;
    const known = summaries.get(key);
    if (known) return known;
    const document = row.release_id === null ? await documentOf(bot) : (await loader.release(row.release_id)).bot.document;
    const sheets = (await fittingSheets(db, row.id, MOST_SHEETS)).map((s) => sheetColumn.read(s));
    return summaries.set(key, talkSummary(document, sheets));
  };
  const say = async (person: Person, row: store.InboxRow, { id, text, ends }: { id: string; text: string; ends: boolean }) => {
    const escaped = escapeMarkdown(text);
    const eventId = hashSecret(`staff ${row.id} ${id}`).slice(0, 36);
    const message = { text: escaped, blocks: readMarkdown(escaped), ...(ends ? { ends: true as const } : {}) };
    const said = { conversationId: row.id, eventId, externalId: id, message, by: person, at: clock.now() };
    if (!(await store.insertStaffLine(db, said))) throw await refusal(row.bot_id, row.id);
    typing.done(row.id, person.name);
    wakes.wake(row.id);
    outbox.kick(row.id, row.channel_id);
    const line = await lineOfEvent(db, eventId);
    if (!line) throw new Error('a line that was just stored is gone');
    return lineView(line);
  };
  /** Gives a conversation back to the bot, or ends it; by an event, so that it is done in its turn. */
  const goOn = async (row: store.InboxRow, closes: boolean) => {
    const at = clock.now().toISOString();
    const externalId = `back-${row.id}-${row.handed_at?.getTime()}`;
    const event = { type: 'hand-back', at, channel: row.channel_kind, ...(closes ? { closes: true as const } : {}) } as const;
    await turns.takeAndWait(
      { conversationId: row.id, botId: row.bot_id, source: row.channel_id, externalId, event },
      BACK_WAIT_MS,
    );
    const now = await listedConversation(db, row.bot_id, row.id);
    if (!now) throw new Refused('no-talk', {});
    return conversationView(now);
  };
  const linkFor = async (personId: string): Promise<string> => {
    const link = newSecret();
    await people.insertSignInLink(db, hashSecret(link), personId, new Date(clock.now().getTime() + LINK_VALID_MS));
    return `${publicUrl}/sign-in#${link}`;
  };
  const member = async (botId: string, personId: string) => {
    const found = (await staffing.staffOf(db, botId)).find((s) => s.id === personId);
    if (!found) throw new Refused('no-staff', {});
    return found;
  };
  const canned = (row: store.CannedRow) => ({ id: row.id, title: row.title, text: row.text });
  return {
    listInbox: async ({ person, params, query }) => {
      const bot = await staffed(person.id, params.bot);
      const { view = 'waiting' } = query;
      const of = view === 'all' ? 'all' : { staff: view === 'mine' ? person.id : null };
      const rows = await store.inboxRows(db, bot.id, of);
      const staff = await staffing.staffOf(db, bot.id);
      return {
        items: rows.map(itemView),
        counts: await store.inboxCounts(db, bot.id, person.id),
        staffed: isStaffed(await documentOf(bot), clock.now().toISOString()),
        bot: bot.name,
        me: { id: person.id, name: person.name, owner: bot.owner_id === person.id },
        staff,
      };
    },
    getInboxTalk: async ({ person, params }): Promise<InboxTalk> => {
      const { bot, row } = await rowOf(person.id, params.bot, params.conversation);
      const lines = await store.lastLines(db, row.id, MOST_LINES);
      const { wants, named, done, failed, missed, open } = await summaryOf(bot, row);
      return {
        conversation: itemView(row),
        lines: { items: lines.map(lineView), next: null },
        notes: (await store.notesOf(db, row.id)).map((n) => ({ id: n.id, by: n.by_name, at: n.at.toISOString(), text: n.text })),
        summary: {
          wants: [...wants],
          named: named.map(([name, value]): [string, string] => [name, value]),
          done: [...done],
          failed: [...failed],
          missed: [...missed],
          open,
        },
        typing: typing.of(row.id, person.name),
      };
    },
    takeConversation: async ({ person, params, body }) => {
      const { bot, row } = await rowOf(person.id, params.bot, params.conversation);
      if (row.handed_at === null) throw new Refused('not-handed-over', {});
      const to = body.to === null ? null : await member(bot.id, body.to ?? person.id);
      const done = await store.assign(db, row.id, body.from, to && { id: to.id, name: to.name, at: clock.now() });
      if (!done) throw await refusal(bot.id, row.id);
      return itemView((await rowOf(person.id, bot.id, row.id)).row);
    },
    answerConversation: async ({ person, params, body }) => {
      const { row } = await mineToDo(person, params.bot, params.conversation);
      const last = body.seen === undefined ? undefined : await store.lastStaffLine(db, row.id);
      if (last && body.seen !== undefined && last.seq > body.seen && last.external_id !== body.id && last.by_name !== person.name)
        throw new Refused('answered-meanwhile', { by: last.by_name ?? '' });
      return say(person, row, { id: body.id, text: body.text, ends: false });
    },
    handBack: async ({ person, params }) => goOn((await mineToDo(person, params.bot, params.conversation)).row, false),
    closeConversation: async ({ person, params, body }) => {
      const { row } = await mineToDo(person, params.bot, params.conversation);
      if (body.text !== undefined) await say(person, row, { id: body.id, text: body.text, ends: true });
      return goOn(row, true);
    },
    typeAsStaff: async ({ person, params }) => {
      const { row } = await rowOf(person.id, params.bot, params.conversation);
      const writes = row.handed_at !== null && (row.staff_id === null || row.staff_id === person.id);
      typing.note(row.id, person.name);
      if (writes) wakes.hint(row.id, { typing: person.name });
      return { accepted: writes };
    },
    addNote: async ({ person, params, body }) => {
      const { row } = await rowOf(person.id, params.bot, params.conversation);
      const note = { id: newId(clock), conversation_id: row.id, by_name: person.name, text: body.text, at: clock.now() };
      if (!(await store.insertNote(db, note))) throw new Refused('inbox-full', { of: 'notes of a conversation' });
      return { id: note.id, by: note.by_name, at: note.at.toISOString(), text: note.text };
    },
    listCanned: async ({ person, params }) => {
      const bot = await staffed(person.id, params.bot);
      return { items: (await store.cannedOf(db, bot.id)).map(canned) };
    },
    addCanned: async ({ person, params, body }) => {
      const bot = await staffed(person.id, params.bot);
      const row = { id: newId(clock), bot_id: bot.id, ...body };
      if (!(await store.insertCanned(db, row))) throw new Refused('inbox-full', { of: 'canned words' });
      return canned(row);
    },
    changeCanned: async ({ person, params, body }) => {
      const bot = await staffed(person.id, params.bot);
      const row = { id: params.canned, bot_id: bot.id, ...body };
      if ((await store.changeCanned(db, row)) === 0) throw new Refused('no-canned', {});
      return canned(row);
    },
    dropCanned: async ({ person, params }) => {
      const bot = await staffed(person.id, params.bot);
      if ((await store.dropCanned(db, bot.id, params.canned)) === 0) throw new Refused('no-canned', {});
      return undefined;
    },
    getInboxSetting: async ({ person, params }) => readInboxSetting((await staffed(person.id, params.bot)).inbox),
    setInboxSetting: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const { notifies } = body;
      const able = (await listChannels(db, bot.id)).filter((c) => pushes(c.kind)).map((c) => c.name ?? channelKind(c.kind).name);
      if (notifies && !able.includes(notifies.channel))
        throw new Refused('no-notice-channel', { channel: notifies.channel, able });
      await store.setInboxSetting(db, bot.id, JSON.stringify({ notifies }));
      return { notifies };
    },
    listStaff: async ({ person, params }) => ({
      items: await staffing.staffOf(db, (await staffed(person.id, params.bot)).id),
    }),
    addStaff: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const present = await staffing.staffOf(db, bot.id);
      if (present.length >= MOST_STAFF) throw new Refused('inbox-full', { of: 'people of the staff' });
      if (present.some((s) => s.name.toLowerCase() === body.name.toLowerCase()))
        throw new Refused('staff-name', { name: body.name });
      const made = { id: newId(clock), name: body.name };
      await people.insertPerson(db, made, clock.now());
      await staffing.insertStaff(db, bot.id, made.id, clock.now());
      return { ...made, owner: false, link: await linkFor(made.id) };
    },
    linkStaff: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      return { link: await linkFor((await member(bot.id, params.person)).id) };
    },
    removeStaff: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      if ((await staffing.removeStaff(db, bot.id, params.person)) === 0) throw new Refused('no-staff', {});
      return undefined;
    },
    listInboxes: async ({ person }) => ({ items: await staffing.inboxesOf(db, person.id) }),
  };
}

function itemView(row: store.InboxRow): InboxItem {
  const { staff_id: id, staff_name: name, unanswered_at: unanswered, handed_at: handed } = row;
  return {
    ...conversationView(row),
    staff: id === null ? null : { id, name: name ?? '' },
    asks: unanswered !== null,
    waitsSince: (unanswered ?? handed ?? row.opened_at).toISOString(),
  };
}
