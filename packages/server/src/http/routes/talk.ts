import { waitingAt } from '@primrose/core';
import { ownBot } from '../../bots/bots.js';
import { rowRecord } from '../../simulations/records.js';
import { stateColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import { findSimulation, simulatedTurnsAfter } from '../../store/simulations.js';
import type { Db } from '../../store/database.js';
import { HttpProblem } from '../problem.js';
import { firstNumber, type Handlers } from '../route.js';
import { turnView } from '../views.js';

/** Turn sheets that are handed out together, where nobody says how many. */
const TURNS = 200;

/** The turn sheets of any conversation, real or simulated. */
export function talkHandlers({ db }: { readonly db: Db }): Handlers {
  return {
    listTurns: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const page = { after: firstNumber(query.after), limit: query.limit ?? TURNS };
      const simulation = await findSimulation(db, bot.id, params.conversation);
      if (simulation) {
        const { rows, last } = await simulatedTurnsAfter(db, simulation.id, page);
        return { items: rows.map(rowRecord), next: last === null ? null : String(last) };
      }
      const conversation = await store.conversationOfBot(db, bot.id, params.conversation);
      if (!conversation) throw new HttpProblem('not-found', 'This bot has no such conversation.');
      const { rows, more } = await store.listTurns(db, conversation.id, page);
      const state = stateColumn.read(conversation.state);
      const last = (at: number) => !more && at === rows.length - 1;
      const items = rows.map((r, i) => turnView(r, last(i) ? waitingAt(state) : null));
      return { items, next: more ? String(rows.at(-1)?.number) : null };
    },
  };
}
