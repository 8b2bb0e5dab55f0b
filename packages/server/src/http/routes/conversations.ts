import { escapeMarkdown, readMarkdown } from '@primrose/core';
import { ownBot } from '../../bots/bots.js';
import { hashSecret, type Clock } from '../../base/clock.js';
import * as store from '../../store/conversations.js';
import type { Outbox } from '../../channels/outbox.js';
import type { Db } from '../../store/database.js';
import type { Turns } from '../../turns/turns.js';
import type { Wakes } from '../../turns/wakes.js';
import { HttpProblem } from '../problem.js';
import { firstNumber, paged, PAGE, type Handlers } from '../route.js';
import { asideOfConversation } from '../../store/aside.js';
import { asideView, conversationView, lineView } from '../views.js';

/** How long a request waits for the bot to take a conversation back. */
const BACK_WAIT_MS = 30_000;

interface ConversationParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly turns: Turns;
  readonly wakes: Wakes;
  readonly outbox: Outbox;
}

/** Conversations with visitors: read, answered by staff, handed back. */
export function conversationHandlers({ db, clock, turns, wakes, outbox }: ConversationParts): Handlers {
  const own = async (personId: string, botId: string, id: string) => {
    const bot = await ownBot(db, personId, botId);
    const row = await store.listedConversation(db, bot.id, id);
    if (!row) throw new HttpProblem('not-found', 'This bot has no such conversation.');
    return row;
  };
  const handedOver = async (personId: string, botId: string, id: string) => {
    const row = await own(personId, botId, id);
    if (row.handed_at === null)
      throw new HttpProblem(
        'not-handed-over',
        'The bot answers in this conversation. Only one that was handed over can be answered here.',
      );
    return row;
  };
  return {
    listConversations: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const handed = query.state === 'handed';
      const rows = await store.listConversations(db, bot.id, { handed, limit: limit + 1, after: query.after });
      const from = handed ? firstNumber(query.after) : 0;
      const list = paged(rows, limit, conversationView, (r) => (handed ? String(from + limit) : r.id));
      return { ...list, handed: await store.countHanded(db, bot.id) };
    },
    getConversation: async ({ person, params, query }) => {
      const row = await own(person.id, params.bot, params.conversation);
      const lines = await store.linesAfter(db, row.id, firstNumber(query.after));
      const more = lines.length === store.LINES_AT_ONCE;
      return {
        conversation: conversationView(row),
        lines: { items: lines.map(lineView), next: more ? String(lines.at(-1)?.seq) : null },
        aside: (await asideOfConversation(db, row.bot_id, row.id)).map(asideView),
      };
    },
    answerConversation: async ({ person, params, body }) => {
      const row = await handedOver(person.id, params.bot, params.conversation);
      const text = escapeMarkdown(body.text);
      const eventId = hashSecret(`staff ${row.id} ${body.id}`).slice(0, 36);
      const message = { text, blocks: readMarkdown(text) };
      const said = { conversationId: row.id, eventId, externalId: body.id, message, by: person.name, at: clock.now() };
      if (!(await store.insertStaffLine(db, said)))
        throw new HttpProblem('not-handed-over', 'The conversation was handed back or ended meanwhile; this was not said.');
      wakes.wake(row.id);
      outbox.kick(row.id, row.channel_id);
      const line = await store.lineOfEvent(db, eventId);
      if (!line) throw new Error('a line that was just stored is gone');
      return lineView(line);
    },
    handBack: async ({ person, params }) => {
      const row = await handedOver(person.id, params.bot, params.conversation);
      const at = clock.now().toISOString();
      const externalId = `back-${row.id}-${row.handed_at?.getTime()}`;
      const event = { type: 'hand-back', at, channel: row.channel_kind } as const;
      const incoming = { conversationId: row.id, botId: row.bot_id, source: row.channel_id, externalId, event };
      await turns.takeAndWait(incoming, BACK_WAIT_MS);
      return conversationView(await own(person.id, params.bot, row.id));
    },
  };
}
