import { plainText } from '@primrose/core';
import { ownBot } from '../../bots/bots.js';
import type { Clock } from '../../base/clock.js';
import * as store from '../../store/conversations.js';
import { messageColumn } from '../../store/columns.js';
import type { Db } from '../../store/database.js';
import { HttpProblem } from '../problem.js';
import { firstNumber, paged, PAGE, type Handlers } from '../route.js';
import { countedFeedback, feedbackOf } from '../../store/feedback.js';
import { asideOfConversation } from '../../store/aside.js';
import { asideView, conversationView, lineView } from '../views.js';

const DAY_MS = 86_400_000;
/** What visitors thought is counted for so long, and so many flows and answers are told. */
const COUNTED_DAYS = 90;
const MOST_COUNTED = 50;

interface ConversationParts {
  readonly db: Db;
  readonly clock: Clock;
}

/** Conversations with visitors, to be read. */
export function conversationHandlers({ db, clock }: ConversationParts): Handlers {
  const own = async (personId: string, botId: string, id: string) => {
    const bot = await ownBot(db, personId, botId);
    const row = await store.listedConversation(db, bot.id, id);
    if (!row) throw new HttpProblem('not-found', 'This bot has no such conversation.');
    return row;
  };
  return {
    listConversations: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const { state = 'all', after } = query;
      const rows = await store.listConversations(db, bot.id, { state, limit: limit + 1, after });
      const from = state === 'all' ? 0 : firstNumber(after);
      const list = paged(rows, limit, conversationView, (r) => (state === 'all' ? r.id : String(from + limit)));
      return { ...list, handed: await store.countHanded(db, bot.id) };
    },
    getConversation: async ({ person, params, query }) => {
      const row = await own(person.id, params.bot, params.conversation);
      const lines = await store.linesAfter(db, row.id, firstNumber(query.after));
      const more = lines.length === store.LINES_AT_ONCE;
      return {
        conversation: conversationView(row),
        lines: { items: lines.map(lineView), next: more ? String(lines.at(-1)?.seq) : null },
        feedback: (await feedbackOf(db, row.id)).map((f) => ({
          line: f.seq,
          helpful: Boolean(f.helpful),
          words: f.words,
          at: f.at.toISOString(),
        })),
        aside: (await asideOfConversation(db, row.bot_id, row.id)).map(asideView),
      };
    },
    getFeedback: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const rows = await countedFeedback(db, bot.id, new Date(clock.now().getTime() - COUNTED_DAYS * DAY_MS));
      const sum = (of: typeof rows) => ({
        helpful: of.reduce((n, r) => n + r.helpful, 0),
        unhelpful: of.reduce((n, r) => n + r.unhelpful, 0),
      });
      const by = <K>(key: (row: (typeof rows)[number]) => K) =>
        [...new Set(rows.map(key))].map((k) => [k, rows.filter((r) => key(r) === k)] as const);
      const worst = <T extends { unhelpful: number; helpful: number }>(list: T[]): T[] =>
        list.sort((a, b) => b.unhelpful - a.unhelpful || a.helpful - b.helpful).slice(0, MOST_COUNTED);
      return {
        ...sum(rows),
        releases: by((r) => r.release).map(([release, of]) => ({ release, ...sum(of) })),
        flows: worst(by((r) => r.flow).flatMap(([flow, of]) => (flow === null ? [] : [{ flow, ...sum(of) }]))),
        answers: worst(
          by((r) => `${r.flow} ${r.node}`).flatMap(([, of]) => {
            const [one] = of;
            if (!one || one.flow === null || one.node === null) return [];
            const said = one.message === null ? '' : plainText(messageColumn.read(one.message).blocks).slice(0, 160);
            const words = of.flatMap((r) => (r.words === null ? [] : r.words.split('\n'))).slice(0, 5);
            return [{ flow: one.flow, node: one.node, said, words, ...sum(of) }];
          }),
        ),
      };
    },
  };
}
